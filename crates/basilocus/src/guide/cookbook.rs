//! Short answers.
//!
//! # A step of one's own
//!
//! The front page of [`steps`](crate::steps) has a whole one that sets rows aside. This one adds a column.
//!
//! ```
//! use basilocus::arrow::array::{ArrayRef, Float64Array};
//! use basilocus::arrow::schema::{DataType, SchemaRef};
//! use basilocus::engine::{Account, Column, Columns, Rows, Setting};
//! use basilocus::steps::{Bound, Positions, Step, Wish, Work};
//! use basilocus::{Error, Layer};
//! use std::sync::Arc;
//!
//! /// How far north of a parallel a row lies.
//! #[derive(Debug)]
//! struct North(f64);
//!
//! impl Step for North {
//!     fn bind(&self, mut columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
//!         columns.push(Column::added(columns.free_name("north", None), DataType::Float64).with_digits(3));
//!         let schema = columns.schema();
//!         Ok(Bound::blocks(columns, Norths(self.0, schema)))
//!     }
//!     fn wish(&self) -> Wish {
//!         Wish::Positions
//!     }
//!     // Rows stay where they are: formats in WGS 84 may use what was known of their places before.
//!     fn keeps_positions(&self) -> bool {
//!         true
//!     }
//! }
//!
//! struct Norths(f64, SchemaRef);
//!
//! impl Work for Norths {
//!     fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
//!         let norths: Vec<f64> = rows.positions()[1].iter().map(|lat| lat - self.0).collect();
//!         rows.with_added(&self.1, [Arc::new(Float64Array::from(norths)) as ArrayRef])
//!     }
//! }
//!
//! let folder = tempfile::tempdir()?;
//! let table = "gate,lon,lat\nNorth,-123.8,46.25\n";
//! Layer::from_reader(table.as_bytes(), basilocus::formats::Format::Delimited)?
//!     .positions(Positions::in_system("EPSG:4326")?)
//!     .step(North(46.0))
//!     .write(folder.path().join("out.csv"))?
//!     .run()?;
//! assert_eq!(std::fs::read_to_string(folder.path().join("out.csv"))?, "gate,lon,lat,north\nNorth,-123.8,46.25,0.250\n");
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Rows as they come
//!
//! ```
//! use basilocus::Layer;
//! use basilocus::steps::Positions;
//!
//! let table = "gate,lon,lat\nNorth,-123.8,46.2\nLost,-123.8,96.2\n";
//! let layer = Layer::from_reader(table.as_bytes(), basilocus::formats::Format::Delimited)?
//!     .positions(Positions::in_system("EPSG:4326")?);
//! for block in layer.rows()? {
//!     let block = block?;
//!     assert_eq!((block.records.num_rows(), block.source_rows[0]), (1, 2));
//!     assert!(block.set_aside[0].reason.contains("latitude 96.2 is outside"));
//! }
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # A column of addresses
//!
//! [`Geocoder`](crate::Geocoder) takes an Arrow array and gives arrays; its page has an example.
//!
//! # A slice of coordinates
//!
//! ```
//! use basilocus::geodesy::crs::Catalogue;
//! use basilocus::geodesy::operation::Operation;
//!
//! let catalogue = Catalogue::embedded();
//! let way = Operation::between(&catalogue.get(4326)?, &catalogue.get(32610)?, None)?;
//! // Easting or longitude first, always; heights may be NaN.
//! let (mut x, mut y, mut z) = ([-123.8], [46.2], [f64::NAN]);
//! way.apply(&mut x, &mut y, &mut z);
//! assert!((x[0] - 438_277.798).abs() < 1e-3 && (y[0] - 5_116_580.272).abs() < 1e-3);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # A plan that a program writes
//!
//! ```
//! use basilocus::Plan;
//! use basilocus::plan::{LayerPlan, OutputPlan};
//! use basilocus::steps::{Geocode, Positions, To};
//!
//! let owners = LayerPlan::new("owners.xlsx")
//!     .with(Geocode { reference: vec!["estuary.reference".into()], ..Default::default() })
//!     .with(To { systems: vec!["EPSG:2269".into()], ..Default::default() });
//! let gates = LayerPlan::new("gates.csv").with(Positions { from: Some("EPSG:4267".into()), ..Default::default() });
//! let plan = Plan {
//!     layers: vec![owners, gates],
//!     outputs: vec![OutputPlan::new("estuary.gpkg")],
//!     ..Default::default()
//! };
//! assert!(plan.to_text("estuary.plan.toml".as_ref())?.contains("[layer.step.geocode]"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # A part of a layer
//!
//! ```
//! use basilocus::Cancel;
//! use basilocus::collections::filter::Filter;
//! use basilocus::collections::{Collections, Query, Reading, Region, SystemName};
//!
//! let folder = tempfile::tempdir()?;
//! let gates = folder.path().join("gates.csv");
//! std::fs::write(&gates, "gate,kind,lon,lat\nNorth,weir,-123.8,46.2\nSouth,culvert,-123.7,46.1\n")?;
//! let reading = Reading { from: Some("EPSG:4326".into()), ..Default::default() };
//! let collections = Collections::open(&[gates], &reading, &Cancel::default())?;
//! let gates = collections.get("gates").unwrap();
//! let degrees = SystemName::crs84()?;
//! let query = Query {
//!     extent: Some(Region::extent(&[-124.0, 46.0, -123.0, 47.0], degrees.clone())?),
//!     filter: Some(Filter::read("kind LIKE 'w%'", gates, degrees)?),
//!     system: SystemName::read("EPSG:32610")?,
//!     ..Query::everything()?
//! };
//! let page = gates.page(&query)?;
//! assert_eq!((page.matched, page.features[0].properties["gate"].as_str()), (1, Some("North")));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Whose fault an error is
//!
//! ```
//! use basilocus::{ErrorKind, Layer};
//!
//! assert_eq!(Layer::open("nowhere.csv").unwrap_err().kind(), ErrorKind::Data);
//! assert_eq!(basilocus::plan::day(Some("yesterday")).unwrap_err().kind(), ErrorKind::Usage);
//! ```
