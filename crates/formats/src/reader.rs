//! What every reader gives.

use crate::driver::check_options;
use crate::geometry_text::GeometryText;
use crate::unchanged::{Stamps, Unchanged};
use crate::{Format, FormatError, detect, spool};
use arrow_schema::SchemaRef;
use basilocus_table::{Batch, SetAsideRow};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// How a source is to be read, where the user says so.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct InputOptions {
    /// Sheet of a workbook.
    pub sheet: Option<String>,
    /// Layer of a GeoPackage or GPX file, repeated element of XML, file in an archive.
    pub layer: Option<String>,
    /// Delimiter of a text file.
    pub delimiter: Option<u8>,
    /// Line or sheet row of the header, counted from 1; 0 for none.
    pub header_row: Option<u64>,
    /// Lines to skip at the start.
    pub skip_lines: Option<u64>,
    /// Encoding of a text file, by its WHATWG label.
    pub encoding: Option<String>,
    /// Whether fields that are missing at the end of a row of text are empty.
    pub fill_short_rows: bool,
    /// Columns of a text at fixed positions: widths in characters (`10,8,12`) or a ruler (`---- -- ---`).
    pub fixed: Option<String>,
    /// Gives the geometry of a layer as well-known text in a column `geometry`.
    pub geometry_text: bool,
    /// Whether northing or latitude stands first, for sources that leave the order to the registry
    /// ([`About::axes_by_registry`]); without it positions stay as they stand until [`Reader::set_north_first`].
    pub north_first: Option<bool>,
    /// Rows that cannot meet this rectangle need not be given: west, south, east, north in the coordinates of the layer. Formats
    /// with an index of places pass over them; all others give every row.
    pub extent: Option<[f64; 4]>,
}

/// What looks wrong in a source before its rows are read.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Suspicion {
    /// The header has one name fewer than the rows have fields.
    ShiftedHeader {
        /// Names in the header.
        names: usize,
        /// Fields of every row.
        fields: usize,
    },
    /// Cells of a workbook hold an error, such as `#N/A`, and no value.
    ErrorCells {
        /// How many.
        cells: u64,
        /// The first ones with their errors: `D14 (#N/A)`.
        first: Vec<String>,
    },
    /// Cells of a workbook hold formulas whose values were never computed and stored.
    FormulasWithoutValue {
        /// The first ones, as they stand in the first rows.
        first: Vec<String>,
    },
    /// Rows of a sheet are hidden, by a filter or by hand; they are read like all others.
    HiddenRows {
        /// How many.
        rows: u64,
    },
    /// The coordinates are such as no national system has.
    LocalDrawing {
        /// West, south, east, north.
        bounds: [f64; 4],
    },
}

/// How a source was understood.
#[derive(Debug, Clone, PartialEq)]
pub struct About {
    /// The file.
    pub path: PathBuf,
    /// Its format.
    pub format: Format,
    /// The sheet or layer that is read.
    pub layer: Option<String>,
    /// All sheets or layers.
    pub layers: Vec<String>,
    /// CRS that the file carries, as `EPSG:code` or well-known text.
    pub crs: Option<String>,
    /// Row of the header, counted from 1.
    pub header_row: Option<u64>,
    /// The encoding of a text, by its name.
    pub encoding: Option<String>,
    /// The sign between its fields; none where it has one column.
    pub delimiter: Option<char>,
    /// What was found or decided, for the user to see.
    pub notes: Vec<String>,
    /// What looks wrong already from its first rows.
    pub suspicions: Vec<Suspicion>,
    /// Bytes of the file, for progress.
    pub bytes: u64,
    /// Whether column types are the file's own; otherwise all columns are text and types come from the values.
    pub typed: bool,
    /// Whether positions stand in the order that the registry gives the axes of the system, and were left so: who knows
    /// the registry says the order with [`Reader::set_north_first`].
    pub axes_by_registry: bool,
    /// The elements of a document of XML, outermost first, by their paths, with how often they are there.
    pub tree: Vec<(String, u64)>,
}

impl About {
    /// What all sources have: the file, its format and its size; the rest is as most of them have it.
    pub(crate) fn of(path: &Path, format: Format) -> Result<Self, FormatError> {
        Ok(About {
            path: path.to_path_buf(),
            format,
            layer: None,
            layers: Vec::new(),
            crs: None,
            header_row: None,
            encoding: None,
            delimiter: None,
            notes: Vec::new(),
            suspicions: Vec::new(),
            bytes: std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len(),
            typed: false,
            axes_by_registry: false,
            tree: Vec::new(),
        })
    }
}

