//! Coordinate reference systems (ISO 19111): definitions, the embedded catalogue, search, WKT.

pub mod catalogue;
mod search;
pub mod wkt;

pub use catalogue::Catalogue;
pub use search::Hit;

use crate::datum::Helmert;
use crate::ellipsoid::Ellipsoid;
use crate::error::Error;
use crate::projection::{Parameters, Projection};
use crate::unit::{AngularUnit, LinearUnit};

/// Where a system came from and how it is named.
#[derive(Debug, Clone, PartialEq)]
pub struct Crs {
    /// Code in the EPSG registry.
    pub code: u32,
    /// Name in the registry.
    pub name: String,
    /// What kind of system it is, with what that kind needs.
    pub kind: Kind,
    /// Area of use.
    pub area: Area,
    /// Axis directions in the order of the registry, where known (`east,north`). Coordinates in this library are
    /// always easting/longitude first, whatever this says.
    pub axes: String,
}

/// The kinds of reference systems.
#[derive(Debug, Clone, PartialEq)]
pub enum Kind {
    /// Longitude and latitude on an ellipsoid.
    Geographic {
        /// Datum, ellipsoid and prime meridian.
        datum: Datum,
        /// Unit of both axes.
        unit: AngularUnit,
    },
    /// Easting and northing on a map projection.
    Projected {
        /// Datum, ellipsoid and prime meridian.
        datum: Datum,
        /// Code of the geographic system that is projected.
        base_code: u32,
        /// Projection method, as the registry names it.
        method: String,
        /// Its parameters: angles in degrees, lengths in `unit`.
        parameters: Parameters,
        /// Unit of both axes.
        unit: LinearUnit,
    },
    /// X, Y, Z from the centre of the ellipsoid, metres.
    Geocentric {
        /// Datum, ellipsoid and prime meridian.
        datum: Datum,
    },
    /// Heights or depths alone.
    Vertical {
        /// Name of the vertical datum.
        datum_name: String,
        /// Unit of the axis.
        unit: LinearUnit,
    },
    /// A horizontal and a vertical system together.
    Compound {
        /// Codes of the two parts.
        parts: [u32; 2],
    },
}

/// A geodetic datum or reference frame.
#[derive(Debug, Clone, PartialEq)]
pub struct Datum {
    /// Name in the registry, blanks for underscores.
    pub name: String,
    /// Its ellipsoid.
    pub ellipsoid: Ellipsoid,
    /// Name of the prime meridian.
    pub prime_meridian: String,
    /// Longitude of the prime meridian, degrees east of Greenwich.
    pub prime_meridian_deg: f64,
    /// The registry's one shift to WGS 84, where there is one.
    pub shift: Option<Shift>,
}

/// A transformation to WGS 84 and how good it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Shift {
    /// The parameters, position-vector convention.
    pub helmert: Helmert,
    /// Accuracy in metres, as the registry gives it; `None` where it gives none.
    pub accuracy_m: Option<f64>,
}

/// Area of use in degrees; `west` is greater than `east` where it crosses the 180° meridian.
#[derive(Debug, Clone, PartialEq)]
pub struct Area {
    /// Western limit.
    pub west_deg: f64,
    /// Southern limit.
    pub south_deg: f64,
    /// Eastern limit.
    pub east_deg: f64,
    /// Northern limit.
    pub north_deg: f64,
    /// The area in words, as the registry has it (long texts are cut).
    pub description: String,
}

impl Area {
    /// Whether a position (degrees) is inside or on the limits.
    pub fn contains(&self, lon_deg: f64, lat_deg: f64) -> bool {
        let in_longitude = if self.west_deg <= self.east_deg {
            (self.west_deg..=self.east_deg).contains(&lon_deg)
        } else {
            lon_deg >= self.west_deg || lon_deg <= self.east_deg
        };
        in_longitude && (self.south_deg..=self.north_deg).contains(&lat_deg)
    }

