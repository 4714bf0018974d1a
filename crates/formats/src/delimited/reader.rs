//! Reads delimited text as a stream of blocks.

use super::decode::DelimitedDecoder;
use super::dialect::{characters, find_delimiter, find_encoding, records, width_of};
use super::split::Splitter;
use super::{Dialect, delimiter_name};
use crate::reader::{About, Block, Decode, InputOptions, Reader, Suspicion};
use crate::{Format, FormatError};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::counted::{counted, is_or_are};
use encoding_rs::Encoding;
use std::collections::HashSet;
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes of a block: large enough to keep workers busy, small enough to keep memory flat.
const BLOCK: usize = 512 * 1024;
/// A record longer than this is a quote that was never closed.
const LONGEST_RECORD: usize = 16 * 1024 * 1024;
const SAMPLE: usize = 256 * 1024;

/// A text file that is read in blocks.
pub struct DelimitedReader {
    path: PathBuf,
    dialect: Dialect,
    about: About,
    schema: SchemaRef,
    /// Lines before the first data line.
    skip: u64,
    /// Whether lines end in carriage returns alone, as those of old systems do.
    returns: bool,
    is_utf8: bool,
    fill_short_rows: bool,
}

impl DelimitedReader {
    /// Finds encoding, delimiter and header of a file.
    ///
    /// # Errors
    /// Where the file cannot be read, holds no data line, or an option does not fit it.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let io = |e| FormatError::read(path, e);
        let bytes = std::fs::metadata(path).map_err(io)?.len();
        let mut head = Vec::new();
        File::open(path).map_err(io)?.take(SAMPLE as u64).read_to_end(&mut head).map_err(io)?;
        if bytes > SAMPLE as u64 && !head.iter().any(|b| matches!(b, b'\n' | b'\r')) {
            return Err(FormatError::broken(
                path,
                format!(
                    "its first line is longer than {SAMPLE} bytes, which no header is; if the columns are meant, make rows of names that are values"
                ),
            ));
        }
        let mut notes = Vec::new();
        let encoding = match &options.encoding {
            Some(label) => Encoding::for_label(label.as_bytes()).ok_or_else(|| FormatError::Option {
                path: path.to_path_buf(),
                problem: format!(
                    "`encoding` {label} is not known; examples: utf-8, windows-1252, utf-16le, iso-8859-15"
                ),
            })?,
            None => {
                let (encoding, how) = find_encoding(&head);
                notes.push(format!("encoding {} ({how})", encoding.name()));
                encoding
            }
        };
        let (text, _, _) = encoding.decode(&head);
        let returns = text.contains('\r') && !text.contains('\n');
        let text = if returns { text.replace('\r', "\n").into() } else { text };
        if returns {
            notes.push("line ends of old systems (carriage returns)".into());
        }
        // The last record of a cut sample is not whole.
        let whole =
            if bytes as usize > head.len() { text.rfind('\n').map_or(&text[..], |i| &text[..=i]) } else { &text[..] };
        let mut skip_lines = options.skip_lines.unwrap_or(0);
        let mut skipped = skip(whole, skip_lines);
        let said = said_delimiter(skipped);
        if said.is_some() {
            skip_lines += 1;
            skipped = skip(whole, skip_lines);
        }
        let (delimiter, width) = match (options.delimiter, said) {
            (Some(d), _) => (d, width_of(skipped, d)),
            (None, Some(d)) => {
                notes.push(format!("delimiter {} (the file says so in front of its header)", delimiter_name(d)));
                (d, width_of(skipped, d))
            }
            (None, None) => {
                let (d, width) = find_delimiter(skipped);
                notes.push(if width > 1 {
                    format!("delimiter {} (found)", delimiter_name(d))
                } else {
                    "one column, no delimiter".into()
                });
                (d, width)
            }
        };
        let (mut names, header_row, data_from) =
            header(path, skipped, skip_lines, delimiter, width, options, &mut notes)?;
        let rest = skip(whole, data_from);
        if rest.trim().is_empty() && skipped.trim_start_matches('\u{FEFF}').starts_with('#') {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the file holds nothing but remarks; a header and rows of data are expected",
            });
        }
        let data = records(rest, delimiter, 50);
        let mut suspicions = Vec::new();
        if data.len() > 1 && data.iter().all(|r| r.len() == names.len() + 1) {
            match only_empty_column(&data).filter(|_| delimiter == b'\t') {
                Some(at) => names = with_empty_column(&names, at, &mut notes),
                None => suspicions.push(Suspicion::ShiftedHeader { names: names.len(), fields: names.len() + 1 }),
            }
        }
        let schema =
            Arc::new(Schema::new(names.iter().map(|n| Field::new(n, DataType::Utf8, true)).collect::<Vec<_>>()));
        let about = About {
            header_row,
            encoding: Some(encoding.name().to_lowercase()),
            delimiter: (names.len() > 1).then_some(char::from(delimiter)),
            notes,
            suspicions,
            bytes,
            ..About::of(path, Format::Delimited)?
        };
        Ok(DelimitedReader {
            path: path.to_path_buf(),
            dialect: Dialect { encoding, delimiter, width: names.len() },
            about,
            schema,
            skip: data_from,
            returns,
            // Said, or seen: bytes alone could be of any encoding.
            is_utf8: encoding == encoding_rs::UTF_8 && (options.encoding.is_some() || characters(&head).0 > 0),
            fill_short_rows: options.fill_short_rows,
        })
    }

    /// Encoding, delimiter and width.
    pub fn dialect(&self) -> &Dialect {
        &self.dialect
    }
}

