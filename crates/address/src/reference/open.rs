//! Opens a reference by memory map and reads it in place.

use super::areas::Boxes;
use super::entry::{Parity, PlaceKind};
use super::file::*;
use super::map::Map;
use crate::country;
use crate::error::Error;
use crate::grammar::{self, Grammar};
use crate::normal;
use crate::parse::KnownNames;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

/// An open reference: what a file has of one country.
#[derive(Debug)]
pub struct Reference {
    path: PathBuf,
    map: Arc<Map>,
    /// First byte and bytes of its part of the file.
    part: (usize, usize),
    sections: [(usize, usize); SECTIONS],
    country: &'static str,
    grammar: &'static Grammar,
    boxes: OnceLock<Boxes>,
}

/// A thoroughfare of one locality.
#[derive(Debug, Clone, Copy)]
pub(crate) struct StreetView {
    pub name: u32,
    pub pre: Option<u8>,
    pub kind: Option<u8>,
    pub post: Option<u8>,
    pub place: u32,
    pub points: (u32, u32),
    pub segments: (u32, u32),
    /// String of the street as the source writes it, where that says more than its parts.
    pub display: Option<u32>,
    lon: f64,
    lat: f64,
}

/// An address point.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PointView {
    pub street: u32,
    pub number: u32,
    /// String of the suffix.
    pub suffix: u32,
    pub postcode: Option<u32>,
    pub extension: Option<u32>,
    pub lon: f64,
    pub lat: f64,
    /// How far the building may be from it, metres.
    pub accuracy_m: f64,
}

/// A street segment.
#[derive(Debug, Clone, Copy)]
pub(crate) struct SegmentView {
    pub street: u32,
    /// Left and right ranges.
    pub ranges: [Option<(u32, u32)>; 2],
    pub postcodes: [Option<u32>; 2],
    pub vertices: (u32, u32),
    pub parity: [Parity; 2],
}

impl SegmentView {
    /// Whether a side has numbers of the other parity only.
    pub(crate) fn parity_differs(&self, side: usize, number: u32) -> bool {
        let Some((from, to)) = self.ranges[side] else { return true };
        match self.parity[side] {
            Parity::Both => false,
            Parity::Odd => number.is_multiple_of(2),
            Parity::Even => !number.is_multiple_of(2),
            Parity::ByEnds => from % 2 == to % 2 && number % 2 != from % 2,
        }
    }
}

/// A locality or another place.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PlaceView<'a> {
    pub name: &'a str,
    pub region: &'a str,
    pub parent: &'a str,
    pub position: Option<(f64, f64)>,
    pub kind: PlaceKind,
    /// The locality that a neighbourhood or landmark is in.
    pub within: Option<u32>,
    /// How far what belongs to it is from its position, metres.
    pub radius_m: f64,
    /// Whether a source said that.
    pub radius_is_said: bool,
}

/// A postcode.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PostcodeView<'a> {
    pub region: &'a str,
    pub lon: f64,
    pub lat: f64,
    /// How far what belongs to it is from its position, metres.
    pub radius_m: f64,
    /// Whether a source said that.
    pub radius_is_said: bool,
    places: (u32, u32),
}

impl Reference {
    /// Opens the reference of one country; nothing but its header is read.
    ///
    /// # Errors
    /// Those of [`Reference::open_all`], and [`Error::SeveralCountries`].
    pub fn open(path: &Path) -> Result<Self, Error> {
        let mut all = Self::open_all(path)?;
        match (all.pop(), all.len()) {
            (Some(only), 0) => Ok(only),
            (_, others) => Err(Error::SeveralCountries { path: path.to_path_buf(), countries: others + 1 }),
        }
    }

