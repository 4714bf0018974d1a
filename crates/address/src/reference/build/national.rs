//! Collects the rows of one country.

use super::super::entry::*;
use super::super::file::*;
use super::super::spool::Spool;
use super::super::unusable::{Unusable, check};
use super::older::{House, Stretch};
use crate::Text;
use crate::grammar::{Grammar, TypePlace};
use crate::normal::{self, FastMap};
use crate::parse::{Thoroughfare, parse_number, parse_street, unit_text};
use std::collections::{BTreeMap, BTreeSet};

/// How far a building may be from its address point where the source does not say: points stand on roofs, at entrances
/// or in the middle of a plot.
const ACCURACY_M: f64 = 30.0;
/// The unit of a row that is of a building as a whole: the string of the empty text.
pub(super) const BUILDING: u32 = 0;
/// Parsed thoroughfares that are remembered.
const REMEMBERED: usize = 200_000;
/// Places of one name and region farther apart than this are two places, degrees.
const HOMONYM_DEGREES: f64 = 0.3;
/// The same where they lie in two counties or districts: these are sometimes only written in two ways.
const OTHER_PARENT_DEGREES: f64 = 0.05;
/// The same of buildings, parks and stations.
const LANDMARK_DEGREES: f64 = 0.003;

#[derive(Default)]
pub(super) struct Pool {
    pub(super) ids: FastMap<String, u32>,
    pub(super) bytes: Vec<u8>,
    pub(super) ends: Vec<u32>,
}

impl Pool {
    pub(super) fn id(&mut self, s: &str) -> u32 {
        if let Some(id) = self.ids.get(s) {
            return *id;
        }
        let id = self.ends.len() as u32;
        self.bytes.extend_from_slice(s.as_bytes());
        self.ends.push(self.bytes.len() as u32);
        self.ids.insert(s.to_string(), id);
        id
    }

