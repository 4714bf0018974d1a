//! The data that addresses are matched against: built from tables, opened by memory map.
//!
//! | module | what is in it |
//! |---|---|
//! | `entry` | the rows that a reference is built from |
//! | `build` | collects rows, merges what is the same, writes the file |
//! | `unusable` | why a row is no part of a reference |
//! | `written` | addresses that a source writes in one text |
//! | `units` | units, flats and floors of houses |
//! | `spool` | temporary files, so that memory does not grow with the rows |
//! | `file` | the layout of the file |
//! | `open` | opens a file and reads it in place |
//! | `areas` | polygons whose attributes become extras |
//! | `cells` | what is near a position |
//! | `describe` | what is inside |
//! | `doubts` | what looks wrong in it |
//! | `map` | the memory map |

mod areas;
mod build;
mod cells;
mod describe;
mod doubts;
mod entry;
mod file;
mod map;
mod open;
mod spool;
mod units;
mod unusable;
mod written;

pub(crate) use build::bare;
pub use build::{Builder, Older, Withdrawn};
pub(crate) use cells::Near;
pub use describe::{Description, LocalityCoverage};
pub use entry::{AreaEntry, Entry, Parity, PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry};
pub(crate) use file::KeyKind;
pub use open::Reference;
pub(crate) use open::{PlaceView, PointView, SegmentView, StreetView};
pub(crate) use units::UnitView;
pub use unusable::Unusable;
pub use written::WrittenAddress;
