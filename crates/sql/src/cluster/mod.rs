//! The engine on several machines: scheduler and executors with our functions, tables and plans in them.
//!
//! | module | what is in it |
//! |---|---|
//! | `session` | what every process of a cluster knows |
//! | `codec` | our tables and plans as bytes |
//! | [`scheduler`] | plans queries and gives out their parts |
//! | [`executor`] | does the parts |
//! | [`client`] | sends queries |

pub mod client;
mod codec;
pub mod executor;
pub mod scheduler;
mod session;

pub use codec::{LogicalCodec, PhysicalCodec};