    pub(super) fn get(&self, id: u32) -> &str {
        let end = self.ends[id as usize] as usize;
        let start = if id == 0 { 0 } else { self.ends[id as usize - 1] as usize };
        std::str::from_utf8(&self.bytes[start..end]).unwrap_or("")
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) struct StreetKey {
    pub(super) name: u32,
    pub(super) pre: u8,
    pub(super) kind: u8,
    pub(super) post: u8,
    pub(super) place: u32,
}

/// Name, region and kind of a place.
pub(super) type PlaceKey = (u32, u32, PlaceKind);

#[derive(Debug, Default, Clone)]
pub(super) struct Place {
    pub(super) display: u32,
    pub(super) region: u32,
    pub(super) parent: u32,
    pub(super) kind: PlaceKind,
    /// Name of the locality that it is in, as a string; resolved when the file is written.
    pub(super) within: u32,
    pub(super) position: Option<(f64, f64)>,
    pub(super) sum: (f64, f64, u32),
    /// What the source says of its size, metres.
    pub(super) radius_m: Option<f64>,
}

#[derive(Default)]
pub(super) struct Postcode {
    pub(super) position: Option<(f64, f64)>,
    pub(super) sum: (f64, f64, u32),
    pub(super) region: u32,
    pub(super) places: BTreeSet<u32>,
    /// What the source says of its size, metres.
    pub(super) radius_m: Option<f64>,
}

pub(super) struct Area {
    pub(super) attributes: Vec<(u32, u32)>,
    pub(super) rings: Vec<Vec<(i32, i32)>>,
    pub(super) bounds: [i32; 4],
}

/// Collects the rows of one country and writes its part of the reference.
pub(super) struct National {
    pub(super) country: &'static str,
    pub(super) grammar: &'static Grammar,
    pub(super) strings: Pool,
    pub(super) streets: FastMap<StreetKey, u32>,
    pub(super) street_keys: Vec<StreetKey>,
    /// Strings of streets as the source writes them, where that says more than their parts.
    pub(super) street_displays: Vec<u32>,
    /// Parsed thoroughfares by their text: sources repeat them thousands of times.
    pub(super) parsed: FastMap<String, Thoroughfare>,
    pub(super) place_ids: FastMap<PlaceKey, Vec<u32>>,
    /// The key of places of a name and kind, where all have the same region.
    only_of_name: FastMap<(u32, PlaceKind), Option<PlaceKey>>,
    pub(super) places: Vec<Place>,
    pub(super) names: Vec<(u32, u32)>,
    pub(super) suffixes: FastMap<u32, u32>,
    pub(super) suffix_list: Vec<u32>,
    /// Street, number, suffix and extension, postcode, longitude, latitude, accuracy in decimetres, string of the unit.
    pub(super) points: Spool<[u32; 8]>,
    /// Street, four ends of ranges, two postcodes, first vertex, vertices, parities.
    pub(super) segments: Spool<[u32; 10]>,
    pub(super) vertices: Spool<[u32; 2]>,
    pub(super) postcodes: BTreeMap<Text, Postcode>,
    pub(super) areas: Vec<Area>,
    pub(super) counts: [u64; 5],
    /// Rows that were the same address point as another row, known once it is written.
    pub(super) folded: u64,
    /// Rows that are the address of another row at a place far away, known once it is written.
    pub(super) apart: u64,
    /// First street and number of streets of a place, known while the file is written.
    pub(super) place_streets: Vec<(u32, u32)>,
    /// Regions and postcodes that have no form in the grammar, in normal form, and as they came first.
    pub(super) written: BTreeMap<String, u32>,
    /// Houses and stretches that were added, where older ones are to be replaced.
    pub(super) newer: FastMap<House, ()>,
    pub(super) newer_stretches: FastMap<Stretch, ()>,
    pub(super) remembers_rows: bool,
    /// Houses of an older reference to be left out, and whether it has them.
    pub(super) withdrawn: FastMap<House, bool>,
}

impl National {
    /// Nothing yet; so many points stay in memory.
    pub(super) fn new(country: &'static str, grammar: &'static Grammar, most: usize) -> Self {
        let mut strings = Pool::default();
        strings.id("");
        National {
            country,
            grammar,
            strings,
            streets: FastMap::default(),
            street_keys: Vec::new(),
            street_displays: Vec::new(),
            parsed: FastMap::default(),
            place_ids: FastMap::default(),
            only_of_name: FastMap::default(),
            places: Vec::new(),
            names: Vec::new(),
            suffixes: FastMap::default(),
            suffix_list: Vec::new(),
            points: Spool::new(most),
            segments: Spool::new(most / 2),
            vertices: Spool::new(most * 2),
            postcodes: BTreeMap::new(),
            areas: Vec::new(),
            counts: [0; 5],
            folded: 0,
            apart: 0,
            place_streets: Vec::new(),
            written: BTreeMap::new(),
            newer: FastMap::default(),
            newer_stretches: FastMap::default(),
            remembers_rows: false,
            withdrawn: FastMap::default(),
        }
    }

    /// Adds a row, or says why it cannot be used.
    pub(super) fn add(&mut self, entry: &Entry) -> Result<(), Unusable> {
        match entry {
            Entry::Point(p) => self.add_point(p),
            Entry::Segment(s) => self.add_segment(s),
            Entry::Postcode(p) => self.add_postcode(p),
            Entry::Place(p) => self.add_place(p),
            Entry::Area(a) => {
                Self::check_area(entry)?;
                self.add_area(a)
            }
        }
    }

    /// The code of a region, else its words; as it is written is kept.
    fn region(&mut self, text: &str) -> String {
        let words = normal::words(text);
        if let Some(code) = self.grammar.region(&words) {
            return code.into();
        }
        self.keep_written(&words, text);
        words
    }

    fn keep_written(&mut self, normal: &str, text: &str) {
        if !normal.is_empty() && !self.written.contains_key(normal) {
            let written = text.split_whitespace().collect::<Vec<_>>().join(" ");
            let written = self.strings.id(&written);
            self.written.insert(normal.to_string(), written);
        }
    }

