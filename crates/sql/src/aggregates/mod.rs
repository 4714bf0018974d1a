//! Functions over all rows of a group, one file each. To add one: a file here, and its line in the list below.
//!
//! | function | gives |
//! |---|---|
//! | `extent(geometry)` | west, south, east, north; across the 180° meridian west is greater than east |
//! | `displacement(a, b)` | what rows that were placed twice have in common, and what explains it |
//! | `count_by_level(level)` | how many rows were placed how precisely, finest first |

pub(crate) mod aggregate;
mod count_by_level;
mod displacement;
mod extent;

use aggregate::Aggregate;
use datafusion::logical_expr::AggregateUDF;

/// All functions over groups.
pub fn all() -> Vec<AggregateUDF> {
    let definitions = [&count_by_level::COUNT_BY_LEVEL, &displacement::DISPLACEMENT, &extent::EXTENT];
    definitions.into_iter().map(|d| AggregateUDF::new_from_impl(Aggregate::of(d))).collect()
}
