//! Addresses: reading them, the reference they are matched against, and matching.
//!
//! | module | what is in it |
//! |---|---|
//! | [`country`] | countries by code and name, and what an address says of its own |
//! | [`grammar`] | the address rules of a country, as data |
//! | [`parse`] | an address to its components |
//! | [`mod@reference`] | building and opening the index of address points, street ranges, postcodes, places and areas |
//! | [`matching`] | candidates, scores, levels, confidence, and what was changed to match |
//! | [`nearest`] | the address nearest to a position |
//!
//! Positions are longitude and latitude in degrees, longitude first, in one system throughout (WGS 84 where the
//! caller does not say otherwise).

pub mod country;
mod error;
pub mod grammar;
pub mod matching;
pub mod nearest;
pub mod normal;
pub mod parse;
pub mod reference;

/// A text that is kept in place up to 24 bytes, as nearly all components of addresses are: an address is read into a
/// dozen of them several times over, and none costs memory of its own.
pub use compact_str::CompactString as Text;
pub use error::Error;
pub use matching::{Candidate, Level, Match, MatchOptions, Matcher, Outcome, Unplaced, Within};
pub use parse::{AddressInput, ParsedAddress};
pub use reference::{Builder, Entry, Reference};
