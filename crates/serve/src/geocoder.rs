//! The references that addresses are found in.

use crate::ServeError;
use basilocus::address::matching::find_in;
use basilocus::address::nearest::Nearest;
use basilocus::address::reference::WrittenAddress;
use basilocus::address::{AddressInput, Candidate, MatchOptions, Outcome, Reference};
use serde::Deserialize;
use std::path::PathBuf;
use std::sync::Arc;
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
    /// Code of the country; empty where it is not known.
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
    asked: Arc<AtomicU64>,
}

impl Geocoder {
    /// Opens references; nothing where there are none. `asked` counts on where another one stopped.
    pub(crate) fn open(paths: &[PathBuf], asked: &Arc<AtomicU64>) -> Result<Option<Self>, ServeError> {
        let mut references = Vec::new();
        for path in paths {
            references.extend(Reference::open_all(path)?);
        }
        Ok((!references.is_empty()).then(|| Geocoder { references, asked: asked.clone() }))
    }

    /// The address nearest to a longitude and latitude, with its parts and its country.
    pub(crate) fn nearest(&self, lon: f64, lat: f64, within_m: f64) -> Option<(Nearest, WrittenAddress, &'static str)> {
        self.asked.fetch_add(1, Ordering::Relaxed);
        let near = self.references.iter().filter_map(|r| r.nearest(lon, lat, within_m).map(|n| (r, n)));
        let (reference, near) = near.min_by(|(_, a), (_, b)| a.distance_m.total_cmp(&b.distance_m))?;
        let mut parts = WrittenAddress::read(&near.address, reference.grammar(), reference);
        known_parts(&mut parts, [&near.locality, &near.region, &near.postcode]);
        Some((near, parts, reference.country()))
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
        let owners = self.owners(&input, &options);
        let places = candidates.into_iter().take(MOST).map(|c| self.place(c, &owners)).collect();
        FoundPlaces { places, reason }
    }

    /// What each reference by itself finds, where there are several: a candidate does not say whose it is.
    fn owners(&self, input: &AddressInput, options: &MatchOptions) -> Vec<(&Reference, Vec<Candidate>)> {
        if self.references.len() < 2 {
            return Vec::new();
        }
        let alone = |r: &'_ Reference| match find_in(std::slice::from_ref(r), options, input) {
            Outcome::Matched(m) => std::iter::once(m.best).chain(m.others).collect(),
            Outcome::SetAside { candidates, .. } => candidates,
        };
        self.references.iter().map(|r| (r, alone(r))).collect()
    }

    /// A candidate with its address in parts.
    fn place(&self, candidate: Candidate, owners: &[(&Reference, Vec<Candidate>)]) -> FoundPlace {
        let is_same = |c: &Candidate| (c.lon, c.lat, &c.address) == (candidate.lon, candidate.lat, &candidate.address);
        let owner = owners.iter().find(|(_, found)| found.iter().any(is_same)).map(|(r, _)| *r);
        let reference = owner.unwrap_or(&self.references[0]);
        let mut parts = WrittenAddress::read(&candidate.address, reference.grammar(), reference);
        known_parts(&mut parts, [&candidate.locality, &candidate.region, &candidate.postcode]);
        // Of several references none of which is sure to have it, no country is named.
        let is_sure = owner.is_some() || self.references.len() == 1;
        FoundPlace { candidate, parts, country: if is_sure { reference.country() } else { "" } }
    }
}

/// Puts in the locality, region and postcode that are known: surer than what is read from a text.
fn known_parts(parts: &mut WrittenAddress, [locality, region, postcode]: [&str; 3]) {
    for (part, known) in [(&mut parts.locality, locality), (&mut parts.region, region), (&mut parts.postcode, postcode)]
    {
        if !known.is_empty() {
            *part = known.to_string();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus::address::reference::PointEntry;
    use basilocus::address::{Builder, Entry};

    #[test]
    fn a_place_is_in_the_country_of_its_reference() {
        let folder = tempfile::tempdir().unwrap();
        let build = |country: &str, street: &str, locality: &str, postcode: &str, lon: f64| {
            let house = PointEntry {
                number: "12".into(),
                street: street.into(),
                locality: locality.into(),
                postcode: postcode.into(),
                lon,
                lat: 50.0,
                ..Default::default()
            };
            let mut builder = Builder::of_country(country).unwrap();
            builder.add(&Entry::Point(house)).unwrap();
            let file = folder.path().join(format!("{country}.reference"));
            builder.write(&file).unwrap();
            file
        };
        let files = [
            build("US", "Heron Ln", "Ternport", "97981", -123.8),
            build("DE", "Reiherweg", "Seeschwalben", "26999", 8.0),
        ];
        let geocoder = Geocoder::open(&files, &Arc::default()).unwrap().unwrap();
        let find = |address: &str| geocoder.find(&AddressQuery { address: address.into(), ..Default::default() });
        // Neither says its country.
        let (abroad, here) = (find("Reiherweg 12, 26999 Seeschwalben"), find("12 Heron Lane, Ternport 97981"));
        assert_eq!((abroad.places[0].country, abroad.places[0].candidate.lon), ("DE", 8.0));
        assert_eq!((here.places[0].country, here.places[0].candidate.lon), ("US", -123.8));
        assert_eq!(
            (abroad.places[0].parts.number.as_str(), abroad.places[0].parts.street.as_str()),
            ("12", "Reiherweg")
        );
    }
}
