//! Batches of rows, what their columns seem to be, and the account of every row.
//!
//! | module | what is in it |
//! |---|---|
//! | [`batch`] | rows as Arrow arrays, each with the row of the source it came from; point geometry |
//! | [`geometry`] | geometry of any type, well-known binary and text |
//! | [`role`] | what a column seems to be, from its header and its values |
//! | [`kind`] | the type of a column, decided from all of its values |
//! | [`moment`] | dates and times, and the mark of their columns |
//! | [`ledger`] | rows in = rows out + rows set aside |
//! | [`reason`] | why a row is not in the output |
//! | [`mod@counted`] | counts with the word that they count |
//! | [`fingerprint`] | a number for each row by which equal rows are found |
//! | [`nearest`] | the names that come nearest to one that does not exist |

pub mod batch;
pub mod counted;
pub mod fingerprint;
pub mod geometry;
pub mod kind;
pub mod ledger;
pub mod moment;
pub mod nearest;
pub mod reason;
pub mod role;

pub use batch::{Batch, BatchError, POINT_COLUMN, SetAsideRow, text_column};
pub use counted::counted;
pub use geometry::{Geometries, Geometry, Position, Spatial, geometry_field, geometry_index};
pub use kind::{ColumnProfile, ValueKind};
pub use ledger::{Ledger, LedgerError};
pub use moment::Moment;
pub use reason::Reason;
pub use role::Role;
