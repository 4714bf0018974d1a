//! Coordinate reference systems (ISO 19111): definitions, the embedded catalogue, search, WKT.

pub mod advise;
pub mod catalogue;
mod detect;
mod meant;
mod recognise;
mod search;
pub mod wkt;

pub use advise::{Advice, Purpose, advise};
pub use catalogue::Catalogue;
pub use detect::{Detected, detect};
pub use meant::Meant;
pub use recognise::{Recognition, recognise};
pub use search::Hit;

use crate::datum::Helmert;
use crate::ellipsoid::Ellipsoid;
use crate::error::Error;
use crate::projection::{Parameters, Projection};
use crate::unit::{AngularUnit, LinearUnit};

/// Where a system came from and how it is named.
#[derive(Debug, Clone, PartialEq)]
pub struct Crs {
    /// Code in the EPSG registry; `None` for a system of the user's own.
    pub code: Option<u32>,
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
        /// The geographic system that is projected.
        base: Base,
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
        /// Where.
        horizontal: Box<Crs>,
        /// How high.
        vertical: Box<Crs>,
    },
    /// A horizontal system with heights above its own ellipsoid.
    ThreeDimensional {
        /// Where.
        horizontal: Box<Crs>,
        /// Unit of the heights.
        unit: LinearUnit,
    },
    /// A local grid that nothing ties to the Earth but control pairs (ISO 19111: engineering system).
    Engineering {
        /// Unit of both axes, where it is known.
        unit: Option<LinearUnit>,
    },
}

/// The geographic system under a projection.
#[derive(Debug, Clone, PartialEq)]
pub struct Base {
    /// Its code in the registry, where it has one.
    pub code: Option<u32>,
    /// Its name.
    pub name: String,
    /// Its unit of angle.
    pub unit: AngularUnit,
}

