//! Elementary functions without branches, for kernels that run over columns.
//!
//! The library's functions are exact but calls: a loop over them handles one point at a time. These are straight
//! lines of arithmetic and selections, so that the compiler handles several points at once; measured on the
//! transverse Mercator kernels they halve the time. Polynomials are the minimax ones of the freely distributable
//! mathematics library of Sun Microsystems (1993); each function is compared with the standard library's in tests.

use std::f64::consts::{FRAC_2_PI, FRAC_PI_2, FRAC_PI_4, LN_2};

/// Adding and taking away 1.5·2⁵² rounds to a whole number; the low bits of the sum hold it.
const ROUNDER: f64 = 6_755_399_441_055_744.0;

/// Nearest whole number, for magnitudes below 2⁵¹.
#[inline(always)]
pub fn nearest(x: f64) -> f64 {
    (x + ROUNDER) - ROUNDER
}

/// Sine and cosine for arguments of a few turns at most. Within 1e-16 of the true values.
#[inline(always)]
pub fn sin_cos(x: f64) -> (f64, f64) {
    let shifted = x * FRAC_2_PI + ROUNDER;
    let quadrant = shifted.to_bits();
    let q = shifted - ROUNDER;
    // π/2 in two parts: the first has 33 bits, so that its product with a small whole number is exact.
    let r = (x - q * 1.570_796_326_734_125_6) - q * 6.077_100_506_506_192e-11;
    let z = r * r;
    let sin = r + r
        * z
        * (-1.666_666_666_666_663_2e-1
            + z * (8.333_333_333_322_49e-3
                + z * (-1.984_126_982_985_795e-4
                    + z * (2.755_731_370_707_006_8e-6
                        + z * (-2.505_076_025_340_686_3e-8 + z * 1.589_690_995_211_55e-10)))));
    let c = z
        * (4.166_666_666_666_66e-2
            + z * (-1.388_888_888_887_411e-3
                + z * (2.480_158_728_947_673e-5
                    + z * (-2.755_731_435_139_066_3e-7
                        + z * (2.087_572_321_298_175e-9 + z * -1.135_964_755_778_819_5e-11)))));
    let half = 0.5 * z;
    let w = 1.0 - half;
    let cos = w + (((1.0 - w) - half) + z * c);
    let odd = quadrant & 1 == 1;
    let (s, c) = (if odd { cos } else { sin }, if odd { sin } else { cos });
    // Signs by the quadrant's second bit, moved to the sign bit.
    let s_sign = (quadrant & 2) << 62;
    let c_sign = (quadrant.wrapping_add(1) & 2) << 62;
    (f64::from_bits(s.to_bits() ^ s_sign), f64::from_bits(c.to_bits() ^ c_sign))
}

/// The angle of (x, y) for x ≥ 0, in −π/2…π/2; 0 where both are 0.
#[inline(always)]
pub fn atan2_right(y: f64, x: f64) -> f64 {
    let a = y.abs();
    let steep = a > x;
    let (low, high) = (if steep { x } else { a }, if steep { a } else { x });
    let high = if high > 0.0 { high } else { 1.0 };
    // Beyond tan π/8 the angle is taken from π/4.
    let far = low > high * 0.414_213_562_373_095_03;
    let t = (if far { low - high } else { low }) / (if far { low + high } else { high });
    let z = t * t;
    let w = z * z;
    let s1 = z
        * (3.333_333_333_333_293e-1
            + w * (1.428_571_427_250_346_6e-1
                + w * (9.090_887_133_436_507e-2
                    + w * (6.661_073_137_387_531e-2
                        + w * (4.976_877_994_615_932_4e-2 + w * 1.628_582_011_536_578_2e-2)))));
    let s2 = w
        * (-1.999_999_999_987_648_3e-1
            + w * (-1.111_111_040_546_235_6e-1
                + w * (-7.691_876_205_044_83e-2 + w * (-5.833_570_133_790_573e-2 + w * -3.653_157_274_421_691_6e-2))));
    let angle = (if far { FRAC_PI_4 } else { 0.0 }) + (t - t * (s1 + s2));
    let angle = if steep { FRAC_PI_2 - angle } else { angle };
    f64::from_bits(angle.to_bits() | (y.to_bits() & (1 << 63)))
}

