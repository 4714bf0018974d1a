//! Motion of the plates of the Earth's crust.

use crate::ellipsoid::Ellipsoid;
use crate::latitude::{meridian_radius, normal_radius};

/// A plate that turns about an axis through the centre of the Earth.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Plate {
    /// Its name.
    pub name: &'static str,
    /// Rotation about the three axes of the Earth, milliseconds of arc a year.
    pub rotation_mas: [f64; 3],
}

/// The plates of the ITRF2014 plate motion model (Altamimi, Métivier, Rebischung, Rouby and Collilieux 2017, table 1).
pub const PLATES: [Plate; 11] = [
    plate("Antarctica", [-0.248, -0.324, 0.675]),
    plate("Arabia", [1.154, -0.136, 1.444]),
    plate("Australia", [1.510, 1.182, 1.215]),
    plate("Eurasia", [-0.085, -0.531, 0.770]),
    plate("India", [1.154, -0.005, 1.454]),
    plate("Nazca", [-0.333, -1.544, 1.623]),
    plate("North America", [0.024, -0.694, -0.063]),
    plate("Nubia", [0.099, -0.614, 0.733]),
    plate("Pacific", [-0.409, 1.047, -2.169]),
    plate("South America", [-0.270, -0.301, -0.140]),
    plate("Somalia", [-0.121, -0.794, 0.884]),
];

const fn plate(name: &'static str, rotation_mas: [f64; 3]) -> Plate {
    Plate { name, rotation_mas }
}

impl Plate {
    /// Velocity at a place (degrees, on the ellipsoid of WGS 84) in a global frame: metres a year to the east and to the north.
    /// The cross product of the rotation with the place.
    ///
    /// ```
    /// let plate = basilocus_geodesy::plate::PLATES.iter().find(|p| p.name == "Australia").unwrap();
    /// let [east, north] = plate.velocity_m(149.0, -35.3);
    /// assert!((0.01..0.03).contains(&east) && (0.05..0.06).contains(&north));
    /// ```
    pub fn velocity_m(&self, lon_deg: f64, lat_deg: f64) -> [f64; 2] {
        let ellipsoid = Ellipsoid::wgs84();
        let (sin_lon, cos_lon) = lon_deg.to_radians().sin_cos();
        let (sin_lat, cos_lat) = lat_deg.to_radians().sin_cos();
        let nu = normal_radius(&ellipsoid, sin_lat);
        let flat = 1.0 - ellipsoid.eccentricity_squared();
        let place = [nu * cos_lat * cos_lon, nu * cos_lat * sin_lon, nu * flat * sin_lat];
        let turn = self.rotation_mas.map(|mas| (mas / 3_600_000.0).to_radians());
        let moved = [
            turn[1] * place[2] - turn[2] * place[1],
            turn[2] * place[0] - turn[0] * place[2],
            turn[0] * place[1] - turn[1] * place[0],
        ];
        let east = -sin_lon * moved[0] + cos_lon * moved[1];
        let north = -sin_lat * cos_lon * moved[0] - sin_lat * sin_lon * moved[1] + cos_lat * moved[2];
        [east, north]
    }

    /// Where a place (degrees) is after so many years; longitude, latitude.
    pub fn moved(&self, lon_deg: f64, lat_deg: f64, years: f64) -> [f64; 2] {
        let ellipsoid = Ellipsoid::wgs84();
        let (sin, cos) = lat_deg.to_radians().sin_cos();
        let [east, north] = self.velocity_m(lon_deg, lat_deg).map(|v| v * years);
        let lon = lon_deg + (east / (normal_radius(&ellipsoid, sin) * cos.max(1e-9))).to_degrees();
        [lon, lat_deg + (north / meridian_radius(&ellipsoid, sin)).to_degrees()]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Velocities of stations in ITRF2014 that lie in the middle of their plates, as the frame's own solution gives them, agree with
    /// the model within its error of some 0.3 mm a year: here those that other agencies print, rounded to a millimetre.
    #[test]
    fn places_move_as_agencies_say() {
        let of = |name: &str| PLATES.iter().find(|p| p.name == name).unwrap();
        // Geoscience Australia: the continent moves about 7 cm a year to the north-east.
        let [east, north] = of("Australia").velocity_m(133.9, -23.7);
        assert!((east.hypot(north) - 0.068).abs() < 0.003 && east > 0.02 && north > 0.05, "{east} {north}");
        // EUREF: ETRS89 and the global frames part by about 2.5 cm a year.
        let [east, north] = of("Eurasia").velocity_m(10.0, 50.0);
        assert!((east.hypot(north) - 0.025).abs() < 0.002, "{east} {north}");
    }

    #[test]
    fn a_place_comes_back() {
        let plate = &PLATES[6];
        let [lon, lat] = plate.moved(-123.8, 46.2, 20.0);
        let back = plate.moved(lon, lat, -20.0);
        assert!((back[0] + 123.8).abs() < 1e-11 && (back[1] - 46.2).abs() < 1e-11);
    }
}
