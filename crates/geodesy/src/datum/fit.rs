//! Local transformations from control pairs, by least squares.
//!
//! | kind | parameters | pairs needed |
//! |---|---|---|
//! | [`FitKind::Translation`] | 2 | 1 |
//! | [`FitKind::Conformal`] | 4: shift, turn, one scale | 2 |
//! | [`FitKind::Affine`] | 6 | 3, not on a line |
//! | [`FitKind::Polynomial`] | 12, second order | 6, not on a conic |
//! | [`FitKind::Translation3d`] | 3 | 1 |
//! | [`FitKind::Similarity3d`] | 7: Helmert | 3, not on a line |
//!
//! Solved by Householder reflections on coordinates that are centred and scaled, so that large false origins cost
//! no digits. Every pair is also left out once and predicted by the others: that is what the transformation is
//! worth at a new point.

use super::{Helmert, RotationConvention, molodensky_badekas};
use crate::names::{self, UnknownName};
use std::fmt::{self, Display, Formatter};
use std::str::FromStr;

/// What is fitted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum FitKind {
    /// A shift in the plane.
    Translation,
    /// Shift, turn and one scale in the plane.
    #[default]
    Conformal,
    /// Any linear map of the plane.
    Affine,
    /// A map of the plane of second order.
    Polynomial,
    /// A shift in space.
    Translation3d,
    /// Shift, turns and scale in space.
    Similarity3d,
}

/// The kinds with their names, for messages and options.
pub const KINDS: &[(FitKind, &str)] = &[
    (FitKind::Translation, "translation"),
    (FitKind::Conformal, "conformal"),
    (FitKind::Affine, "affine"),
    (FitKind::Polynomial, "polynomial"),
    (FitKind::Translation3d, "translation-3d"),
    (FitKind::Similarity3d, "similarity-3d"),
];

impl FromStr for FitKind {
    type Err = UnknownName;

    fn from_str(name: &str) -> Result<Self, UnknownName> {
        names::find(KINDS, "kind of fit", name)
    }
}

impl Display for FitKind {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FitKind {
    /// The name used in options and files.
    pub fn name(self) -> &'static str {
        KINDS.iter().find(|(k, _)| *k == self).map_or("", |(_, n)| n)
    }

    /// Whether it is in space.
    pub fn is_3d(self) -> bool {
        matches!(self, FitKind::Translation3d | FitKind::Similarity3d)
    }

    /// Fewest pairs that determine it.
    pub fn pairs_needed(self) -> usize {
        match self {
            FitKind::Translation | FitKind::Translation3d => 1,
            FitKind::Conformal => 2,
            FitKind::Affine | FitKind::Similarity3d => 3,
            FitKind::Polynomial => 6,
        }
    }

    fn parameters(self) -> usize {
        match self {
            FitKind::Translation => 2,
            FitKind::Translation3d => 3,
            FitKind::Conformal => 4,
            FitKind::Affine => 6,
            FitKind::Similarity3d => 7,
            FitKind::Polynomial => 12,
        }
    }
}

/// The same spot in two systems: x, y and z (0 in the plane) of each.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ControlPair {
    /// In the old system.
    pub from: [f64; 3],
    /// In the new one.
    pub to: [f64; 3],
}

/// A map of the plane: x′ and y′ are polynomials in u = (x − x₀)/s and v = (y − y₀)/s.
#[derive(Debug, Clone, PartialEq)]
pub struct PlaneTransformation {
    /// x₀ and y₀.
    pub origin: [f64; 2],
    /// s
    pub unit: f64,
    /// Coefficients of 1, u, v (and u², uv, v²) for x′.
    pub x: Vec<f64>,
    /// The same for y′.
    pub y: Vec<f64>,
}

/// A fitted transformation.
#[derive(Debug, Clone, PartialEq)]
pub enum Local {
    /// Between plane coordinates.
    Plane(PlaneTransformation),
    /// Between geocentric coordinates.
    Space(Helmert),
}