    /// Whether another area lies inside this one.
    pub fn contains_area(&self, other: &Area) -> bool {
        let width = |a: &Area| {
            if a.west_deg <= a.east_deg { a.east_deg - a.west_deg } else { a.east_deg - a.west_deg + 360.0 }
        };
        let offset = (other.west_deg - self.west_deg).rem_euclid(360.0);
        let in_longitude = width(self) >= 360.0 || offset + width(other) <= width(self) + 1e-9;
        in_longitude && other.south_deg >= self.south_deg && other.north_deg <= self.north_deg
    }

    /// Size on the sphere as a share of the whole, for ranking.
    pub fn share_of_earth(&self) -> f64 {
        let width = if self.west_deg <= self.east_deg {
            self.east_deg - self.west_deg
        } else {
            self.east_deg - self.west_deg + 360.0
        };
        width / 360.0 * (self.north_deg.to_radians().sin() - self.south_deg.to_radians().sin()) / 2.0
    }
}

impl Crs {
    /// `EPSG:2269`.
    pub fn identifier(&self) -> String {
        format!("EPSG:{}", self.code)
    }

    /// `NAD83 / Oregon North (ft) (EPSG:2269)`.
    pub fn title(&self) -> String {
        format!("{} ({})", self.name, self.identifier())
    }

    /// Datum, for the kinds that have one.
    pub fn datum(&self) -> Option<&Datum> {
        match &self.kind {
            Kind::Geographic { datum, .. } | Kind::Projected { datum, .. } | Kind::Geocentric { datum } => Some(datum),
            Kind::Vertical { .. } | Kind::Compound { .. } => None,
        }
    }

    /// Whether positions are longitude and latitude.
    pub fn is_geographic(&self) -> bool {
        matches!(self.kind, Kind::Geographic { .. })
    }

    /// The kind in one word, as the registry says it.
    pub fn kind_name(&self) -> &'static str {
        match self.kind {
            Kind::Geographic { .. } => "geographic",
            Kind::Projected { .. } => "projected",
            Kind::Geocentric { .. } => "geocentric",
            Kind::Vertical { .. } => "vertical",
            Kind::Compound { .. } => "compound",
        }
    }

    /// The unit of the axes in words: `degrees`, `international feet`.
    pub fn unit_words(&self) -> String {
        match &self.kind {
            Kind::Geographic { unit, .. } => format!("{}s", unit.name),
            Kind::Projected { unit, .. } | Kind::Vertical { unit, .. } => unit.plural(),
            Kind::Geocentric { .. } => "metres".into(),
            Kind::Compound { .. } => "those of its parts".into(),
        }
    }

    /// Names of the coordinate columns in this system, in the order easting/longitude, northing/latitude, height.
    pub fn column_names(&self) -> [&'static str; 3] {
        match self.kind {
            Kind::Geographic { .. } => ["lon", "lat", "height"],
            Kind::Geocentric { .. } => ["x", "y", "z"],
            _ => ["easting", "northing", "height"],
        }
    }

    /// The projection of a projected system, ready to compute.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`] or [`Error::Parameter`]; [`Error::KindNotImplemented`] for vertical and
    /// compound systems. `Ok(None)` for geographic and geocentric systems.
    pub fn projection(&self) -> Result<Option<Projection>, Error> {
        match &self.kind {
            Kind::Projected { datum, method, parameters, unit, .. } => {
                // The registry's file gives the variants of Krovak one name and tells them apart by their axes.
                let north = method == "Krovak" && self.axes == "east,north";
                let method = if north { "Krovak (North Orientated)" } else { method };
                Projection::from_parameters(&self.title(), method, parameters, &datum.ellipsoid, unit.metres).map(Some)
            }
            Kind::Geographic { .. } | Kind::Geocentric { .. } => Ok(None),
            Kind::Vertical { .. } | Kind::Compound { .. } => {
                Err(Error::KindNotImplemented { crs: self.title(), kind: self.kind_name() })
            }
        }
    }
}
