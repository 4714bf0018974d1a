//! What is inside a reference, and what looks wrong in it.

use super::entry::PlaceKind;
use super::file::*;
use super::open::{Reference, StreetView};

/// Doubts that are told; of more, how many.
const MOST: usize = 20;
/// A point so far from the line of its street is told.
const FAR_FROM_STREET_M: f64 = 500.0;
/// Points of one number so far apart are told.
const APART_M: f64 = 50.0;

/// What is inside a reference.
#[derive(Debug, Clone, PartialEq)]
pub struct Description {
    /// Country code.
    pub country: String,
    /// Address points (folded).
    pub points: usize,
    /// Street segments.
    pub segments: usize,
    /// Thoroughfares, one a name and locality.
    pub streets: usize,
    /// Different names of thoroughfares.
    pub names: usize,
    /// Postcodes.
    pub postcodes: usize,
    /// Places that are no localities: how many of each kind.
    pub places: Vec<(&'static str, usize)>,
    /// Areas.
    pub areas: usize,
    /// Attributes of areas, which can be asked for as extras.
    pub attributes: Vec<String>,
    /// Coverage by locality.
    pub localities: Vec<LocalityCoverage>,
    /// Bytes of the file.
    pub bytes: usize,
    /// Rows of the sources that were the same address point as another.
    pub folded: u64,
    /// What looks wrong in it.
    pub doubts: Vec<String>,
    /// Doubts beyond those that are told.
    pub more_doubts: usize,
}

/// What a reference has of a locality.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LocalityCoverage {
    /// Name.
    pub name: String,
    /// Region.
    pub region: String,
    /// What it lies in.
    pub parent: String,
    /// Thoroughfares.
    pub streets: u64,
    /// Address points.
    pub points: u64,
    /// Street segments.
    pub segments: u64,
}

impl Reference {
    /// What is inside, and what looks wrong in it; reads all of the file.
    pub fn describe(&self) -> Description {
        let mut coverage = vec![(0u64, 0u64, 0u64); self.places() as usize];
        let mut doubts = Doubts::default();
        for id in 0..self.streets() {
            let street = self.street(id);
            if let Some(counts) = coverage.get_mut(street.place as usize) {
                counts.0 += 1;
                counts.1 += u64::from(street.points.1);
                counts.2 += u64::from(street.segments.1);
            }
            self.doubt_ranges(&street, &mut doubts);
            self.doubt_points(&street, &mut doubts);
        }
        let mut places = vec![0; PlaceKind::ALL.len()];
        let mut localities = Vec::new();
        for (i, (streets, points, segments)) in coverage.into_iter().enumerate() {
            let l = self.place(i as u32);
            places[l.kind as usize] += 1;
            if l.kind == PlaceKind::Locality || streets > 0 {
                localities.push(LocalityCoverage {
                    name: l.name.to_string(),
                    region: self.as_written(l.region).to_string(),
                    parent: l.parent.to_string(),
                    streets,
                    points,
                    segments,
                });
            }
        }
        Description {
            country: self.country().to_string(),
            points: self.count(Section::Points, POINT),
            segments: self.count(Section::Segments, SEGMENT),
            streets: self.count(Section::Streets, STREET),
            names: self.count(Section::Names, NAME),
            postcodes: self.count(Section::Postcodes, POSTCODE),
            places: PlaceKind::ALL
                .iter()
                .zip(places)
                .filter(|((kind, _), n)| *kind != PlaceKind::Locality && *n > 0)
                .map(|((_, name), n)| (*name, n))
                .collect(),
            areas: self.count(Section::Areas, AREA),
            attributes: self.attribute_names(),
            localities,
            bytes: self.bytes(),
            folded: self.about("the same address point again").and_then(|t| t.parse().ok()).unwrap_or(0),
            more_doubts: doubts.all - doubts.told.len(),
            doubts: doubts.told,
        }
    }

    fn street_words(&self, street: &StreetView) -> String {
        format!("{} in {}", crate::matching::street_text(self, street), self.place(street.place).name)
    }

    /// Ranges of one street that overlap on the same side parity.
    fn doubt_ranges(&self, street: &StreetView, doubts: &mut Doubts) {
        let mut ranges: Vec<(u32, u32, u32)> = Vec::new();
        for s in street.segments.0..street.segments.0 + street.segments.1 {
            for (a, b) in self.segment(s).ranges.into_iter().flatten() {
                ranges.push((a % 2, a.min(b), a.max(b)));
            }
        }
        ranges.sort_unstable();
        for pair in ranges.windows(2) {
            if pair[0].0 == pair[1].0
                && pair[1].1 < pair[0].2
                && pair[0].1 % 2 == pair[0].2 % 2
                && pair[1].1 % 2 == pair[1].2 % 2
            {
                doubts.add(|| {
                    format!(
                        "ranges overlap on {}: {}–{} and {}–{}",
                        self.street_words(street),
                        pair[0].1,
                        pair[0].2,
                        pair[1].1,
                        pair[1].2
                    )
                });
            }
        }
    }

    /// Points far from the line of their street, and one number at two places.
    fn doubt_points(&self, street: &StreetView, doubts: &mut Doubts) {
        let lines: Vec<Vec<(f64, f64)>> =
            (street.segments.0..street.segments.0 + street.segments.1).map(|s| self.line(&self.segment(s))).collect();
        let mut last: Option<(u32, u32, f64, f64)> = None;
        for id in street.points.0..street.points.0 + street.points.1 {
            let p = self.point(id);
            if !lines.is_empty() {
                let far =
                    lines.iter().map(|l| crate::nearest::distance_to_line(p.lon, p.lat, l)).fold(f64::MAX, f64::min);
                if far > FAR_FROM_STREET_M {
                    doubts.add(|| {
                        format!(
                            "number {} of {} is {far:.0} m from the line of its street",
                            self.number_text(p.number, p.suffix),
                            self.street_words(street)
                        )
                    });
                }
            }
            if let Some((number, suffix, lon, lat)) = last
                && (number, suffix) == (p.number, p.suffix)
            {
                let apart = crate::nearest::metres((lon, lat), (p.lon, p.lat));
                if apart > APART_M {
                    doubts.add(|| {
                        format!(
                            "number {} of {} is at two places, {apart:.0} m apart",
                            self.number_text(p.number, p.suffix),
                            self.street_words(street)
                        )
                    });
                }
            }
            last = Some((p.number, p.suffix, p.lon, p.lat));
        }
    }
}

#[derive(Default)]
struct Doubts {
    told: Vec<String>,
    all: usize,
}

impl Doubts {
    fn add(&mut self, text: impl FnOnce() -> String) {
        self.all += 1;
        if self.told.len() < MOST {
            self.told.push(text());
        }
    }
}