/// A transformation with what the pairs say about it.
#[derive(Debug, Clone, PartialEq)]
pub struct Fit {
    /// What was fitted.
    pub kind: FitKind,
    /// The transformation.
    pub local: Local,
    /// Fitted minus given, for each pair.
    pub residuals: Vec<[f64; 3]>,
    /// The miss at each pair when it is left out; `None` where the others do not determine the transformation.
    pub left_out: Vec<Option<f64>>,
    /// Root of the sum of squares over the redundancy; `None` without redundancy.
    pub standard_error: Option<f64>,
    /// The pair that disagrees with all others, if one does: without it the standard error falls below 0.4 of what it is.
    pub outlier: Option<usize>,
}

/// Why nothing was fitted.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum FitError {
    /// Fewer pairs than parameters need.
    #[error("{given} control pairs; {kind} needs at least {needed}")]
    TooFew {
        /// The kind's name.
        kind: &'static str,
        /// Pairs given.
        given: usize,
        /// Pairs needed.
        needed: usize,
    },
    /// The pairs leave parameters undetermined.
    #[error(
        "the control pairs lie on one line (or in one spot), which leaves {kind} undetermined; add pairs beside it"
    )]
    Collinear {
        /// The kind's name.
        kind: &'static str,
    },
    /// One pair is written in another unit.
    #[error("control pair {} seems to be in another unit than the others: its {side} coordinates are {factor:.4} times what theirs suggest", .pair + 1)]
    MixedUnits {
        /// Index of the pair.
        pair: usize,
        /// `old` or `new`.
        side: &'static str,
        /// Ratio found.
        factor: f64,
    },
    /// A coordinate is not a number.
    #[error("control pair {} has a coordinate that is not a number", .0 + 1)]
    NotANumber(usize),
}

impl PlaneTransformation {
    fn basis(&self, x: f64, y: f64) -> [f64; 6] {
        let (u, v) = ((x - self.origin[0]) / self.unit, (y - self.origin[1]) / self.unit);
        [1.0, u, v, u * u, u * v, v * v]
    }

    /// Old to new.
    pub fn forward(&self, x: f64, y: f64) -> (f64, f64) {
        let b = self.basis(x, y);
        let sum = |c: &[f64]| c.iter().zip(b).map(|(c, b)| c * b).sum();
        (sum(&self.x), sum(&self.y))
    }

    /// New to old, by Newton's method; NaN where it does not settle.
    pub fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (mut a, mut b) = (self.origin[0], self.origin[1]);
        let mut last = f64::INFINITY;
        for _ in 0..50 {
            let (fx, fy) = self.forward(a, b);
            let (u, v) = ((a - self.origin[0]) / self.unit, (b - self.origin[1]) / self.unit);
            let slope = |c: &[f64]| {
                let at = |i: usize| c.get(i).copied().unwrap_or(0.0);
                [(at(1) + 2.0 * at(3) * u + at(4) * v) / self.unit, (at(2) + at(4) * u + 2.0 * at(5) * v) / self.unit]
            };
            let ([p, q], [r, s]) = (slope(&self.x), slope(&self.y));
            let det = p * s - q * r;
            let (dx, dy) = (x - fx, y - fy);
            let (da, db) = ((dx * s - dy * q) / det, (dy * p - dx * r) / det);
            (a, b) = (a + da, b + db);
            let step = da.hypot(db);
            // Steps shrink until only the rounding of large coordinates moves them; how large that is depends on the
            // coordinates of the new system, so the end is where a small step shrinks no further.
            if step == 0.0 || step < 1e-8 * self.unit && step > 0.5 * last {
                return (a, b);
            }
            last = step;
        }
        (f64::NAN, f64::NAN)
    }
}

impl Local {
    /// Old to new.
    pub fn forward(&self, p: [f64; 3]) -> [f64; 3] {
        match self {
            Local::Plane(t) => {
                let (x, y) = t.forward(p[0], p[1]);
                [x, y, p[2]]
            }
            Local::Space(h) => {
                let [mut x, mut y, mut z] = p.map(|v| [v]);
                h.forward_batch(&mut x, &mut y, &mut z);
                [x[0], y[0], z[0]]
            }
        }
    }
}

