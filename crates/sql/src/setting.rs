//! What a session says of our functions: `SET basilocus.on_failure = 'null'`.

use crate::Error;
use datafusion::common::config::{ConfigExtension, ConfigOptions};
use datafusion::common::extensions_options;

extensions_options! {
    /// Settings of a session, each `SET basilocus.NAME = 'VALUE'`.
    pub struct Settings {
        /// What becomes of a row that a function cannot use: `error` ends the query, `null` goes on and keeps the reason for
        /// NAME_reason(…); `told` is null where the result says its reason itself, and an error everywhere else
        pub on_failure: String, default = "told".to_string()
        /// Address references for geocode and nearest_address, parted by `;`
        pub reference: String, default = String::new()
        /// Folder of grid files
        pub grids: String, default = String::new()
        /// Where the data is, WEST,SOUTH,EAST,NORTH in degrees or a place in words: which of several ways between two
        /// datums is taken. Without it that is decided degree by degree
        pub area: String, default = String::new()
        /// Metres beyond which nearest_address finds none
        pub most_m: f64, default = 1000.0
    }
}

impl ConfigExtension for Settings {
    const PREFIX: &'static str = "basilocus";
}

/// What becomes of a row that a function cannot use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum OnFailure {
    /// The query ends.
    Error,
    /// The row is null.
    Null,
    /// It is null where the result has a place for its reason.
    Told,
}

impl Settings {
    /// The settings among those of a session; the usual ones where nobody registered any.
    pub(crate) fn of(options: &ConfigOptions) -> Self {
        options.extensions.get::<Settings>().cloned().unwrap_or_default()
    }

    /// What becomes of a row that a function cannot use.
    ///
    /// # Errors
    /// [`Error::Setting`].
    pub(crate) fn failure(&self) -> Result<OnFailure, Error> {
        match self.on_failure.as_str() {
            "error" => Ok(OnFailure::Error),
            "null" => Ok(OnFailure::Null),
            "told" => Ok(OnFailure::Told),
            other => Err(Error::Setting { name: "on_failure", value: other.into(), expected: "error, null or told" }),
        }
    }
}
