//! Auxiliary latitudes, radii of curvature, the meridian arc: what the projections share.
//!
//! Tangents of the geodetic latitude φ and the conformal latitude χ go over into each other without a loss of digits at the
//! equator or the poles: both follow from the isometric latitude, which is asinh(tan χ) on the sphere and
//! asinh(tan φ) − e·atanh(e·sin φ) on the ellipsoid (Snyder, USGS Professional Paper 1395, equations 3-1 and 3-7).

use crate::ellipsoid::Ellipsoid;

/// e·atanh(e·s) for |s| ≤ 1: what the isometric latitude of an ellipsoid falls behind that of a sphere by, at sin φ = s.
/// A series where e is that of an Earth ellipsoid (terms fall by e² ≈ 0.007).
#[inline(always)]
pub(crate) fn isometric_lag(s: f64, e2: f64) -> f64 {
    let q = e2 * s * s;
    if q < 0.0085 {
        // Σ q^k / (2k+1); the first term left out is q^8/17 < 2e-18.
        let sum = 1.0
            + q * (1.0 / 3.0
                + q * (1.0 / 5.0 + q * (1.0 / 7.0 + q * (1.0 / 9.0 + q * (1.0 / 11.0 + q * (1.0 / 13.0 + q / 15.0))))));
        e2 * s * sum
    } else {
        let e = e2.sqrt();
        e * (e * s).atanh()
    }
}

/// sinh for the small argument that [`isometric_lag`] gives; the library function elsewhere.
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
    let sinh_lag = sinh_small(isometric_lag(sin_phi, e2));
    // sinh(asinh(tan φ) − lag), with √(1 + tan²φ) = 1/cos φ.
    (sin_phi * (1.0 + sinh_lag * sinh_lag).sqrt() - sinh_lag) / cos_phi
}

/// tan φ from tan χ; exact to rounding for any Earth ellipsoid.
///
/// The isometric latitude of χ on the sphere and the lag make that of φ: asinh(tan φ) = asinh(tan χ) + lag(sin φ). With
/// sin χ in the place of sin φ on the right this is a start that is good from the equator to the poles; Newton's method
/// brings it home, with d tan χ / d tan φ = cos φ (1 − e²) / (cos χ (1 − e² sin²φ)).
#[inline(always)]
pub fn tan_geodetic(tan_chi: f64, e2: f64) -> f64 {
    let secant_chi = (1.0 + tan_chi * tan_chi).sqrt();
    let sinh_lag = sinh_small(isometric_lag(tan_chi / secant_chi, e2));
    let mut tan_phi = tan_chi * (1.0 + sinh_lag * sinh_lag).sqrt() + sinh_lag * secant_chi;
    // The digits double: a step of 1e-9 leaves an error of 1e-17.
    const ENOUGH: f64 = 1e-9;
    for _ in 0..4 {
        let secant = (1.0 + tan_phi * tan_phi).sqrt();
        let (sin, cos) = (tan_phi / secant, 1.0 / secant);
        let here = tan_conformal(sin, cos, e2);
        let slope = cos * (1.0 - e2) * (1.0 + here * here).sqrt() / (1.0 - e2 * sin * sin);
        let step = (tan_chi - here) / slope;
        tan_phi += step;
        if step.abs() <= ENOUGH * secant {
            break;
        }
    }
    tan_phi
}

/// Isometric latitude ψ = asinh(tan φ) − e·atanh(e·sin φ), radians; ±∞ at the poles.
#[inline(always)]
pub fn isometric(sin_phi: f64, cos_phi: f64, e2: f64) -> f64 {
    (sin_phi / cos_phi).asinh() - isometric_lag(sin_phi, e2)
}

/// An auxiliary latitude as a trigonometric series in the third flattening, to sixth order.
///
/// ζ = φ + Σ cₖ sin 2kφ and φ = ζ + Σ dₖ sin 2kζ, for ζ the conformal latitude χ, the rectifying latitude μ or the
/// authalic latitude β. Coefficients of χ and μ: Krüger (1912) and Bessel (1825), as C. F. F. Karney, "On auxiliary
/// latitudes" (2022) prints them; those of β are found from its closed form by a sine transform. The first term
/// left out is below 1e-16 radians for every ellipsoid of the catalogue, and no iteration is needed.
#[derive(Debug, Clone, PartialEq)]
pub struct AuxiliaryLatitude {
    c: [f64; 6],
    d: [f64; 6],
}

