//! The integrals of a geodesic as trigonometric series in ε, to sixth order.

/// Σ cₖ sin 2kσ by Clenshaw's scheme.
pub(super) fn sine_sum(c: &[f64], sin: f64, cos: f64) -> f64 {
    let m = 2.0 * (cos - sin) * (cos + sin);
    let (mut b, mut before) = (0.0, 0.0);
    for &k in c.iter().rev() {
        (b, before) = (k + m * b - before, b);
    }
    2.0 * sin * cos * b
}

/// A₁ − 1 (equation 17).
pub(super) fn a1_minus_1(eps: f64) -> f64 {
    let e = eps * eps;
    let t = e * (1.0 / 4.0 + e * (1.0 / 64.0 + e / 256.0));
    (t + eps) / (1.0 - eps)
}

/// C₁ₖ (equation 18).
pub(super) fn c1(eps: f64) -> [f64; 6] {
    let e = eps * eps;
    let p = |k: i32| eps.powi(k);
    [
        p(1) * (-1.0 / 2.0 + e * (3.0 / 16.0 - e / 32.0)),
        p(2) * (-1.0 / 16.0 + e * (1.0 / 32.0 - e * 9.0 / 2048.0)),
        p(3) * (-1.0 / 48.0 + e * 3.0 / 256.0),
        p(4) * (-5.0 / 512.0 + e * 3.0 / 512.0),
        p(5) * (-7.0 / 1280.0),
        p(6) * (-7.0 / 2048.0),
    ]
}

/// C′₁ₖ, the reverted series (equation 21).
pub(super) fn c1_reverted(eps: f64) -> [f64; 6] {
    let e = eps * eps;
    let p = |k: i32| eps.powi(k);
    [
        p(1) * (1.0 / 2.0 + e * (-9.0 / 32.0 + e * 205.0 / 1536.0)),
        p(2) * (5.0 / 16.0 + e * (-37.0 / 96.0 + e * 1335.0 / 4096.0)),
        p(3) * (29.0 / 96.0 - e * 75.0 / 128.0),
        p(4) * (539.0 / 1536.0 - e * 2391.0 / 2560.0),
        p(5) * (3467.0 / 7680.0),
        p(6) * (38_081.0 / 61_440.0),
    ]
}

/// A₂ − 1 (equation 42).
pub(super) fn a2_minus_1(eps: f64) -> f64 {
    let e = eps * eps;
    let t = e * (1.0 / 4.0 + e * (9.0 / 64.0 + e * 25.0 / 256.0));
    t * (1.0 - eps) - eps
}

/// C₂ₖ (equation 43).
pub(super) fn c2(eps: f64) -> [f64; 6] {
    let e = eps * eps;
    let p = |k: i32| eps.powi(k);
    [
        p(1) * (1.0 / 2.0 + e * (1.0 / 16.0 + e / 32.0)),
        p(2) * (3.0 / 16.0 + e * (1.0 / 32.0 + e * 35.0 / 2048.0)),
        p(3) * (5.0 / 48.0 + e * 5.0 / 256.0),
        p(4) * (35.0 / 512.0 + e * 7.0 / 512.0),
        p(5) * (63.0 / 1280.0),
        p(6) * (77.0 / 2048.0),
    ]
}

/// A₃ (equation 24).
pub(super) fn a3(eps: f64, n: f64) -> f64 {
    1.0 - eps
        * ((0.5 - n / 2.0)
            + eps
                * ((0.25 + n / 8.0 - n * n * 3.0 / 8.0)
                    + eps
                        * ((1.0 / 16.0 + n * 3.0 / 16.0 + n * n / 16.0)
                            + eps * ((3.0 / 64.0 + n / 32.0) + eps * 3.0 / 128.0))))
}

/// C₃ₖ (equation 25).
pub(super) fn c3(eps: f64, n: f64) -> [f64; 5] {
    let n2 = n * n;
    let p = |k: i32| eps.powi(k);
    [
        p(1) * ((1.0 / 4.0 - n / 4.0)
            + eps
                * ((1.0 / 8.0 - n2 / 8.0)
                    + eps
                        * ((3.0 / 64.0 + n * 3.0 / 64.0 - n2 / 64.0)
                            + eps * ((5.0 / 128.0 + n / 64.0) + eps * 3.0 / 128.0)))),
        p(2) * ((1.0 / 16.0 - n * 3.0 / 32.0 + n2 / 32.0)
            + eps
                * ((3.0 / 64.0 - n / 32.0 - n2 * 3.0 / 64.0) + eps * ((3.0 / 128.0 + n / 128.0) + eps * 5.0 / 256.0))),
        p(3) * ((5.0 / 192.0 - n * 3.0 / 64.0 + n2 * 5.0 / 192.0)
            + eps * ((3.0 / 128.0 - n * 5.0 / 192.0) + eps * 7.0 / 512.0)),
        p(4) * ((7.0 / 512.0 - n * 7.0 / 256.0) + eps * 7.0 / 512.0),
        p(5) * (21.0 / 2560.0),
    ]
}
