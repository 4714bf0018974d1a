//! Systems that a table's numbers could be in, if its places are known.

use crate::Error;
use crate::coordinates::measure::read_points;
use crate::coordinates::place;
use crate::engine::Cancel;
use crate::plan::{InputPlan, LayerPlan};
use crate::steps::Positions;
use basilocus_geodesy::crs::Detected;
use serde::Serialize;
use std::path::PathBuf;

/// A table whose system nobody knows.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct DetectQuestion {
    /// Table whose system nobody knows
    pub file: PathBuf,
    /// Where its places are: LON,LAT, or WEST,SOUTH,EAST,NORTH, or words of an area
    #[cfg_attr(feature = "arguments", arg(long, value_name = "PLACE", required = true, allow_hyphen_values = true))]
    pub near: String,
    /// How far from a single place is near, in kilometres
    #[cfg_attr(feature = "arguments", arg(long = "within", value_name = "KM", default_value_t = 50.0))]
    pub within_km: f64,
    /// Column with the first coordinate
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub x: Option<String>,
    /// Column with the second coordinate
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub y: Option<String>,
    /// Most to show
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 10))]
    pub most: usize,
    /// How to read
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
}

/// What the numbers could be in.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DetectReport {
    /// The table.
    #[serde(serialize_with = "crate::report::path_text::one")]
    pub file: PathBuf,
    /// How it was read.
    pub interpretation: Vec<String>,
    /// Where its places are, in words.
    pub near: String,
    /// How far from a single place is near, kilometres; null for an area.
    pub within_km: Option<f64>,
    /// Positions of the table.
    pub points: usize,
    /// How many of them were looked at, evenly over the table.
    pub looked_at: usize,
    /// How many systems were found.
    pub found: usize,
    /// The first of them, best first.
    pub systems: Vec<DetectedSystem>,
}

/// A system that the numbers could be in.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DetectedSystem {
    /// Its code.
    pub code: String,
    /// Its name.
    pub name: String,
    /// The unit in words.
    pub unit: String,
    /// Whether the second number comes first.
    pub swapped: bool,
    /// Metres in the unit that the numbers would have, where that is not the system's own.
    pub unit_m: Option<f64>,
    /// Share of the positions that fall into the place, 0 to 1.
    pub share: f64,
    /// Share that falls into the system's area of use, 0 to 1.
    pub in_area_of_use: f64,
    /// Longitude of the middle of the positions, degrees.
    pub lon: f64,
    /// Latitude of the middle.
    pub lat: f64,
    /// From the middle to the middle of the place, metres.
    pub distance_m: f64,
}

impl DetectQuestion {
    /// A table and a place; 50 km around a position are near, ten systems are shown.
    pub fn new(file: impl Into<PathBuf>, near: impl Into<String>) -> Self {
        DetectQuestion {
            file: file.into(),
            near: near.into(),
            within_km: 50.0,
            x: None,
            y: None,
            most: 10,
            input: InputPlan::default(),
        }
    }

    /// Tries the catalogue.
    ///
    /// # Errors
    /// Where the place is not known, or the table cannot be read.
    pub fn report(&self) -> Result<DetectReport, Error> {
        let place = place::find(&self.near)?;
        let area = if place.is_point() { place.widened(self.within_km) } else { place.area.clone() };
        let positions =
            Positions { from: Some("local".into()), x: self.x.clone(), y: self.y.clone(), ..Default::default() };
        let layer = LayerPlan { input: self.input.clone(), ..LayerPlan::new(&self.file).with(positions) };
        let points = read_points(&layer, &Cancel::default())?;
        let (found, looked_at) = points.detect(&area);
        // The numbers are taken as they are: that they were given a local grid for it is of no interest.
        let plain =
            |told: &String| told.replace(", in local grid (a system of your own) (units of the local grid)", "");
        Ok(DetectReport {
            file: self.file.clone(),
            interpretation: points.interpretation.iter().map(plain).collect(),
            within_km: place.is_point().then_some(self.within_km),
            near: place.words,
            points: points.x.len(),
            looked_at,
            found: found.len(),
            systems: found.iter().take(self.most).map(DetectedSystem::of).collect(),
        })
    }
}

impl DetectedSystem {
    fn of(d: &Detected) -> Self {
        DetectedSystem {
            code: d.crs.identifier(),
            name: d.crs.name.clone(),
            unit: d.crs.unit_words(),
            swapped: d.swapped,
            unit_m: d.unit_m,
            share: d.share,
            in_area_of_use: d.in_area_of_use,
            lon: d.middle.0,
            lat: d.middle.1,
            distance_m: d.distance_m,
        }
    }
}
