//! Cuts a collection into the texts of its features, without reading what is in them: that can then be done on all cores.

use crate::FormatError;
use serde_json::Value;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;

/// Bytes of features that travel together.
const BLOCK: usize = 256 << 10;
/// Longest feature.
const LONGEST: usize = 256 << 20;
/// Stands behind each feature of a block: a control sign, which no valid JSON holds.
pub(super) const END: u8 = 0x1E;

/// What is beside the features.
#[derive(Debug, Default)]
pub(super) struct Collection {
    pub kind: String,
    /// The member that RFC 7946 took out.
    pub crs: Option<Value>,
    pub saw_features: bool,
}

/// Features one after the other, each with [`END`] behind it, and the number of the first, counted from 1.
pub(super) struct Pieces {
    pub bytes: Vec<u8>,
    pub first: u64,
}

/// Gives the features of a file, until `sink` says that it has enough.
pub(super) fn each(
    path: &Path,
    sequence: bool,
    sink: &mut dyn FnMut(Pieces) -> bool,
) -> Result<Collection, FormatError> {
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let input = BufReader::with_capacity(1 << 17, file);
    if sequence { lines(path, input, sink) } else { Cutter::new(path, sink).run(input) }
}

fn lines(
    path: &Path,
    mut input: impl BufRead,
    sink: &mut dyn FnMut(Pieces) -> bool,
) -> Result<Collection, FormatError> {
    let mut pieces = Pieces { bytes: Vec::with_capacity(BLOCK + 4096), first: 1 };
    let (mut line, mut number) = (Vec::new(), 1);
    loop {
        line.clear();
        let n = Read::take(&mut input, LONGEST as u64)
            .read_until(b'\n', &mut line)
            .map_err(|e| FormatError::read(path, e))?;
        let text = line.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&line);
        let text = text.strip_prefix(&[END]).unwrap_or(text).trim_ascii();
        if !text.is_empty() {
            pieces.bytes.extend_from_slice(text);
            pieces.bytes.push(END);
            number += 1;
        }
        if n == 0 || pieces.bytes.len() >= BLOCK {
            let full =
                std::mem::replace(&mut pieces, Pieces { bytes: Vec::with_capacity(BLOCK + 4096), first: number });
            if !full.bytes.is_empty() && !sink(full) || n == 0 {
                return Ok(Collection { saw_features: true, ..Collection::default() });
            }
        }
    }
}

/// What matters outside of strings.
const MATTERS: [bool; 256] = {
    let mut table = [false; 256];
    let mut i = 0;
    while i < 256 {
        table[i] = matches!(i as u8, b'"' | b'\n' | b'{' | b'}' | b'[' | b']');
        i += 1;
    }
    table
};

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
    sink: &'a mut dyn FnMut(Pieces) -> bool,
    place: Place,
    /// Brackets that are open within a feature or another value.
    open: Vec<u8>,
    in_string: bool,
    escaped: bool,
    line: u64,
    name: Vec<u8>,
    /// The bytes of a value that is not the features.
    other: Vec<u8>,
    /// The whole document where it is a feature alone.
    lone: Vec<u8>,
    pieces: Pieces,
    started: usize,
    number: u64,
    found: Collection,
}

impl<'a> Cutter<'a> {
    fn new(path: &'a Path, sink: &'a mut dyn FnMut(Pieces) -> bool) -> Self {
        Cutter {
            path,
            sink,
            place: Place::Start,
            open: Vec::new(),
            in_string: false,
            escaped: false,
            line: 1,
            name: Vec::new(),
            other: Vec::new(),
            lone: Vec::new(),
            pieces: Pieces { bytes: Vec::with_capacity(BLOCK + 4096), first: 1 },
            started: 0,
            number: 1,
            found: Collection::default(),
        }
    }

    fn malformed(&self, problem: impl std::fmt::Display) -> FormatError {
        FormatError::Malformed {
            path: self.path.to_path_buf(),
            line: self.line,
            problem: format!("is not valid GeoJSON: {problem}"),
        }
    }