/// What the heights of a system are counted from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Heights<'a> {
    /// It has none.
    None,
    /// The ellipsoid.
    Ellipsoid {
        /// Unit of the heights.
        unit: &'a LinearUnit,
    },
    /// A level surface: a vertical datum.
    Level {
        /// The vertical system.
        system: &'a Crs,
        /// Name of its datum.
        datum_name: &'a str,
        /// Unit of the heights.
        unit: &'a LinearUnit,
        /// Whether the numbers grow downwards.
        depths: bool,
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

impl Datum {
    /// Whether it is a realisation of the global frame, against which every plate moves by centimetres a year. WGS 84
    /// as the registry has it is an ensemble that is used without an epoch, and is not meant here.
    pub fn is_dynamic(&self) -> bool {
        const FAMILIES: [&str; 5] =
            ["International Terrestrial Reference Frame", "ITRF", "IGS", "IGb", "World Geodetic System 1984 "];
        FAMILIES.iter().any(|f| self.name.starts_with(f))
    }
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
    /// West, south, east, north in degrees, without words.
    pub fn of_bounds([west_deg, south_deg, east_deg, north_deg]: [f64; 4]) -> Self {
        Area { west_deg, south_deg, east_deg, north_deg, description: String::new() }
    }

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

    /// What two areas have in common; the widest piece, where they meet in two across the globe.
    ///
    /// ```
    /// use basilocus_geodesy::crs::Area;
    ///
    /// let [fiji, east] = [[176.0, -20.0, -178.0, -16.0], [-180.0, -30.0, -170.0, -17.0]].map(Area::of_bounds);
    /// let both = fiji.overlap(&east).unwrap();
    /// assert_eq!((both.west_deg, both.south_deg, both.east_deg, both.north_deg), (-180.0, -20.0, -178.0, -17.0));
    /// assert_eq!(fiji.overlap(&Area::of_bounds([0.0, -20.0, 10.0, -16.0])), None);
    /// ```
    pub fn overlap(&self, other: &Area) -> Option<Area> {
        let (south_deg, north_deg) = (self.south_deg.max(other.south_deg), self.north_deg.min(other.north_deg));
        // Both in longitudes from the western limit of this one on, the other one once more a turn to the west.
        let width = |a: &Area| a.east_deg - a.west_deg + if a.west_deg <= a.east_deg { 0.0 } else { 360.0 };
        let offset = (other.west_deg - self.west_deg).rem_euclid(360.0);
        let common = |from: f64| (from.max(0.0), (from + width(other)).min(width(self)));
        let (from, to) =
            [common(offset), common(offset - 360.0)].into_iter().max_by(|a, b| (a.1 - a.0).total_cmp(&(b.1 - b.0)))?;
        let (west, east) = (self.west_deg + from, self.west_deg + to);
        let west_deg = if west >= 180.0 { west - 360.0 } else { west };
        let east_deg = if east > 180.0 { east - 360.0 } else { east };
        let is_one = to >= from && north_deg >= south_deg;
        is_one.then(|| Area { west_deg, south_deg, east_deg, north_deg, description: self.description.clone() })
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
    /// `EPSG:2269`, `EPSG:4326+5773`; the name of a system that has no code.
    pub fn identifier(&self) -> String {
        let part = |c: &Crs| c.code.map_or_else(|| c.name.clone(), |code| code.to_string());
        match (&self.code, &self.kind) {
            (Some(code), _) => format!("EPSG:{code}"),
            (None, Kind::Compound { horizontal, vertical }) => {
                format!("{}+{}", horizontal.identifier(), part(vertical))
            }
            (None, Kind::ThreeDimensional { horizontal, .. }) => format!("{}+ellipsoidal", horizontal.identifier()),
            (None, _) => self.name.clone(),
        }
    }

    /// `NAD83 / Oregon North (ft) (EPSG:2269)`.
    pub fn title(&self) -> String {
        let identifier = self.identifier();
        if identifier == self.name {
            format!("{identifier} (a system of your own)")
        } else {
            format!("{} ({identifier})", self.name)
        }
    }

    /// Whether northing or latitude stands first in the registry; `None` where our catalogue does not know. Coordinates of
    /// this library are easting or longitude first whatever the registry has.
    pub fn north_first(&self) -> Option<bool> {
        match (&self.horizontal().kind, self.horizontal().axes.as_str()) {
            // So are all geographic systems of the registry.
            (Kind::Geographic { .. }, _) => Some(true),
            (_, "") => None,
            (_, axes) => Some(!axes.starts_with("east")),
        }
    }

    /// Whether two systems are the same: by code, or by all that they say.
    pub fn is_same(&self, other: &Crs) -> bool {
        match (self.code, other.code) {
            (Some(a), Some(b)) => a == b,
            _ => self == other,
        }
    }

    /// The horizontal part: the system itself where it has no heights.
    pub fn horizontal(&self) -> &Crs {
        match &self.kind {
            Kind::Compound { horizontal, .. } | Kind::ThreeDimensional { horizontal, .. } => horizontal,
            _ => self,
        }
    }

    /// What its heights are counted from.
    pub fn heights(&self) -> Heights<'_> {
        match &self.kind {
            Kind::ThreeDimensional { unit, .. } => Heights::Ellipsoid { unit },
            Kind::Compound { vertical, .. } => vertical.heights(),
            Kind::Vertical { datum_name, unit } => {
                Heights::Level { system: self, datum_name, unit, depths: self.axes == "down" }
            }
            _ => Heights::None,
        }
    }

    /// Puts heights on a horizontal system: those of a vertical system, or with `None` metres above the ellipsoid.
    ///
    /// # Errors
    /// [`Error::Parts`] where the parts do not make a compound system.
    pub fn with_heights(self, vertical: Option<Crs>) -> Result<Crs, Error> {
        let parts = |problem: &str| Error::Parts { crs: self.title(), problem: problem.to_string() };
        if !matches!(self.kind, Kind::Geographic { .. } | Kind::Projected { .. }) {
            return Err(parts("is not geographic or projected, so no heights can be put on it"));
        }
        let area = self.area.clone();
        let axes = self.axes.clone();
        let (name, kind) = match vertical {
            None => (
                format!("{} with ellipsoidal height", self.name),
                Kind::ThreeDimensional { horizontal: Box::new(self), unit: LinearUnit::metre() },
            ),
            Some(v) if matches!(v.kind, Kind::Vertical { .. }) => (
                format!("{} + {}", self.name, v.name),
                Kind::Compound { horizontal: Box::new(self), vertical: Box::new(v) },
            ),
            Some(v) => return Err(Error::Parts { crs: v.title(), problem: "is not a vertical system".into() }),
        };
        Ok(Crs { code: None, name, kind, area, axes })
    }

    /// A local grid.
    pub fn local(name: impl Into<String>, unit: Option<LinearUnit>) -> Crs {
        let area = Area {
            west_deg: -180.0,
            south_deg: -90.0,
            east_deg: 180.0,
            north_deg: 90.0,
            description: "wherever the control pairs are".into(),
        };
        Crs { code: None, name: name.into(), kind: Kind::Engineering { unit }, area, axes: "east,north".into() }
    }

    /// Datum, for the kinds that have one.
    pub fn datum(&self) -> Option<&Datum> {
        match &self.horizontal().kind {
            Kind::Geographic { datum, .. } | Kind::Projected { datum, .. } | Kind::Geocentric { datum } => Some(datum),
            _ => None,
        }
    }

    /// Whether positions are longitude and latitude.
    pub fn is_geographic(&self) -> bool {
        matches!(self.horizontal().kind, Kind::Geographic { .. })
    }

    /// The geographic system that the system is on: itself, or the one under its projection.
    pub fn geographic(&self) -> Option<Crs> {
        match &self.horizontal().kind {
            Kind::Geographic { .. } => Some(self.horizontal().clone()),
            Kind::Projected { base, datum, .. } => Some(Crs {
                code: base.code,
                name: base.name.clone(),
                kind: Kind::Geographic { datum: datum.clone(), unit: base.unit.clone() },
                area: self.area.clone(),
                axes: String::new(),
            }),
            Kind::Geocentric { datum } => Catalogue::embedded().geographic_of_datum(&datum.name),
            _ => None,
        }
    }

    /// The kind in one word, as the registry says it.
    pub fn kind_name(&self) -> &'static str {
        match self.kind {
            Kind::Geographic { .. } => "geographic",
            Kind::Projected { .. } => "projected",
            Kind::Geocentric { .. } => "geocentric",
            Kind::Vertical { .. } => "vertical",
            Kind::Compound { .. } => "compound",
            Kind::ThreeDimensional { .. } => "three-dimensional",
            Kind::Engineering { .. } => "local",
        }
    }

    /// The unit of the axes in words: `degrees`, `international feet`.
    pub fn unit_words(&self) -> String {
        let heights = |h: &Crs, unit: &LinearUnit| match h.unit_words() {
            same if same == unit.plural() => same,
            other => format!("{other}, heights in {}", unit.plural()),
        };
        match &self.kind {
            Kind::Geographic { unit, .. } => format!("{}s", unit.name),
            Kind::Projected { unit, .. } | Kind::Vertical { unit, .. } => unit.plural(),
            Kind::Geocentric { .. } => "metres".into(),
            Kind::Compound { horizontal, vertical } => match &vertical.kind {
                Kind::Vertical { unit, .. } => heights(horizontal, unit),
                _ => horizontal.unit_words(),
            },
            Kind::ThreeDimensional { horizontal, unit } => heights(horizontal, unit),
            Kind::Engineering { unit } => unit.as_ref().map_or("units of the local grid".into(), LinearUnit::plural),
        }
    }

    /// Names of the coordinate columns in this system, in the order easting/longitude, northing/latitude, height.
    pub fn column_names(&self) -> [&'static str; 3] {
        match self.horizontal().kind {
            Kind::Geographic { .. } => ["lon", "lat", "height"],
            Kind::Geocentric { .. } => ["x", "y", "z"],
            _ => ["easting", "northing", "height"],
        }
    }

    /// The projection of a projected system, ready to compute.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`] or [`Error::Parameter`]; [`Error::NoPositions`] for vertical systems.
    /// `Ok(None)` for systems that are not projected.
    pub fn projection(&self) -> Result<Option<Projection>, Error> {
        match &self.horizontal().kind {
            Kind::Projected { datum, method, parameters, unit, .. } => {
                // The registry's file gives the variants of Krovak one name and tells them apart by their axes.
                let north = method == "Krovak" && self.axes == "east,north";
                let method = if north { "Krovak (North Orientated)" } else { method };
                Projection::from_parameters(&self.title(), method, parameters, &datum.ellipsoid, unit.metres).map(Some)
            }
            Kind::Vertical { .. } => Err(Error::NoPositions { crs: self.title(), code: self.code }),
            _ => Ok(None),
        }
    }
}
