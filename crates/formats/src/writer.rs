//! What every writer takes.

use crate::presentation::Presentation;
use crate::{Format, FormatError, PendingOutput, geopackage, number};
use arrow_array::{Array, Float64Array};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::Batch;
use basilocus_table::batch::cell_text;
use std::path::Path;
use std::sync::Arc;

/// How a column is best shown.
#[derive(Debug, Clone, PartialEq)]
pub struct ColumnStyle {
    /// Decimals of a number; `None` for its shortest form.
    pub digits: Option<usize>,
    /// Longest value in characters, where known.
    pub longest: Option<usize>,
}

/// A reference system in the texts that formats want.
#[derive(Debug, Clone, PartialEq)]
pub struct CrsText {
    /// EPSG code; `None` for a system of the user's own.
    pub code: Option<u32>,
    /// Name in the registry.
    pub name: String,
    /// WKT 1.
    pub wkt: String,
    /// WKT 2, where it has one.
    pub wkt2: Option<String>,
    /// Whether positions are longitude and latitude.
    pub geographic: bool,
    /// Whether northing or latitude stands first in the registry; `None` where that is not known.
    pub north_first: Option<bool>,
}

/// A layer that is about to be written.
#[derive(Debug, Clone)]
pub struct LayerOut {
    /// Name of the layer or sheet.
    pub name: String,
    /// Columns, a point column among them if the layer has geometry.
    pub schema: SchemaRef,
    /// How each column is shown, as many as the schema has fields.
    pub styles: Vec<ColumnStyle>,
    /// System of the geometry.
    pub crs: Option<CrsText>,
    /// How its rows are shown, by formats that show things.
    pub show: Presentation,
}

/// What a workbook says about itself: headings and their lines.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct RunAbout {
    /// Pairs of what and value; an empty value makes a heading.
    pub lines: Vec<(String, String)>,
    /// What each layer is and how accurate its positions are, in a sentence, in their order.
    pub layers: Vec<String>,
    /// Day of the run, `YYYY-MM-DD`, for time stamps inside files.
    pub date: String,
    /// A small map of the rows as PNG, for formats that show things.
    pub map: Option<Vec<u8>>,
}

/// Rows set aside, as a table.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SetAsideTable {
    /// Column names.
    pub header: Vec<String>,
    /// Rows.
    pub rows: Vec<Vec<String>>,
}

/// A batch made ready to be written.
#[derive(Debug)]
pub enum Encoded {
    /// Bytes to append.
    Bytes(Vec<u8>),
    /// Rows, for formats whose library must write them one by one.
    Rows(Batch),
}

/// Makes batches ready, on any thread.
pub trait Encode: Send + Sync {
    /// The batch in the form that the writer takes.
    fn encode(&self, batch: &Batch) -> Encoded;
}

/// The column that names a row best, for formats that show a name: one that is called so, else the first text, else the
/// first column.
pub(crate) fn naming_column(schema: &SchemaRef) -> Option<usize> {
    const NAMES: [&str; 4] = ["name", "title", "label", "id"];
    let geometry = basilocus_table::batch::spatial_index(schema);
    let columns = || schema.fields().iter().enumerate().filter(move |(i, _)| Some(*i) != geometry);
    let named = |wanted: &str| columns().find(|(_, f)| f.name().eq_ignore_ascii_case(wanted));
    let text = || columns().find(|(_, f)| f.data_type() == &DataType::Utf8);
    NAMES.iter().find_map(|n| named(n)).or_else(text).or_else(|| columns().next()).map(|(i, _)| i)
}

/// A cell as text, a number with the decimals that its column is shown with.
pub(crate) fn styled_text(batch: &Batch, column: usize, row: usize, digits: Option<usize>) -> String {
    let array = batch.records().column(column);
    match (array.as_any().downcast_ref::<Float64Array>(), digits) {
        (Some(a), Some(d)) if a.is_valid(row) && a.value(row).is_finite() => {
            let mut out = Vec::new();
            number::push_fixed(&mut out, a.value(row), d);
            String::from_utf8(out).unwrap_or_default()
        }
        _ => cell_text(array, row),
    }
}

/// Leaves batches as they are, for outputs whose rows are written one by one.
pub struct AsRows;

impl Encode for AsRows {
    fn encode(&self, batch: &Batch) -> Encoded {
        Encoded::Rows(batch.clone())
    }
}

/// An output that takes layers one after another.
pub trait Writer {
    /// Begins a layer and gives what makes its batches ready.
    ///
    /// # Errors
    /// Where the file cannot be written or the layer does not fit the format.
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError>;

    /// Writes the next part of the layer.
    ///
    /// # Errors
    /// Where the file cannot be written.
    fn write(&mut self, part: Encoded) -> Result<(), FormatError>;

    /// Ends the layer.
    ///
    /// # Errors
    /// Where the file cannot be written.
    fn end_layer(&mut self) -> Result<(), FormatError>;

    /// Whether rows set aside have a place in this format.
    fn holds_set_aside(&self) -> bool {
        false
    }

    /// Completes the file in its temporary place. Returns what a user should be told (names changed, parts split).
    ///
    /// # Errors
    /// Where the file cannot be written.
    fn finish(
        self: Box<Self>,
        about: &RunAbout,
        set_aside: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError>;
}

/// Opens an output that is there to add layers to it, and with `adds_rows` rows to the layers of their names; one that is
/// not there is created.
///
/// # Errors
/// As [`create`]; [`FormatError::Option`] for formats that hold one layer, or whose files are written whole.
pub fn append(path: &Path, adds_rows: bool) -> Result<Box<dyn Writer>, FormatError> {
    if Format::of_ending(path) != Some(Format::GeoPackage) {
        return Err(FormatError::Option {
            path: path.to_path_buf(),
            problem: format!(
                "`{}` adds to a GeoPackage; the output is none",
                if adds_rows { "append_rows" } else { "append" }
            ),
        });
    }
    if !path.exists() {
        return create(path, false);
    }
    geopackage::append(PendingOutput::new(path, true)?, adds_rows)
}

/// Creates an output; its format is that of its ending.
///
/// # Errors
/// [`FormatError::OutputFormat`] for an ending that is not known, and what [`PendingOutput::new`] says.
pub fn create(path: &Path, overwrite: bool) -> Result<Box<dyn Writer>, FormatError> {
    let format = Format::of_ending(path).ok_or_else(|| FormatError::OutputFormat { path: path.to_path_buf() })?;
    let create = format.driver().create.ok_or_else(|| FormatError::OutputFormat { path: path.to_path_buf() })?;
    create(PendingOutput::new(path, overwrite)?)
}
