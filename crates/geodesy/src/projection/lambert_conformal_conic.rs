//! Lambert conformal conic with one (EPSG method 9801) or two (9802) standard parallels.
//!
//! Formulas of IOGP Guidance Note 373-7-2, section 3.1.1, written with the isometric latitude ψ instead of
//! t = exp(−ψ), which keeps digits near the equator.
//!
//! Domain: everywhere but the pole away from the cone's apex, and, in the inverse direction, within half a turn
//! of the cone.

use super::wrap_deg;
use crate::ellipsoid::Ellipsoid;
use crate::latitude::{ConformalSeries, isometric};
use crate::trigonometry::{atan2_right, sin_cos};

/// A Lambert conformal conic projection.
#[derive(Debug, Clone, PartialEq)]
pub struct LambertConformalConic {
    central_meridian_deg: f64,
    conformal: ConformalSeries,
    /// Cone constant, negative in the southern hemisphere.
    n: f64,
    /// a·k₀·F in metres: the radius of the equator.
    equator_radius_m: f64,
    /// Radius of the latitude of origin, metres.
    origin_radius_m: f64,
    false_easting_m: f64,
    false_northing_m: f64,
}

impl LambertConformalConic {
    /// One standard parallel at the latitude of origin, with a scale factor there.
    ///
    /// # Errors
    /// What is wrong with the latitude of origin: the equator makes no cone.
    pub fn one_standard_parallel(
        ellipsoid: &Ellipsoid,
        central_meridian_deg: f64,
        latitude_of_origin_deg: f64,
        scale_factor: f64,
        false_easting_m: f64,
        false_northing_m: f64,
    ) -> Result<Self, &'static str> {
        Self::build(
            ellipsoid,
            central_meridian_deg,
            latitude_of_origin_deg,
            [latitude_of_origin_deg; 2],
            scale_factor,
            false_easting_m,
            false_northing_m,
        )
    }

    /// Two standard parallels, in either order.
    ///
    /// # Errors
    /// What is wrong with the parallels: parallels on both sides of the equator at the same distance make no cone.
    pub fn two_standard_parallels(
        ellipsoid: &Ellipsoid,
        central_meridian_deg: f64,
        latitude_of_origin_deg: f64,
        standard_parallel_1_deg: f64,
        standard_parallel_2_deg: f64,
        false_easting_m: f64,
        false_northing_m: f64,
    ) -> Result<Self, &'static str> {
        Self::build(
            ellipsoid,
            central_meridian_deg,
            latitude_of_origin_deg,
            [standard_parallel_1_deg, standard_parallel_2_deg],
            1.0,
            false_easting_m,
            false_northing_m,
        )
    }

    fn build(
        ellipsoid: &Ellipsoid,
        central_meridian_deg: f64,
        origin_deg: f64,
        parallels_deg: [f64; 2],
        scale_factor: f64,
        false_easting_m: f64,
        false_northing_m: f64,
    ) -> Result<Self, &'static str> {
        let e2 = ellipsoid.eccentricity_squared();
        let [(psi1, m1, sin1), (psi2, m2, _)] = parallels_deg.map(|deg| {
            let (s, c) = deg.to_radians().sin_cos();
            (isometric(s, c, e2), c / (1.0 - e2 * s * s).sqrt(), s)
        });
        if parallels_deg.iter().any(|p| p.abs() >= 90.0) {
            return Err("is at a pole");
        }
        let n = if (parallels_deg[0] - parallels_deg[1]).abs() < 1e-10 { sin1 } else { (m1 / m2).ln() / (psi2 - psi1) };
        if n.abs() < 1e-10 {
            return Err("makes no cone (symmetric about the equator)");
        }
        let equator_radius_m = ellipsoid.semi_major_m * scale_factor * m1 * (n * psi1).exp() / n;
        let (s, c) = origin_deg.to_radians().sin_cos();
        let origin_radius_m =
            if origin_deg.abs() == 90.0 { 0.0 } else { equator_radius_m * (-n * isometric(s, c, e2)).exp() };
        Ok(LambertConformalConic {
            central_meridian_deg,
            conformal: ConformalSeries::new(ellipsoid.third_flattening()),
            n,
            equator_radius_m,
            origin_radius_m,
            false_easting_m,
            false_northing_m,
        })
    }

    /// Longitude and latitude (degrees) to easting and northing (metres); `None` outside the domain.
    #[inline(always)]
    pub fn forward(&self, lon_deg: f64, lat_deg: f64) -> Option<(f64, f64)> {
        let theta = self.n * wrap_deg(lon_deg - self.central_meridian_deg).to_radians();
        if !(lat_deg.abs() <= 90.0 && theta.is_finite()) {
            return None;
        }
        let radius = if lat_deg.abs() == 90.0 {
            if (lat_deg > 0.0) != (self.n > 0.0) {
                return None;
            }
            0.0
        } else {
            let (s, c) = sin_cos(lat_deg.to_radians());
            let (sin_chi, cos_chi) = self.conformal.conformal(s, c);
            // exp(−|ψ|) = cos χ / (1 + |sin χ|): one logarithm, no cancellation at either pole.
            let psi = ((1.0 + sin_chi.abs()) / cos_chi).ln().copysign(sin_chi);
            self.equator_radius_m * (-self.n * psi).exp()
        };
        let (sin, cos) = sin_cos(theta);
        Some((self.false_easting_m + radius * sin, self.false_northing_m + self.origin_radius_m - radius * cos))
    }

    /// Easting and northing (metres) to longitude and latitude (degrees); `None` outside the domain.
    #[inline(always)]
    pub fn inverse(&self, easting_m: f64, northing_m: f64) -> Option<(f64, f64)> {
        let sign = 1.0_f64.copysign(self.n);
        let x = sign * (easting_m - self.false_easting_m);
        let y = sign * (self.origin_radius_m - (northing_m - self.false_northing_m));
        let radius = sign * (x * x + y * y).sqrt();
        if !radius.is_finite() {
            return None;
        }
        if radius == 0.0 {
            return Some((self.central_meridian_deg, 90.0 * sign));
        }
        let lon = (x.atan2(y) / self.n).to_degrees();
        // Beyond half a turn the plane has no longitude: the gap of the unrolled cone.
        if !(lon.abs() <= 180.0 + 1e-9) {
            return None;
        }
        let psi = -(radius / self.equator_radius_m).ln() / self.n;
        // sin χ = tanh ψ, cos χ = sech ψ, from the exponential that does not overflow.
        let u = (-psi.abs()).exp();
        let over = 1.0 / (1.0 + u * u);
        let (sin_chi, cos_chi) = (((1.0 - u * u) * over).copysign(psi), 2.0 * u * over);
        let lat = self.conformal.geodetic(atan2_right(sin_chi, cos_chi), sin_chi, cos_chi).to_degrees();
        Some((wrap_deg(self.central_meridian_deg + lon), lat))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cone_needs_its_parallels_on_one_side() {
        let e = Ellipsoid::wgs84();
        assert!(LambertConformalConic::two_standard_parallels(&e, 0.0, 0.0, 30.0, -30.0, 0.0, 0.0).is_err());
        assert!(LambertConformalConic::one_standard_parallel(&e, 0.0, 0.0, 1.0, 0.0, 0.0).is_err());
        assert!(LambertConformalConic::two_standard_parallels(&e, 0.0, 0.0, 30.0, 90.0, 0.0, 0.0).is_err());
    }

    #[test]
    fn the_other_pole_and_the_gap_have_no_numbers() {
        let p = LambertConformalConic::two_standard_parallels(&Ellipsoid::wgs84(), 0.0, 45.0, 33.0, 45.0, 0.0, 0.0)
            .unwrap();
        assert_eq!(p.forward(0.0, -90.0), None);
        assert_eq!(p.forward(0.0, 95.0), None);
        assert_eq!(p.forward(f64::NAN, 5.0), None);
        assert!(p.forward(0.0, 90.0).is_some());
        let apex = p.forward(0.0, 90.0).unwrap().1;
        assert_eq!(p.inverse(0.0, apex + 1e6), None, "straight above the apex is the gap");
    }

    #[test]
    fn order_of_parallels_does_not_matter() {
        let e = Ellipsoid::wgs84();
        let a = LambertConformalConic::two_standard_parallels(&e, -120.5, 43.0, 44.0, 46.0, 0.0, 0.0)
            .unwrap()
            .forward(-123.0, 46.2)
            .unwrap();
        let b = LambertConformalConic::two_standard_parallels(&e, -120.5, 43.0, 46.0, 44.0, 0.0, 0.0)
            .unwrap()
            .forward(-123.0, 46.2)
            .unwrap();
        assert!((a.0 - b.0).abs() < 1e-8 && (a.1 - b.1).abs() < 1e-8);
    }
}
