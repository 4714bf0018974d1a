//! What the tools share: an invented country with streets and houses, and dirt for its addresses.
//!
//! Everything is made up by seeded generators: the same seed gives the same data on every machine.

pub mod abroad;
pub mod damage;
pub mod dirt;
pub mod ground;
pub mod invented;
pub mod judge;
pub mod outside;
pub mod random;
