//! The inverse problem: Newton's method on the azimuth at the first point.

use super::line::TINY;
use super::{Geodesic, Inverse, atan2_deg, series, sin_cos_deg, unit};
use std::f64::consts::PI;

const TOL0: f64 = f64::EPSILON;
const TOL2: f64 = 1.490_116_119_384_765_6e-8;
const XTHRESH: f64 = 1000.0 * TOL2;

/// Both ends on the auxiliary sphere.
struct Ends {
    sbet1: f64,
    cbet1: f64,
    dn1: f64,
    sbet2: f64,
    cbet2: f64,
    dn2: f64,
}

struct Lengths {
    s12b: f64,
    m12b: f64,
    m12: f64,
}

/// Distance and reduced length over b, and the geodesic scale, between two points on one geodesic.
fn lengths(g: &Geodesic, eps: f64, sig12: f64, s1: (f64, f64), dn1: f64, s2: (f64, f64), dn2: f64) -> Lengths {
    let (a1, a2) = (series::a1_minus_1(eps), series::a2_minus_1(eps));
    let (c1, c2) = (series::c1(eps), series::c2(eps));
    let b1 = series::sine_sum(&c1, s2.0, s2.1) - series::sine_sum(&c1, s1.0, s1.1);
    let b2 = series::sine_sum(&c2, s2.0, s2.1) - series::sine_sum(&c2, s1.0, s1.1);
    let j12 = (a1 - a2) * sig12 + ((1.0 + a1) * b1 - (1.0 + a2) * b2);
    let csig12 = s1.1 * s2.1 + s1.0 * s2.0;
    // The scale from the identity with k²: dn² = 1 + k² sin²σ.
    let k2 = 4.0 * eps / ((1.0 - eps) * (1.0 - eps));
    let t = k2 * (s2.0 - s1.0) * (s2.0 + s1.0) / (dn1 + dn2);
    let _ = g;
    Lengths {
        s12b: (1.0 + a1) * (sig12 + b1),
        m12b: dn2 * (s1.1 * s2.0) - dn1 * (s1.0 * s2.1) - s1.1 * s2.1 * j12,
        m12: csig12 + (t * s2.0 - s2.1 * j12) * s1.0 / dn1,
    }
}

/// The positive root of the astroid equation k⁴ + 2k³ − (x² + y² − 1)k² − 2y²k − y² = 0.
fn astroid(x: f64, y: f64) -> f64 {
    let (p, q) = (x * x, y * y);
    let r = (p + q - 1.0) / 6.0;
    if q == 0.0 && r <= 0.0 {
        return 0.0;
    }
    let s = p * q / 4.0;
    let (r2, r3) = (r * r, r * r * r);
    let disc = s * (s + 2.0 * r3);
    let mut u = r;
    if disc >= 0.0 {
        let mut t3 = s + r3;
        t3 += if t3 < 0.0 { -disc.sqrt() } else { disc.sqrt() };
        let t = t3.cbrt();
        u += t + if t != 0.0 { r2 / t } else { 0.0 };
    } else {
        let angle = (-disc).sqrt().atan2(-(s + r3));
        u += 2.0 * r * (angle / 3.0).cos();
    }
    let v = (u * u + q).sqrt();
    let uv = if u < 0.0 { q / (v - u) } else { u + v };
    let w = (uv - q) / (2.0 * v);
    uv / ((uv + w * w).sqrt() + w)
}

