//! Projection parameters and the many names they go by.

use super::{Frame, is_same_name, plain};
use crate::ellipsoid::Ellipsoid;

/// Named parameters of a projection as the registry gives them: angles in degrees, lengths in the system's unit.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Parameters(pub Vec<(String, f64)>);

impl Parameters {
    /// The value of a parameter under exactly this name.
    pub fn get(&self, name: &str) -> Option<f64> {
        self.0.iter().find(|(n, _)| n == name).map(|(_, v)| *v)
    }

    /// The value of a parameter under any of its names.
    pub fn value(&self, parameter: Parameter) -> Option<f64> {
        self.0.iter().find(|(n, _)| Parameter::from_name(n) == Some(parameter)).map(|(_, v)| *v)
    }
}

macro_rules! parameter_names {
    ($($(#[$doc:meta])* $name:ident, $epsg:expr, $wkt1:expr, [$($other:expr),*];)*) => {
        /// What a parameter means, whatever it is called.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        #[non_exhaustive]
        pub enum Parameter {
            $($(#[$doc])* $name,)*
        }

        impl Parameter {
            /// All parameters.
            pub const ALL: &'static [Parameter] = &[$(Parameter::$name),*];

            /// The name in ISO 19162:2019 and in the registry.
            pub fn name(self) -> &'static str {
                match self { $(Parameter::$name => $epsg,)* }
            }

            /// The name in the first form of well-known text.
            pub fn wkt1_name(self) -> &'static str {
                match self { $(Parameter::$name => $wkt1,)* }
            }

            /// The parameter of a name, compared without case, blanks and signs.
            pub fn from_name(name: &str) -> Option<Self> {
                $(if is_same_name($epsg, name) || is_same_name($wkt1, name) $(|| is_same_name($other, name))* {
                    return Some(Parameter::$name);
                })*
                None
            }
        }
    };
}

parameter_names! {
    /// Latitude of the natural or false origin or of the projection's centre.
    LatitudeOfOrigin, "Latitude of natural origin", "latitude_of_origin",
        ["latitude_of_center", "Latitude of false origin", "Latitude of projection centre", "latitude_of_centre", "central_parallel"];
    /// Longitude of the natural or false origin or of the projection's centre.
    LongitudeOfOrigin, "Longitude of natural origin", "central_meridian",
        ["longitude_of_center", "Longitude of false origin", "Longitude of projection centre", "Longitude of origin",
         "longitude_of_origin", "longitude_of_centre"];
    /// First standard parallel, or the only one.
    StandardParallel1, "Latitude of 1st standard parallel", "standard_parallel_1", ["Latitude of standard parallel"];
    /// Second standard parallel.
    StandardParallel2, "Latitude of 2nd standard parallel", "standard_parallel_2", [];
    /// Scale factor at the origin, on the initial line or on the pseudo standard parallel.
    ScaleFactor, "Scale factor at natural origin", "scale_factor",
        ["Scale factor on initial line", "Scale factor at projection centre", "Scale factor on pseudo standard parallel"];
    /// False easting, or the easting of the false origin.
    FalseEasting, "False easting", "false_easting", ["Easting at false origin", "Easting at projection centre"];
    /// False northing, or the northing of the false origin.
    FalseNorthing, "False northing", "false_northing", ["Northing at false origin", "Northing at projection centre"];
    /// Azimuth of the initial line.
    Azimuth, "Azimuth of initial line", "azimuth", ["Azimuth at projection centre"];
    /// Angle between the rectified and the skew grid.
    RectifiedGridAngle, "Angle from Rectified to Skew Grid", "rectified_grid_angle", [];
    /// Co-latitude of a cone's axis.
    ConeAxisColatitude, "Co-latitude of cone axis", "colatitude_of_cone_axis", [];
    /// Latitude of the standard parallel on the tilted cone.
    PseudoStandardParallel, "Latitude of pseudo standard parallel", "pseudo_standard_parallel_1", [];
    /// Western limit of the first zone.
    InitialLongitude, "Initial longitude", "initial_longitude", [];
    /// Width of a zone.
    ZoneWidth, "Zone width", "zone_width", [];
    /// Factor by which the ellipsoid is enlarged.
    EllipsoidScaling, "Ellipsoid scaling factor", "ellipsoid_scaling_factor", [];
    /// Longitude of the first of two points.
    LongitudeOfPoint1, "Longitude of 1st point", "longitude_of_point_1", ["longitude_of_1st_point"];
    /// Latitude of the first of two points.
    LatitudeOfPoint1, "Latitude of 1st point", "latitude_of_point_1", ["latitude_of_1st_point"];
    /// Longitude of the second of two points.
    LongitudeOfPoint2, "Longitude of 2nd point", "longitude_of_point_2", ["longitude_of_2nd_point"];
    /// Latitude of the second of two points.
    LatitudeOfPoint2, "Latitude of 2nd point", "latitude_of_point_2", ["latitude_of_2nd_point"];
}

impl Parameter {
    /// Whether the value is an angle (degrees).
    pub fn is_angle(self) -> bool {
        !self.is_length() && !self.is_number()
    }

    /// Whether the value is a length (in the system's unit).
    pub fn is_length(self) -> bool {
        matches!(self, Parameter::FalseEasting | Parameter::FalseNorthing)
    }

    /// Whether the value has no unit.
    pub fn is_number(self) -> bool {
        matches!(self, Parameter::ScaleFactor | Parameter::EllipsoidScaling)
    }
}

/// A parameter that is missing or not usable.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// Name of the parameter.
    pub parameter: String,
    /// What is wrong with it, to follow its name.
    pub problem: String,
}

/// Parameters with the ellipsoid and the unit that they are for.
#[derive(Debug, Clone)]
pub struct Given<'a> {
    method: String,
    parameters: &'a Parameters,
    /// The ellipsoid that is projected.
    pub ellipsoid: &'a Ellipsoid,
    unit_m: f64,
}

