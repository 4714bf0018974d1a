//! What came of a row, against what is true of it.

use crate::dirt::Row;
use crate::invented::Country;
use basilocus_address::matching::MANY_OUTSIDE;
use basilocus_address::{Candidate, Level, MatchOptions, Matcher, Outcome, Reference, nearest};

/// What came of a row.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Verdict {
    /// The level; none for a row set aside.
    pub level: Option<Level>,
    /// Its confidence.
    pub confidence: u8,
    /// The most that its kind of difference is trusted.
    pub most: u8,
    /// The score that the confidence was read from.
    pub raw: f64,
    /// Whether it is right at its level.
    pub right: bool,
    /// Whether it is at the house: within 50 metres.
    pub at_house: bool,
    /// Whether the house lies within the radius that was told; of rows whose house is known.
    pub within_radius: Option<bool>,
}

/// Matches rows on all cores; the order is that of the rows.
pub fn all(matcher: &Matcher, country: &Country, rows: &[Row]) -> Vec<Verdict> {
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    std::thread::scope(|scope| {
        let parts: Vec<_> = rows
            .chunks(rows.len().div_ceil(threads).max(1))
            .map(|part| scope.spawn(move || part.iter().map(|r| one(matcher, country, r)).collect::<Vec<_>>()))
            .collect();
        parts.into_iter().flat_map(|p| p.join().unwrap_or_default()).collect()
    })
}

/// Rows of a table that are looked at first.
const SAMPLE: usize = 500;

/// Matches a whole table: its first rows tell whether names that are nearly a street's are trusted.
pub fn table(reference: &Reference, country: &Country, rows: &[Row]) -> Vec<Verdict> {
    let mut options = MatchOptions::default();
    let sample = rows.iter().take(SAMPLE).map(Row::input);
    let outside = Matcher::borrowing(reference, &options).share_outside(sample);
    options.trusts_near_names = outside.is_none_or(|share| share <= MANY_OUTSIDE);
    all(&Matcher::borrowing(reference, &options), country, rows)
}

/// Matches a row.
pub fn one(matcher: &Matcher, country: &Country, row: &Row) -> Verdict {
    match matcher.find(&row.input()) {
        Outcome::Matched(m) => judge(country, row, &m.best),
        Outcome::SetAside { .. } => {
            let (raw, confidence, most) = (f64::NAN, 0, 0);
            Verdict { level: None, confidence, most, raw, right: false, at_house: false, within_radius: None }
        }
    }
}

/// Whether a candidate is right at its level: at the house within 50 metres for an address point or a number along a
/// street; the street, the postcode or the locality itself for the coarser ones.
pub fn judge(country: &Country, row: &Row, c: &Candidate) -> Verdict {
    let same_town = |town: usize| {
        let t = &country.towns[town];
        t.name == c.locality && t.region == c.region
    };
    let (right, at_house) = match &row.truth {
        Some(t) => {
            let near = nearest::metres((t.lon, t.lat), (c.lon, c.lat)) <= 50.0;
            let right = match c.level {
                Level::AddressPoint | Level::StreetRange => near,
                Level::Street => c.address.starts_with(&format!("{},", t.street)) && same_town(t.town),
                Level::Postcode => t.postcode == c.postcode,
                Level::Locality => same_town(t.town),
                _ => false,
            };
            (right, near && c.level <= Level::StreetRange)
        }
        // The street is not there; the town is, or is not either.
        None => {
            let right = match (c.level, row.town) {
                (Level::Postcode | Level::Locality, Some(town)) => same_town(town),
                // The number is not there; the street is.
                (Level::Street, Some(town)) => {
                    same_town(town) && row.street_text().is_some_and(|s| c.address.starts_with(&s))
                }
                _ => false,
            };
            (right, false)
        }
    };
    // What a street that was not found costs is no part of the tables of the coarser levels.
    let lost = if c.level >= Level::Postcode { f64::from(c.parts.name) } else { 0.0 };
    let truth = row.truth.as_ref().filter(|t| t.number > 0);
    let within_radius = truth.map(|t| nearest::metres((t.lon, t.lat), (c.lon, c.lat)) <= c.radius_m);
    let (confidence, most, raw) = (c.confidence, c.most, c.raw - lost);
    Verdict { level: Some(c.level), confidence, most, raw, right, at_house, within_radius }
}
