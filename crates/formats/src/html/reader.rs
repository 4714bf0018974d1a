//! One table of a page as rows.

use super::tables::{Row, Table, tables};
use crate::delimited::{find_encoding, unique_names};
use crate::feature::{Cell, FeatureSource, Give, Shape, layer_schema};
use crate::reader::{About, InputOptions};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use encoding_rs::Encoding;
use std::path::Path;

/// Bytes of a page; larger ones are no pages that a person saved.
const LARGEST: u64 = 256 << 20;
/// Signs of a caption that make the name of a table.
const LONGEST_NAME: usize = 60;

/// A table of a page.
pub struct HtmlReader {
    about: About,
    schema: SchemaRef,
    rows: Vec<Row>,
    /// Rows before the data.
    header_rows: usize,
    /// Places of the columns among those of the page.
    places: Vec<usize>,
}

/// Tables with their names.
type Named = Vec<(String, Table)>;

/// The tables of a page with their names, and how it was read: those that have a row below a header, and more than one column.
fn named_tables(path: &Path, options: &InputOptions) -> Result<(Named, Vec<String>), FormatError> {
    let length = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len();
    if length > LARGEST {
        return Err(FormatError::broken(path, format!("is a page of {length} bytes; save the table that it shows")));
    }
    let bytes = std::fs::read(path).map_err(|e| FormatError::read(path, e))?;
    let (encoding, how) = match &options.encoding {
        Some(label) => {
            let known = Encoding::for_label(label.as_bytes()).ok_or_else(|| FormatError::Option {
                path: path.to_path_buf(),
                problem: format!("`encoding` {label} is not known; an example: windows-1252"),
            })?;
            (known, "said")
        }
        None => said_encoding(&bytes).map_or_else(|| find_encoding(&bytes), |e| (e, "said by the page")),
    };
    let (text, _, _) = encoding.decode(&bytes);
    let found = tables(&text)
        .ok_or_else(|| FormatError::broken(path, "has merged cells that make more cells than any page shows"))?;
    let is_table = |t: &Table| t.rows.len() > 1 && t.rows.first().is_some_and(|r| r.cells.len() > 1);
    let mut named = Named::new();
    for (number, table) in found.into_iter().filter(is_table).enumerate() {
        let caption: String = table.caption.chars().take(LONGEST_NAME).collect();
        let is_taken = named.iter().any(|(name, _)| *name == caption);
        let name = if caption.is_empty() || is_taken { format!("table {}", number + 1) } else { caption };
        named.push((name, table));
    }
    Ok((named, vec![format!("encoding {} ({how})", encoding.name())]))
}

/// The encoding that a page says of itself.
fn said_encoding(bytes: &[u8]) -> Option<&'static Encoding> {
    if Encoding::for_bom(bytes).is_some() {
        return None;
    }
    let head = String::from_utf8_lossy(&bytes[..bytes.len().min(2048)]).to_ascii_lowercase();
    let label = head.split_once("charset=")?.1.trim_start_matches(['"', '\'', ' ']);
    Encoding::for_label(label.split(|c: char| !(c.is_ascii_alphanumeric() || "-_".contains(c))).next()?.as_bytes())
}

/// The names of the tables.
///
/// # Errors
/// Where the page cannot be read.
pub(crate) fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    Ok(named_tables(path, &InputOptions::default())?.0.into_iter().map(|(name, _)| name).collect())
}