    /// Opens a reference, country by country; nothing but headers is read.
    ///
    /// # Errors
    /// [`Error::NotAReference`], [`Error::Version`], [`Error::Damaged`] where parts or sections lie outside the file,
    /// [`Error::Io`].
    pub fn open_all(path: &Path) -> Result<Vec<Self>, Error> {
        let io = |source| Error::Io { path: path.to_path_buf(), source };
        let file = std::fs::File::open(path).map_err(io)?;
        let not = || Error::NotAReference { path: path.to_path_buf() };
        if file.metadata().map_err(io)?.len() < HEADER as u64 {
            return Err(not());
        }
        let map = Arc::new(Map::open(&file).map_err(io)?);
        let bytes = map.bytes();
        if &bytes[..MAGIC.len()] != MAGIC {
            return Err(not());
        }
        let version = u32_at(bytes, 8).unwrap_or_default();
        if version != VERSION {
            return Err(Error::Version { path: path.to_path_buf(), found: version, expected: VERSION });
        }
        let damaged = |problem: &str| Error::Damaged { path: path.to_path_buf(), problem: problem.into() };
        let parts = u32_at(bytes, 12).unwrap_or_default() as usize;
        if parts == 0 {
            return Err(damaged("it has no part"));
        }
        (0..parts)
            .map(|i| {
                let part = extent(bytes, HEADER, i)
                    .filter(|(at, length)| at.checked_add(*length).is_some_and(|end| end <= bytes.len()))
                    .ok_or_else(|| damaged("it is shorter than its table of parts says"))?;
                Self::part(path, map.clone(), part).map_err(damaged)
            })
            .collect()
    }