/// A part of a source.
#[derive(Debug)]
pub enum Block {
    /// Whole records in the form that the decoder of the reader takes.
    Raw {
        /// The records.
        bytes: Vec<u8>,
        /// Number of the first, or of its line.
        first: u64,
    },
    /// Rows that needed no decoding.
    Rows(Decoded),
}

/// Rows, and those that could not be used.
#[derive(Debug)]
pub struct Decoded {
    /// The rows.
    pub batch: Batch,
    /// The rows set aside at this stage.
    pub set_aside: Vec<SetAsideRow>,
    /// Roughly how many bytes of the source this was, for progress.
    pub bytes: u64,
}

/// A source of blocks. It can be read several times, each time from the start.
pub trait Reader: Send {
    /// How the source was understood.
    fn about(&self) -> &About;

    /// The columns.
    fn schema(&self) -> SchemaRef;

    /// Gives every block in order until `sink` returns false.
    ///
    /// # Errors
    /// Where the file cannot be read or breaks the rules of its format.
    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError>;

    /// What looked wrong in its rows when they were read last, to their end.
    fn found(&self) -> Vec<Suspicion> {
        Vec::new()
    }

    /// Says whether northing or latitude stands first in the source, where it leaves that to the registry
    /// ([`About::axes_by_registry`]). Other sources do not care.
    fn set_north_first(&mut self, _north_first: bool) {}

    /// What turns blocks into rows, on any thread.
    fn decoder(&self) -> Arc<dyn Decode>;
}

/// Turns blocks into rows.
pub trait Decode: Send + Sync {
    /// The rows of a block.
    ///
    /// # Errors
    /// Where the block breaks the rules of its format beyond single rows.
    fn decode(&self, block: Block) -> Result<Decoded, FormatError>;
}

/// The decoder of formats whose readers give rows.
pub struct PassThrough(pub SchemaRef);

impl Decode for PassThrough {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        match block {
            Block::Rows(decoded) => Ok(decoded),
            Block::Raw { bytes, .. } => {
                Ok(Decoded { batch: Batch::empty(self.0.clone()), set_aside: Vec::new(), bytes: bytes.len() as u64 })
            }
        }
    }
}

/// Columns that a table has at most.
const MOST_COLUMNS: usize = 10_000;

/// Whether so many columns make a table.
///
/// # Errors
/// [`FormatError::Broken`] for more than anybody can work with.
pub(crate) fn check_columns(path: &Path, columns: usize) -> Result<(), FormatError> {
    if columns <= MOST_COLUMNS {
        return Ok(());
    }
    Err(FormatError::broken(
        path,
        format!(
            "has {columns} columns, and a table has {MOST_COLUMNS} at most: take out a stray value far to the right, or make rows of names that are values"
        ),
    ))
}

/// Opens a source, finding its format; `-` is standard input; addresses on the web are fetched; gzip-ed files and zip archives are unpacked.
///
/// # Errors
/// [`FormatError`] for everything that keeps the file from being read at all.
pub fn open(path: &Path, options: &InputOptions) -> Result<Box<dyn Reader>, FormatError> {
    if options.geometry_text {
        let reader = open(path, &InputOptions { geometry_text: false, ..options.clone() })?;
        return Ok(Box::new(GeometryText(reader)));
    }
    if let Some(reader) = spool::open_spooled(path, options)? {
        return Ok(reader);
    }
    let format = detect(path)?;
    let format = match format {
        // What the user says of a text counts more than how it looks.
        Format::Delimited | Format::Xyz | Format::Fixed if options.fixed.is_some() => Format::Fixed,
        Format::Xyz | Format::Fixed if options.delimiter.is_some() => Format::Delimited,
        found => found,
    };
    let driver = format.driver();
    check_options(path, driver, options)?;
    let stamps = Stamps::of(path, driver);
    let inner = (driver.open)(path, options)?;
    check_columns(path, inner.schema().fields().len())?;
    Ok(Box::new(Unchanged { inner, stamps }))
}

/// The sheets or layers of a file; empty for formats that hold one table.
///
/// # Errors
/// Where the file cannot be read.
pub fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    // Standard input can be read once only, and a packed file is unpacked once only: by the reader.
    if spool::is_spooled(path) {
        return Ok(Vec::new());
    }
    detect(path)?.driver().layers.map_or(Ok(Vec::new()), |layers| layers(path))
}
