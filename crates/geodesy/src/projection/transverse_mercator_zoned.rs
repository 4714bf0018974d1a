//! Transverse Mercator with the number of the zone before the easting (EPSG method 9824).
//!
//! Each position is projected in the zone that holds its longitude; a million times the zone is added to its easting.

use super::{About, Frame, Given, Method, Parameter, Problem, TransverseMercator};

/// A zoned transverse Mercator grid.
#[derive(Debug, Clone, PartialEq)]
pub struct TransverseMercatorZoned {
    zone: TransverseMercator,
    initial: f64,
    width: f64,
    zones: f64,
    false_easting_m: f64,
}

const PREFIX_M: f64 = 1e6;

impl TransverseMercatorZoned {
    fn central_meridian(&self, zone: f64) -> f64 {
        self.initial + (zone - 0.5) * self.width
    }
}

impl Method for TransverseMercatorZoned {
    const ABOUT: About = About {
        names: &["Transverse Mercator Zoned Grid System"],
        domain: "the whole Earth, each longitude in its own zone",
        source: "IOGP Guidance Note 373-7-2, section 3.5.5",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let width = given.need(Parameter::ZoneWidth)?;
        if !(width > 0.0 && width <= 60.0) {
            return Err(given.problem(Parameter::ZoneWidth, "is not between 0 and 60 degrees"));
        }
        Ok(TransverseMercatorZoned {
            zone: TransverseMercator::from_given(given)?,
            initial: given.need(Parameter::InitialLongitude)?.to_radians(),
            width: width.to_radians(),
            zones: (360.0 / width).round(),
            false_easting_m: given.frame()?.false_easting_m,
        })
    }

    fn frame(&self, given: &Given) -> Result<Frame, Problem> {
        Ok(Frame { central_meridian_deg: 0.0, ..given.frame()? })
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let turn = std::f64::consts::TAU;
        let zone = (((lambda - self.initial).rem_euclid(turn) / self.width).floor() + 1.0).min(self.zones);
        let from_middle = lambda - self.central_meridian(zone);
        let from_middle = from_middle - turn * (from_middle / turn).round();
        let (x, y) = self.zone.forward(from_middle, phi);
        (zone * PREFIX_M + x, y)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let zone = ((x + self.false_easting_m) / PREFIX_M).floor();
        if !(1.0..=self.zones).contains(&zone) {
            return (f64::NAN, f64::NAN);
        }
        let (lambda, phi) = self.zone.inverse(x - zone * PREFIX_M, y);
        (lambda + self.central_meridian(zone), phi)
    }
}