impl AuxiliaryLatitude {
    /// The conformal latitude χ of an ellipsoid with this third flattening; [`tan_geodetic`] is its slow twin.
    pub fn conformal(third_flattening: f64) -> Self {
        AuxiliaryLatitude {
            c: polynomials(
                third_flattening,
                &[
                    &[-2.0, 2.0 / 3.0, 4.0 / 3.0, -82.0 / 45.0, 32.0 / 45.0, 4642.0 / 4725.0],
                    &[5.0 / 3.0, -16.0 / 15.0, -13.0 / 9.0, 904.0 / 315.0, -1522.0 / 945.0],
                    &[-26.0 / 15.0, 34.0 / 21.0, 8.0 / 5.0, -12_686.0 / 2835.0],
                    &[1237.0 / 630.0, -12.0 / 5.0, -24_832.0 / 14_175.0],
                    &[-734.0 / 315.0, 109_598.0 / 31_185.0],
                    &[444_337.0 / 155_925.0],
                ],
            ),
            d: polynomials(
                third_flattening,
                &[
                    &[2.0, -2.0 / 3.0, -2.0, 116.0 / 45.0, 26.0 / 45.0, -2854.0 / 675.0],
                    &[7.0 / 3.0, -8.0 / 5.0, -227.0 / 45.0, 2704.0 / 315.0, 2323.0 / 945.0],
                    &[56.0 / 15.0, -136.0 / 35.0, -1262.0 / 105.0, 73_814.0 / 2835.0],
                    &[4279.0 / 630.0, -332.0 / 35.0, -399_572.0 / 14_175.0],
                    &[4174.0 / 315.0, -144_838.0 / 6237.0],
                    &[601_676.0 / 22_275.0],
                ],
            ),
        }
    }

    /// The rectifying latitude μ: the distance along the meridian is [`rectifying_radius_m`] times μ.
    pub fn rectifying(third_flattening: f64) -> Self {
        AuxiliaryLatitude {
            c: polynomials(
                third_flattening,
                &[
                    &[-3.0 / 2.0, 0.0, 9.0 / 16.0, 0.0, -3.0 / 32.0],
                    &[15.0 / 16.0, 0.0, -15.0 / 32.0, 0.0, 135.0 / 2048.0],
                    &[-35.0 / 48.0, 0.0, 105.0 / 256.0],
                    &[315.0 / 512.0, 0.0, -189.0 / 512.0],
                    &[-693.0 / 1280.0],
                    &[1001.0 / 2048.0],
                ],
            ),
            d: polynomials(
                third_flattening,
                &[
                    &[3.0 / 2.0, 0.0, -27.0 / 32.0, 0.0, 269.0 / 512.0],
                    &[21.0 / 16.0, 0.0, -55.0 / 32.0, 0.0, 6759.0 / 4096.0],
                    &[151.0 / 96.0, 0.0, -417.0 / 128.0],
                    &[1097.0 / 512.0, 0.0, -15_543.0 / 2560.0],
                    &[8011.0 / 2560.0],
                    &[293_393.0 / 61_440.0],
                ],
            ),
        }
    }

    /// The authalic latitude β: sin β = q(φ)/q(90°), see [`authalic_q`].
    pub fn authalic(eccentricity_squared: f64) -> Self {
        const N: usize = 32;
        let e2 = eccentricity_squared;
        let pole = authalic_q(1.0, e2);
        let transform = |f: &dyn Fn(f64) -> f64| -> [f64; 6] {
            std::array::from_fn(|k| {
                let sum: f64 = (1..N)
                    .map(|j| {
                        let half = std::f64::consts::FRAC_PI_2 * j as f64 / N as f64;
                        f(half) * (2.0 * half * (k + 1) as f64).sin()
                    })
                    .sum();
                2.0 / N as f64 * sum
            })
        };
        let c = transform(&|phi: f64| (authalic_q(phi.sin(), e2) / pole).asin() - phi);
        let d = transform(&|beta: f64| {
            // The series is a contraction by a hundredth a round.
            let mut phi = beta;
            for _ in 0..10 {
                phi = beta - sine_sum(&c, (2.0 * phi).sin(), (2.0 * phi).cos());
            }
            phi - beta
        });
        AuxiliaryLatitude { c, d }
    }

