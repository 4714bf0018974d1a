//! Every temporary file and folder of this process, so that one that has to stop at once takes them along, and remains of
//! processes that were killed do not pile up.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// What names of temporary files and folders begin with.
const PREFIX: &str = "basilocus-";
/// What names of outputs in the making end in.
const SUFFIX: &str = ".partial";
/// Remains of which nothing was touched for so long belong to a process that is gone.
const REMAINS: Duration = Duration::from_secs(2 * 24 * 3600);

static ALL: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());
static MOVING: Mutex<()> = Mutex::new(());
/// Folders that were looked through already.
static SWEPT: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

fn all() -> MutexGuard<'static, BTreeSet<PathBuf>> {
    ALL.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Held while outputs are moved to their places, which nothing interrupts.
pub(crate) fn moving() -> MutexGuard<'static, ()> {
    MOVING.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Removes every temporary file and folder of this process, for one that ends right after: outputs that are being moved to
/// their places get there first, and nothing is made or moved afterwards.
pub fn remove_temporary_files() {
    // Never given back: whoever wants to move outputs or to make a file now waits until the process is gone.
    std::mem::forget(moving());
    let mut paths = all();
    for path in std::mem::take(&mut *paths) {
        let _ = if path.is_dir() { std::fs::remove_dir_all(&path) } else { std::fs::remove_file(&path) };
    }
    std::mem::forget(paths);
}

/// A temporary path of this process, for [`remove_temporary_files`].
#[derive(Debug)]
struct Kept(PathBuf);

impl Kept {
    /// Makes something temporary, which nobody can miss from then on.
    fn made<T>(make: impl FnOnce() -> std::io::Result<T>, path: impl Fn(&T) -> &Path) -> std::io::Result<(T, Kept)> {
        let mut paths = all();
        let made = make()?;
        let kept = Kept(path(&made).to_path_buf());
        paths.insert(kept.0.clone());
        Ok((made, kept))
    }
}

impl Drop for Kept {
    fn drop(&mut self) {
        all().remove(&self.0);
    }
}

/// A temporary file, removed when this is dropped.
#[derive(Debug)]
pub(crate) struct TemporaryFile {
    path: tempfile::TempPath,
    _kept: Kept,
}

impl TemporaryFile {
    fn made(make: impl FnOnce() -> std::io::Result<tempfile::NamedTempFile>) -> std::io::Result<Self> {
        let (path, kept) = Kept::made(|| Ok(make()?.into_temp_path()), |path| path)?;
        Ok(TemporaryFile { path, _kept: kept })
    }

    /// One in the folder of temporary files.
    pub(crate) fn new() -> std::io::Result<Self> {
        Self::made(|| tempfile::Builder::new().prefix(PREFIX).tempfile())
    }

    /// One in a folder, for an output that will stand there.
    pub(crate) fn in_folder(folder: &Path) -> std::io::Result<Self> {
        let mut builder = tempfile::Builder::new();
        let prefix = format!(".{PREFIX}");
        builder.prefix(&prefix).suffix(SUFFIX);
        #[cfg(unix)]
        {
            // As any new file: what the user's umask leaves of rw-rw-rw-.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        sweep(folder, |name| name.starts_with(&prefix) && name.ends_with(SUFFIX));
        Self::made(|| builder.tempfile_in(folder))
    }

    /// Gives it another name, for good.
    pub(crate) fn persist(self, target: &Path, replace: bool) -> std::io::Result<()> {
        let done = if replace { self.path.persist(target) } else { self.path.persist_noclobber(target) };
        done.map_err(|e| e.error)
    }
}

impl std::ops::Deref for TemporaryFile {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.path
    }
}

/// A temporary folder that nobody else can look into; removed with all that is in it when this is dropped.
#[derive(Debug)]
pub(crate) struct TemporaryFolder {
    folder: tempfile::TempDir,
    _kept: Kept,
}

impl TemporaryFolder {
    pub(crate) fn new() -> std::io::Result<Self> {
        let mut builder = tempfile::Builder::new();
        builder.prefix(PREFIX);
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o700));
        }
        sweep(&std::env::temp_dir(), |name| name.starts_with(PREFIX));
        let (folder, kept) = Kept::made(|| builder.tempdir(), tempfile::TempDir::path)?;
        Ok(TemporaryFolder { folder, _kept: kept })
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }
}

/// Removes remains of processes that were killed: files and folders of ours that nobody has touched for two days.
fn sweep(folder: &Path, is_ours: impl Fn(&str) -> bool) {
    if !SWEPT.lock().unwrap_or_else(PoisonError::into_inner).insert(folder.to_path_buf()) {
        return;
    }
    let is_old = |path: &Path| {
        let touched = std::fs::symlink_metadata(path).and_then(|m| m.modified()).ok();
        touched.and_then(|t| t.elapsed().ok()).is_some_and(|age| age > REMAINS)
    };
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let path = entry.path();
        if !entry.file_name().to_str().is_some_and(&is_ours) || !is_old(&path) {
            continue;
        }
        match std::fs::read_dir(&path) {
            Ok(mut inside) => {
                if inside.all(|e| e.is_ok_and(|e| is_old(&e.path()))) {
                    let _ = std::fs::remove_dir_all(&path);
                }
            }
            Err(_) => {
                let _ = std::fs::remove_file(&path);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs::{File, FileTimes};
    use std::time::SystemTime;

    #[test]
    fn what_is_dropped_is_forgotten_and_gone() {
        let folder = tempfile::tempdir().unwrap();
        let file = TemporaryFile::in_folder(folder.path()).unwrap();
        let path = file.to_path_buf();
        assert!(path.is_file() && all().contains(&path));
        drop(file);
        assert!(!path.exists() && !all().contains(&path));
        let temporary = TemporaryFolder::new().unwrap();
        let path = temporary.path().to_path_buf();
        std::fs::write(path.join("a.csv"), "a").unwrap();
        assert!(all().contains(&path));
        drop(temporary);
        assert!(!path.exists() && !all().contains(&path));
    }

    #[test]
    fn old_remains_of_our_own_are_swept_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let old = SystemTime::now() - REMAINS - Duration::from_secs(60);
        for name in [".basilocus-abc.partial", ".basilocus-new.partial", ".basilocus-abc", "basilocus.csv"] {
            let file = File::create(at(name)).unwrap();
            if !name.contains("new") {
                file.set_times(FileTimes::new().set_modified(old)).unwrap();
            }
        }
        drop(TemporaryFile::in_folder(folder.path()).unwrap());
        let mut left: Vec<String> = std::fs::read_dir(folder.path())
            .unwrap()
            .map(|e| e.unwrap().file_name().to_string_lossy().into_owned())
            .collect();
        left.sort();
        assert_eq!(left, [".basilocus-abc", ".basilocus-new.partial", "basilocus.csv"]);
    }
}
