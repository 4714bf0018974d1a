//! Grids of heights in files: one driver a format, in its folder, and one list of them.
//!
//! A [`RasterReader`] gives *chunks*, the parts that its file is cut into, in any order, so that a grid larger than memory
//! can be read by rows and asked at positions. A [`RasterWriter`] takes rows from north to south.
//!
//! | format | module | reads | writes |
//! |---|---|---|---|
//! | ASCII grid | [`crate::ascii_grid`] | yes | yes |
//! | GeoTIFF (OGC 19-008r4) | [`crate::geotiff`] | yes | yes |
//! | PNG with a world file | [`crate::picture`] | no | light and dark |
//! | GTX | [`crate::gtx`] | yes | no |

pub(crate) mod points;

use crate::detect::first_bytes;
use crate::geotiff::GeoKeys;
use crate::{CrsText, FormatError, PendingOutput, spool};
use std::path::{Path, PathBuf};

/// What a format is and how it is read and written.
pub struct RasterDriver {
    /// Its handle.
    pub format: RasterFormat,
    /// The name for reports.
    pub name: &'static str,
    /// The endings of its files, the usual one first.
    pub endings: &'static [&'static str],
    /// The endings of files that belong to a file of it, under its name.
    pub companions: &'static [&'static str],
    /// Whether it holds heights; otherwise only what is looked at.
    pub holds_heights: bool,
    /// Whether the first bytes of a file are such as it has.
    pub(crate) recognises: fn(&[u8]) -> bool,
    /// Opens a file; `None` where it is only written.
    pub(crate) open: Option<OpenRaster>,
    /// Creates a file; `None` where it is only read.
    pub(crate) create: Option<CreateRaster>,
}

pub(crate) type OpenRaster = fn(&Path) -> Result<Box<dyn RasterReader>, FormatError>;
pub(crate) type CreateRaster = fn(PendingOutput, RasterOut) -> Result<Box<dyn RasterWriter>, FormatError>;

/// The formats.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum RasterFormat {
    /// Heights as text.
    AsciiGrid,
    /// A TIFF with a place on the ground.
    GeoTiff,
    /// A picture with a world file.
    Picture,
    /// A grid of heights of one vertical datum above another one.
    Gtx,
}

/// All of them.
pub static RASTER_DRIVERS: &[&RasterDriver] =
    &[&crate::ascii_grid::DRIVER, &crate::geotiff::DRIVER, &crate::picture::DRIVER, &crate::gtx::DRIVER];

impl RasterFormat {
    /// The driver.
    pub fn driver(self) -> &'static RasterDriver {
        RASTER_DRIVERS[self as usize]
    }

    /// The format that the ending of an output says.
    pub fn of_ending(path: &Path) -> Option<Self> {
        let ending = path.extension()?.to_str()?.to_ascii_lowercase();
        RASTER_DRIVERS.iter().find(|d| d.endings.contains(&ending.as_str())).map(|d| d.format)
    }

    /// The format of an existing file by its first bytes; `None` where it is no raster. Of addresses on the web and packed files
    /// those are looked at whose name, or the names inside, are such as rasters have.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub fn of_file(path: &Path) -> Result<Option<Self>, FormatError> {
        // What is not fetched to be looked at is not fetched twice; heights as text end as other texts do.
        if let Some(format) = spool::said_by_address(path) {
            return Ok(Some(format));
        }
        let head = if spool::is_spooled(path) {
            let Some(head) = spool::first_bytes_of_grid(path)? else { return Ok(None) };
            head
        } else {
            first_bytes(path)?
        };
        Ok(RASTER_DRIVERS.iter().find(|d| d.open.is_some() && (d.recognises)(&head)).map(|d| d.format))
    }
}

/// Where the heights of a raster stand: the middles of its cells. Rows go from north to south unless
/// [`RasterAbout::from_south`].
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RasterPlace {
    /// Easting or longitude of the middle of the western column.
    pub west: f64,
    /// Northing or latitude of the middle of the northern row.
    pub north: f64,
    /// Width of a cell.
    pub step_x: f64,
    /// Height of a cell.
    pub step_y: f64,
    /// Cells in a row.
    pub columns: usize,
    /// Rows.
    pub rows: usize,
}

/// The system that a raster says.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum RasterCrs {
    /// None.
    Unsaid,
    /// By a definition beside it.
    Text(String),
    /// By the keys of a GeoTIFF.
    Keys(GeoKeys),
}

