//! The integrals along a geodesic, as Fourier series of the arc on the auxiliary sphere.
//!
//! With the arc σ counted from where the great circle crosses the equator northwards, and r = √(1 + k² sin²σ),
//! k = e′ cos α₀ (Bessel 1825, Helmert 1880):
//!
//! | integral | of | gives |
//! |---|---|---|
//! | length | r | the distance, in semi-minor axes |
//! | longitude | (2 − f)/(1 + (1 − f)·r) | by how much longitudes on the ellipsoid fall behind those on the sphere |
//! | spread | (r² − 1)/r | the reduced length |
//!
//! All three integrands are even, smooth functions of 2σ whose harmonics fall off as (k²/4)ᵐ. So seven samples at equal
//! distances determine them to machine precision: a discrete cosine transform turns the samples into harmonics, and these
//! are integrated term by term. It takes seven square roots where tables of coefficients would take a polynomial in two
//! variables, and it holds for any flattening up to twice that of the Earth. The tests hold it to Gaussian quadrature.

use std::f64::consts::FRAC_PI_2;

/// Intervals between the samples of half a period.
const INTERVALS: usize = 6;
/// Samples, and harmonics from the constant on.
const HARMONICS: usize = INTERVALS + 1;

/// √3/2, the cosine of 30°.
const COS_30: f64 = 0.866_025_403_784_438_6;
/// Cosines of the multiples of 30°.
const COSINES: [f64; 12] = [1.0, COS_30, 0.5, 0.0, -0.5, -COS_30, -1.0, -COS_30, -0.5, 0.0, 0.5, COS_30];
/// Squared sines of σ = 0°, 15° … 90°: (1 − cos 2σ)/2.
const SAMPLES: [f64; HARMONICS] = [0.0, (1.0 - COS_30) / 2.0, 0.25, 0.5, 0.75, (1.0 + COS_30) / 2.0, 1.0];

/// An integrand as Σ cₘ cos 2mσ.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Series([f64; HARMONICS]);

impl Series {
    /// From the values at the samples.
    fn of(values: [f64; HARMONICS]) -> Self {
        let ends =
            |m: usize| (values[0] + if m.is_multiple_of(2) { values[INTERVALS] } else { -values[INTERVALS] }) / 2.0;
        let mut harmonics = [0.0; HARMONICS];
        for (m, slot) in harmonics.iter_mut().enumerate() {
            let inner: f64 = (1..INTERVALS).map(|j| values[j] * COSINES[m * j % 12]).sum();
            *slot = (ends(m) + inner) * 2.0 / INTERVALS as f64;
        }
        harmonics[0] /= 2.0;
        harmonics[INTERVALS] /= 2.0;
        Series(harmonics)
    }

    /// The integral from an arc over a further one, both in radians. Short arcs lose no digits: sines are not subtracted,
    /// sin 2mσ₂ − sin 2mσ₁ = 2 sin m(σ₂ − σ₁) cos m(σ₂ + σ₁).
    pub(super) fn over(&self, from: f64, arc: f64) -> f64 {
        let (sin_arc, cos_arc) = arc.sin_cos();
        let (sin_sum, cos_sum) = (2.0 * from + arc).sin_cos();
        let (mut s, mut c) = (sin_arc, cos_arc);
        let (mut u, mut v) = (sin_sum, cos_sum);
        let mut sum = self.0[0] * arc;
        for (m, harmonic) in self.0.iter().enumerate().skip(1) {
            sum += harmonic / m as f64 * s * v;
            (s, c) = (s * cos_arc + c * sin_arc, c * cos_arc - s * sin_arc);
            (u, v) = (u * cos_sum + v * sin_sum, v * cos_sum - u * sin_sum);
        }
        sum
    }

    /// The mean of the integrand.
    pub(super) fn mean(&self) -> f64 {
        self.0[0]
    }
}

/// The values of r at the samples, for a great circle with k².
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Samples([f64; HARMONICS]);

impl Samples {
    pub(super) fn new(k2: f64) -> Self {
        Samples(SAMPLES.map(|sin2| (1.0 + k2 * sin2).sqrt()))
    }

    /// The integrand of the length.
    pub(super) fn length(&self) -> Series {
        Series::of(self.0)
    }

    /// The integrand of the longitude.
    pub(super) fn longitude(&self, flattening: f64) -> Series {
        Series::of(self.0.map(|r| (2.0 - flattening) / (1.0 + (1.0 - flattening) * r)))
    }

    /// The integrand of the reduced length.
    pub(super) fn spread(&self) -> Series {
        Series::of(self.0.map(|r| (r - 1.0) * (r + 1.0) / r))
    }
}

/// An angle in radians from its sine and cosine, exact at multiples of a right angle.
pub(super) fn angle(sin: f64, cos: f64) -> f64 {
    if cos == 0.0 && sin != 0.0 { FRAC_PI_2.copysign(sin) } else { sin.atan2(cos) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geodesic::area::GAUSS_16;

    /// The slow twin: Gaussian quadrature of the integrand itself, in pieces.
    fn quadrature(f: impl Fn(f64) -> f64, from: f64, arc: f64) -> f64 {
        let pieces = 8;
        let width = arc / f64::from(pieces);
        (0..pieces)
            .map(|i| {
                let (middle, half) = (from + width * (f64::from(i) + 0.5), width / 2.0);
                let both = |node: f64| f(middle - half * node) + f(middle + half * node);
                half * GAUSS_16.iter().map(|(node, weight)| weight * both(*node)).sum::<f64>()
            })
            .sum()
    }

    #[test]
    fn harmonics_integrate_as_quadrature_does() {
        // From a sphere to a flattening twice that of the Earth.
        for rf in [f64::INFINITY, 298.257_223_563, 150.0] {
            let f = 1.0 / rf;
            let second = f * (2.0 - f) / ((1.0 - f) * (1.0 - f));
            for share in [0.0, 0.1, 0.5, 1.0] {
                let k2 = second * share;
                let r = |s: f64| (1.0 + k2 * s.sin().powi(2)).sqrt();
                let samples = Samples::new(k2);
                for (from, arc) in [(-3.0, 6.0), (0.3, 1e-7), (-1.2, 2.9), (2.0, -1.5), (0.0, std::f64::consts::PI)] {
                    let near = |a: f64, b: f64| {
                        // A quadrature of millions of metres is worth a nanometre.
                        assert!((a - b).abs() <= 2e-15 * b.abs().max(arc.abs()), "{rf} {k2} {from} {arc}: {a} {b}");
                    };
                    near(samples.length().over(from, arc), quadrature(r, from, arc));
                    let behind = |s: f64| (2.0 - f) / (1.0 + (1.0 - f) * r(s));
                    near(samples.longitude(f).over(from, arc), quadrature(behind, from, arc));
                    let spread = |s: f64| k2 * s.sin().powi(2) / r(s);
                    near(samples.spread().over(from, arc), quadrature(spread, from, arc));
                }
            }
        }
    }
}
