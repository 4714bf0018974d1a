//! Auxiliary latitudes shared by the conformal projections.
//!
//! With τ = tan φ and τ′ = tan χ (χ the conformal latitude), Karney (2011), "Transverse Mercator with an
//! accuracy of a few nanometers", equations 7 to 9 and 19 to 21, give both directions without a loss of
//! digits at the equator or the poles.

/// e·atanh(e·s) for |s| ≤ 1. A series where e is that of an Earth ellipsoid (terms fall by e² ≈ 0.007).
#[inline(always)]
pub(crate) fn e_atanh_e(s: f64, e2: f64) -> f64 {
    let q = e2 * s * s;
    if q < 0.0085 {
        // Σ q^k / (2k+1); the first term left out is q^8/17 < 2e-18.
        let sum = 1.0 + q * (1.0 / 3.0 + q * (1.0 / 5.0 + q * (1.0 / 7.0 + q * (1.0 / 9.0 + q * (1.0 / 11.0 + q * (1.0 / 13.0 + q / 15.0))))));
        e2 * s * sum
    } else {
        let e = e2.sqrt();
        e * (e * s).atanh()
    }
}

/// sinh for the small argument that [`e_atanh_e`] gives; the library function elsewhere.
#[inline(always)]
fn sinh_small(x: f64) -> f64 {
    if x.abs() < 0.01 {
        let x2 = x * x;
        x * (1.0 + x2 * (1.0 / 6.0 + x2 * (1.0 / 120.0 + x2 / 5040.0)))
    } else {
        x.sinh()
    }
}

/// tan χ from sin φ and cos φ (cos φ > 0).
#[inline(always)]
pub fn tan_conformal(sin_phi: f64, cos_phi: f64, e2: f64) -> f64 {
    let tau = sin_phi / cos_phi;
    let sigma = sinh_small(e_atanh_e(sin_phi, e2));
    // τ′ = τ √(1+σ²) − σ √(1+τ²), where √(1+τ²) = 1/cos φ.
    tau * (1.0 + sigma * sigma).sqrt() - sigma / cos_phi
}

/// tan φ from tan χ by Newton's method; two or three rounds reach machine precision for any Earth ellipsoid.
#[inline(always)]
pub fn tan_geodetic(tan_chi: f64, e2: f64) -> f64 {
    let one_minus = 1.0 - e2;
    let mut tau = tan_chi / one_minus;
    if tan_chi.abs() > 70.0 {
        // Near a pole the first guess is better as τ′·exp(e·atanh e), the limit of the ratio.
        tau = tan_chi * e_atanh_e(1.0, e2).exp();
    }
    for _ in 0..4 {
        let root = (1.0 + tau * tau).sqrt();
        let sigma = sinh_small(e_atanh_e(tau / root, e2));
        let guess = tau * (1.0 + sigma * sigma).sqrt() - sigma * root;
        let step = (tan_chi - guess) / (1.0 + guess * guess).sqrt() * (1.0 + one_minus * tau * tau) / (one_minus * root);
        tau += step;
        if step.abs() <= 1e-9 * tau.abs().max(1.0) {
            // Newton doubles the digits: an error of 1e-9 before this step is 1e-17 after it.
            break;
        }
    }
    tau
}

/// Isometric latitude ψ = asinh(tan φ) − e·atanh(e·sin φ), radians; ±∞ at the poles.
#[inline(always)]
pub fn isometric(sin_phi: f64, cos_phi: f64, e2: f64) -> f64 {
    (sin_phi / cos_phi).asinh() - e_atanh_e(sin_phi, e2)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn conformal_latitude_round_trip(lat in -89.999_999_f64..89.999_999, rf in prop_oneof![Just(298.257_223_563), Just(294.978_698), 150.0_f64..400.0]) {
            let f = 1.0 / rf;
            let e2 = f * (2.0 - f);
            let phi = lat.to_radians();
            let back = tan_geodetic(tan_conformal(phi.sin(), phi.cos(), e2), e2).atan();
            // 1e-15 rad is 6 nanometres on the ground; near the poles cos φ itself carries only so many digits.
            prop_assert!((back - phi).abs() < 1e-15 + 2.5e-16 * phi.abs(), "{lat} {back} {phi}");
        }

        #[test]
        fn series_and_library_agree(s in -1.0_f64..1.0) {
            let e2 = 0.006_694_38;
            let e = f64::sqrt(e2);
            prop_assert!((e_atanh_e(s, e2) - e * (e * s).atanh()).abs() < 1e-17);
        }
    }
}
