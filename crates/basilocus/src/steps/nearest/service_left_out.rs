//! Services in a build without the feature `services`: none is asked.

use crate::Error;
use crate::engine::Settling;
use crate::steps::geocode::service_plan::ServicePlan;
use basilocus_address::nearest::Nearest;
use std::path::PathBuf;

/// A service, of which there is none.
pub(super) enum Service {}

impl Service {
    pub(super) fn new(_: &ServicePlan, _: PathBuf, _: &str) -> Result<Self, Error> {
        Err(Error::Usage("`service`: this build asks no services; build it with the feature services".into()))
    }

    pub(super) fn is_open(&self) -> bool {
        match *self {}
    }

    pub(super) fn take(&self, _: f64, _: f64) {
        match *self {}
    }

    pub(super) fn ask(&mut self, _: &Settling) -> Result<Vec<String>, Error> {
        match *self {}
    }

    pub(super) fn nearest(&self, _: f64, _: f64, _: f64) -> Option<Nearest> {
        match *self {}
    }
}
