//! Addresses near positions that are asked of a service, for those that no reference has an address near.

use crate::Error;
use crate::addresses::review::asked::{Asked, account_in_words};
use crate::engine::Settling;
use crate::steps::geocode::service::entries::order;
use crate::steps::geocode::service::{Contact, levels};
use crate::steps::geocode::service_plan::ServicePlan;
use basilocus_address::Level;
use basilocus_address::nearest::{Nearest, metres};
use basilocus_services::asking::{Patient, RealTime};
use basilocus_services::heights::Spot;
use basilocus_services::{Account, Answer, Asking, AxisOrder, Place, Question, ServiceError, Stop, protocol};
use basilocus_table::counted::counted;
use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};

/// A service, what is asked of it, and what it answered.
pub(super) struct Service {
    contact: Contact,
    file: PathBuf,
    day: String,
    is_partial: bool,
    /// What is to be asked, by its key.
    spots: Mutex<BTreeMap<String, Spot>>,
    answers: HashMap<String, Answer>,
    /// The order of numbers where the service does not say it.
    order: Option<AxisOrder>,
    is_open: bool,
}

fn key(lon: f64, lat: f64) -> (String, Spot) {
    let spot = Spot::at(lon, lat);
    (format!("near {spot}"), spot)
}

impl Service {
    /// As a plan says it. Nothing is sent yet.
    ///
    /// # Errors
    /// [`Error::Usage`] for what contradicts itself or is no service of this kind.
    pub(super) fn new(plan: &ServicePlan, file: PathBuf, day: &str) -> Result<Self, Error> {
        let contact = Contact::of(plan, day)?;
        if contact.described.is_some() {
            return Err(Error::Usage(
                "`service` is a file that describes how addresses are asked for; addresses of positions are asked for by openls or processes, at an address on the web".into(),
            ));
        }
        Ok(Service {
            contact,
            file,
            day: day.to_string(),
            is_partial: plan.partial,
            spots: Mutex::default(),
            answers: HashMap::new(),
            order: None,
            is_open: true,
        })
    }

    pub(super) fn is_open(&self) -> bool {
        self.is_open
    }

    /// Takes a position in WGS 84 that is to be asked for.
    pub(super) fn take(&self, lon: f64, lat: f64) {
        if lon.abs() <= 180.0 && lat.abs() <= 90.0 {
            let (key, spot) = key(lon, lat);
            self.spots.lock().unwrap_or_else(PoisonError::into_inner).insert(key, spot);
        }
    }

    /// Asks what is not kept from before. Gives what to tell.
    ///
    /// # Errors
    /// Where the service cannot be asked, and where not all was asked and nobody said that this will do.
    pub(super) fn ask(&mut self, setting: &Settling) -> Result<Vec<String>, Error> {
        self.is_open = false;
        let spots = std::mem::take(self.spots.get_mut().unwrap_or_else(PoisonError::into_inner));
        let mut kept = Asked::open(&self.file, &self.contact.address)?;
        let all = spots.len();
        let mut open: Vec<(String, Spot)> = Vec::new();
        for (key, spot) in spots {
            match kept.answer(&key, self.contact.since.as_deref())? {
                Some(text) => {
                    let answer =
                        serde_json::from_str(&text).map_err(|e| kept.failed(format!("an answer is damaged: {e}")))?;
                    self.answers.insert(key, answer);
                }
                None => open.push((key, spot)),
            }
        }
        let from_before = self.answers.len();
        let (account, by) = if open.is_empty() {
            (Account::default(), String::new())
        } else {
            self.ask_open(&open, &mut kept, setting)?
        };
        let mut told = Vec::new();
        if let Some(stop) = &account.stop {
            let left = all - self.answers.len() - account.refused as usize;
            if !self.is_partial {
                return Err(Error::Service(format!(
                    "{}: {stop}; {left} of {} are left, the others are kept in {}: run the same command again, or say `partial` to write what there is; nothing was written",
                    self.contact.address,
                    counted(all as u64, "position"),
                    kept.path().display()
                )));
            }
            told.push(format!(
                "{} not asked of the service ({stop}): no address stands beside them",
                were(left as u64)
            ));
        }
        self.order = order(self.contact.said_order, self.answers.values().flat_map(|a| &a.places))?;
        let of = format!("{}{by}", self.contact.address);
        told.insert(
            0,
            account_in_words(&were(account.answered + account.refused), &of, &account, from_before, kept.path()),
        );
        Ok(told)
    }

