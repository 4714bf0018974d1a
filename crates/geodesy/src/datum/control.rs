//! How far the control pairs of a fit carry, and how its error grows beyond them.
//!
//! A coordinate that a least-squares fit gives has the variance σ² (1 + h): σ² is the pairs' own, and the leverage
//! h = bᵀ (Σ b bᵀ)⁻¹ b of the position says how far it is from them, b being the terms of the transformation there.

use super::fit::{ControlPair, FitKind};

/// The control pairs of a fit, as what can be told of other positions by them.
///
/// ```
/// use basilocus_geodesy::datum::control::Control;
/// use basilocus_geodesy::datum::fit::{ControlPair, FitKind};
/// let pair = |x: f64, y: f64| ControlPair { from: [x, y, 0.0], to: [x + 7.0, y + 9.0, 0.0] };
/// let corners = [pair(0.0, 0.0), pair(1000.0, 0.0), pair(0.0, 1000.0), pair(1000.0, 1000.0)];
/// let control = Control::of(&corners, FitKind::Affine).unwrap();
/// assert!(!control.is_far(1200.0, 500.0) && control.is_far(900_000.0, 500.0));
/// assert_eq!(control.growth(500.0, 500.0), 1.0);
/// assert!(control.growth(900_000.0, 500.0) > 600.0);
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Control {
    low: [f64; 2],
    high: [f64; 2],
    origin: [f64; 2],
    unit: f64,
    kind: FitKind,
    /// (Σ b bᵀ)⁻¹.
    cofactors: Vec<Vec<f64>>,
    /// The largest leverage of a pair.
    most: f64,
}

impl Control {
    /// What the pairs of a fit carry, in the plane of their old coordinates; `None` where there are too few, or they
    /// leave the transformation undetermined.
    pub fn of(pairs: &[ControlPair], kind: FitKind) -> Option<Self> {
        if pairs.len() < kind.pairs_needed() || pairs.iter().any(|p| !(p.from[0].is_finite() && p.from[1].is_finite()))
        {
            return None;
        }
        let limit = |f: fn(f64, f64) -> f64, axis: usize| pairs.iter().map(|p| p.from[axis]).reduce(f).unwrap_or(0.0);
        let (low, high) = ([0, 1].map(|a| limit(f64::min, a)), [0, 1].map(|a| limit(f64::max, a)));
        let mean = |axis: usize| pairs.iter().map(|p| p.from[axis]).sum::<f64>() / pairs.len() as f64;
        let longer = (high[0] - low[0]).max(high[1] - low[1]);
        let mut control = Control {
            low,
            high,
            origin: [mean(0), mean(1)],
            unit: if longer > 0.0 { longer / 2.0 } else { 1.0 },
            kind,
            cofactors: Vec::new(),
            most: 0.0,
        };
        let size = control.terms(0.0, 0.0)[0].len();
        let mut normal = vec![vec![0.0; size]; size];
        for pair in pairs {
            for b in control.terms(pair.from[0], pair.from[1]) {
                for (row, first) in normal.iter_mut().zip(&b) {
                    row.iter_mut().zip(&b).for_each(|(cell, second)| *cell += first * second);
                }
            }
        }
        control.cofactors = inverse(normal)?;
        control.most = pairs.iter().map(|p| control.leverage(p.from[0], p.from[1])).fold(0.0, f64::max);
        Some(control)
    }

    /// The terms of the transformation at a position, one list for each coordinate that shares its parameters.
    fn terms(&self, x: f64, y: f64) -> Vec<Vec<f64>> {
        let (u, v) = ((x - self.origin[0]) / self.unit, (y - self.origin[1]) / self.unit);
        match self.kind {
            FitKind::Translation | FitKind::Translation3d => vec![vec![1.0]],
            // Turn and scale are shared by both coordinates; in space they act on the horizontal in the same way.
            FitKind::Conformal | FitKind::Similarity3d => vec![vec![1.0, 0.0, u, -v], vec![0.0, 1.0, v, u]],
            FitKind::Affine => vec![vec![1.0, u, v]],
            FitKind::Polynomial => vec![vec![1.0, u, v, u * u, u * v, v * v]],
        }
    }

    fn leverage(&self, x: f64, y: f64) -> f64 {
        let of = |b: &Vec<f64>| -> f64 {
            let row = |r: &Vec<f64>| -> f64 { r.iter().zip(b).map(|(c, b)| c * b).sum() };
            self.cofactors.iter().zip(b).map(|(r, b)| row(r) * b).sum()
        };
        self.terms(x, y).iter().map(of).fold(0.0, f64::max)
    }

    /// How many times the error at the worst pair is to be expected at a position given in old coordinates; 1 and more.
    pub fn growth(&self, x: f64, y: f64) -> f64 {
        ((1.0 + self.leverage(x, y)) / (1.0 + self.most)).sqrt().max(1.0)
    }

