//! From one datum to another through geocentric coordinates.

pub mod geocentric;
pub mod helmert;

pub use helmert::{Helmert, RotationConvention};
