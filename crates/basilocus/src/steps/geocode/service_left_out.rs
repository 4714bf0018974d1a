//! Services in a build without the feature `services`: none is asked.

use super::service_plan::ServicePlan;
use super::work::Found;
use crate::Error;
use crate::engine::Settling;
use basilocus_address::{AddressInput, MatchOptions, Reference};
use std::path::{Path, PathBuf};

/// The file that would keep answers.
pub(in crate::steps) fn beside(output: &Path) -> PathBuf {
    output.to_path_buf()
}

/// A service, of which there is none.
pub(super) enum Service {}

impl Service {
    pub(super) fn new(
        _: &ServicePlan,
        _: &MatchOptions,
        _: PathBuf,
        _: &str,
        _: Option<&'static str>,
    ) -> Result<Self, Error> {
        Err(Error::Usage("`service`: this build asks no services; build it with the feature services".into()))
    }

    pub(super) fn identity(&self) -> &str {
        match *self {}
    }

    pub(super) fn is_open(&self) -> bool {
        match *self {}
    }

    pub(super) fn is_wanted_for(_: &Found) -> bool {
        false
    }

    pub(super) fn take(&self, _: &str, _: &AddressInput) {
        match *self {}
    }

    pub(super) fn ask(&mut self, _: &Settling) -> Result<Vec<String>, Error> {
        match *self {}
    }

    pub(super) fn better(
        &self,
        _: Found,
        _: &str,
        _: &AddressInput,
        _: &dyn Fn(&[Reference], &MatchOptions) -> Found,
    ) -> Found {
        match *self {}
    }

    pub(super) fn score(&self, _: f64, _: f64) -> Option<&str> {
        match *self {}
    }
}
