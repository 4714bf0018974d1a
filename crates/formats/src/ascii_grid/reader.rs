//! Reads ASCII grids.

use crate::FormatError;
use crate::raster::{RasterAbout, RasterCrs, RasterFormat, RasterPlace, RasterReader, check_place, definition_beside};
use std::fs::File;
use std::io::{BufRead, BufReader, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// The longest word that a height can be; a file without blanks is no grid.
const LONGEST: usize = 400;

/// Gives the rows of an ASCII grid: a chunk is a row.
pub(crate) struct AsciiGridReader {
    about: RasterAbout,
    words: Words,
    /// Where rows begin in the file, as far as it was read: byte and line.
    starts: Vec<(u64, u64)>,
}

impl AsciiGridReader {
    pub(crate) fn open(path: &Path) -> Result<Self, FormatError> {
        let mut words = Words::open(path)?;
        let mut header = Header::default();
        let start = loop {
            let start = words.next_place()?;
            let Some(word) = words.next()? else {
                return Err(words.malformed("ends within its first lines; its heights are missing".into()));
            };
            if !word.bytes().next().is_some_and(|b| b.is_ascii_alphabetic()) || is_nan(&word) {
                break start;
            }
            let Some(value) = words.next()? else {
                return Err(words.malformed(format!("\"{word}\" has no number behind it")));
            };
            let value = value_of(&value).ok_or_else(|| {
                words.malformed(format!("\"{word}\" has \"{value}\" behind it, and a number is expected"))
            })?;
            if !header.take(&word, value) {
                return Err(words.malformed(format!(
                    "\"{word}\" is not known; ncols, nrows, xllcorner or xllcenter, yllcorner or yllcenter, cellsize (or dx and dy) and nodata_value are"
                )));
            }
        };
        let place = header.place().map_err(|problem| FormatError::broken(path, problem))?;
        check_place(path, &place)?;
        let mut notes = Vec::new();
        if header.no_data.is_none() {
            notes.push("says no value that stands for no height".into());
        }
        let crs = definition_beside(path).map_or(RasterCrs::Unsaid, RasterCrs::Text);
        let about = RasterAbout {
            path: path.to_path_buf(),
            format: RasterFormat::AsciiGrid,
            place,
            from_south: false,
            crs,
            is_of_points: header.center,
            sample: "numbers as text".into(),
            no_data: header.no_data,
            notes,
            chunk: (place.columns, 1),
            bytes: std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len(),
        };
        words.seek(start)?;
        Ok(AsciiGridReader { about, words, starts: vec![start] })
    }

    fn read_row(&mut self, row: usize) -> Result<Vec<f64>, FormatError> {
        let columns = self.about.place.columns;
        let mut values = Vec::with_capacity(columns.min(1 << 20));
        for column in 0..columns {
            let Some(word) = self.words.next()? else {
                return Err(self.words.malformed(format!(
                    "ends in row {} after {column} heights; {} rows of {columns} are expected",
                    row + 1,
                    self.about.place.rows
                )));
            };
            let value = value_of(&word).ok_or_else(|| {
                self.words.malformed(format!(
                    "\"{word}\" in row {}, column {}, and a height is expected",
                    row + 1,
                    column + 1
                ))
            })?;
            let is_none = self.about.no_data == Some(value) || !value.is_finite();
            values.push(if is_none { f64::NAN } else { value });
        }
        if row + 1 == self.about.place.rows && self.words.next()?.is_some() {
            return Err(self.words.malformed(format!(
                "more heights than {} rows of {columns}: its first lines do not fit the rest",
                self.about.place.rows
            )));
        }
        Ok(values)
    }
}

impl RasterReader for AsciiGridReader {
    fn about(&self) -> &RasterAbout {
        &self.about
    }

    fn chunk(&mut self, across: usize, down: usize) -> Result<Vec<f64>, FormatError> {
        if across > 0 || down >= self.about.place.rows {
            return Err(FormatError::broken(&self.about.path, format!("has no row {}", down + 1)));
        }
        // Rows that nobody asked for yet are read over.
        let mut row = down.min(self.starts.len() - 1);
        if self.starts[row] != self.words.place() {
            self.words.seek(self.starts[row])?;
        }
        loop {
            let values = self.read_row(row)?;
            if self.starts.len() == row + 1 {
                self.starts.push(self.words.place());
            }
            if row == down {
                return Ok(values);
            }
            row += 1;
        }
    }
}

/// A number as people write it; a decimal comma is read too, as no thousands are parted in a grid.
fn value_of(word: &str) -> Option<f64> {
    if is_nan(word) {
        return Some(f64::NAN);
    }
    word.parse().ok().or_else(|| word.replacen(',', ".", 1).parse().ok())
}

fn is_nan(word: &str) -> bool {
    ["nan", "-nan", "null"].iter().any(|n| word.eq_ignore_ascii_case(n))
}

/// What the first lines say.
#[derive(Debug, Default)]
struct Header {
    columns: Option<f64>,
    rows: Option<f64>,
    x: Option<f64>,
    y: Option<f64>,
    center: bool,
    center_y: bool,
    size: [Option<f64>; 2],
    no_data: Option<f64>,
}

impl Header {
    /// Whether the word is known.
    fn take(&mut self, word: &str, value: f64) -> bool {
        match word.to_ascii_lowercase().as_str() {
            "ncols" => self.columns = Some(value),
            "nrows" => self.rows = Some(value),
            "xllcorner" => self.x = Some(value),
            "yllcorner" => self.y = Some(value),
            "xllcenter" | "xllcentre" => (self.x, self.center) = (Some(value), true),
            "yllcenter" | "yllcentre" => (self.y, self.center_y) = (Some(value), true),
            "cellsize" => self.size = [Some(value); 2],
            "dx" => self.size[0] = Some(value),
            "dy" => self.size[1] = Some(value),
            "nodata_value" | "nodata" => self.no_data = Some(value),
            _ => return false,
        }
        true
    }

    fn place(&self) -> Result<RasterPlace, String> {
        let missing = |what: &str| format!("its first lines do not say {what}");
        let count = |value: Option<f64>, what: &str| {
            let value = value.ok_or_else(|| missing(what))?;
            let is_count = value >= 1.0 && value.fract() == 0.0 && value < 1e12;
            is_count
                .then_some(value as usize)
                .ok_or_else(|| format!("{what} is {value}; a whole number from 1 on is expected"))
        };
        let (columns, rows) = (count(self.columns, "ncols")?, count(self.rows, "nrows")?);
        let [step_x, step_y] = self.size;
        let (step_x, step_y) = (step_x.ok_or_else(|| missing("cellsize"))?, step_y.ok_or_else(|| missing("cellsize"))?);
        let x = self.x.ok_or_else(|| missing("xllcorner"))?;
        let y = self.y.ok_or_else(|| missing("yllcorner"))?;
        if self.center != self.center_y {
            return Err(
                "one of its numbers for the south-west is that of a corner and the other that of a middle".into()
            );
        }
        let half = if self.center { 0.0 } else { 0.5 };
        let north = y + (rows as f64 - 1.0 + half) * step_y;
        Ok(RasterPlace { west: x + half * step_x, north, step_x, step_y, columns, rows })
    }
}

/// The words of a text, with the place of each.
struct Words {
    path: PathBuf,
    file: BufReader<File>,
    /// Bytes read, and the line, counted from 1.
    at: (u64, u64),
}

impl Words {
    fn open(path: &Path) -> Result<Self, FormatError> {
        let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let mut words = Words { path: path.to_path_buf(), file: BufReader::with_capacity(1 << 18, file), at: (0, 1) };
        if words.peek()?.starts_with(b"\xEF\xBB\xBF") {
            words.skip(3);
        }
        Ok(words)
    }

    fn malformed(&self, problem: String) -> FormatError {
        FormatError::Malformed { path: self.path.clone(), line: self.at.1, problem }
    }

    fn place(&self) -> (u64, u64) {
        self.at
    }

    fn seek(&mut self, place: (u64, u64)) -> Result<(), FormatError> {
        self.file.seek(SeekFrom::Start(place.0)).map_err(|e| FormatError::read(&self.path, e))?;
        self.at = place;
        Ok(())
    }

    fn peek(&mut self) -> Result<&[u8], FormatError> {
        self.file.fill_buf().map_err(|e| FormatError::read(&self.path, e))
    }

    fn skip(&mut self, bytes: usize) {
        self.file.consume(bytes);
        self.at.0 += bytes as u64;
    }

    /// The place at which the next word begins.
    fn next_place(&mut self) -> Result<(u64, u64), FormatError> {
        loop {
            let bytes = self.peek()?;
            let blanks = bytes.iter().take_while(|b| b.is_ascii_whitespace()).count();
            let (lines, all) = (memchr::memchr_iter(b'\n', &bytes[..blanks]).count(), blanks == bytes.len());
            let is_end = bytes.is_empty();
            self.skip(blanks);
            self.at.1 += lines as u64;
            if !all || is_end {
                return Ok(self.at);
            }
        }
    }

    fn next(&mut self) -> Result<Option<compact_str::CompactString>, FormatError> {
        self.next_place()?;
        let mut word = compact_str::CompactString::default();
        loop {
            let bytes = self.peek()?;
            let length = bytes.iter().take_while(|b| !b.is_ascii_whitespace()).count();
            let ended = length < bytes.len() || bytes.is_empty();
            word.push_str(&String::from_utf8_lossy(&bytes[..length]));
            self.skip(length);
            if word.len() > LONGEST {
                return Err(self.malformed(format!("a word of more than {LONGEST} signs, and numbers are expected")));
            }
            if ended {
                return Ok((!word.is_empty()).then_some(word));
            }
        }
    }
}
