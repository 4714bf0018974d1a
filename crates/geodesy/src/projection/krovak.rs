//! Krovak (EPSG methods 9819, 1041 and, modified by a polynomial, 1042 and 1043): a conformal cone on a tilted axis.
//!
//! The first variants count southings and westings, positive to the south and west; here the westing is the first
//! coordinate. The north-orientated ones count eastings and northings, both negative where the grid was made for.

use super::{About, Frame, Given, Method, Parameter, Problem, within_half_turn};
use crate::latitude::{AuxiliaryLatitude, conformal_of_isometric, isometric, isometric_of_conformal};
use std::f64::consts::FRAC_PI_2;

/// A Krovak projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Krovak {
    conformal: AuxiliaryLatitude,
    b: f64,
    ln_t0: f64,
    n: f64,
    /// Radius over tan^n(π/4 − T/2), metres.
    radius_m: f64,
    sin_axis: f64,
    cos_axis: f64,
    modified: bool,
    /// 1 for westings and southings, −1 for eastings and northings.
    sign: f64,
}

/// Reference point and coefficients of the modification, IOGP Guidance Note 373-7-2, section 3.1.5.3.
const MODIFIED_X0: f64 = 1_089_000.0;
const MODIFIED_Y0: f64 = 654_000.0;
const C: [f64; 10] = [
    2.946_529_277e-2,
    2.515_965_696e-2,
    1.193_845_912e-7,
    -4.668_270_147e-7,
    9.233_980_362e-12,
    1.523_735_715e-12,
    1.696_780_024e-18,
    4.408_314_235e-18,
    -8.331_083_518e-24,
    -3.689_471_323e-24,
];

/// dX and dY at a southing and westing.
fn modification(southing: f64, westing: f64) -> (f64, f64) {
    let (x, y) = (southing - MODIFIED_X0, westing - MODIFIED_Y0);
    let (x2, y2) = (x * x, y * y);
    let quartic = x2 * x2 + y2 * y2 - 6.0 * x2 * y2;
    (
        C[0] + C[2] * x - C[3] * y - 2.0 * C[5] * x * y + C[4] * (x2 - y2) + C[6] * x * (x2 - 3.0 * y2)
            - C[7] * y * (3.0 * x2 - y2)
            + 4.0 * C[8] * x * y * (x2 - y2)
            + C[9] * quartic,
        C[1] + C[2] * y
            + C[3] * x
            + 2.0 * C[4] * x * y
            + C[5] * (x2 - y2)
            + C[7] * x * (x2 - 3.0 * y2)
            + C[6] * y * (3.0 * x2 - y2)
            - 4.0 * C[9] * x * y * (x2 - y2)
            + C[8] * quartic,
    )
}

impl Method for Krovak {
    const ABOUT: About = About {
        names: &["Krovak", "Krovak (North Orientated)", "Krovak Modified", "Krovak Modified (North Orientated)"],
        domain: "within half a turn of the tilted cone",
        source: "IOGP Guidance Note 373-7-2, section 3.1.5",
    };

    fn from_given(given: &Given) -> Result<Self, Problem> {
        let e2 = given.ellipsoid.eccentricity_squared();
        let phi_c = given.latitude(Parameter::LatitudeOfOrigin)?;
        let (s, c) = phi_c.sin_cos();
        // Definitions give the co-latitude of the axis under its own name or as an azimuth.
        let axis = match given.optional(Parameter::ConeAxisColatitude)? {
            Some(angle) => angle,
            None => given.need(Parameter::Azimuth)?,
        }
        .to_radians();
        let phi_p = given.latitude(Parameter::PseudoStandardParallel)?;
        let n = phi_p.sin();
        if n.abs() < 1e-6 || phi_p.cos() < 1e-6 {
            return Err(given.problem(Parameter::PseudoStandardParallel, "makes no cone"));
        }
        let b = (1.0 + e2 * c.powi(4) / (1.0 - e2)).sqrt();
        let radius = given.ellipsoid.semi_major_m * (1.0 - e2).sqrt() / (1.0 - e2 * s * s);
        let r0 = given.scale()? * radius / phi_p.tan();
        Ok(Krovak {
            conformal: AuxiliaryLatitude::conformal(given.ellipsoid.third_flattening()),
            b,
            ln_t0: (s / b).atanh() - b * isometric(s, c, e2),
            n,
            radius_m: r0 * (n * n.atanh()).exp(),
            sin_axis: axis.sin(),
            cos_axis: axis.cos(),
            modified: given.is("modified"),
            sign: if given.is("northorientated") { -1.0 } else { 1.0 },
        })
    }

    fn frame(&self, given: &Given) -> Result<Frame, Problem> {
        let mut frame = given.frame()?;
        // Eastings are minus the westing with its false origin.
        frame.false_easting_m *= self.sign;
        frame.false_northing_m *= self.sign;
        Ok(frame)
    }

    fn forward(&self, lambda: f64, phi: f64) -> (f64, f64) {
        let (sin_u, cos_u) = if phi.abs() < FRAC_PI_2 {
            let (sin_chi, cos_chi) = self.conformal.sin_cos(phi.sin(), phi.cos());
            conformal_of_isometric(self.ln_t0 + self.b * isometric_of_conformal(sin_chi, cos_chi))
        } else {
            (1.0_f64.copysign(phi), 0.0)
        };
        let (sin_v, cos_v) = (-self.b * lambda).sin_cos();
        let sin_t = self.cos_axis * sin_u + self.sin_axis * cos_u * cos_v;
        let (east, north) = (cos_u * sin_v, self.cos_axis * cos_u * cos_v - self.sin_axis * sin_u);
        let cos_t = east.hypot(north);
        // D is counted from the meridian of the two poles, away from the pole of the Earth.
        let d = east.atan2(north);
        if !(sin_t > -0.999_999) {
            return (f64::NAN, f64::NAN);
        }
        let r = self.radius_m * (-self.n * isometric_of_conformal(sin_t, cos_t)).exp();
        let (sin, cos) = (self.n * d).sin_cos();
        let (mut southing, mut westing) = (r * cos, r * sin);
        if self.modified {
            let (dx, dy) = modification(southing, westing);
            (southing, westing) = (southing - dx, westing - dy);
        }
        (self.sign * westing, self.sign * southing)
    }

    fn inverse(&self, x: f64, y: f64) -> (f64, f64) {
        let (mut westing, mut southing) = (self.sign * x, self.sign * y);
        if self.modified {
            // The modification is a decimetre and nearly constant: two rounds are a nanometre.
            let (w0, s0) = (westing, southing);
            for _ in 0..6 {
                let (dx, dy) = modification(southing, westing);
                (southing, westing) = (s0 + dx, w0 + dy);
            }
        }
        let r = southing.hypot(westing);
        let d = within_half_turn(westing.atan2(southing) / self.n);
        let (sin_t, cos_t) = conformal_of_isometric(-(r / self.radius_m).ln() / self.n);
        let (sin_d, cos_d) = d.sin_cos();
        let sin_u = self.cos_axis * sin_t - self.sin_axis * cos_t * cos_d;
        let (east, north) = (cos_t * sin_d, self.cos_axis * cos_t * cos_d + self.sin_axis * sin_t);
        let cos_u = east.hypot(north);
        let psi = (isometric_of_conformal(sin_u, cos_u) - self.ln_t0) / self.b;
        let (sin_chi, cos_chi) = conformal_of_isometric(psi);
        let lambda = within_half_turn(-east.atan2(north) / self.b);
        (lambda, self.conformal.geodetic(sin_chi.atan2(cos_chi), sin_chi, cos_chi))
    }
}
