//! What can go wrong with a service, as types.

use std::path::PathBuf;

/// Why a service cannot be asked, or not be understood.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ServiceError {
    /// An address that is none.
    #[error("\"{address}\" is no address of a service: {problem}; http:// or https:// and a host are expected")]
    Address {
        /// What was given.
        address: String,
        /// What is wrong with it.
        problem: String,
    },
    /// A secret that cannot be read.
    #[error("the secret cannot be read from {from}: {problem}")]
    Secret {
        /// The variable or the file.
        from: String,
        /// What is wrong.
        problem: String,
    },
    /// A secret that would travel for all to read.
    #[error(
        "the secret is not sent to {host}: the connection is not secure (http://); use https://, or leave the secret out"
    )]
    OpenSecret {
        /// Where it would have gone.
        host: String,
    },
    /// A description of a service that cannot be used.
    #[error("{}: {problem}", path.display())]
    Description {
        /// The file.
        path: PathBuf,
        /// What is wrong with it, and what is expected.
        problem: String,
    },
    /// None of the protocols was recognised.
    #[error(
        "{address} answers in no protocol that is known: {tried}; say it with `protocol`, or describe the service in a file"
    )]
    NoProtocol {
        /// The service.
        address: String,
        /// What was tried, and what came of it.
        tried: String,
    },
    /// There is no answer at all.
    #[error("{address}: {problem}; nothing was asked")]
    NoAnswer {
        /// Where the request went.
        address: String,
        /// What came of it.
        problem: String,
    },
    /// The way to the service, or the service itself, failed.
    #[error("{address}: {problem}")]
    Failed {
        /// Where the request went.
        address: String,
        /// What came of it.
        problem: String,
    },
    /// An answer that is not what the protocol says.
    #[error("the answer is not what {protocol} says: {problem}")]
    Answer {
        /// The protocol.
        protocol: &'static str,
        /// What is wrong.
        problem: String,
    },
}
