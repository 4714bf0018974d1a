//! The one error type of this crate.

use std::path::PathBuf;

/// Why a reference could not be built or opened.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The file cannot be read or written.
    #[error("{}: {source}", .path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
    /// The file is something else.
    #[error("{}: is not an address reference; make one with `reference build`", .path.display())]
    NotAReference {
        /// The file.
        path: PathBuf,
    },
    /// The file was made by another version.
    #[error("{}: is an address reference of version {found}, this program reads version {expected}; build it again", .path.display())]
    Version {
        /// The file.
        path: PathBuf,
        /// Its version.
        found: u32,
        /// The version that is read.
        expected: u32,
    },
    /// The file is cut or changed.
    #[error("{}: the address reference is damaged ({problem}); build it again", .path.display())]
    Damaged {
        /// The file.
        path: PathBuf,
        /// What does not fit.
        problem: String,
    },
    /// The file has several countries where one is expected.
    #[error("{}: has addresses of {countries} countries where those of one are expected", .path.display())]
    SeveralCountries {
        /// The file.
        path: PathBuf,
        /// How many it has.
        countries: usize,
    },
    /// Nothing to build from.
    #[error("no row of the sources could be used for the reference")]
    Empty,
    /// More than the index can number.
    #[error("the sources hold more than {0}, which is more than one reference holds")]
    TooLarge(&'static str),
}
