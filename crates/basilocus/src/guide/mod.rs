//! How to work with the library: a tutorial that climbs, and a cookbook that is dense. Both are compiled.

pub mod cookbook;
pub mod tutorial;
