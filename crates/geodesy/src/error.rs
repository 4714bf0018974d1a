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
    /// A vertical system alone says nothing of where.
    #[error(
        "{crs} is a vertical system: it says how high, not where; put it on a horizontal system, such as EPSG:4326+{}",
        .code.map_or("NAME".to_string(), |c| c.to_string())
    )]
    NoPositions {
        /// Code and name of the system.
        crs: String,
        /// Its code.
        code: Option<u32>,
    },
    /// Two systems that do not make a compound one.
    #[error(
        "{crs} {problem}; a compound system is a geographic or projected system + a vertical one, such as EPSG:4326+5773, or + ellipsoidal"
    )]
    Parts {
        /// Code and name of the system.
        crs: String,
        /// What is wrong with it.
        problem: String,
    },
    /// A local grid has no tie to other systems but a transformation of the user's own.
    #[error(
        "nothing ties {crs} to other systems; say a fitted transformation with `via` FILE (made with `basilocus fit`)"
    )]
    LocalGrid {
        /// Name of the grid.
        crs: String,
    },
    /// The best way depends on when the positions were measured.
    #[error(
        "the best way from {from} to {to} ({operation}, {accuracy_m} m) depends on when the positions were measured: say it with `epoch` YEAR, such as `epoch` 2020.5{}",
        otherwise_text(.otherwise)
    )]
    EpochNeeded {
        /// Source system.
        from: String,
        /// Target system.
        to: String,
        /// The operation.
        operation: String,
        /// Its accuracy.
        accuracy_m: f64,
        /// The best way that needs none: what `--via` takes, and its accuracy.
        otherwise: Option<(String, f64)>,
    },
    /// A grid file is needed and not there.
    #[error("the grid file {grid} is needed ({reason}) and was not found {place}")]
    GridMissing {
        /// Name of the file.
        grid: String,
        /// What for.
        reason: String,
        /// Where it was looked for.
        place: String,
    },
    /// A grid file is there and cannot be used.
    #[error("{grid}: {problem}")]
    GridUnusable {
        /// The file.
        grid: String,
        /// What is wrong with it.
        problem: String,
    },
    /// No way is as accurate as was asked for.
    #[error(
        "no way from {from} to {to} is accurate to {required_m} m: the best is \"{best}\" with {}{}",
        .accuracy_m.map_or("no stated accuracy".to_string(), |a| format!("{a} m")),
        hint_text(.hint)
    )]
    NotAccurateEnough {
        /// Source system.
        from: String,
        /// Target system.
        to: String,
        /// What was asked for.
        required_m: f64,
        /// The best way that can be taken.
        best: String,
        /// Its accuracy.
        accuracy_m: Option<f64>,
        /// What would be better.
        hint: Option<String>,
    },
    /// `--via` names no way.
    #[error("`via` \"{via}\" is none of the ways from {from} to {to}; there are: {}", .ways.join("; "))]
    NoSuchWay {
        /// Source system.
        from: String,
        /// Target system.
        to: String,
        /// What was asked for.
        via: String,
        /// Names of the ways.
        ways: Vec<String>,
    },
    /// A text is not well-known text, or not one that can be used.
    #[error("{what} cannot be read: {problem}")]
    Wkt {
        /// What was read: `the WKT`, or the name of a file.
        what: String,
        /// What is wrong and where.
        problem: String,
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

fn otherwise_text(otherwise: &Option<(String, f64)>) -> String {
    otherwise.as_ref().map_or(String::new(), |(name, a)| {
        format!("; without it, `via` \"{name}\" takes the way that is good to {a} m")
    })
}

fn hint_text(hint: &Option<String>) -> String {
    hint.as_ref().map_or_else(
        || {
            "; ask for less, or bring what gives it: a grid file (`grids`) or a fit of your own (`via` FILE)"
                .to_string()
        },
        |h| format!("; {h}"),
    )
}

fn nearest_text(nearest: &[String]) -> String {
    if nearest.is_empty() {
        "; search with `crs find WORDS`: parts of names, countries or regions".to_string()
    } else {
        format!("; nearest: {}", nearest.join("; "))
    }
}
