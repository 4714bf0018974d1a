//! A grid of heights that is read: by rows, or at positions, with its system and unit.

use super::ground::ground_of;
use super::raster_system::{height_unit_of, system_of};
use crate::Error;
use crate::coordinates::system;
use basilocus_formats::raster::{RasterAbout, RasterReader, open_raster};
use basilocus_geodesy::crs::{Crs, Heights};
use basilocus_geodesy::unit::{LinearUnit, find_length};
use basilocus_terrain::interpolate::Spot;
use basilocus_terrain::{Ground, HeightRows, RectifiedGrid};
use std::collections::HashMap;
use std::path::Path;

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

/// A grid of heights in a file.
pub(crate) struct HeightGrid {
    no_data: Option<f64>,
    reader: Box<dyn RasterReader>,
    frame: RectifiedGrid,
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
    /// Opens a grid.
    ///
    /// # Errors
    /// Where it cannot be read, or what is said contradicts what it carries.
    pub(crate) fn open(path: &Path, reading: &GridReading) -> Result<Self, Error> {
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
            no_data: reading.no_data,
            reader,
            frame,
            crs,
            unit,
            notes,
            band: None,
            kept: HashMap::new(),
            asked: 0,
        })
    }

    pub(crate) fn about(&self) -> &RasterAbout {
        self.reader.about()
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
        let mut heights = self.reader.chunk(across, down)?;
        if let Some(none) = self.no_data {
            heights.iter_mut().filter(|z| **z == none).for_each(|z| *z = f64::NAN);
        }
        Ok(heights)
    }

    /// Its row in the file.
    fn in_file(&self, row: usize) -> usize {
        if self.reader.about().from_south { self.frame.rows - 1 - row } else { row }
    }

    /// The heights of a row of chunks, row by row.
    fn read_band(&mut self, down: usize) -> Result<(), Error> {
        if self.band.as_ref().is_some_and(|(there, _)| *there == down) {
            return Ok(());
        }
        let columns = self.frame.columns;
        let (width, height) = self.reader.about().chunk;
        let rows = height.min(self.frame.rows - down * height);
        if rows.saturating_mul(columns) > LARGEST_BAND {
            return Err(Error::Data(format!(
                "{}: a row of its parts has {rows} rows of {columns} heights, more than memory should hold; write it in smaller tiles",
                self.reader.about().path.display()
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
        let (width, height) = self.reader.about().chunk;
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
        let height = self.reader.about().chunk.1;
        self.read_band(row / height)?;
        let from = (row % height) * self.frame.columns;
        let values = self.band.as_ref().and_then(|(_, heights)| heights.get(from..from + into.len()));
        let short = || Error::Defect(format!("{}: a part is shorter than it says", self.reader.about().path.display()));
        into.copy_from_slice(values.ok_or_else(short)?);
        Ok(())
    }
}

/// Heights that can be stopped: every row asks.
pub(super) struct Stoppable<'a, H> {
    pub heights: H,
    pub cancel: &'a crate::Cancel,
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
        self.heights.row(row, into)
    }
}