/// The delimiter that a first line says which spreadsheet programs take for no row: `sep=;`.
fn said_delimiter(text: &str) -> Option<u8> {
    let line = text.trim_start_matches('\u{FEFF}').lines().next()?.trim_end().trim_matches('"');
    let (word, sign) = line.split_at_checked(4)?;
    match sign.as_bytes() {
        [delimiter] if word.eq_ignore_ascii_case("sep=") && !delimiter.is_ascii_alphanumeric() => Some(*delimiter),
        _ => None,
    }
}

/// What follows the first `lines` lines.
fn skip(text: &str, lines: u64) -> &str {
    let mut rest = text;
    for _ in 0..lines {
        match rest.find('\n') {
            Some(i) => rest = &rest[i + 1..],
            None => return "",
        }
    }
    rest
}

/// Column names, the line of the header, and the number of lines before the data.
fn header(
    path: &Path,
    text: &str,
    skipped: u64,
    delimiter: u8,
    width: usize,
    options: &InputOptions,
    notes: &mut Vec<String>,
) -> Result<(Vec<String>, Option<u64>, u64), FormatError> {
    let wanted = options.header_row;
    let numbered = |n: usize| (1..=n.max(1)).map(|i| format!("column_{i}")).collect::<Vec<_>>();
    if wanted == Some(0) {
        return Ok((numbered(width), None, skipped));
    }
    let line_of_header = match wanted {
        Some(row) if row > skipped => row - skipped - 1,
        Some(row) => {
            return Err(FormatError::Option {
                path: path.to_path_buf(),
                problem: format!("`header_row` {row} is among the {skipped} lines that `skip_lines` skips"),
            });
        }
        None => {
            // Titles and remarks above the table have other widths than its rows.
            let mut line = 0;
            let mut lines = text.lines().peekable();
            while let Some(candidate) = lines.next() {
                let cut = |line: &str| records(line, delimiter, 1).pop().unwrap_or_default();
                let fields = cut(candidate);
                // Names for more than the rows have, with values right below; a title has names below, or another one.
                let are_names = |fields: &[String]| fields.iter().all(|f| is_name(f));
                let has_values = lines.peek().is_some_and(|next| !are_names(&cut(next)));
                let is_wider = fields.len() > width && width > 1 && are_names(&fields) && has_values;
                if fields.len() == width || (fields.len() + 1 == width && width > 2) || is_wider {
                    break;
                }
                line += 1;
            }
            if line as usize >= text.lines().count() { 0 } else { line }
        }
    };
    let rest = skip(text, line_of_header);
    let Some(fields) = records(rest, delimiter, 1).pop() else {
        return Err(FormatError::Empty {
            path: path.to_path_buf(),
            what: "there is no header line; a line with the names of the columns is expected",
        });
    };
    if wanted.is_none() && fields.iter().all(|f| f.trim().parse::<f64>().is_ok()) {
        notes.push("no header: the first line is all numbers, so columns are numbered".into());
        return Ok((numbered(fields.len()), None, skipped + line_of_header));
    }
    let mut fields = fields;
    if wanted.is_none() && width > 1 && !options.fill_short_rows {
        // A delimiter behind the last name makes a name without a column.
        while fields.len() > width && fields.last().is_some_and(|f| f.trim().is_empty()) {
            fields.pop();
        }
        if fields.len() > width {
            return Err(FormatError::Malformed {
                path: path.to_path_buf(),
                line: skipped + line_of_header + 1,
                problem: format!(
                    "the header has {} names and the rows have {width} fields: take out what names no column (or say `fill_short_rows` where the last ones are often empty): {}",
                    fields.len(),
                    fields.join(", ")
                ),
            });
        }
    }
    if wanted.is_none() && line_of_header > 0 {
        notes.push(format!(
            "{} above the header {} passed over",
            counted(line_of_header, "line"),
            is_or_are(line_of_header)
        ));
    }
    let first_field_lines = header_lines(rest, delimiter);
    Ok((unique_names(&fields, notes), Some(skipped + line_of_header + 1), skipped + line_of_header + first_field_lines))
}

/// The one column that is empty in all of these rows: where it has no name and all others have (a picture on the page that
/// a table was copied from), the names stand a column off. Only where tabs part the fields, as what is copied does: with commas a
/// field more may be a decimal.
fn only_empty_column(rows: &[Vec<String>]) -> Option<usize> {
    let mut empty = (0..rows.first()?.len()).filter(|at| rows.iter().all(|row| row[*at].trim().is_empty()));
    empty.next().filter(|_| empty.next().is_none())
}

