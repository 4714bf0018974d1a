//! Geographic ↔ geocentric coordinates (EPSG method 9602).

use crate::ellipsoid::Ellipsoid;
use basilocus_arithmetic::trigonometry::{atan2, atan2_right, sin_cos};
use basilocus_arithmetic::vectors::{Loop, widest};

/// Longitude, latitude (degrees) and ellipsoidal height (metres) to X, Y, Z (metres). In place over columns.
pub fn from_geographic_batch(ellipsoid: &Ellipsoid, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
    widest(FromGeographic { ellipsoid, x, y, z });
}

struct FromGeographic<'a> {
    ellipsoid: &'a Ellipsoid,
    x: &'a mut [f64],
    y: &'a mut [f64],
    z: &'a mut [f64],
}

impl Loop for FromGeographic<'_> {
    #[inline(always)]
    fn run(self) {
        let FromGeographic { ellipsoid, x, y, z } = self;
        let a = ellipsoid.semi_major_m;
        let e2 = ellipsoid.eccentricity_squared();
        for ((x, y), z) in x.iter_mut().zip(y.iter_mut()).zip(z.iter_mut()) {
            let (sin_lon, cos_lon) = sin_cos(x.to_radians());
            let (sin_lat, cos_lat) = sin_cos(y.to_radians());
            let nu = a / (1.0 - e2 * sin_lat * sin_lat).sqrt();
            let h = *z;
            *x = (nu + h) * cos_lat * cos_lon;
            *y = (nu + h) * cos_lat * sin_lon;
            *z = (nu * (1.0 - e2) + h) * sin_lat;
        }
    }
}

/// X, Y, Z (metres) to longitude, latitude (degrees) and ellipsoidal height (metres). In place over columns.
///
/// Bowring's start (1976) and two rounds on the reduced latitude; exact to rounding from 1,000 km below the
/// surface to any height above. On the polar axis the longitude is 0.
pub fn to_geographic_batch(ellipsoid: &Ellipsoid, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
    widest(ToGeographic { ellipsoid, x, y, z });
}

struct ToGeographic<'a> {
    ellipsoid: &'a Ellipsoid,
    x: &'a mut [f64],
    y: &'a mut [f64],
    z: &'a mut [f64],
}

impl Loop for ToGeographic<'_> {
    #[inline(always)]
    fn run(self) {
        let ToGeographic { ellipsoid, x, y, z } = self;
        let a = ellipsoid.semi_major_m;
        let b = ellipsoid.semi_minor_m();
        let e2 = ellipsoid.eccentricity_squared();
        let ep2 = e2 / (1.0 - e2);
        for ((x, y), z) in x.iter_mut().zip(y.iter_mut()).zip(z.iter_mut()) {
            // Squares of lengths on the Earth are far from the limits of a double, so that no `hypot` is needed.
            let p = (*x * *x + *y * *y).sqrt();
            let lon = atan2(*y, *x);
            // Reduced latitude β by Bowring's iteration: tan φ = (Z + e′² b sin³β) / (p − e² a cos³β). The second round
            // changes the fifteenth digit at most.
            let (s, c) = normal(*z * a, p * b);
            let (s, c) = normal(b * (*z + ep2 * b * s * s * s), a * (p - e2 * a * c * c * c));
            let (sin_lat, cos_lat) = normal(*z + ep2 * b * s * s * s, p - e2 * a * c * c * c);
            // Height along the normal, stable at the equator and at the poles alike.
            let h = p * cos_lat + *z * sin_lat - a * (1.0 - e2 * sin_lat * sin_lat).sqrt();
            *x = lon.to_degrees();
            *y = atan2_right(sin_lat, cos_lat).to_degrees();
            *z = h;
        }
    }
}

#[inline(always)]
fn normal(s: f64, c: f64) -> (f64, f64) {
    let r = 1.0 / (s * s + c * c).sqrt();
    // At the centre of the Earth there is no direction.
    if r.is_infinite() { (0.0, 1.0) } else { (s * r, c * r) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn published_example() {
        // IOGP Guidance Note 373-7-2, section 4.1.1: WGS 84 X 3771793.97, Y 140253.34, Z 5124304.35 is
        // latitude 53°48'33.820"N, longitude 2°07'46.380"E, height 73.0 m.
        let e = Ellipsoid::wgs84();
        let (mut x, mut y, mut z) = ([3_771_793.968], [140_253.342], [5_124_304.349]);
        to_geographic_batch(&e, &mut x, &mut y, &mut z);
        assert!((x[0] - (2.0 + 7.0 / 60.0 + 46.38 / 3600.0)).abs() < 5e-9, "{}", x[0]);
        assert!((y[0] - (53.0 + 48.0 / 60.0 + 33.82 / 3600.0)).abs() < 5e-9, "{}", y[0]);
        assert!((z[0] - 73.0).abs() < 5e-3, "{}", z[0]);
    }

    proptest! {
        #[test]
        fn round_trip(lon in -180.0_f64..180.0, lat in -90.0_f64..90.0, h in -11_000.0_f64..1_000_000.0) {
            let e = Ellipsoid::wgs84();
            let (mut x, mut y, mut z) = ([lon], [lat], [h]);
            from_geographic_batch(&e, &mut x, &mut y, &mut z);
            to_geographic_batch(&e, &mut x, &mut y, &mut z);
            let shrink = lat.to_radians().cos();
            prop_assert!((x[0] - lon).abs() * shrink < 1e-13, "lon {lon} {}", x[0]);
            prop_assert!((y[0] - lat).abs() < 1e-13, "lat {lat} {}", y[0]);
            // Ten units in the last place of seven million metres.
            prop_assert!((z[0] - h).abs() < 1e-8, "h {h} {}", z[0]);
        }
    }
}