    fn part(path: &Path, map: Arc<Map>, (start, length): (usize, usize)) -> Result<Self, &'static str> {
        let bytes = &map.bytes()[start..start + length];
        if (u32_at(bytes, 8), u32_at(bytes, 12)) != (Some(SECTIONS as u32), Some(0)) {
            return Err("the table of its sections does not fit");
        }
        let mut sections = [(0, 0); SECTIONS];
        for (i, s) in sections.iter_mut().enumerate() {
            let inside = |(at, n): &(usize, usize)| at.checked_add(*n).is_some_and(|end| end <= length);
            let (at, n) =
                extent(bytes, PART_HEADER, i).filter(inside).ok_or("it is shorter than its table of sections says")?;
            *s = (start + at, n);
        }
        let mut reference = Reference {
            path: path.to_path_buf(),
            map,
            part: (start, length),
            sections,
            country: "",
            grammar: &grammar::plain::GRAMMAR,
            boxes: OnceLock::new(),
        };
        let code = reference.about("country").unwrap_or_default();
        reference.country = country::code_of(&code).ok_or("its country is not known")?;
        reference.grammar = grammar::of_code(reference.country);
        Ok(reference)
    }

    /// The file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The country, its ISO 3166 code of two letters.
    pub fn country(&self) -> &'static str {
        self.country
    }

    /// The grammar that it was built with.
    pub fn grammar(&self) -> &'static Grammar {
        self.grammar
    }

    /// The checksum that the file carries: it tells two references apart.
    pub fn fingerprint(&self) -> u64 {
        self.part_bytes().get(..8).and_then(|b| b.try_into().ok()).map_or(0, u64::from_le_bytes)
    }

    fn part_bytes(&self) -> &[u8] {
        &self.map.bytes()[self.part.0..self.part.0 + self.part.1]
    }

    /// Bytes of it in the file.
    pub fn bytes(&self) -> usize {
        self.part.1
    }

    /// Reads all of it and compares its checksum.
    ///
    /// # Errors
    /// [`Error::Damaged`].
    pub fn verify(&self) -> Result<(), Error> {
        let bytes = self.part_bytes();
        let table = PART_HEADER + EXTENT * SECTIONS;
        let mut checksum = Checksum::new();
        checksum.add(&bytes[table..]);
        checksum.add(&bytes[PART_HEADER..table]);
        if checksum.value() == self.fingerprint() {
            Ok(())
        } else {
            Err(Error::Damaged { path: self.path.clone(), problem: "its checksum does not fit".into() })
        }
    }

    pub(super) fn about(&self, key: &str) -> Option<String> {
        let text = std::str::from_utf8(self.section(Section::About)).ok()?;
        text.lines().find_map(|l| l.strip_prefix(key)).map(|v| v.trim().to_string())
    }

    pub(super) fn boxes(&self) -> &Boxes {
        self.boxes.get_or_init(|| Boxes::of(self))
    }

    #[inline]
    fn section(&self, s: Section) -> &[u8] {
        let (at, length) = self.sections[s as usize];
        &self.map.bytes()[at..at + length]
    }

    /// A `u32` of a record; zero where the file is damaged and the index leads outside.
    #[inline]
    pub(super) fn u32(&self, s: Section, record: usize, size: usize, field: usize) -> u32 {
        let at = record * size + 4 * field;
        self.section(s).get(at..at + 4).map_or(0, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
    }

    /// A record; zeros where the file is damaged and the index leads outside.
    #[inline]
    fn record<const SIZE: usize>(&self, s: Section, record: usize) -> &[u8; SIZE] {
        let at = record * SIZE;
        self.section(s).get(at..at + SIZE).and_then(|b| b.try_into().ok()).unwrap_or(&[0; SIZE])
    }

    pub(crate) fn string(&self, id: u32) -> &str {
        std::str::from_utf8(self.string_bytes(id)).unwrap_or("")
    }

    /// Whether a string is this text.
    #[inline]
    pub(crate) fn string_is(&self, id: u32, text: &str) -> bool {
        self.string_bytes(id) == text.as_bytes()
    }

    /// The bytes of a string, unchecked: enough to compare.
    #[inline]
    fn string_bytes(&self, id: u32) -> &[u8] {
        let end = |i: usize| self.u32(Section::StringEnds, i, 4, 0) as usize;
        self.section(Section::Strings).get(end(id as usize)..end(id as usize + 1)).unwrap_or_default()
    }

    pub(super) fn count(&self, s: Section, size: usize) -> usize {
        self.section(s).len() / size
    }

    /// First record whose string is not less than `text`.
    fn lower_bound(&self, s: Section, size: usize, text: &str) -> usize {
        let (mut low, mut high) = (0, self.count(s, size));
        while low < high {
            let middle = (low + high) / 2;
            if self.string_bytes(self.u32(s, middle, size, 0)) < text.as_bytes() {
                low = middle + 1
            } else {
                high = middle
            }
        }
        low
    }

    pub(crate) fn name_text(&self, name: u32) -> &str {
        self.string(self.u32(Section::Names, name as usize, NAME, 0))
    }

    /// The bytes of a name, unchecked: enough to compare.
    #[inline]
    pub(crate) fn name_bytes(&self, name: u32) -> &[u8] {
        self.string_bytes(self.u32(Section::Names, name as usize, NAME, 0))
    }

    /// Whether a name is this text.
    #[inline]
    pub(crate) fn name_is(&self, name: u32, text: &str) -> bool {
        self.string_is(self.u32(Section::Names, name as usize, NAME, 0), text)
    }

    /// Streets of a name, by locality.
    pub(crate) fn streets_of_name(&self, name: u32) -> std::ops::Range<u32> {
        let first = self.u32(Section::Names, name as usize, NAME, 1);
        let end = first.saturating_add(self.u32(Section::Names, name as usize, NAME, 2));
        first..end.min(self.count(Section::Streets, STREET) as u32)
    }

    /// Streets of a name in a locality.
    pub(crate) fn streets_of_name_in(&self, name: u32, place: u32) -> std::ops::Range<u32> {
        let all = self.streets_of_name(name);
        let bound = |wanted: u32| {
            let (mut low, mut high) = (all.start, all.end);
            while low < high {
                let middle = low + (high - low) / 2;
                if self.u32(Section::Streets, middle as usize, STREET, 2) < wanted {
                    low = middle + 1
                } else {
                    high = middle
                }
            }
            low
        };
        bound(place)..bound(place.saturating_add(1))
    }

    /// Streets of a locality.
    pub(crate) fn streets_of_place(&self, place: u32) -> impl Iterator<Item = u32> + use<'_> {
        let first = self.u32(Section::Places, place as usize, PLACE, 7);
        let end = first.saturating_add(self.u32(Section::Places, place as usize, PLACE, 8));
        (first..end.min(self.count(Section::PlaceStreets, 4) as u32))
            .map(|i| self.u32(Section::PlaceStreets, i as usize, 4, 0))
    }

    /// Names of thoroughfares that share a spelling with a key, with so many of its letters left out; the true
    /// distance is for the caller to compute.
    pub(crate) fn similar_names(&self, key: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
        self.spelt(Section::NameKeys, key, left_out, f);
    }

    /// Names that may be a key with a word more at its end.
    pub(crate) fn names_with_ending(&self, key: &str, word: &str, f: &mut dyn FnMut(u32)) {
        let word = word.bytes().filter(|b| !matches!(b, b' ' | b'-'));
        self.keyed(Section::NameKeys, key_hash(KeyKind::Spelling, key.bytes().chain(word)), f);
    }

    /// Names of thoroughfares by a word or a sound.
    pub(crate) fn names_by(&self, kind: KeyKind, text: &str, f: &mut dyn FnMut(u32)) {
        self.keyed(Section::NameKeys, key_hash(kind, text.bytes()), f);
    }

    /// The same as [`Reference::similar_names`] for names of places; `f` gets indexes for [`Reference::place_name`].
    pub(crate) fn similar_places(&self, key: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
        self.spelt(Section::PlaceKeys, key, left_out, f);
    }

    /// Names of places by a word or a sound.
    pub(crate) fn places_by(&self, kind: KeyKind, text: &str, f: &mut dyn FnMut(u32)) {
        self.keyed(Section::PlaceKeys, key_hash(kind, text.bytes()), f);
    }

    /// Houses whose whole address may be a text in normal form; the address itself is for the caller to compare.
    pub(crate) fn houses_by(&self, text: &str, f: &mut dyn FnMut(u32)) {
        self.keyed(Section::HouseKeys, key_hash(KeyKind::House, text.bytes()), f);
    }

    /// All spellings of a key. They lie far apart: the places where each may be are read first, one after the other
    /// without a decision between them, so that the processor waits for many at once and not for each in turn.
    fn spelt(&self, keys: Section, key: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
        const AT_ONCE: usize = 32;
        if *left_out.end() == 0 {
            return self.keyed(keys, key_hash(KeyKind::Spelling, key.bytes()), f);
        }
        let mut waiting = [(0u32, 0usize, 0usize, 0u32); AT_ONCE];
        let mut n = 0;
        let mut look = |waiting: &mut [(u32, usize, usize, u32)]| {
            for (hash, from, end, _) in waiting.iter_mut() {
                (*from, *end) = self.bucket(keys, *hash);
            }
            for (_, from, _, first) in waiting.iter_mut() {
                *first = self.u32(keys, *from, KEY, 0);
            }
            for (hash, from, end, first) in waiting.iter() {
                if from < end && first <= hash {
                    self.in_bucket(keys, *hash, *from..*end, f);
                }
            }
        };
        each_spelling(key, left_out, &mut |hash| {
            waiting[n].0 = hash;
            n += 1;
            if n == AT_ONCE {
                look(&mut waiting);
                n = 0;
            }
        });
        look(&mut waiting[..n]);
    }

    fn keyed(&self, keys: Section, hash: u32, f: &mut dyn FnMut(u32)) {
        let (from, end) = self.bucket(keys, hash);
        self.in_bucket(keys, hash, from..end, f);
    }

    /// Where the keys of a hash would be.
    #[inline]
    fn bucket(&self, keys: Section, hash: u32) -> (usize, usize) {
        let directory = match keys {
            Section::NameKeys => Section::NameKeyDirectory,
            Section::HouseKeys => Section::HouseKeyDirectory,
            _ => Section::PlaceKeyDirectory,
        };
        let buckets = self.count(directory, 4).saturating_sub(1);
        if buckets == 0 {
            return (0, 0);
        }
        let bucket = (u64::from(hash) >> (32 - buckets.ilog2())) as usize;
        let end = (self.u32(directory, bucket + 1, 4, 0) as usize).min(self.count(keys, KEY));
        (self.u32(directory, bucket, 4, 0) as usize, end)
    }

    fn in_bucket(&self, keys: Section, hash: u32, bucket: std::ops::Range<usize>, f: &mut dyn FnMut(u32)) {
        for i in bucket {
            let here = self.u32(keys, i, KEY, 0);
            if here == hash {
                f(self.u32(keys, i, KEY, 1));
            } else if here > hash {
                break;
            }
        }
    }

    /// The locality of a street.
    #[inline]
    pub(crate) fn place_of_street(&self, id: u32) -> u32 {
        self.u32(Section::Streets, id as usize, STREET, 2)
    }

    #[inline]
    pub(crate) fn street(&self, id: u32) -> StreetView {
        let record = self.record::<STREET>(Section::Streets, id as usize);
        let u = |field: usize| word(record, field);
        let [pre, kind, post, _] = u(1).to_le_bytes();
        // A damaged file must not send a loop over four thousand million records that are not there.
        let inside = |first: u32, n: u32, section: Section, size: usize| {
            let all = self.count(section, size) as u32;
            let first = first.min(all);
            (first, n.min(all - first))
        };
        let code = |c: u8| Some(c).filter(|c| *c != NO_CODE);
        StreetView {
            name: u(0),
            pre: code(pre),
            kind: code(kind),
            post: code(post),
            place: u(2),
            points: inside(u(3), u(4), Section::Points, POINT),
            segments: inside(u(5), u(6), Section::Segments, SEGMENT),
            display: Some(u(9)).filter(|d| *d != NONE),
            lon: degrees(u(7) as i32),
            lat: degrees(u(8) as i32),
        }
    }

    /// Where a street is: the mean of its points, else the middle of its middle segment.
    pub(crate) fn middle_of(&self, street: &StreetView) -> (f64, f64) {
        if street.points.1 > 0 || street.segments.1 == 0 {
            return (street.lon, street.lat);
        }
        let segment = self.segment(street.segments.0 + street.segments.1 / 2);
        let line = self.line(&segment);
        line.get(line.len() / 2).copied().unwrap_or_default()
    }

    pub(crate) fn streets(&self) -> u32 {
        self.count(Section::Streets, STREET) as u32
    }

    pub(crate) fn point(&self, id: u32) -> PointView {
        let record = self.record::<POINT>(Section::Points, id as usize);
        let u = |field: usize| word(record, field);
        let (suffix, extension) = (u(2) >> 16, u(2) & 0xFFFF);
        PointView {
            street: u(0),
            number: u(1),
            suffix: self.u32(Section::Suffixes, suffix as usize, 4, 0),
            postcode: Some(u(3)).filter(|p| *p != NONE),
            extension: extension.checked_sub(1),
            lon: degrees(u(4) as i32),
            lat: degrees(u(5) as i32),
            accuracy_m: f64::from(u(6)) / 10.0,
        }
    }

    /// The number of a house with its suffix as it is written, or the name of one without a number.
    pub(crate) fn number_text(&self, number: u32, suffix: u32) -> String {
        let mut out = String::new();
        self.push_number_text(number, suffix, &mut out);
        out
    }

    /// Appends [`Reference::number_text`].
    pub(crate) fn push_number_text(&self, number: u32, suffix: u32, out: &mut String) {
        let suffix = self.string(suffix);
        if number == 0 && !suffix.is_empty() {
            return normal::push_title(suffix, out);
        }
        let grid = suffix.strip_suffix('-');
        out.push_str(grid.unwrap_or(""));
        // Most rows have a number: digits one by one, without a text of their own.
        let mut digits = [0u8; 10];
        let mut at = digits.len();
        let mut left = number;
        loop {
            at -= 1;
            digits[at] = b'0' + (left % 10) as u8;
            left /= 10;
            if left == 0 {
                break;
            }
        }
        digits[at..].iter().for_each(|d| out.push(char::from(*d)));
        if grid.is_none() {
            out.push_str(if suffix.contains('/') { " " } else { "" });
            out.push_str(suffix);
        }
    }

    /// The points of a street with a number.
    pub(crate) fn points_with(&self, street: &StreetView, number: u32) -> std::ops::Range<u32> {
        let (first, n) = street.points;
        let end = (first + n).min(self.count(Section::Points, POINT) as u32);
        let bound = |wanted: u32| {
            let (mut low, mut high) = (first.min(end), end);
            while low < high {
                let middle = low + (high - low) / 2;
                if self.u32(Section::Points, middle as usize, POINT, 1) < wanted {
                    low = middle + 1
                } else {
                    high = middle
                }
            }
            low
        };
        let from = bound(number);
        let same = (from..end).take_while(|id| self.u32(Section::Points, *id as usize, POINT, 1) == number).count();
        from..from + same as u32
    }

    pub(crate) fn segment(&self, id: u32) -> SegmentView {
        let u = |field| self.u32(Section::Segments, id as usize, SEGMENT, field);
        let range = |a: u32, b: u32| (a != NONE && b != NONE).then_some((a, b));
        let some = |p: u32| Some(p).filter(|p| *p != NONE);
        let parity = |code: u32| match code {
            1 => Parity::Odd,
            2 => Parity::Even,
            3 => Parity::Both,
            _ => Parity::ByEnds,
        };
        SegmentView {
            street: u(0),
            ranges: [range(u(1), u(2)), range(u(3), u(4))],
            postcodes: [some(u(5)), some(u(6))],
            vertices: (u(7), u(8)),
            parity: [parity(u(9) & 0xFF), parity(u(9) >> 8 & 0xFF)],
        }
    }

    pub(crate) fn line(&self, segment: &SegmentView) -> Vec<(f64, f64)> {
        const MOST: u32 = 100_000;
        let (first, n) = segment.vertices;
        let end = first.saturating_add(n.min(MOST)).min(self.count(Section::Vertices, VERTEX) as u32);
        (first..end)
            .map(|i| {
                (
                    degrees(self.u32(Section::Vertices, i as usize, VERTEX, 0) as i32),
                    degrees(self.u32(Section::Vertices, i as usize, VERTEX, 1) as i32),
                )
            })
            .collect()
    }

    pub(crate) fn place(&self, id: u32) -> PlaceView<'_> {
        let u = |field| self.u32(Section::Places, id as usize, PLACE, field);
        let places = self.count(Section::Places, PLACE) as u32;
        let (radius_m, radius_is_said) = radius_of(u(9));
        PlaceView {
            name: self.string(u(0)),
            region: self.string(u(1)),
            parent: self.string(u(2)),
            position: (u(5) >> 8 == 1).then(|| (degrees(u(3) as i32), degrees(u(4) as i32))),
            kind: PlaceKind::from_code(u(5) & 0xFF),
            within: Some(u(6)).filter(|w| *w < places),
            radius_m,
            radius_is_said,
        }
    }

    /// Whether a place is in a region, `None` where the reference does not say.
    pub(crate) fn is_in_region(&self, place: u32, region: &str) -> Option<bool> {
        self.is_region(self.region_id(place), region)
    }

    /// Where a region or postcode in normal form stands in the list of those that are written in another way.
    fn written_at(&self, region: &str) -> Option<usize> {
        // Where the grammar has a form for all of them, there is no list.
        if self.section(Section::Written).is_empty() {
            return None;
        }
        let at = self.lower_bound(Section::Written, WRITTEN, region);
        let is_inside = at < self.count(Section::Written, WRITTEN);
        (is_inside && self.string_is(self.u32(Section::Written, at, WRITTEN, 0), region)).then_some(at)
    }

    /// A region or postcode in normal form as the source writes it.
    pub(crate) fn as_written<'a>(&'a self, region: &'a str) -> &'a str {
        self.written_at(region).map_or(region, |at| self.string(self.u32(Section::Written, at, WRITTEN, 1)))
    }

    /// Whether words in normal form are the name of a region that has no code in the grammar.
    pub fn is_region_name(&self, words: &str) -> bool {
        !words.bytes().any(|b| b.is_ascii_digit()) && self.written_at(words).is_some()
    }

    /// The string of the region of a place.
    pub(crate) fn region_id(&self, place: u32) -> u32 {
        self.u32(Section::Places, place as usize, PLACE, 1)
    }

    /// Whether a string is a region, `None` where it is empty.
    pub(crate) fn is_region(&self, string: u32, region: &str) -> Option<bool> {
        let there = self.string_bytes(string);
        (!there.is_empty()).then(|| there == region.as_bytes())
    }

    /// Where a place is.
    pub(crate) fn position_of(&self, place: u32) -> Option<(f64, f64)> {
        let u = |field| self.u32(Section::Places, place as usize, PLACE, field);
        (u(5) >> 8 == 1).then(|| (degrees(u(3) as i32), degrees(u(4) as i32)))
    }

    /// What a place is.
    pub(crate) fn kind_of(&self, place: u32) -> PlaceKind {
        PlaceKind::from_code(self.u32(Section::Places, place as usize, PLACE, 5) & 0xFF)
    }

    /// The string of what a place lies in.
    pub(crate) fn parent_id(&self, place: u32) -> u32 {
        self.u32(Section::Places, place as usize, PLACE, 2)
    }

    pub(crate) fn places(&self) -> u32 {
        self.count(Section::Places, PLACE) as u32
    }

    /// Places with exactly this name.
    pub(crate) fn places_named(&self, words: &str) -> Vec<u32> {
        let mut i = self.lower_bound(Section::PlaceNames, PLACE_NAME, words);
        let mut out = Vec::new();
        while i < self.count(Section::PlaceNames, PLACE_NAME) && self.place_name(i as u32).0 == words {
            out.push(self.place_name(i as u32).1);
            i += 1;
        }
        out
    }

    /// Name and place of an entry of the list of names.
    pub(crate) fn place_name(&self, index: u32) -> (&str, u32) {
        (
            self.string(self.u32(Section::PlaceNames, index as usize, PLACE_NAME, 0)),
            self.u32(Section::PlaceNames, index as usize, PLACE_NAME, 1),
        )
    }

    /// The place of an entry of the list of names.
    pub(crate) fn place_of_name(&self, index: u32) -> u32 {
        self.u32(Section::PlaceNames, index as usize, PLACE_NAME, 1)
    }

    /// Whether an entry of the list of names is a name, in any way of parting its words.
    pub(crate) fn place_name_is(&self, index: u32, words: &str) -> bool {
        let string = self.u32(Section::PlaceNames, index as usize, PLACE_NAME, 0);
        self.string_is(string, words) || normal::same_key(self.string(string), words, self.grammar.umlauts)
    }

    pub(crate) fn postcode(&self, code: &str) -> Option<PostcodeView<'_>> {
        let i = self.lower_bound(Section::Postcodes, POSTCODE, code);
        if i >= self.count(Section::Postcodes, POSTCODE) {
            return None;
        }
        let (there, view) = self.postcode_at(i as u32);
        (there == code).then_some(view)
    }

    pub(crate) fn postcodes(&self) -> u32 {
        self.count(Section::Postcodes, POSTCODE) as u32
    }

    pub(crate) fn place_names(&self) -> u32 {
        self.count(Section::PlaceNames, PLACE_NAME) as u32
    }

    /// A postcode by its place in the list.
    pub(crate) fn postcode_at(&self, index: u32) -> (&str, PostcodeView<'_>) {
        let u = |field| self.u32(Section::Postcodes, index as usize, POSTCODE, field);
        let (radius_m, radius_is_said) = radius_of(u(6));
        let view = PostcodeView {
            region: self.string(u(1)),
            lon: degrees(u(2) as i32),
            lat: degrees(u(3) as i32),
            radius_m,
            radius_is_said,
            places: (u(4), u(5)),
        };
        (self.string(u(0)), view)
    }

    pub(crate) fn places_of_postcode(&self, postcode: &PostcodeView) -> impl Iterator<Item = u32> + use<'_> {
        let (first, n) = postcode.places;
        let end = first.saturating_add(n).min(self.count(Section::PostcodePlaces, 4) as u32);
        (first..end).map(|i| self.u32(Section::PostcodePlaces, i as usize, 4, 0))
    }

    /// Whether words are the name of a locality, a neighbourhood or a region that is one.
    pub fn is_locality(&self, words: &str) -> bool {
        let mut found = false;
        let key = normal::key(words, self.grammar.umlauts);
        self.similar_places(&key, 0..=0, &mut |index| {
            found |= self.kind_of(self.place_of_name(index)) != PlaceKind::Landmark && self.place_name_is(index, words);
        });
        found
    }

    /// Whether words are the name of a locality but for a slip or two.
    pub fn is_nearly_locality(&self, words: &str) -> bool {
        let key = normal::key(words, self.grammar.umlauts);
        let most = crate::matching::slips_allowed(key.len());
        let mut found = false;
        if most > 0 {
            let mut last = u32::MAX;
            // One letter left out on either side finds one slip, and most of what has two.
            self.similar_places(&key, 0..=1, &mut |index| {
                if !found && index != last {
                    last = index;
                    let (name, place) = self.place_name(index);
                    let there = normal::key(name, self.grammar.umlauts);
                    found = self.kind_of(place) != PlaceKind::Landmark
                        && normal::distance(key.as_bytes(), there.as_bytes(), most).is_some();
                }
            });
        }
        found
    }
}

/// Where the entry of a table lies and how long it is; nothing where the table ends before it.
fn extent(bytes: &[u8], table: usize, entry: usize) -> Option<(usize, usize)> {
    let at = table + EXTENT * entry;
    let number = |at: usize| {
        let b = bytes.get(at..at + 8)?;
        usize::try_from(u64::from_le_bytes(b.try_into().ok()?)).ok()
    };
    Some((number(at)?, number(at + 8)?))
}

fn u32_at(bytes: &[u8], at: usize) -> Option<u32> {
    bytes.get(at..at + 4).and_then(|b| b.try_into().ok()).map(u32::from_le_bytes)
}

/// A `u32` of a record.
#[inline]
fn word<const SIZE: usize>(record: &[u8; SIZE], field: usize) -> u32 {
    let at = 4 * field;
    u32::from_le_bytes([record[at], record[at + 1], record[at + 2], record[at + 3]])
}

impl KnownNames for Reference {
    fn is_locality(&self, words: &str) -> bool {
        Reference::is_locality(self, words)
    }

    fn is_nearly_locality(&self, words: &str) -> bool {
        Reference::is_nearly_locality(self, words)
    }

    fn is_region(&self, words: &str) -> bool {
        self.is_region_name(words)
    }
}
