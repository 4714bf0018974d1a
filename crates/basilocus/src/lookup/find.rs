//! Systems of the catalogue by code, name, place or words.

use crate::Error;
use basilocus_geodesy::crs::Catalogue;
use serde::Serialize;

/// Words to look for.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct FindQuestion {
    /// The words
    #[cfg_attr(feature = "arguments", arg(required = true))]
    pub words: Vec<String>,
    /// Most to show
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 15))]
    pub most: usize,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct FindReport {
    /// The words.
    pub query: String,
    /// How many systems were found.
    pub found: usize,
    /// The first of them, best first.
    pub systems: Vec<FoundSystem>,
}

/// A system of the catalogue.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct FoundSystem {
    /// Its code, `EPSG:` with a number.
    pub code: String,
    /// Its name.
    pub name: String,
    /// What kind of system it is, in words.
    pub kind: String,
    /// The unit in words.
    pub unit: String,
    /// Its area of use, in words.
    pub area: String,
}

impl FindQuestion {
    /// Looks through the catalogue.
    ///
    /// # Errors
    /// Where nothing is found; the message offers what is near.
    ///
    /// ```
    /// use basilocus::lookup::FindQuestion;
    ///
    /// let found = FindQuestion { words: vec!["oregon".into(), "north".into(), "ft".into()], most: 3 }.report()?;
    /// assert!(found.systems.len() <= 3 && found.found >= found.systems.len());
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<FindReport, Error> {
        let query = self.words.join(" ");
        let catalogue = Catalogue::embedded();
        let hits = catalogue.search(&query);
        let mut systems: Vec<FoundSystem> = hits
            .iter()
            .take(self.most)
            .map(|h| FoundSystem {
                code: format!("EPSG:{}", h.code),
                name: h.name.to_string(),
                kind: h.kind.to_string(),
                unit: h.unit.to_string(),
                area: h.area.to_string(),
            })
            .collect();
        let mut found = hits.len();
        if hits.is_empty() {
            // A compound system has no entry of its own; the error of an unknown name offers what is near.
            let crs = catalogue.find_one(&query)?;
            systems.push(FoundSystem {
                code: crs.identifier(),
                kind: crs.kind_name().to_string(),
                unit: crs.unit_words(),
                area: crs.area.description.clone(),
                name: crs.name,
            });
            found = 1;
        }
        Ok(FindReport { query, found, systems })
    }
}
