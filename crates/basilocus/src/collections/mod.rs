//! Collections of features that are asked for in parts: those in an extent, at a time, with values, or that a filter
//! holds for; page by page, in any system of the catalogue.
//!
//! | module | what is in it |
//! |---|---|
//! | `store` | layers of any format as GeoPackages, which are searched on the disk |
//! | [`Collection`] | a layer: its columns, system, extent |
//! | [`Query`] | what is asked of it |
//! | `region` | a shape in any system, and which features meet it |
//! | [`Interval`] | a time from and to |
//! | [`filter`] | CQL2 text (OGC 21-065r2): read, checked against the columns, and turned into SQL |
//! | [`SystemName`] | systems as OGC names them, with the order of their axes |
//!
//! A layer of another format is converted into a GeoPackage of a temporary folder first, by the same steps as `convert`, so
//! that memory stays the same however many rows there are.

mod collection;
pub mod filter;
mod interval;
mod map;
mod query;
mod region;
mod store;
mod system_name;

/// Why a part of a question cannot be used: a name of no system, a time that is none, an extent that is no rectangle.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{problem}")]
pub struct Unusable {
    /// What is wrong with it, and what was expected.
    pub problem: String,
}

impl From<String> for Unusable {
    fn from(problem: String) -> Self {
        Unusable { problem }
    }
}

pub use collection::{Collection, Column, ValueKind};
pub use interval::Interval;
pub use query::{Feature, Page, Query, QueryError};
pub use region::Region;
pub use store::{Collections, Reading};
pub use system_name::{CRS84, SystemName};
