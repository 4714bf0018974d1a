//! Stand-ins for services: what is served here, with the delays, failures and limits of services as they are, so that
//! whoever asks them can be tried without a network, without an invoice, and the same way each time.

mod faults;
pub(crate) mod feed;

pub use faults::Faults;
pub(crate) use faults::{Faulty, pass};