/// The angle of (x, y), in −π…π; 0 where both are 0.
#[inline(always)]
pub fn atan2(y: f64, x: f64) -> f64 {
    let right = atan2_right(y, x.abs());
    let left = f64::from_bits(std::f64::consts::PI.to_bits() | (y.to_bits() & (1 << 63))) - right;
    if x < 0.0 { left } else { right }
}

/// Inverse hyperbolic tangent for |u| ≤ 0.77.
#[inline(always)]
pub fn atanh(u: f64) -> f64 {
    let a = u.abs();
    // atanh u = k·ln(2)/2 + atanh of the rest, with tanh(k·ln(2)/2) = 0, 1/3, 3/5, 7/9.
    let (base, tanh_base) = if a > 0.699_423 {
        (1.5 * LN_2, 7.0 / 9.0)
    } else if a > 0.477_593 {
        (LN_2, 0.6)
    } else if a > 0.171_573 {
        (0.5 * LN_2, 1.0 / 3.0)
    } else {
        (0.0, 0.0)
    };
    let s = (a - tanh_base) / (1.0 - a * tanh_base);
    let z = s * s;
    let r = z
        * (6.666_666_666_666_735e-1
            + z * (3.999_999_999_940_942e-1
                + z * (2.857_142_874_366_239e-1
                    + z * (2.222_219_843_214_978_4e-1
                        + z * (1.818_357_216_161_805e-1
                            + z * (1.531_383_769_920_937_3e-1 + z * 1.479_819_860_511_658_6e-1))))));
    let value = base + (s + 0.5 * s * r);
    f64::from_bits(value.to_bits() | (u.to_bits() & (1 << 63)))
}

/// Hyperbolic sine and cosine for |x| ≤ 1.2: series at a quarter, doubled twice.
#[inline(always)]
pub fn sinh_cosh(x: f64) -> (f64, f64) {
    let a = 0.25 * x;
    let q = a * a;
    let s =
        a * (1.0 + q * (1.0 / 6.0 + q * (1.0 / 120.0 + q * (1.0 / 5040.0 + q * (1.0 / 362_880.0 + q / 39_916_800.0)))));
    let c = 1.0
        + q * (0.5
            + q * (1.0 / 24.0
                + q * (1.0 / 720.0 + q * (1.0 / 40_320.0 + q * (1.0 / 3_628_800.0 + q / 479_001_600.0)))));
    let (s, c) = (2.0 * s * c, 1.0 + 2.0 * s * s);
    (2.0 * s * c, 1.0 + 2.0 * s * s)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(5000))]
        #[test]
        fn as_good_as_the_standard_library(x in -4.0_f64..4.0, y in -1.0_f64..1.0, r in 0.0_f64..1.0, u in -0.766_f64..0.766, h in -1.2_f64..1.2) {
            let (s, c) = sin_cos(x);
            prop_assert!((s - x.sin()).abs() <= 1.2e-16 && (c - x.cos()).abs() <= 1.2e-16, "{x}");
            prop_assert!((atan2_right(y, r) - y.atan2(r)).abs() <= 2.3e-16, "{y} {r}");
            prop_assert!((atan2(y, x) - y.atan2(x)).abs() <= 6e-16, "{y} {x}");
            // The library loses digits for negative arguments, where it takes the logarithm near zero.
            let wanted = u.abs().atanh().copysign(u);
            prop_assert!((atanh(u) - wanted).abs() <= 6e-16 * wanted.abs().max(0.1), "{u}");
            let (s, c) = sinh_cosh(h);
            // Four units in the last place: two doublings.
            prop_assert!((s - h.sinh()).abs() <= 9e-16 * h.sinh().abs(), "{h}");
            prop_assert!((c - h.cosh()).abs() <= 9e-16 * h.cosh(), "{h}");
        }
    }

    #[test]
    fn edges() {
        assert_eq!(sin_cos(0.0), (0.0, 1.0));
        assert_eq!(atan2_right(0.0, 0.0), 0.0);
        assert_eq!(atan2_right(1.0, 0.0), FRAC_PI_2);
        assert_eq!(atan2_right(-1.0, 0.0), -FRAC_PI_2);
        assert_eq!(atan2_right(1.0, 1.0), FRAC_PI_4);
        assert!(sin_cos(f64::NAN).0.is_nan() && atan2_right(f64::NAN, 1.0).is_nan() && atanh(f64::NAN).is_nan());
        assert_eq!(nearest(0.5), 0.0);
        assert_eq!(nearest(-1.4), -1.0);
    }
}
