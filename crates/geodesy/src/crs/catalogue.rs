//! The embedded catalogue: all systems of the EPSG registry, read in place.
//!
//! The bytes are made by `cargo run -p basilocus-tools --bin generate-catalogue` from `tools/epsg-crs.tsv`.
//! Nothing is decoded when a program starts; a look-up is a binary search over sorted codes and decodes one
//! record. Layout (little-endian): a header of `u32`: record count, then the offsets of records, string offsets,
//! string bytes, values (`f64`), parameters (pairs of `u16`), shifts (seven `u16` and one accuracy `u16`).

use super::{Area, Base, Crs, Datum, Kind, Shift};
use crate::datum::{Helmert, RotationConvention};
use crate::ellipsoid::Ellipsoid;
use crate::error::Error;
use crate::projection::Parameters;
use crate::unit::{AngularUnit, LinearUnit};

static BYTES: &[u8] = include_bytes!("catalogue.bin");

/// Geographic systems of the registry with ellipsoidal heights, whose horizontal part is in the catalogue.
const THREE_DIMENSIONAL: &[(u32, u32)] = &[
    (4979, 4326),
    (4937, 4258),
    (4939, 4283),
    (7843, 7844),
    (4959, 4167),
    (6319, 6318),
    (7909, 8997),
    (7910, 8998),
    (7911, 8999),
    (7912, 9000),
    (9989, 9990),
];

/// Bytes of one record.
pub const RECORD: usize = 52;

/// Which registry the catalogue holds, for messages and credits.
pub const EDITION: &str = "EPSG Geodetic Parameter Dataset, kept by the IOGP";

/// A handle on the catalogue; free to make and copy.
#[derive(Debug, Clone, Copy)]
pub struct Catalogue {
    bytes: &'static [u8],
}

/// One record, not decoded.
#[derive(Clone, Copy)]
pub(super) struct Record {
    catalogue: Catalogue,
    at: usize,
}

/// The limits around areas of a country, across the 180° meridian where that is the shorter way.
fn united(parts: &[Area]) -> Option<Area> {
    let first = parts.first()?;
    // Degrees eastwards from a meridian, so that areas across 180° lie together from one that is far from them.
    let around = |from: f64| {
        let east_of = |deg: f64| (deg - from).rem_euclid(360.0);
        parts.iter().try_fold([f64::INFINITY, f64::NEG_INFINITY], |[west, east], part| {
            let [w, e] = [east_of(part.west_deg), east_of(part.east_deg)];
            (w <= e).then_some([west.min(w), east.max(e)])
        })
    };
    let (from, [west, east]) = [-180.0, 0.0]
        .into_iter()
        .filter_map(|from| Some((from, around(from)?)))
        .min_by(|(_, a), (_, b)| (a[1] - a[0]).total_cmp(&(b[1] - b[0])))?;
    // As many digits as the registry has.
    let rounded = |deg: f64| (deg * 1e6).round() / 1e6;
    let back = |deg: f64| rounded((deg + from + 180.0).rem_euclid(360.0) - 180.0);
    let name = first.description.split(" - ").next().unwrap_or_default();
    Some(Area {
        west_deg: back(west),
        east_deg: back(east),
        south_deg: parts.iter().map(|p| p.south_deg).fold(f64::INFINITY, f64::min),
        north_deg: parts.iter().map(|p| p.north_deg).fold(f64::NEG_INFINITY, f64::max),
        description: format!("{name}, all its areas"),
    })
}

/// Countries by what people call them, and by what the registry does.
const ALSO_CALLED: [(&str, &str); 8] = [
    ("russia", "russian federation"),
    ("uk", "united kingdom"),
    ("great britain", "united kingdom"),
    ("usa", "united states"),
    ("us", "united states"),
    ("united states of america", "united states"),
    ("czech republic", "czechia"),
    ("türkiye", "turkey"),
];

