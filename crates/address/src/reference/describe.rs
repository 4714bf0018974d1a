//! What is inside a reference.

use super::doubts::Doubts;
use super::entry::PlaceKind;
use super::file::*;
use super::open::Reference;

/// What is inside a reference.
#[derive(Debug, Clone, PartialEq)]
pub struct Description {
    /// Country code.
    pub country: String,
    /// Address points (folded).
    pub points: usize,
    /// Units of houses.
    pub units: usize,
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
    /// What looks wrong in it, worst first.
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
    /// Where its address points, streets, localities and postcodes lie: west, south, east, north in degrees; `None` where it has none.
    pub fn extent(&self) -> Option<[f64; 4]> {
        let points = (0..self.count(Section::Points, POINT)).map(|id| self.point(id as u32)).map(|p| (p.lon, p.lat));
        let places = (0..self.places()).filter_map(|id| self.place(id).position);
        let postcodes = (0..self.postcodes()).map(|id| self.postcode_at(id).1).map(|p| (p.lon, p.lat));
        let streets = (0..self.streets()).map(|id| self.middle_of(&self.street(id)));
        let known =
            points.chain(streets).chain(places).chain(postcodes).filter(|(x, y)| x.is_finite() && y.is_finite());
        known.map(|(x, y)| [x, y, x, y]).reduce(|a, b| [a[0].min(b[0]), a[1].min(b[1]), a[2].max(b[2]), a[3].max(b[3])])
    }

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
            self.doubt_street(&street, &mut doubts);
        }
        self.doubt_places(&mut doubts);
        self.doubt_positions(&mut doubts);
        let (doubts, more_doubts) = doubts.worst_first();
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
            units: self.units(),
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
            doubts,
            more_doubts,
        }
    }
}
