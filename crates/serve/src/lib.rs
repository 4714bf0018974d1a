//! What the library does, over HTTP: by open standards for colleagues' programs, and as stand-ins for services that are
//! slow, limited and fail now and then.
//!
//! | module | what is in it |
//! |---|---|
//! | [`server`] | what is served, until somebody ends it; `routes`: which address leads where |
//! | `connections` | connections and their time-outs |
//! | `guard` | tokens, how often a client may ask, log, metrics, conditional requests |
//! | `exchanged` | files that are exchanged while they are served |
//! | `features` | OGC API - Features: layers in parts |
//! | `processes` | OGC API - Processes: one file a process, execution at once and as jobs |
//! | `heights` | OGC API - Environmental Data Retrieval: heights of positions |
//! | `openls` | the location utility service of OpenLS 1.2: addresses to positions and back |
//! | `geocoder` | the references that addresses are found in |
//! | `api` | all of it as an OpenAPI document |
//! | `html`, `tries` | pages for people |
//! | [`stand_in`] | delays, failures and limits that are asked for |
//! | `problem` | errors as problem details (RFC 9457) |
//!
//! It knows HTTP and nothing of computation: that is the library's.

mod api;
mod connections;
mod error;
mod exchanged;
mod features;
mod geocoder;
pub mod guard;
mod heights;
mod html;
mod links;
mod openls;
mod parameters;
mod problem;
mod processes;
mod routes;
pub mod server;
pub mod stand_in;
mod tries;

pub use error::ServeError;
pub use guard::{Guard, LogTo};
pub use server::{Beginning, Options, serve};
pub use stand_in::Faults;
