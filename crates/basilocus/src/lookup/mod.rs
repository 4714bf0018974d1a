//! One question, one report: what people ask beside running tables.
//!
//! A question is a type whose fields are what can be said (and, with the feature `arguments`, the options of a command); its
//! `report` gives a type that serialises to the object which the command prints with `--json`.
//!
//! | question | what the report tells |
//! |---|---|
//! | [`SpotQuestion`] | one coordinate typed by hand, in every useful form |
//! | [`FindQuestion`] | systems of the catalogue by words |
//! | [`ShowQuestion`] | a system with every parameter |
//! | [`BetweenQuestion`] | the ways between two systems |
//! | [`AdviseQuestion`] | systems that suit an area and a purpose |
//! | [`DetectQuestion`] | systems that a table's numbers could be in |
//! | [`ZoneQuestion`] | a zone of the universal transverse Mercator grid |
//! | [`UnitsQuestion`] | a length or angle in other units |
//! | [`DistanceQuestion`] | the shortest line between two positions |
//! | [`AreaQuestion`] | area and perimeter of a polygon |
//! | [`SheetQuestion`] | map sheets at a position |
//! | [`DistortionQuestion`] | what a projection does |
//! | [`ReferenceQuestion`] | what is inside an address reference |
//! | [`DoubtsQuestion`] | what doubts look for |
//!
//! ```
//! use basilocus::lookup::{DistanceQuestion, ZoneQuestion};
//!
//! let zone = ZoneQuestion { what: vec!["-123.8".into()] }.report()?;
//! assert_eq!(zone.zone, 10);
//! let line = DistanceQuestion::new("46.2 N 123.8 W", "46.3 N 123.8 W").report()?;
//! assert!((line.distance_m - 11_115.0).abs() < 5.0);
//! # Ok::<(), basilocus::Error>(())
//! ```

mod advise;
mod area;
mod between;
mod detect;
mod distance;
mod distortion;
mod doubts;
mod find;
mod places;
mod reference;
mod sheet;
mod show;
mod spot;
mod units;
mod zone;

pub use advise::{AdviceReport, AdviseQuestion, AdvisedSystem};
pub use area::{AreaQuestion, AreaReport};
pub use between::{BetweenQuestion, BetweenReport, GridFile, TakenOperation, WayReport, WayState};
pub use detect::{DetectQuestion, DetectReport, DetectedSystem};
pub use distance::{DistanceEnd, DistanceQuestion, DistanceReport};
pub use distortion::{DistortionQuestion, DistortionReport};
pub use doubts::{DoubtExplained, DoubtsQuestion};
pub use find::{FindQuestion, FindReport, FoundSystem};
pub use reference::{LocalityReport, ReferenceQuestion, ReferenceReport};
pub use sheet::{SheetFound, SheetQuestion, SheetReport};
pub use show::{AreaOfUse, DatumReport, ProjectionReport, ShowQuestion, ShowReport};
pub use spot::{SpotQuestion, SpotReport, SpotSheet, SpotSystem, SpotZone, WrittenPosition};
pub use units::{InUnit, UnitKind, UnitsQuestion, UnitsReport};
pub use zone::{Band, ZoneAsked, ZoneQuestion, ZoneReport};
