//! Outputs that appear whole or not at all.

use crate::temporary::{TemporaryFile, moving};
use crate::{FormatError, is_standard};
use std::collections::BTreeSet;
use std::fs::File;
use std::path::{Path, PathBuf};

/// A file that is written beside its final place and moved there when it is complete. Dropped before that, it
/// is removed.
#[derive(Debug)]
pub struct PendingOutput {
    target: PathBuf,
    temporary: TemporaryFile,
    overwrite: bool,
    /// Files that belong to it, beside it under other endings.
    companions: Vec<(TemporaryFile, PathBuf)>,
    /// Files that are no longer true once it is replaced.
    stale: Vec<PathBuf>,
}

impl PendingOutput {
    /// Prepares an output.
    ///
    /// # Errors
    /// [`FormatError::OutputExists`] where the target is there and `overwrite` is false, [`FormatError::NoFolder`]
    /// where its folder is not, [`FormatError::Write`] where the folder cannot be written to.
    pub fn new(target: &Path, overwrite: bool) -> Result<Self, FormatError> {
        if is_standard(target) {
            // Whole or not at all there too: what fails half-way prints nothing.
            let temporary = TemporaryFile::new().map_err(|e| FormatError::write(&std::env::temp_dir(), e))?;
            return Ok(PendingOutput {
                target: target.to_path_buf(),
                temporary,
                overwrite,
                companions: Vec::new(),
                stale: Vec::new(),
            });
        }
        if target.is_dir() {
            return Err(FormatError::IsFolder { path: target.to_path_buf() });
        }
        if target.exists() && !overwrite {
            return Err(FormatError::OutputExists { path: target.to_path_buf() });
        }
        let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        if !folder.is_dir() {
            return Err(FormatError::NoFolder { path: target.to_path_buf(), folder: folder.to_path_buf() });
        }
        let temporary = temporary_beside(target, folder)?;
        Ok(PendingOutput {
            target: target.to_path_buf(),
            temporary,
            overwrite,
            companions: Vec::new(),
            stale: Vec::new(),
        })
    }

    /// A file that belongs to the output and appears with it, under its name with another ending: where to write it.
    ///
    /// # Errors
    /// As [`PendingOutput::new`].
    pub fn companion(&mut self, ending: &str) -> Result<PathBuf, FormatError> {
        let target = self.target.with_extension(ending);
        if target.exists() && !self.overwrite {
            return Err(FormatError::OutputExists { path: target });
        }
        let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let temporary = temporary_beside(&target, folder)?;
        let path = temporary.to_path_buf();
        self.companions.push((temporary, target));
        Ok(path)
    }

    /// Says which files beside the output, by their endings, are not true any more once it is replaced.
    pub fn stale(&mut self, endings: &[&str]) {
        self.stale.extend(endings.iter().map(|e| self.target.with_extension(e)).filter(|p| p.is_file()));
    }

    /// Where to write for now.
    pub fn path(&self) -> &Path {
        &self.temporary
    }

    /// Where it will be.
    pub fn target(&self) -> &Path {
        &self.target
    }

    /// Moves the file to its place.
    ///
    /// # Errors
    /// [`FormatError::Write`], or [`FormatError::OutputExists`] where something appeared there meanwhile.
    pub fn publish(self) -> Result<(), FormatError> {
        publish(vec![self])
    }

    fn is_standard(&self) -> bool {
        is_standard(&self.target)
    }
}

/// Moves all outputs to their places, or none: where one cannot be moved, those moved before are taken back and what
/// stood there before is put in its place again. What goes to standard output goes last, as it cannot be taken back.
///
/// # Errors
/// [`FormatError::Write`], or [`FormatError::OutputExists`] where something appeared in a place meanwhile.
pub fn publish(outputs: Vec<PendingOutput>) -> Result<(), FormatError> {
    let (standard, files): (Vec<_>, Vec<_>) = outputs.into_iter().partition(PendingOutput::is_standard);
    // The moves end before the way does: they are taken back while nobody may interrupt.
    let way = moving();
    let folders = locked_folders(&files);
    let mut moves = Moves::default();
    for PendingOutput { target, temporary, overwrite, companions, stale } in files {
        for (temporary, target) in companions {
            moves.take_place(temporary, target, overwrite)?;
        }
        moves.take_place(temporary, target, overwrite)?;
        for file in stale.into_iter().filter(|f| f.exists()) {
            moves.put_away(&file)?;
        }
    }
    // Whoever reads standard output may wait as long as they like.
    drop(folders);
    drop(way);
    let printed = standard.iter().try_for_each(|output| print(&output.temporary));
    let _way = moving();
    match printed {
        Ok(()) => moves.keep(),
        Err(_) => drop(moves),
    }
    printed
}

/// The folders of outputs, locked until all of them are in their places, so that the parts of two runs with one target do
/// not mix. File systems without locks do without.
fn locked_folders(outputs: &[PendingOutput]) -> Vec<File> {
    let folder = |o: &PendingOutput| {
        let folder = o.target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        folder.canonicalize().ok()
    };
    // In one order, so that no two runs wait for each other.
    let folders: BTreeSet<PathBuf> = outputs.iter().filter_map(folder).collect();
    folders.iter().filter_map(|f| File::open(f).ok().filter(|f| f.lock().is_ok())).collect()
}

fn print(file: &Path) -> Result<(), FormatError> {
    let failed = |e: std::io::Error| FormatError::Standard { source: e };
    let mut file = File::open(file).map_err(failed)?;
    let mut out = std::io::stdout().lock();
    std::io::copy(&mut file, &mut out).map_err(failed)?;
    std::io::Write::flush(&mut out).map_err(failed)
}

