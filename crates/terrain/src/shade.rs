//! Relief: how much light falls on the ground.
//!
//! Matt ground gives back the cosine of the angle between the sun and its upright (Lambert's law), and nothing where it
//! turns away. Several suns share the light by their weights, so that slopes along one sun's direction are seen as well.

use crate::gradient::{Gradient, GradientRow};
use basilocus_arithmetic::vectors::{Loop, widest};

/// Where light comes from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sun {
    /// Degrees clockwise from the north of the grid.
    pub azimuth_deg: f64,
    /// Degrees above the horizon.
    pub altitude_deg: f64,
    /// Share of the light.
    pub weight: f64,
}

/// Suns with how much the heights are exaggerated.
#[derive(Debug, Clone, PartialEq)]
pub struct Light {
    /// Unit vectors to the suns (east, north, up), each times its share of the light.
    suns: Vec<[f64; 3]>,
    exaggeration: f64,
}

impl Light {
    /// Light from suns; heights are taken `exaggeration` times. `None` without a sun, where a weight is not above zero, or
    /// where a number is not finite.
    ///
    /// ```
    /// use basilocus_terrain::gradient::Gradient;
    /// use basilocus_terrain::shade::{Light, Sun};
    ///
    /// let north_west = Sun { azimuth_deg: 315.0, altitude_deg: 45.0, weight: 1.0 };
    /// let light = Light::new(&[north_west], 1.0).unwrap();
    /// let level = light.on(&Gradient { east: 0.0, north: 0.0 });
    /// assert!((level - 0.5f64.sqrt()).abs() < 1e-12, "the sine of the altitude");
    /// ```
    pub fn new(suns: &[Sun], exaggeration: f64) -> Option<Self> {
        let sum: f64 = suns.iter().map(|s| s.weight).sum();
        let all_usable = suns.iter().all(|s| s.weight > 0.0 && s.azimuth_deg.is_finite() && s.altitude_deg.is_finite());
        if suns.is_empty() || !all_usable || !sum.is_finite() || !exaggeration.is_finite() {
            return None;
        }
        let direction = |s: &Sun| {
            let ((sin_a, cos_a), (sin_h, cos_h)) =
                (s.azimuth_deg.to_radians().sin_cos(), s.altitude_deg.to_radians().sin_cos());
            [sin_a * cos_h, cos_a * cos_h, sin_h].map(|part| part * s.weight / sum)
        };
        Some(Light { suns: suns.iter().map(direction).collect(), exaggeration })
    }

    /// The light on a slope, 0 (dark) to 1; NaN where the slope is not known.
    pub fn on(&self, gradient: &Gradient) -> f64 {
        let upright = self.upright(gradient);
        self.suns.iter().map(|sun| from_sun(sun, &upright)).sum::<f64>().clamp(0.0, 1.0)
    }

    /// The same for a row: `into` is as long as it.
    pub fn on_row(&self, row: &GradientRow, into: &mut [f64]) {
        into.fill(0.0);
        for (i, sun) in self.suns.iter().enumerate() {
            widest(FromSun { light: self, sun, is_last: i + 1 == self.suns.len(), row, into });
        }
    }

    /// The upright of a slope (east, north), up being 1, and its length.
    #[inline(always)]
    fn upright(&self, gradient: &Gradient) -> [f64; 3] {
        let (east, north) = (-gradient.east * self.exaggeration, -gradient.north * self.exaggeration);
        [east, north, (east * east + north * north + 1.0).sqrt()]
    }
}

/// The light of one sun; clamping keeps an unknown slope unknown.
#[inline(always)]
fn from_sun([e, n, up]: &[f64; 3], [east, north, length]: &[f64; 3]) -> f64 {
    ((e * east + n * north + up) / length).clamp(0.0, 1.0)
}

/// The light of one sun on a row, added to that of those before it.
struct FromSun<'a> {
    light: &'a Light,
    sun: &'a [f64; 3],
    is_last: bool,
    row: &'a GradientRow<'a>,
    into: &'a mut [f64],
}

impl Loop for FromSun<'_> {
    #[inline(always)]
    fn run(self) {
        let most = if self.is_last { 1.0 } else { f64::INFINITY };
        for (light, gradient) in self.into.iter_mut().zip(self.row.each()) {
            *light = (*light + from_sun(self.sun, &self.light.upright(&gradient))).clamp(0.0, most);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sun(azimuth_deg: f64, altitude_deg: f64, weight: f64) -> Sun {
        Sun { azimuth_deg, altitude_deg, weight }
    }

    #[test]
    fn a_slope_that_faces_the_sun_is_bright_and_one_that_turns_away_is_dark() {
        let light = Light::new(&[sun(90.0, 45.0, 1.0)], 1.0).unwrap();
        // Falling to the east with 45 degrees: the sun stands upright on it.
        assert!((light.on(&Gradient { east: -1.0, north: 0.0 }) - 1.0).abs() < 1e-12);
        assert!(light.on(&Gradient { east: 1.0, north: 0.0 }).abs() < 1e-12, "the sun along the slope");
        assert_eq!(light.on(&Gradient { east: 3.0, north: 0.0 }), 0.0);
    }

    #[test]
    fn suns_share_the_light_by_their_weights() {
        let (east, west) = (sun(90.0, 30.0, 3.0), sun(270.0, 30.0, 1.0));
        let slope = Gradient { east: -0.2, north: 0.1 };
        let alone = |s: Sun| Light::new(&[s], 1.0).unwrap().on(&slope);
        let both = Light::new(&[east, west], 1.0).unwrap().on(&slope);
        assert!((both - (0.75 * alone(east) + 0.25 * alone(west))).abs() < 1e-12);
    }

    #[test]
    fn exaggeration_steepens() {
        let light = |times| Light::new(&[sun(0.0, 30.0, 1.0)], times).unwrap();
        let (east, north) = (0.1, -0.3);
        let twice = light(2.0).on(&Gradient { east, north });
        assert!((twice - light(1.0).on(&Gradient { east: 2.0 * east, north: 2.0 * north })).abs() < 1e-12);
        assert!(twice > light(1.0).on(&Gradient { east, north }));
    }

    #[test]
    fn unknown_ground_is_neither_dark_nor_bright() {
        let light = Light::new(&[sun(315.0, 45.0, 1.0)], 1.0).unwrap();
        assert!(light.on(&Gradient { east: f64::NAN, north: f64::NAN }).is_nan());
    }

    #[test]
    fn light_without_a_sun_is_none() {
        for suns in [&[][..], &[sun(0.0, 45.0, 0.0)], &[sun(f64::NAN, 45.0, 1.0)], &[sun(0.0, 45.0, -1.0)]] {
            assert_eq!(Light::new(suns, 1.0), None, "{suns:?}");
        }
        assert_eq!(Light::new(&[sun(0.0, 45.0, 1.0)], f64::INFINITY), None);
    }
}
