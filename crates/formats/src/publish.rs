//! Outputs are moved to their places: all of them, or none.

use crate::FormatError;
use crate::output::{PendingOutput, temporary_beside};
use crate::temporary::{TemporaryFile, moving};
use std::collections::BTreeSet;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

/// What moving outputs asks of the file system. Tests have one that fails when it is told to.
trait FileSystem {
    /// A temporary file to its place.
    fn place(&self, temporary: TemporaryFile, target: &Path, replace: bool) -> io::Result<()> {
        temporary.persist(target, replace)
    }

    /// A second name for a file.
    fn link(&self, file: &Path, name: &Path) -> io::Result<()> {
        std::fs::hard_link(file, name)
    }

    fn rename(&self, file: &Path, name: &Path) -> io::Result<()> {
        std::fs::rename(file, name)
    }

    fn remove(&self, file: &Path) -> io::Result<()> {
        std::fs::remove_file(file)
    }
}

/// That of this machine.
struct Machine;

impl FileSystem for Machine {}

/// Moves all outputs to their places, or none: where one cannot be moved, those moved before are taken back and what
/// stood there before is put in its place again. What goes to standard output goes last, as it cannot be taken back.
///
/// # Errors
/// [`FormatError::Write`], or [`FormatError::OutputExists`] where something appeared in a place meanwhile;
/// [`FormatError::NotTakenBack`] where what stood there before could not be put back either: it says under which name it is.
pub fn publish(outputs: Vec<PendingOutput>) -> Result<(), FormatError> {
    publish_on(&Machine, outputs)
}

fn publish_on(files: &dyn FileSystem, outputs: Vec<PendingOutput>) -> Result<(), FormatError> {
    let (standard, outputs): (Vec<_>, Vec<_>) = outputs.into_iter().partition(PendingOutput::is_standard);
    // The moves end before the way does: they are taken back while nobody may interrupt.
    let way = moving();
    let folders = locked_folders(&outputs);
    let mut moves = Moves { files, done: Vec::new() };
    if let Err(e) = moves.all(outputs) {
        return Err(moves.take_back(e));
    }
    // Whoever reads standard output may wait as long as they like.
    drop(folders);
    drop(way);
    let printed = standard.iter().try_for_each(|output| print(&output.temporary));
    let _way = moving();
    match printed {
        Ok(()) => moves.keep(),
        Err(e) => return Err(moves.take_back(e)),
    }
    Ok(())
}

/// The folders of outputs, locked until all of them are in their places, so that the parts of two runs with one target do
/// not mix. File systems without locks do without.
fn locked_folders(outputs: &[PendingOutput]) -> Vec<File> {
    let folder = |o: &PendingOutput| folder_of(&o.target).canonicalize().ok();
    // In one order, so that no two runs wait for each other.
    let folders: BTreeSet<PathBuf> = outputs.iter().filter_map(folder).collect();
    folders.iter().filter_map(|f| File::open(f).ok().filter(|f| f.lock().is_ok())).collect()
}

fn folder_of(target: &Path) -> &Path {
    target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

fn print(file: &Path) -> Result<(), FormatError> {
    let failed = |e: io::Error| FormatError::Standard { source: e };
    let mut file = File::open(file).map_err(failed)?;
    let mut out = io::stdout().lock();
    io::copy(&mut file, &mut out).map_err(failed)?;
    io::Write::flush(&mut out).map_err(failed)
}

/// Moves that are undone, the last first, unless they are kept.
struct Moves<'a> {
    files: &'a dyn FileSystem,
    done: Vec<Move>,
}

enum Move {
    /// A file stands in a place that was empty.
    Placed(PathBuf),
    /// What stood in a place waits under another name.
    PutAway { place: PathBuf, waits: PathBuf },
}

