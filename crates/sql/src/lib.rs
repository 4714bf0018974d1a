//! Coordinates, addresses and layers inside of a SQL engine, on one machine or many.
//!
//! The engine is DataFusion, distributed by Ballista; what it computes with is [`basilocus`]. [`register`] adds all functions
//! to a session of one's own:
//!
//! ```
//! use datafusion::prelude::SessionContext;
//!
//! # #[tokio::main(flavor = "current_thread")]
//! # async fn main() -> Result<(), Box<dyn std::error::Error>> {
//! let context = SessionContext::new();
//! basilocus_sql::register(&context)?;
//! let rows = context.sql("SELECT ST_AsText(ST_Transform(ST_Point(-123.0, 0.0, 4326), 32610)) AS place").await?;
//! let shown = datafusion::arrow::util::pretty::pretty_format_batches(&rows.collect().await?)?.to_string();
//! // The central meridian of zone 10 has the easting 500,000.
//! assert!(shown.contains("POINT (500000 0)"), "{shown}");
//! # Ok(())
//! # }
//! ```
//!
//! | module | what is in it |
//! |---|---|
//! | [`aggregates`] | functions over groups |
//! | [`cluster`] | scheduler, executors and clients |
//! | [`functions`] | functions over columns |
//! | [`joins`] | joins by where things are |
//! | [`layers`] | layers of files as tables |
//! | [`ledger`] | what became of every row |
//! | [`output`] | rows of queries in files |
//! | [`setting`] | what a session says of them |

pub mod aggregates;
pub mod cluster;
mod error;
pub mod functions;
pub mod joins;
pub mod layers;
pub mod ledger;
mod numbered;
pub mod output;
mod references;
mod register;
mod schema_bytes;
pub mod setting;
mod systems;

pub use error::{Error, words};
pub use references::forget_fetched;
pub use register::{Running, register, run};
