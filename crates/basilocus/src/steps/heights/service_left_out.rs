//! Heights of services in a build without the feature `services`: none is asked.

use crate::Error;
use crate::engine::{Setting, Settling};
use std::path::Path;

/// Whether a path is the address of a service: in this build none is, and a grid is looked for there.
pub(super) fn is_service(_: &Path) -> bool {
    false
}

/// A service of heights, of which there is none.
pub(super) enum ServiceHeights {}

impl ServiceHeights {
    pub(super) fn open(_: &Path, _: &Setting) -> Result<(Self, Option<String>), Error> {
        Err(Error::Usage("`heights`: this build asks no services; build it with the feature services".into()))
    }

    pub(super) fn is_open(&self) -> bool {
        match *self {}
    }

    pub(super) fn take(&self, _: &[f64], _: &[f64]) {
        match *self {}
    }

    pub(super) fn height_at(&self, _: f64, _: f64) -> f64 {
        match *self {}
    }

    pub(super) fn ask(&mut self, _: &Settling) -> Result<Vec<String>, Error> {
        match *self {}
    }
}
