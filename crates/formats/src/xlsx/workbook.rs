//! Workbooks of both open standards as rows of text: XLSX row by row, OpenDocument a sheet at a time.

use crate::{Format, FormatError};
use calamine::{Data, DataRef, Ods, OdsError, Reader as _, SheetVisible, Xlsx, XlsxError};
use std::collections::HashSet;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// An opened workbook; there is one at a time, so its size does not matter.
#[allow(clippy::large_enum_variant)]
pub(super) enum Workbook {
    Xlsx(Xlsx<BufReader<File>>),
    Ods(Ods<BufReader<File>>),
}

/// Gets the row number (from 0), its cells as text, and the cells that hold errors, until it says false.
pub(super) type EachRow<'a> = &'a mut dyn FnMut(u32, &[String], &[ErrorCell]) -> bool;

/// The column (from 0) of a cell and the error that it holds.
pub(super) type ErrorCell = (u32, String);

fn broken(path: &Path, e: XlsxError) -> FormatError {
    match e {
        XlsxError::Password => FormatError::Password { path: path.to_path_buf() },
        XlsxError::FileNotFound(_) => FormatError::NotRecognised {
            path: path.to_path_buf(),
            problem: "is an archive but not a workbook (.xlsx); unpack it first".into(),
        },
        other => unreadable(path, &other),
    }
}

fn broken_ods(path: &Path, e: OdsError) -> FormatError {
    match e {
        OdsError::Password => FormatError::Password { path: path.to_path_buf() },
        other => unreadable(path, &other),
    }
}

fn unreadable(path: &Path, e: &dyn std::fmt::Display) -> FormatError {
    FormatError::broken(
        path,
        format!("the workbook cannot be read: {e}; open it in a spreadsheet program and save it again"),
    )
}

impl Workbook {
    pub(super) fn open(path: &Path) -> Result<Self, FormatError> {
        let file = BufReader::new(File::open(path).map_err(|e| FormatError::read(path, e))?);
        Ok(match crate::detect(path)? {
            Format::Ods => Workbook::Ods(Ods::new(file).map_err(|e| broken_ods(path, e))?),
            _ => Workbook::Xlsx(Xlsx::new(file).map_err(|e| broken(path, e))?),
        })
    }

    pub(super) fn format(&self) -> Format {
        match self {
            Workbook::Xlsx(_) => Format::Xlsx,
            Workbook::Ods(_) => Format::Ods,
        }
    }

    /// Names of the sheets.
    pub(super) fn names(&self) -> Vec<String> {
        match self {
            Workbook::Xlsx(w) => w.sheet_names(),
            Workbook::Ods(w) => w.sheet_names(),
        }
    }

    /// Names of the sheets that are hidden.
    pub(super) fn hidden_sheets(&self) -> Vec<String> {
        let sheets = match self {
            Workbook::Xlsx(w) => w.sheets_metadata(),
            Workbook::Ods(w) => w.sheets_metadata(),
        };
        sheets.iter().filter(|s| s.visible != SheetVisible::Visible).map(|s| s.name.clone()).collect()
    }

    /// Whether a sheet holds anything.
    pub(super) fn is_filled(&mut self, sheet: &str) -> bool {
        match self {
            Workbook::Xlsx(w) => {
                w.worksheet_cells_reader(sheet).is_ok_and(|mut cells| matches!(cells.next_cell(), Ok(Some(_))))
            }
            Workbook::Ods(w) => w.worksheet_range(sheet).is_ok_and(|r| !r.is_empty()),
        }
    }

    /// Gives the rows of a sheet.
    pub(super) fn each_row(&mut self, path: &Path, sheet: &str, f: EachRow) -> Result<(), FormatError> {
        match self {
            Workbook::Xlsx(w) => rows_of_xlsx(w, path, sheet, f),
            Workbook::Ods(w) => {
                let range = w.worksheet_range(sheet).map_err(|e| broken_ods(path, e))?;
                let (first_row, first_column) = range.start().unwrap_or((0, 0));
                for (i, row) in range.rows().enumerate() {
                    let mut errors = Vec::new();
                    let mut texts = vec![String::new(); first_column as usize];
                    let cells = (first_column..).zip(row);
                    texts.extend(cells.map(|(column, d)| cell_text(&borrowed(d), column, &mut errors)));
                    let empty = texts.iter().all(String::is_empty) && errors.is_empty();
                    if !empty && !f(first_row + i as u32, &texts, &errors) {
                        break;
                    }
                }
                Ok(())
            }
        }
    }
}

/// The name of a cell: row and column, both from 0, as `D14`.
pub(super) fn cell_name(row: u32, column: u32) -> String {
    format!("{}{}", column_name(column), row + 1)
}

/// The name of a column, counted from 0: `D`.
pub(super) fn column_name(column: u32) -> String {
    let (mut letters, mut left) = (String::new(), column + 1);
    while left > 0 {
        letters.insert(0, char::from(b'A' + ((left - 1) % 26) as u8));
        left = (left - 1) / 26;
    }
    letters
}