    /// The place of a name, made where it is not there. Of several with the same name and region it is the one that
    /// is nearest to the position.
    pub(super) fn place(
        &mut self,
        name: &str,
        region: &str,
        kind: PlaceKind,
        at: Option<(f64, f64)>,
    ) -> Result<u32, Unusable> {
        let key = normal::words(name);
        if key.is_empty() {
            return Err(Unusable::NoLocality { postcode: String::new() });
        }
        let region = self.region(region);
        let mut group = (self.strings.id(&key), self.strings.id(&region), kind);
        // A row that updates an older one need not say the region again.
        if self.remembers_rows && region.is_empty() && !self.place_ids.contains_key(&group) {
            group = self.only_of_name.get(&(group.0, kind)).copied().flatten().unwrap_or(group);
        }
        if let Some(ids) = self.place_ids.get(&group) {
            if let ([first, _, ..], Some((lon, lat))) = (ids.as_slice(), at) {
                let far =
                    |id: &u32| self.places[*id as usize].position.map_or(f64::MAX, |(x, y)| (x - lon).hypot(y - lat));
                return Ok(ids.iter().copied().min_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(*first));
            }
            return Ok(ids[0]);
        }
        Ok(self.new_place(name, &key, group))
    }

    fn new_place(&mut self, name: &str, key: &str, group: (u32, u32, PlaceKind)) -> u32 {
        let id = self.places.len() as u32;
        // A name in capitals is written as a name.
        let display = if name.chars().any(char::is_lowercase) {
            name.split_whitespace().collect::<Vec<_>>().join(" ")
        } else {
            normal::title(key)
        };
        let display = self.strings.id(&display);
        self.places.push(Place { display, region: group.1, kind: group.2, ..Default::default() });
        self.place_ids.entry(group).or_default().push(id);
        let only = self.only_of_name.entry((group.0, group.2)).or_insert(Some(group));
        *only = only.filter(|first| *first == group);
        self.names.push((group.0, id));
        id
    }

    pub(super) fn street(&mut self, street: &str, place: u32) -> Result<u32, Unusable> {
        if !self.parsed.contains_key(street) {
            if self.parsed.len() >= REMEMBERED {
                self.parsed.clear();
            }
            self.parsed.insert(street.to_string(), parse_street(street, self.grammar));
        }
        let a = &self.parsed[street];
        if a.name.is_empty() {
            return Err(Unusable::NoStreet);
        }
        let code = |c: Option<u8>| c.unwrap_or(NO_CODE);
        let (pre, kind, post) = (code(a.pre_direction), code(a.street_type), code(a.post_direction));
        let key = StreetKey { name: self.strings.id(&a.name), pre, kind, post, place };
        if let Some(id) = self.streets.get(&key) {
            return Ok(*id);
        }
        let says_more = self.grammar.type_place != TypePlace::After || !street.is_ascii();
        let display = if says_more && street.chars().any(char::is_lowercase) {
            self.strings.id(&street.split_whitespace().collect::<Vec<_>>().join(" "))
        } else {
            NONE
        };
        Ok(self.street_of(key, display))
    }

    /// The street of a key, made where it is not there.
    pub(super) fn street_of(&mut self, key: StreetKey, display: u32) -> u32 {
        let next = self.street_keys.len() as u32;
        let id = *self.streets.entry(key).or_insert(next);
        if id == next {
            self.street_keys.push(key);
            self.street_displays.push(display);
        }
        id
    }

    /// The string of a postcode and its extension; [`NONE`] where there is none.
    pub(super) fn postcode(
        &mut self,
        text: &str,
        place: Option<u32>,
        region: &str,
        at: Option<(f64, f64)>,
    ) -> (u32, u32) {
        let words = normal::short_words(normal::without_decimals(text));
        if words.is_empty() {
            return (NONE, 0);
        }
        let (code, extension) = self.grammar.postcode(&words).unwrap_or_else(|| match words.split_once(['-', ' ']) {
            // A code of another shape, cut before what may be an extension.
            Some((code, _)) if self.grammar.postcode_extension > 0 => (code.into(), Text::default()),
            _ => (words.clone(), Text::default()),
        });
        if self.grammar.country.is_empty() {
            self.keep_written(&code, text);
        }
        let region = self.region(region);
        let region_id = self.strings.id(&region);
        let entry = self.postcodes.entry(code.clone()).or_default();
        if entry.region == 0 {
            entry.region = region_id;
        }
        entry.places.extend(place);
        if let Some((lon, lat)) = at {
            entry.sum = (entry.sum.0 + lon, entry.sum.1 + lat, entry.sum.2 + 1);
        }
        // One more than the extension, so that 0 is none.
        let extension = extension.parse::<u32>().map_or(0, |e| (e + 1).min(0xFFFF));
        (self.strings.id(&code), extension)
    }

