//! Molodensky-Badekas: seven parameters with the rotation about a given point (EPSG methods 1061 and 1063).

use super::{Helmert, RotationConvention};

/// The Helmert transformation that does the same: rotating about `pivot_m` only changes the translations.
///
/// X′ = T + P + M(X − P) with M the matrix of rotation and scale, so the translations become T + P − M·P.
pub fn molodensky_badekas(
    translation_m: [f64; 3],
    rotation_arcsec: [f64; 3],
    scale_ppm: f64,
    pivot_m: [f64; 3],
    convention: RotationConvention,
) -> Helmert {
    let turn = Helmert { translation_m: [0.0; 3], rotation_arcsec, scale_ppm, convention };
    let [mut x, mut y, mut z] = pivot_m.map(|v| [v]);
    turn.forward_batch(&mut x, &mut y, &mut z);
    let moved = [x[0], y[0], z[0]];
    Helmert { translation_m: std::array::from_fn(|i| translation_m[i] + pivot_m[i] - moved[i]), ..turn }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn la_canoa_to_regven_as_published() {
        // IOGP Guidance Note 373-7-2, section 4.3.3.4: La Canoa to REGVEN, coordinate frame convention.
        let h = molodensky_badekas(
            [-270.933, 115.599, -360.226],
            [-5.266, -1.238, 2.381],
            -5.109,
            [2_464_351.59, -5_783_466.61, 974_809.81],
            RotationConvention::CoordinateFrame,
        );
        let (mut x, mut y, mut z) = ([2_550_408.96], [-5_749_912.26], [1_054_891.11]);
        h.forward_batch(&mut x, &mut y, &mut z);
        for (got, published) in [(x[0], 2_550_138.45), (y[0], -5_749_799.86), (z[0], 1_054_530.82)] {
            // Input and output are both printed to a centimetre: half of one on either side.
            assert!((got - published).abs() < 1.05e-2, "{got} {published}");
        }
    }
}
