//! Opens a reference by memory map and reads it in place.

use super::build::NO_CODE;
use super::file::*;
use super::map::Map;
use crate::error::Error;
use crate::grammar::{self, Grammar};
use std::path::{Path, PathBuf};

/// An open reference.
#[derive(Debug)]
pub struct Reference {
    path: PathBuf,
    map: Map,
    sections: [(usize, usize); SECTIONS],
    grammar: &'static Grammar,
}

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
    /// Localities: name, region, parent, address points, segments.
    pub localities: Vec<(String, String, String, u64, u64)>,
    /// Bytes of the file.
    pub bytes: usize,
    /// Rows of the sources that were the same address point as another.
    pub folded: u64,
    /// What looks wrong in it.
    pub doubts: Vec<String>,
}

/// A thoroughfare of one locality.
#[derive(Debug, Clone, Copy)]
pub(crate) struct StreetView {
    pub name: u32,
    pub pre: Option<u8>,
    pub kind: Option<u8>,
    pub post: Option<u8>,
    pub locality: u32,
    pub points: (u32, u32),
    pub segments: (u32, u32),
    pub lon: f64,
    pub lat: f64,
}

/// An address point.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PointView {
    pub number: u32,
    pub suffix: u32,
    pub postcode: Option<u32>,
    pub lon: f64,
    pub lat: f64,
}

/// A street segment.
#[derive(Debug, Clone, Copy)]
pub(crate) struct SegmentView {
    /// Left and right ranges.
    pub ranges: [Option<(u32, u32)>; 2],
    pub postcodes: [Option<u32>; 2],
    pub vertices: (u32, u32),
}

/// A locality.
#[derive(Debug, Clone, Copy)]
pub(crate) struct LocalityView<'a> {
    pub name: &'a str,
    pub region: &'a str,
    pub parent: &'a str,
    pub position: Option<(f64, f64)>,
}

/// A postcode.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PostcodeView<'a> {
    pub region: &'a str,
    pub lon: f64,
    pub lat: f64,
    pub localities: (u32, u32),
}

