//! Builds a reference.

use super::file::*;
use crate::error::Error;
use crate::grammar::Grammar;
use crate::normal;
use crate::parse::{ParsedAddress, parse_street};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::io::Write;
use std::path::Path;

/// One row of a source.
#[derive(Debug, Clone, PartialEq)]
pub enum Entry {
    /// A building or entrance.
    Point(PointEntry),
    /// A stretch of a thoroughfare with number ranges.
    Segment(SegmentEntry),
    /// A postcode's middle.
    Postcode(PostcodeEntry),
    /// A locality.
    Place(PlaceEntry),
}

/// An address point.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PointEntry {
    /// House number with suffix.
    pub number: String,
    /// Thoroughfare with directions and type.
    pub street: String,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode, with or without extension.
    pub postcode: String,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
}

/// A street segment. "Left" and "right" are seen along its line.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SegmentEntry {
    /// Thoroughfare with directions and type.
    pub street: String,
    /// First and last number on the left.
    pub left: Option<(u32, u32)>,
    /// First and last number on the right.
    pub right: Option<(u32, u32)>,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode on the left.
    pub left_postcode: String,
    /// Postcode on the right.
    pub right_postcode: String,
    /// Longitudes and latitudes of the line, degrees.
    pub line: Vec<(f64, f64)>,
}

/// A postcode.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PostcodeEntry {
    /// The postcode.
    pub postcode: String,
    /// Its locality.
    pub locality: String,
    /// Its region.
    pub region: String,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
}

/// A locality.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PlaceEntry {
    /// Name.
    pub name: String,
    /// Other names.
    pub other_names: Vec<String>,
    /// Region.
    pub region: String,
    /// What it lies in (county, district).
    pub parent: String,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
}

#[derive(Default)]
struct Pool {
    ids: HashMap<String, u32>,
    bytes: Vec<u8>,
    ends: Vec<u32>,
}

impl Pool {
    fn id(&mut self, s: &str) -> u32 {
        if let Some(id) = self.ids.get(s) {
            return *id;
        }
        let id = self.ends.len() as u32;
        self.bytes.extend_from_slice(s.as_bytes());
        self.ends.push(self.bytes.len() as u32);
        self.ids.insert(s.to_string(), id);
        id
    }