/// Fits a transformation to control pairs.
///
/// # Errors
/// [`FitError`]: too few pairs, pairs on a line, a pair in another unit, a coordinate that is no number.
///
/// ```
/// use basilocus_geodesy::datum::fit::{ControlPair, FitKind, fit};
/// let pair = |x: f64, y: f64| ControlPair { from: [x, y, 0.0], to: [1000.0 + x - y, 500.0 + x + y, 0.0] };
/// let f = fit(&[pair(0.0, 0.0), pair(100.0, 0.0), pair(0.0, 100.0)], FitKind::Conformal).unwrap();
/// assert!(f.standard_error.unwrap() < 1e-9);
/// let p = f.local.forward([50.0, 50.0, 0.0]);
/// assert!((p[0] - 1000.0).abs() < 1e-9 && (p[1] - 600.0).abs() < 1e-9);
/// ```
pub fn fit(pairs: &[ControlPair], kind: FitKind) -> Result<Fit, FitError> {
    if let Some(i) = pairs.iter().position(|p| p.from.iter().chain(&p.to).any(|v| !v.is_finite())) {
        return Err(FitError::NotANumber(i));
    }
    if pairs.len() < kind.pairs_needed() {
        return Err(FitError::TooFew { kind: kind.name(), given: pairs.len(), needed: kind.pairs_needed() });
    }
    mixed_units(pairs)?;
    let local = solve(pairs, kind).ok_or(FitError::Collinear { kind: kind.name() })?;
    let residuals: Vec<[f64; 3]> = pairs.iter().map(|p| residual(&local, p, kind)).collect();
    let overall = standard_error(&residuals, kind);
    let resolution = resolution(pairs, kind);
    let mut left_out = Vec::with_capacity(pairs.len());
    let mut outlier = None;
    for i in 0..pairs.len() {
        let others: Vec<ControlPair> = pairs.iter().enumerate().filter(|(j, _)| *j != i).map(|(_, p)| *p).collect();
        let without = (others.len() >= kind.pairs_needed()).then(|| solve(&others, kind)).flatten();
        left_out.push(without.as_ref().map(|l| length(residual(l, &pairs[i], kind))));
        let rest = without
            .and_then(|l| standard_error(&others.iter().map(|p| residual(&l, p, kind)).collect::<Vec<_>>(), kind));
        if let (Some(all), Some(rest)) = (overall, rest)
            && rest < 0.4 * all
            // What the digits of the coordinates cannot show is no mistake of anybody's.
            && left_out[i].is_some_and(|miss| miss > 3.0 * resolution)
            && outlier.is_none_or(|(_, best)| rest < best)
        {
            outlier = Some((i, rest));
        }
    }
    Ok(Fit { kind, local, residuals, left_out, standard_error: overall, outlier: outlier.map(|(i, _)| i) })
}

/// One unit of the last digit that the coordinates are written with, in the new system; the coarser of both sides.
fn resolution(pairs: &[ControlPair], kind: FitKind) -> f64 {
    let dimensions = if kind.is_3d() { 3 } else { 2 };
    let last_digit = |side: fn(&ControlPair) -> [f64; 3]| {
        let decimals = |v: f64| {
            (0..9)
                .find(|d| {
                    let p = 10f64.powi(*d);
                    ((v * p).round() / p - v).abs() < 1e-9
                })
                .unwrap_or(9)
        };
        let most = pairs.iter().flat_map(|p| side(p)[..dimensions].to_vec()).map(decimals).max().unwrap_or(9);
        10f64.powi(-most)
    };
    let spread = |side: fn(&ControlPair) -> [f64; 3]| {
        let range = |i: usize| {
            let values = || pairs.iter().map(move |p| side(p)[i]);
            values().fold(f64::NEG_INFINITY, f64::max) - values().fold(f64::INFINITY, f64::min)
        };
        (0..dimensions).map(range).fold(0.0, f64::max)
    };
    let (old, new) = (spread(|p| p.from), spread(|p| p.to));
    let scale = if old > 0.0 { new / old } else { 1.0 };
    (last_digit(|p| p.from) * scale).max(last_digit(|p| p.to))
}