/// A first azimuth; the second value is σ₁₂ where the line is so short that it is the answer.
#[allow(clippy::type_complexity)]
fn start(g: &Geodesic, e: &Ends, lam12: f64, slam12: f64, clam12: f64) -> (f64, f64, Option<(f64, f64, f64, f64)>) {
    let sbet12 = e.sbet2 * e.cbet1 - e.cbet2 * e.sbet1;
    let cbet12 = e.cbet2 * e.cbet1 + e.sbet2 * e.sbet1;
    let sbet12a = e.sbet2 * e.cbet1 + e.cbet2 * e.sbet1;
    let short = cbet12 >= 0.0 && sbet12 < 0.5 && e.cbet2 * lam12 < 0.5;
    let (somg12, comg12, dnm) = if short {
        let mut sbetm2 = (e.sbet1 + e.sbet2).powi(2);
        sbetm2 /= sbetm2 + (e.cbet1 + e.cbet2).powi(2);
        let dnm = (1.0 + g.ep2 * sbetm2).sqrt();
        let (s, c) = (lam12 / (g.f1 * dnm)).sin_cos();
        (s, c, dnm)
    } else {
        (slam12, clam12, 0.0)
    };
    let mut salp1 = e.cbet2 * somg12;
    let mut calp1 = if comg12 >= 0.0 {
        sbet12 + e.cbet2 * e.sbet1 * somg12 * somg12 / (1.0 + comg12)
    } else {
        sbet12a - e.cbet2 * e.sbet1 * somg12 * somg12 / (1.0 - comg12)
    };
    let ssig12 = salp1.hypot(calp1);
    let csig12 = e.sbet1 * e.sbet2 + e.cbet1 * e.cbet2 * comg12;
    let short_limit = 0.1 * TOL2 / (f64::max(0.001, g.f.abs()) * f64::min(1.0, 1.0 - g.f / 2.0) / 2.0).sqrt();
    if short && ssig12 < short_limit {
        let s2 = e.cbet1 * somg12;
        let c2 =
            sbet12 - e.cbet1 * e.sbet2 * if comg12 >= 0.0 { somg12 * somg12 / (1.0 + comg12) } else { 1.0 - comg12 };
        let (salp2, calp2) = unit(s2, c2);
        let (salp1, calp1) = unit(salp1, calp1);
        return (salp1, calp1, Some((ssig12.atan2(csig12), salp2, calp2, dnm)));
    }
    if g.n.abs() > 0.1 || csig12 >= 0.0 || ssig12 >= 6.0 * g.n.abs() * PI * e.cbet1 * e.cbet1 {
        // The spherical azimuth is good enough.
    } else if g.f > 0.0 {
        // Nearly antipodal: x and y are the antipode's offset in units of the astroid.
        let lam12x = (-slam12).atan2(-clam12);
        let k2 = e.sbet1 * e.sbet1 * g.ep2;
        let eps = k2 / (2.0 * (1.0 + (1.0 + k2).sqrt()) + k2);
        let lamscale = g.f * e.cbet1 * series::a3(eps, g.n) * PI;
        let betscale = lamscale * e.cbet1;
        let (x, y) = (lam12x / lamscale, sbet12a / betscale);
        if y > -200.0 * TOL0 && x > -1.0 - XTHRESH {
            salp1 = f64::min(1.0, -x);
            calp1 = -(1.0 - salp1 * salp1).sqrt();
        } else {
            let k = astroid(x, y);
            let omg12a = lamscale * (-x * k / (1.0 + k));
            let (somg12, comg12) = (omg12a.sin(), -omg12a.cos());
            salp1 = e.cbet2 * somg12;
            calp1 = sbet12a - e.cbet2 * e.sbet1 * somg12 * somg12 / (1.0 - comg12);
        }
    }
    if salp1 > 0.0 {
        (salp1, calp1) = unit(salp1, calp1);
    } else {
        (salp1, calp1) = (1.0, 0.0);
    }
    (salp1, calp1, None)
}

struct Hybrid {
    lam12: f64,
    salp2: f64,
    calp2: f64,
    sig12: f64,
    s1: (f64, f64),
    s2: (f64, f64),
    eps: f64,
    dlam12: f64,
}

