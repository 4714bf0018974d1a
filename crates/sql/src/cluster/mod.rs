//! The engine on several machines: scheduler and executors with our functions, tables and plans in them.
//!
//! | module | what is in it |
//! |---|---|
//! | `session` | what every process of a cluster knows |
//! | `codec` | our tables and plans as bytes |
//! | [`scheduler`] | plans queries and gives out their parts |
//! | [`executor`] | does the parts |
//! | [`client`] | sends queries |
//! | `reference_service` | an executor says which address references it has |
//! | `same_references` | the scheduler asks all executors before a query begins |

pub mod client;
mod codec;
pub mod executor;
mod reference_service;
mod same_references;
pub mod scheduler;
mod session;

pub use codec::{LogicalCodec, PhysicalCodec};