fn length(r: [f64; 3]) -> f64 {
    r[0].hypot(r[1]).hypot(r[2])
}

fn residual(local: &Local, p: &ControlPair, kind: FitKind) -> [f64; 3] {
    let got = local.forward(p.from);
    let mut r: [f64; 3] = std::array::from_fn(|i| got[i] - p.to[i]);
    if !kind.is_3d() {
        r[2] = 0.0;
    }
    r
}

fn standard_error(residuals: &[[f64; 3]], kind: FitKind) -> Option<f64> {
    let observations = residuals.len() * if kind.is_3d() { 3 } else { 2 };
    let redundancy = observations.checked_sub(kind.parameters()).filter(|r| *r > 0)?;
    let sum: f64 = residuals.iter().flatten().map(|r| r * r).sum();
    Some((sum / redundancy as f64).sqrt())
}

/// Refuses a pair whose coordinates are those of the others times a factor between units of length.
fn mixed_units(pairs: &[ControlPair]) -> Result<(), FitError> {
    const FACTORS: [f64; 4] = [0.3048, 1.0 / 0.3048, 0.001, 1000.0];
    if pairs.len() < 3 {
        return Ok(());
    }
    for (side, get) in [("old", (|p: &ControlPair| p.from) as fn(&ControlPair) -> [f64; 3]), ("new", |p| p.to)] {
        let median = |axis: usize| {
            let mut v: Vec<f64> = pairs.iter().map(|p| get(p)[axis]).collect();
            v.sort_by(f64::total_cmp);
            v[v.len() / 2]
        };
        let (mx, my) = (median(0), median(1));
        let spread = |axis: usize, m: f64| {
            let mut v: Vec<f64> = pairs.iter().map(|p| (get(p)[axis] - m).abs()).collect();
            v.sort_by(f64::total_cmp);
            v[v.len() / 2]
        };
        // Only where the numbers are large against their spread does a factor show.
        if mx.abs() < 20.0 * spread(0, mx) || my.abs() < 20.0 * spread(1, my) || mx == 0.0 || my == 0.0 {
            continue;
        }
        for (i, p) in pairs.iter().enumerate() {
            let (fx, fy) = (get(p)[0] / mx, get(p)[1] / my);
            if FACTORS.iter().any(|f| (fx / f - 1.0).abs() < 0.1 && (fy / f - 1.0).abs() < 0.1) {
                return Err(FitError::MixedUnits { pair: i, side, factor: (fx + fy) / 2.0 });
            }
        }
    }
    Ok(())
}

