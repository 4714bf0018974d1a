//! Heights that are asked of a service, by OGC API - Environmental Data Retrieval, before the first row gets its own.

use crate::Error;
use crate::addresses::review::asked::{Asked, account_in_words, beside};
use crate::engine::{Setting, Settling};
use basilocus_formats::raster::RasterFormat;
use basilocus_formats::{Format, is_address};
use basilocus_services::asking::{Patient, RealTime};
use basilocus_services::heights::{HeightCollection, Spot};
use basilocus_services::patience::Patience;
use basilocus_services::{Account, Asking, Manner, Protocol, ServiceError, Web};
use basilocus_table::counted::counted;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

const LONGEST: Duration = Duration::from_secs(60);
const MOST_BYTES: u64 = 32 << 20;

/// Whether a path is the address of a service and not that of a grid, or of a layer with heights.
pub(super) fn is_service(path: &Path) -> bool {
    let name = path.to_string_lossy();
    let name = name.split(['?', '#']).next().unwrap_or_default().to_ascii_lowercase();
    let name = [".gz", ".zip"].iter().find_map(|e| name.strip_suffix(e)).unwrap_or(&name);
    let name = Path::new(name);
    is_address(path) && RasterFormat::of_ending(name).is_none() && Format::of_ending(name).is_none()
}

/// A service of heights, what is asked of it, and what it answered.
pub(super) struct ServiceHeights {
    address: String,
    collection: HeightCollection,
    file: PathBuf,
    day: String,
    /// What is to be asked, by its key.
    spots: Mutex<HashMap<String, Spot>>,
    heights: HashMap<String, Option<f64>>,
    is_open: bool,
}

fn key(x: f64, y: f64) -> Option<(String, Spot)> {
    let is_on_earth = x.abs() <= 180.0 && y.abs() <= 90.0;
    is_on_earth.then(|| {
        let spot = Spot::at(x, y);
        (spot.to_string(), spot)
    })
}

impl ServiceHeights {
    /// Finds the collection of heights at an address. Gives the unit that it says.
    ///
    /// # Errors
    /// [`Error::Service`] where there is none, or where it cannot be reached.
    pub(super) fn open(path: &Path, setting: &Setting) -> Result<(Self, Option<String>), Error> {
        let address = path.to_string_lossy().into_owned();
        let failed = |e: ServiceError| Error::Service(e.to_string());
        let web = Web::new(&address, None, LONGEST, MOST_BYTES).map_err(failed)?;
        let clock = RealTime::default();
        let patience = Patience::default();
        let patient = Patient { transport: &web, clock: &clock, patience: &patience, is_cancelled: &|| false };
        let collection = HeightCollection::find(&address, &patient).map_err(failed)?;
        let output = setting.beside.ok_or_else(|| {
            Error::Usage("heights of a service are kept beside the output, and there is none; name one".into())
        })?;
        let unit = collection.unit().map(String::from);
        let heights = ServiceHeights {
            address,
            collection,
            file: beside(output),
            day: setting.day.to_string(),
            spots: Mutex::default(),
            heights: HashMap::new(),
            is_open: true,
        };
        Ok((heights, unit))
    }

    pub(super) fn is_open(&self) -> bool {
        self.is_open
    }

    /// Takes positions in WGS 84 that are to be asked for.
    pub(super) fn take(&self, x: &[f64], y: &[f64]) {
        let mut spots = self.spots.lock().unwrap_or_else(PoisonError::into_inner);
        spots.extend(x.iter().zip(y).filter_map(|(x, y)| key(*x, *y)));
    }

    /// The height at a position in WGS 84; NaN where the service has none, or was not asked yet.
    pub(super) fn height_at(&self, x: f64, y: f64) -> f64 {
        key(x, y).and_then(|(key, _)| *self.heights.get(&key)?).unwrap_or(f64::NAN)
    }

    /// Asks what is not kept from before. Gives what to tell.
    ///
    /// # Errors
    /// Where the service cannot be asked for all: heights by halves would look whole.
    pub(super) fn ask(&mut self, setting: &Settling) -> Result<Vec<String>, Error> {
        self.is_open = false;
        let spots = std::mem::take(self.spots.get_mut().unwrap_or_else(PoisonError::into_inner));
        let mut asked_file = Asked::open(&self.file, &self.address)?;
        let mut open: Vec<(String, Spot)> = Vec::new();
        for (key, spot) in spots {
            match asked_file.answer(&key, None)? {
                Some(text) => {
                    let height = serde_json::from_str(&text)
                        .map_err(|e| asked_file.failed(format!("an answer is damaged: {e}")))?;
                    self.heights.insert(key, height);
                }
                None => open.push((key, spot)),
            }
        }
        let from_before = self.heights.len();
        // One order, so that requests are the same each time.
        open.sort_by(|a, b| a.0.cmp(&b.0));
        let account =
            if open.is_empty() { Account::default() } else { self.ask_open(&open, &mut asked_file, setting)? };
        if let Some(stop) = &account.stop {
            let left = open.len() as u64 - account.answered - account.refused;
            return Err(Error::Service(format!(
                "{}: {stop}; {left} of {} positions are left, the others are kept in {}: run the same command again; nothing was written",
                self.address,
                open.len() + from_before,
                asked_file.path().display()
            )));
        }
        let asked = counted(open.len() as u64, "position");
        let of = format!("{} by {}", self.address, self.collection.name());
        let words = account_in_words(&asked, &of, &account, from_before, asked_file.path());
        Ok(vec![words])
    }

    fn ask_open(
        &mut self,
        open: &[(String, Spot)],
        asked_file: &mut Asked,
        setting: &Settling,
    ) -> Result<Account, Error> {
        let failed = |e: ServiceError| Error::Service(e.to_string());
        let web = Web::new(&self.address, None, LONGEST, MOST_BYTES).map_err(failed)?;
        let (clock, manner) = (RealTime::default(), Manner { batch: usize::MAX, ..Default::default() });
        let is_cancelled = || setting.cancel.is_cancelled();
        let asking = Asking {
            protocol: &self.collection as &dyn Protocol<Spot, Option<f64>>,
            transport: &web,
            clock: &clock,
            manner: &manner,
            is_cancelled: &is_cancelled,
        };
        let kept = (self.day.as_str(), self.heights.len());
        let heights = &mut self.heights;
        asked_file.ask(&asking, open, &Spot::to_string, kept, setting, &mut |at, outcome| {
            heights.extend(outcome.ok().map(|height| (open[at].0.clone(), height)));
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn services_are_told_from_grids_on_the_web() {
        for (address, expected) in [
            ("https://tern.example/edr/collections/ground", true),
            ("https://tern.example/edr", true),
            ("https://tern.example/ground.tif", false),
            ("https://tern.example/ground.asc.gz?v=2", false),
            ("https://tern.example/survey.gpkg", false),
            ("ground", false),
        ] {
            assert_eq!(is_service(Path::new(address)), expected, "{address}");
        }
    }
}
