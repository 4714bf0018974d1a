//! Rows to cells. The type of a column is decided from all of its values, not from what the header declares alone.

use super::encoding::TextEncoding;
use super::header::{self, Column, Header};
use super::memo::Memo;
use crate::FormatError;
use crate::feature::Cell;
use arrow_schema::DataType;
use basilocus_table::Moment;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// Rows that are looked at together.
const BLOCK: u64 = 4096;

/// An opened table.
pub(crate) struct Table {
    path: PathBuf,
    pub(super) header: Header,
    pub(super) encoding: TextEncoding,
    memo: Option<Memo>,
    pub(super) kinds: Vec<DataType>,
    /// What is to be told of it.
    pub notes: Vec<String>,
}

/// A row: its cells, or that it is marked as deleted.
pub(crate) struct Row {
    pub cells: Vec<Cell>,
    pub deleted: bool,
}

/// What of the file a path names is there in another case of letters (`A.DBF`, `a.dbf`).
pub(crate) fn beside(path: &Path, extension: &str) -> Option<PathBuf> {
    [extension.to_string(), extension.to_ascii_uppercase()]
        .into_iter()
        .map(|e| path.with_extension(e))
        .find(|p| p.is_file())
}

impl Table {
    /// Opens a table and goes through it once for the types of its columns. `encoding` is what the user says.
    ///
    /// # Errors
    /// Where it cannot be read or its header does not fit.
    pub(crate) fn open(path: &Path, encoding: Option<&str>) -> Result<Self, FormatError> {
        let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let bytes = file.metadata().map_err(|e| FormatError::read(path, e))?.len();
        let mut head = Vec::new();
        file.take(header::LONGEST).read_to_end(&mut head).map_err(|e| FormatError::read(path, e))?;
        let mut header = header::read(&head).map_err(|problem| FormatError::broken(path, problem))?;
        let mut notes = Vec::new();
        let there = bytes.saturating_sub(header.length as u64) / header.row_length as u64;
        if there < header.rows {
            notes.push(format!(
                "the header says {} rows, and the file ends after {there}: it was cut; get it again",
                header.rows
            ));
            header.rows = there;
        }
        let memo = if header.columns.iter().any(|c| c.kind == b'M') {
            match beside(path, "dbt").or_else(|| beside(path, "fpt")) {
                Some(file) => match Memo::open(&file, header.version) {
                    Ok(memo) => Some(memo),
                    Err(problem) => {
                        notes.push(format!("long texts cannot be read from {}: {problem}", file.display()));
                        None
                    }
                },
                None => {
                    notes.push("the file of its long texts (.dbt or .fpt) is missing; they are empty".into());
                    None
                }
            }
        } else {
            None
        };
        let label = beside(path, "cpg").and_then(|p| std::fs::read_to_string(p).ok());
        let said = match encoding {
            Some(e) => Some(TextEncoding::of_label(e).ok_or_else(|| FormatError::Option {
                path: path.to_path_buf(),
                problem: format!("`encoding` {e} is not known; say utf-8, windows-1252, 850 or the like"),
            })?),
            None => None,
        };
        let named = label.as_deref().and_then(TextEncoding::of_label);
        let known = said.or(named).or_else(|| TextEncoding::of_language(header.language));
        let utf8 = TextEncoding::Web(encoding_rs::UTF_8);
        let mut table =
            Table { path: path.to_path_buf(), header, encoding: known.unwrap_or(utf8), memo, kinds: Vec::new(), notes };
        let valid = table.decide_types()?;
        if known.is_none() && !valid {
            table.encoding = TextEncoding::Web(encoding_rs::WINDOWS_1252);
            table.notes.push(
                "no encoding is said and the text is no UTF-8: read as windows-1252; say `encoding` if letters are wrong"
                    .into(),
            );
        } else if table.encoding != utf8 {
            table.notes.push(format!("text is in {}", table.encoding.name()));
        }
        Ok(table)
    }

    /// Names and types of the columns.
    pub(crate) fn columns(&self) -> Vec<(String, DataType)> {
        let names = self.header.columns.iter().map(|c| self.encoding.decode(&c.name).trim().to_string());
        names.zip(self.kinds.iter().cloned()).collect()
    }

    /// Rows that are there, those marked as deleted among them.
    pub(crate) fn rows(&self) -> u64 {
        self.header.rows
    }

    /// Bytes of a row.
    pub(crate) fn row_bytes(&self) -> u64 {
        self.header.row_length as u64
    }