    pub(super) fn suffix(&mut self, text: &str) -> Result<u32, Unusable> {
        let id = self.strings.id(text);
        if let Some(at) = self.suffixes.get(&id) {
            return Ok(*at);
        }
        let at = self.suffix_list.len() as u32;
        if at > 0xFFFF {
            return Err(Unusable::TooMany("suffix of a house number"));
        }
        self.suffix_list.push(id);
        self.suffixes.insert(id, at);
        Ok(at)
    }

    /// Street, number, suffix and unit of a row, and the locality; a position tells localities of one name apart.
    pub(super) fn house(&mut self, p: &PointEntry, at: Option<(f64, f64)>) -> Result<(House, u32), Unusable> {
        // A house without a number has its name for a suffix of no number.
        let is_name = |words: &str| words.split(' ').any(|w| w.chars().filter(|c| c.is_alphabetic()).count() >= 3);
        let (number, suffix) = match (parse_number(&p.number, self.grammar), normal::short_words(&p.number)) {
            (Some(found), _) => found,
            (None, name) if is_name(&name) && !normal::is_nothing(&name) => (0, name),
            _ => return Err(Unusable::NoNumber { given: p.number.clone() }),
        };
        let suffix = self.suffix(&suffix)?;
        let place = if normal::words(&p.locality).is_empty() {
            self.place_of_postcode(&p.postcode, (p.lon, p.lat))?
        } else {
            self.place(&p.locality, &p.region, PlaceKind::Locality, at)?
        };
        let street = self.street(&p.street, place)?;
        Ok(([street, number, suffix, self.unit(&p.unit)], place))
    }

    fn add_point(&mut self, p: &PointEntry) -> Result<(), Unusable> {
        check(p.lon, p.lat)?;
        let at = Some((p.lon, p.lat));
        let (house, place) = self.house(p, at)?;
        let (postcode, extension) = self.postcode(&p.postcode, Some(place), &p.region, at);
        if self.remembers_rows {
            self.newer.insert(house, ());
        }
        let [street, number, suffix, unit] = house;
        let accuracy = p.accuracy_m.unwrap_or(ACCURACY_M).max(0.0);
        self.push_point([street, number, suffix << 16 | extension, postcode, unit], (p.lon, p.lat), accuracy)
    }

    /// The string of a unit in standard form; that of the empty text for none.
    pub(super) fn unit(&mut self, text: &str) -> u32 {
        let words = normal::short_words(text);
        if normal::is_nothing(&words) {
            return BUILDING;
        }
        self.strings.id(&unit_text(&words, self.grammar))
    }

    /// Adds a house: street, number, suffix with extension, postcode, unit.
    pub(super) fn push_point(
        &mut self,
        house: [u32; 5],
        (lon, lat): (f64, f64),
        accuracy_m: f64,
    ) -> Result<(), Unusable> {
        let [street, number, suffix, postcode, unit] = house;
        let l = &mut self.places[self.street_keys[street as usize].place as usize];
        l.sum = (l.sum.0 + lon, l.sum.1 + lat, l.sum.2 + 1);
        let accuracy = (accuracy_m * 10.0).ceil() as u32;
        self.points.push([street, number, suffix, postcode, fixed(lon) as u32, fixed(lat) as u32, accuracy, unit])?;
        self.counts[0] += 1;
        Ok(())
    }

