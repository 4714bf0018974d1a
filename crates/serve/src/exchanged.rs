//! What is opened from files, and opened anew where others are moved into their places: requests that are under way keep
//! what they began with.

use crate::ServeError;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError, RwLock};
use std::time::SystemTime;

/// What tells that a file is another one: its length, when it was changed, and its number in the file system.
type Stamp = Option<(u64, Option<SystemTime>, u64)>;

fn stamp(file: &Path) -> Stamp {
    let metadata = std::fs::metadata(file).ok()?;
    #[cfg(unix)]
    let number = std::os::unix::fs::MetadataExt::ino(&metadata);
    #[cfg(not(unix))]
    let number = 0;
    Some((metadata.len(), metadata.modified().ok(), number))
}

type Open<T> = Box<dyn Fn() -> Result<T, ServeError> + Send + Sync>;

/// Something that was opened from files.
pub(crate) struct Exchanged<T> {
    files: Vec<PathBuf>,
    open: Open<T>,
    current: RwLock<Arc<T>>,
    stamps: Mutex<Stamps>,
}

/// The stamps of what is served, and those that were seen last.
struct Stamps {
    served: Vec<Stamp>,
    seen: Vec<Stamp>,
}

impl<T> Exchanged<T> {
    /// Opens it for the first time.
    pub(crate) fn new(
        files: &[PathBuf],
        open: impl Fn() -> Result<T, ServeError> + Send + Sync + 'static,
    ) -> Result<Self, ServeError> {
        let stamps: Vec<Stamp> = files.iter().map(|f| stamp(f)).collect();
        let current = RwLock::new(Arc::new(open()?));
        let stamps = Mutex::new(Stamps { served: stamps.clone(), seen: stamps });
        Ok(Exchanged { files: files.to_vec(), open: Box::new(open), current, stamps })
    }

    /// What is served now.
    pub(crate) fn get(&self) -> Arc<T> {
        self.current.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Opens it anew where its files are others than before, and the same as when they were looked at last: a file that is
    /// still being written is left alone. Nothing where they are the same, or not there.
    pub(crate) fn refresh(&self) -> Option<Result<(), ServeError>> {
        let now: Vec<Stamp> = self.files.iter().map(|f| stamp(f)).collect();
        let mut stamps = self.stamps.lock().unwrap_or_else(PoisonError::into_inner);
        // What is no file, such as an address on the web, never has a stamp.
        let is_there = now.iter().zip(&stamps.served).all(|(now, served)| now.is_some() || served.is_none());
        let is_settled = now == stamps.seen && is_there;
        stamps.seen.clone_from(&now);
        if now == stamps.served || !is_settled {
            return None;
        }
        // What cannot be opened is not tried again until it changes once more.
        stamps.served = now;
        drop(stamps);
        Some((self.open)().map(|opened| {
            *self.current.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(opened);
        }))
    }

    /// The names of its files, for the log.
    pub(crate) fn names(&self) -> String {
        self.files.iter().map(|f| f.display().to_string()).collect::<Vec<_>>().join(", ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_that_is_moved_into_place_is_served_and_a_broken_one_is_not() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("number");
        std::fs::write(&file, "1").unwrap();
        let of = file.clone();
        let read = move || {
            std::fs::read_to_string(&of).unwrap().parse::<u32>().map_err(|_| ServeError::PublicAddress("many".into()))
        };
        // Beside it something that is no file of this machine.
        let files = [file.clone(), PathBuf::from("https://tern.example/gates.csv")];
        let number = Exchanged::new(&files, read).unwrap();
        let moved = |text: &str| {
            let new = folder.path().join("new");
            std::fs::write(&new, text).unwrap();
            std::fs::rename(&new, &file).unwrap();
        };
        assert!(number.refresh().is_none());
        let before = number.get();
        moved("22");
        assert!(number.refresh().is_none(), "it is looked at twice");
        assert!(number.refresh().unwrap().is_ok());
        assert_eq!((*before, *number.get()), (1, 22));
        assert!(number.refresh().is_none());
        moved("many");
        number.refresh();
        assert!(number.refresh().unwrap().is_err());
        assert!(number.refresh().is_none(), "it is tried once");
        assert_eq!(*number.get(), 22);
        std::fs::remove_file(&file).unwrap();
        assert!(number.refresh().is_none() && number.refresh().is_none());
        moved("333");
        number.refresh();
        assert!(number.refresh().unwrap().is_ok());
        assert_eq!(*number.get(), 333);
    }
}
