//! Reads a sheet as a stream of rows of text, of XLSX and of OpenDocument workbooks.
//!
//! Numbers become their shortest text, dates ISO 8601, booleans `true`/`false`; a text cell stays as it is, so
//! that `01234` keeps its zero. Error cells (`#N/A`) become empty, which is told.

use super::header::{Row, SheetRow, Table, holds_what_is_open_below, of_two_rows, second_group};
use super::hidden::{hidden_columns, hidden_rows};
use super::hidden_ods::{self, Part};
use super::workbook::{Workbook, cell_name, column_name, formulas_without_value};
use crate::delimited::unique_names;
use crate::reader::{About, Block, Decode, Decoded, InputOptions, PassThrough, Reader, Suspicion, check_columns};
use crate::{Format, FormatError};
use arrow_array::ArrayRef;
use arrow_array::builder::StringBuilder;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::{Batch, Reason, SetAsideRow};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Rows that travel together, at most.
const ROWS: usize = 4096;
/// Rows that are looked at before any is given.
const HEAD: usize = 200;
/// Cells that are told by name.
const NAMED: usize = 5;
/// Bytes of texts, and of the places of cells, that travel together, unless one row has more.
const BYTES: usize = 4 << 20;
/// More blank rows than this between two rows are set aside as one.
const LONGEST_GAP: u32 = 100;

/// A workbook's sheet.
pub struct XlsxReader {
    path: PathBuf,
    sheet: String,
    about: About,
    schema: SchemaRef,
    /// Sheet row (from 0) of the first data row.
    data_from: u32,
    /// What tells rows that are none of the table.
    table: Table,
    /// Cells with errors that the last pass met, and the first of them.
    errors: (u64, Vec<String>),
}

/// The names of the sheets.
///
/// # Errors
/// Where the workbook cannot be read.
pub fn sheets(path: &Path) -> Result<Vec<String>, FormatError> {
    Ok(Workbook::open(path)?.names())
}

