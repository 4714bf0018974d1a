//! A grid of heights that is read: by rows, or at positions, with its system and unit.

use super::ground::ground_of;
use super::layer_surface::LayerSurface;
use super::raster_system::{height_unit_of, system_of};
use crate::coordinates::system;
use crate::engine::Cancel;
use crate::plan::LayerPlan;
use crate::steps::Positions;
use crate::{Error, Progress};
use basilocus_formats::raster::{RasterAbout, RasterFormat, RasterReader, open_raster};
use basilocus_geodesy::crs::{Crs, Heights, Kind};
use basilocus_geodesy::unit::{LinearUnit, find_length};
use basilocus_terrain::interpolate::Spot;
use basilocus_terrain::triangle_index::TriangleIndex;
use basilocus_terrain::{Ground, HeightRows, RectifiedGrid};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// Heights that are kept of the parts of a file that were asked for last: 64 MB.
const KEPT: usize = 8 << 20;

/// The most heights of a row of parts: 1 GB.
const LARGEST_BAND: usize = 1 << 27;

/// A unit of heights with who said it.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct HeightUnit {
    pub unit: LinearUnit,
    /// Whether anybody said it; otherwise it was taken as metre.
    pub is_said: bool,
}

impl HeightUnit {
    /// The unit that the user said, else that of the heights of a system, else the metre.
    ///
    /// # Errors
    /// [`Error::Usage`] for a unit that is not known.
    pub(super) fn of(said: Option<&str>, carried: Option<LinearUnit>, crs: Option<&Crs>) -> Result<Self, Error> {
        if let Some(said) = said {
            let unit = find_length(said).ok_or_else(|| {
                Error::Usage(format!(
                    "`height_unit` {said} is not known; a unit of length is expected, such as metre, foot or \"US survey foot\""
                ))
            })?;
            return Ok(HeightUnit { unit, is_said: true });
        }
        let of_system = match crs.map(Crs::heights) {
            Some(Heights::Ellipsoid { unit } | Heights::Level { unit, .. }) => Some(unit.clone()),
            _ => None,
        };
        let found = of_system.or(carried);
        Ok(HeightUnit { is_said: found.is_some(), unit: found.unwrap_or_else(LinearUnit::metre) })
    }

    /// The unit that the user said, else that of a word or symbol that came with the heights; the metre where nobody says one.
    ///
    /// # Errors
    /// [`Error::Usage`] for a unit that the user said and that is not known, or one that came and is not.
    pub(crate) fn said_or_carried(said: Option<&str>, carried: Option<&str>) -> Result<Self, Error> {
        let of_symbol = |symbol: &str| match symbol.trim() {
            // The codes of UCUM have names of their own.
            "[ft_i]" => find_length("foot"),
            "[ft_us]" => find_length("US survey foot"),
            other => find_length(other),
        };
        let carried = match carried.filter(|_| said.is_none()) {
            None => None,
            Some(symbol) => Some(of_symbol(symbol).ok_or_else(|| {
                Error::Usage(format!(
                    "the heights are in \"{symbol}\", a unit that is not known; say it with `heights_unit`, such as metre or foot"
                ))
            })?),
        };
        HeightUnit::of(said, carried, None)
    }

    /// What to tell of it.
    pub(crate) fn told(&self) -> String {
        if self.is_said {
            format!("heights are {}", self.unit.plural())
        } else {
            "nothing says the unit of the heights; they are taken as metres (say another with `height_unit`)".into()
        }
    }
}

/// How a grid of heights is taken.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Grid"))]
pub struct GridReading {
    /// System of the grid, where its file carries none: a code such as EPSG:32610 (with heights EPSG:32610+5703), a name, a
    /// .prj, .wkt or .toml file
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Unit of the heights, such as foot or "US survey foot"; that of their system, else metre
    #[cfg_attr(feature = "arguments", arg(long, value_name = "UNIT"))]
    pub height_unit: Option<String>,
    /// Number that stands for no height, where the file does not say it
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NUMBER", allow_negative_numbers = true))]
    pub no_data: Option<f64>,
}

/// Where the heights of cells are.
enum Cells {
    File(Box<dyn RasterReader>),
    /// Made of a layer: row by row from the north.
    Memory(Vec<f64>),
}

/// Rows of a part of a grid in memory.
const PART: usize = 256;

/// A grid of heights in a file, or what a layer with heights makes of one.
pub(crate) struct HeightGrid {
    path: PathBuf,
    no_data: Option<f64>,
    cells: Cells,
    frame: RectifiedGrid,
    /// Columns and rows of a part.
    chunk: (usize, usize),
    /// Whether the first row of the file is the southern one.
    from_south: bool,
    /// The triangles that the cells were made of, where they were.
    triangles: Option<TriangleIndex>,
    pub crs: Option<Crs>,
    pub unit: HeightUnit,
    /// How it was understood.
    pub notes: Vec<String>,
    /// The rows of one row of chunks, with its number.
    band: Option<(usize, Vec<f64>)>,
    /// Chunks that were asked for at positions, each with when that was last.
    kept: HashMap<(usize, usize), (u64, Vec<f64>)>,
    asked: u64,
}