/// How a raster was understood.
#[derive(Debug, Clone, PartialEq)]
pub struct RasterAbout {
    /// The file.
    pub path: PathBuf,
    /// Its format.
    pub format: RasterFormat,
    /// Where its heights stand.
    pub place: RasterPlace,
    /// Whether the first row of the file is the southern one.
    pub from_south: bool,
    /// Its system.
    pub crs: RasterCrs,
    /// Whether a height is that of a point; otherwise that of a cell. Both stand in [`RasterPlace`] the same way.
    pub is_of_points: bool,
    /// What a height is in the file, in words: `32-bit float`.
    pub sample: String,
    /// The number that stands for no height.
    pub no_data: Option<f64>,
    /// What was found or decided, for the user to see.
    pub notes: Vec<String>,
    /// Columns and rows of a chunk; those at the eastern and the last rows may be smaller.
    pub chunk: (usize, usize),
    /// Bytes of the file.
    pub bytes: u64,
}

/// Gives the heights of a raster.
pub trait RasterReader: Send {
    /// How it was understood.
    fn about(&self) -> &RasterAbout;

    /// The heights of a chunk, row by row as the file has them, NaN where there is none. Chunks are counted from zero, from
    /// the west and from the first row of the file.
    ///
    /// # Errors
    /// Where the file cannot be read or is damaged there.
    fn chunk(&mut self, across: usize, down: usize) -> Result<Vec<f64>, FormatError>;
}

/// What the values of a new raster are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum RasterValues {
    /// Numbers, in 32 bits.
    Numbers,
    /// Light, 0 to 1, in 8 bits.
    Light,
}

/// A raster that is about to be written.
#[derive(Debug, Clone)]
pub struct RasterOut {
    /// Where its values stand.
    pub place: RasterPlace,
    /// Its system.
    pub crs: Option<CrsText>,
    /// The same by a method and its parameters, for a system without a code that has them in the standard.
    pub keys: Option<GeoKeys>,
    /// EPSG code of the system of the heights, if they have one.
    pub vertical: Option<u32>,
    /// What its values are.
    pub values: RasterValues,
}

/// Takes a raster row by row.
pub trait RasterWriter {
    /// Takes the next row from north to south, from west to east; NaN where there is no value.
    ///
    /// # Errors
    /// Where the file cannot be written.
    fn row(&mut self, values: &[f64]) -> Result<(), FormatError>;

    /// Completes the file in its temporary place. Returns what a user should be told.
    ///
    /// # Errors
    /// Where the file cannot be written, or rows are missing.
    fn finish(self: Box<Self>) -> Result<(PendingOutput, Vec<String>), FormatError>;
}

/// Opens a raster; addresses on the web are fetched, gzip-ed files and zip archives unpacked.
///
/// # Errors
/// [`FormatError::NotRecognised`] for a file that is none, and everything that keeps it from being read.
pub fn open_raster(path: &Path) -> Result<Box<dyn RasterReader>, FormatError> {
    if let Some(reader) = spool::open_spooled_raster(path)? {
        return Ok(reader);
    }
    let format = RasterFormat::of_file(path)?;
    match format.and_then(|f| f.driver().open) {
        Some(open) => open(path),
        None => Err(FormatError::NotRecognised {
            path: path.to_path_buf(),
            problem: "is no grid of heights; a GeoTIFF (.tif), an ASCII grid (.asc) or a GTX grid (.gtx) is expected"
                .into(),
        }),
    }
}

/// Creates a raster; its format is that of its ending.
///
/// # Errors
/// [`FormatError::Option`] for an ending that is that of none, or of one that cannot hold the values, and what
/// [`PendingOutput::new`] says.
pub fn create_raster(path: &Path, out: RasterOut, overwrite: bool) -> Result<Box<dyn RasterWriter>, FormatError> {
    let driver = check_raster_output(path, out.values)?.driver();
    let create = driver.create.ok_or_else(|| FormatError::OutputFormat { path: path.to_path_buf() })?;
    create(PendingOutput::new(path, overwrite)?, out)
}

/// The format of a raster that is to be written.
///
/// # Errors
/// As [`create_raster`].
pub fn check_raster_output(path: &Path, values: RasterValues) -> Result<RasterFormat, FormatError> {
    let fits = |d: &&&RasterDriver| d.create.is_some() && (values == RasterValues::Light || d.holds_heights);
    let format = RasterFormat::of_ending(path).filter(|f| fits(&&f.driver()));
    format.ok_or_else(|| {
        let endings = RASTER_DRIVERS.iter().filter(fits).flat_map(|d| d.endings).map(|e| format!(".{e}"));
        FormatError::Option {
            path: path.to_path_buf(),
            problem: format!(
                "the ending says no format that holds this grid; use one of {}",
                endings.collect::<Vec<_>>().join(", ")
            ),
        }
    })
}

/// The most cells that are taken: their number has to fit the counters of a machine, and a file that says more is damaged.
const MOST_CELLS: u128 = 1 << 40;

