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
#[inline(always)]
pub fn steepness(gradient: &Gradient, unit: SlopeUnit) -> f64 {
    match unit {
        SlopeUnit::Degrees => atan2_right(gradient.steepest(), 1.0).to_degrees(),
        SlopeUnit::PerCent => gradient.steepest() * 100.0,
    }
}

/// The same for a row: `into` is as long as it.
pub fn steepness_of_row(row: &GradientRow, unit: SlopeUnit, into: &mut [f64]) {
    match unit {
        SlopeUnit::Degrees => widest(Steepness { row, into }),
        SlopeUnit::PerCent => {
            into.iter_mut().zip(row.each()).for_each(|(slope, g)| *slope = steepness(&g, unit));
        }
    }
}

struct Steepness<'a> {
    row: &'a GradientRow<'a>,
    into: &'a mut [f64],
}

impl Loop for Steepness<'_> {
    #[inline(always)]
    fn run(self) {
        for (slope, gradient) in self.into.iter_mut().zip(self.row.each()) {
            *slope = steepness(&gradient, SlopeUnit::Degrees);
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
    widest(FallDirections { row, into });
}

struct FallDirections<'a> {
    row: &'a GradientRow<'a>,
    into: &'a mut [f64],
}

impl Loop for FallDirections<'_> {
    #[inline(always)]
    fn run(self) {
        for (direction, gradient) in self.into.iter_mut().zip(self.row.each()) {
            *direction = fall_direction_deg(&gradient);
        }
    }
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