    /// Goes through the rows from the first.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub(crate) fn cursor(&self) -> Result<Cursor<'_>, FormatError> {
        self.cursor_at(0, self.header.rows)
    }

    /// Goes through so many rows from one on, counted from 0.
    fn cursor_at(&self, from: u64, rows: u64) -> Result<Cursor<'_>, FormatError> {
        let failed = |e| FormatError::read(&self.path, e);
        let mut file = File::open(&self.path).map_err(failed)?;
        let start = self.header.length as u64 + from * self.header.row_length as u64;
        file.seek(SeekFrom::Start(start)).map_err(failed)?;
        Ok(Cursor {
            table: self,
            file: BufReader::with_capacity(1 << 18, file),
            left: rows.min(self.header.rows.saturating_sub(from)),
            buffer: vec![0; self.header.row_length],
        })
    }

    /// Sets the types; gives whether all text is UTF-8. All rows are looked at, in parts on all cores.
    fn decide_types(&mut self) -> Result<bool, FormatError> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from) as u64;
        let each = self.header.rows.div_ceil(threads).max(1);
        let table = &*self;
        let parts: Vec<Result<Found, FormatError>> = std::thread::scope(|scope| {
            let part = |i: u64| scope.spawn(move || table.look_at(i * each, each));
            let handles: Vec<_> = (0..threads).map(part).collect();
            let joined = handles.into_iter().map(|h| {
                // Types that nobody looked at would be wrong and look right.
                let failed = |_| Err(FormatError::broken(&table.path, "could not be looked at; this is a defect"));
                h.join().unwrap_or_else(failed)
            });
            joined.collect()
        });
        let mut found = Found::new(self.header.columns.len());
        for part in parts {
            let part = part?;
            found.utf8 &= part.utf8;
            found.whole.iter_mut().zip(part.whole).for_each(|(a, b)| *a &= b);
            found.number.iter_mut().zip(part.number).for_each(|(a, b)| *a &= b);
        }
        self.kinds = (self.header.columns.iter().zip(found.whole).zip(found.number))
            .map(|((c, whole), number)| match c.kind {
                b'N' | b'F' if whole && c.decimals == 0 => DataType::Int64,
                // More digits than a float holds are an identifier.
                b'N' | b'F' if number && !(c.decimals == 0 && c.width > 17) => DataType::Float64,
                b'I' => DataType::Int64,
                b'B' if c.width == 8 => DataType::Float64,
                b'O' | b'Y' => DataType::Float64,
                b'L' if whole => DataType::Boolean,
                b'D' if whole => Moment::Date.data_type(),
                _ => DataType::Utf8,
            })
            .collect();
        Ok(found.utf8)
    }

    /// What the values of some rows are.
    fn look_at(&self, from: u64, rows: u64) -> Result<Found, FormatError> {
        let mut found = Found::new(self.header.columns.len());
        let mut cursor = self.cursor_at(from, rows)?;
        let mut block = Vec::new();
        while cursor.many(BLOCK, &mut block)? > 0 {
            // Plain letters are UTF-8, whichever column they are in.
            let plain = block.is_ascii();
            for (i, c) in self.header.columns.iter().enumerate() {
                let values = block.chunks_exact(self.header.row_length).map(|row| &row[c.offset..c.offset + c.width]);
                match c.kind {
                    b'N' | b'F' if found.number[i] => {
                        for text in values.map(trimmed).filter(|text| !is_blank(text)) {
                            let (whole, number) = figures(text);
                            found.whole[i] &= whole;
                            found.number[i] &= number;
                        }
                    }
                    // Another letter than those of yes and no would be lost as one.
                    b'L' => found.whole[i] &= values.into_iter().all(|v| b"TtYyFfNn? \0".contains(&v[0])),
                    // Eight figures that are no day stay what they are.
                    b'D' => {
                        found.whole[i] &= values.map(trimmed).all(|v| is_no_day(v) || Moment::of(&day(v)).is_some())
                    }
                    b'C' if !plain => {
                        found.utf8 &= values.into_iter().all(|v| std::str::from_utf8(trimmed(v)).is_ok());
                    }
                    _ => {}
                }
            }
            block.clear();
        }
        Ok(found)
    }

    pub(super) fn cell(&self, column: &Column, kind: &DataType, value: &[u8]) -> Cell {
        let eight = || value.first_chunk::<8>();
        match column.kind {
            b'N' | b'F' => {
                let text = trimmed(value);
                if is_blank(text) {
                    return Cell::Null;
                }
                let text = String::from_utf8_lossy(text);
                match kind {
                    DataType::Int64 => text.parse().map_or(Cell::Null, Cell::Integer),
                    DataType::Float64 => text.parse().map_or(Cell::Null, Cell::Real),
                    _ => Cell::Text(text.into_owned()),
                }
            }
            b'L' if *kind == DataType::Boolean => match value[0] {
                b'T' | b't' | b'Y' | b'y' => Cell::Boolean(true),
                b'F' | b'f' | b'N' | b'n' => Cell::Boolean(false),
                _ => Cell::Null,
            },
            b'D' => {
                let text = trimmed(value);
                if is_no_day(text) { Cell::Null } else { Cell::Text(day(text)) }
            }
            b'I' => value.first_chunk().map_or(Cell::Null, |b| Cell::Integer(i64::from(i32::from_le_bytes(*b)))),
            b'B' if column.width == 8 => eight().map_or(Cell::Null, |b| real(f64::from_le_bytes(*b))),
            b'O' => eight().map_or(Cell::Null, |b| real(f64::from_le_bytes(*b))),
            b'Y' => eight().map_or(Cell::Null, |b| Cell::Real(i64::from_le_bytes(*b) as f64 / 1e4)),
            b'T' | b'@' => moment(value),
            b'M' => {
                let number = match value.first_chunk::<4>() {
                    Some(b) if column.width == 4 => Some(u64::from(u32::from_le_bytes(*b))),
                    _ => std::str::from_utf8(trimmed(value)).ok().and_then(|t| t.parse().ok()),
                };
                let found = number.filter(|n| *n > 0).and_then(|n| self.memo.as_ref()?.get(n));
                found.map_or(Cell::Null, |b| Cell::Text(self.encoding.decode(b).trim_end().to_string()))
            }
            _ => {
                let text = trimmed(value);
                if text.is_empty() { Cell::Null } else { Cell::Text(self.encoding.decode(text)) }
            }
        }
    }
}