impl Reference {
    /// Opens a reference; nothing but its header is read.
    ///
    /// # Errors
    /// [`Error::NotAReference`], [`Error::Version`], [`Error::Damaged`] where sections lie outside the file,
    /// [`Error::Io`].
    pub fn open(path: &Path) -> Result<Self, Error> {
        let io = |source| Error::Io { path: path.to_path_buf(), source };
        let file = std::fs::File::open(path).map_err(io)?;
        let not = || Error::NotAReference { path: path.to_path_buf() };
        if file.metadata().map_err(io)?.len() < (HEADER + 16 * SECTIONS) as u64 {
            return Err(not());
        }
        let map = Map::open(&file).map_err(io)?;
        let bytes = map.bytes();
        if &bytes[..8] != MAGIC {
            return Err(not());
        }
        let u32_at = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap_or_default());
        let u64_at = |at: usize| u64::from_le_bytes(bytes[at..at + 8].try_into().unwrap_or_default());
        if u32_at(8) != VERSION {
            return Err(Error::Version { path: path.to_path_buf(), found: u32_at(8), expected: VERSION });
        }
        let damaged = |problem: &str| Error::Damaged { path: path.to_path_buf(), problem: problem.into() };
        if u32_at(12) as usize != SECTIONS {
            return Err(damaged("the table of its parts does not fit"));
        }
        let mut sections = [(0, 0); SECTIONS];
        for (i, s) in sections.iter_mut().enumerate() {
            let (offset, length) = (u64_at(HEADER + 16 * i), u64_at(HEADER + 16 * i + 8));
            if offset.checked_add(length).is_none_or(|end| end > bytes.len() as u64) {
                return Err(damaged("it is shorter than its table of parts says"));
            }
            *s = (offset as usize, length as usize);
        }
        let mut reference = Reference { path: path.to_path_buf(), map, sections, grammar: &grammar::us::GRAMMAR };
        if let Some(country) = reference.about("country") {
            reference.grammar = grammar::of_country(&country).ok_or_else(|| damaged("its country is not known"))?;
        }
        Ok(reference)
    }

    /// The file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The grammar that it was built with.
    pub fn grammar(&self) -> &'static Grammar {
        self.grammar
    }

    /// Reads the whole file and compares its checksum.
    ///
    /// # Errors
    /// [`Error::Damaged`].
    pub fn verify(&self) -> Result<(), Error> {
        let bytes = self.map.bytes();
        let stored = u64::from_le_bytes(bytes[16..24].try_into().unwrap_or_default());
        if checksum(&bytes[HEADER..]) == stored {
            Ok(())
        } else {
            Err(Error::Damaged { path: self.path.clone(), problem: "its checksum does not fit".into() })
        }
    }

    fn about(&self, key: &str) -> Option<String> {
        let text = std::str::from_utf8(self.section(Section::About)).ok()?;
        text.lines().find_map(|l| l.strip_prefix(key)).map(|v| v.trim().to_string())
    }

    fn section(&self, s: Section) -> &[u8] {
        let (at, length) = self.sections[s as usize];
        &self.map.bytes()[at..at + length]
    }

    /// A `u32` of a record; zero where the file is damaged and the index leads outside.
    #[inline]
    fn u32(&self, s: Section, record: usize, size: usize, field: usize) -> u32 {
        let at = record * size + 4 * field;
        self.section(s).get(at..at + 4).map_or(0, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
    }

    pub(crate) fn string(&self, id: u32) -> &str {
        std::str::from_utf8(self.string_bytes(id)).unwrap_or("")
    }

    /// The bytes of a string, unchecked: enough to compare.
    fn string_bytes(&self, id: u32) -> &[u8] {
        let end = |i: usize| self.u32(Section::StringEnds, i, 4, 0) as usize;
        self.section(Section::Strings).get(end(id as usize)..end(id as usize + 1)).unwrap_or_default()
    }

    fn count(&self, s: Section, size: usize) -> usize {
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

    /// The name with exactly these words.
    pub(crate) fn name(&self, words: &str) -> Option<u32> {
        let i = self.lower_bound(Section::Names, NAME, words);
        (i < self.count(Section::Names, NAME) && self.name_text(i as u32) == words).then_some(i as u32)
    }

    pub(crate) fn name_text(&self, name: u32) -> &str {
        self.string(self.u32(Section::Names, name as usize, NAME, 0))
    }

    /// First street and number of streets of a name.
    pub(crate) fn streets_of_name(&self, name: u32) -> std::ops::Range<u32> {
        let first = self.u32(Section::Names, name as usize, NAME, 1);
        first
            ..first
                .saturating_add(self.u32(Section::Names, name as usize, NAME, 2))
                .min(self.count(Section::Streets, STREET) as u32)
    }

    /// Names that share a spelling with a word, with so many letters of the word left out; the true distance is for
    /// the caller to compute.
    pub(crate) fn similar_names(&self, word: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
        self.similar(Section::NameDeletes, word, left_out, f);
    }

    pub(crate) fn similar_localities(&self, word: &str, f: &mut dyn FnMut(u32)) {
        self.similar(Section::LocalityDeletes, word, 0..=2, f);
    }

    fn similar(&self, s: Section, word: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
        let n = self.count(s, DELETE);
        each_spelling(word, left_out, &mut |hash| {
            let (mut low, mut high) = (0, n);
            while low < high {
                let middle = (low + high) / 2;
                if self.u32(s, middle, DELETE, 0) < hash { low = middle + 1 } else { high = middle }
            }
            while low < n && self.u32(s, low, DELETE, 0) == hash {
                f(self.u32(s, low, DELETE, 1));
                low += 1;
            }
        });
    }

    #[inline]
    pub(crate) fn street(&self, id: u32) -> StreetView {
        let u = |field| self.u32(Section::Streets, id as usize, STREET, field);
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
            locality: u(2),
            points: inside(u(3), u(4), Section::Points, POINT),
            segments: inside(u(5), u(6), Section::Segments, SEGMENT),
            lon: degrees(u(7) as i32),
            lat: degrees(u(8) as i32),
        }
    }

    pub(crate) fn point(&self, id: u32) -> PointView {
        let u = |field| self.u32(Section::Points, id as usize, POINT, field);
        PointView {
            number: u(1),
            suffix: u(2),
            postcode: Some(u(3)).filter(|p| *p != NONE),
            lon: degrees(u(4) as i32),
            lat: degrees(u(5) as i32),
        }
    }

    /// The points of a street with a number.
    pub(crate) fn points_with(&self, street: &StreetView, number: u32) -> std::ops::Range<u32> {
        let (first, n) = street.points;
        let end = (first + n).min(self.count(Section::Points, POINT) as u32);
        let bound = |wanted: u32| {
            let (mut low, mut high) = (first.min(end), end);
            while low < high {
                let middle = (low + high) / 2;
                if self.u32(Section::Points, middle as usize, POINT, 1) < wanted {
                    low = middle + 1
                } else {
                    high = middle
                }
            }
            low
        };
        bound(number)..bound(number.saturating_add(1))
    }

    pub(crate) fn segment(&self, id: u32) -> SegmentView {
        let u = |field| self.u32(Section::Segments, id as usize, SEGMENT, field);
        let range = |a: u32, b: u32| (a != NONE && b != NONE).then_some((a, b));
        let some = |p: u32| Some(p).filter(|p| *p != NONE);
        SegmentView {
            ranges: [range(u(1), u(2)), range(u(3), u(4))],
            postcodes: [some(u(5)), some(u(6))],
            vertices: (u(7), u(8)),
        }
    }

    pub(crate) fn line(&self, segment: &SegmentView) -> Vec<(f64, f64)> {
        let (first, n) = segment.vertices;
        (first..first.saturating_add(n.min(100_000)))
            .map(|i| {
                (
                    degrees(self.u32(Section::Vertices, i as usize, VERTEX, 0) as i32),
                    degrees(self.u32(Section::Vertices, i as usize, VERTEX, 1) as i32),
                )
            })
            .collect()
    }

    pub(crate) fn locality(&self, id: u32) -> LocalityView<'_> {
        let u = |field| self.u32(Section::Localities, id as usize, LOCALITY, field);
        LocalityView {
            name: self.string(u(0)),
            region: self.string(u(1)),
            parent: self.string(u(2)),
            position: (u(5) == 1).then(|| (degrees(u(3) as i32), degrees(u(4) as i32))),
        }
    }

    /// Whether words are the name of a locality.
    pub fn is_locality(&self, words: &str) -> bool {
        let i = self.lower_bound(Section::LocalityNames, LOCALITY_NAME, words);
        i < self.count(Section::LocalityNames, LOCALITY_NAME) && self.locality_name(i as u32).0 == words
    }

    /// Localities with exactly this name.
    pub(crate) fn localities_named(&self, words: &str) -> Vec<u32> {
        let mut i = self.lower_bound(Section::LocalityNames, LOCALITY_NAME, words);
        let mut out = Vec::new();
        while i < self.count(Section::LocalityNames, LOCALITY_NAME) && self.locality_name(i as u32).0 == words {
            out.push(self.locality_name(i as u32).1);
            i += 1;
        }
        out
    }

    /// Name and locality of an entry of the list of names.
    pub(crate) fn locality_name(&self, index: u32) -> (&str, u32) {
        (
            self.string(self.u32(Section::LocalityNames, index as usize, LOCALITY_NAME, 0)),
            self.u32(Section::LocalityNames, index as usize, LOCALITY_NAME, 1),
        )
    }

    pub(crate) fn postcode(&self, code: &str) -> Option<PostcodeView<'_>> {
        let i = self.lower_bound(Section::Postcodes, POSTCODE, code);
        let u = |field| self.u32(Section::Postcodes, i, POSTCODE, field);
        if i >= self.count(Section::Postcodes, POSTCODE) || self.string(u(0)) != code {
            return None;
        }
        Some(PostcodeView {
            region: self.string(u(1)),
            lon: degrees(u(2) as i32),
            lat: degrees(u(3) as i32),
            localities: (u(4), u(5)),
        })
    }

    pub(crate) fn localities_of_postcode<'a>(&'a self, postcode: &PostcodeView) -> impl Iterator<Item = u32> + use<'a> {
        let (first, n) = postcode.localities;
        let end = first.saturating_add(n).min(self.count(Section::PostcodeLocalities, 4) as u32);
        (first..end).map(|i| self.u32(Section::PostcodeLocalities, i as usize, 4, 0))
    }

    /// What is inside, and what looks wrong in it.
    pub fn describe(&self) -> Description {
        let mut per_locality = vec![(0u64, 0u64); self.count(Section::Localities, LOCALITY)];
        let mut doubts = Vec::new();
        for id in 0..self.count(Section::Streets, STREET) as u32 {
            let street = self.street(id);
            if let Some(counts) = per_locality.get_mut(street.locality as usize) {
                counts.0 += u64::from(street.points.1);
                counts.1 += u64::from(street.segments.1);
            }
            self.doubt_street(&street, &mut doubts);
        }
        let localities = per_locality
            .iter()
            .enumerate()
            .map(|(i, (points, segments))| {
                let l = self.locality(i as u32);
                (l.name.to_string(), l.region.to_string(), l.parent.to_string(), *points, *segments)
            })
            .collect();
        Description {
            country: self.grammar.country.to_string(),
            points: self.count(Section::Points, POINT),
            segments: self.count(Section::Segments, SEGMENT),
            streets: self.count(Section::Streets, STREET),
            names: self.count(Section::Names, NAME),
            postcodes: self.count(Section::Postcodes, POSTCODE),
            localities,
            bytes: self.map.bytes().len(),
            folded: self.about("the same address point again").and_then(|t| t.parse().ok()).unwrap_or(0),
            doubts,
        }
    }

    /// Ranges of one street that overlap on the same side parity.
    fn doubt_street(&self, street: &StreetView, doubts: &mut Vec<String>) {
        const MOST: usize = 20;
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
                && doubts.len() < MOST
            {
                doubts.push(format!(
                    "ranges overlap on {} in {}: {}–{} and {}–{}",
                    crate::normal::title(self.name_text(street.name)),
                    self.locality(street.locality).name,
                    pair[0].1,
                    pair[0].2,
                    pair[1].1,
                    pair[1].2
                ));
            }
        }
    }
}
