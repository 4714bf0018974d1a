//! What the library does, over HTTP: by open standards for colleagues' programs, and as stand-ins for services that are
//! slow, limited and fail now and then.
//!
//! | module | what is in it |
//! |---|---|
//! | [`server`] | what is served where, until somebody ends it |
//! | `geocoder` | the references that addresses are found in |
//! | `heights` | OGC API - Environmental Data Retrieval: heights of positions |
//! | `openls` | the location utility service of OpenLS 1.2: addresses to positions |
//! | `processes` | OGC API - Processes: descriptions, execution at once and as jobs |
//! | [`stand_in`] | delays, failures and limits that are asked for |
//! | `problem` | errors as problem details (RFC 9457) |
//!
//! It knows HTTP and nothing of computation: that is the library's.

mod error;
mod geocoder;
mod heights;
mod openls;
mod problem;
mod processes;
pub mod server;
pub mod stand_in;

pub use error::ServeError;
pub use server::{Options, serve};
pub use stand_in::Faults;
