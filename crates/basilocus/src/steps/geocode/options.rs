//! What a plan says of matching, read and checked.

use super::Geocode;
use crate::Error;
use crate::addresses::reference::geometry;
use crate::engine::source;
use basilocus_address::matching::Polygon;
use basilocus_address::{AddressInput, Level, MatchOptions, Matcher, Outcome, Reference, Within};
use basilocus_formats::{Format, InputOptions};
use std::path::Path;

/// The options of a plan.
pub(super) fn of(plan: &Geocode, references: &[Reference], others: usize) -> Result<MatchOptions, Error> {
    let defaults = MatchOptions::default();
    let finest = plan.finest.unwrap_or(defaults.finest);
    let coarsest = plan.coarsest.unwrap_or(defaults.coarsest.max(finest));
    if finest > coarsest {
        return Err(Error::Usage(format!(
            "`finest` {} is coarser than `coarsest` {}: nothing could be placed",
            finest.name(),
            coarsest.name()
        )));
    }
    if let Some(then) = plan.then.filter(|t| *t < coarsest) {
        return Err(Error::Usage(format!(
            "`then` {} is finer than what the first pass takes already ({})",
            then.name(),
            coarsest.name()
        )));
    }
    Ok(MatchOptions {
        finest,
        coarsest,
        min_confidence: plan.min_confidence.unwrap_or(defaults.min_confidence),
        set_back_m: plan.set_back_m.unwrap_or(defaults.set_back_m),
        near: plan.near.as_deref().map(|t| near(t, references)).transpose()?,
        within: plan.within.as_deref().map(|t| known(t, within(t)?, references)).transpose()?,
        trusts_near_names: defaults.trusts_near_names,
        take_unsure: defaults.take_unsure,
        others,
        then: plan.then,
    })
}

fn numbers(text: &str) -> Option<Vec<f64>> {
    text.split(',').map(|t| t.trim().parse().ok()).collect()
}

/// `LON,LAT`, or the name of a locality of a reference.
fn near(text: &str, references: &[Reference]) -> Result<(f64, f64), Error> {
    if let Some([lon, lat]) = numbers(text).as_deref() {
        if lon.abs() <= 180.0 && lat.abs() <= 90.0 {
            return Ok((*lon, *lat));
        }
        return Err(Error::Usage(format!("`near` {text}: LON,LAT in degrees is expected, longitude first")));
    }
    let options = MatchOptions { finest: Level::Locality, coarsest: Level::Region, ..Default::default() };
    let input = AddressInput { locality: text, ..Default::default() };
    references
        .iter()
        .find_map(|r| match Matcher::borrowing(r, &options).find(&input) {
            Outcome::Matched(m) => Some((m.best.lon, m.best.lat)),
            Outcome::SetAside { .. } => None,
        })
        .ok_or_else(|| {
            Error::Usage(format!(
                "`near` {text}: LON,LAT in degrees is expected, or the name of one locality of the reference; if there are several of that name, say the position"
            ))
        })
}

/// An area whose name some reference has; results within one that nobody knows would be none.
fn known(text: &str, within: Within, references: &[Reference]) -> Result<Within, Error> {
    match within.unknown_name(references.iter()) {
        None => Ok(within),
        Some(_) => Err(Error::Usage(format!(
            "`within` {text}: no reference has a locality, region, district or area of that name"
        ))),
    }
}

/// `WEST,SOUTH,EAST,NORTH`, a file of polygons, or a name.
fn within(text: &str) -> Result<Within, Error> {
    if let Some([w, s, e, n]) = numbers(text).as_deref() {
        if s > n || w.abs() > 180.0 || e.abs() > 180.0 || s.abs() > 90.0 || n.abs() > 90.0 {
            return Err(Error::Usage(format!(
                "`within` {text}: WEST,SOUTH,EAST,NORTH in degrees is expected, the south below the north"
            )));
        }
        return Ok(Within { bounds: Some([*w, *s, *e, *n]), ..Default::default() });
    }
    let path = Path::new(text);
    if path.is_file() {
        let polygons = polygons(path)?;
        if polygons.is_empty() {
            return Err(Error::Usage(format!("`within` {text}: the file has no polygon")));
        }
        return Ok(Within { polygons, ..Default::default() });
    }
    if Format::of_ending(path).is_some() {
        return Err(Error::Usage(format!("`within` {text}: there is no such file")));
    }
    Ok(Within { names: vec![text.to_string()], ..Default::default() })
}

/// The polygons of a GeoJSON layer, or of a table with a column of well-known text; WGS 84.
fn polygons(path: &Path) -> Result<Vec<Polygon>, Error> {
    let mut reader = source::open(path, &InputOptions { geometry_text: true, ..Default::default() })?;
    let mut out = Vec::new();
    source::each_batch(reader.as_mut(), &mut |decoded| {
        let batch = decoded.batch;
        for row in 0..batch.len() {
            for text in batch.row_texts(row).iter().filter(|t| geometry::is_polygon(t)) {
                let rings = geometry::rings(text).map_err(|problem| {
                    Error::Data(format!("{}: row {}: {problem}", path.display(), batch.source_rows()[row]))
                })?;
                out.push(rings);
            }
        }
        Ok(())
    })?;
    Ok(out)
}
