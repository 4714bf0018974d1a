//! Writes tables. Widths are those of the data, so rows wait in a temporary file until all are known.

use crate::writer::{AsRows, ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput};
use arrow_array::{Array, ArrayRef, BooleanArray, Float64Array, Int64Array};
use arrow_schema::DataType;
use basilocus_table::batch::{cell_text, spatial_index};
use basilocus_table::counted;
use basilocus_table::{Batch, Moment};
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// Longest name of a column, in letters.
const NAME: usize = 10;
/// Longest text, in bytes.
const TEXT: usize = 254;
/// Most columns, as dBase IV has it; programs cut what is behind them, or refuse the file.
const MOST_COLUMNS: usize = 255;
/// Most figures of a number with its sign and point, as dBase IV has it.
const FIGURES: usize = 20;
/// Most decimals: two less, for the sign and the point.
const DECIMALS: usize = 18;
/// Programs that count in signed 32 bits fail above this size.
pub(crate) const LARGEST: u64 = 2_147_483_647;

/// The columns of a table in the making, with names that the format allows.
pub(crate) struct Columns {
    /// Which columns of the batch, and what they are.
    list: Vec<(usize, Kind)>,
    names: Vec<String>,
    /// What was changed, to be told.
    pub told: Vec<String>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Kind {
    Text,
    Whole,
    Real {
        digits: Option<usize>,
    },
    Logical,
    /// Days, as long as all values are such.
    Day,
}

impl Columns {
    /// # Errors
    /// Where there are more than a table holds.
    pub(crate) fn of(layer: &LayerOut, target: &Path) -> Result<Self, FormatError> {
        let skip = spatial_index(&layer.schema);
        let count = layer.schema.fields().len() - usize::from(skip.is_some());
        if count > MOST_COLUMNS {
            return Err(FormatError::Option {
                path: target.to_path_buf(),
                problem: format!(
                    "a DBF holds {MOST_COLUMNS} columns at most, and {} has {count}: leave some out with `keep` or `drop`, or write a GeoPackage",
                    layer.name
                ),
            });
        }
        let mut columns = Columns { list: Vec::new(), names: Vec::new(), told: Vec::new() };
        let mut renamed: Vec<String> = Vec::new();
        for (i, field) in layer.schema.fields().iter().enumerate().filter(|(i, _)| Some(*i) != skip) {
            let style = layer.styles.get(i);
            let kind = match field.data_type() {
                DataType::Int64 => Kind::Whole,
                DataType::Float64 => Kind::Real { digits: style.and_then(|s: &ColumnStyle| s.digits) },
                DataType::Boolean => Kind::Logical,
                _ if Moment::of_field(field) == Some(Moment::Date) => Kind::Day,
                _ => Kind::Text,
            };
            let name = valid_name(field.name(), &columns.names);
            if name != *field.name() {
                renamed.push(format!("\"{}\" is {name}", field.name()));
            }
            columns.names.push(name);
            columns.list.push((i, kind));
        }
        if !renamed.is_empty() {
            columns.told.push(format!(
                "columns have names of at most {NAME} letters, figures and underscores: {}",
                renamed.join(", ")
            ));
        }
        Ok(columns)
    }
}

/// A name of letters, figures and underscores that begins with a letter, is not too long and is not taken.
fn valid_name(wanted: &str, taken: &[String]) -> String {
    let mut name: String = plain(wanted.trim()).chars().take(NAME).collect();
    if !name.starts_with(|c: char| c.is_ascii_alphabetic()) {
        name.insert(0, 'F');
        name.truncate(NAME);
    }
    let is_free = |n: &str| !taken.iter().any(|t| t.eq_ignore_ascii_case(n));
    let mut n = 1;
    let mut out = name.clone();
    while !is_free(&out) {
        let end = format!("_{n}");
        out = format!("{}{end}", &name[..name.len().min(NAME - end.len())]);
        n += 1;
    }
    out
}

/// A name in plain letters, figures and underscores: letters without their marks, and two for one where that is how it is
/// written without.
fn plain(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
    for c in name.nfd().filter(|c| !is_combining_mark(*c)) {
        match c {
            c if c.is_ascii_alphanumeric() => out.push(c),
            'ß' => out.push_str("ss"),
            'æ' => out.push_str("ae"),
            'Æ' => out.push_str("AE"),
            'œ' => out.push_str("oe"),
            'Œ' => out.push_str("OE"),
            'ø' => out.push('o'),
            'Ø' => out.push('O'),
            'ł' => out.push('l'),
            'Ł' => out.push('L'),
            'đ' | 'ð' => out.push('d'),
            'Đ' | 'Ð' => out.push('D'),
            'þ' => out.push_str("th"),
            'Þ' => out.push_str("TH"),
            'ı' => out.push('i'),
            _ => out.push('_'),
        }
    }
    out
}

/// Rows that wait until the widths are known.
pub(crate) struct TableSpool {
    columns: Columns,
    file: BufWriter<File>,
    rows: u64,
    widths: Vec<Width>,
}

#[derive(Debug, Clone, Copy, Default)]
struct Width {
    /// Longest text; figures in front of the point with the sign.
    whole: usize,
    decimals: usize,
    /// Texts that were cut, numbers that lost figures.
    lost: u64,
    /// Whether a value of a column of days is none.
    other: bool,
}

impl TableSpool {
    pub(crate) fn new(columns: Columns, target: &Path) -> Result<Self, FormatError> {
        let file = tempfile::tempfile().map_err(|e| FormatError::write(target, e))?;
        let widths = vec![Width::default(); columns.list.len()];
        Ok(TableSpool { columns, file: BufWriter::with_capacity(1 << 18, file), rows: 0, widths })
    }

