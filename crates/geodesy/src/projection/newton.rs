//! Inverses that have no closed form, by Newton's method on the forward formulas.

use std::f64::consts::{FRAC_PI_2, PI};

/// Longitude and latitude whose image is (x, y), from a first guess; NaN where none is found.
///
/// `size` is the radius of the globe in the units of x. The Jacobian is taken by central differences: an error of
/// 1e-9 in it only slows the last rounds. The answer counts only if its image is the point that was asked for.
pub(super) fn invert(
    forward: impl Fn(f64, f64) -> (f64, f64),
    start: (f64, f64),
    x: f64,
    y: f64,
    size: f64,
) -> (f64, f64) {
    const H: f64 = 1e-6;
    const NAN: (f64, f64) = (f64::NAN, f64::NAN);
    let (mut lambda, mut phi) = (start.0.clamp(-PI, PI), start.1.clamp(-FRAC_PI_2, FRAC_PI_2));
    let mut best = (f64::INFINITY, NAN);
    for _ in 0..40 {
        let (fx, fy) = forward(lambda, phi);
        let (dx, dy) = (x - fx, y - fy);
        let miss = dx.hypot(dy) / size;
        if !(miss < f64::INFINITY) {
            break;
        }
        if miss < best.0 {
            best = (miss, (lambda, phi));
        } else if best.0 < 1e-14 || miss > 1e3 * best.0.max(1e-3) {
            break;
        }
        if miss < 1e-17 {
            break;
        }
        // At the rim the difference is taken inwards.
        let (l0, l1) = ((lambda - H).max(-PI), (lambda + H).min(PI));
        let (p0, p1) = ((phi - H).max(-FRAC_PI_2), (phi + H).min(FRAC_PI_2));
        let ((ax, ay), (bx, by)) = (forward(l0, phi), forward(l1, phi));
        let ((cx, cy), (ex, ey)) = (forward(lambda, p0), forward(lambda, p1));
        let (xl, yl) = ((bx - ax) / (l1 - l0), (by - ay) / (l1 - l0));
        let (xp, yp) = ((ex - cx) / (p1 - p0), (ey - cy) / (p1 - p0));
        let det = xl * yp - xp * yl;
        if !(det.abs() > 0.0) {
            break;
        }
        let (mut dl, mut dp) = ((dx * yp - dy * xp) / det, (dy * xl - dx * yl) / det);
        // A step of more than a radian is a sign of a far guess: shorten it.
        let length = dl.hypot(dp);
        if length > 0.7 {
            dl *= 0.7 / length;
            dp *= 0.7 / length;
        }
        lambda = (lambda + dl).clamp(-PI, PI);
        phi = (phi + dp).clamp(-FRAC_PI_2, FRAC_PI_2);
    }
    if best.0 < 1e-12 { best.1 } else { NAN }
}

/// The root of an increasing function by Newton's method kept inside a bracket.
pub(super) fn root(f: impl Fn(f64) -> (f64, f64), mut low: f64, mut high: f64) -> f64 {
    let mut x = (low + high) / 2.0;
    for _ in 0..80 {
        let (value, slope) = f(x);
        if value > 0.0 {
            high = x;
        } else {
            low = x;
        }
        let mut next = x - value / slope;
        if !(next > low && next < high) {
            next = (low + high) / 2.0;
        }
        if (next - x).abs() <= 1e-16 * x.abs().max(1e-3) || high - low < 1e-17 {
            return next;
        }
        x = next;
    }
    x
}
