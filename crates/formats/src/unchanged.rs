//! A source that changes while it is read: rows of two tables would stand in one output.

use crate::FormatError;
use crate::driver::Driver;
use crate::reader::{About, Block, Decode, Reader, Suspicion};
use arrow_schema::SchemaRef;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;

/// What tells that a file is another one than before.
#[derive(Debug, Clone, PartialEq)]
struct Stamp {
    path: PathBuf,
    length: u64,
    modified: Option<SystemTime>,
}

impl Stamp {
    fn of(path: &Path) -> Option<Self> {
        let about = std::fs::metadata(path).ok()?;
        Some(Stamp { path: path.to_path_buf(), length: about.len(), modified: about.modified().ok() })
    }
}

/// The stamps of a file and of those that belong to it, before it is opened.
pub(crate) struct Stamps(Vec<Stamp>);

impl Stamps {
    pub(crate) fn of(path: &Path, driver: &Driver) -> Self {
        let beside = driver.companions.iter().map(|ending| path.with_extension(ending));
        Stamps(std::iter::once(path.to_path_buf()).chain(beside).filter_map(|p| Stamp::of(&p)).collect())
    }

    fn check(&self) -> Result<(), FormatError> {
        let changed = |stamp: &&Stamp| Stamp::of(&stamp.path).as_ref() != Some(*stamp);
        match self.0.iter().find(changed) {
            None => Ok(()),
            Some(stamp) => Err(FormatError::broken(
                &stamp.path,
                "was changed by another program while it was read; wait until it is whole, then run this again",
            )),
        }
    }
}

/// A reader that looks whether its file is still the same whenever it has been read to its end.
pub(crate) struct Unchanged {
    pub inner: Box<dyn Reader>,
    pub stamps: Stamps,
}

impl Reader for Unchanged {
    fn about(&self) -> &About {
        self.inner.about()
    }

    fn schema(&self) -> SchemaRef {
        self.inner.schema()
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let read = self.inner.read(sink);
        // What is odd in a file that changes comes from that.
        self.stamps.check()?;
        read
    }

    fn found(&self) -> Vec<Suspicion> {
        self.inner.found()
    }

    fn set_north_first(&mut self, north_first: bool) {
        self.inner.set_north_first(north_first);
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        self.inner.decoder()
    }
}

#[cfg(test)]
mod tests {
    use crate::{InputOptions, open};
    use std::io::Write;

    #[test]
    fn a_table_that_changes_while_it_is_read_is_an_error() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("gates.csv");
        let rows: String = (0..1000).map(|i| format!("{i},-123.8,46.2\n")).collect();
        for grows in [false, true] {
            std::fs::write(&path, format!("id,lon,lat\n{rows}")).unwrap();
            let mut reader = open(&path, &InputOptions::default()).unwrap();
            assert!(reader.read(&mut |_| true).is_ok());
            let mut file = std::fs::OpenOptions::new().append(true).open(&path).unwrap();
            if grows {
                file.write_all(b"1000,-123.8,46.2\n").unwrap();
            } else {
                file.set_len(500).unwrap();
            }
            let message = reader.read(&mut |_| true).unwrap_err().to_string();
            assert!(message.contains("gates.csv: was changed by another program"), "{message}");
        }
    }
}