/// Cells of the first rows of a sheet that hold a formula and no value: its program never computed them, or left them out.
/// XLSX alone tells.
pub(super) fn formulas_without_value(
    workbook: &mut Workbook,
    path: &Path,
    sheet: &str,
    rows: u32,
) -> Result<Vec<String>, FormatError> {
    let Workbook::Xlsx(workbook) = workbook else { return Ok(Vec::new()) };
    let mut formulas = Vec::new();
    let mut cells = workbook.worksheet_cells_reader(sheet).map_err(|e| broken(path, e))?;
    while let Some(cell) = cells.next_formula().map_err(|e| broken(path, e))? {
        if cell.get_position().0 >= rows {
            break;
        }
        if !cell.get_value().is_empty() {
            formulas.push(cell.get_position());
        }
    }
    drop(cells);
    if formulas.is_empty() {
        return Ok(Vec::new());
    }
    let mut filled = HashSet::new();
    let mut cells = workbook.worksheet_cells_reader(sheet).map_err(|e| broken(path, e))?;
    while let Some(cell) = cells.next_cell().map_err(|e| broken(path, e))? {
        if cell.get_position().0 >= rows {
            break;
        }
        if !matches!(cell.get_value(), DataRef::Empty) {
            filled.insert(cell.get_position());
        }
    }
    formulas.retain(|position| !filled.contains(position));
    Ok(formulas.into_iter().map(|(row, column)| cell_name(row, column)).collect())
}

fn rows_of_xlsx(workbook: &mut Xlsx<BufReader<File>>, path: &Path, sheet: &str, f: EachRow) -> Result<(), FormatError> {
    let mut cells = workbook.worksheet_cells_reader(sheet).map_err(|e| broken(path, e))?;
    let (mut row, mut texts, mut errors, mut any) = (0u32, Vec::<String>::new(), Vec::new(), false);
    loop {
        let cell = cells.next_cell().map_err(|e| broken(path, e))?;
        let position = cell.as_ref().map(|c| c.get_position());
        if position.is_none_or(|(r, _)| r != row || !any) && any {
            if !f(row, &texts, &errors) {
                return Ok(());
            }
            texts.clear();
            errors.clear();
        }
        let Some((r, c)) = position else {
            return Ok(());
        };
        (row, any) = (r, true);
        let text = cell.map(|cell| cell_text(cell.get_value(), c, &mut errors)).unwrap_or_default();
        // Columns end at XFD; a larger index would only be there to waste memory.
        let column = (c as usize).min(16_383);
        if texts.len() <= column {
            texts.resize(column + 1, String::new());
        }
        texts[column] = text;
    }
}

fn borrowed(value: &Data) -> DataRef<'_> {
    match value {
        Data::Int(v) => DataRef::Int(*v),
        Data::Float(v) => DataRef::Float(*v),
        Data::String(s) => DataRef::SharedString(s),
        Data::Bool(b) => DataRef::Bool(*b),
        Data::DateTime(d) => DataRef::DateTime(*d),
        Data::DateTimeIso(s) => DataRef::DateTimeIso(s.clone()),
        Data::DurationIso(s) => DataRef::DurationIso(s.clone()),
        Data::Error(e) => DataRef::Error(e.clone()),
        _ => DataRef::Empty,
    }
}

fn cell_text(value: &DataRef, column: u32, errors: &mut Vec<ErrorCell>) -> String {
    match value {
        DataRef::Int(v) => v.to_string(),
        DataRef::Float(v) => {
            let mut out = Vec::new();
            crate::number::push_shortest(&mut out, *v);
            String::from_utf8(out).unwrap_or_default()
        }
        DataRef::String(s) => s.clone(),
        DataRef::SharedString(s) => (*s).to_string(),
        DataRef::Bool(b) => b.to_string(),
        DataRef::DateTime(d) if d.is_datetime() => {
            let (y, mo, da, h, mi, s, ms) = d.to_ymd_hms_milli();
            let day = format!("{y:04}-{mo:02}-{da:02}");
            let time = if ms > 0 { format!("{h:02}:{mi:02}:{s:02}.{ms:03}") } else { format!("{h:02}:{mi:02}:{s:02}") };
            match (d.as_f64() < 1.0, (h, mi, s, ms) == (0, 0, 0, 0)) {
                (true, _) => time,
                (false, true) => day,
                (false, false) => format!("{day}T{time}"),
            }
        }
        DataRef::DateTime(d) => d.as_f64().to_string(),
        DataRef::DateTimeIso(s) | DataRef::DurationIso(s) => s.clone(),
        DataRef::Error(error) => {
            errors.push((column, error.to_string()));
            String::new()
        }
        DataRef::Empty => String::new(),
    }
}