/// Words that leave a country whole.
const WHOLE: [&str; 7] = ["onshore", "offshore", "and", "mainland", "the", "whole", "country"];

impl Catalogue {
    /// The catalogue that is compiled in.
    pub fn embedded() -> Self {
        Catalogue { bytes: BYTES }
    }

    /// Number of systems.
    pub fn len(&self) -> usize {
        self.u32_at(0) as usize
    }

    /// Never true.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The system with an EPSG code.
    ///
    /// # Errors
    /// [`Error::UnknownCrs`] with the neighbouring codes.
    ///
    /// ```
    /// use basilocus_geodesy::crs::Catalogue;
    /// let oregon = Catalogue::embedded().get(2269)?;
    /// assert_eq!(oregon.name, "NAD83 / Oregon North (ft)");
    /// assert_eq!(oregon.unit_words(), "international feet");
    /// assert!(Catalogue::embedded().get(99_999).is_err());
    /// # Ok::<(), basilocus_geodesy::Error>(())
    /// ```
    pub fn get(&self, code: u32) -> Result<Crs, Error> {
        match self.position(code) {
            Ok(i) => Ok(self.record(i).decode()),
            Err(_) if THREE_DIMENSIONAL.iter().any(|(three, _)| *three == code) => {
                let flat = THREE_DIMENSIONAL.iter().find(|(three, _)| *three == code).map_or(0, |(_, flat)| *flat);
                let base = self.get(flat)?;
                let name = base.name.clone();
                Ok(Crs { code: Some(code), name, ..base.with_heights(None)? })
            }
            Err(i) => {
                // A digit too many, too few, wrong or swapped is likelier than a code a little off in value.
                let wanted = code.to_string();
                let mut near: Vec<u32> = self.codes().filter(|c| one_slip(&wanted, &c.to_string())).take(3).collect();
                if near.is_empty() {
                    let from = i.saturating_sub(2);
                    near = (from..(i + 2).min(self.len())).map(|i| self.record(i).code()).collect();
                    near.sort_by_key(|c| c.abs_diff(code));
                }
                Err(Error::UnknownCrs {
                    wanted: format!("EPSG:{code}"),
                    nearest: near.into_iter().filter_map(|c| self.get(c).ok()).map(|c| c.title()).collect(),
                    edition: EDITION,
                })
            }
        }
    }

    /// The system that a person wrote: `EPSG:2269`, `2269`, a URN or web address of the registry, `OGC:CRS84`, or its exact name in any case; with
    /// heights as `EPSG:4326+5773` (a vertical system) or `EPSG:4326+ellipsoidal`.
    ///
    /// # Errors
    /// [`Error::UnknownCrs`] with the nearest codes or names. Several systems never match one text.
    ///
    /// ```
    /// use basilocus_geodesy::crs::Catalogue;
    /// let crs = Catalogue::embedded().find_one("EPSG:4326+5773")?;
    /// assert_eq!(crs.name, "WGS 84 + EGM96 height");
    /// # Ok::<(), basilocus_geodesy::Error>(())
    /// ```
    pub fn find_one(&self, text: &str) -> Result<Crs, Error> {
        let wanted = text.trim();
        let lower = wanted.to_ascii_lowercase();
        let digits = lower
            .strip_prefix("urn:ogc:def:crs:epsg:")
            .map(|rest| rest.rsplit(':').next().unwrap_or(rest))
            .or_else(|| lower.strip_prefix("epsg:"))
            // The registry's addresses on the web, as OGC standards write them: …/def/crs/EPSG/0/4326.
            .or_else(|| lower.split_once("/def/crs/epsg/").map(|(_, rest)| rest.rsplit('/').next().unwrap_or(rest)))
            // Longitude and latitude of WGS 84 in this order, as OGC names it.
            .or_else(|| (lower.ends_with("crs84") && lower.contains("ogc")).then_some("4326"))
            .unwrap_or(&lower)
            .trim();
        if let Ok(code) = digits.parse::<u32>() {
            return self.get(code);
        }
        if let Some(record) = self.records().find(|r| r.name().eq_ignore_ascii_case(wanted)) {
            return Ok(record.decode());
        }
        if let Some((horizontal, heights)) = wanted.rsplit_once('+') {
            let horizontal = self.find_one(horizontal)?;
            let heights = heights.trim();
            let ellipsoidal = heights.eq_ignore_ascii_case("ellipsoidal");
            return horizontal.with_heights(if ellipsoidal { None } else { Some(self.find_one(heights)?) });
        }
        Err(Error::UnknownCrs { wanted: wanted.to_string(), nearest: self.nearest_names(wanted, 4), edition: EDITION })
    }

