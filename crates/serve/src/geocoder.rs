//! The references that addresses are found in.

use crate::ServeError;
use basilocus::address::matching::find_in;
use basilocus::address::reference::WrittenAddress;
use basilocus::address::{AddressInput, Candidate, MatchOptions, Outcome, Reference, country};
use serde::Deserialize;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU64, Ordering};

/// Places that are given for an address at most, unless fewer are asked for.
const MOST: usize = 5;

/// An address as a request has it; what is not there is empty.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub(crate) struct AddressQuery {
    /// What the answer is to be found again by.
    pub id: Option<String>,
    /// A whole address in one text.
    pub address: String,
    pub number: String,
    pub street: String,
    pub unit: String,
    pub locality: String,
    pub region: String,
    pub postcode: String,
    pub country: String,
}

/// A place that an address may be.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct FoundPlace {
    pub candidate: Candidate,
    /// Its address in parts.
    pub parts: WrittenAddress,
    /// Code of the country.
    pub country: &'static str,
}

/// What was found for an address.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct FoundPlaces {
    /// The places, best first.
    pub places: Vec<FoundPlace>,
    /// Why none of them is taken; nothing where the first one is.
    pub reason: Option<String>,
}

/// Open references.
pub(crate) struct Geocoder {
    references: Vec<Reference>,
    /// Addresses that were asked for.
    asked: AtomicU64,
}

impl Geocoder {
    /// Opens references; nothing where there are none.
    pub(crate) fn open(paths: &[PathBuf]) -> Result<Option<Self>, ServeError> {
        let mut references = Vec::new();
        for path in paths {
            references.extend(Reference::open_all(path)?);
        }
        Ok((!references.is_empty()).then(|| Geocoder { references, asked: AtomicU64::new(0) }))
    }

    /// How many addresses were asked for.
    pub(crate) fn asked(&self) -> u64 {
        self.asked.load(Ordering::Relaxed)
    }

    /// Finds the places of an address.
    pub(crate) fn find(&self, query: &AddressQuery) -> FoundPlaces {
        self.asked.fetch_add(1, Ordering::Relaxed);
        let q = query;
        let input = AddressInput {
            whole: &q.address,
            number: &q.number,
            street: &q.street,
            unit: &q.unit,
            locality: &q.locality,
            region: &q.region,
            postcode: &q.postcode,
            country: &q.country,
            ..Default::default()
        };
        let options = MatchOptions { others: MOST - 1, ..Default::default() };
        let (candidates, reason) = match find_in(&self.references, &options, &input) {
            Outcome::Matched(m) => (std::iter::once(m.best).chain(m.others).collect(), None),
            Outcome::SetAside { reason, candidates, .. } => (candidates, Some(reason)),
        };
        let code = country::said_by(&input).code();
        let places = candidates.into_iter().take(MOST).map(|candidate| self.place(candidate, code)).collect();
        FoundPlaces { places, reason }
    }

    /// A candidate with its address in parts.
    fn place(&self, candidate: Candidate, said: Option<&'static str>) -> FoundPlace {
        let of_country = |code: &str| self.references.iter().find(|r| r.country() == code);
        let reference = said.and_then(of_country).unwrap_or(&self.references[0]);
        let mut parts = WrittenAddress::read(&candidate.address, reference.grammar(), reference);
        // What the match says itself is surer than what is read from its text.
        for (part, known) in [
            (&mut parts.locality, candidate.locality.as_str()),
            (&mut parts.region, candidate.region.as_str()),
            (&mut parts.postcode, candidate.postcode.as_str()),
        ] {
            if !known.is_empty() {
                *part = known.to_string();
            }
        }
        FoundPlace { candidate, parts, country: reference.country() }
    }
}
