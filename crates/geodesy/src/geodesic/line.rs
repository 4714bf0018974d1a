//! One geodesic from a point on an azimuth.

use super::{Direct, Geodesic, atan2_deg, series, sin_cos_deg, unit};

/// Smallest cosine of a reduced latitude: keeps the azimuth meaningful at a pole.
pub(super) const TINY: f64 = 1.5e-154;

/// A geodesic, ready for points along it.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    b: f64,
    f1: f64,
    lon1_deg: f64,
    salp0: f64,
    calp0: f64,
    k2: f64,
    ssig1: f64,
    csig1: f64,
    dn1: f64,
    omega1: f64,
    a1m1: f64,
    c1: [f64; 6],
    c1_reverted: [f64; 6],
    b11: f64,
    tau1: (f64, f64),
    a2m1: f64,
    c2: [f64; 6],
    b21: f64,
    a3c: f64,
    c3: [f64; 5],
    b31: f64,
}

impl Line {
    pub(super) fn new(g: &Geodesic, lon1_deg: f64, lat1_deg: f64, azimuth_deg: f64) -> Self {
        let (salp1, calp1) = sin_cos_deg(azimuth_deg);
        let (s, c) = sin_cos_deg(lat1_deg);
        let (sbet1, cbet1) = unit(g.f1 * s, c);
        let cbet1 = cbet1.max(TINY);
        let dn1 = (1.0 + g.ep2 * sbet1 * sbet1).sqrt();
        let salp0 = salp1 * cbet1;
        let calp0 = calp1.hypot(salp1 * sbet1);
        let (ssig1, csig1) = if sbet1 == 0.0 && calp1 == 0.0 { (0.0, 1.0) } else { unit(sbet1, cbet1 * calp1) };
        let omega1 = (salp0 * ssig1).atan2(csig1);
        let k2 = calp0 * calp0 * g.ep2;
        let eps = k2 / (2.0 * (1.0 + (1.0 + k2).sqrt()) + k2);
        let c1 = series::c1(eps);
        let b11 = series::sine_sum(&c1, ssig1, csig1);
        let (s, c) = b11.sin_cos();
        let c2 = series::c2(eps);
        let c3 = series::c3(eps, g.n);
        Line {
            b: g.b,
            f1: g.f1,
            lon1_deg,
            salp0,
            calp0,
            k2,
            ssig1,
            csig1,
            dn1,
            omega1,
            a1m1: series::a1_minus_1(eps),
            c1_reverted: series::c1_reverted(eps),
            b11,
            tau1: (ssig1 * c + csig1 * s, csig1 * c - ssig1 * s),
            a2m1: series::a2_minus_1(eps),
            b21: series::sine_sum(&c2, ssig1, csig1),
            a3c: -g.f * salp0 * series::a3(eps, g.n),
            b31: series::sine_sum(&c3, ssig1, csig1),
            c1,
            c2,
            c3,
        }
    }

    /// The point `distance_m` along the line (backwards where negative).
    pub fn at(&self, distance_m: f64) -> Direct {
        let tau12 = distance_m / (self.b * (1.0 + self.a1m1));
        let (s, c) = tau12.sin_cos();
        let b12 =
            -series::sine_sum(&self.c1_reverted, self.tau1.0 * c + self.tau1.1 * s, self.tau1.1 * c - self.tau1.0 * s);
        let sig12 = tau12 - (b12 - self.b11);
        let (ssig12, csig12) = sig12.sin_cos();
        let ssig2 = self.ssig1 * csig12 + self.csig1 * ssig12;
        let csig2 = self.csig1 * csig12 - self.ssig1 * ssig12;
        let dn2 = (1.0 + self.k2 * ssig2 * ssig2).sqrt();
        let sbet2 = self.calp0 * ssig2;
        let mut cbet2 = self.salp0.hypot(self.calp0 * csig2);
        let (mut csig2, salp2) = (csig2, self.salp0);
        if cbet2 == 0.0 {
            cbet2 = TINY;
            csig2 = TINY;
        }
        let calp2 = self.calp0 * csig2;
        // ω₂ − ω₁ counted with the turns of σ.
        let omega2 = (self.salp0 * ssig2).atan2(csig2);
        let mut omega12 = omega2 - self.omega1;
        if self.salp0 >= 0.0 {
            omega12 += (((sig12 - omega12) / std::f64::consts::TAU).round()) * std::f64::consts::TAU;
        } else {
            omega12 += (((-sig12 - omega12) / std::f64::consts::TAU).round()) * std::f64::consts::TAU;
        }
        let lam12 = omega12 + self.a3c * (sig12 + (series::sine_sum(&self.c3, ssig2, csig2) - self.b31));
        let ab1 = (1.0 + self.a1m1) * (series::sine_sum(&self.c1, ssig2, csig2) - self.b11);
        let ab2 = (1.0 + self.a2m1) * (series::sine_sum(&self.c2, ssig2, csig2) - self.b21);
        let j12 = (self.a1m1 - self.a2m1) * sig12 + (ab1 - ab2);
        let m12 = self.b * ((dn2 * (self.csig1 * ssig2) - self.dn1 * (self.ssig1 * csig2)) - self.csig1 * csig2 * j12);
        let t = self.k2 * (ssig2 - self.ssig1) * (ssig2 + self.ssig1) / (self.dn1 + dn2);
        let scale = csig12 + (t * ssig2 - csig2 * j12) * self.ssig1 / self.dn1;
        Direct {
            lon_deg: crate::projection::wrap_deg(self.lon1_deg + lam12.to_degrees()),
            lat_deg: atan2_deg(sbet2, self.f1 * cbet2),
            final_azimuth_deg: atan2_deg(salp2, calp2),
            reduced_length_m: m12,
            scale,
        }
    }
}
