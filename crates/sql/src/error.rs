//! The one error type of this crate, and how it travels inside of the engine's.

use datafusion::error::DataFusionError;

/// Why a call cannot be planned, or a query cannot go on.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// An argument that a function does not take.
    #[error("{function}: argument {at} ({name}) {what}")]
    Argument {
        /// The function.
        function: &'static str,
        /// Which argument, from 1.
        at: usize,
        /// What it is called.
        name: &'static str,
        /// What is wrong with it, and what to do.
        what: String,
    },
    /// A call that cannot be right, whatever the rows hold.
    #[error("{function}: {what}")]
    Call {
        /// The function.
        function: &'static str,
        /// What is wrong, and what to do.
        what: String,
    },
    /// A row that a function cannot use, where that is to end the query.
    #[error("{function}: row {row} of a batch: {reason}; `SET basilocus.on_failure = 'null'` goes on, and {function}_reason(…) says why each row is null")]
    Row {
        /// The function.
        function: &'static str,
        /// Which row of the batch, from 1.
        row: usize,
        /// Why.
        reason: String,
    },
    /// A setting with a value that it does not have.
    #[error("setting basilocus.{name} is \"{value}\": {expected} is expected")]
    Setting {
        /// The setting.
        name: &'static str,
        /// Its value.
        value: String,
        /// What it can be.
        expected: &'static str,
    },
    /// What the library says of files, systems and steps.
    #[error(transparent)]
    Library(#[from] basilocus::Error),
    /// An address reference that differs from the one that the query was planned with.
    #[error("{path}: this reference has the sum {found:016x}, and the query was planned with {planned:016x}: bring the same file to every executor")]
    OtherReference {
        /// The file.
        path: String,
        /// The sum of the file here.
        found: u64,
        /// The sum of the file where the query was planned.
        planned: u64,
    },
}

impl From<Error> for DataFusionError {
    fn from(e: Error) -> Self {
        DataFusionError::External(Box::new(e))
    }
}
