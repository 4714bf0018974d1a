//! Great circles on the auxiliary sphere: a geodesic's image, its latitudes being the reduced ones.
//!
//! On that sphere the line has the same azimuths and lies on a great circle (Bessel). Clairaut's constant sin α₀ =
//! sin α cos β, the sine of the azimuth at the equator, tells which.

use super::Geodesic;
use super::integrals::{Samples, Series, angle};

/// A place on the auxiliary sphere, by its reduced latitude.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Latitude {
    pub sin: f64,
    pub cos: f64,
    /// What the sine of a difference of geographic latitudes is divided by for that of reduced ones.
    pub shrink: f64,
}

/// Keeps azimuths meaningful at a pole.
const SMALLEST_COSINE: f64 = 1e-150;

impl Latitude {
    /// The reduced latitude of a geographic one: tan β = (1 − f) tan φ.
    pub(super) fn reduced(g: &Geodesic, lat_deg: f64) -> Self {
        let (sin, cos) = super::sin_cos_deg(lat_deg);
        let (sin, cos) = ((1.0 - g.flattening) * sin, cos);
        let shrink = sin.hypot(cos);
        Latitude { sin: sin / shrink, cos: (cos / shrink).max(SMALLEST_COSINE), shrink }
    }
}

/// A great circle with a place on it, and the integrals along it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct GreatCircle {
    /// Sine of the azimuth at the equator.
    pub sin_equator: f64,
    /// Its cosine, never negative.
    pub cos_equator: f64,
    /// The arc from the equator to the place, radians.
    pub arc: f64,
    /// Its sine and cosine, which near a pole say more than the angle can.
    direction: (f64, f64),
    /// k².
    pub k2: f64,
    samples: Samples,
}

impl GreatCircle {
    /// Through a place on an azimuth, given by its sine and cosine.
    pub(super) fn through(g: &Geodesic, at: &Latitude, sin: f64, cos: f64) -> Self {
        let (sin_equator, cos_equator) = (sin * at.cos, cos.hypot(sin * at.sin));
        let k2 = g.second_eccentricity_squared * cos_equator * cos_equator;
        // Eastwards along the equator the place itself is where counting begins.
        let (y, x) = if at.sin == 0.0 && cos == 0.0 { (0.0, 1.0) } else { (at.sin, cos * at.cos) };
        let length = y.hypot(x);
        let direction = (y / length, x / length);
        GreatCircle { sin_equator, cos_equator, arc: angle(y, x), direction, k2, samples: Samples::new(k2) }
    }

    /// The integrand of the length.
    pub(super) fn length(&self) -> Series {
        self.samples.length()
    }

    /// By how much the longitude on the ellipsoid falls behind that on the sphere over a further arc.
    pub(super) fn behind(&self, g: &Geodesic, arc: f64) -> f64 {
        g.flattening * self.sin_equator * self.samples.longitude(g.flattening).over(self.arc, arc)
    }

    /// The integrand of the longitude.
    pub(super) fn longitude(&self, g: &Geodesic) -> Series {
        self.samples.longitude(g.flattening)
    }

    /// The integrand of the reduced length.
    pub(super) fn spread(&self) -> Series {
        self.samples.spread()
    }

    /// Sine and cosine of the arc from the equator to a place that lies a further arc on.
    pub(super) fn further(&self, arc: f64) -> (f64, f64) {
        let ((sin, cos), (sin_start, cos_start)) = (arc.sin_cos(), self.direction);
        (sin_start * cos + cos_start * sin, cos_start * cos - sin_start * sin)
    }

    /// The longitude on the sphere of a place with this arc, counted from the crossing of the equator.
    pub(super) fn longitude_on_sphere(&self, (sin, cos): (f64, f64)) -> f64 {
        (self.sin_equator * sin).atan2(cos)
    }

    /// Reduced length in semi-minor axes and geodesic scale, from the place over a further arc (Helmert 1880, § 5).
    pub(super) fn neighbours(&self, spread: &Series, arc: f64) -> (f64, f64) {
        let ((sin1, cos1), (sin2, cos2)) = (self.arc.sin_cos(), (self.arc + arc).sin_cos());
        let r = |sin: f64| (1.0 + self.k2 * sin * sin).sqrt();
        let (r1, r2) = (r(sin1), r(sin2));
        let j = spread.over(self.arc, arc);
        // r₂ cos σ₁ sin σ₂ − r₁ sin σ₁ cos σ₂, without the digits that short arcs would lose.
        let growth = self.k2 * (sin2 - sin1) * (sin2 + sin1) / (r1 + r2);
        let length = r1 * arc.sin() + growth * cos1 * sin2 - cos1 * cos2 * j;
        let scale = arc.cos() + sin1 / r1 * (growth * sin2 - cos2 * j);
        (length, scale)
    }
}