/// The least-squares solution; `None` where the pairs leave it undetermined.
fn solve(pairs: &[ControlPair], kind: FitKind) -> Option<Local> {
    let n = pairs.len() as f64;
    let mean = |f: &dyn Fn(&ControlPair) -> f64| pairs.iter().map(f).sum::<f64>() / n;
    let centre: [f64; 3] = std::array::from_fn(|i| mean(&|p| p.from[i]));
    let target: [f64; 3] = std::array::from_fn(|i| mean(&|p| p.to[i]));
    let dimensions = if kind.is_3d() { 3 } else { 2 };
    let unit = pairs
        .iter()
        .flat_map(|p| (0..dimensions).map(move |i| (p, i)))
        .map(|(p, i)| (p.from[i] - centre[i]).abs())
        .fold(0.0, f64::max);
    let unit = if unit > 0.0 { unit } else { 1.0 };
    let u = |p: &ControlPair, i: usize| (p.from[i] - centre[i]) / unit;
    let w = |p: &ControlPair, i: usize| p.to[i] - target[i];
    let plane = |x: Vec<f64>, y: Vec<f64>| {
        let mut t = PlaneTransformation { origin: [centre[0], centre[1]], unit, x, y };
        t.x[0] += target[0];
        t.y[0] += target[1];
        Some(Local::Plane(t))
    };
    match kind {
        FitKind::Translation => plane(vec![0.0, unit, 0.0], vec![0.0, 0.0, unit]),
        FitKind::Conformal => {
            let mut rows = Vec::new();
            for p in pairs {
                rows.push((vec![1.0, 0.0, u(p, 0), -u(p, 1)], w(p, 0)));
                rows.push((vec![0.0, 1.0, u(p, 1), u(p, 0)], w(p, 1)));
            }
            let s = least_squares(rows)?;
            plane(vec![s[0], s[2], -s[3]], vec![s[1], s[3], s[2]])
        }
        FitKind::Affine | FitKind::Polynomial => {
            let basis = |p: &ControlPair| {
                let (a, b) = (u(p, 0), u(p, 1));
                if kind == FitKind::Affine { vec![1.0, a, b] } else { vec![1.0, a, b, a * a, a * b, b * b] }
            };
            let x = least_squares(pairs.iter().map(|p| (basis(p), w(p, 0))).collect())?;
            let y = least_squares(pairs.iter().map(|p| (basis(p), w(p, 1))).collect())?;
            plane(x, y)
        }
        FitKind::Translation3d => {
            let t: [f64; 3] = std::array::from_fn(|i| target[i] - centre[i]);
            Some(Local::Space(Helmert::translation(t[0], t[1], t[2])))
        }
        FitKind::Similarity3d => {
            // X′ − X = T + s·d + r × d about the centre, with d = X − P: linear in the seven unknowns.
            let mut rows = Vec::new();
            for p in pairs {
                let [a, b, c] = [u(p, 0), u(p, 1), u(p, 2)];
                let d: [f64; 3] = std::array::from_fn(|i| (p.to[i] - target[i]) - (p.from[i] - centre[i]));
                rows.push((vec![1.0, 0.0, 0.0, a, 0.0, c, -b], d[0]));
                rows.push((vec![0.0, 1.0, 0.0, b, -c, 0.0, a], d[1]));
                rows.push((vec![0.0, 0.0, 1.0, c, b, -a, 0.0], d[2]));
            }
            let s = least_squares(rows)?;
            let scale = s[3] / unit;
            // The matrix is (1+s)·R: the rotations come out multiplied by the scale.
            let turn = |v: f64| (v / unit / (1.0 + scale)).to_degrees() * 3600.0;
            Some(Local::Space(molodensky_badekas(
                std::array::from_fn(|i| target[i] - centre[i] + s[i]),
                [turn(s[4]), turn(s[5]), turn(s[6])],
                scale * 1e6,
                centre,
                RotationConvention::PositionVector,
            )))
        }
    }
}

