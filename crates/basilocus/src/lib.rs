//! Tables of addresses and coordinates to point layers, with an account of every row.
//!
//! A [`Plan`] says what is to be done; [`run`] does it and gives a [`Report`]. [`look`](fn@look) says what a file
//! holds. The rooms below are re-exported: [`geodesy`], [`address`], [`table`], [`formats`].
//!
//! ```
//! use basilocus::plan::{LayerPlan, OutputPlan, Plan, PositionPlan};
//!
//! let folder = std::env::temp_dir().join("basilocus-front-page");
//! std::fs::create_dir_all(&folder)?;
//! std::fs::write(folder.join("gates.csv"), "gate,lon,lat\nNorth,-123.8,46.2\nLost,-123.8,95\n")?;
//! let mut layer = LayerPlan::new(folder.join("gates.csv"));
//! layer.position = Some(PositionPlan { from: Some("EPSG:4326".into()), ..Default::default() });
//! layer.to = vec!["EPSG:32610".into()];
//! let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(folder.join("gates-utm.csv"))], ..Default::default() };
//! let report = basilocus::run(&plan, &basilocus::RunOptions { overwrite: true, ..Default::default() })?;
//! assert_eq!((report.rows_in, report.rows_out), (2, 1));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

pub mod answers;
pub mod compare;
pub mod doubt;
pub mod engine;
mod error;
pub mod finder;
pub mod fit;
pub mod gather;
pub mod grids;
pub mod look;
pub mod measure;
pub mod pipeline;
pub mod place;
pub mod plan;
pub mod reference;
pub mod report;
mod run;
pub mod sheets;
pub mod source;
mod split;
mod step;
pub mod system;
pub mod transformation;
pub mod typed;

pub use basilocus_address as address;
pub use basilocus_formats as formats;
pub use basilocus_geodesy as geodesy;
pub use basilocus_table as table;

pub use engine::{Cancel, Progress};
pub use error::Error;
pub use look::{LookReport, look};
pub use plan::Plan;
pub use report::{DoubtReport, OperationReport, Report};
pub use run::{RunOptions, accuracy_words, run, today};
