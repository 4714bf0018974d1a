//! Ellipsoids of revolution.

/// An ellipsoid, or a sphere where the inverse flattening is zero.
#[derive(Debug, Clone, PartialEq)]
pub struct Ellipsoid {
    /// Name in the registry.
    pub name: String,
    /// Semi-major axis, metres.
    pub semi_major_m: f64,
    /// Inverse flattening; 0 for a sphere.
    pub inverse_flattening: f64,
}

impl Ellipsoid {
    /// An ellipsoid from its two defining numbers; `inverse_flattening` 0 means a sphere.
    pub fn new(name: impl Into<String>, semi_major_m: f64, inverse_flattening: f64) -> Self {
        Ellipsoid { name: name.into(), semi_major_m, inverse_flattening }
    }

    /// The ellipsoid of the World Geodetic System 1984.
    pub fn wgs84() -> Self {
        Ellipsoid::new("WGS 84", 6_378_137.0, 298.257_223_563)
    }

    /// Flattening *f* = (a − b)/a.
    pub fn flattening(&self) -> f64 {
        if self.inverse_flattening == 0.0 { 0.0 } else { 1.0 / self.inverse_flattening }
    }

    /// First eccentricity squared, *e²* = f(2 − f).
    pub fn eccentricity_squared(&self) -> f64 {
        let f = self.flattening();
        f * (2.0 - f)
    }

    /// Third flattening *n* = f/(2 − f), the small number of the transverse Mercator series.
    pub fn third_flattening(&self) -> f64 {
        let f = self.flattening();
        f / (2.0 - f)
    }

    /// Semi-minor axis, metres.
    pub fn semi_minor_m(&self) -> f64 {
        self.semi_major_m * (1.0 - self.flattening())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wgs84_derived_constants() {
        // NIMA TR8350.2, third edition, table 3.3: b = 6356752.3142 m, e² = 6.69437999014e-3.
        let e = Ellipsoid::wgs84();
        assert!((e.semi_minor_m() - 6_356_752.314_2).abs() < 5e-5);
        assert!((e.eccentricity_squared() - 6.694_379_990_14e-3).abs() < 5e-15);
        assert_eq!(Ellipsoid::new("sphere", 6_371_000.0, 0.0).eccentricity_squared(), 0.0);
    }
}
