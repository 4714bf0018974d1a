//! Tables of addresses and coordinates to point layers, with an account of every row.
//!
//! | to | begin with |
//! |---|---|
//! | take a layer through steps, call by call | [`Layer`] |
//! | run what a file says, or build such a file | [`Plan`], [`run`] |
//! | say what a file holds | [`look`](fn@look) |
//! | run a plan again and again, as its sources change | [`repeat`](fn@repeat::repeat) |
//! | ask a layer in parts, by extent, time, values | [`collections`] |
//! | ask one thing: a coordinate, a system, a distance | [`lookup`] |
//! | add a step of one's own | [`steps`] |
//! | match a column of addresses | [`Geocoder`] |
//! | read a tutorial, or short answers | [`guide`] |
//! | transform numbers, read notations, find systems | [`geodesy`], [`coordinates`] |
//!
//! The rooms below are re-exported: [`geodesy`], [`address`], [`table`], [`formats`]; and [`arrow`], in the version that
//! rows are made of.
//!
//! Features, all but `http`, `services`, `parquet`, `arguments` and `schemas` on: `workbooks`, `geopackage`, `archives` (zip, KMZ), `reviews` (of
//! addresses), `http` (sources on the web), `services` (geocoding services), `parquet`, `arguments` (the plan's types as arguments of a command line), `schemas` (JSON Schemas of the reports). Without
//! them there are text, GeoJSON, XML, shapefiles and drawings.
//!
//! ```
//! use basilocus::Layer;
//! use basilocus::steps::Positions;
//!
//! let folder = tempfile::tempdir()?;
//! std::fs::write(folder.path().join("gates.csv"), "gate,lon,lat\nNorth,-123.8,46.2\nLost,-123.8,95\n")?;
//! let report = Layer::open(folder.path().join("gates.csv"))?
//!     .positions(Positions::in_system("EPSG:4326")?)
//!     .to("EPSG:32610")?
//!     .write(folder.path().join("gates-utm.csv"))?
//!     .run()?;
//! assert_eq!((report.rows_in, report.rows_out), (2, 1));
//! assert_eq!(report.set_aside["latitude out of range"], 1);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

pub mod addresses;
#[cfg(feature = "geopackage")]
pub mod collections;
pub mod compare;
pub mod coordinates;
pub mod doubts;
pub mod drawing;
pub mod engine;
mod error;
pub mod guide;
pub mod layer;
pub mod look;
pub mod lookup;
mod paths;
pub mod plan;
pub mod repeat;
pub mod report;
#[cfg(feature = "schemas")]
pub mod schemas;
pub mod steps;
pub mod terrain;

pub use basilocus_address as address;
pub use basilocus_formats as formats;
pub use basilocus_geodesy as geodesy;
pub use basilocus_table as table;

/// The packages of Arrow that rows are made of, in the version that this library takes.
pub mod arrow {
    pub use arrow_array as array;
    pub use arrow_schema as schema;
}

pub use addresses::geocoder::Geocoder;
pub use coordinates::accuracy::accuracy_words;
pub use doubts::DoubtReport;
pub use engine::{Cancel, Progress, RunOptions, run};
pub use error::{Error, ErrorKind};
pub use layer::Layer;
pub use look::{LookReport, look};
pub use plan::{Plan, today};
pub use report::{AccuracyPart, AccuracyReport, OperationReport, Report};
