//! How steep the ground is, and which way it falls.

use crate::gradient::{Gradient, GradientRow};
use basilocus_arithmetic::trigonometry::{atan2, atan2_right};
use basilocus_arithmetic::vectors::{Loop, widest};

/// In what steepness is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum SlopeUnit {
    /// The angle from the level, 0 to 90.
    #[default]
    Degrees,
    /// Rise over length, of a hundred.
    PerCent,
}

/// Steepness; NaN where it is not known.
///
/// ```
/// use basilocus_terrain::gradient::Gradient;
/// use basilocus_terrain::slope::{SlopeUnit, fall_direction_deg, steepness};
///
/// let rising_to_the_north = Gradient { east: 0.0, north: 1.0 };
/// assert!((steepness(&rising_to_the_north, SlopeUnit::Degrees) - 45.0).abs() < 1e-12);
/// assert_eq!(steepness(&rising_to_the_north, SlopeUnit::PerCent), 100.0);
/// assert_eq!(fall_direction_deg(&rising_to_the_north), 180.0);
/// ```
pub fn steepness(gradient: &Gradient, unit: SlopeUnit) -> f64 {
    match unit {
        SlopeUnit::Degrees => degrees(gradient),
        SlopeUnit::PerCent => per_cent(gradient),
    }
}

/// The same for a row: `into` is as long as it.
pub fn steepness_of_row(row: &GradientRow, unit: SlopeUnit, into: &mut [f64]) {
    match unit {
        SlopeUnit::Degrees => widest(EachOf { row, value: degrees, into }),
        SlopeUnit::PerCent => widest(EachOf { row, value: per_cent, into }),
    }
}

#[inline(always)]
fn degrees(gradient: &Gradient) -> f64 {
    atan2_right(gradient.steepest(), 1.0).to_degrees()
}

#[inline(always)]
fn per_cent(gradient: &Gradient) -> f64 {
    gradient.steepest() * 100.0
}

/// A value of each gradient of a row, by a function so small that it is inlined.
struct EachOf<'a, F> {
    row: &'a GradientRow<'a>,
    value: F,
    into: &'a mut [f64],
}

impl<F: Fn(&Gradient) -> f64> Loop for EachOf<'_, F> {
    #[inline(always)]
    fn run(self) {
        for (value, gradient) in self.into.iter_mut().zip(self.row.each()) {
            *value = (self.value)(&gradient);
        }
    }
}

/// The direction in which the ground falls: degrees clockwise from the north of the grid, 0 up to 360. NaN where the
/// ground is level, which falls nowhere.
#[inline(always)]
pub fn fall_direction_deg(gradient: &Gradient) -> f64 {
    let direction = atan2(-gradient.east, -gradient.north).to_degrees();
    // A turn that is short of zero by less than a digit is none.
    let turned = if direction < 0.0 { direction + 360.0 } else { direction };
    let turned = if turned >= 360.0 { 0.0 } else { turned };
    if gradient.steepest() > 0.0 { turned } else { f64::NAN }
}

/// The same for a row: `into` is as long as it.
pub fn fall_directions_of_row(row: &GradientRow, into: &mut [f64]) {
    widest(EachOf { row, value: fall_direction_deg, into });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn water_runs_the_other_way_than_the_ground_rises() {
        for (east, north, falls_to) in [(0.0, -1.0, 0.0), (-1.0, 0.0, 90.0), (0.0, 2.0, 180.0), (1.0, 0.0, 270.0)] {
            assert_eq!(fall_direction_deg(&Gradient { east, north }), falls_to);
        }
        assert!((fall_direction_deg(&Gradient { east: -1.0, north: -1.0 }) - 45.0).abs() < 1e-12);
        let just_west_of_north = fall_direction_deg(&Gradient { east: 1e-18, north: -1.0 });
        assert!((0.0..360.0).contains(&just_west_of_north), "{just_west_of_north}");
    }

    #[test]
    fn level_ground_falls_nowhere_and_unknown_ground_is_unknown() {
        assert!(fall_direction_deg(&Gradient { east: 0.0, north: 0.0 }).is_nan());
        assert_eq!(steepness(&Gradient { east: 0.0, north: 0.0 }, SlopeUnit::Degrees), 0.0);
        let unknown = Gradient { east: f64::NAN, north: f64::NAN };
        assert!(fall_direction_deg(&unknown).is_nan() && steepness(&unknown, SlopeUnit::PerCent).is_nan());
    }
}