/// The names with one for the empty column, so that those behind it get theirs.
fn with_empty_column(names: &[String], at: usize, notes: &mut Vec<String>) -> Vec<String> {
    notes.push(format!(
        "the header has {} names and every row {} fields: the empty column {} is taken for the one without a name",
        names.len(),
        names.len() + 1,
        at + 1
    ));
    let mut fields = names.to_vec();
    fields.insert(at, String::new());
    unique_names(&fields, notes)
}

/// Whether a field is the name of a column rather than a value, as far as can be seen: the last of a line may be empty.
fn is_name(field: &str) -> bool {
    let field = field.trim();
    field.is_empty() || !field.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.'))
}

/// Lines that the first record of a text takes: more than one where a quoted name holds a line end.
fn header_lines(text: &str, delimiter: u8) -> u64 {
    let mut splitter = Splitter::new(delimiter, 0);
    for (i, _) in text.match_indices('\n') {
        splitter.scan(&text.as_bytes()[..=i], false);
        let (n, line) = splitter.take();
        if n > 0 {
            return line;
        }
    }
    1
}

/// Names that are there and differ; each change is told.
pub(crate) fn unique_names(fields: &[String], notes: &mut Vec<String>) -> Vec<String> {
    let mut names: Vec<String> = Vec::with_capacity(fields.len());
    let mut taken: HashSet<String> = HashSet::new();
    for (i, field) in fields.iter().enumerate() {
        let mut name = field.split_whitespace().collect::<Vec<_>>().join(" ");
        if name.is_empty() {
            name = format!("column_{}", i + 1);
            notes.push(format!("column {} has no name; it is called {name}", i + 1));
        }
        if taken.contains(&name) {
            let base = name.clone();
            let mut n = 2;
            while taken.contains(&name) {
                name = format!("{base}_{n}");
                n += 1;
            }
            notes.push(format!("the name {base} occurs again; column {} is called {name}", i + 1));
        }
        taken.insert(name.clone());
        names.push(name);
    }
    names
}

impl Reader for DelimitedReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(DelimitedDecoder {
            path: self.path.clone(),
            schema: self.schema.clone(),
            delimiter: self.dialect.delimiter,
            is_utf8: self.is_utf8,
            fill_short_rows: self.fill_short_rows,
        })
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let io = |e| FormatError::read(&self.path, e);
        let file = File::open(&self.path).map_err(io)?;
        let mut input: Box<dyn Read> = if self.dialect.encoding == encoding_rs::UTF_8 {
            Box::new(file)
        } else {
            Box::new(
                encoding_rs_io::DecodeReaderBytesBuilder::new()
                    .encoding(Some(self.dialect.encoding))
                    .bom_sniffing(true)
                    .build(file),
            )
        };
        let mut buffer: Vec<u8> = Vec::with_capacity(BLOCK * 2);
        let mut splitter = Splitter::new(self.dialect.delimiter, 1);
        let (mut to_skip, mut first, mut line) = (self.skip, true, 1);
        loop {
            let filled = buffer.len();
            let n = input.by_ref().take(BLOCK as u64).read_to_end(&mut buffer).map_err(io)?;
            if self.returns {
                buffer[filled..].iter_mut().filter(|b| **b == b'\r').for_each(|b| *b = b'\n');
            }
            if first {
                first = false;
                if buffer.starts_with(b"\xEF\xBB\xBF") {
                    buffer.drain(..3);
                }
            }
            let end = n < BLOCK;
            // Lines before the data are not records: a stray quote in a title must not swallow the table.
            if to_skip > 0 && filled == 0 {
                while to_skip > 0 {
                    let Some(i) = memchr::memchr(b'\n', &buffer) else {
                        break;
                    };
                    buffer.drain(..=i);
                    to_skip -= 1;
                    line += 1;
                }
                if to_skip > 0 && !end {
                    buffer.clear();
                    continue;
                }
                if to_skip > 0 {
                    return Ok(());
                }
                splitter = Splitter::new(self.dialect.delimiter, line);
            }
            if end {
                // Blank lines and the mark of old systems at the very end are no rows.
                while buffer.last().is_some_and(|b| matches!(b, b'\n' | b'\r' | 0x1A))
                    && splitter.open_quote().is_none()
                    && buffer.len() > 1
                    && matches!(buffer[buffer.len() - 2], b'\n' | b'\r')
                {
                    buffer.pop();
                }
            }
            splitter.scan(&buffer, end);
            if let Some(quote_line) = splitter.open_quote()
                && (end || buffer.len() > LONGEST_RECORD)
            {
                return Err(FormatError::Malformed {
                    path: self.path.clone(),
                    line: quote_line,
                    problem: format!(
                        "a quote (\") is opened here and never closed; close it, or double it where it is part of the text{}",
                        if end { "" } else { " (16 MB read since)" }
                    ),
                });
            }
            let (length, next_line) = splitter.take();
            if length > 0 {
                let rest = buffer.split_off(length);
                let bytes = std::mem::replace(&mut buffer, rest);
                buffer.reserve(BLOCK * 2);
                if !sink(Block::Raw { bytes, first: line }) {
                    return Ok(());
                }
                line = next_line;
            }
            if end {
                return Ok(());
            }
        }
    }
}
