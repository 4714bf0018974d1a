//! The reference: address points, street ranges, postcodes and places in one file, read in place.

mod build;
mod file;
mod map;
mod open;

pub use build::{Builder, Entry, PlaceEntry, PointEntry, PostcodeEntry, SegmentEntry};
pub use open::{Description, Reference};
pub(crate) use open::{SegmentView, StreetView};
