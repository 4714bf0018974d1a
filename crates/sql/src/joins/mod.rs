//! Joins whose condition is where things are: `JOIN … ON ST_Within(point, area)`, with an index of one side.
//!
//! | module | what is in it |
//! |---|---|
//! | `area_join` | the join: one side is taken whole into an index, the other goes by |
//! | `area_join_rule` | finds conditions that an index helps with |
//! | `place_index` | where the geometries of rows are |
//!
//! The index only says which pairs cannot fit; what fits is decided by the condition as it was written.

mod area_join;
mod area_join_rule;
mod place_index;

pub use area_join::AreaJoin;
pub use area_join_rule::AreaJoinRule;