impl XlsxReader {
    /// Opens a sheet: the one that was asked for, or the first that is not empty.
    ///
    /// # Errors
    /// Where the workbook cannot be read, needs a password, has no such sheet, or no row of data.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let mut workbook = Workbook::open(path)?;
        let names = workbook.names();
        let hidden_sheets = workbook.hidden_sheets();
        let mut notes = Vec::new();
        let sheet = match &options.sheet {
            Some(wanted) => names
                .iter()
                .find(|n| *n == wanted)
                .or_else(|| names.iter().find(|n| n.eq_ignore_ascii_case(wanted)))
                .cloned()
                .ok_or_else(|| FormatError::NoSuch {
                    path: path.to_path_buf(),
                    kind: "sheet",
                    wanted: wanted.clone(),
                    names: names.clone(),
                })?,
            None => {
                let mut chosen = None;
                // What its author hid is meant last.
                let (seen, unseen): (Vec<&String>, Vec<&String>) =
                    names.iter().partition(|name| !hidden_sheets.contains(name));
                for name in seen.into_iter().chain(unseen) {
                    if workbook.is_filled(name) {
                        chosen = Some(name.clone());
                        break;
                    }
                }
                chosen.ok_or_else(|| FormatError::Empty {
                    path: path.to_path_buf(),
                    what: "no sheet of the workbook holds anything",
                })?
            }
        };
        if names.len() > 1 && options.sheet.is_none() {
            notes.push(format!(
                "sheet \"{sheet}\" is read, the first with content of {}: {}",
                names.len(),
                names.join(", ")
            ));
        }
        if !hidden_sheets.is_empty() {
            notes.push(format!("sheets that are hidden: {}", hidden_sheets.join(", ")));
        }
        // The first rows, to find the header.
        let mut head: Vec<SheetRow> = Vec::new();
        workbook.each_row(path, &sheet, &mut |row, cells, _| {
            head.push((row, cells.to_vec()));
            head.len() < HEAD
        })?;
        let skip = options.skip_lines.unwrap_or(0) as u32;
        head.retain(|(row, _)| *row >= skip);
        let filled = |cells: &[String]| cells.iter().filter(|c| !c.trim().is_empty()).count();
        let widest = head.iter().map(|(_, c)| filled(c)).max().unwrap_or(0);
        if widest == 0 {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the sheet is empty; a header and rows of data are expected",
            });
        }
        let width = head.iter().map(|(_, c)| c.len()).max().unwrap_or(0);
        let mut is_joined = false;
        let (header_row, fields, data_from) = match options.header_row {
            Some(0) => (None, (1..=width).map(|i| format!("column_{i}")).collect::<Vec<_>>(), skip),
            Some(n) => {
                let row = n as u32 - 1;
                let cells = head.iter().find(|(r, _)| *r == row).map(|(_, c)| c.clone()).ok_or_else(|| {
                    FormatError::Option {
                        path: path.to_path_buf(),
                        problem: format!("`header_row` {n} is an empty row of sheet \"{sheet}\""),
                    }
                })?;
                (Some(n), cells, row + 1)
            }
            None => {
                // Titles above the table fill one cell or two; the header fills about as many as the rows do.
                let (row, cells) =
                    head.iter().find(|(_, c)| filled(c) * 2 > widest).cloned().unwrap_or_else(|| head[0].clone());
                if cells.iter().all(|c| c.trim().parse::<f64>().is_ok()) {
                    notes.push("no header: the first row is all numbers, so columns are numbered".into());
                    (None, (1..=width).map(|i| format!("column_{i}")).collect(), row)
                } else {
                    let by_number = |wanted: Option<u32>| head.iter().find(|(r, _)| Some(*r) == wanted).map(|(_, c)| c);
                    let below = |row: u32| head.iter().filter(|(r, _)| *r > row).cloned().collect::<Vec<_>>();
                    let above = by_number(row.checked_sub(1)).filter(|c| holds_what_is_open_below(c, &cells));
                    let upper = above.and_then(|above| Some((row - 1, of_two_rows(above, &cells, &below(row))?)));
                    let two = upper.or_else(|| {
                        let second = by_number(Some(row + 1))?;
                        Some((row, of_two_rows(&cells, second, &below(row + 1))?))
                    });
                    match two {
                        Some((first, joined)) => {
                            is_joined = true;
                            notes.push(format!(
                                "the header goes over rows {} and {}, which are joined",
                                first + 1,
                                first + 2
                            ));
                            (Some(u64::from(first) + 2), joined, first + 2)
                        }
                        None => (Some(u64::from(row) + 1), cells, row + 1),
                    }
                }
            }
        };
        let mut fields = fields;
        let mut rows: Vec<SheetRow> = head.iter().filter(|(r, _)| *r >= data_from).cloned().collect();
        let table = header_row.map(|_| Table::new(&fields, &rows)).unwrap_or_default();
        rows.truncate(table.ends_at(&rows));
        // Columns that stand right of the header still hold data.
        let data_width = rows
            .iter()
            .map(|(_, c)| c.iter().rposition(|v| !v.trim().is_empty()).map_or(0, |i| i + 1))
            .max()
            .unwrap_or(0);
        while fields.len() > data_width && fields.last().is_some_and(|f| f.trim().is_empty()) {
            fields.pop();
        }
        fields.resize(fields.len().max(data_width), String::new());
        if let Some(row) = header_row.filter(|r| *r > 1 && options.header_row.is_none() && !is_joined) {
            notes.push(format!("header found in row {row}; the rows above it are passed over"));
        }
        if let Some(column) = second_group(&fields, &rows).filter(|_| header_row.is_some()) {
            notes.push(format!(
                "column {} is empty: what stands right of it, from \"{}\" on, may be another table; its cells are read as those of the same rows",
                column_name(column as u32 - 1),
                fields[column].trim()
            ));
        }
        check_columns(path, fields.len())?;
        let names_of_columns = unique_names(&fields, &mut notes);
        let schema = Arc::new(Schema::new(
            names_of_columns.iter().map(|n| Field::new(n, DataType::Utf8, true)).collect::<Vec<_>>(),
        ));
        let first = formulas_without_value(&mut workbook, path, &sheet, data_from + HEAD as u32)?;
        let suspicions = if first.is_empty() { Vec::new() } else { vec![Suspicion::FormulasWithoutValue { first }] };
        let hidden = match workbook.format() {
            Format::Xlsx => hidden_columns(path, &sheet),
            _ => hidden_ods::hidden(path, &sheet, Part::Columns).columns,
        };
        let in_table = |column: &&String| (0..fields.len() as u32).any(|at| column_name(at) == **column);
        let hidden: Vec<&str> = hidden.iter().filter(in_table).map(String::as_str).collect();
        if !hidden.is_empty() {
            notes.push(format!("columns that are hidden in the sheet are read too: {}", hidden.join(", ")));
        }
        let about = About {
            suspicions,
            layer: Some(sheet.clone()),
            layers: names,
            header_row,
            notes,
            ..About::of(path, workbook.format())?
        };
        let errors = Default::default();
        Ok(XlsxReader { path: path.to_path_buf(), sheet, about, schema, data_from, table, errors })
    }
}

struct Building {
    columns: Vec<StringBuilder>,
    source_rows: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
    /// Bytes that all of them take.
    weight: usize,
}

