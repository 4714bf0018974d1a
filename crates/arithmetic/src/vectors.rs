//! The same arithmetic for more points at once: loops in the widest vector instructions that the processor has.

/// A loop that is a straight line of arithmetic and selections.
pub trait Loop {
    /// Runs it. This and all that it calls are to be `#[inline(always)]`, which closures cannot be: what is called for
    /// stays as it was compiled for every processor.
    fn run(self);
}

/// Runs a loop that is compiled for each width of vectors, in the one for this processor.
///
/// The results are the same to the bit in all of them: no product and sum are ever joined into one rounding.
///
/// ```
/// use basilocus_arithmetic::vectors::{Loop, widest};
///
/// struct Doubled<'a>(&'a mut [f64]);
///
/// impl Loop for Doubled<'_> {
///     #[inline(always)]
///     fn run(self) {
///         self.0.iter_mut().for_each(|v| *v *= 2.0);
///     }
/// }
///
/// let mut values = [1.0, 2.5, f64::INFINITY];
/// widest(Doubled(&mut values));
/// assert_eq!(values, [2.0, 5.0, f64::INFINITY]);
/// ```
#[inline(always)]
pub fn widest(work: impl Loop) {
    #[cfg(target_arch = "x86_64")]
    {
        if is_x86_feature_detected!("avx512f") && is_x86_feature_detected!("avx512dq") {
            // Sound: the function asks for nothing but these instructions, and the processor has just said that it has them.
            #[allow(unsafe_code)]
            return unsafe { in_512_bits(work) };
        }
        if is_x86_feature_detected!("avx2") {
            // Sound for the same reason.
            #[allow(unsafe_code)]
            return unsafe { in_256_bits(work) };
        }
    }
    work.run();
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512dq")]
fn in_512_bits(work: impl Loop) {
    work.run();
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn in_256_bits(work: impl Loop) {
    work.run();
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::trigonometry::{atan2, atanh, sin_cos, sinh_cosh};
    use proptest::prelude::*;

    /// Every function of this crate, and a sum of products that would tell a joined rounding.
    #[derive(Clone)]
    struct Everything(Vec<[f64; 8]>);

    struct All<'a>(&'a mut Everything);

    impl Loop for All<'_> {
        #[inline(always)]
        fn run(self) {
            for v in self.0.0.iter_mut() {
                let [x, y, ..] = *v;
                let ((sin, cos), (sinh, cosh)) = (sin_cos(4.0 * x), sinh_cosh(x));
                *v = [sin, cos, sinh, cosh, atan2(y, x), atanh(0.7 * x), x * y + x, (1.0 + x * x).sqrt() / y];
            }
        }
    }

    impl Everything {
        fn bits(&self) -> Vec<[u64; 8]> {
            self.0.iter().map(|v| v.map(f64::to_bits)).collect()
        }
    }

    proptest! {
        #[test]
        fn every_width_gives_the_same_bits(pairs in prop::collection::vec((-1.0f64..1.0, -1.0f64..1.0), 0..40)) {
            let start = Everything(pairs.iter().map(|(x, y)| [*x, *y, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0]).collect());
            let mut plain = start.clone();
            All(&mut plain).run();
            let mut wide = start.clone();
            widest(All(&mut wide));
            prop_assert_eq!(plain.bits(), wide.bits());
            #[cfg(target_arch = "x86_64")]
            if is_x86_feature_detected!("avx2") {
                let mut middle = start;
                #[allow(unsafe_code)]
                // Sound: the processor has just said that it has them.
                unsafe { in_256_bits(All(&mut middle)) };
                prop_assert_eq!(plain.bits(), middle.bits());
            }
        }
    }
}