/// Checks what a file says of itself.
pub(crate) fn check_place(path: &Path, place: &RasterPlace) -> Result<(), FormatError> {
    let broken = |problem: String| Err(FormatError::broken(path, problem));
    if place.columns == 0 || place.rows == 0 {
        return broken(format!(
            "has {} columns and {} rows; a grid has one of each at least",
            place.columns, place.rows
        ));
    }
    if place.columns as u128 * place.rows as u128 > MOST_CELLS {
        return broken(format!("says it has {} columns and {} rows, which no file holds", place.columns, place.rows));
    }
    if !(place.step_x > 0.0 && place.step_y > 0.0 && place.step_x.is_finite() && place.step_y.is_finite()) {
        return broken(format!("its cells are {} by {}; sizes above zero are expected", place.step_x, place.step_y));
    }
    if !(place.west.is_finite() && place.north.is_finite()) {
        return broken(format!("its corner is at {}, {}; two numbers are expected", place.west, place.north));
    }
    Ok(())
}

/// The definition in a `.prj` file beside a raster.
pub(crate) fn definition_beside(path: &Path) -> Option<String> {
    let beside = ["prj", "PRJ"].map(|ending| path.with_extension(ending)).into_iter().find(|p| p.is_file())?;
    // A definition has a few thousand bytes.
    let length = std::fs::metadata(&beside).ok()?.len();
    let text = (length < 1_000_000).then(|| std::fs::read(&beside).ok()).flatten()?;
    let text = String::from_utf8_lossy(&text).trim().to_string();
    text.contains('[').then_some(text)
}

/// Writes the definition of a system beside a raster.
pub(crate) fn write_definition(pending: &mut PendingOutput, crs: &CrsText) -> Result<(), FormatError> {
    let path = pending.companion("prj")?;
    std::fs::write(&path, &crs.wkt).map_err(|e| FormatError::write(&path, e))
}

/// What to say of a definition beside a raster that has none of its own: it may belong to another file of that name, so it
/// stays, and would be taken for that of the raster.
pub(crate) fn foreign_definition(pending: &PendingOutput) -> Option<String> {
    definition_beside(pending.target()).map(|_| {
        format!(
            "{}: the grid has no system, and the .prj beside it would be taken for its own; take it away if it is not",
            pending.target().display()
        )
    })
}

/// Writes the place of a picture beside it: six numbers, a line each (the size of a cell along rows, two that turn it, the
/// size along columns, below zero as rows go south, and the middle of the north-western cell).
pub(crate) fn write_world_file(
    pending: &mut PendingOutput,
    ending: &str,
    place: &RasterPlace,
) -> Result<(), FormatError> {
    let path = pending.companion(ending)?;
    let lines = [place.step_x, 0.0, 0.0, -place.step_y, place.west, place.north].map(|v| format!("{v}\n"));
    std::fs::write(&path, lines.concat()).map_err(|e| FormatError::write(&path, e))
}

/// Rows that were promised and did not come.
pub(crate) fn check_rows(path: &Path, expected: usize, written: usize) -> Result<(), FormatError> {
    if expected == written {
        return Ok(());
    }
    Err(FormatError::write(path, format!("{written} rows of {expected} came")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_driver_stands_at_the_place_of_its_format() {
        for (at, d) in RASTER_DRIVERS.iter().enumerate() {
            assert_eq!(d.format as usize, at, "{}", d.name);
            assert_eq!(RasterFormat::of_ending(Path::new(&format!("a.{}", d.endings[0]))), Some(d.format));
        }
    }

    #[test]
    fn heights_have_no_place_in_a_picture() {
        let folder = tempfile::tempdir().unwrap();
        let place = RasterPlace { west: 0.0, north: 0.0, step_x: 1.0, step_y: 1.0, columns: 1, rows: 1 };
        let out = |values| RasterOut { place, crs: None, keys: None, vertical: None, values };
        let create = |name: &str, values| create_raster(&folder.path().join(name), out(values), false).err();
        let message = create("a.png", RasterValues::Numbers).unwrap().to_string();
        assert!(message.ends_with("use one of .asc, .tif, .tiff"), "{message}");
        let message = create("a.xyz", RasterValues::Light).unwrap().to_string();
        assert!(message.ends_with("use one of .asc, .tif, .tiff, .png"), "{message}");
        assert!(create("a.png", RasterValues::Light).is_none());
    }

    #[test]
    fn what_cannot_be_a_grid_is_told() {
        let good = RasterPlace { west: 0.0, north: 0.0, step_x: 1.0, step_y: 1.0, columns: 2, rows: 2 };
        assert!(check_place(Path::new("a.asc"), &good).is_ok());
        for bad in [
            RasterPlace { columns: 0, ..good },
            RasterPlace { rows: usize::MAX, ..good },
            RasterPlace { step_x: 0.0, ..good },
            RasterPlace { step_y: f64::NAN, ..good },
            RasterPlace { north: f64::INFINITY, ..good },
        ] {
            assert!(check_place(Path::new("a.asc"), &bad).is_err(), "{bad:?}");
        }
    }
}
