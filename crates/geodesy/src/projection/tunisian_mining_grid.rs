//! The Tunisian mining grid: a table of the mining decree of 1953, linear between its lines.
//!
//! Longitude grows by 0.012185 grad a kilometre of easting; latitude by 0.01002 grad a kilometre of northing south of
//! the line of 360 km and by 0.010015 north of it. Not a projection in the proper sense: it is neither conformal nor
//! equal-area.

use super::{About, Frame, Given, Method, Parameter, Problem};

/// Radians in a grad.
const GRAD: f64 = std::f64::consts::PI / 200.0;
/// Radians of longitude a metre of easting.
const EASTWARD: f64 = 0.012_185 * GRAD / 1000.0;
/// Radians of latitude a metre of northing, south and north of the false origin.
const NORTHWARD: [f64; 2] = [0.010_02 * GRAD / 1000.0, 0.010_015 * GRAD / 1000.0];
/// Eastings and northings of the decree's table, metres from the false origin (270 km, 360 km).
const EASTINGS: std::ops::RangeInclusive<f64> = -176_000.0..=220_000.0;
const NORTHINGS: std::ops::RangeInclusive<f64> = -320_000.0..=500_000.0;

/// The Tunisian mining grid.
#[derive(Debug, Clone, PartialEq)]
pub struct TunisianMiningGrid {
    /// Latitude of the false origin, radians.
    latitude: f64,
}

impl Method for TunisianMiningGrid {
    const ABOUT: About = About {
        names: &["Tunisia Mining Grid", "Tunisian Mining Grid", "Tunisia_Mining_Grid"],
        domain: "the table of the decree: eastings of 94 to 490 km, northings of 40 to 860 km",
        source: "IOGP Guidance Note 373-7-2, method 9816",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let latitude = match given.optional(Parameter::LatitudeOfOrigin)? {
            Some(_) => given.latitude(Parameter::LatitudeOfOrigin)?,
            None => 36.5964 * GRAD,
        };
        Ok(TunisianMiningGrid { latitude })
    }

    /// The false origin of the decree where none is given; its longitude is counted from Paris.
    fn frame(&self, given: &Given) -> Result<Frame, Problem> {
        let f = given.frame()?;
        let is_given = |p| given.optional(p).map(|v| v.is_some());
        Ok(Frame {
            central_meridian_deg: if is_given(Parameter::LongitudeOfOrigin)? {
                f.central_meridian_deg
            } else {
                7.834_45 * 0.9
            },
            false_easting_m: if is_given(Parameter::FalseEasting)? { f.false_easting_m } else { 270_000.0 },
            false_northing_m: if is_given(Parameter::FalseNorthing)? { f.false_northing_m } else { 360_000.0 },
        })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let d = phi - self.latitude;
        within(lambda / EASTWARD, d / NORTHWARD[usize::from(d > 0.0)])
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (x, y) = within(x, y);
        (x * EASTWARD, self.latitude + y * NORTHWARD[usize::from(y > 0.0)])
    }
}

/// Beyond the table there is no grid; a metre is left for rounding.
fn within(x: f64, y: f64) -> (f64, f64) {
    let near = |range: std::ops::RangeInclusive<f64>, v: f64| v >= range.start() - 1.0 && v <= range.end() + 1.0;
    if near(EASTINGS, x) && near(NORTHINGS, y) { (x, y) } else { (f64::NAN, f64::NAN) }
}

#[cfg(test)]
mod tests {
    use crate::ellipsoid::Ellipsoid;
    use crate::projection::{Parameters, Projection};

    #[test]
    fn corners_and_limits_of_the_decree() {
        // IOGP Guidance Note 373-7-2, section 3.2.7.1: grid reference 302598 is 38.97997 grad north, 8.22437 grad east
        // of Paris; and the limits that it cites from the decree.
        let e = Ellipsoid::new("Clarke 1880 (IGN)", 6_378_249.2, 293.466_021_293_626_5);
        let p =
            Projection::from_parameters("mining grid", "Tunisia Mining Grid", &Parameters::default(), &e, 1.0).unwrap();
        for (easting, northing, lon_grad, lat_grad) in [
            (302_000.0, 598_000.0, 8.224_37, 38.979_97),
            (94_000.0, 40_000.0, 5.689_89, 33.39),
            (490_000.0, 860_000.0, 10.515_15, 41.603_9),
        ] {
            let (lon, lat) = p.inverse(easting, northing).unwrap();
            assert!((lon / 0.9 - lon_grad).abs() < 1e-9 && (lat / 0.9 - lat_grad).abs() < 1e-9, "{lon} {lat}");
            let (x, y) = p.forward(lon, lat).unwrap();
            assert!((x - easting).abs() < 1e-6 && (y - northing).abs() < 1e-6, "{x} {y}");
        }
        assert_eq!(p.inverse(60_000.0, 400_000.0), None, "outside the table");
        assert_eq!(p.forward(0.0, 50.0), None);
    }
}