/// Householder's reflections; `None` where a column depends on the others.
fn least_squares(mut rows: Vec<(Vec<f64>, f64)>) -> Option<Vec<f64>> {
    let (m, n) = (rows.len(), rows.first()?.0.len());
    if m < n {
        return None;
    }
    for k in 0..n {
        let norm = rows[k..].iter().map(|r| r.0[k] * r.0[k]).sum::<f64>().sqrt();
        // Columns are of size one: a rest of a millionth is a dependency, not information.
        if norm < 1e-6 {
            return None;
        }
        let alpha = if rows[k].0[k] > 0.0 { -norm } else { norm };
        let mut v: Vec<f64> = rows[k..].iter().map(|r| r.0[k]).collect();
        v[0] -= alpha;
        let size: f64 = v.iter().map(|x| x * x).sum();
        for j in k..n {
            let dot: f64 = v.iter().zip(&rows[k..]).map(|(v, r)| v * r.0[j]).sum::<f64>() * 2.0 / size;
            v.iter().zip(rows[k..].iter_mut()).for_each(|(v, r)| r.0[j] -= dot * v);
        }
        let dot: f64 = v.iter().zip(&rows[k..]).map(|(v, r)| v * r.1).sum::<f64>() * 2.0 / size;
        v.iter().zip(rows[k..].iter_mut()).for_each(|(v, r)| r.1 -= dot * v);
    }
    let mut x = vec![0.0; n];
    for k in (0..n).rev() {
        let rest: f64 = (k + 1..n).map(|j| rows[k].0[j] * x[j]).sum();
        x[k] = (rows[k].1 - rest) / rows[k].0[k];
    }
    Some(x)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn spread(n: usize, f: impl Fn(f64, f64) -> (f64, f64)) -> Vec<ControlPair> {
        (0..n)
            .map(|i| {
                let (x, y) = (1000.0 * (i as f64 * 0.37).sin(), 800.0 * (i as f64 * 0.71).cos());
                let (a, b) = f(x, y);
                ControlPair { from: [x, y, 0.0], to: [a, b, 0.0] }
            })
            .collect()
    }

    #[test]
    fn too_few_collinear_and_mixed_are_refused() {
        let line: Vec<ControlPair> = (0..5)
            .map(|i| ControlPair {
                from: [f64::from(i), 2.0 * f64::from(i), 0.0],
                to: [f64::from(i), f64::from(i), 0.0],
            })
            .collect();
        assert_eq!(
            fit(&line[..2], FitKind::Affine).unwrap_err().to_string(),
            "2 control pairs; affine needs at least 3"
        );
        assert!(matches!(fit(&line, FitKind::Affine), Err(FitError::Collinear { .. })));
        assert!(fit(&line, FitKind::Conformal).is_ok());
        let mut feet = spread(8, |x, y| (2_000_000.0 + x, 600_000.0 + y));
        feet[3].to = feet[3].to.map(|v| v / 0.3048);
        assert!(matches!(fit(&feet, FitKind::Conformal), Err(FitError::MixedUnits { pair: 3, side: "new", .. })));
        feet[3].to[0] = f64::NAN;
        assert_eq!(fit(&feet, FitKind::Conformal), Err(FitError::NotANumber(3)));
    }

    #[test]
    fn an_outlier_is_named() {
        let mut pairs = spread(9, |x, y| (5e5 + 0.8 * x - 0.6 * y, 1e5 + 0.6 * x + 0.8 * y));
        for (i, p) in pairs.iter_mut().enumerate() {
            p.to[0] += 0.01 * (i as f64 * 1.7).sin();
            p.to[1] += 0.01 * (i as f64 * 2.3).cos();
        }
        assert_eq!(fit(&pairs, FitKind::Conformal).unwrap().outlier, None);
        pairs[4].to[0] += 3.0;
        let f = fit(&pairs, FitKind::Conformal).unwrap();
        assert_eq!(f.outlier, Some(4));
        assert!(f.left_out[4].unwrap() > 2.5, "{:?}", f.left_out);
        assert!(f.residuals[4][0].abs() < f.left_out[4].unwrap(), "a residual hides a part of the error");
    }

    #[test]
    fn a_similarity_in_space_comes_back() {
        let h = Helmert {
            translation_m: [446.448, -125.157, 542.06],
            rotation_arcsec: [0.15, 0.247, 0.842],
            scale_ppm: -20.489,
            convention: RotationConvention::PositionVector,
        };
        let pairs: Vec<ControlPair> = (0..6)
            .map(|i| {
                let t = f64::from(i);
                let from = [
                    3_900_000.0 + 50_000.0 * t.sin(),
                    -100_000.0 + 90_000.0 * t.cos(),
                    5_000_000.0 + 30_000.0 * (2.0 * t).sin(),
                ];
                ControlPair { from, to: Local::Space(h.clone()).forward(from) }
            })
            .collect();
        let f = fit(&pairs, FitKind::Similarity3d).unwrap();
        assert!(f.standard_error.unwrap() < 1e-6, "{:?}", f.standard_error);
        let Local::Space(got) = &f.local else { panic!() };
        assert!((got.scale_ppm - h.scale_ppm).abs() < 1e-6, "{got:?}");
        for i in 0..3 {
            assert!((got.rotation_arcsec[i] - h.rotation_arcsec[i]).abs() < 1e-6, "{got:?}");
        }
    }

    #[test]
    fn rounding_of_the_coordinates_is_no_outlier() {
        // Old coordinates to a tenth, new ones to a hundredth: residuals of some hundredths say nothing of a pair.
        let spots = [(0.0, 0.0), (412.6, 38.2), (1208.4, 55.9), (1455.0, 640.3), (890.7, 905.5), (655.8, 377.7)];
        let pairs = |miss: f64| -> Vec<ControlPair> {
            spots
                .iter()
                .enumerate()
                .map(|(i, (x, y))| {
                    let off = if i == 1 { miss } else { 0.0 };
                    let hundredths = |v: f64| (v * 100.0).round() / 100.0;
                    ControlPair {
                        from: [*x, *y, 0.0],
                        to: [hundredths(7e6 + x - 0.2 * y), hundredths(9e5 + 0.2 * x + y + off), 0.0],
                    }
                })
                .collect()
        };
        assert_eq!(fit(&pairs(0.08), FitKind::Conformal).unwrap().outlier, None);
        assert_eq!(fit(&pairs(3.0), FitKind::Conformal).unwrap().outlier, Some(1));
    }

    #[test]
    fn the_way_back_settles_far_from_the_origin_of_the_new_system() {
        // Found by the property below: steps of the size of the rounding never became small enough.
        let t = PlaneTransformation {
            origin: [12.3, -45.6],
            unit: 900.0,
            x: vec![-801_976.608_572_998_3, 503.4, 399.5],
            y: vec![7_722_060.922_452_015, -399.5, 503.4],
        };
        for i in 0..2000 {
            let (x, y) = (f64::from(i % 50) * 31.7 - 800.0, f64::from(i / 50) * 37.3 - 700.0);
            let (e, n) = t.forward(x, y);
            let (bx, by) = t.inverse(e, n);
            assert!((bx - x).abs() < 1e-7 && (by - y).abs() < 1e-7, "{x} {y}: {bx} {by}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, cases: 2000, ..ProptestConfig::default() })]
        #[test]
        fn what_made_the_pairs_is_found_again(a in 0.5_f64..2.0, b in -0.5_f64..0.5, tx in -1e6_f64..1e6, ty in -1e6_f64..1e6, x in -900.0_f64..900.0, y in -700.0_f64..700.0) {
            let conformal = |x: f64, y: f64| (tx + a * x - b * y, ty + b * x + a * y);
            for kind in [FitKind::Conformal, FitKind::Affine, FitKind::Polynomial] {
                let f = fit(&spread(9, conformal), kind).unwrap();
                let got = f.local.forward([x, y, 0.0]);
                let (wx, wy) = conformal(x, y);
                prop_assert!((got[0] - wx).abs() < 1e-6 && (got[1] - wy).abs() < 1e-6, "{kind:?} {got:?}");
                let Local::Plane(t) = &f.local else { unreachable!() };
                let (bx, by) = t.inverse(got[0], got[1]);
                prop_assert!((bx - x).abs() < 1e-6 && (by - y).abs() < 1e-6, "{kind:?}");
            }
        }

        #[test]
        fn a_bent_map_needs_the_polynomial(c in 1e-5_f64..1e-4) {
            let bent = |x: f64, y: f64| (1e5 + x + c * x * y, 2e5 + y + c * x * x);
            let pairs = spread(12, bent);
            prop_assert!(fit(&pairs, FitKind::Affine).unwrap().standard_error.unwrap() > 0.5);
            prop_assert!(fit(&pairs, FitKind::Polynomial).unwrap().standard_error.unwrap() < 1e-6);
        }
    }
}
