//! Opens sources, and settles what a format leaves to those who know the reference systems: in which order its axes stand.

use crate::Error;
use basilocus_formats::{Decoded, FormatError, InputOptions, Reader};
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::operation::Operation;
use basilocus_table::{Batch, Spatial};
use std::path::Path;

/// Opens a source, its positions easting or longitude first.
///
/// Where the file leaves the order to the registry and our catalogue does not know it, the order in which the first rows
/// lie in the area of use is taken.
///
/// # Errors
/// Those of [`basilocus_formats::open`]; [`Error::Format`] where both orders are possible or none is, and `options` say none.
pub fn open(path: &Path, options: &InputOptions) -> Result<Box<dyn Reader>, Error> {
    let mut reader = basilocus_formats::open(path, options)?;
    let about = reader.about();
    let Some(crs) = about.crs.as_deref().filter(|_| about.axes_by_registry) else {
        return Ok(reader);
    };
    let Ok(found) = crate::coordinates::system::find(crs) else { return Ok(reader) };
    let north_first = match found.crs.north_first() {
        Some(known) => known,
        None => order_by_area(path, &found.crs, reader.as_mut())?,
    };
    // What came from standard input cannot be read from there again: the same source is told.
    reader.set_north_first(north_first);
    Ok(reader)
}

/// The order in which positions lie in the area of use of their system.
fn order_by_area(path: &Path, crs: &Crs, reader: &mut dyn Reader) -> Result<bool, Error> {
    let batch = sample(reader)?;
    let spatial = Spatial::of(batch.records());
    let (mut x, mut y) = (Vec::new(), Vec::new());
    for g in (0..batch.len()).filter_map(|row| spatial.get(row)) {
        g.each_position(&mut |p| {
            x.push(p.x);
            y.push(p.y);
        });
    }
    let operation = Operation::to_degrees(crs)?;
    let inside = |x: &[f64], y: &[f64]| {
        let (mut lon, mut lat, mut z) = (x.to_vec(), y.to_vec(), vec![f64::NAN; x.len()]);
        operation.apply(&mut lon, &mut lat, &mut z);
        lon.iter().zip(&lat).filter(|(lon, lat)| crs.area.contains(**lon, **lat)).count()
    };
    let (east_first, north_first) = (inside(&x, &y), inside(&y, &x));
    match (x.len(), east_first * 10 > x.len() * 9, north_first * 10 > x.len() * 9) {
        // Nothing to turn.
        (0, ..) | (_, true, false) => Ok(false),
        (_, false, true) => Ok(true),
        (_, both, _) => Err(FormatError::Option {
            path: path.to_path_buf(),
            problem: format!(
                "the file leaves the order of {} axes to the registry, our catalogue does not know it for {}, and the positions lie in its area of use in {}: say `order` longitude-first (easting first) or `order` latitude-first (northing first)",
                if matches!(crs.kind, Kind::Projected { .. }) { "a projected system's" } else { "the" },
                crs.title(),
                if both { "both orders" } else { "neither order" },
            ),
        }
        .into()),
    }
}

/// The first rows of a source, decoded.
pub(crate) fn sample(reader: &mut dyn Reader) -> Result<Batch, Error> {
    let decoder = reader.decoder();
    let mut first = None;
    reader.read(&mut |block| {
        first = Some(decoder.decode(block));
        false
    })?;
    match first {
        Some(decoded) => Ok(decoded?.batch),
        None => Ok(Batch::empty(reader.schema())),
    }
}

/// Goes through all rows of a small source, such as areas or control pairs, in their order.
pub(crate) fn each_batch(
    reader: &mut dyn Reader,
    each: &mut dyn FnMut(Decoded) -> Result<(), Error>,
) -> Result<(), Error> {
    let decoder = reader.decoder();
    let mut outcome = Ok(());
    reader.read(&mut |block| {
        outcome = decoder.decode(block).map_err(Error::from).and_then(&mut *each);
        outcome.is_ok()
    })?;
    outcome
}