/// λ₁₂ as a function of α₁, with its derivative.
fn hybrid(g: &Geodesic, e: &Ends, salp1: f64, calp1: f64, slam120: f64, clam120: f64, derivative: bool) -> Hybrid {
    let calp1 = if e.sbet1 == 0.0 && calp1 == 0.0 { -TINY } else { calp1 };
    let salp0 = salp1 * e.cbet1;
    let calp0 = calp1.hypot(salp1 * e.sbet1);
    let (somg1, comg1) = (salp0 * e.sbet1, calp1 * e.cbet1);
    let s1 = unit(e.sbet1, comg1);
    let salp2 = if e.cbet2 != e.cbet1 { salp0 / e.cbet2 } else { salp1 };
    let calp2 = if e.cbet2 != e.cbet1 || e.sbet2.abs() != -e.sbet1 {
        let first = (calp1 * e.cbet1).powi(2);
        (first
            + if e.cbet1 < -e.sbet1 {
                (e.cbet2 - e.cbet1) * (e.cbet1 + e.cbet2)
            } else {
                (e.sbet1 - e.sbet2) * (e.sbet1 + e.sbet2)
            })
        .sqrt()
            / e.cbet2
    } else {
        calp1.abs()
    };
    let (somg2, comg2) = (salp0 * e.sbet2, calp2 * e.cbet2);
    let s2 = unit(e.sbet2, comg2);
    let sig12 = f64::max(0.0, s1.1 * s2.0 - s1.0 * s2.1).atan2(s1.1 * s2.1 + s1.0 * s2.0);
    let somg12 = f64::max(0.0, comg1 * somg2 - somg1 * comg2);
    let comg12 = comg1 * comg2 + somg1 * somg2;
    let eta = (somg12 * clam120 - comg12 * slam120).atan2(comg12 * clam120 + somg12 * slam120);
    let k2 = calp0 * calp0 * g.ep2;
    let eps = k2 / (2.0 * (1.0 + (1.0 + k2).sqrt()) + k2);
    let c3 = series::c3(eps, g.n);
    let b312 = series::sine_sum(&c3, s2.0, s2.1) - series::sine_sum(&c3, s1.0, s1.1);
    let lam12 = eta - g.f * series::a3(eps, g.n) * salp0 * (sig12 + b312);
    let dlam12 = if derivative {
        if calp2 == 0.0 {
            -2.0 * g.f1 * e.dn1 / e.sbet1
        } else {
            lengths(g, eps, sig12, s1, e.dn1, s2, e.dn2).m12b * g.f1 / (calp2 * e.cbet2)
        }
    } else {
        0.0
    };
    Hybrid { lam12, salp2, calp2, sig12, s1, s2, eps, dlam12 }
}