/// What is found of columns.
struct Found {
    /// Per column: whether all values are whole numbers of 64 bits, or letters of yes and no.
    whole: Vec<bool>,
    /// Per column: whether all are numbers.
    number: Vec<bool>,
    utf8: bool,
}

impl Found {
    fn new(columns: usize) -> Self {
        Found { whole: vec![true; columns], number: vec![true; columns], utf8: true }
    }
}

/// Whether a text is a whole number of 64 bits, and whether it is a number at all; codes with a zero in front are neither.
fn figures(text: &[u8]) -> (bool, bool) {
    let figures = text.strip_prefix(b"-").unwrap_or(text);
    // The usual forms need no parsing.
    if let [first, rest @ ..] = figures
        && first.is_ascii_digit()
        && figures.len() <= 18
    {
        if rest.iter().all(u8::is_ascii_digit) {
            let plain = *first != b'0' || rest.is_empty();
            return (plain, plain);
        }
        let mut points = 0;
        if *first != b'0'
            && rest.iter().all(|b| {
                b.is_ascii_digit()
                    || *b == b'.' && {
                        points += 1;
                        points < 2
                    }
            })
        {
            return (false, true);
        }
    }
    let text = std::str::from_utf8(text).unwrap_or("?");
    let number = text.parse::<f64>().is_ok_and(f64::is_finite) && !leading_zero(text);
    (text.parse::<i64>().is_ok() && !leading_zero(text), number)
}

/// Whether figures have a zero in front, as codes have: they are no number.
fn leading_zero(text: &str) -> bool {
    let figures = text.trim_start_matches(['-', '+']);
    figures.len() > 1 && figures.starts_with('0') && !figures.starts_with("0.")
}

fn real(value: f64) -> Cell {
    if value.is_finite() { Cell::Real(value) } else { Cell::Null }
}

/// Without blanks and zero bytes at either end.
pub(super) fn trimmed(value: &[u8]) -> &[u8] {
    let blank = |b: &u8| matches!(b, b' ' | 0);
    let start = value.iter().position(|b| !blank(b)).unwrap_or(value.len());
    let end = value.iter().rposition(|b| !blank(b)).map_or(start, |i| i + 1);
    &value[start..end]
}

/// Whether figures say that there is no number: nothing, or stars where one did not fit.
pub(super) fn is_blank(text: &[u8]) -> bool {
    text.is_empty() || text.iter().all(|b| *b == b'*')
}