    /// Projected systems whose area of use holds a position, smallest area first.
    pub fn projected_at(&self, lon_deg: f64, lat_deg: f64) -> Vec<Crs> {
        let mut found: Vec<(f64, Record)> = self
            .records()
            .filter(|r| r.kind_byte() == KIND_PROJECTED)
            .map(|r| (r.area_limits(), r))
            .filter(|(a, _)| a.contains(lon_deg, lat_deg))
            .map(|(a, r)| (a.share_of_earth(), r))
            .collect();
        found.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.code().cmp(&b.1.code())));
        found.into_iter().map(|(_, r)| r.decode()).collect()
    }

    /// Every code, ascending.
    pub fn codes(&self) -> impl Iterator<Item = u32> {
        self.records().map(|r| r.code())
    }

    /// The geographic system of a datum, by the datum's name.
    pub fn geographic_of_datum(&self, datum_name: &str) -> Option<Crs> {
        self.records()
            .filter(|r| r.kind_byte() == KIND_GEOGRAPHIC)
            .find(|r| {
                // The file has underscores where names have blanks.
                let own = r.datum_name().bytes().map(|b| if b == b'_' { b' ' } else { b });
                own.eq(datum_name.bytes())
            })
            .map(|r| r.decode())
    }

    /// Systems of a kind with an ellipsoid of this size and a unit of this size (metres or degrees), decoded.
    pub(super) fn with_numbers(
        &self,
        kind: &str,
        semi_major_m: Option<f64>,
        unit: Option<f64>,
    ) -> impl Iterator<Item = Crs> {
        let kind = KINDS.iter().position(|k| *k == kind).unwrap_or(usize::MAX);
        let about = |a: f64, b: f64, tolerance: f64| (a / b - 1.0).abs() < tolerance;
        self.records()
            .filter(move |r| {
                usize::from(r.kind_byte()) == kind
                    && semi_major_m.is_none_or(|a| about(r.value(36), a, 1e-9))
                    && unit.is_none_or(|u| {
                        let own = if r.kind_byte() == KIND_GEOGRAPHIC { r.angular().degrees } else { r.value(42) };
                        about(own, u, 1e-8)
                    })
            })
            .map(|r| r.decode())
    }

    /// The area of use that words describe. The name of a country is the country, however many areas are parts of it; of all
    /// else the one of those that have all words with the fewest others.
    ///
    /// ```
    /// use basilocus_geodesy::crs::Catalogue;
    /// let area = Catalogue::embedded().area_named("france").unwrap();
    /// assert!(area.contains(-1.0, 44.0) && area.contains(7.0, 48.0));
    /// ```
    pub fn area_named(&self, words: &str) -> Option<Area> {
        self.country_named(words).or_else(|| self.area_with(words))
    }

    /// A whole country: the largest of the areas that are named after it and nothing else, on land if there is one, else all
    /// of its areas together.
    fn country_named(&self, words: &str) -> Option<Area> {
        let wanted = words.trim().to_lowercase();
        let wanted =
            ALSO_CALLED.iter().find(|(other, _)| *other == wanted).map_or(wanted, |(_, name)| name.to_string());
        let mut whole: Option<(bool, f64, Area)> = None;
        let mut parts: Vec<Area> = Vec::new();
        for record in self.records() {
            let text = record.area_text().trim_end_matches('.');
            let (name, rest) = text.split_once(" - ").unwrap_or((text, ""));
            // "United States (USA)"; several countries are several sentences.
            let name = name.strip_suffix(')').and_then(|n| n.rsplit_once(" (")).map_or(name, |(name, _)| name);
            if name.to_lowercase() != wanted || text.contains(['.', ';']) {
                continue;
            }
            let others = || rest.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty());
            let says = |word: &str| others().any(|w| w.eq_ignore_ascii_case(word));
            // The sea alone around a country is not what its name says.
            if says("offshore") && !says("onshore") {
                continue;
            }
            let area = Area { description: text.to_string(), ..record.area_limits() };
            if others().all(|w| WHOLE.contains(&w.to_lowercase().as_str())) {
                let (is_on_land, size) = (!says("offshore"), area.share_of_earth());
                if whole.as_ref().is_none_or(|(on_land, s, _)| (*on_land, *s) < (is_on_land, size)) {
                    whole = Some((is_on_land, size, area.clone()));
                }
            }
            parts.push(area);
        }
        whole.map(|(_, _, area)| area).or_else(|| self.of_parts(&parts, &wanted))
    }

    /// A country of which only parts have areas of their own: all of them, or the smallest area around them that names the
    /// country, where that is hardly larger or the parts are so few that they may not be all.
    fn of_parts(&self, parts: &[Area], country: &str) -> Option<Area> {
        let all = united(parts)?;
        let limits = |a: &Area| [a.west_deg, a.south_deg, a.east_deg, a.north_deg].map(|v| (v * 100.0).round() as i64);
        let mut different: Vec<[i64; 4]> = parts.iter().map(limits).collect();
        different.sort_unstable();
        different.dedup();
        let names = |text: &str| {
            let text = text.to_lowercase();
            text.match_indices(country).any(|(at, _)| {
                let (before, after) = (&text[..at], &text[at + country.len()..]);
                !before.ends_with(char::is_alphanumeric) && !after.starts_with(char::is_alphanumeric)
            })
        };
        let holds = |a: &Area| a.contains(all.west_deg, all.south_deg) && a.contains(all.east_deg, all.north_deg);
        let are_few = different.len() < 3;
        let is_part = |text: &str| parts.iter().any(|p| p.description == text.trim_end_matches('.'));
        let around = self
            .records()
            .filter(|r| holds(&r.area_limits()) && names(r.area_text()) && !(are_few && is_part(r.area_text())))
            .min_by(|a, b| a.area_limits().share_of_earth().total_cmp(&b.area_limits().share_of_earth()));
        let around =
            around.map(|r| Area { description: r.area_text().trim_end_matches('.').to_string(), ..r.area_limits() });
        let most = if are_few { f64::INFINITY } else { 1.5 };
        Some(around.filter(|a| a.share_of_earth() <= most * all.share_of_earth()).unwrap_or(all))
    }

    fn area_with(&self, words: &str) -> Option<Area> {
        let wanted: Vec<String> =
            words.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(str::to_lowercase).collect();
        if wanted.is_empty() {
            return None;
        }
        self.records()
            .filter_map(|r| {
                let text = r.area_text().to_lowercase();
                let have: Vec<&str> = text.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
                wanted.iter().all(|w| have.contains(&w.as_str())).then_some((have.len(), r))
            })
            // Of equally short texts the larger area: "onshore" before "west of".
            .min_by(|(n, a), (m, b)| {
                n.cmp(m).then(b.area_limits().share_of_earth().total_cmp(&a.area_limits().share_of_earth()))
            })
            .map(|(_, r)| Area { description: r.area_text().to_string(), ..r.area_limits() })
    }

    /// Codes of the vertical systems of a vertical datum.
    pub fn vertical_of_datum(&self, datum_name: &str) -> Vec<u32> {
        self.records()
            .filter(|r| r.kind_byte() == KIND_VERTICAL && r.datum_name() == datum_name)
            .map(|r| r.code())
            .collect()
    }

    pub(super) fn records(&self) -> impl Iterator<Item = Record> {
        let catalogue = *self;
        (0..self.len()).map(move |i| catalogue.record(i))
    }

    fn record(&self, index: usize) -> Record {
        Record { catalogue: *self, at: self.u32_at(4) as usize + index * RECORD }
    }

    fn position(&self, code: u32) -> Result<usize, usize> {
        let (mut low, mut high) = (0, self.len());
        while low < high {
            let middle = (low + high) / 2;
            match self.record(middle).code().cmp(&code) {
                std::cmp::Ordering::Equal => return Ok(middle),
                std::cmp::Ordering::Less => low = middle + 1,
                std::cmp::Ordering::Greater => high = middle,
            }
        }
        Err(low)
    }

    fn u32_at(&self, at: usize) -> u32 {
        u32::from_le_bytes(self.bytes[at..at + 4].try_into().unwrap_or_default())
    }

    fn u16_at(&self, at: usize) -> u16 {
        u16::from_le_bytes([self.bytes[at], self.bytes[at + 1]])
    }

    fn string(&self, id: u16) -> &'static str {
        let at = self.u32_at(8) as usize + 4 * usize::from(id);
        let bytes = self.u32_at(12) as usize;
        let range = bytes + self.u32_at(at) as usize..bytes + self.u32_at(at + 4) as usize;
        std::str::from_utf8(&self.bytes[range]).unwrap_or("")
    }

    fn value(&self, id: u16) -> f64 {
        let at = self.u32_at(16) as usize + 8 * usize::from(id);
        f64::from_le_bytes(self.bytes[at..at + 8].try_into().unwrap_or_default())
    }
}

