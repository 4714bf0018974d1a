//! Why nothing can be served, as types.

use std::net::SocketAddr;
use std::path::PathBuf;

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
    /// A layer, a grid of heights, or a folder of grid files.
    #[error(transparent)]
    Library(#[from] basilocus::Error),
    /// A layer whose address is that of the heights.
    #[error("{}: its layer is called {name}, and so are the heights of the grid; rename the file or serve one of them alone", .file.display())]
    NameTaken {
        /// The file of the layer.
        file: PathBuf,
        /// The name.
        name: &'static str,
    },
    /// The file of tokens.
    #[error("{}: {problem}", .file.display())]
    Tokens {
        /// The file.
        file: PathBuf,
        /// What is wrong with it.
        problem: String,
    },
    /// The file of the log.
    #[error("{}: the log cannot be written: {problem}", .file.display())]
    Log {
        /// The file.
        file: PathBuf,
        /// What the system says.
        problem: std::io::Error,
    },
    /// What addresses begin with from outside.
    #[error("`public_address` {0}: an address that begins with http:// or https:// is expected")]
    PublicAddress(String),
    /// The server broke off.
    #[error("the server broke off: {0}")]
    Broke(#[from] std::io::Error),
}