pub(super) fn solve(g: &Geodesic, lon1_deg: f64, lat1_deg: f64, lon2_deg: f64, lat2_deg: f64) -> Inverse {
    if !(lat1_deg.abs() <= 90.0 && lat2_deg.abs() <= 90.0 && (lon2_deg - lon1_deg).is_finite()) {
        let nan = f64::NAN;
        return Inverse {
            distance_m: nan,
            azimuth_deg: nan,
            final_azimuth_deg: nan,
            reduced_length_m: nan,
            scale: nan,
        };
    }
    // By symmetry: the first point south and farther from the equator, the second east of it.
    let mut lon12 = (lon2_deg - lon1_deg).rem_euclid(360.0);
    if lon12 > 180.0 {
        lon12 -= 360.0;
    }
    let mut lonsign = if lon12 >= 0.0 { 1.0 } else { -1.0 };
    let lon12 = lon12.abs();
    let lam12 = lon12.to_radians();
    let (slam12, clam12) = sin_cos_deg(lon12);
    let (mut lat1, mut lat2) = (lat1_deg, lat2_deg);
    let swapp = if lat1.abs() < lat2.abs() { -1.0 } else { 1.0 };
    if swapp < 0.0 {
        lonsign = -lonsign;
        std::mem::swap(&mut lat1, &mut lat2);
    }
    let latsign = if lat1 < 0.0 { 1.0 } else { -1.0 };
    lat1 *= latsign;
    lat2 *= latsign;
    let ends = |lat: f64| {
        let (s, c) = sin_cos_deg(lat);
        let (sbet, cbet) = unit(g.f1 * s, c);
        (sbet, cbet.max(TINY))
    };
    let (sbet1, cbet1) = ends(lat1);
    let (mut sbet2, mut cbet2) = ends(lat2);
    if cbet1 < -sbet1 {
        if cbet2 == cbet1 {
            sbet2 = sbet1.copysign(sbet2);
        }
    } else if sbet2.abs() == -sbet1 {
        cbet2 = cbet1;
    }
    let e = Ends {
        sbet1,
        cbet1,
        dn1: (1.0 + g.ep2 * sbet1 * sbet1).sqrt(),
        sbet2,
        cbet2,
        dn2: (1.0 + g.ep2 * sbet2 * sbet2).sqrt(),
    };
    let mut meridian = lat1 == -90.0 || slam12 == 0.0;
    let (mut salp1, mut calp1, mut salp2, mut calp2) = (0.0, 0.0, 0.0, 0.0);
    let (mut s12, mut m12, mut scale) = (0.0, 0.0, 1.0);
    if meridian {
        (calp1, salp1) = (clam12, slam12);
        (calp2, salp2) = (1.0, 0.0);
        let s1 = (sbet1, calp1 * cbet1);
        let s2 = (sbet2, calp2 * cbet2);
        let sig12 = f64::max(0.0, s1.1 * s2.0 - s1.0 * s2.1).atan2(s1.1 * s2.1 + s1.0 * s2.0);
        let l = lengths(g, g.n, sig12, s1, e.dn1, s2, e.dn2);
        if sig12 < 1.0 || l.m12b >= 0.0 {
            (s12, m12, scale) = (l.s12b * g.b, l.m12b * g.b, l.m12);
        } else {
            // Beyond the conjugate point the meridian is not the shortest way.
            meridian = false;
        }
    }
    if !meridian && sbet1 == 0.0 && (g.f <= 0.0 || lon12 <= (1.0 - g.f) * 180.0) {
        // Along the equator.
        (calp1, calp2, salp1, salp2) = (0.0, 0.0, 1.0, 1.0);
        s12 = g.a * lam12;
        let sig12 = lam12 / g.f1;
        m12 = g.b * sig12.sin();
        scale = sig12.cos();
    } else if !meridian {
        let first = start(g, &e, lam12, slam12, clam12);
        (salp1, calp1) = (first.0, first.1);
        if let Some((sig12, sa, ca, dnm)) = first.2 {
            (salp2, calp2) = (sa, ca);
            s12 = sig12 * g.b * dnm;
            m12 = dnm * dnm * g.b * (sig12 / dnm).sin();
            scale = (sig12 / dnm).cos();
        } else {
            // Newton with a bracket, bisection where it leaves the bracket.
            let (mut salp1a, mut calp1a, mut salp1b, mut calp1b) = (TINY, 1.0, TINY, -1.0);
            let (mut tripn, mut tripb) = (false, false);
            let mut h = hybrid(g, &e, salp1, calp1, slam12, clam12, true);
            for round in 0..83 {
                if round > 0 {
                    h = hybrid(g, &e, salp1, calp1, slam12, clam12, round < 20);
                }
                let v = h.lam12;
                if tripb || !(v.abs() >= if tripn { 8.0 } else { 1.0 } * TOL0) {
                    break;
                }
                if v > 0.0 && (round >= 20 || calp1 / salp1 > calp1b / salp1b) {
                    (salp1b, calp1b) = (salp1, calp1);
                } else if v < 0.0 && (round >= 20 || calp1 / salp1 < calp1a / salp1a) {
                    (salp1a, calp1a) = (salp1, calp1);
                }
                if round < 20 && h.dlam12 > 0.0 {
                    let dalp1 = -v / h.dlam12;
                    if dalp1.abs() < PI {
                        let (sd, cd) = dalp1.sin_cos();
                        let nsalp1 = salp1 * cd + calp1 * sd;
                        if nsalp1 > 0.0 {
                            calp1 = calp1 * cd - salp1 * sd;
                            salp1 = nsalp1;
                            (salp1, calp1) = unit(salp1, calp1);
                            tripn = v.abs() <= 16.0 * TOL0;
                            continue;
                        }
                    }
                }
                (salp1, calp1) = unit((salp1a + salp1b) / 2.0, (calp1a + calp1b) / 2.0);
                tripn = false;
                tripb = (salp1a - salp1).abs() + (calp1a - calp1) < 1e-17
                    || (salp1 - salp1b).abs() + (calp1 - calp1b) < 1e-17;
            }
            (salp2, calp2) = (h.salp2, h.calp2);
            let l = lengths(g, h.eps, h.sig12, h.s1, e.dn1, h.s2, e.dn2);
            (s12, m12, scale) = (l.s12b * g.b, l.m12b * g.b, l.m12);
        }
    }
    if swapp < 0.0 {
        std::mem::swap(&mut salp1, &mut salp2);
        std::mem::swap(&mut calp1, &mut calp2);
        // M₂₁ in place of M₁₂ follows from the Wronskian only along the line; recompute from the other end.
        scale = f64::NAN;
    }
    salp1 *= swapp * lonsign;
    calp1 *= swapp * latsign;
    salp2 *= swapp * lonsign;
    calp2 *= swapp * latsign;
    let azimuth_deg = atan2_deg(salp1, calp1);
    if scale.is_nan() {
        scale = g.line(lon1_deg, lat1_deg, azimuth_deg).at(s12).scale;
    }
    Inverse {
        distance_m: s12 + 0.0,
        azimuth_deg,
        final_azimuth_deg: atan2_deg(salp2, calp2),
        reduced_length_m: m12 + 0.0,
        scale,
    }
}
