//! Outputs that appear whole or not at all.

use crate::publish::publish;
use crate::temporary::TemporaryFile;
use crate::{FormatError, is_standard};
use std::path::{Path, PathBuf};

/// A file that is written beside its final place and moved there when it is complete. Dropped before that, it
/// is removed.
#[derive(Debug)]
pub struct PendingOutput {
    pub(crate) target: PathBuf,
    pub(crate) temporary: TemporaryFile,
    pub(crate) overwrite: bool,
    /// Files that belong to it, beside it under other endings.
    pub(crate) companions: Vec<(TemporaryFile, PathBuf)>,
    /// Files that are no longer true once it is replaced.
    pub(crate) stale: Vec<PathBuf>,
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

    pub(crate) fn is_standard(&self) -> bool {
        is_standard(&self.target)
    }
}

/// A temporary file in the folder of an output.
pub(crate) fn temporary_beside(target: &Path, folder: &Path) -> Result<TemporaryFile, FormatError> {
    TemporaryFile::in_folder(folder).map_err(|e| FormatError::write(target, e))
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
}