/// Whether two texts of digits differ by one digit added, left out or changed, or two neighbours swapped.
fn one_slip(a: &str, b: &str) -> bool {
    let (a, b) = if a.len() <= b.len() { (a.as_bytes(), b.as_bytes()) } else { (b.as_bytes(), a.as_bytes()) };
    let same = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    match b.len() - a.len() {
        0 => {
            a[same..].iter().zip(&b[same..]).filter(|(x, y)| x != y).count() == 1
                || (same + 2 <= a.len()
                    && a[same] == b[same + 1]
                    && a[same + 1] == b[same]
                    && a[same + 2..] == b[same + 2..])
        }
        1 => a[same..] == b[same + 1..],
        _ => false,
    }
}

/// Kind bytes, in the order of the generator.
pub const KINDS: [&str; 5] = ["geographic", "projected", "geocentric", "vertical", "compound"];
const KIND_GEOGRAPHIC: u8 = 0;
const KIND_PROJECTED: u8 = 1;
const KIND_VERTICAL: u8 = 3;

impl Record {
    fn u16(&self, offset: usize) -> u16 {
        self.catalogue.u16_at(self.at + offset)
    }

    fn string(&self, offset: usize) -> &'static str {
        self.catalogue.string(self.u16(offset))
    }

    fn value(&self, offset: usize) -> f64 {
        self.catalogue.value(self.u16(offset))
    }

    pub(super) fn code(&self) -> u32 {
        self.catalogue.u32_at(self.at)
    }

    pub(super) fn name(&self) -> &'static str {
        self.string(12)
    }

    pub(super) fn datum_name(&self) -> &'static str {
        self.string(14)
    }

    pub(super) fn method(&self) -> &'static str {
        self.string(20)
    }

    pub(super) fn unit(&self) -> &'static str {
        self.string(22)
    }

    pub(super) fn area_text(&self) -> &'static str {
        self.string(26)
    }

    pub(super) fn kind_byte(&self) -> u8 {
        self.catalogue.bytes[self.at + 44]
    }

    pub(super) fn area_limits(&self) -> Area {
        let limit = |offset| f64::from(self.u16(offset) as i16) / 100.0;
        Area {
            west_deg: limit(28),
            south_deg: limit(30),
            east_deg: limit(32),
            north_deg: limit(34),
            description: String::new(),
        }
    }

    fn datum(&self) -> Datum {
        Datum {
            name: self.datum_name().replace('_', " "),
            ellipsoid: Ellipsoid::new(self.string(16), self.value(36), self.value(38)),
            prime_meridian: self.string(18).to_string(),
            prime_meridian_deg: self.value(40),
            shift: self.shift(),
        }
    }

    /// The geographic system under a projected one.
    fn base(&self) -> Base {
        let code = self.catalogue.u32_at(self.at + 4);
        match self.catalogue.position(code) {
            Ok(i) => {
                let r = self.catalogue.record(i);
                Base { code: Some(code), name: r.name().to_string(), unit: r.angular() }
            }
            Err(_) => Base { code: Some(code), name: String::new(), unit: AngularUnit::degree() },
        }
    }

    /// The unit of a geographic system. The registry's factor is printed with 15 digits; degrees and grads are exact
    /// by definition.
    fn angular(&self) -> AngularUnit {
        match self.unit() {
            "degree" => AngularUnit::degree(),
            "grad" => AngularUnit { name: "grad".into(), degrees: 0.9 },
            other => AngularUnit { name: other.to_string(), degrees: self.value(42).to_degrees() },
        }
    }

    fn shift(&self) -> Option<Shift> {
        let index = usize::from(self.u16(48));
        if index == 0xFFFF {
            return None;
        }
        let at = self.catalogue.u32_at(24) as usize + 16 * index;
        let value = |i: usize| self.catalogue.value(self.catalogue.u16_at(at + 2 * i));
        Some(Shift {
            helmert: Helmert {
                translation_m: [value(0), value(1), value(2)],
                rotation_arcsec: [value(3), value(4), value(5)],
                scale_ppm: value(6),
                convention: RotationConvention::PositionVector,
            },
            accuracy_m: Some(value(7)).filter(|a| *a > 0.0),
        })
    }

    pub(super) fn decode(&self) -> Crs {
        let linear = || LinearUnit { name: self.unit().to_string(), metres: self.value(42) };
        let kind = match self.kind_byte() {
            0 => Kind::Geographic { datum: self.datum(), unit: self.angular() },
            1 => {
                let at = self.catalogue.u32_at(20) as usize + 4 * usize::from(self.u16(46));
                let parameters = (0..usize::from(self.catalogue.bytes[self.at + 45]))
                    .map(|i| {
                        (
                            self.catalogue.string(self.catalogue.u16_at(at + 4 * i)).to_string(),
                            self.catalogue.value(self.catalogue.u16_at(at + 4 * i + 2)),
                        )
                    })
                    .collect();
                Kind::Projected {
                    datum: self.datum(),
                    base: self.base(),
                    method: self.method().to_string(),
                    parameters: Parameters(parameters),
                    unit: linear(),
                }
            }
            2 => Kind::Geocentric { datum: self.datum() },
            3 => Kind::Vertical { datum_name: self.datum_name().to_string(), unit: linear() },
            _ => {
                let part = |offset| {
                    let at = self.catalogue.position(self.catalogue.u32_at(self.at + offset)).unwrap_or(0);
                    Box::new(self.catalogue.record(at).decode())
                };
                Kind::Compound { horizontal: part(4), vertical: part(8) }
            }
        };
        Crs {
            code: Some(self.code()),
            name: self.name().to_string(),
            kind,
            area: Area { description: self.area_text().to_string(), ..self.area_limits() },
            axes: self.string(24).to_string(),
        }
    }
}