impl<'a> Given<'a> {
    /// Parameters of a method; `unit_m` metres are one unit of the lengths.
    pub fn new(method: &str, parameters: &'a Parameters, ellipsoid: &'a Ellipsoid, unit_m: f64) -> Self {
        Given { method: plain(method), parameters, ellipsoid, unit_m }
    }

    /// Whether the method's name, without case and signs, contains a part.
    pub fn is(&self, part: &str) -> bool {
        self.method.contains(part)
    }

    /// A problem with a parameter.
    pub fn problem(&self, parameter: Parameter, problem: &str) -> Problem {
        let given = self.parameters.0.iter().find(|(n, _)| Parameter::from_name(n) == Some(parameter));
        Problem {
            parameter: given.map_or(parameter.wkt1_name().to_string(), |(n, _)| n.clone()),
            problem: problem.into(),
        }
    }

    /// A parameter that may be missing.
    ///
    /// # Errors
    /// [`Problem`] if it is not a number.
    pub fn optional(&self, parameter: Parameter) -> Result<Option<f64>, Problem> {
        match self.parameters.value(parameter) {
            Some(v) if !v.is_finite() => Err(self.problem(parameter, "is not a number")),
            other => Ok(other),
        }
    }

    /// A parameter that has to be there.
    ///
    /// # Errors
    /// [`Problem`] if it is missing or not a number.
    pub fn need(&self, parameter: Parameter) -> Result<f64, Problem> {
        self.optional(parameter)?.ok_or_else(|| self.problem(parameter, "is missing"))
    }

    /// A latitude in radians.
    ///
    /// # Errors
    /// [`Problem`] if it is missing, not a number or beyond ±90°.
    pub fn latitude(&self, parameter: Parameter) -> Result<f64, Problem> {
        let value = self.need(parameter)?;
        if value.abs() <= 90.0 { Ok(value.to_radians()) } else { Err(self.problem(parameter, "is not a latitude")) }
    }

    /// A latitude in radians, 0 where it is not given.
    ///
    /// # Errors
    /// [`Problem`] if it is not a number or beyond ±90°.
    pub fn latitude_or_equator(&self, parameter: Parameter) -> Result<f64, Problem> {
        if self.optional(parameter)?.is_none() { Ok(0.0) } else { self.latitude(parameter) }
    }

    /// The scale factor, 1 where it is not given.
    ///
    /// # Errors
    /// [`Problem`] if it is not above zero.
    pub fn scale(&self) -> Result<f64, Problem> {
        match self.optional(Parameter::ScaleFactor)?.unwrap_or(1.0) {
            k if k > 0.0 => Ok(k),
            _ => Err(self.problem(Parameter::ScaleFactor, "is not above zero")),
        }
    }

    /// Central meridian (0 where none is given) and false origin, metres.
    ///
    /// # Errors
    /// [`Problem`] if one of them is not a number.
    pub fn frame(&self) -> Result<Frame, Problem> {
        Ok(Frame {
            central_meridian_deg: self.optional(Parameter::LongitudeOfOrigin)?.unwrap_or(0.0),
            false_easting_m: self.optional(Parameter::FalseEasting)?.unwrap_or(0.0) * self.unit_m,
            false_northing_m: self.optional(Parameter::FalseNorthing)?.unwrap_or(0.0) * self.unit_m,
        })
    }
}