impl HtmlReader {
    /// Opens the table that was asked for, by its caption or as `table 2`, or the only one.
    ///
    /// # Errors
    /// Where the page cannot be read, holds no table, or several and none was chosen.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let (mut named, mut notes) = named_tables(path, options)?;
        let names: Vec<String> = named.iter().map(|(name, _)| name.clone()).collect();
        let at = match (&options.layer, named.len()) {
            (Some(wanted), _) => {
                let by_name = names.iter().position(|n| n.eq_ignore_ascii_case(wanted));
                let number = wanted.to_ascii_lowercase().trim_start_matches("table").trim().parse::<usize>().ok();
                by_name.or(number.filter(|n| (1..=names.len()).contains(n)).map(|n| n - 1)).ok_or_else(|| {
                    FormatError::NoSuch {
                        path: path.to_path_buf(),
                        kind: "table",
                        wanted: wanted.clone(),
                        names: names.clone(),
                    }
                })?
            }
            (None, 0) => {
                return Err(FormatError::NotRecognised {
                    path: path.to_path_buf(),
                    problem: "is a web page without a table; save the table or feed that it shows".into(),
                });
            }
            (None, 1) => 0,
            (None, _) => return Err(FormatError::ChooseLayer { path: path.to_path_buf(), names }),
        };
        let (name, table) = named.swap_remove(at);
        let header_rows = match options.header_row {
            Some(row) => (row as usize).min(table.rows.len()),
            None => table.rows.iter().take_while(|r| r.is_header).count().max(1),
        };
        let header = match options.header_row {
            Some(0) => vec![String::new(); table.rows[0].cells.len()],
            Some(row) => table.rows.get(row as usize - 1).map(|r| r.cells.clone()).unwrap_or_default(),
            None => joined(&table.rows[..header_rows]),
        };
        if header_rows > 1 && options.header_row.is_none() {
            notes.push(format!("{header_rows} rows of headers are joined"));
        }
        let data = &table.rows[header_rows..];
        // Columns that only keep others apart.
        let places: Vec<usize> = (0..header.len())
            .filter(|at| !header[*at].is_empty() || data.iter().any(|r| !r.cells[*at].is_empty()))
            .collect();
        if places.len() < header.len() {
            let n = header.len() - places.len();
            let what =
                if n == 1 { "column without a name or a value is" } else { "columns without a name or a value are" };
            notes.push(format!("{n} {what} left out"));
        }
        let fields: Vec<String> = places.iter().map(|at| header[*at].clone()).collect();
        let kinds = unique_names(&fields, &mut notes).into_iter().map(|n| (n, DataType::Utf8)).collect::<Vec<_>>();
        let schema = layer_schema(&kinds, Shape::None, None);
        let header_row = (options.header_row != Some(0)).then_some(header_rows as u64);
        let about = About { layer: Some(name), layers: names, header_row, notes, ..About::of(path, Format::Html)? };
        Ok(HtmlReader { about, schema, rows: table.rows, header_rows, places })
    }
}

/// Names from rows of headers, one below the other; what is merged down is said once.
fn joined(rows: &[Row]) -> Vec<String> {
    let width = rows.first().map_or(0, |r| r.cells.len());
    (0..width)
        .map(|at| {
            let mut parts: Vec<&str> = rows.iter().map(|r| r.cells[at].as_str()).filter(|t| !t.is_empty()).collect();
            parts.dedup();
            parts.join(" ")
        })
        .collect()
}

impl FeatureSource for HtmlReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, Shape::None)
    }

    fn first_number(&self) -> u64 {
        self.header_rows as u64 + 1
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let header: Vec<&String> = self.rows[..self.header_rows].iter().flat_map(|r| &r.cells).collect();
        let last = self.rows[..self.header_rows].last();
        for row in &self.rows[self.header_rows..] {
            let cells = self.places.iter().map(|at| Cell::Text(row.cells[*at].clone())).collect();
            let usable = if row.cells.iter().all(String::is_empty) {
                Err(("blank row", "blank row".to_string()))
            } else if row.is_one && row.cells.len() > 1 {
                Err(("heading in the table", format!("one cell across all columns: \"{}\"", row.cells[0])))
            } else if row.is_header && !header.is_empty() && last.is_some_and(|l| l.cells == row.cells) {
                Err(("header again", "the header is repeated here".to_string()))
            } else if row.filled < row.cells.len() {
                let (found, width) = (row.filled, row.cells.len());
                Err(("ragged row", format!("ragged row: {found} cells where the table has {width}; a cell is missing")))
            } else {
                Ok(None)
            };
            if !give(cells, usable, row.cells.iter().map(|c| c.len() as u64 + 9).sum()) {
                break;
            }
        }
        Ok(())
    }
}
