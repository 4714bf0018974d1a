//! A doubt as reports tell it.

use super::{DOUBTS, DoubtName, Finding};
use crate::Error;
use serde::Serialize;

/// A suspicion about the data of a layer.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DoubtReport {
    /// Name of the doubt.
    #[cfg_attr(feature = "schemas", schemars(with = "String"))]
    pub id: DoubtName,
    /// Layer.
    pub layer: String,
    /// Column or columns.
    pub column: Option<String>,
    /// How many rows.
    pub rows: u64,
    /// What was seen, and what would explain it.
    pub message: String,
    /// What mends it.
    pub mend: String,
    /// Whether somebody said that it is let pass.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub accepted: bool,
}

impl DoubtReport {
    pub(super) fn new(id: DoubtName, layer: &str, finding: Finding) -> Self {
        let Finding { column, rows, message, mend } = finding;
        DoubtReport { id, layer: layer.to_string(), column, rows, message, mend, accepted: false }
    }
}

/// The doubts of names.
///
/// # Errors
/// [`Error::Usage`] for a name that no doubt has.
pub fn accepted(names: &[String]) -> Result<Vec<DoubtName>, Error> {
    let find = |name: &String| {
        let all = || DOUBTS.iter().map(|d| d.name).collect::<Vec<_>>().join(", ");
        DoubtName::find(name)
            .ok_or_else(|| Error::Usage(format!("`accept` {name}: no doubt has that name; there are {}", all())))
    };
    names.iter().map(find).collect()
}

/// Marks those of some doubts that are let pass.
pub fn accept(doubts: &mut [DoubtReport], accepted: &[DoubtName]) {
    doubts.iter_mut().for_each(|doubt| doubt.accepted |= accepted.contains(&doubt.id));
}
