//! A raster that a command writes.

use super::raster_system::keys_of;
use crate::Error;
use crate::paths::Paths;
use crate::steps::finish::crs_text;
use basilocus_formats::raster::{
    RASTER_DRIVERS, RasterOut, RasterPlace, RasterValues, RasterWriter, check_raster_output, create_raster,
};
use basilocus_geodesy::crs::{Crs, Heights, Kind};
use basilocus_terrain::RectifiedGrid;
use std::path::Path;

/// Checks an output before anything is read: its ending, and that it is none of the files that are read.
///
/// # Errors
/// [`Error::Usage`] and what the formats say.
pub(super) fn check(read: &[&Path], output: &Path, values: RasterValues) -> Result<(), Error> {
    let mut paths = Paths::default();
    read.iter().for_each(|path| paths.read(path, "a source"));
    paths.written(output, "the output")?;
    check_raster_output(output, values)?;
    Ok(())
}

/// Checks an output that is a table or layer.
///
/// # Errors
/// As [`check`].
pub(super) fn check_layer(read: &[&Path], output: &Path) -> Result<(), Error> {
    let mut paths = Paths::default();
    read.iter().for_each(|path| paths.read(path, "a source"));
    paths.written(output, "the output")?;
    if basilocus_formats::Format::of_ending(output).is_none() {
        let is_raster = RASTER_DRIVERS
            .iter()
            .any(|d| output.extension().is_some_and(|e| d.endings.iter().any(|n| e.eq_ignore_ascii_case(n))));
        if is_raster {
            return Err(Error::Usage(format!(
                "{}: the output is a layer or table, not a grid; name a file such as .gpkg, .geojson or .csv",
                output.display()
            )));
        }
        return Err(basilocus_formats::FormatError::OutputFormat { path: output.to_path_buf() }.into());
    }
    Ok(())
}

/// Creates a raster on a frame.
///
/// # Errors
/// What the formats say.
pub(super) fn create(
    output: &Path,
    frame: &RectifiedGrid,
    crs: Option<&Crs>,
    values: RasterValues,
    overwrite: bool,
) -> Result<Box<dyn RasterWriter>, Error> {
    let place = RasterPlace {
        west: frame.west,
        north: frame.north,
        step_x: frame.step_x,
        step_y: frame.step_y,
        columns: frame.columns,
        rows: frame.rows,
    };
    // The vertical system is that of heights; light has none.
    let vertical = match crs.map(Crs::heights) {
        Some(Heights::Level { system, .. }) if values == RasterValues::Numbers => system.code,
        _ => None,
    };
    // No format of grids has a text for a grid of somebody's own: it says no system.
    let is_local = |crs: &&Crs| matches!(crs.horizontal().kind, Kind::Engineering { .. });
    let crs = crs.filter(|crs| !is_local(crs)).map(Crs::horizontal);
    let keys = crs.filter(|crs| crs.code.is_none()).and_then(keys_of);
    let crs = crs.map(crs_text).transpose()?;
    Ok(create_raster(output, RasterOut { place, crs, keys, vertical, values }, overwrite)?)
}

/// Completes a raster and moves it to its place. Gives what to tell.
///
/// # Errors
/// What the formats say, and [`Error::Cancelled`].
pub(super) fn publish(writer: Box<dyn RasterWriter>, cancel: &crate::Cancel) -> Result<Vec<String>, Error> {
    let (pending, notices) = writer.finish()?;
    if cancel.is_cancelled() {
        return Err(Error::Cancelled);
    }
    pending.publish()?;
    Ok(notices)
}
