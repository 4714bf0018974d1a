//! The positions that a question is about: those of a table, or those that were typed.

use crate::Error;
use crate::coordinates::{measure, position_text};
use crate::engine::Cancel;
use crate::plan::{InputPlan, LayerPlan};
use crate::steps::Positions;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::notation::AxisOrder;
use std::path::Path;

pub(super) struct Places {
    /// Longitude and latitude in degrees on the datum of the system.
    pub degrees: Vec<(f64, f64)>,
    pub crs: Crs,
    /// How they were read, and what was left out.
    pub notes: Vec<String>,
}

/// One text that is the path of a file is a table; all others are positions.
pub(super) fn read(
    what: &[String],
    from: Option<&str>,
    order: Option<AxisOrder>,
    input: &InputPlan,
) -> Result<Places, Error> {
    if let [file] = what
        && Path::new(file).is_file()
    {
        return of_table(file, from, order, input);
    }
    let mut places = Places { degrees: Vec::new(), crs: Catalogue::embedded().get(4326)?, notes: Vec::new() };
    for (i, text) in what.iter().enumerate() {
        let p = position_text::read(text, from, order.unwrap_or_default())?;
        places.notes.push(format!("{text}: {} ({})", p.words, p.read_as));
        places.degrees.push((p.lon, p.lat));
        if i == 0 {
            places.crs = p.crs;
        } else if p.crs.datum().map(|d| &d.name) != places.crs.datum().map(|d| &d.name) {
            return Err(Error::Usage(format!(
                "\"{}\" is in {} and \"{text}\" in {}: bring them to one datum first (`basilocus at`)",
                what[0],
                places.crs.title(),
                p.crs.title()
            )));
        }
    }
    Ok(places)
}

fn of_table(file: &str, from: Option<&str>, order: Option<AxisOrder>, input: &InputPlan) -> Result<Places, Error> {
    let positions = Positions { from: from.map(String::from), order, ..Default::default() };
    let layer = LayerPlan { input: input.clone(), ..LayerPlan::new(file).with(positions) };
    let points = measure::read_points(&layer, &Cancel::default())?;
    let mut notes = points.interpretation.clone();
    for (reason, n) in &points.set_aside {
        notes.push(format!("{n} {} left out: {reason}", if *n == 1 { "row" } else { "rows" }));
    }
    let degrees = points.degrees()?;
    if degrees.len() < points.x.len() {
        let left_out = points.x.len() - degrees.len();
        notes.push(format!("{left_out} positions left out: outside the domain of {}", points.crs.title()));
    }
    Ok(Places { degrees, crs: points.crs, notes })
}
