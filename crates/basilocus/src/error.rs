//! The one error type of this crate.

use std::path::PathBuf;

/// Why a plan could not be run.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// A file.
    #[error(transparent)]
    Format(#[from] basilocus_formats::FormatError),
    /// A coordinate reference system or operation.
    #[error(transparent)]
    Geodesy(#[from] basilocus_geodesy::Error),
    /// An address reference.
    #[error(transparent)]
    Address(#[from] basilocus_address::Error),
    /// A column that is not there.
    #[error("{}: there is no column \"{wanted}\"{}; it has: {}", .path.display(), near(.wanted, .names), .names.join(", "))]
    NoColumn {
        /// The file.
        path: PathBuf,
        /// What was asked for.
        wanted: String,
        /// The columns.
        names: Vec<String>,
    },
    /// Nothing says which system the numbers are in.
    #[error("{}: no reference system is said for {what}; say it with `from`, such as `from` EPSG:4326 (WGS 84 longitude and latitude){hint}", .path.display())]
    NoCrs {
        /// The file.
        path: PathBuf,
        /// Which columns.
        what: String,
        /// What the numbers look like.
        hint: String,
    },
    /// No columns of coordinates.
    #[error("{}: no columns of coordinates were found among {}; say them with `x` and `y`, or `coordinates`", .path.display(), .names.join(", "))]
    NoPosition {
        /// The file.
        path: PathBuf,
        /// The columns.
        names: Vec<String>,
    },
    /// No columns of addresses.
    #[error("{}: no columns of an address were found among {}; say them with `address`, or `street`, `locality`, `postcode` …", .path.display(), .names.join(", "))]
    NoAddress {
        /// The file.
        path: PathBuf,
        /// The columns.
        names: Vec<String>,
    },
    /// What was asked for contradicts itself, misses something or names what is not there.
    #[error("{0}")]
    Usage(String),
    /// Data that keeps the run from being completed.
    #[error("{0}")]
    Data(String),
    /// A service that cannot be asked, or was not asked for all.
    #[error("{0}")]
    Service(String),
    /// Something that no data and no plan may lead to.
    #[error("{0}: this is a defect, nothing was written")]
    Defect(String),
    /// A part of the program stopped in the middle of its work.
    #[error("{what} stopped the program: {problem}; this is a defect, nothing was written")]
    Panicked {
        /// Which part: a block, counted from 1, or the reader.
        what: String,
        /// What it said.
        problem: String,
    },
    /// A plan file that cannot be read.
    #[error("{}: is not a plan: {problem}", .path.display())]
    PlanFile {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// A file that should define a reference system.
    #[error("{}: is not a reference system that can be read: {problem}", .path.display())]
    SystemFile {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// A file that should hold a transformation.
    #[error("{}: is not a transformation that can be read: {problem}", .path.display())]
    TransformationFile {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// Control pairs that cannot be fitted.
    #[error("{}: {problem}", .path.display())]
    Fit {
        /// The file.
        path: PathBuf,
        /// Why.
        problem: String,
    },
    /// The file of answers.
    #[error("{}: {problem}", .path.display())]
    Store {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// The user stopped the run.
    #[error("stopped; no output was written")]
    Cancelled,
    /// Rows in and rows out do not fit: a defect.
    #[error(transparent)]
    Ledger(#[from] basilocus_table::LedgerError),
}

/// Whose fault an error is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum ErrorKind {
    /// Of what was asked for.
    Usage,
    /// Of the data, or of the place where it is.
    Data,
    /// Of this program.
    Defect,
    /// Nobody's: the user stopped the run.
    Cancelled,
}

impl Error {
    /// Whose fault it is.
    pub fn kind(&self) -> ErrorKind {
        match self {
            Error::Usage(_) => ErrorKind::Usage,
            Error::Defect(_) | Error::Panicked { .. } | Error::Ledger(_) => ErrorKind::Defect,
            Error::Cancelled => ErrorKind::Cancelled,
            _ => ErrorKind::Data,
        }
    }
}

fn near(wanted: &str, names: &[String]) -> String {
    let near = basilocus_table::nearest::nearest(wanted, names.iter().map(String::as_str));
    if near.is_empty() {
        String::new()
    } else {
        format!(" (did you mean {}?)", near.iter().map(|n| format!("\"{n}\"")).collect::<Vec<_>>().join(" or "))
    }
}
