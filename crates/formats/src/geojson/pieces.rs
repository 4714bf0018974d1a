//! Cuts a collection into the texts of its features, without reading what is in them: that can then be done on all cores.

use super::SEPARATOR;
use super::scanner::Scanner;
use super::within::Within;
use crate::FormatError;
use serde_json::Value;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;

/// Bytes of features that travel together.
const BLOCK: usize = 256 << 10;
/// Longest feature.
const LONGEST: usize = 256 << 20;
/// What some programs put in front of UTF-8.
const MARK: &[u8] = b"\xEF\xBB\xBF";
/// What is beside the features.
#[derive(Debug, Default)]
pub(super) struct Collection {
    pub kind: String,
    /// The member that RFC 7946 took out.
    pub crs: Option<Value>,
    pub saw_features: bool,
}

/// Features that stand together in a file, as they stand there, with what separates them.
pub(super) struct Pieces {
    pub bytes: Vec<u8>,
    /// Where in the file they begin.
    pub offset: u64,
}

/// Gives the features of a file, until `sink` says that it has enough.
pub(super) fn each(
    path: &Path,
    sequence: Option<u8>,
    sink: &mut dyn FnMut(Pieces) -> bool,
) -> Result<Collection, FormatError> {
    let mut file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let mut cutter = Cutter::new(path, sequence);
    // What is not cut yet, and where in the file it begins.
    let (mut bytes, mut offset) = (Vec::with_capacity(2 * BLOCK), 0u64);
    loop {
        let seen = bytes.len();
        let n = Read::take(&mut file, BLOCK as u64).read_to_end(&mut bytes).map_err(|e| FormatError::read(path, e))?;
        let Cut { from, to } =
            if n > 0 { cutter.take(&bytes, seen, offset)? } else { cutter.finish(&bytes, offset)? };
        if bytes.len() - to.max(from) > LONGEST {
            return Err(cutter.malformed(offset, format!("a feature holds more than {LONGEST} bytes")));
        }
        if to > from {
            let mut rest = Vec::with_capacity(bytes.len() - to + BLOCK);
            rest.extend_from_slice(&bytes[to..]);
            bytes.truncate(to);
            bytes.drain(..from);
            if !sink(Pieces { bytes, offset: offset + from as u64 }) {
                break;
            }
            (bytes, offset) = (rest, offset + to as u64);
        } else if from > 0 {
            bytes.drain(..from);
            offset += from as u64;
        }
        if n == 0 {
            break;
        }
    }
    Ok(cutter.found)
}

/// The whole features among the bytes that were looked at; what is before them is not needed any more.
struct Cut {
    from: usize,
    to: usize,
}

/// Where in the document the cutter is.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Place {
    /// Before the outermost brace.
    Start,
    /// In the outermost object, where a name or its end comes.
    Name,
    /// Behind a name.
    Value,
    /// In the list of features, between two of them.
    Between,
    /// In a feature.
    Feature,
    /// In another value of the outermost object.
    Other,
    /// Behind the outermost brace.
    End,
}

struct Cutter<'a> {
    path: &'a Path,
    /// What stands between the features of a sequence.
    sequence: Option<u8>,
    place: Place,
    /// Where in the feature it is.
    within: Within,
    /// Brackets that are open within another value.
    open: Vec<u8>,
    in_string: bool,
    escaped: bool,
    name: Vec<u8>,
    /// The bytes of a value that is not the features.
    other: Vec<u8>,
    found: Collection,
}

impl<'a> Cutter<'a> {
    fn new(path: &'a Path, sequence: Option<u8>) -> Self {
        Cutter {
            path,
            sequence,
            place: Place::Start,
            within: Within::new(),
            open: Vec::new(),
            in_string: false,
            escaped: false,
            name: Vec::new(),
            other: Vec::new(),
            found: Collection { saw_features: sequence.is_some(), ..Collection::default() },
        }
    }

    /// An error at a place of the file.
    fn malformed(&self, place: u64, problem: impl std::fmt::Display) -> FormatError {
        let lines = || -> std::io::Result<u64> {
            let mut before = BufReader::new(File::open(self.path)?.take(place));
            let mut lines = 1;
            loop {
                let bytes = before.fill_buf()?;
                if bytes.is_empty() {
                    return Ok(lines);
                }
                lines += memchr::memchr_iter(b'\n', bytes).count() as u64;
                let n = bytes.len();
                before.consume(n);
            }
        };
        match lines() {
            Ok(line) => FormatError::Malformed {
                path: self.path.to_path_buf(),
                line,
                problem: format!("is not valid GeoJSON: {problem}"),
            },
            Err(e) => FormatError::read(self.path, e),
        }
    }

    /// Looks at the bytes from `seen` on; the first of them all stands at `offset` in the file.
    fn take(&mut self, bytes: &[u8], seen: usize, offset: u64) -> Result<Cut, FormatError> {
        if let Some(separator) = self.sequence {
            return Ok(Cut { from: 0, to: memchr::memrchr(separator, &bytes[seen..]).map_or(0, |n| seen + n + 1) });
        }
        let mut i = seen;
        if offset == 0 && seen == 0 && bytes.starts_with(MARK) {
            i += MARK.len();
        }
        // A feature that began earlier begins the bytes that were kept.
        let mut from = (self.place == Place::Feature).then_some(0);
        let mut to = 0;
        while i < bytes.len() {
            if self.place == Place::Feature {
                match self.within.end(&bytes[i..]) {
                    Some(n) => {
                        i += n;
                        to = i;
                        self.place = Place::Between;
                    }
                    None => i = bytes.len(),
                }
                continue;
            }
            let b = bytes[i];
            i += 1;
            self.between(b).map_err(|problem| self.malformed(offset + i as u64, problem))?;
            if self.place == Place::Feature {
                from.get_or_insert(i - 1);
            }
        }
        // A document that is a feature alone is kept until its end.
        let passed = if self.found.saw_features { bytes.len() } else { 0 };
        Ok(Cut { from: from.unwrap_or(passed), to })
    }

