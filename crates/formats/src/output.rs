//! Outputs that appear whole or not at all.

use crate::{FormatError, is_standard};
use std::path::{Path, PathBuf};

/// A file that is written beside its final place and moved there when it is complete. Dropped before that, it
/// is removed.
#[derive(Debug)]
pub struct PendingOutput {
    target: PathBuf,
    temporary: tempfile::TempPath,
    overwrite: bool,
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
            let temporary = tempfile::NamedTempFile::new()
                .map_err(|e| FormatError::write(&std::env::temp_dir(), e))?
                .into_temp_path();
            return Ok(PendingOutput { target: target.to_path_buf(), temporary, overwrite });
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
        let mut builder = tempfile::Builder::new();
        builder.prefix(".basilocus-").suffix(".partial");
        #[cfg(unix)]
        {
            // As any new file: what the user's umask leaves of rw-rw-rw-.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let temporary = builder.tempfile_in(folder).map_err(|e| FormatError::write(target, e))?.into_temp_path();
        Ok(PendingOutput { target: target.to_path_buf(), temporary, overwrite })
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
        let PendingOutput { target, temporary, overwrite } = self;
        if is_standard(&target) {
            let failed = |e: std::io::Error| FormatError::Standard { source: e };
            let mut file = std::fs::File::open(&temporary).map_err(failed)?;
            let mut out = std::io::stdout().lock();
            std::io::copy(&mut file, &mut out).map_err(failed)?;
            return std::io::Write::flush(&mut out).map_err(failed);
        }
        let done = if overwrite {
            temporary.persist(&target).map_err(|e| e.error)
        } else {
            temporary.persist_noclobber(&target).map_err(|e| e.error)
        };
        done.map_err(|e| {
            if e.kind() == std::io::ErrorKind::AlreadyExists {
                FormatError::OutputExists { path: target.clone() }
            } else {
                FormatError::write(&target, e)
            }
        })
    }
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
