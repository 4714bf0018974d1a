//! What a session says of our functions: `SET basilocus.on_failure = 'null'`.

use crate::Error;
use datafusion::common::config::{ConfigEntry, ConfigExtension, ConfigOptions, ExtensionOptions};
use datafusion::common::{DataFusionError, Result};
use std::any::Any;

/// Settings of a session, each `SET basilocus.NAME = 'VALUE'`.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// What becomes of a row that a function cannot use: `error` ends the query, `null` goes on and keeps the reason for
    /// NAME_reason(…); `told` is null where the result says its reason itself, and an error everywhere else.
    pub on_failure: String,
    /// Address references for geocode and nearest_address, parted by `;`.
    pub reference: String,
    /// Folder of grid files.
    pub grids: String,
    /// Where the data is, WEST,SOUTH,EAST,NORTH in degrees or a place in words: which of several ways between two datums is
    /// taken. Without it that is decided degree by degree.
    pub area: String,
    /// Metres beyond which nearest_address finds none.
    pub most_m: f64,
}

impl Default for Settings {
    fn default() -> Self {
        Settings {
            on_failure: "told".into(),
            reference: String::new(),
            grids: String::new(),
            area: String::new(),
            most_m: 1000.0,
        }
    }
}

impl ConfigExtension for Settings {
    const PREFIX: &'static str = "basilocus";
}

impl ExtensionOptions for Settings {
    fn as_any(&self) -> &dyn Any {
        self
    }

    fn as_any_mut(&mut self) -> &mut dyn Any {
        self
    }

    fn cloned(&self) -> Box<dyn ExtensionOptions> {
        Box::new(self.clone())
    }

    fn set(&mut self, key: &str, value: &str) -> Result<()> {
        let value = value.to_string();
        match key {
            "on_failure" => self.on_failure = value,
            "reference" => self.reference = value,
            "grids" => self.grids = value,
            "area" => self.area = value,
            "most_m" => {
                self.most_m = value.parse().ok().filter(|m: &f64| *m > 0.0 && m.is_finite()).ok_or(Error::Setting {
                    name: "most_m",
                    value,
                    expected: "a distance in metres",
                })?;
            }
            other => {
                let known = self.entries().into_iter().map(|e| e.key).collect::<Vec<_>>().join(", ");
                return Err(DataFusionError::Configuration(format!(
                    "there is no setting basilocus.{other}; there are {known}"
                )));
            }
        }
        self.failure()?;
        Ok(())
    }

    /// With their whole names: under these they travel to executors.
    fn entries(&self) -> Vec<ConfigEntry> {
        let entry = |name: &str, value: String, description: &'static str| ConfigEntry {
            key: format!("{}.{name}", Self::PREFIX),
            value: Some(value),
            description,
        };
        vec![
            entry(
                "on_failure",
                self.on_failure.clone(),
                "what becomes of a row that a function cannot use: error, null or told",
            ),
            entry("reference", self.reference.clone(), "address references, parted by ;"),
            entry("grids", self.grids.clone(), "folder of grid files"),
            entry("area", self.area.clone(), "where the data is: WEST,SOUTH,EAST,NORTH or a place in words"),
            entry("most_m", self.most_m.to_string(), "metres beyond which nearest_address finds none"),
        ]
    }
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
    pub(crate) fn failure(&self) -> std::result::Result<OnFailure, Error> {
        match self.on_failure.as_str() {
            "error" => Ok(OnFailure::Error),
            "null" => Ok(OnFailure::Null),
            "told" => Ok(OnFailure::Told),
            other => Err(Error::Setting { name: "on_failure", value: other.into(), expected: "error, null or told" }),
        }
    }
}
