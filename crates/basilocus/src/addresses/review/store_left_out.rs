//! The file of answers in a build without the feature `reviews`: none can be opened.

use super::{Known, StoredAnswer};
use crate::Error;
use basilocus_formats::FormatError;
use std::path::Path;

/// The answers that a file keeps, by address: not in this build.
///
/// # Errors
/// Always.
pub fn answers_of(path: &Path) -> Result<Vec<StoredAnswer>, Error> {
    Store::open(path).map(|store| match store.0 {})
}

/// Nothing is one.
enum Never {}

/// An open file, of which there is none.
pub(crate) struct Store(Never);

impl Store {
    pub(crate) fn open(path: &Path) -> Result<Self, Error> {
        let path = path.to_path_buf();
        Err(FormatError::LeftOut { path, what: "reviews of addresses", feature: "reviews" }.into())
    }

    pub(crate) fn path(&self) -> &Path {
        match self.0 {}
    }

    pub(crate) fn answer(&self, _: &str) -> Result<Option<(Known, String)>, Error> {
        match self.0 {}
    }

    pub(crate) fn count(&self) -> Result<u64, Error> {
        match self.0 {}
    }

    pub(crate) fn keep(&self, _: &[(String, String, Known)], _: &str) -> Result<(), Error> {
        match self.0 {}
    }

    pub(crate) fn start_run(&self, _: &str) -> Result<(), Error> {
        match self.0 {}
    }

    pub(crate) fn add_found(&self, _: &[(String, Known)]) -> Result<(), Error> {
        match self.0 {}
    }

    pub(crate) fn end_run(&self) -> Result<(), Error> {
        match self.0 {}
    }

    pub(crate) fn is_of(&self, _: &str) -> Result<bool, Error> {
        match self.0 {}
    }

    pub(crate) fn found(&self, _: &str) -> Result<Option<Known>, Error> {
        match self.0 {}
    }
}