impl HeightGrid {
    /// Opens a grid. Of a layer with heights one is made: of points at equal steps as they stand, of all else by triangles.
    ///
    /// # Errors
    /// Where it cannot be read, or what is said contradicts what it carries.
    pub(crate) fn open(path: &Path, reading: &GridReading, cancel: &Cancel) -> Result<Self, Error> {
        if RasterFormat::of_file(path)?.is_none() {
            return HeightGrid::of_layer(path, reading, cancel);
        }
        let reader = open_raster(path)?;
        let about = reader.about().clone();
        let mut notes = about.notes.clone();
        let carried = system_of(&about, &mut notes)?;
        let crs = match (carried, reading.from.as_deref()) {
            (Some(carried), Some(said)) => {
                let said_crs = system::find(said)?.crs;
                if !carried.horizontal().is_same(said_crs.horizontal()) {
                    return Err(Error::Usage(format!(
                        "`from` {said}: {} carries its system, {}; leave `from` out, or take the system out of the file if it is wrong",
                        path.display(),
                        carried.title()
                    )));
                }
                // What is said may have heights that the file says nothing of.
                Some(if matches!(said_crs.heights(), Heights::None) { carried } else { said_crs })
            }
            (Some(carried), None) => Some(carried),
            (None, Some(said)) => Some(system::find(said)?.crs),
            (None, None) => None,
        };
        let unit = HeightUnit::of(reading.height_unit.as_deref(), height_unit_of(&about), crs.as_ref())?;
        let p = about.place;
        let frame = RectifiedGrid {
            west: p.west,
            north: p.north,
            step_x: p.step_x,
            step_y: p.step_y,
            columns: p.columns,
            rows: p.rows,
        };
        Ok(HeightGrid {
            path: path.to_path_buf(),
            no_data: reading.no_data,
            cells: Cells::File(reader),
            frame,
            chunk: about.chunk,
            from_south: about.from_south,
            triangles: None,
            crs,
            unit,
            notes,
            band: None,
            kept: HashMap::new(),
            asked: 0,
        })
    }

    /// Makes a grid of a layer with heights.
    fn of_layer(path: &Path, reading: &GridReading, cancel: &Cancel) -> Result<Self, Error> {
        if reading.no_data.is_some() {
            return Err(Error::Usage(format!(
                "`no_data`: {} is no grid but a layer, whose rows have a height or none; take rows out with `select`",
                path.display()
            )));
        }
        let layer = LayerPlan::new(path).with(Positions { from: reading.from.clone(), ..Default::default() });
        let mut surface = LayerSurface::read(&layer, cancel, &())?;
        let (grid, triangles) = surface.gridded()?;
        let LayerSurface { crs, interpretation, notices, .. } = surface;
        let unit = HeightUnit::of(reading.height_unit.as_deref(), None, Some(&crs))?;
        let is_local = matches!(crs.kind, Kind::Engineering { .. });
        Ok(HeightGrid {
            path: path.to_path_buf(),
            no_data: None,
            frame: grid.frame,
            chunk: (grid.frame.columns, PART),
            from_south: false,
            cells: Cells::Memory(grid.heights),
            triangles,
            crs: Some(crs).filter(|_| !is_local),
            unit,
            notes: interpretation.into_iter().chain(notices).collect(),
            band: None,
            kept: HashMap::new(),
            asked: 0,
        })
    }

    /// How it stands in its file; `None` where it was made of a layer.
    pub(crate) fn about(&self) -> Option<&RasterAbout> {
        match &self.cells {
            Cells::File(reader) => Some(reader.about()),
            Cells::Memory(_) => None,
        }
    }

    /// The triangles that it was made of, where it was.
    pub(super) fn triangles(&self) -> Option<&TriangleIndex> {
        self.triangles.as_ref()
    }

    /// How long its units are, with what to tell of them.
    ///
    /// # Errors
    /// As `ground_of`.
    pub(super) fn ground(&self, in_plane: bool, notes: &mut Vec<String>) -> Result<Ground, Error> {
        ground_of(self.crs.as_ref(), &self.frame, in_plane, notes)
    }

    /// A part of the file.
    fn chunk(&mut self, across: usize, down: usize) -> Result<Vec<f64>, Error> {
        let mut heights = match &mut self.cells {
            Cells::File(reader) => reader.chunk(across, down)?,
            Cells::Memory(heights) => {
                let from = down * PART * self.frame.columns;
                heights[from..(from + PART * self.frame.columns).min(heights.len())].to_vec()
            }
        };
        if let Some(none) = self.no_data {
            heights.iter_mut().filter(|z| **z == none).for_each(|z| *z = f64::NAN);
        }
        Ok(heights)
    }

    /// Its row in the file.
    fn in_file(&self, row: usize) -> usize {
        if self.from_south { self.frame.rows - 1 - row } else { row }
    }

