//! A doubt as reports tell it.

use super::{DoubtName, Finding};
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
}

impl DoubtReport {
    pub(super) fn new(id: DoubtName, layer: &str, finding: Finding) -> Self {
        let Finding { column, rows, message, mend } = finding;
        DoubtReport { id, layer: layer.to_string(), column, rows, message, mend }
    }
}