impl Moves<'_> {
    fn all(&mut self, outputs: Vec<PendingOutput>) -> Result<(), FormatError> {
        for PendingOutput { target, temporary, overwrite, companions, stale } in outputs {
            for (temporary, target) in companions {
                self.take_place(temporary, target, overwrite)?;
            }
            self.take_place(temporary, target, overwrite)?;
            for file in stale.into_iter().filter(|f| f.exists()) {
                self.put_away(&file)?;
            }
        }
        Ok(())
    }

    fn take_place(&mut self, temporary: TemporaryFile, target: PathBuf, overwrite: bool) -> Result<(), FormatError> {
        let replaces = overwrite && target.exists();
        if replaces {
            self.remember(&target)?;
        }
        self.files.place(temporary, &target, overwrite).map_err(|e| {
            if e.kind() == io::ErrorKind::AlreadyExists {
                FormatError::OutputExists { path: target.clone() }
            } else {
                FormatError::write(&target, e)
            }
        })?;
        // What is remembered comes back over it.
        if !replaces {
            self.done.push(Move::Placed(target));
        }
        Ok(())
    }

    /// A second name for what stands in a place, so that the place is never empty while it is replaced. File systems
    /// without second names have it moved away.
    fn remember(&mut self, place: &Path) -> Result<(), FormatError> {
        let waits = free_name_beside(place)?;
        if self.files.link(place, &waits).is_err() {
            return self.put_away(place);
        }
        self.done.push(Move::PutAway { place: place.to_path_buf(), waits });
        Ok(())
    }

    fn put_away(&mut self, place: &Path) -> Result<(), FormatError> {
        let waits = free_name_beside(place)?;
        self.files.rename(place, &waits).map_err(|e| FormatError::write(place, e))?;
        self.done.push(Move::PutAway { place: place.to_path_buf(), waits });
        Ok(())
    }

    fn keep(mut self) {
        for done in self.done.drain(..) {
            if let Move::PutAway { waits, .. } = done {
                let _ = self.files.remove(&waits);
            }
        }
    }

    /// Undoes what was done, the last first. Gives what could not be undone, in words.
    fn undo(&mut self) -> Vec<String> {
        let mut left = Vec::new();
        for done in self.done.drain(..).rev() {
            match done {
                Move::Placed(place) => {
                    if self.files.remove(&place).is_err() {
                        left.push(format!("{} is new and could not be removed", place.display()));
                    }
                }
                Move::PutAway { place, waits } => {
                    let renamed = self.files.rename(&waits, &place);
                    // Two names of one file stay two: nothing had come in its place yet.
                    let is_back = renamed.is_ok() && (!waits.exists() || self.files.remove(&waits).is_ok());
                    if !is_back {
                        let (waits, place) = (waits.display(), place.display());
                        left.push(format!("what {place} was before is kept as {waits}: give it that name again"));
                    }
                }
            }
        }
        left
    }

    /// Undoes what was done, for a failure: that, with what could not be undone.
    fn take_back(mut self, failure: FormatError) -> FormatError {
        let left = self.undo();
        if left.is_empty() {
            return failure;
        }
        let failure = match failure {
            FormatError::Write { path, problem } => format!("{}: cannot be written: {problem}", path.display()),
            other => other.to_string(),
        };
        FormatError::NotTakenBack { failure, left: left.join("; ") }
    }
}

/// A panic on the way takes back what was moved, too.
impl Drop for Moves<'_> {
    fn drop(&mut self) {
        self.undo();
    }
}