/// Moves that are undone, the last first, unless they are kept.
#[derive(Default)]
struct Moves(Vec<Move>);

enum Move {
    /// A file stands in a place that was empty.
    Placed(PathBuf),
    /// What stood in a place waits under another name.
    PutAway { place: PathBuf, waits: PathBuf },
}

impl Moves {
    fn take_place(&mut self, temporary: TemporaryFile, target: PathBuf, overwrite: bool) -> Result<(), FormatError> {
        let replaces = overwrite && target.exists();
        if replaces {
            self.remember(&target)?;
        }
        persist(temporary, &target, overwrite)?;
        // What is remembered comes back over it.
        if !replaces {
            self.0.push(Move::Placed(target));
        }
        Ok(())
    }

    /// A second name for what stands in a place, so that the place is never empty while it is replaced. File systems
    /// without second names have it moved away.
    fn remember(&mut self, place: &Path) -> Result<(), FormatError> {
        let waits = free_name_beside(place)?;
        if std::fs::hard_link(place, &waits).is_err() {
            return self.put_away(place);
        }
        self.0.push(Move::PutAway { place: place.to_path_buf(), waits });
        Ok(())
    }

    fn put_away(&mut self, place: &Path) -> Result<(), FormatError> {
        let waits = free_name_beside(place)?;
        std::fs::rename(place, &waits).map_err(|e| FormatError::write(place, e))?;
        self.0.push(Move::PutAway { place: place.to_path_buf(), waits });
        Ok(())
    }

    fn keep(mut self) {
        for done in self.0.drain(..) {
            if let Move::PutAway { waits, .. } = done {
                let _ = std::fs::remove_file(waits);
            }
        }
    }
}

impl Drop for Moves {
    fn drop(&mut self) {
        for done in self.0.drain(..).rev() {
            let _ = match done {
                Move::Placed(place) => std::fs::remove_file(place),
                Move::PutAway { place, waits } => std::fs::rename(waits, place),
            };
        }
    }
}

/// A temporary file in the folder of an output.
fn temporary_beside(target: &Path, folder: &Path) -> Result<TemporaryFile, FormatError> {
    TemporaryFile::in_folder(folder).map_err(|e| FormatError::write(target, e))
}

/// A name in the folder of an output that nothing has.
fn free_name_beside(target: &Path) -> Result<PathBuf, FormatError> {
    let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let free = temporary_beside(target, folder)?;
    Ok(free.to_path_buf())
}

fn persist(temporary: TemporaryFile, target: &Path, overwrite: bool) -> Result<(), FormatError> {
    temporary.persist(target, overwrite).map_err(|e| {
        if e.kind() == std::io::ErrorKind::AlreadyExists {
            FormatError::OutputExists { path: target.to_path_buf() }
        } else {
            FormatError::write(target, e)
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let target = folder.path().join("out.csv");
        let pending = PendingOutput::new(&target, false).unwrap();
        std::fs::write(pending.path(), "half").unwrap();
        drop(pending);
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "nothing is left behind");
        let pending = PendingOutput::new(&target, false).unwrap();
        std::fs::write(pending.path(), "whole").unwrap();
        pending.publish().unwrap();
        assert_eq!(std::fs::read_to_string(&target).unwrap(), "whole");
        assert!(matches!(PendingOutput::new(&target, false), Err(FormatError::OutputExists { .. })));
        assert!(matches!(
            PendingOutput::new(&folder.path().join("no/out.csv"), false),
            Err(FormatError::NoFolder { .. })
        ));
    }
    #[test]
    fn all_outputs_are_moved_or_none() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let text = |name: &str| std::fs::read_to_string(at(name)).ok();
        let pending = |name: &str, overwrite: bool| {
            let pending = PendingOutput::new(&at(name), overwrite).unwrap();
            std::fs::write(pending.path(), format!("new {name}")).unwrap();
            pending
        };
        std::fs::write(at("b.csv"), "old b.csv").unwrap();
        let outputs = vec![pending("a.csv", false), pending("b.csv", true), pending("c.csv", false)];
        // Somebody else makes the last one while we write.
        std::fs::write(at("c.csv"), "another").unwrap();
        assert!(matches!(publish(outputs), Err(FormatError::OutputExists { path }) if path == at("c.csv")));
        assert_eq!(
            (text("a.csv"), text("b.csv"), text("c.csv")),
            (None, Some("old b.csv".into()), Some("another".into()))
        );
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2, "nothing waits under another name");
        publish(vec![pending("a.csv", false), pending("b.csv", true)]).unwrap();
        assert_eq!((text("a.csv"), text("b.csv")), (Some("new a.csv".into()), Some("new b.csv".into())));
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 3);
    }

    #[test]
    fn companions_and_what_is_stale_come_back_too() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        for name in ["a.shp", "a.dbf", "a.cpg"] {
            std::fs::write(at(name), "old").unwrap();
        }
        let prepared = || {
            let mut shapes = PendingOutput::new(&at("a.shp"), true).unwrap();
            std::fs::write(shapes.path(), "new").unwrap();
            std::fs::write(shapes.companion("dbf").unwrap(), "new").unwrap();
            shapes.stale(&["cpg"]);
            shapes
        };
        let other = PendingOutput::new(&at("b.csv"), false).unwrap();
        std::fs::write(at("b.csv"), "another").unwrap();
        assert!(publish(vec![prepared(), other]).is_err());
        for name in ["a.shp", "a.dbf", "a.cpg"] {
            assert_eq!(std::fs::read_to_string(at(name)).unwrap(), "old", "{name}");
        }
        publish(vec![prepared()]).unwrap();
        assert_eq!(std::fs::read_to_string(at("a.dbf")).unwrap(), "new");
        assert!(!at("a.cpg").exists());
    }
}
