//! The file of kept rows in a build without the feature `reviews`: none can be opened.

use crate::Error;
use basilocus_formats::FormatError;
use serde_json::{Map, Value};
use std::path::Path;

/// A row that is kept.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct KeptRow {
    pub key: String,
    pub number: u64,
    pub cells: Map<String, Value>,
}

/// An open file, of which there is none.
pub(super) enum KeptFile {}

impl KeptFile {
    pub(super) fn open(path: &Path) -> Result<Self, Error> {
        let path = path.to_path_buf();
        Err(FormatError::LeftOut { path, what: "rows kept by a key", feature: "reviews" }.into())
    }

    pub(super) fn path(&self) -> &Path {
        match *self {}
    }

    pub(super) fn rows(&self, _: &str) -> Result<Vec<KeptRow>, Error> {
        match *self {}
    }

    pub(super) fn keep(&mut self, _: &[KeptRow], _: &str, _: &str) -> Result<(), Error> {
        match *self {}
    }
}
