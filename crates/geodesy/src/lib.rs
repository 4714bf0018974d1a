//! Coordinates: how they are written, which system they belong to, and the way from one system to another.
//!
//! Plain numbers and small structs in and out; no files, no network, no tables. Order is always
//! longitude/easting first, then latitude/northing, then height. Angles are degrees in names that end in
//! `_deg`, lengths are metres in names that end in `_m`.
//!
//! | module | what is in it |
//! |---|---|
//! | [`notation`] | the written forms of a position: parser and printer of each |
//! | [`mod@unit`] | units of length and angle |
//! | [`ellipsoid`], [`latitude`] | the figure of the Earth and its auxiliary latitudes |
//! | [`projection`] | map projections, one file each |
//! | [`datum`] | geocentric coordinates and Helmert transformations |
//! | [`crs`] | coordinate reference systems: definitions, the embedded catalogue, search, WKT |
//! | [`operation`] | finding and applying the operation between two systems |
//! | [`zone`] | zones of the universal transverse Mercator grid |
//! | [`sheet`] | the international numbering of map sheets |
//!
//! ```
//! use basilocus_geodesy::{crs::Catalogue, operation::Operation};
//!
//! let catalogue = Catalogue::embedded();
//! let wgs84 = catalogue.get(4326)?;
//! let utm = catalogue.find_one("EPSG:32610")?;
//! let operation = Operation::between(&wgs84, &utm, None)?;
//! let (easting, northing, _) = operation.apply_one(-123.8, 46.2, 0.0).unwrap();
//! assert_eq!((easting.round(), northing.round()), (438278.0, 5116580.0));
//! # Ok::<(), basilocus_geodesy::Error>(())
//! ```

pub mod crs;
pub mod datum;
pub mod ellipsoid;
mod error;
pub mod geodesic;
pub mod latitude;
mod names;
pub mod notation;
pub mod operation;
pub mod plate;
pub mod projection;
pub mod sheet;
pub mod unit;
pub mod zone;

pub use error::Error;
pub use names::UnknownName;
