//! From a table to layers, one thing after the other.
//!
//! # 1. A table becomes a layer
//!
//! A [`Layer`](crate::Layer) begins with a source and takes steps. Nothing happens until it is run.
//!
//! ```
//! use basilocus::Layer;
//! use basilocus::steps::Positions;
//!
//! let folder = tempfile::tempdir()?;
//! let at = |name: &str| folder.path().join(name);
//! std::fs::write(at("gates.csv"), "gate,lon,lat,owner\nNorth,-123.80,46.20,01\nSouth,-123.70,46.10,02\nLost,-123.7,,03\n")?;
//!
//! let gates = Layer::open(at("gates.csv"))?.positions(Positions::in_system("EPSG:4326")?);
//! let report = gates.clone().write(at("gates.gpkg"))?.run()?;
//! assert_eq!((report.rows_in, report.rows_out), (3, 2));
//!
//! // The row without a latitude is not lost: it is counted by its reason, and stands beside the output.
//! assert_eq!(report.set_aside["no coordinates"], 1);
//! let aside = std::fs::read_to_string(at("gates.set-aside.csv"))?;
//! assert!(aside.lines().any(|l| l.starts_with("4,") && l.contains("is empty")));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! The system has to be said: nothing in `gates.csv` says it, and a guess would be wrong one day. The columns were found by
//! their headers; `Positions` can name them.
//!
//! # 2. Another system, and only the columns that are wanted
//!
//! ```
//! # use basilocus::Layer;
//! # use basilocus::steps::Positions;
//! # let folder = tempfile::tempdir()?;
//! # let at = |name: &str| folder.path().join(name);
//! # std::fs::write(at("gates.csv"), "gate,lon,lat,owner\nNorth,-123.80,46.20,01\nSouth,-123.70,46.10,02\n")?;
//! # let gates = Layer::open(at("gates.csv"))?.positions(Positions::in_system("EPSG:4326")?);
//! let report = gates.to("EPSG:2269")?.drop(["lon", "lat"]).write(at("feet.csv"))?.run()?;
//! let text = std::fs::read_to_string(at("feet.csv"))?;
//! assert_eq!(text.lines().next(), Some("gate,owner,easting,northing"));
//!
//! // Which way was taken, and what it is worth.
//! let operation = report.operation.unwrap();
//! assert_eq!(operation.accuracy_m, Some(4.0));
//! // A code stays what it is.
//! assert!(text.contains("North,01,"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # 3. Steps follow each other in any order
//!
//! Each step takes the columns that the one before left. Here a step looks for rows inside areas after the transformation,
//! and the column that it takes from them gives one file each.
//!
//! ```
//! # use basilocus::Layer;
//! # use basilocus::steps::{Inside, Positions};
//! # let folder = tempfile::tempdir()?;
//! # let at = |name: &str| folder.path().join(name);
//! # std::fs::write(at("gates.csv"), "gate,lon,lat\nNorth,-123.80,46.20\nSouth,-123.70,46.10\n")?;
//! let square = |name: &str, x: f64| format!(r#"{{"type":"Feature","properties":{{"district":"{name}"}},"geometry":{{"type":"Polygon","coordinates":[[[{x},46],[{0},46],[{0},47],[{x},47],[{x},46]]]}}}}"#, x + 0.1);
//! let areas = format!(r#"{{"type":"FeatureCollection","features":[{},{}]}}"#, square("West", -123.85), square("East", -123.75));
//! std::fs::write(at("districts.geojson"), areas)?;
//!
//! let report = Layer::open(at("gates.csv"))?
//!     .positions(Positions::in_system("EPSG:4326")?)
//!     .to("EPSG:32610")?
//!     .then(Inside { areas: at("districts.geojson"), take: vec!["district".into()], ..Default::default() })
//!     .split_by("district")
//!     .write(at("gates_by_district.csv"))?
//!     .run()?;
//! assert_eq!(report.outputs.len(), 2);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # 4. The same as a plan
//!
//! What was done can be written down, run again next month on a new table, and gives the same bytes.
//!
//! ```
//! # use basilocus::{Layer, Plan, RunOptions};
//! # use basilocus::steps::Positions;
//! # let folder = tempfile::tempdir()?;
//! # let at = |name: &str| folder.path().join(name);
//! # std::fs::write(at("gates.csv"), "gate,lon,lat\nNorth,-123.80,46.20\n")?;
//! let layer = Layer::open(at("gates.csv"))?.positions(Positions::in_system("EPSG:4326")?).write(at("out.csv"))?;
//! std::fs::write(at("gates.plan.toml"), layer.plan().to_text(&at("gates.plan.toml"))?)?;
//! let report = basilocus::run(&Plan::load(&at("gates.plan.toml"))?, &RunOptions::default())?;
//! assert_eq!(report.rows_out, 1);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
