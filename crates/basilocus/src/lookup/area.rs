//! Area and perimeter on the ellipsoid of the polygon through positions in their order.

use super::places;
use crate::coordinates::measure::{self, Measures};
use crate::doubts::of_measures;
use crate::plan::InputPlan;
use crate::{DoubtReport, Error};
use basilocus_geodesy::notation::AxisOrder;
use serde::Serialize;

/// The corners of a polygon.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct AreaQuestion {
    /// Three or more positions, or one table of points
    #[cfg_attr(feature = "arguments", arg(required = true, num_args = 1..))]
    pub what: Vec<String>,
    /// System of the positions; WGS 84 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Projected system to compare with: the area that its map would give
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub on: Option<String>,
    /// Which number comes first, where the text does not say
    #[cfg_attr(feature = "arguments", arg(long, value_name = "latitude-first|longitude-first"))]
    pub order: Option<AxisOrder>,
    /// How to read a table
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
}

/// The polygon.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AreaReport {
    /// How the positions were read, and what was left out.
    pub interpretation: Vec<String>,
    /// What was measured.
    #[serde(flatten)]
    pub measures: Measures,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
}

impl AreaQuestion {
    /// Measures.
    ///
    /// # Errors
    /// Where a position cannot be read, there are fewer than three, or the map does not cover them.
    ///
    /// ```
    /// use basilocus::lookup::AreaQuestion;
    ///
    /// let corners = ["46 N 124 W", "46 N 123 W", "47 N 123 W"].map(String::from).to_vec();
    /// let area = AreaQuestion { what: corners, ..Default::default() }.report()?;
    /// assert!(area.measures.counter_clockwise && (area.measures.area_m2 / 1e6 - 4_250.0).abs() < 60.0);
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<AreaReport, Error> {
        let places = places::read(&self.what, self.from.as_deref(), self.order, &self.input)?;
        if places.degrees.len() < 3 {
            return Err(Error::Usage(format!(
                "{} positions make no polygon; three or more are needed",
                places.degrees.len()
            )));
        }
        let map = match &self.on {
            Some(text) => Some(measure::projected(text)?),
            // A table on a map is compared with that map: it is what measuring there would give.
            None => {
                Some(places.crs.clone()).filter(|c| !c.is_geographic() && c.projection().is_ok_and(|p| p.is_some()))
            }
        };
        let measures = measure::measure(&places.degrees, &places.crs, map.as_ref())?;
        let doubts = of_measures(&measures).into_iter().collect();
        let mut interpretation = places.notes;
        if let Some((one, other)) = crossing_sides(&places.degrees) {
            interpretation.push(format!(
                "the figure crosses itself: the side from position {one} crosses that from position {other}; parts on either side count against each other, so that the area is none of a piece of land"
            ));
        }
        Ok(AreaReport { interpretation, measures, doubts })
    }
}

/// Positions beyond which crossings are not looked for: every side is compared with every other.
const MOST_COMPARED: usize = 3_000;

/// The first two sides of a closed figure that cross, each by the number of the position that it begins at, from 1.
fn crossing_sides(corners: &[(f64, f64)]) -> Option<(usize, usize)> {
    let n = corners.len();
    if n > MOST_COMPARED {
        return None;
    }
    // Longitudes without jumps, so that a figure across the 180° meridian is one.
    let mut line: Vec<(f64, f64)> = Vec::with_capacity(n + 1);
    for (lon, lat) in corners.iter().chain(corners.first()) {
        let turns = line.last().map_or(0.0, |(before, _)| ((before - lon) / 360.0).round());
        line.push((lon + turns * 360.0, *lat));
    }
    let side = |a: (f64, f64), b: (f64, f64), p: (f64, f64)| (b.0 - a.0) * (p.1 - a.1) - (b.1 - a.1) * (p.0 - a.0);
    let crosses = |a, b, c, d| side(a, b, c) * side(a, b, d) < 0.0 && side(c, d, a) * side(c, d, b) < 0.0;
    (0..n)
        .flat_map(|i| (i + 2..n).map(move |j| (i, j)))
        .find(|(i, j)| crosses(line[*i], line[i + 1], line[*j], line[j + 1]))
        .map(|(i, j)| (i + 1, j + 1))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_figure_that_crosses_itself_says_where() {
        let square = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
        assert_eq!(crossing_sides(&square), None);
        let tie = [(0.0, 0.0), (1.0, 1.0), (1.0, 0.0), (0.0, 1.0)];
        assert_eq!(crossing_sides(&tie), Some((1, 3)));
        let across = [(179.0, 0.0), (-179.0, 0.0), (-179.0, 1.0), (179.0, 1.0)];
        assert_eq!(crossing_sides(&across), None);
    }
}