    fn get(&self, id: u32) -> &str {
        let end = self.ends[id as usize] as usize;
        let start = if id == 0 { 0 } else { self.ends[id as usize - 1] as usize };
        std::str::from_utf8(&self.bytes[start..end]).unwrap_or("")
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
struct StreetKey {
    name: u32,
    pre: u8,
    kind: u8,
    post: u8,
    locality: u32,
}

#[derive(Default)]
struct Locality {
    display: u32,
    region: u32,
    parent: u32,
    position: Option<(f64, f64)>,
    sum: (f64, f64, u32),
}

struct Point {
    street: u32,
    number: u32,
    suffix: u32,
    postcode: u32,
    lon: i32,
    lat: i32,
}

struct Segment {
    street: u32,
    ranges: [u32; 4],
    postcodes: [u32; 2],
    line: Vec<(i32, i32)>,
}

#[derive(Default)]
struct Postcode {
    position: Option<(f64, f64)>,
    sum: (f64, f64, u32),
    region: u32,
    localities: BTreeSet<u32>,
}

/// Collects rows and writes the reference.
pub struct Builder {
    grammar: &'static Grammar,
    strings: Pool,
    streets: HashMap<StreetKey, u32>,
    street_keys: Vec<StreetKey>,
    /// Parsed thoroughfares by their text: sources repeat them thousands of times.
    parsed: HashMap<String, ParsedAddress>,
    locality_ids: HashMap<(u32, u32), u32>,
    localities: Vec<Locality>,
    other_names: Vec<(u32, u32)>,
    points: Vec<Point>,
    segments: Vec<Segment>,
    postcodes: BTreeMap<String, Postcode>,
    counts: [u64; 4],
    folded: u64,
}

/// A direction or type that is not there.
pub(super) const NO_CODE: u8 = 0xFF;

impl Builder {
    /// An empty builder for a country's grammar.
    pub fn new(grammar: &'static Grammar) -> Self {
        let mut strings = Pool::default();
        strings.id("");
        Builder {
            grammar,
            strings,
            streets: HashMap::new(),
            street_keys: Vec::new(),
            parsed: HashMap::new(),
            locality_ids: HashMap::new(),
            localities: Vec::new(),
            other_names: Vec::new(),
            points: Vec::new(),
            segments: Vec::new(),
            postcodes: BTreeMap::new(),
            counts: [0; 4],
            folded: 0,
        }
    }

    /// Adds a row.
    ///
    /// # Errors
    /// Why the row cannot be used, in words; it is then not part of the reference.
    pub fn add(&mut self, entry: &Entry) -> Result<(), String> {
        match entry {
            Entry::Point(p) => self.add_point(p),
            Entry::Segment(s) => self.add_segment(s),
            Entry::Postcode(p) => self.add_postcode(p),
            Entry::Place(p) => self.add_place(p),
        }
    }

    fn region(&self, text: &str) -> String {
        let words = normal::words(text);
        self.grammar.region(&words).map_or(words, String::from)
    }

    fn locality(&mut self, name: &str, region: &str) -> Result<u32, String> {
        let key = normal::words(name);
        if key.is_empty() {
            return Err("has no locality; a city or town is expected".into());
        }
        let region = self.region(region);
        let pair = (self.strings.id(&key), self.strings.id(&region));
        if let Some(id) = self.locality_ids.get(&pair) {
            return Ok(*id);
        }
        let id = self.localities.len() as u32;
        // A name in capitals is written as a name.
        let display = if name.chars().any(char::is_lowercase) {
            name.split_whitespace().collect::<Vec<_>>().join(" ")
        } else {
            normal::title(&key)
        };
        let display = self.strings.id(&display);
        self.localities.push(Locality { display, region: pair.1, ..Default::default() });
        self.locality_ids.insert(pair, id);
        self.other_names.push((pair.0, id));
        Ok(id)
    }

    fn street(&mut self, street: &str, locality: u32) -> Result<u32, String> {
        if !self.parsed.contains_key(street) {
            self.parsed.insert(street.to_string(), parse_street(street, self.grammar));
        }
        let a = &self.parsed[street];
        if a.name.is_empty() {
            return Err("has no street name".into());
        }
        let code = |c: Option<u8>| c.unwrap_or(NO_CODE);
        let (pre, kind, post, name) =
            (code(a.pre_direction), code(a.street_type), code(a.post_direction), a.name.clone());
        let key = StreetKey { name: self.strings.id(&name), pre, kind, post, locality };
        let next = self.street_keys.len() as u32;
        let id = *self.streets.entry(key).or_insert(next);
        if id == next {
            self.street_keys.push(key);
        }
        Ok(id)
    }

    fn postcode(&mut self, text: &str, locality: u32, region: &str, at: Option<(f64, f64)>) -> u32 {
        let words = normal::words(text);
        let digits = self.grammar.postcode_digits.0;
        let code = match words.split_once(['-', ' ']) {
            Some((code, _)) => code.to_string(),
            None if words.len() == digits + self.grammar.postcode_digits.1 => words[..digits].to_string(),
            None => words,
        };
        if code.is_empty() {
            return NONE;
        }
        let region = self.region(region);
        let region_id = self.strings.id(&region);
        let entry = self.postcodes.entry(code.clone()).or_default();
        if entry.region == 0 {
            entry.region = region_id;
        }
        entry.localities.insert(locality);
        if let Some((lon, lat)) = at {
            entry.sum = (entry.sum.0 + lon, entry.sum.1 + lat, entry.sum.2 + 1);
        }
        self.strings.id(&code)
    }

    fn add_point(&mut self, p: &PointEntry) -> Result<(), String> {
        check(p.lon, p.lat)?;
        let words = normal::words(&p.number);
        let digits = words.bytes().take_while(u8::is_ascii_digit).count();
        let number: u32 =
            words[..digits].parse().map_err(|_| format!("house number \"{}\" does not begin with digits", p.number))?;
        let suffix = self.strings.id(words[digits..].trim().trim_start_matches('-'));
        let locality = self.locality(&p.locality, &p.region)?;
        let street = self.street(&p.street, locality)?;
        let postcode = self.postcode(&p.postcode, locality, &p.region, Some((p.lon, p.lat)));
        let l = &mut self.localities[locality as usize];
        l.sum = (l.sum.0 + p.lon, l.sum.1 + p.lat, l.sum.2 + 1);
        self.points.push(Point { street, number, suffix, postcode, lon: fixed(p.lon), lat: fixed(p.lat) });
        self.counts[0] += 1;
        Ok(())
    }

    fn add_segment(&mut self, s: &SegmentEntry) -> Result<(), String> {
        if s.line.len() < 2 {
            return Err("has a line of fewer than two points".into());
        }
        for (lon, lat) in &s.line {
            check(*lon, *lat)?;
        }
        if s.left.is_none() && s.right.is_none() {
            return Err("has no number range on either side".into());
        }
        let locality = self.locality(&s.locality, &s.region)?;
        let street = self.street(&s.street, locality)?;
        let middle = s.line[s.line.len() / 2];
        let postcodes = [
            self.postcode(&s.left_postcode, locality, &s.region, Some(middle)),
            self.postcode(&s.right_postcode, locality, &s.region, Some(middle)),
        ];
        let l = &mut self.localities[locality as usize];
        l.sum = (l.sum.0 + middle.0, l.sum.1 + middle.1, l.sum.2 + 1);
        let pair = |r: Option<(u32, u32)>| r.map_or([NONE, NONE], |(a, b)| [a, b]);
        let ([a, b], [c, d]) = (pair(s.left), pair(s.right));
        self.segments.push(Segment {
            street,
            ranges: [a, b, c, d],
            postcodes,
            line: s.line.iter().map(|(x, y)| (fixed(*x), fixed(*y))).collect(),
        });
        self.counts[1] += 1;
        Ok(())
    }

    fn add_postcode(&mut self, p: &PostcodeEntry) -> Result<(), String> {
        check(p.lon, p.lat)?;
        if p.postcode.trim().is_empty() {
            return Err("has no postcode".into());
        }
        let locality = self.locality(&p.locality, &p.region)?;
        let id = self.postcode(&p.postcode, locality, &p.region, None);
        let code = self.strings.get(id).to_string();
        if let Some(entry) = self.postcodes.get_mut(&code) {
            entry.position = Some((p.lon, p.lat));
        }
        self.counts[2] += 1;
        Ok(())
    }

    fn add_place(&mut self, p: &PlaceEntry) -> Result<(), String> {
        check(p.lon, p.lat)?;
        let id = self.locality(&p.name, &p.region)?;
        let parent = self.strings.id(p.parent.trim());
        let l = &mut self.localities[id as usize];
        l.position = Some((p.lon, p.lat));
        l.parent = parent;
        for other in &p.other_names {
            let key = normal::words(other);
            if !key.is_empty() {
                let key = self.strings.id(&key);
                self.other_names.push((key, id));
            }
        }
        self.counts[3] += 1;
        Ok(())
    }

    /// Rows that were the same address point as another row of the sources, known after [`Builder::write`].
    pub fn folded(&self) -> u64 {
        self.folded
    }

    /// Writes the reference beside its final place and moves it there.
    ///
    /// # Errors
    /// [`Error::Empty`] without a usable row, [`Error::Io`] where it cannot be written.
    pub fn write(&mut self, path: &Path) -> Result<(), Error> {
        if self.localities.is_empty() {
            return Err(Error::Empty);
        }
        self.merge_localities();
        let sections = self.sections()?;
        let mut body = Vec::new();
        let mut at = (HEADER + 16 * SECTIONS) as u64;
        for s in &sections {
            body.extend(at.to_le_bytes());
            body.extend((s.len() as u64).to_le_bytes());
            // Sections begin at multiples of eight.
            at += (s.len() as u64).next_multiple_of(8);
        }
        for s in sections {
            body.extend_from_slice(&s);
            body.resize(body.len().next_multiple_of(8), 0);
        }
        let io = |source| Error::Io { path: path.to_path_buf(), source };
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let temporary = folder.join(format!(".basilocus-{}.partial", std::process::id()));
        let written = (|| {
            let mut file = std::fs::File::create(&temporary)?;
            file.write_all(MAGIC)?;
            file.write_all(&VERSION.to_le_bytes())?;
            file.write_all(&(SECTIONS as u32).to_le_bytes())?;
            file.write_all(&checksum(&body).to_le_bytes())?;
            file.write_all(&body)?;
            file.sync_all()?;
            std::fs::rename(&temporary, path)
        })();
        if written.is_err() {
            let _ = std::fs::remove_file(&temporary);
        }
        written.map_err(io)
    }

    /// A locality that one source gives without its region is the one of that name that another gives with it, where
    /// there is only one; two of them would tie with each other for ever.
    fn merge_localities(&mut self) {
        let mut target: Vec<u32> = (0..self.localities.len() as u32).collect();
        for ((name, region), id) in &self.locality_ids {
            if !self.strings.get(*region).is_empty() {
                continue;
            }
            let mut named = self.locality_ids.iter().filter(|((n, _), i)| n == name && *i != id).map(|(_, i)| *i);
            if let (Some(only), None) = (named.next(), named.next()) {
                target[*id as usize] = only;
            }
        }
        if target.iter().enumerate().all(|(i, t)| i as u32 == *t) {
            return;
        }
        // New numbers without gaps, in the old order.
        let mut number = vec![NONE; target.len()];
        let mut kept: Vec<Locality> = Vec::new();
        let mut merged: Vec<(u32, Locality)> = Vec::new();
        for (i, locality) in std::mem::take(&mut self.localities).into_iter().enumerate() {
            if target[i] == i as u32 {
                number[i] = kept.len() as u32;
                kept.push(locality);
            } else {
                merged.push((target[i], locality));
            }
        }
        for (into, from) in merged {
            let l = &mut kept[number[into as usize] as usize];
            l.sum = (l.sum.0 + from.sum.0, l.sum.1 + from.sum.1, l.sum.2 + from.sum.2);
            l.position = l.position.or(from.position);
            if l.parent == 0 {
                l.parent = from.parent;
            }
        }
        let renumber = |id: u32| number[target[id as usize] as usize];
        let mut streets = HashMap::new();
        let mut keys = Vec::new();
        let street_number: Vec<u32> = self
            .street_keys
            .iter()
            .map(|key| {
                let key = StreetKey { locality: renumber(key.locality), ..*key };
                *streets.entry(key).or_insert_with(|| {
                    keys.push(key);
                    keys.len() as u32 - 1
                })
            })
            .collect();
        self.points.iter_mut().for_each(|p| p.street = street_number[p.street as usize]);
        self.segments.iter_mut().for_each(|s| s.street = street_number[s.street as usize]);
        for p in self.postcodes.values_mut() {
            p.localities = p.localities.iter().map(|l| renumber(*l)).collect();
            if p.region == 0
                && let Some(l) = p.localities.first()
            {
                p.region = kept[*l as usize].region;
            }
        }
        self.other_names.iter_mut().for_each(|(_, id)| *id = renumber(*id));
        self.locality_ids.values_mut().for_each(|id| *id = renumber(*id));
        (self.streets, self.street_keys, self.localities) = (streets, keys, kept);
    }

    fn sections(&mut self) -> Result<Vec<Vec<u8>>, Error> {
        // Streets sorted by name (as text), then locality; ids of names follow that order.
        let mut order: Vec<u32> = (0..self.street_keys.len() as u32).collect();
        {
            let (keys, strings) = (&self.street_keys, &self.strings);
            order.sort_unstable_by(|a, b| {
                let (a, b) = (&keys[*a as usize], &keys[*b as usize]);
                strings
                    .get(a.name)
                    .cmp(strings.get(b.name))
                    .then(a.locality.cmp(&b.locality))
                    .then((a.pre, a.kind, a.post).cmp(&(b.pre, b.kind, b.post)))
            });
        }
        let mut rank = vec![0u32; order.len()];
        for (i, id) in order.iter().enumerate() {
            rank[*id as usize] = i as u32;
        }
        let (strings, points, segments) = (&self.strings, &mut self.points, &mut self.segments);
        points.iter_mut().for_each(|p| p.street = rank[p.street as usize]);
        segments.iter_mut().for_each(|s| s.street = rank[s.street as usize]);
        points.sort_by(|a, b| {
            (a.street, a.number)
                .cmp(&(b.street, b.number))
                .then_with(|| strings.get(a.suffix).cmp(strings.get(b.suffix)))
        });
        // The same address at the same place is one point (units of one building).
        let before = points.len();
        points.dedup_by(|b, a| {
            a.street == b.street
                && a.number == b.number
                && a.suffix == b.suffix
                && a.postcode == b.postcode
                && (a.lon - b.lon).abs() < 20
                && (a.lat - b.lat).abs() < 20
        });
        self.folded = (before - points.len()) as u64;
        segments.sort_by_key(|s| (s.street, s.ranges));

        let mut out: Vec<Vec<u8>> = vec![Vec::new(); SECTIONS];
        let put = |v: &mut Vec<u8>, values: &[u32]| values.iter().for_each(|x| v.extend(x.to_le_bytes()));
        let span = |from: usize, all: &dyn Fn(usize) -> Option<u32>, street: u32| {
            let mut end = from;
            while all(end) == Some(street) {
                end += 1;
            }
            end
        };
        let (mut point_at, mut segment_at) = (0, 0);
        let mut names: Vec<(u32, u32, u32)> = Vec::new();
        for (i, id) in order.iter().enumerate() {
            let key = self.street_keys[*id as usize];
            let point_end = span(point_at, &|j| points.get(j).map(|p| p.street), i as u32);
            let segment_end = span(segment_at, &|j| segments.get(j).map(|s| s.street), i as u32);
            // Where the street is: the mean of its points, else of its segments.
            let mut sum = (0f64, 0f64, 0f64);
            for p in &points[point_at..point_end] {
                sum = (sum.0 + f64::from(p.lon), sum.1 + f64::from(p.lat), sum.2 + 1.0);
            }
            if sum.2 == 0.0 {
                for (x, y) in segments[segment_at..segment_end].iter().flat_map(|s| &s.line) {
                    sum = (sum.0 + f64::from(*x), sum.1 + f64::from(*y), sum.2 + 1.0);
                }
            }
            let middle = if sum.2 > 0.0 { ((sum.0 / sum.2) as i32, (sum.1 / sum.2) as i32) } else { (0, 0) };
            match names.last_mut() {
                Some((name, _, n)) if *name == key.name => *n += 1,
                _ => names.push((key.name, i as u32, 1)),
            }
            let v = &mut out[Section::Streets as usize];
            put(v, &[(names.len() - 1) as u32, u32::from_le_bytes([key.pre, key.kind, key.post, 0]), key.locality]);
            put(
                v,
                &[
                    point_at as u32,
                    (point_end - point_at) as u32,
                    segment_at as u32,
                    (segment_end - segment_at) as u32,
                    middle.0 as u32,
                    middle.1 as u32,
                    0,
                    0,
                ],
            );
            (point_at, segment_at) = (point_end, segment_end);
        }
        for (name, first, n) in &names {
            put(&mut out[Section::Names as usize], &[*name, *first, *n]);
        }
        for p in points.iter() {
            put(
                &mut out[Section::Points as usize],
                &[p.street, p.number, p.suffix, p.postcode, p.lon as u32, p.lat as u32],
            );
        }
        let mut vertex = 0u32;
        for s in segments.iter() {
            put(
                &mut out[Section::Segments as usize],
                &[
                    s.street,
                    s.ranges[0],
                    s.ranges[1],
                    s.ranges[2],
                    s.ranges[3],
                    s.postcodes[0],
                    s.postcodes[1],
                    vertex,
                    s.line.len() as u32,
                    0,
                ],
            );
            vertex += s.line.len() as u32;
            for (x, y) in &s.line {
                put(&mut out[Section::Vertices as usize], &[*x as u32, *y as u32]);
            }
        }
        let at = |position: Option<(f64, f64)>, sum: (f64, f64, u32)| match (position, sum.2) {
            (Some(p), _) => (fixed(p.0) as u32, fixed(p.1) as u32, 1),
            (None, n) if n > 0 => (fixed(sum.0 / f64::from(n)) as u32, fixed(sum.1 / f64::from(n)) as u32, 1),
            _ => (0, 0, 0),
        };
        for l in &self.localities {
            let (x, y, known) = at(l.position, l.sum);
            put(&mut out[Section::Localities as usize], &[l.display, l.region, l.parent, x, y, known]);
        }
        let mut locality_names = self.other_names.clone();
        locality_names.sort_by(|a, b| strings.get(a.0).cmp(strings.get(b.0)).then(a.1.cmp(&b.1)));
        locality_names.dedup();
        for (name, id) in &locality_names {
            put(&mut out[Section::LocalityNames as usize], &[*name, *id]);
        }
        let mut postcode_list = Vec::new();
        let mut codes = Vec::new();
        for (code, p) in &self.postcodes {
            let first = postcode_list.len() as u32;
            postcode_list.extend(p.localities.iter().copied());
            let (x, y, _) = at(p.position, p.sum);
            codes.push((code.clone(), [p.region, x, y, first, p.localities.len() as u32]));
        }
        put(&mut out[Section::PostcodeLocalities as usize], &postcode_list);
        for (code, rest) in codes {
            let id = self.strings.ids[&code];
            put(&mut out[Section::Postcodes as usize], &[id]);
            put(&mut out[Section::Postcodes as usize], &rest);
        }
        let strings = &self.strings;
        for (section, words) in [
            (Section::NameDeletes, names.iter().map(|n| n.0).collect::<Vec<_>>()),
            (Section::LocalityDeletes, locality_names.iter().map(|n| n.0).collect()),
        ] {
            let mut spellings: Vec<(u32, u32)> = Vec::new();
            for (i, word) in words.iter().enumerate() {
                each_spelling(strings.get(*word), 0..=2, &mut |hash| spellings.push((hash, i as u32)));
            }
            spellings.sort_unstable();
            spellings.dedup();
            for (hash, id) in spellings {
                put(&mut out[section as usize], &[hash, id]);
            }
        }
        out[Section::About as usize] = format!(
            "country {}\naddress points {}\nstreet segments {}\npostcodes {}\nplaces {}\nthe same address point again {}\n",
            self.grammar.country, self.counts[0], self.counts[1], self.counts[2], self.counts[3], self.folded
        )
        .into_bytes();
        out[Section::Strings as usize] = self.strings.bytes.clone();
        let mut ends = vec![0u32];
        ends.extend(&self.strings.ends);
        put(&mut out[Section::StringEnds as usize], &ends);
        if out.iter().any(|s| s.len() > u32::MAX as usize) {
            return Err(Error::TooLarge("4 GiB in one part"));
        }
        Ok(out)
    }
}

fn check(lon: f64, lat: f64) -> Result<(), String> {
    if lon.abs() <= 180.0 && lat.abs() <= 90.0 {
        Ok(())
    } else {
        Err(format!("position {lon}, {lat} is not a longitude and a latitude in degrees"))
    }
}