impl Building {
    fn new(width: usize) -> Self {
        Building {
            columns: (0..width).map(|_| StringBuilder::with_capacity(0, 0)).collect(),
            source_rows: Vec::new(),
            set_aside: Vec::new(),
            weight: 0,
        }
    }

    fn finish(&mut self, schema: &SchemaRef) -> Result<Decoded, FormatError> {
        let mut taken = std::mem::replace(self, Building::new(schema.fields().len()));
        let arrays: Vec<ArrayRef> = taken.columns.iter_mut().map(|c| Arc::new(c.finish()) as ArrayRef).collect();
        let batch = Batch::new(schema.clone(), arrays, taken.source_rows)?;
        Ok(Decoded { batch, set_aside: taken.set_aside, bytes: 0 })
    }
}

impl Reader for XlsxReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema.clone()))
    }

    fn found(&self) -> Vec<Suspicion> {
        let (cells, first) = self.errors.clone();
        let errors = (cells > 0).then_some(Suspicion::ErrorCells { cells, first });
        let rows = match self.about.format {
            Format::Xlsx => hidden_rows(&self.path, &self.sheet),
            _ => hidden_ods::hidden(&self.path, &self.sheet, Part::All).rows,
        };
        errors.into_iter().chain((rows > 0).then_some(Suspicion::HiddenRows { rows })).collect()
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let mut workbook = Workbook::open(&self.path)?;
        let width = self.schema.fields().len();
        let mut building = Building::new(width);
        let mut next = self.data_from;
        let mut stopped = false;
        let mut failed = None;
        let (schema, data_from) = (self.schema.clone(), self.data_from);
        let mut found: (u64, Vec<String>) = Default::default();
        // Row of the header of another table, once one has begun.
        let mut other: Option<u32> = None;
        let table = self.table.clone();
        workbook.each_row(&self.path, &self.sheet, &mut |row, cells, errors| {
            if row < data_from {
                return true;
            }
            // Cells that only carry a format leave rows without text; those at the end of a sheet never come to
            // a filled row and are not counted.
            for (column, error) in errors {
                found.0 += 1;
                if found.1.len() < NAMED {
                    found.1.push(format!("{} ({error})", cell_name(row, *column)));
                }
            }
            if cells.iter().all(|c| c.trim().is_empty()) && errors.is_empty() {
                return true;
            }
            let mut blank = |source_row: u32, reason: String| {
                building.set_aside.push(SetAsideRow {
                    source_row: u64::from(source_row) + 1,
                    class: Reason::BLANK_ROW,
                    reason,
                    values: vec![String::new(); width],
                });
            };
            // A cell that somebody left at the foot of the sheet does not make a million rows.
            if row - next > LONGEST_GAP {
                blank(next, format!("rows {} to {row} are blank", next + 1));
            } else {
                (next..row).for_each(|r| blank(r, "blank row".into()));
            }
            let behind_a_gap = row > next && next > data_from;
            next = row + 1;
            let is = if other.is_some() { Row::OtherHeader } else { table.row(cells, behind_a_gap) };
            let reason = match is {
                Row::Own => None,
                Row::HeaderAgain => Some((Reason::HEADER_AGAIN, "the header is repeated here".to_string())),
                Row::OtherHeader => {
                    let begins = *other.get_or_insert(row) + 1;
                    Some((
                        Reason::OTHER_TABLE,
                        format!("another table begins in row {begins}; say `header_row` {begins} to read that one"),
                    ))
                }
            };
            if let Some((class, reason)) = reason {
                building.set_aside.push(SetAsideRow {
                    source_row: u64::from(row) + 1,
                    class,
                    reason,
                    values: (0..width).map(|i| cells.get(i).cloned().unwrap_or_default()).collect(),
                });
            } else {
                for (i, column) in building.columns.iter_mut().enumerate() {
                    column.append_value(cells.get(i).map_or("", String::as_str));
                }
                building.source_rows.push(u64::from(row) + 1);
            }
            building.weight += cells.iter().map(String::len).sum::<usize>() + width * size_of::<i32>();
            if building.source_rows.len() + building.set_aside.len() >= ROWS || building.weight >= BYTES {
                match building.finish(&schema) {
                    Ok(decoded) => stopped = !sink(Block::Rows(decoded)),
                    Err(e) => {
                        failed = Some(e);
                        stopped = true;
                    }
                }
            }
            !stopped
        })?;
        if let Some(e) = failed {
            return Err(e);
        }
        self.errors = found;
        if !stopped && (!building.source_rows.is_empty() || !building.set_aside.is_empty()) {
            sink(Block::Rows(building.finish(&schema)?));
        }
        Ok(())
    }
}