    /// The auxiliary latitude (radians) of φ (radians), whose sine and cosine are given too.
    #[inline(always)]
    pub fn angle(&self, phi: f64, sin_phi: f64, cos_phi: f64) -> f64 {
        phi + sine_sum(&self.c, 2.0 * sin_phi * cos_phi, 1.0 - 2.0 * sin_phi * sin_phi)
    }

    /// Sine and cosine of the auxiliary latitude from sin φ and cos φ.
    #[inline(always)]
    pub fn sin_cos(&self, sin_phi: f64, cos_phi: f64) -> (f64, f64) {
        let shift = sine_sum(&self.c, 2.0 * sin_phi * cos_phi, 1.0 - 2.0 * sin_phi * sin_phi);
        // The shift is below 0.0034 rad: short series instead of another sine and cosine.
        let q = shift * shift;
        let (s, c) = (shift * (1.0 - q * (1.0 / 6.0 - q / 120.0)), 1.0 - q * (0.5 - q * (1.0 / 24.0 - q / 720.0)));
        (sin_phi * c + cos_phi * s, cos_phi * c - sin_phi * s)
    }

    /// φ (radians) from the auxiliary latitude ζ (radians) and its sine and cosine.
    #[inline(always)]
    pub fn geodetic(&self, zeta: f64, sin_zeta: f64, cos_zeta: f64) -> f64 {
        zeta + sine_sum(&self.d, 2.0 * sin_zeta * cos_zeta, 1.0 - 2.0 * sin_zeta * sin_zeta)
    }

    /// ζ(φ + Δ) − ζ(φ) (radians) with all its digits, however small Δ is.
    pub fn angle_difference(&self, phi: f64, delta: f64) -> f64 {
        difference(&self.c, phi, delta)
    }

    /// φ(ζ + Δ) − φ(ζ) (radians) with all its digits, however small Δ is.
    pub fn geodetic_difference(&self, zeta: f64, delta: f64) -> f64 {
        difference(&self.d, zeta, delta)
    }
}

/// Δ + Σ aₖ (sin 2k(a + Δ) − sin 2ka), each term as a product.
fn difference(coefficients: &[f64; 6], a: f64, delta: f64) -> f64 {
    let terms = coefficients.iter().zip(1u8..).map(|(c, k)| (c, f64::from(k)));
    delta + terms.map(|(c, k)| 2.0 * c * (k * (2.0 * a + delta)).cos() * (k * delta).sin()).sum::<f64>()
}

/// The radius whose circle is as long as the meridian, metres: half the axes' sum times a series in n.
pub fn rectifying_radius_m(ellipsoid: &Ellipsoid) -> f64 {
    let n = ellipsoid.third_flattening();
    let n2 = n * n;
    ellipsoid.semi_major_m / (1.0 + n) * (1.0 + n2 * (1.0 / 4.0 + n2 * (1.0 / 64.0 + n2 / 256.0)))
}

/// Radius of curvature in the meridian, ρ = a(1 − e²)/(1 − e² sin² φ)^(3/2), metres.
pub fn meridian_radius(ellipsoid: &Ellipsoid, sin_phi: f64) -> f64 {
    let e2 = ellipsoid.eccentricity_squared();
    let w = 1.0 - e2 * sin_phi * sin_phi;
    ellipsoid.semi_major_m * (1.0 - e2) / (w * w.sqrt())
}

/// Radius of curvature in the prime vertical, ν = a/√(1 − e² sin² φ), metres.
pub fn normal_radius(ellipsoid: &Ellipsoid, sin_phi: f64) -> f64 {
    ellipsoid.semi_major_m / (1.0 - ellipsoid.eccentricity_squared() * sin_phi * sin_phi).sqrt()
}

/// q = (1 − e²)[sin φ/(1 − e² sin² φ) + atanh(e sin φ)/e]: the area of a zone in units of a²λ/2
/// (Snyder, USGS Professional Paper 1395, equation 3-12).
#[inline(always)]
pub fn authalic_q(sin_phi: f64, e2: f64) -> f64 {
    let tail = if e2 == 0.0 { sin_phi } else { isometric_lag(sin_phi, e2) / e2 };
    (1.0 - e2) * (sin_phi / (1.0 - e2 * sin_phi * sin_phi) + tail)
}

/// sin χ and cos χ from the isometric latitude ψ: tanh ψ and sech ψ, from the exponential that does not overflow.
#[inline(always)]
pub fn conformal_of_isometric(psi: f64) -> (f64, f64) {
    let u = (-psi.abs()).exp();
    let over = 1.0 / (1.0 + u * u);
    (((1.0 - u * u) * over).copysign(psi), 2.0 * u * over)
}