/// A day counted from 4713 BC and milliseconds of it, as date and time.
fn moment(value: &[u8]) -> Cell {
    let (Some(day), Some(ms)) = (value.first_chunk::<4>(), value.get(4..).and_then(|v| v.first_chunk::<4>())) else {
        return Cell::Null;
    };
    let (day, ms) = (i64::from(i32::from_le_bytes(*day)), i64::from(i32::from_le_bytes(*ms)));
    if day <= 0 || !(0..86_400_000).contains(&ms) {
        return Cell::Null;
    }
    // Fliegel and Van Flandern, Communications of the ACM 11 (1968) 657.
    let mut l = day + 68_569;
    let n = 4 * l / 146_097;
    l -= (146_097 * n + 3) / 4;
    let i = 4000 * (l + 1) / 1_461_001;
    l = l - 1461 * i / 4 + 31;
    let j = 80 * l / 2447;
    let d = l - 2447 * j / 80;
    l = j / 11;
    let (m, y) = (j + 2 - 12 * l, 100 * (n - 49) + i + l);
    let s = ms / 1000;
    Cell::Text(format!("{y:04}-{m:02}-{d:02}T{:02}:{:02}:{:02}", s / 3600, s / 60 % 60, s % 60))
}

/// Rows one after the other.
pub(crate) struct Cursor<'a> {
    table: &'a Table,
    file: BufReader<File>,
    left: u64,
    buffer: Vec<u8>,
}

impl Cursor<'_> {
    fn bytes(&mut self) -> Result<Option<&[u8]>, FormatError> {
        if self.left == 0 {
            return Ok(None);
        }
        self.left -= 1;
        self.file.read_exact(&mut self.buffer).map_err(|e| FormatError::read(&self.table.path, e))?;
        Ok(Some(&self.buffer))
    }

    /// Appends the bytes of as many of the next rows as there are, at most `most`; gives how many.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub(crate) fn many(&mut self, most: u64, bytes: &mut Vec<u8>) -> Result<u64, FormatError> {
        let n = most.min(self.left);
        self.left -= n;
        let wanted = n * self.table.header.row_length as u64;
        let failed = |e| FormatError::read(&self.table.path, e);
        let there = self.file.by_ref().take(wanted).read_to_end(bytes).map_err(failed)?;
        if (there as u64) < wanted {
            return Err(failed(std::io::ErrorKind::UnexpectedEof.into()));
        }
        Ok(n)
    }

    /// The next row; none at the end.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub(crate) fn next(&mut self) -> Result<Option<Row>, FormatError> {
        let table = self.table;
        let Some(row) = self.bytes()? else { return Ok(None) };
        Ok(Some(Row { cells: table.cells(row), deleted: row[0] == b'*' }))
    }
}

/// Whether a day is left empty.
fn is_no_day(text: &[u8]) -> bool {
    text.is_empty() || text == b"00000000"
}

/// Eight figures as a date; anything else as it is.
fn day(text: &[u8]) -> String {
    let whole = String::from_utf8_lossy(text).into_owned();
    let is_day = text.len() == 8 && text.iter().all(u8::is_ascii_digit);
    if is_day { format!("{}-{}-{}", &whole[..4], &whole[4..6], &whole[6..]) } else { whole }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn days_are_counted_from_4713_bc() {
        // The day of the epoch J2000: 2451545.
        let mut value = 2_451_545i32.to_le_bytes().to_vec();
        value.extend(45_296_000i32.to_le_bytes());
        assert_eq!(moment(&value), Cell::Text("2000-01-01T12:34:56".into()));
        assert_eq!(moment(&[0; 8]), Cell::Null);
    }

    #[test]
    fn codes_are_no_numbers() {
        assert!(leading_zero("01234") && leading_zero("-07"));
        assert!(!leading_zero("0") && !leading_zero("0.5") && !leading_zero("10"));
        for text in [
            "0",
            "7",
            "-7",
            "01",
            "-01",
            "0.5",
            "00.5",
            "1.5",
            "1..5",
            "1.",
            "-",
            "x",
            "1e5",
            "123456789012345678",
            "99999999999999999999",
            "+5",
            "inf",
        ] {
            let whole = text.parse::<i64>().is_ok() && !leading_zero(text);
            let number = text.parse::<f64>().is_ok_and(f64::is_finite) && !leading_zero(text);
            assert_eq!(figures(text.as_bytes()), (whole, number), "{text}");
        }
    }
}
