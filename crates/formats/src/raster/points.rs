//! A grid of heights as a layer of points: one for each height that is known, with its column and row.

use super::{RasterAbout, RasterCrs, RasterReader, open_raster};
use crate::reader::{About, Block, Decode, Decoded, PassThrough, Reader};
use crate::{Format, FormatError};
use arrow_array::{ArrayRef, Float64Array, Int64Array, StructArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::Batch;
use basilocus_table::batch::{point_field, point_fields};
use std::path::Path;
use std::sync::Arc;

/// Gives the heights of a grid as points.
pub(crate) struct RasterPoints {
    raster: Box<dyn RasterReader>,
    about: About,
    schema: SchemaRef,
}

impl RasterPoints {
    pub(crate) fn open(path: &Path, format: Format) -> Result<Self, FormatError> {
        let raster = open_raster(path)?;
        let grid = raster.about();
        let mut notes = grid.notes.clone();
        notes.push(format!(
            "{} columns and {} rows of heights; each that is known is a point",
            grid.place.columns, grid.place.rows
        ));
        let crs = crs_of(grid);
        let about = About { crs: crs.clone(), notes, typed: true, ..About::of(path, format)? };
        let number = |name: &str| Field::new(name, DataType::Int64, true);
        let schema = Schema::new(vec![number("column"), number("row"), point_field(crs.as_deref(), true)]);
        Ok(RasterPoints { raster, about, schema: Arc::new(schema) })
    }
}

/// The system in the text that layers carry.
fn crs_of(grid: &RasterAbout) -> Option<String> {
    match &grid.crs {
        RasterCrs::Text(text) => Some(text.clone()),
        RasterCrs::Keys(keys) => {
            let code = keys.projected.or(keys.geodetic.filter(|_| keys.method.is_none() && keys.model != Some(1)))?;
            let vertical = keys.vertical.map_or(String::new(), |v| format!("+{v}"));
            Some(format!("EPSG:{code}{vertical}"))
        }
        RasterCrs::Unsaid => None,
    }
}

impl Reader for RasterPoints {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema.clone()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let (place, (width, height)) = (self.raster.about().place, self.raster.about().chunk);
        let from_south = self.raster.about().from_south;
        let (across, down) = (place.columns.div_ceil(width), place.rows.div_ceil(height));
        let bytes = self.about.bytes / (across * down).max(1) as u64;
        // A row of a text grid alone would make blocks of a few points.
        let mut cells: Vec<(usize, usize, f64)> = Vec::new();
        let mut read = 0;
        for d in 0..down {
            for a in 0..across {
                let wide = width.min(place.columns - a * width).max(1);
                for (i, z) in self.raster.chunk(a, d)?.into_iter().enumerate().filter(|(_, z)| !z.is_nan()) {
                    let (column, row) = (a * width + i % wide, d * height + i / wide);
                    cells.push((column, if from_south { place.rows - 1 - row } else { row }, z));
                }
                read += bytes;
                let is_last = a + 1 == across && d + 1 == down;
                if cells.len() >= BLOCK || is_last {
                    let batch = batch(&self.schema, &place, &std::mem::take(&mut cells))?;
                    let decoded = Decoded { batch, set_aside: Vec::new(), bytes: std::mem::take(&mut read) };
                    if !sink(Block::Rows(decoded)) {
                        return Ok(());
                    }
                }
            }
        }
        Ok(())
    }
}

/// Points that make a block.
const BLOCK: usize = 16_384;

fn batch(schema: &SchemaRef, place: &super::RasterPlace, cells: &[(usize, usize, f64)]) -> Result<Batch, FormatError> {
    let numbers = |of: &dyn Fn(&(usize, usize, f64)) -> f64| -> ArrayRef {
        Arc::new(Float64Array::from_iter_values(cells.iter().map(of)))
    };
    let counts = |of: &dyn Fn(&(usize, usize, f64)) -> usize| -> ArrayRef {
        Arc::new(Int64Array::from_iter_values(cells.iter().map(|c| of(c) as i64 + 1)))
    };
    let points = StructArray::new(
        point_fields(true),
        vec![
            numbers(&|c| place.west + c.0 as f64 * place.step_x),
            numbers(&|c| place.north - c.1 as f64 * place.step_y),
            numbers(&|c| c.2),
        ],
        None,
    );
    let columns = vec![counts(&|c| c.0), counts(&|c| c.1), Arc::new(points) as ArrayRef];
    // As they are counted from the north-west, row by row.
    let numbers = cells.iter().map(|c| (c.1 * place.columns + c.0 + 1) as u64).collect();
    Ok(Batch::new(schema.clone(), columns, numbers)?)
}
