//! What a projection does to lengths, directions and areas at a point.

use super::Projection;
use crate::ellipsoid::Ellipsoid;
use crate::latitude::{meridian_radius, normal_radius};

/// Scale, convergence and distortion at a point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Distortion {
    /// Map length over true length along the meridian.
    pub meridian_scale: f64,
    /// Map length over true length along the parallel.
    pub parallel_scale: f64,
    /// Largest scale in any direction.
    pub largest_scale: f64,
    /// Smallest scale in any direction.
    pub smallest_scale: f64,
    /// Grid convergence: the angle from true north to grid north, degrees clockwise; positive east of the central meridian
    /// of a transverse Mercator map in the northern hemisphere.
    pub convergence_deg: f64,
    /// Map area over true area.
    pub area_scale: f64,
    /// Largest change of an angle between two directions, degrees.
    pub angular_distortion_deg: f64,
}

impl Projection {
    /// Scale, convergence, area and angle distortion at a position (degrees); `None` where the projection gives no
    /// number in its neighbourhood.
    ///
    /// From the derivatives of the forward formulas to the north and to the east, taken by central differences of
    /// sixth order over a few kilometres (correct to some 1e-11); Tissot's indicatrix by Snyder, USGS Professional
    /// Paper 1395, section 4. `ellipsoid` is the true figure, also for methods that compute on a sphere.
    ///
    /// ```
    /// use basilocus_geodesy::{ellipsoid::Ellipsoid, projection::*, zone::UtmZone};
    /// let e = Ellipsoid::wgs84();
    /// let utm = Projection::TransverseMercator(TransverseMercator::utm(&e, UtmZone { number: 10, north: true }));
    /// let d = utm.distortion(&e, -123.0, 46.2).unwrap();
    /// assert!((d.meridian_scale - 0.9996).abs() < 1e-10 && d.convergence_deg.abs() < 1e-8);
    /// assert!(utm.distortion(&e, -122.0, 46.2).unwrap().convergence_deg > 0.7);
    /// ```
    pub fn distortion(&self, ellipsoid: &Ellipsoid, lon_deg: f64, lat_deg: f64) -> Option<Distortion> {
        let step = [1e-3, 1e-5].into_iter().find_map(|h| self.jacobian(lon_deg, lat_deg, h));
        let [[xe, ye], [xn, yn]] = step?;
        let s = lat_deg.to_radians().sin();
        let (rho, nu) = (meridian_radius(ellipsoid, s), normal_radius(ellipsoid, s));
        let (xe, ye, xn, yn) = (xe / nu, ye / nu, xn / rho, yn / rho);
        let (h, k) = (xn.hypot(yn), xe.hypot(ye));
        let area_scale = (xe * yn - xn * ye).abs();
        // Tissot: a + b and a − b from h² + k² ± 2·area.
        let plus = (h * h + k * k + 2.0 * area_scale).sqrt();
        let minus = (h * h + k * k - 2.0 * area_scale).max(0.0).sqrt();
        let (largest, smallest) = ((plus + minus) / 2.0, (plus - minus) / 2.0);
        Some(Distortion {
            meridian_scale: h,
            parallel_scale: k,
            largest_scale: largest,
            smallest_scale: smallest,
            convergence_deg: -xn.atan2(yn).to_degrees(),
            area_scale,
            angular_distortion_deg: 2.0 * (minus / plus).min(1.0).asin().to_degrees(),
        })
    }

    /// Derivatives of x and y by a turn of the vertical towards east and towards north (radians).
    fn jacobian(&self, lon_deg: f64, lat_deg: f64, h: f64) -> Option<[[f64; 2]; 2]> {
        const WEIGHTS: [(f64, f64); 3] = [(1.0, 3.0 / 4.0), (2.0, -3.0 / 20.0), (3.0, 1.0 / 60.0)];
        let (sl, cl) = lon_deg.to_radians().sin_cos();
        let (sp, cp) = lat_deg.to_radians().sin_cos();
        let up = [cp * cl, cp * sl, sp];
        let east = [-sl, cl, 0.0];
        let north = [-sp * cl, -sp * sl, cp];
        let mut out = [[0.0; 2]; 2];
        for (row, direction) in out.iter_mut().zip([east, north]) {
            for (steps, weight) in WEIGHTS {
                for sign in [1.0, -1.0] {
                    // The vertical turned on a great circle: works at the poles as well.
                    let (s, c) = (sign * steps * h).sin_cos();
                    let v: [f64; 3] = std::array::from_fn(|i| up[i] * c + direction[i] * s);
                    let (lon, lat) = (v[1].atan2(v[0]).to_degrees(), v[2].atan2(v[0].hypot(v[1])).to_degrees());
                    let (x, y) = self.forward(lon, lat)?;
                    row[0] += sign * weight * x / h;
                    row[1] += sign * weight * y / h;
                }
            }
        }
        // A cut of the map between the points shows as a derivative of many radii.
        out.iter().flatten().all(|d| d.abs() < 1e10).then_some(out)
    }
}
