//! Why nothing can be served, as types.

use std::net::SocketAddr;

/// Why nothing can be served.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ServeError {
    /// The address that was to be listened at.
    #[error("{address} cannot be listened at: {problem}; say another one with `listen`")]
    Listen {
        /// The address.
        address: SocketAddr,
        /// What the system says.
        problem: std::io::Error,
    },
    /// A reference.
    #[error(transparent)]
    Reference(#[from] basilocus::address::Error),
    /// A grid of heights.
    #[error(transparent)]
    Heights(#[from] basilocus::Error),
    /// Nothing to serve.
    #[error(
        "there is nothing to serve; name an address reference with `reference`, or say what to stand in for with `stand_in`"
    )]
    Nothing,
    /// The server broke off.
    #[error("the server broke off: {0}")]
    Broke(#[from] std::io::Error),
}