    /// Adds the rows of a batch.
    ///
    /// # Errors
    /// Where the temporary file cannot be written.
    pub(crate) fn push(&mut self, batch: &Batch) -> std::io::Result<()> {
        for row in 0..batch.len() {
            for (at, (column, kind)) in self.columns.list.iter().enumerate() {
                let text = text_of(batch.records().column(*column), row, *kind);
                let width = &mut self.widths[at];
                match kind {
                    Kind::Real { .. } => {
                        let (front, behind) = text.split_once('.').unwrap_or((&text, ""));
                        width.whole = width.whole.max(front.len());
                        width.decimals = width.decimals.max(behind.len());
                    }
                    _ => {
                        width.whole = width.whole.max(text.len());
                        width.other |=
                            *kind == Kind::Day && !text.is_empty() && Moment::of(&text) != Some(Moment::Date);
                    }
                }
                self.file.write_all(&(text.len() as u32).to_le_bytes())?;
                self.file.write_all(text.as_bytes())?;
            }
            self.rows += 1;
        }
        Ok(())
    }

    /// Writes the table; gives what is to be told. `date` is `YYYY-MM-DD`.
    ///
    /// # Errors
    /// Where it cannot be written or would be too large.
    pub(crate) fn finish(mut self, path: &Path, target: &Path, date: &str) -> Result<Vec<String>, FormatError> {
        for ((_, kind), _) in self.columns.list.iter_mut().zip(&self.widths).filter(|(_, w)| w.other) {
            *kind = Kind::Text;
        }
        let failed = |e: std::io::Error| FormatError::write(target, e);
        // A table without a column is none.
        let numbered = self.columns.list.is_empty();
        let layout: Vec<(u8, usize, usize)> = if numbered {
            vec![(b'N', self.rows.to_string().len(), 0)]
        } else {
            self.columns.list.iter().zip(&self.widths).map(|((_, kind), w)| layout(*kind, w)).collect()
        };
        let names: Vec<&str> =
            if numbered { vec!["id"] } else { self.columns.names.iter().map(String::as_str).collect() };
        let row_length = 1 + layout.iter().map(|(_, w, _)| w).sum::<usize>();
        let length = 32 + 32 * layout.len() + 1;
        let size = length as u64 + self.rows * row_length as u64;
        if size > LARGEST || row_length > 65_535 || self.rows > u64::from(u32::MAX) {
            return Err(FormatError::write(
                target,
                format!(
                    "the table would have {} rows and {size} bytes, and DBF holds at most {LARGEST} bytes; write a GeoPackage or parts",
                    self.rows
                ),
            ));
        }
        let mut out = BufWriter::with_capacity(1 << 18, File::create(path).map_err(failed)?);
        out.write_all(&head(self.rows as u32, length as u16, row_length as u16, date)).map_err(failed)?;
        for (name, (kind, width, decimals)) in names.iter().zip(&layout) {
            let mut field = [0u8; 32];
            field[..name.len()].copy_from_slice(name.as_bytes());
            (field[11], field[16], field[17]) = (*kind, *width as u8, *decimals as u8);
            out.write_all(&field).map_err(failed)?;
        }
        out.write_all(&[0x0D]).map_err(failed)?;
        let mut spool = self.file.into_inner().map_err(|e| failed(e.into_error()))?;
        spool.rewind().map_err(failed)?;
        let mut spool = BufReader::with_capacity(1 << 18, spool);
        let mut text = Vec::new();
        let mut cell = Vec::new();
        for row in 0..self.rows {
            out.write_all(b" ").map_err(failed)?;
            if numbered {
                write!(out, "{:>1$}", row + 1, layout[0].1).map_err(failed)?;
            }
            for (at, (_, kind)) in self.columns.list.iter().enumerate() {
                let mut n = [0u8; 4];
                spool.read_exact(&mut n).map_err(failed)?;
                text.resize(u32::from_le_bytes(n) as usize, 0);
                spool.read_exact(&mut text).map_err(failed)?;
                let lost = fit(&text, *kind, layout[at], &mut cell);
                self.widths[at].lost += u64::from(lost);
                out.write_all(&cell).map_err(failed)?;
            }
        }
        out.write_all(&[0x1A]).map_err(failed)?;
        out.flush().map_err(failed)?;
        let mut told = self.columns.told;
        for ((name, (_, kind)), width) in self.columns.names.iter().zip(&self.columns.list).zip(&self.widths) {
            if width.lost > 0 {
                told.push(match kind {
                    Kind::Text => format!(
                        "column {name}: {} cut after {TEXT} bytes, the most that DBF holds; a GeoPackage holds all",
                        counted(width.lost, "text")
                    ),
                    _ => format!(
                        "column {name}: figures lost in {}: DBF holds {FIGURES} of them",
                        counted(width.lost, "number")
                    ),
                });
            }
        }
        Ok(told)
    }
}

/// Type, width and decimals of a column.
fn layout(kind: Kind, w: &Width) -> (u8, usize, usize) {
    match kind {
        Kind::Text => (b'C', w.whole.clamp(1, TEXT), 0),
        Kind::Whole => (b'N', w.whole.clamp(1, 20), 0),
        Kind::Logical => (b'L', 1, 0),
        Kind::Day => (b'D', 8, 0),
        Kind::Real { digits } => {
            let decimals = digits.unwrap_or(w.decimals).min(DECIMALS);
            let whole = w.whole.max(1);
            let decimals = decimals.min(FIGURES.saturating_sub(whole + 1));
            (b'N', if decimals > 0 { whole + 1 + decimals } else { whole }.min(FIGURES), decimals)
        }
    }
}

/// A text in the width of its column, padded; whether something was lost.
fn fit(text: &[u8], kind: Kind, (_, width, decimals): (u8, usize, usize), out: &mut Vec<u8>) -> bool {
    out.clear();
    let pad = |n: usize| std::iter::repeat_n(b' ', n);
    match kind {
        Kind::Text => {
            let text = std::str::from_utf8(text).unwrap_or_default();
            let cut = (0..=width.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0);
            out.extend_from_slice(&text.as_bytes()[..cut]);
            out.extend(pad(width - cut));
            cut < text.len()
        }
        Kind::Day => {
            out.extend(text.iter().filter(|b| b.is_ascii_digit()));
            out.resize(width, b' ');
            false
        }
        Kind::Logical => {
            out.push(text.first().copied().unwrap_or(b'?'));
            false
        }
        Kind::Whole => {
            out.extend(pad(width.saturating_sub(text.len())));
            out.extend_from_slice(text);
            false
        }
        Kind::Real { .. } if text.is_empty() => {
            out.extend(pad(width));
            false
        }
        Kind::Real { .. } => {
            let value: f64 = std::str::from_utf8(text).ok().and_then(|t| t.parse().ok()).unwrap_or(f64::NAN);
            let mut figures = format!("{value:.decimals$}");
            if figures.len() > width {
                // Larger than any figures: in the form with an exponent.
                figures = format!("{value:e}");
                figures.truncate(width);
            }
            out.extend(pad(width.saturating_sub(figures.len())));
            out.extend_from_slice(figures.as_bytes());
            figures.parse::<f64>().ok() != Some(value)
        }
    }
}

fn text_of(array: &ArrayRef, row: usize, kind: Kind) -> String {
    if array.is_null(row) {
        return String::new();
    }
    let any = array.as_any();
    match kind {
        Kind::Whole => any.downcast_ref::<Int64Array>().map_or(String::new(), |a| a.value(row).to_string()),
        Kind::Real { digits } => match any.downcast_ref::<Float64Array>().map(|a| a.value(row)) {
            Some(v) if v.is_finite() => digits.map_or_else(|| v.to_string(), |d| format!("{v:.d$}")),
            _ => String::new(),
        },
        Kind::Logical => match any.downcast_ref::<BooleanArray>().map(|a| a.value(row)) {
            Some(true) => "T".into(),
            Some(false) => "F".into(),
            None => String::new(),
        },
        Kind::Text | Kind::Day => cell_text(array, row),
    }
}

/// The first 32 bytes of a table.
fn head(rows: u32, length: u16, row_length: u16, date: &str) -> [u8; 32] {
    let mut out = [0u8; 32];
    out[0] = 0x03;
    let mut parts = date.split('-').map(|p| p.parse::<u16>().unwrap_or(0));
    let mut part = || parts.next().unwrap_or(0);
    let (y, m, d) = (part(), part(), part());
    (out[1], out[2], out[3]) = (y.saturating_sub(1900).min(255) as u8, m as u8, d as u8);
    out[4..8].copy_from_slice(&rows.to_le_bytes());
    out[8..10].copy_from_slice(&length.to_le_bytes());
    out[10..12].copy_from_slice(&row_length.to_le_bytes());
    out
}

/// A table on its own in the making.
pub struct DbfWriter {
    pending: PendingOutput,
    /// The file that says the encoding.
    label: PathBuf,
    table: Option<TableSpool>,
}

impl DbfWriter {
    /// Prepares a table.
    ///
    /// # Errors
    /// Where a file that belongs to it is there already.
    pub fn create(mut pending: PendingOutput) -> Result<Self, FormatError> {
        let label = pending.companion("cpg")?;
        Ok(DbfWriter { pending, label, table: None })
    }
}

impl Writer for DbfWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        if self.table.is_some() {
            return Err(FormatError::write(
                self.pending.target(),
                "a DBF holds one table; write an XLSX or a GeoPackage",
            ));
        }
        self.table = Some(TableSpool::new(Columns::of(layer, self.pending.target())?, self.pending.target())?);
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        if let (Encoded::Rows(batch), Some(table)) = (part, self.table.as_mut()) {
            table.push(&batch).map_err(|e| FormatError::write(self.pending.target(), e))?;
        }
        Ok(())
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        mut self: Box<Self>,
        about: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        let mut told = Vec::new();
        if let Some(table) = self.table.take() {
            told = table.finish(self.pending.path(), self.pending.target(), &about.date)?;
        }
        std::fs::write(&self.label, "UTF-8").map_err(|e| FormatError::write(self.pending.target(), e))?;
        Ok((self.pending, told))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_valid_and_each_there_once() {
        let mut taken = Vec::new();
        for (wanted, name) in [
            ("district name", "district_n"),
            ("district nature", "district_1"),
            ("DISTRICT_N", "DISTRICT_2"),
            ("größe", "grosse"),
            ("état", "etat"),
            ("Køl Ælv", "Kol_AElv"),
            ("名前", "F__"),
            ("2nd", "F2nd"),
            ("", "F"),
            ("id", "id"),
        ] {
            let found = valid_name(wanted, &taken);
            assert_eq!(found, name, "{wanted}");
            taken.push(found);
        }
    }

    #[test]
    fn what_does_not_fit_is_told() {
        let mut out = Vec::new();
        assert!(!fit("größe".as_bytes(), Kind::Text, (b'C', 7, 0), &mut out));
        assert!(fit("größe".as_bytes(), Kind::Text, (b'C', 3, 0), &mut out));
        assert_eq!(out, b"gr ", "no half letter is left");
        let real = Kind::Real { digits: None };
        assert!(!fit(b"1.5", real, (b'N', 6, 2), &mut out));
        assert_eq!(out, b"  1.50");
        assert!(fit(b"1.256", real, (b'N', 6, 2), &mut out));
    }
}
