//! Adds columns with one value for all rows; in a column that is there, fills the empty cells.

use super::{Bound, Step, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Rows, Setting};
use arrow_array::{ArrayRef, StringArray};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::batch::cell_text;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Names of columns with their values.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,state\nA,WA\nB,\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.set("state", "OR").write(&out)?.run()?;
/// // A column that is there keeps its values; the empty cells are filled.
/// assert_eq!(std::fs::read_to_string(out)?, "gate,state\nA,WA\nB,OR\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Set(pub BTreeMap<String, String>);

impl Step for Set {
    fn bind(&self, mut columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
        let mut values = Vec::new();
        for (name, value) in &self.0 {
            let text = |name: &str| Column { added: false, is_open: true, ..Column::added(name, DataType::Utf8) };
            let at = columns.position(name);
            match at.and_then(|at| columns.get_mut(at)) {
                Some(there) => *there = text(there.name()),
                None => columns.push(text(name)),
            }
            values.push((at, value.clone()));
        }
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Filling { values, schema }))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

struct Filling {
    /// The column whose empty cells are filled, or none for a new one.
    values: Vec<(Option<usize>, String)>,
    schema: SchemaRef,
}

impl Work for Filling {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let mut columns = rows.records().columns().to_vec();
        for (at, value) in &self.values {
            let text = |row: usize| {
                let there = at.map(|c| cell_text(&columns[c], row)).filter(|t| !t.trim().is_empty());
                Some(there.unwrap_or_else(|| value.clone()))
            };
            let filled: ArrayRef = Arc::new((0..rows.len()).map(text).collect::<StringArray>());
            match at {
                Some(at) => columns[*at] = filled,
                None => columns.push(filled),
            }
        }
        rows.with_columns(&self.schema, columns)
    }
}
