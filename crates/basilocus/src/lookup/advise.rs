//! Systems that suit an area and a purpose, with the numbers that say so.

use crate::Error;
use crate::coordinates::measure::read_points;
use crate::coordinates::{place, system};
use crate::engine::Cancel;
use crate::plan::{InputPlan, LayerPlan};
use crate::steps::Positions;
use basilocus_geodesy::crs::advise::Worst;
use basilocus_geodesy::crs::{Advice, Area, Purpose, advise};
use serde::Serialize;
use std::path::Path;

/// How far around a single position a system has to suit, kilometres.
const AROUND_A_POINT_KM: f64 = 10.0;

/// An area and a purpose.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct AdviseQuestion {
    /// The area: LON,LAT, or WEST,SOUTH,EAST,NORTH, words of an area, or a table or layer; one that begins with a minus
    /// sign comes after `--`
    pub area: String,
    /// What for: measure, area, national, world, web
    #[cfg_attr(feature = "arguments", arg(long = "for", value_name = "PURPOSE", default_value_t))]
    pub purpose: Purpose,
    /// System of the coordinates, where the area is a table
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Most to show
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 8))]
    pub most: usize,
    /// How to read
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
}

/// What suits.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AdviceReport {
    /// The area: west, south, east, north, degrees.
    pub area: [f64; 4],
    /// The area in words.
    pub words: String,
    /// The purpose.
    #[serde(rename = "for")]
    pub purpose: String,
    /// How many systems were found.
    pub found: usize,
    /// The first of them, best first.
    pub systems: Vec<AdvisedSystem>,
}

/// A system that suits.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AdvisedSystem {
    /// Its code; null for a projection that was made for the area.
    pub code: Option<String>,
    /// Its name.
    pub name: String,
    /// The unit in words.
    pub unit: String,
    /// Why it stands where it stands.
    pub reasons: Vec<String>,
    /// Largest error of a length over the area, parts per million.
    pub length_error_ppm: f64,
    /// Largest error of an area, parts per million.
    pub area_error_ppm: f64,
    /// Largest angular distortion, degrees.
    pub angular_distortion_deg: f64,
    /// Largest convergence, degrees, whatever its sign.
    pub convergence_deg: f64,
    /// The short form of a projection that was made for the area, to be saved and said as a target.
    pub toml: Option<String>,
    /// Whether there are numbers for it: a geographic system has none.
    #[serde(skip)]
    pub is_measured: bool,
}

impl AdviseQuestion {
    /// An area for measuring; eight systems are shown.
    pub fn new(area: impl Into<String>) -> Self {
        AdviseQuestion {
            area: area.into(),
            purpose: Purpose::default(),
            from: None,
            most: 8,
            input: InputPlan::default(),
        }
    }

    /// Looks for what suits.
    ///
    /// # Errors
    /// Where the area is not known, or its table cannot be read.
    ///
    /// ```
    /// use basilocus::lookup::AdviseQuestion;
    ///
    /// let advice = AdviseQuestion::new("-124.1,46.0,-123.5,46.4").report()?;
    /// assert!(advice.systems[0].length_error_ppm < 100.0);
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<AdviceReport, Error> {
        let (area, words) = self.where_it_is()?;
        let found = advise(&area, self.purpose);
        Ok(AdviceReport {
            area: [area.west_deg, area.south_deg, area.east_deg, area.north_deg],
            words,
            purpose: self.purpose.to_string(),
            found: found.len(),
            systems: found.iter().take(self.most).map(AdvisedSystem::of).collect(),
        })
    }

    fn where_it_is(&self) -> Result<(Area, String), Error> {
        if Path::new(&self.area).is_file() {
            let positions = Positions { from: self.from.clone(), ..Default::default() };
            let layer = LayerPlan { input: self.input.clone(), ..LayerPlan::new(&self.area).with(positions) };
            let area = read_points(&layer, &Cancel::default())?.area()?;
            let words = format!(
                "{}: {:.4}° to {:.4}° longitude, {:.4}° to {:.4}° latitude",
                self.area, area.west_deg, area.east_deg, area.south_deg, area.north_deg
            );
            return Ok((area, words));
        }
        let place = place::find(&self.area)?;
        if place.is_point() {
            let words = format!("within {AROUND_A_POINT_KM} km of {}", place.words);
            return Ok((place.widened(AROUND_A_POINT_KM), words));
        }
        Ok((place.area, place.words))
    }
}

impl AdvisedSystem {
    fn of(advice: &Advice) -> Self {
        let Advice { crs, worst, reasons } = advice;
        AdvisedSystem {
            code: crs.code.map(|_| crs.identifier()),
            name: crs.name.clone(),
            unit: crs.unit_words(),
            reasons: reasons.clone(),
            length_error_ppm: worst.length_ppm(),
            area_error_ppm: worst.area_ppm(),
            angular_distortion_deg: worst.angular_distortion_deg,
            convergence_deg: worst.convergence_deg,
            toml: if crs.code.is_none() { system::to_toml(crs).ok() } else { None },
            is_measured: *worst != Worst::default(),
        }
    }
}