    /// Asks what is not kept. Gives the account, and how the service was spoken to.
    fn ask_open(
        &mut self,
        open: &[(String, Spot)],
        kept: &mut Asked,
        setting: &Settling,
    ) -> Result<(Account, String), Error> {
        let manner = &self.contact.manner;
        if manner.quota == Some(0) {
            return Ok((Account { stop: Some(Stop::Quota(0)), ..Default::default() }, String::new()));
        }
        let failed = |e: ServiceError| Error::Service(e.to_string());
        let web = self.contact.web().map_err(failed)?;
        let clock = RealTime::default();
        let is_cancelled = || setting.cancel.is_cancelled();
        let patient =
            Patient { transport: &web, clock: &clock, patience: &manner.patience, is_cancelled: &is_cancelled };
        let protocol = protocol::find_reverse(&self.contact.address, self.contact.kind, &patient).map_err(failed)?;
        let asking =
            Asking { protocol: protocol.as_ref(), transport: &web, clock: &clock, manner, is_cancelled: &is_cancelled };
        let before = (self.day.as_str(), self.answers.len());
        let answers = &mut self.answers;
        let account = kept.ask(&asking, open, &Spot::to_string, before, setting, &mut |at, outcome| {
            answers.extend(outcome.ok().map(|answer| (open[at].0.clone(), answer)));
        })?;
        Ok((account, format!(" by {}", protocol.name())))
    }

    /// The nearest address that was answered for a position in WGS 84, no farther than `most_m` metres: the distance is
    /// measured to the position of the answer, whatever the service says.
    pub(super) fn nearest(&self, lon: f64, lat: f64, most_m: f64) -> Option<Nearest> {
        let answer = self.answers.get(&key(lon, lat).0)?;
        let found = answer.places.iter().filter_map(|p| self.found(p, lon, lat));
        found.filter(|n| n.distance_m <= most_m).min_by(|a, b| a.distance_m.total_cmp(&b.distance_m))
    }

    fn found(&self, place: &Place, lon: f64, lat: f64) -> Option<Nearest> {
        let [a, b] = place.position;
        let (x, y) = match place.order.or(self.order)? {
            AxisOrder::LonLat => (a, b),
            AxisOrder::LatLon => (b, a),
        };
        if !(x.abs() <= 180.0 && y.abs() <= 90.0) || (x, y) == (0.0, 0.0) {
            return None;
        }
        let of_parts = levels::of_parts(place);
        let level = levels::of_word(&place.level).or(of_parts).unwrap_or(Level::Street);
        let (locality, region, postcode) = (place.locality.clone(), place.region.clone(), place.postcode.clone());
        let line = Question {
            address: place.address.clone(),
            number: place.number.clone(),
            street: place.street.clone(),
            unit: place.unit.clone(),
            locality: place.locality.clone(),
            region: place.region.clone(),
            postcode: place.postcode.clone(),
            country: String::new(),
        };
        let address = line.line();
        if address.is_empty() {
            return None;
        }
        let distance_m = metres((lon, lat), (x, y));
        Some(Nearest { address, level, distance_m, side: None, lon: x, lat: y, locality, region, postcode })
    }
}

fn were(n: u64) -> String {
    format!("{} {}", counted(n, "position"), if n == 1 { "was" } else { "were" })
}