    /// The heights of a row of chunks, row by row.
    fn read_band(&mut self, down: usize) -> Result<(), Error> {
        if self.band.as_ref().is_some_and(|(there, _)| *there == down) {
            return Ok(());
        }
        let columns = self.frame.columns;
        let (width, height) = self.chunk;
        let rows = height.min(self.frame.rows - down * height);
        if rows.saturating_mul(columns) > LARGEST_BAND {
            return Err(Error::Data(format!(
                "{}: a row of its parts has {rows} rows of {columns} heights, more than memory should hold; write it in smaller tiles",
                self.path.display()
            )));
        }
        let mut heights = self.band.take().map(|(_, heights)| heights).unwrap_or_default();
        if width >= columns {
            heights = self.chunk(0, down)?;
        } else {
            heights.resize(rows * columns, f64::NAN);
            for across in 0..columns.div_ceil(width) {
                let part = self.chunk(across, down)?;
                let wide = width.min(columns - across * width);
                for (row, values) in part.chunks_exact(wide).take(rows).enumerate() {
                    let from = row * columns + across * width;
                    heights[from..from + wide].copy_from_slice(values);
                }
            }
        }
        self.band = Some((down, heights));
        Ok(())
    }

    /// The height in a column and row; NaN where there is none.
    ///
    /// # Errors
    /// Where the file cannot be read.
    fn cell(&mut self, column: usize, row: usize) -> Result<f64, Error> {
        let row = self.in_file(row);
        let (width, height) = self.chunk;
        let key = (column / width, row / height);
        self.asked += 1;
        let asked = self.asked;
        if !self.kept.contains_key(&key) {
            let room = KEPT / (width.min(self.frame.columns) * height.min(self.frame.rows)).max(1);
            if self.kept.len() >= room.max(4) {
                let oldest = self.kept.iter().min_by_key(|(_, (when, _))| *when).map(|(key, _)| *key);
                oldest.map(|key| self.kept.remove(&key));
            }
            let heights = self.chunk(key.0, key.1)?;
            self.kept.insert(key, (asked, heights));
        }
        let wide = width.min(self.frame.columns - key.0 * width);
        let at = (row - key.1 * height) * wide + column - key.0 * width;
        Ok(self.kept.get_mut(&key).map_or(f64::NAN, |(when, heights)| {
            *when = asked;
            heights.get(at).copied().unwrap_or(f64::NAN)
        }))
    }

    /// The height of the surface at a position, or that of the nearest cell; NaN where there is none.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub(crate) fn height_at(&mut self, x: f64, y: f64, nearest: bool) -> Result<f64, Error> {
        if let Some(triangles) = &self.triangles {
            let height = if nearest { triangles.nearest(x, y) } else { triangles.height_at(x, y) };
            return Ok(height.unwrap_or(f64::NAN));
        }
        if nearest {
            return match Spot::nearest(&self.frame, x, y) {
                Some((column, row)) => self.cell(column, row),
                None => Ok(f64::NAN),
            };
        }
        let Some(spot) = Spot::of(&self.frame, x, y) else { return Ok(f64::NAN) };
        let (right, below) = ((spot.column + 1).min(self.frame.columns - 1), (spot.row + 1).min(self.frame.rows - 1));
        let corners = [
            self.cell(spot.column, spot.row)?,
            self.cell(right, spot.row)?,
            self.cell(spot.column, below)?,
            self.cell(right, below)?,
        ];
        Ok(spot.height(corners))
    }
}

impl HeightRows for HeightGrid {
    type Error = Error;

    fn frame(&self) -> RectifiedGrid {
        self.frame
    }

    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Error> {
        let row = self.in_file(row);
        let height = self.chunk.1;
        self.read_band(row / height)?;
        let from = (row % height) * self.frame.columns;
        let values = self.band.as_ref().and_then(|(_, heights)| heights.get(from..from + into.len()));
        let short = || Error::Defect(format!("{}: a part is shorter than it says", self.path.display()));
        into.copy_from_slice(values.ok_or_else(short)?);
        Ok(())
    }
}

/// Heights that can be stopped, and tell how many rows were read.
pub(super) struct Stoppable<'a, H> {
    heights: H,
    cancel: &'a Cancel,
    progress: &'a dyn Progress,
}

impl<'a, H: HeightRows> Stoppable<'a, H> {
    /// Rows of the grid `of`, for a purpose that is told.
    pub(super) fn new(heights: H, of: &Path, purpose: &str, cancel: &'a Cancel, progress: &'a dyn Progress) -> Self {
        progress.start(&of.display().to_string(), purpose, bytes_of(heights.frame().cells()));
        Stoppable { heights, cancel, progress }
    }
}

fn bytes_of(heights: usize) -> u64 {
    (heights * size_of::<f64>()) as u64
}

impl<H> Drop for Stoppable<'_, H> {
    fn drop(&mut self) {
        self.progress.finish();
    }
}

impl<H: HeightRows<Error = Error>> HeightRows for Stoppable<'_, H> {
    type Error = Error;

    fn frame(&self) -> RectifiedGrid {
        self.heights.frame()
    }

    fn row(&mut self, row: usize, into: &mut [f64]) -> Result<(), Error> {
        if self.cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        self.progress.advance(bytes_of(into.len()), 1);
        self.heights.row(row, into)
    }
}