    /// The locality of a postcode, the nearest of several.
    pub(super) fn place_of_postcode(&self, text: &str, (lon, lat): (f64, f64)) -> Result<u32, Unusable> {
        let words = normal::short_words(normal::without_decimals(text));
        let code = self.grammar.postcode(&words).map_or(words, |(code, _)| code);
        let far = |id: &u32| self.places[*id as usize].position.map_or(f64::MAX, |(x, y)| (x - lon).hypot(y - lat));
        let places = self.postcodes.get(&code).map(|p| &p.places);
        let nearest = places.and_then(|all| all.iter().copied().min_by(|a, b| far(a).total_cmp(&far(b))));
        nearest.ok_or_else(|| Unusable::NoLocality { postcode: code.to_string() })
    }

    fn add_segment(&mut self, s: &SegmentEntry) -> Result<(), Unusable> {
        if s.line.len() < 2 {
            return Err(Unusable::ShortLine);
        }
        for (lon, lat) in &s.line {
            check(*lon, *lat)?;
        }
        let middle = s.line[s.line.len() / 2];
        let mut places = [None; 2];
        for (side, name) in s.locality.iter().enumerate() {
            if !normal::words(name).is_empty() {
                places[side] = Some(self.place(name, &s.region, PlaceKind::Locality, Some(middle))?);
            }
        }
        let (Some(left), Some(right)) = (places[0].or(places[1]), places[1].or(places[0])) else {
            return Err(Unusable::NoLocality { postcode: s.postcode.join(" ").trim().to_string() });
        };
        let postcodes = [
            self.postcode(&s.postcode[0], Some(left), &s.region, Some(middle)).0,
            self.postcode(&s.postcode[1], Some(right), &s.region, Some(middle)).0,
        ];
        // A street on a boundary is one of both localities, each with the numbers of its own side.
        let sides = if left == right {
            vec![(left, [s.left, s.right])]
        } else {
            vec![(left, [s.left, None]), (right, [None, s.right])]
        };
        let mut stretches = Vec::new();
        for (place, ranges) in sides {
            stretches.push((self.street(&s.street, place)?, ranges));
        }
        if self.remembers_rows {
            self.newer_stretches.extend(stretches.iter().map(|stretch| (*stretch, ())));
        }
        self.push_segments(&stretches, postcodes, s.parity, &s.line)
    }

    /// Adds one line as a stretch of streets, with the ranges of each.
    pub(super) fn push_segments(
        &mut self,
        stretches: &[Stretch],
        postcodes: [u32; 2],
        parity: [Parity; 2],
        line: &[(f64, f64)],
    ) -> Result<(), Unusable> {
        let first = self.vertices.len() as u32;
        let parity = parity[0] as u32 | (parity[1] as u32) << 8;
        let middle = line.get(line.len() / 2).copied().unwrap_or_default();
        let pair = |r: Option<(u32, u32)>| r.map_or([NONE, NONE], |(a, b)| [a, b]);
        for (x, y) in line {
            self.vertices.push([fixed(*x) as u32, fixed(*y) as u32])?;
        }
        for (street, [left, right]) in stretches {
            let l = &mut self.places[self.street_keys[*street as usize].place as usize];
            l.sum = (l.sum.0 + middle.0, l.sum.1 + middle.1, l.sum.2 + 1);
            let ([a, b], [c, d]) = (pair(*left), pair(*right));
            let n = line.len() as u32;
            self.segments.push([*street, a, b, c, d, postcodes[0], postcodes[1], first, n, parity])?;
        }
        self.counts[1] += 1;
        Ok(())
    }

    pub(super) fn add_postcode(&mut self, p: &PostcodeEntry) -> Result<(), Unusable> {
        check(p.lon, p.lat)?;
        if p.postcode.trim().is_empty() {
            return Err(Unusable::NoPostcode);
        }
        let place = if normal::words(&p.locality).is_empty() {
            None
        } else {
            let id = self.place(&p.locality, &p.region, PlaceKind::Locality, Some((p.lon, p.lat)))?;
            let l = &mut self.places[id as usize];
            l.sum = (l.sum.0 + p.lon, l.sum.1 + p.lat, l.sum.2 + 1);
            Some(id)
        };
        let (id, _) = self.postcode(&p.postcode, place, &p.region, None);
        let code = self.strings.get(id).to_string();
        if let Some(entry) = self.postcodes.get_mut(code.as_str()) {
            // A postcode that stands several times, once for each of its localities, has the middle that came first.
            entry.position = entry.position.or(Some((p.lon, p.lat)));
            entry.radius_m = entry.radius_m.or(p.radius_m);
        }
        self.counts[2] += 1;
        Ok(())
    }

