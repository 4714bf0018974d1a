//! Map projections, one file each.
//!
//! | method | file |
//! |---|---|
//! | Transverse Mercator | [`transverse_mercator`] |
//! | Lambert conformal conic, one and two standard parallels | [`lambert_conformal_conic`] |
//!
//! To add one: a file with `forward`, `inverse` and its tests, a variant of [`Projection`], and a line in
//! [`Projection::from_parameters`].

pub mod lambert_conformal_conic;
pub mod transverse_mercator;

pub use lambert_conformal_conic::LambertConformalConic;
pub use transverse_mercator::TransverseMercator;

use crate::ellipsoid::Ellipsoid;
use crate::error::Error;

/// The methods that work, for messages.
pub const IMPLEMENTED: &str = "Transverse Mercator; Lambert conformal conic (1SP, 2SP)";

/// The registry's method names that [`Projection::from_parameters`] takes.
pub const METHODS: &[&str] = &["Transverse_Mercator", "Lambert_Conformal_Conic_1SP", "Lambert_Conformal_Conic_2SP"];

/// Named parameters of a projection as the registry gives them: angles in degrees, lengths in the system's unit.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Parameters(pub Vec<(String, f64)>);

impl Parameters {
    /// The value of a parameter.
    pub fn get(&self, name: &str) -> Option<f64> {
        self.0.iter().find(|(n, _)| n == name).map(|(_, v)| *v)
    }
}

/// A projection that is ready to compute.
///
/// Longitudes are degrees from the prime meridian of the system, latitudes degrees, eastings and northings
/// metres (false easting and northing included).
#[derive(Debug, Clone, PartialEq)]
pub enum Projection {
    /// See [`TransverseMercator`].
    TransverseMercator(TransverseMercator),
    /// See [`LambertConformalConic`].
    LambertConformalConic(LambertConformalConic),
}

impl Projection {
    /// Builds a projection from the registry's method name and parameters.
    ///
    /// `crs` names the system in errors; `unit_m` is the number of metres in the unit of the false easting and
    /// northing.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`] for a method that is not in [`METHODS`], [`Error::Parameter`] where a
    /// parameter is missing or not usable.
    pub fn from_parameters(
        crs: &str,
        method: &str,
        parameters: &Parameters,
        ellipsoid: &Ellipsoid,
        unit_m: f64,
    ) -> Result<Self, Error> {
        let need = |name: &str| {
            let value = parameters.get(name).ok_or_else(|| parameter_error(crs, name, "is missing"))?;
            if value.is_finite() { Ok(value) } else { Err(parameter_error(crs, name, "is not a number")) }
        };
        let latitude = |name: &str| {
            let value = need(name)?;
            if value.abs() <= 90.0 { Ok(value) } else { Err(parameter_error(crs, name, "is not a latitude")) }
        };
        let false_easting_m = parameters.get("false_easting").unwrap_or(0.0) * unit_m;
        let false_northing_m = parameters.get("false_northing").unwrap_or(0.0) * unit_m;
        match method {
            "Transverse_Mercator" => Ok(Projection::TransverseMercator(TransverseMercator::new(
                ellipsoid,
                need("central_meridian")?,
                latitude("latitude_of_origin")?,
                parameters.get("scale_factor").unwrap_or(1.0),
                false_easting_m,
                false_northing_m,
            ))),
            "Lambert_Conformal_Conic_1SP" => LambertConformalConic::one_standard_parallel(
                ellipsoid,
                need("central_meridian")?,
                latitude("latitude_of_origin")?,
                parameters.get("scale_factor").unwrap_or(1.0),
                false_easting_m,
                false_northing_m,
            )
            .map(Projection::LambertConformalConic)
            .map_err(|problem| parameter_error(crs, "latitude_of_origin", problem)),
            "Lambert_Conformal_Conic_2SP" => LambertConformalConic::two_standard_parallels(
                ellipsoid,
                need("central_meridian")?,
                latitude("latitude_of_origin")?,
                latitude("standard_parallel_1")?,
                latitude("standard_parallel_2")?,
                false_easting_m,
                false_northing_m,
            )
            .map(Projection::LambertConformalConic)
            .map_err(|problem| parameter_error(crs, "standard_parallel_1", problem)),
            other => Err(Error::MethodNotImplemented {
                crs: crs.to_string(),
                method: other.replace('_', " "),
                implemented: IMPLEMENTED,
            }),
        }
    }

    /// Longitude and latitude (degrees) to easting and northing (metres), in place over two columns.
    ///
    /// A position outside the projection's domain becomes NaN in both columns.
    pub fn forward_batch(&self, x: &mut [f64], y: &mut [f64]) {
        match self {
            Projection::TransverseMercator(p) => each(x, y, |lon, lat| p.forward_or_nan(lon, lat)),
            Projection::LambertConformalConic(p) => {
                each(x, y, |lon, lat| p.forward(lon, lat).unwrap_or((f64::NAN, f64::NAN)))
            }
        }
    }

    /// Easting and northing (metres) to longitude and latitude (degrees), in place over two columns.
    ///
    /// A position outside the projection's domain becomes NaN in both columns.
    pub fn inverse_batch(&self, x: &mut [f64], y: &mut [f64]) {
        match self {
            Projection::TransverseMercator(p) => each(x, y, |e, n| p.inverse_or_nan(e, n)),
            Projection::LambertConformalConic(p) => each(x, y, |e, n| p.inverse(e, n).unwrap_or((f64::NAN, f64::NAN))),
        }
    }
}

#[inline(always)]
fn each(x: &mut [f64], y: &mut [f64], f: impl Fn(f64, f64) -> (f64, f64)) {
    for (x, y) in x.iter_mut().zip(y.iter_mut()) {
        (*x, *y) = f(*x, *y);
    }
}

fn parameter_error(crs: &str, parameter: &str, problem: &str) -> Error {
    Error::Parameter { crs: crs.to_string(), parameter: parameter.to_string(), problem: problem.to_string() }
}

/// Brings a longitude or a difference of longitudes into −180…180 degrees. What is there already is not touched.
#[inline(always)]
pub(crate) fn wrap_deg(deg: f64) -> f64 {
    deg - 360.0 * crate::trigonometry::nearest(deg * (1.0 / 360.0))
}
