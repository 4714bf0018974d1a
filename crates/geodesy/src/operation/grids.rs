//! Where grid files come from. This crate reads no files: whoever uses it hands them in.

use crate::datum::{GeoidGrid, GridShift};
use std::sync::Arc;

/// A store of grid files.
pub trait GridSource: Sync {
    /// The NTv2 grid of a file name; `None` where there is no such file.
    ///
    /// # Errors
    /// What is wrong with a file that is there.
    fn shift(&self, name: &str) -> Result<Option<Arc<GridShift>>, String>;

    /// The GTX grid of a file name; `None` where there is no such file.
    ///
    /// # Errors
    /// What is wrong with a file that is there.
    fn geoid(&self, name: &str) -> Result<Option<Arc<GeoidGrid>>, String>;

    /// Whether there is such a file, without reading it.
    fn has(&self, name: &str) -> bool;

    /// Where files are looked for, to follow "was not found".
    fn place(&self) -> String;
}

/// No grids.
impl GridSource for () {
    fn shift(&self, _: &str) -> Result<Option<Arc<GridShift>>, String> {
        Ok(None)
    }

    fn geoid(&self, _: &str) -> Result<Option<Arc<GeoidGrid>>, String> {
        Ok(None)
    }

    fn has(&self, _: &str) -> bool {
        false
    }

    fn place(&self) -> String {
        "(no folder of grid files was said)".into()
    }
}