    fn run(mut self, mut input: impl BufRead) -> Result<Collection, FormatError> {
        let mut first = true;
        loop {
            let path = self.path;
            let bytes = input.fill_buf().map_err(|e| FormatError::read(path, e))?;
            if bytes.is_empty() {
                break;
            }
            let n = bytes.len();
            let bytes =
                if std::mem::take(&mut first) { bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes) } else { bytes };
            if !self.take(bytes)? {
                self.found.saw_features = true;
                return Ok(self.found);
            }
            input.consume(n);
        }
        if self.place != Place::End {
            return Err(self.malformed("it ends in the middle; the file was cut, get it again"));
        }
        if self.found.kind == "Feature" {
            self.found.saw_features = true;
            let mut bytes = std::mem::take(&mut self.lone);
            bytes.push(END);
            (self.sink)(Pieces { bytes, first: 1 });
        } else if !self.pieces.bytes.is_empty() {
            (self.sink)(self.pieces);
        }
        Ok(self.found)
    }

    /// Takes the next bytes; false where no more is wanted.
    fn take(&mut self, bytes: &[u8]) -> Result<bool, FormatError> {
        let mut i = 0;
        while i < bytes.len() {
            // Within a feature only quotes, brackets and line ends matter: what is between is copied at once.
            if self.place == Place::Feature {
                let from = i;
                let done = self.feature(bytes, &mut i)?;
                self.pieces.bytes.extend_from_slice(&bytes[from..i]);
                if self.pieces.bytes.len() - self.started > LONGEST {
                    return Err(self.malformed(format!("a feature holds more than {LONGEST} bytes")));
                }
                if done {
                    self.pieces.bytes.push(END);
                    self.place = Place::Between;
                    self.number += 1;
                    self.started = self.pieces.bytes.len();
                    if self.started >= BLOCK {
                        let next = Pieces { bytes: Vec::with_capacity(BLOCK + 4096), first: self.number };
                        self.started = 0;
                        if !(self.sink)(std::mem::replace(&mut self.pieces, next)) {
                            return Ok(false);
                        }
                    }
                }
                continue;
            }
            let b = bytes[i];
            i += 1;
            self.line += u64::from(b == b'\n');
            if !self.found.saw_features && self.lone.len() <= LONGEST {
                self.lone.push(b);
            }
            self.between(b)?;
        }
        Ok(true)
    }

    /// Goes on to the end of a feature, if it is there.
    fn feature(&mut self, bytes: &[u8], i: &mut usize) -> Result<bool, FormatError> {
        while *i < bytes.len() {
            if self.in_string {
                if std::mem::take(&mut self.escaped) {
                    *i += 1;
                    continue;
                }
                // Most bytes are letters of strings and figures, and pass by many at once.
                match memchr::memchr2(b'"', b'\\', &bytes[*i..]) {
                    Some(n) => {
                        self.escaped = bytes[*i + n] == b'\\';
                        self.in_string = self.escaped;
                        *i += n + 1;
                    }
                    None => *i = bytes.len(),
                }
                continue;
            }
            let Some(n) = bytes[*i..].iter().position(|b| MATTERS[usize::from(*b)]) else {
                *i = bytes.len();
                break;
            };
            let b = bytes[*i + n];
            *i += n + 1;
            match b {
                b'"' => self.in_string = true,
                b'\n' => self.line += 1,
                b'{' | b'[' => self.open.push(b),
                b'}' | b']' => {
                    if self.open.pop() != Some(if b == b'}' { b'{' } else { b'[' }) {
                        return Err(
                            self.malformed(format!("feature {}: a bracket closes what is not open", self.number))
                        );
                    }
                    if self.open.is_empty() {
                        return Ok(true);
                    }
                }
                _ => {}
            }
        }
        Ok(false)
    }

    /// A byte outside of features.
    fn between(&mut self, b: u8) -> Result<(), FormatError> {
        let blank = b.is_ascii_whitespace();
        match self.place {
            Place::Start if blank => {}
            Place::Start if b == b'{' => self.place = Place::Name,
            Place::Start => return Err(self.malformed("an object is expected")),
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
            Place::Name => return Err(self.malformed("the name of a member is expected")),
            Place::Value if blank || b == b':' => {}
            Place::Value if self.name == b"features" => {
                if b != b'[' {
                    return Err(self.malformed("an array of features is expected"));
                }
                self.found.saw_features = true;
                self.lone = Vec::new();
                self.place = Place::Between;
            }
            Place::Value => {
                self.other.clear();
                self.place = Place::Other;
                self.other(b)?;
            }
            Place::Between if blank || b == b',' => {}
            Place::Between if b == b'{' => {
                self.open.clear();
                self.open.push(b);
                self.pieces.bytes.push(b);
                self.place = Place::Feature;
            }
            Place::Between if b == b']' => self.place = Place::Name,
            Place::Between => return Err(self.malformed(format!("feature {} is no object", self.number))),
            Place::Other => self.other(b)?,
            Place::End if blank => {}
            Place::End => return Err(self.malformed("something stands behind the end")),
            Place::Feature => {}
        }
        Ok(())
    }

    /// A byte of a value that is not the features; it ends before a comma or brace that is not its own.
    fn other(&mut self, b: u8) -> Result<(), FormatError> {
        if !self.in_string && self.open.is_empty() && matches!(b, b',' | b'}') {
            let value: Value = serde_json::from_slice(&self.other).map_err(|e| self.malformed(e))?;
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
            return Err(self.malformed(format!("a member holds more than {LONGEST} bytes")));
        }
        Ok(())
    }
}