    pub(super) fn add_place(&mut self, p: &PlaceEntry) -> Result<(), Unusable> {
        check(p.lon, p.lat)?;
        let key = normal::words(&p.name);
        if key.is_empty() {
            return Err(Unusable::NoName);
        }
        let region = if p.kind == PlaceKind::Region && p.region.trim().is_empty() { &p.name } else { &p.region };
        let region = self.region(region);
        let group = (self.strings.id(&key), self.strings.id(&region), p.kind);
        let parent = self.strings.id(p.parent.trim());
        let within = self.strings.id(&normal::words(&p.locality));
        let is_same = |there: &Place| {
            let Some((x, y)) = there.position else { return true };
            let apart = (x - p.lon).abs().max((y - p.lat).abs());
            let differ = |a: u32, b: u32| a != 0 && b != 0 && a != b;
            // Every town has its town hall; towns of one name in two counties are two.
            let most = match p.kind {
                PlaceKind::Landmark if differ(there.within, within) => 0.0,
                PlaceKind::Landmark => LANDMARK_DEGREES,
                _ if differ(there.parent, parent) => OTHER_PARENT_DEGREES,
                _ => HOMONYM_DEGREES,
            };
            apart <= most
        };
        let ids = self.place_ids.get(&group);
        let near = ids.and_then(|ids| ids.iter().copied().find(|id| is_same(&self.places[*id as usize])));
        let id = near.unwrap_or_else(|| self.new_place(&p.name, &key, group));
        let l = &mut self.places[id as usize];
        if l.position.is_none() {
            l.position = Some((p.lon, p.lat));
        }
        l.radius_m = l.radius_m.or(p.radius_m);
        if l.parent == 0 {
            l.parent = parent;
        }
        if l.within == 0 {
            l.within = within;
        }
        for other in &p.other_names {
            let key = normal::words(other);
            if !key.is_empty() {
                let key = self.strings.id(&key);
                self.names.push((key, id));
            }
        }
        self.counts[3] += 1;
        Ok(())
    }

    /// Whether an area can be used; other rows are checked when they are added.
    pub(super) fn check_area(entry: &Entry) -> Result<(), Unusable> {
        let Entry::Area(a) = entry else { return Ok(()) };
        if a.rings.iter().all(|r| r.len() < 4) {
            return Err(Unusable::NoRing);
        }
        a.rings.iter().flatten().try_for_each(|(lon, lat)| check(*lon, *lat))
    }

    fn add_area(&mut self, a: &AreaEntry) -> Result<(), Unusable> {
        let mut bounds = [i32::MAX, i32::MAX, i32::MIN, i32::MIN];
        let mut rings = Vec::new();
        for ring in &a.rings {
            let ring: Vec<(i32, i32)> = ring.iter().map(|(x, y)| (fixed(*x), fixed(*y))).collect();
            for (x, y) in &ring {
                bounds = [bounds[0].min(*x), bounds[1].min(*y), bounds[2].max(*x), bounds[3].max(*y)];
            }
            rings.push(ring);
        }
        let attributes = a
            .attributes
            .iter()
            .filter(|(_, v)| !v.trim().is_empty())
            .map(|(n, v)| (self.strings.id(n.trim()), self.strings.id(v.trim())))
            .collect();
        self.areas.push(Area { attributes, rings, bounds });
        self.counts[4] += 1;
        Ok(())
    }

    /// Whether there is nothing to match against.
    pub(super) fn is_empty(&self) -> bool {
        // Areas alone are around nothing.
        self.counts[..4].iter().all(|n| *n == 0)
    }
}