/// ψ from sin χ and cos χ: exp(−|ψ|) = cos χ/(1 + |sin χ|), one logarithm and no cancellation at either pole.
#[inline(always)]
pub fn isometric_of_conformal(sin_chi: f64, cos_chi: f64) -> f64 {
    ((1.0 + sin_chi.abs()) / cos_chi).ln().copysign(sin_chi)
}

/// Σ aₖ sin 2kφ by Clenshaw's scheme, from sin 2φ and cos 2φ.
#[inline(always)]
fn sine_sum(a: &[f64; 6], sin2: f64, cos2: f64) -> f64 {
    let m = 2.0 * cos2;
    let (mut b, mut before) = (a[5], 0.0);
    for k in (0..5).rev() {
        (b, before) = (a[k] + m * b - before, b);
    }
    sin2 * b
}

/// Row k is a polynomial in n whose first power is n^(k+1).
pub(crate) fn polynomials(n: f64, rows: &[&[f64]; 6]) -> [f64; 6] {
    std::array::from_fn(|k| n.powi(k as i32 + 1) * rows[k].iter().rev().fold(0.0, |sum, c| sum * n + c))
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
        fn the_series_agree_with_the_closed_form(lat in -90.0_f64..90.0, rf in prop_oneof![Just(298.257_223_563), Just(293.465), Just(294.978_698), Just(299.324)]) {
            let f = 1.0 / rf;
            let (e2, n) = (f * (2.0 - f), f / (2.0 - f));
            let series = AuxiliaryLatitude::conformal(n);
            let (s, c) = lat.to_radians().sin_cos();
            let (sin_chi, cos_chi) = series.sin_cos(s, c);
            let tan = tan_conformal(s, c.max(1e-300), e2);
            prop_assert!((sin_chi.atan2(cos_chi) - tan.atan()).abs() < 4e-16, "{lat}");
            let chi = sin_chi.atan2(cos_chi);
            prop_assert!((series.geodetic(chi, sin_chi, cos_chi) - lat.to_radians()).abs() < 5e-16, "{lat}");
        }

        #[test]
        fn authalic_and_rectifying_latitudes(lat in -85.0_f64..85.0, rf in prop_oneof![Just(298.257_223_563), Just(293.465), Just(0.0)]) {
            let e = Ellipsoid::new("test", 6_378_137.0, rf);
            let e2 = e.eccentricity_squared();
            let (s, c) = lat.to_radians().sin_cos();
            let authalic = AuxiliaryLatitude::authalic(e2);
            let (sin_beta, cos_beta) = authalic.sin_cos(s, c);
            // Six units of the rounding of one; the closed form that it is compared with has some of them.
            prop_assert!((sin_beta - authalic_q(s, e2) / authalic_q(1.0, e2)).abs() < 7e-16, "{lat}");
            prop_assert!((authalic.geodetic(sin_beta.atan2(cos_beta), sin_beta, cos_beta) - lat.to_radians()).abs() < 1.4e-15, "six units in the last place");
            // The meridian arc by Gaussian quadrature of the radius of curvature, in four pieces.
            let rectifying = AuxiliaryLatitude::rectifying(e.third_flattening());
            let half = lat.to_radians() / 8.0;
            let arc: f64 = (0..4).flat_map(|i| crate::geodesic::area::GAUSS_16.iter().flat_map(move |(node, weight)| {
                let middle = half * f64::from(2 * i + 1);
                [middle - half * node, middle + half * node].map(|phi| (phi, weight))
            })).map(|(phi, weight)| weight * meridian_radius(&e, phi.sin())).sum::<f64>() * half;
            let mu = rectifying.angle(lat.to_radians(), s, c);
            // Ten units in the last place of ten thousand kilometres: the sum of 128 products has some of them itself.
            prop_assert!((rectifying_radius_m(&e) * mu - arc).abs() < 2e-8, "{lat}");
            prop_assert!((rectifying.geodetic(mu, mu.sin(), mu.cos()) - lat.to_radians()).abs() < 1.4e-15, "six units in the last place");
        }

        #[test]
        fn series_and_library_agree(s in -1.0_f64..1.0) {
            let e2 = 0.006_694_38;
            let e = f64::sqrt(e2);
            prop_assert!((isometric_lag(s, e2) - e * (e * s).atanh()).abs() < 1e-17);
        }
    }
}
