//! The one error type of this crate, and how it travels inside of the engine's.

use datafusion::error::DataFusionError;
use std::fmt;

/// Why a call cannot be planned, or a query cannot go on.
#[derive(thiserror::Error)]
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
    #[error(
        "{function}: row {row} of a batch: {reason}; `SET basilocus.on_failure = 'null'` goes on, and {function}_reason(…) says why each row is null"
    )]
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
    /// An executor that cannot do what a query means; found before the query began.
    #[error("the executor at {address} cannot do this, so nothing was begun: {what}")]
    Executor {
        /// Where it listens.
        address: String,
        /// What it said.
        what: String,
    },
    /// An address reference that differs from the one that the query was planned with.
    #[error(
        "{path}: this reference has the sum {found:016x}, and the query was planned with {planned:016x}: bring the same file to every executor"
    )]
    OtherReference {
        /// The file.
        path: String,
        /// The sum of the file here.
        found: u64,
        /// The sum of the file where the query was planned.
        planned: u64,
    },
}

/// Signs around our words where the engine hands an error on as a text in its own notation.
pub(crate) const SIGNS: [char; 2] = ['\u{ab}', '\u{bb}'];

impl fmt::Debug for Error {
    /// The same words: a cluster tells errors in this form.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{self}{}", SIGNS[0], SIGNS[1])
    }
}

/// An error of the engine in the words that matter: ours, wherever in it they stand.
pub fn words(error: &DataFusionError) -> String {
    let text = error.to_string();
    if let (Some(from), Some(to)) = (text.find(SIGNS[0]), text.rfind(SIGNS[1]))
        && from < to
    {
        return text[from + SIGNS[0].len_utf8()..to].to_string();
    }
    let ours = text.rsplit_once("External error: ").map_or(text.as_str(), |(_, ours)| ours);
    ours.trim().to_string()
}

impl From<Error> for DataFusionError {
    fn from(e: Error) -> Self {
        DataFusionError::External(Box::new(e))
    }
}
