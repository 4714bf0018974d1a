//! Geocoding services on the web: what is asked, how each protocol writes it, and the patience that it takes.
//!
//! Services are slow, limited and paid by the request. Whoever asks here says how fast and how much ([`Manner`]), gets
//! each answer as it arrives, so that it can be kept before the next one comes, and is told in words why asking ended
//! before its end ([`Stop`]).
//!
//! | module | what is in it |
//! |---|---|
//! | [`question`] | an address that is asked for, and the places that a service answers with |
//! | [`protocol`] | how questions become requests and responses answers, one file a protocol |
//! | [`heights`] | heights of positions, by OGC API - Environmental Data Retrieval |
//! | [`redirect`] | where servers lead, and whether that is followed |
//! | [`web`] | requests over HTTP: TLS, redirects, limits, addresses that nobody typed |
//! | [`secret`] | what a service wants to know of its customers; never printed |
//! | [`pace`] | so many requests a second |
//! | [`patience`] | when a request is tried again, and when a service counts as down |
//! | [`asking`] | questions in, answers out, by several threads |
//!
//! Nothing here knows tables, systems or address references; positions are as the service gave them, with the system
//! and the order of axes that it said.

pub mod asking;
mod error;
pub mod heights;
pub mod pace;
pub mod patience;
pub mod protocol;
pub mod question;
pub mod redirect;
pub mod secret;
pub mod web;

pub use asking::{Account, Asking, Manner, Stop};
pub use error::ServiceError;
pub use protocol::{Kind, Protocol};
pub use question::{Answer, AxisOrder, Place, Question};
pub use secret::Secret;
pub use web::{Request, Response, Transport, Web};