    /// Distance from the rectangle of the pairs, in units of the old coordinates; 0 inside.
    pub fn distance(&self, x: f64, y: f64) -> f64 {
        let beyond = |v: f64, axis: usize| (self.low[axis] - v).max(v - self.high[axis]).max(0.0);
        beyond(x, 0).hypot(beyond(y, 1))
    }

    /// Whether a position is farther from the rectangle of the pairs than half of its longer side.
    pub fn is_far(&self, x: f64, y: f64) -> bool {
        self.distance(x, y) > self.unit
    }
}

/// The inverse of a symmetric matrix by elimination with the largest pivot; `None` where it has none.
fn inverse(mut a: Vec<Vec<f64>>) -> Option<Vec<Vec<f64>>> {
    let n = a.len();
    for (i, row) in a.iter_mut().enumerate() {
        row.extend((0..n).map(|j| f64::from(u8::from(i == j))));
    }
    for k in 0..n {
        let pivot = (k..n).max_by(|i, j| a[*i][k].abs().total_cmp(&a[*j][k].abs()))?;
        a.swap(k, pivot);
        let head = a[k][k];
        if head.abs() < 1e-12 {
            return None;
        }
        a[k].iter_mut().for_each(|v| *v /= head);
        let row = a[k].clone();
        for (_, other) in a.iter_mut().enumerate().filter(|(i, _)| *i != k) {
            let factor = other[k];
            other.iter_mut().zip(&row).for_each(|(v, r)| *v -= factor * r);
        }
    }
    Some(a.into_iter().map(|row| row[n..].to_vec()).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::datum::fit::fit;

    fn noise(seed: &mut u64) -> f64 {
        // The sum of twelve uniform numbers, less six, has variance one.
        (0..12)
            .map(|_| {
                *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                (*seed >> 11) as f64 / (1u64 << 53) as f64
            })
            .sum::<f64>()
            - 6.0
    }

    /// The formula against what happens: pairs with errors of known size, fitted a thousand times.
    #[test]
    fn the_error_grows_as_fits_to_noisy_pairs_show() {
        let spots = [(0.0, 0.0), (900.0, 40.0), (850.0, 1000.0), (60.0, 930.0), (480.0, 510.0), (300.0, 200.0)];
        let at = [(450.0, 500.0), (3000.0, 500.0), (20_000.0, -15_000.0)];
        let mut seed = 14;
        for kind in [FitKind::Translation, FitKind::Conformal, FitKind::Affine, FitKind::Polynomial] {
            let pairs = |seed: &mut u64, sigma: f64| -> Vec<ControlPair> {
                spots
                    .iter()
                    .map(|(x, y)| {
                        let (x, y) = (*x, *y);
                        let to = [x + 5000.0 + sigma * noise(seed), y + 7000.0 + sigma * noise(seed), 0.0];
                        ControlPair { from: [x, y, 0.0], to }
                    })
                    .collect()
            };
            let control = Control::of(&pairs(&mut seed, 0.0), kind).unwrap();
            for (x, y) in at {
                let tries = 1500;
                let mut squares = 0.0;
                for _ in 0..tries {
                    let found = fit(&pairs(&mut seed, 0.01), kind).unwrap();
                    let [a, _, _] = found.local.forward([x, y, 0.0]);
                    squares += ((a - x - 5000.0) / 0.01).powi(2);
                }
                let (seen, expected) = ((squares / f64::from(tries)).sqrt(), control.leverage(x, y).sqrt());
                assert!((seen / expected - 1.0).abs() < 0.08, "{kind:?} at {x}, {y}: {seen} for {expected}");
            }
        }
    }

    #[test]
    fn what_is_inside_or_near_is_not_far_and_pairs_on_a_line_carry_nothing() {
        let pair = |x: f64, y: f64| ControlPair { from: [x, y, 0.0], to: [x, y, 0.0] };
        let pairs = [pair(0.0, 0.0), pair(100.0, 0.0), pair(100.0, 60.0), pair(0.0, 60.0)];
        for kind in [FitKind::Translation, FitKind::Conformal, FitKind::Affine] {
            let control = Control::of(&pairs, kind).unwrap();
            assert_eq!(control.growth(50.0, 30.0), 1.0);
            assert_eq!(control.distance(50.0, 30.0), 0.0);
            assert_eq!(control.distance(130.0, 100.0), 50.0);
            assert!(!control.is_far(130.0, 100.0) && control.is_far(130.1, 100.0));
        }
        let line = [pair(0.0, 0.0), pair(50.0, 50.0), pair(90.0, 90.0)];
        assert_eq!(Control::of(&line, FitKind::Affine), None);
        assert_eq!(Control::of(&pairs[..2], FitKind::Affine), None);
    }
}
