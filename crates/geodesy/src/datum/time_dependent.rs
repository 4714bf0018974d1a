//! Transformations whose parameters change with time: fourteen and fifteen parameters, and plate motion.
//!
//! EPSG methods 1053 (position vector) and 1056 (coordinate frame): each parameter is its value at the reference
//! epoch plus its rate times the years since then. The coordinate epoch says when the coordinates are valid.

use super::{Helmert, RotationConvention};

/// A Helmert transformation with rates.
#[derive(Debug, Clone, PartialEq)]
pub struct TimeDependent {
    /// Parameters at the reference epoch.
    pub at_reference: Helmert,
    /// Change of the translations, metres a year.
    pub translation_rate_m: [f64; 3],
    /// Change of the rotations, arc-seconds a year.
    pub rotation_rate_arcsec: [f64; 3],
    /// Change of the scale, parts per million a year.
    pub scale_rate_ppm: f64,
    /// The reference epoch, decimal year.
    pub reference_epoch: f64,
}

impl TimeDependent {
    /// The rotation of a tectonic plate about the axis given by its rates (arc-seconds a year): coordinates at an
    /// epoch to those at the reference epoch.
    pub fn plate_motion(rates_arcsec: [f64; 3], reference_epoch: f64, convention: RotationConvention) -> Self {
        TimeDependent {
            at_reference: Helmert { translation_m: [0.0; 3], rotation_arcsec: [0.0; 3], scale_ppm: 0.0, convention },
            translation_rate_m: [0.0; 3],
            rotation_rate_arcsec: rates_arcsec,
            scale_rate_ppm: 0.0,
            reference_epoch,
        }
    }

    /// The parameters at a coordinate epoch (decimal year).
    pub fn at(&self, epoch: f64) -> Helmert {
        let years = epoch - self.reference_epoch;
        let h = &self.at_reference;
        Helmert {
            translation_m: std::array::from_fn(|i| h.translation_m[i] + years * self.translation_rate_m[i]),
            rotation_arcsec: std::array::from_fn(|i| h.rotation_arcsec[i] + years * self.rotation_rate_arcsec[i]),
            scale_ppm: h.scale_ppm + years * self.scale_rate_ppm,
            convention: h.convention,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn apply(h: &Helmert, p: [f64; 3]) -> [f64; 3] {
        let [mut x, mut y, mut z] = p.map(|v| [v]);
        h.forward_batch(&mut x, &mut y, &mut z);
        [x[0], y[0], z[0]]
    }

    #[test]
    fn australia_moves_as_published() {
        // ICSM, GDA2020 Technical Manual, station ALIC: ITRF2014 at 2018.0 to GDA2020 (plate motion to 2020.0).
        let plate = TimeDependent::plate_motion(
            [0.001_503_79, 0.001_183_46, 0.001_207_16],
            2020.0,
            RotationConvention::CoordinateFrame,
        );
        let got = apply(&plate.at(2018.0), [-4_052_052.658_8, 4_212_835.993_8, -2_545_104.694_6]);
        for (g, published) in got.iter().zip([-4_052_052.737_3, 4_212_835.983_5, -2_545_104.586_7]) {
            assert!((g - published).abs() < 1e-4, "{got:?}");
        }
        assert!(plate.at(2020.0).is_null(), "nothing moves at the reference epoch");
    }

    #[test]
    fn the_registrys_example_of_method_1053() {
        // IOGP Guidance Note 373-7-2, section 4.3.5.1: ITRF2008 to GDA94 at epoch 2013.9, coordinate frame.
        let t = TimeDependent {
            at_reference: Helmert {
                translation_m: [-0.084_68, -0.019_42, 0.032_01],
                rotation_arcsec: [-0.000_425_4, 0.002_257_8, 0.002_401_5],
                scale_ppm: 0.009_71,
                convention: RotationConvention::CoordinateFrame,
            },
            translation_rate_m: [0.001_42, 0.001_34, 0.000_90],
            rotation_rate_arcsec: [0.001_546_1, 0.001_182_0, 0.001_155_1],
            scale_rate_ppm: 0.000_109,
            reference_epoch: 1994.0,
        };
        let got = apply(&t.at(2013.9), [-3_789_470.710, 4_841_770.404, -1_690_893.952]);
        for (g, published) in got.iter().zip([-3_789_470.004, 4_841_770.685, -1_690_895.108]) {
            assert!((g - published).abs() < 1.5e-3, "{got:?}");
        }
    }
}
