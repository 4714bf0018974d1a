//! What a projection does to lengths, angles and areas at a position or over a layer.

use super::places;
use crate::coordinates::measure::{self, Distortions, Measures};
use crate::doubts::of_measures;
use crate::plan::InputPlan;
use crate::{DoubtReport, Error};
use basilocus_geodesy::notation::AxisOrder;
use serde::Serialize;

/// A position or a table, and a projected system.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct DistortionQuestion {
    /// A position, or a table of points
    pub what: String,
    /// The projected system
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS", required = true))]
    pub on: String,
    /// System of the positions; WGS 84 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Which number comes first, where the text does not say
    #[cfg_attr(feature = "arguments", arg(long, value_name = "latitude-first|longitude-first"))]
    pub order: Option<AxisOrder>,
    /// How to read a table
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
}

/// What it does.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DistortionReport {
    /// How the positions were read, and what was left out.
    pub interpretation: Vec<String>,
    /// The distortion.
    #[serde(flatten)]
    pub distortion: Distortions,
    /// The line and polygon through the positions in their order, true and on the map.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub measures: Option<Measures>,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
}

impl DistortionQuestion {
    /// Looks at the projection.
    ///
    /// # Errors
    /// Where a position cannot be read, the system is not projected, or it gives no numbers for any of them.
    ///
    /// ```
    /// use basilocus::lookup::DistortionQuestion;
    ///
    /// let question = DistortionQuestion { what: "46.2 N 123.8 W".into(), on: "EPSG:3857".into(), ..Default::default() };
    /// assert!(question.report()?.distortion.area_scale.mean > 2.0, "the map of browsers doubles areas here");
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<DistortionReport, Error> {
        let map = measure::projected(&self.on)?;
        let what = std::slice::from_ref(&self.what);
        let places = places::read(what, self.from.as_deref(), self.order, &self.input)?;
        let distortion = measure::distortion(&places.degrees, &map)?;
        let measures = match places.degrees.len() {
            0 | 1 => None,
            // Of positions beyond the map's reach there is no measure on it.
            _ => measure::measure(&places.degrees, &places.crs, Some(&map)).ok(),
        };
        let doubts = measures.as_ref().and_then(of_measures).into_iter().collect();
        Ok(DistortionReport { interpretation: places.notes, distortion, measures, doubts })
    }
}
