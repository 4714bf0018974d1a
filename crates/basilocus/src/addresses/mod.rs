//! Addresses beyond matching: references made of tables and layers, reviews, and a column at a time.
//!
//! | module | what is in it |
//! |---|---|
//! | [`reference`](mod@reference) | builds a reference from tables and layers |
//! | [`review`] | the sheet that asks, and the answers that come back |
//! | [`geocoder`] | a column of addresses in, columns out |

pub mod geocoder;
pub mod reference;
pub mod review;
