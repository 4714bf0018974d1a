//! What several reports of measures have in common.

use basilocus_terrain::volume::Part;
use serde::Serialize;

/// What was measured in an area.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AreaMeasured {
    /// The name of the area.
    pub name: String,
    /// Cubic metres above the level, or gained.
    pub above_m3: f64,
    /// Cubic metres below it, or lost.
    pub below_m3: f64,
    /// Square metres above it.
    pub above_m2: f64,
    /// Square metres below it.
    pub below_m2: f64,
    /// Square metres in which the ground is known.
    pub known_m2: f64,
}

impl AreaMeasured {
    pub(super) fn of(name: String, part: &Part) -> Self {
        AreaMeasured {
            name,
            above_m3: part.above,
            below_m3: part.below,
            above_m2: part.area_above,
            below_m2: part.area_below,
            known_m2: part.area,
        }
    }
}

/// How steep a ground is, over all heights that have a slope.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Steepness {
    /// Heights that have a slope.
    pub cells: u64,
    /// Mean angle, degrees.
    pub mean_deg: f64,
    /// Steepest angle, degrees.
    pub steepest_deg: f64,
    /// Share of the heights that are steeper than 60 degrees.
    pub very_steep_share: f64,
}

/// Counts steepness while rows go by.
#[derive(Debug, Default)]
pub(super) struct SteepnessCount {
    cells: u64,
    sum: f64,
    steepest: f64,
    very_steep: u64,
}

impl SteepnessCount {
    pub(super) fn add(&mut self, slope_deg: f64) {
        if slope_deg.is_finite() {
            self.cells += 1;
            self.sum += slope_deg;
            self.steepest = self.steepest.max(slope_deg);
            self.very_steep += u64::from(slope_deg > 60.0);
        }
    }

    pub(super) fn report(&self) -> Steepness {
        let n = self.cells.max(1) as f64;
        Steepness {
            cells: self.cells,
            mean_deg: self.sum / n,
            steepest_deg: self.steepest,
            very_steep_share: self.very_steep as f64 / n,
        }
    }
}
