//! The one error type of this crate.

use crate::notation::NotationError;

/// Why a coordinate, a system or an operation could not be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// No reference system has this code or name.
    #[error("no reference system \"{wanted}\" in the catalogue ({edition}){}", nearest_text(.nearest))]
    UnknownCrs {
        /// What was asked for.
        wanted: String,
        /// Codes and names that come nearest, best first.
        nearest: Vec<String>,
        /// Which registry was searched.
        edition: &'static str,
    },
    /// The projection method of a system is not implemented.
    #[error("{crs} uses the method \"{method}\", which is not implemented; choose a system with another projection")]
    MethodNotImplemented {
        /// Code and name of the system.
        crs: String,
        /// The method's name in the registry.
        method: String,
    },
    /// The kind of a system (vertical, compound) is not implemented.
    #[error(
        "{crs} is a {kind} system; heights above sea level and compound systems are not implemented yet: choose its horizontal part"
    )]
    KindNotImplemented {
        /// Code and name of the system.
        crs: String,
        /// `vertical` or `compound`.
        kind: &'static str,
    },
    /// A projection's parameter is missing or cannot be used.
    #[error("{crs}: projection parameter {parameter} {problem}")]
    Parameter {
        /// Code and name of the system.
        crs: String,
        /// The parameter's name.
        parameter: String,
        /// What is wrong with it.
        problem: String,
    },
    /// No transformation between two datums is known.
    #[error(
        "no transformation is known between the datums {from_datum} and {to_datum}: say one in between, or choose a target on the datum {from_datum}"
    )]
    NoTransformation {
        /// The source datum.
        from_datum: String,
        /// The target datum.
        to_datum: String,
    },
    /// A written position could not be read.
    #[error(transparent)]
    Notation(#[from] NotationError),
}

fn nearest_text(nearest: &[String]) -> String {
    if nearest.is_empty() {
        "; search with `crs find WORDS`".to_string()
    } else {
        format!("; nearest: {}", nearest.join("; "))
    }
}