    /// What is left at the end of the file.
    fn finish(&mut self, bytes: &[u8], offset: u64) -> Result<Cut, FormatError> {
        if self.sequence.is_some() {
            return Ok(Cut { from: 0, to: bytes.len() });
        }
        if self.place != Place::End {
            let end = offset + bytes.len() as u64;
            return Err(self.malformed(end, "it ends in the middle; the file was cut, get it again"));
        }
        let alone = self.found.kind == "Feature" && !self.found.saw_features;
        self.found.saw_features |= alone;
        let from = if bytes.starts_with(MARK) { MARK.len() } else { 0 };
        Ok(Cut { from, to: if alone { bytes.len() } else { 0 } })
    }

    /// A byte outside of features.
    fn between(&mut self, b: u8) -> Result<(), String> {
        let blank = b.is_ascii_whitespace();
        match self.place {
            Place::Start if blank => {}
            Place::Start if b == b'{' => self.place = Place::Name,
            Place::Start => return Err("an object is expected".into()),
            Place::Name if self.in_string => match b {
                b'"' if !self.escaped => {
                    self.in_string = false;
                    self.place = Place::Value;
                }
                _ => {
                    self.escaped = b == b'\\' && !self.escaped;
                    self.name.push(b);
                }
            },
            Place::Name if blank || b == b',' => {}
            Place::Name if b == b'"' => {
                self.name.clear();
                self.in_string = true;
            }
            Place::Name if b == b'}' => self.place = Place::End,
            Place::Name => return Err("the name of a member is expected".into()),
            Place::Value if blank || b == b':' => {}
            Place::Value if self.name == b"features" => {
                if b != b'[' {
                    return Err("an array of features is expected".into());
                }
                self.found.saw_features = true;
                self.place = Place::Between;
            }
            Place::Value => {
                self.other.clear();
                self.place = Place::Other;
                self.other(b)?;
            }
            Place::Between if blank || b == b',' => {}
            Place::Between if b == b'{' => {
                self.within = Within::opened();
                self.place = Place::Feature;
            }
            Place::Between if b == b']' => self.place = Place::Name,
            Place::Between => return Err("one of its features is no object".into()),
            Place::Other => self.other(b)?,
            Place::End if blank => {}
            Place::End => return Err("something stands behind the end".into()),
            Place::Feature => {}
        }
        Ok(())
    }

    /// A byte of a value that is not the features; it ends before a comma or brace that is not its own.
    fn other(&mut self, b: u8) -> Result<(), String> {
        if !self.in_string && self.open.is_empty() && matches!(b, b',' | b'}') {
            let value: Value = serde_json::from_slice(&self.other)
                .map_err(|_| format!("the value of \"{}\" is not valid JSON", String::from_utf8_lossy(&self.name)))?;
            match self.name.as_slice() {
                b"type" => self.found.kind = value.as_str().unwrap_or("").to_string(),
                b"crs" => self.found.crs = Some(value).filter(|v| !v.is_null()),
                _ => {}
            }
            self.place = if b == b'}' { Place::End } else { Place::Name };
            return Ok(());
        }
        match b {
            _ if self.escaped => self.escaped = false,
            b'\\' if self.in_string => self.escaped = true,
            b'"' => self.in_string = !self.in_string,
            b'{' | b'[' if !self.in_string => self.open.push(b),
            b'}' | b']' if !self.in_string => {
                self.open.pop();
            }
            _ => {}
        }
        self.other.push(b);
        if self.other.len() > LONGEST {
            return Err(format!("a member holds more than {LONGEST} bytes"));
        }
        Ok(())
    }
}

/// What is done with the features of pieces.
pub(super) trait Features<'a> {
    /// Reads a feature that begins here; none where it is not as features usually are.
    fn usual(&mut self, s: &mut Scanner<'a>) -> Option<()>;
    /// Takes the whole text of one of any form.
    fn other(&mut self, text: &'a [u8]);
}

/// Goes through the features of pieces.
pub(super) fn walk<'a>(bytes: &'a [u8], sequence: Option<u8>, features: &mut impl Features<'a>) {
    // Looking at all bytes at once is faster than at each feature for itself.
    let utf8 = std::str::from_utf8(bytes).ok();
    let mut at = 0;
    while at < bytes.len() {
        let (from, end, next) = if let Some(separator) = sequence {
            let end = memchr::memchr(separator, &bytes[at..]).map_or(bytes.len(), |n| at + n);
            let line = &bytes[at..end];
            let line = line.strip_prefix(MARK).unwrap_or(line);
            let line = line.strip_prefix(&[SEPARATOR]).unwrap_or(line).trim_ascii_start();
            (end - line.len(), end, end + 1)
        } else {
            // Between features there are blanks and commas alone.
            let Some(from) = memchr::memchr(b'{', &bytes[at..]).map(|n| at + n) else { return };
            (from, bytes.len(), bytes.len())
        };
        at = next;
        if from >= end {
            continue;
        }
        if let Some(utf8) = utf8 {
            let mut s = Scanner::new(utf8.get(..end).unwrap_or(utf8), from);
            if features.usual(&mut s).is_some() {
                at = if sequence.is_some() { next } else { s.at };
                continue;
            }
        }
        if sequence.is_some() {
            features.other(bytes[from..end].trim_ascii_end());
        } else {
            let end = Within::new().end(&bytes[from..]).map_or(bytes.len(), |n| from + n);
            features.other(&bytes[from..end]);
            at = end;
        }
    }
}
