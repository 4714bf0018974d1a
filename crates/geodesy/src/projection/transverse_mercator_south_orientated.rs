//! Transverse Mercator with axes to the west and to the south (EPSG method 9808), as in southern Africa.
//!
//! The first coordinate is the westing, the second the southing: both are those of [`TransverseMercator`] with the
//! sign changed.

use super::{About, Given, Method, Problem, TransverseMercator};

/// A south-orientated transverse Mercator projection.
#[derive(Debug, Clone, PartialEq)]
pub struct TransverseMercatorSouthOrientated(TransverseMercator);

impl Method for TransverseMercatorSouthOrientated {
    const ABOUT: About = About {
        names: &["Transverse Mercator (South Orientated)", "Transverse_Mercator_South_Orientated"],
        domain: TransverseMercator::ABOUT.domain,
        source: TransverseMercator::ABOUT.source,
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        TransverseMercator::from_given(given).map(Self)
    }

    #[inline(always)]
    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (x, y) = self.0.forward(lambda, phi);
        (-x, -y)
    }

    #[inline(always)]
    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        self.0.inverse(-x, -y)
    }
}