/// A name in the folder of an output that nothing has, for what stood in its place. It is no temporary file: where it could
/// not be put back, it stays until a person does so.
fn free_name_beside(target: &Path) -> Result<PathBuf, FormatError> {
    let free = temporary_beside(target, folder_of(target))?;
    Ok(free.with_extension("earlier"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::Cell;

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

    /// Fails at one call, or from one call on; once something failed, what moves back works again or not.
    struct Failing {
        calls: Cell<usize>,
        at: usize,
        for_good: bool,
    }

    impl Failing {
        fn call(&self) -> io::Result<()> {
            let n = self.calls.replace(self.calls.get() + 1);
            let fails = if self.for_good { n >= self.at } else { n == self.at };
            if fails { Err(io::Error::other("told to fail")) } else { Ok(()) }
        }
    }

    impl FileSystem for Failing {
        fn place(&self, temporary: TemporaryFile, target: &Path, replace: bool) -> io::Result<()> {
            self.call()?;
            Machine.place(temporary, target, replace)
        }

        fn link(&self, file: &Path, name: &Path) -> io::Result<()> {
            self.call()?;
            Machine.link(file, name)
        }

        fn rename(&self, file: &Path, name: &Path) -> io::Result<()> {
            self.call()?;
            Machine.rename(file, name)
        }

        fn remove(&self, file: &Path) -> io::Result<()> {
            self.call()?;
            Machine.remove(file)
        }
    }

    /// The files of a folder with what is in them, in order.
    fn contents(folder: &Path) -> Vec<(String, String)> {
        let mut all: Vec<_> = std::fs::read_dir(folder)
            .unwrap()
            .map(|e| e.unwrap().path())
            .map(|p| (p.file_name().unwrap().display().to_string(), std::fs::read_to_string(p).unwrap()))
            .collect();
        all.sort();
        all
    }

    /// Old layers, and new ones ready to be moved: one with companions over an old one with a stale part, one over an old
    /// file, one in an empty place.
    fn prepared(folder: &Path) -> (Vec<(String, String)>, Vec<PendingOutput>) {
        for name in ["a.shp", "a.dbf", "a.cpg", "b.csv"] {
            std::fs::write(folder.join(name), format!("old {name}")).unwrap();
        }
        let before = contents(folder);
        let mut shapes = PendingOutput::new(&folder.join("a.shp"), true).unwrap();
        std::fs::write(shapes.path(), "new a.shp").unwrap();
        std::fs::write(shapes.companion("dbf").unwrap(), "new a.dbf").unwrap();
        std::fs::write(shapes.companion("prj").unwrap(), "new a.prj").unwrap();
        shapes.stale(&["cpg"]);
        let mut outputs = vec![shapes];
        for name in ["b.csv", "c.csv"] {
            let output = PendingOutput::new(&folder.join(name), true).unwrap();
            std::fs::write(output.path(), format!("new {name}")).unwrap();
            outputs.push(output);
        }
        (before, outputs)
    }

    /// Whatever call fails: all old files or all new ones.
    #[test]
    fn each_call_may_fail() {
        let (mut failed, mut at) = (0, 0);
        loop {
            let folder = tempfile::tempdir().unwrap();
            let (before, outputs) = prepared(folder.path());
            let files = Failing { calls: Cell::new(0), at, for_good: false };
            let outcome = publish_on(&files, outputs);
            let after = contents(folder.path());
            match outcome {
                Err(e) => {
                    assert_eq!(after, before, "call {at}: {e}");
                    assert!(e.to_string().contains("told to fail"), "{e}");
                    failed += 1;
                }
                Ok(()) => {
                    let is_new = |(name, text): &(String, String)| *text == format!("new {name}");
                    let remains = after.iter().filter(|f| !is_new(f)).count();
                    // A name that waits and cannot be removed is all that may be left of what was.
                    assert_eq!(after.len() - remains, 5, "call {at}: {after:?}");
                    assert!(remains <= usize::from(at < files.calls.get()), "call {at}: {after:?}");
                }
            }
            if at >= files.calls.get() {
                break;
            }
            at += 1;
        }
        // Three second names, six moves, of which a second name that fails is a move instead.
        assert!(failed >= 6, "{failed}");
    }

    /// Where nothing works any more, what was there before is whole, in its place or where the error says.
    #[test]
    fn nothing_is_lost_where_nothing_works_any_more() {
        for at in 0.. {
            let folder = tempfile::tempdir().unwrap();
            let (before, outputs) = prepared(folder.path());
            let files = Failing { calls: Cell::new(0), at, for_good: true };
            let outcome = publish_on(&files, outputs);
            let after = contents(folder.path());
            let Err(e) = outcome else {
                assert!(at > 6, "{at}");
                break;
            };
            let words = e.to_string();
            for (name, text) in &before {
                let is_there = after.contains(&(name.clone(), text.clone()));
                let waits = after.iter().find(|(other, content)| content == text && other != name);
                let is_told = waits.is_some_and(|(other, _)| words.contains(other.as_str()));
                assert!(is_there || is_told, "call {at}, {name}: {words}\n{after:?}");
            }
            for (name, _) in after.iter().filter(|(_, text)| text.starts_with("new")) {
                assert!(words.contains(name.as_str()), "call {at}, {name} is new: {words}");
            }
        }
    }
}
