//! Makes a column of others.

use super::{Bound, Step, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Rows, Setting};
use arrow_array::{ArrayRef, StringArray};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::batch::cell_text;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A column made of others.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "street,town\nDock Street,Ternport\n,Ternport\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.join("place", ["street", "town"]).write(&out)?.run()?;
/// // What is empty leaves no blank behind.
/// assert_eq!(std::fs::read_to_string(out)?, "street,town,place\nDock Street,Ternport,Dock Street Ternport\n,Ternport,Ternport\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Join {
    /// Its name.
    pub name: String,
    /// The columns, in order; empty cells are passed over.
    pub columns: Vec<String>,
    /// What stands between them.
    #[serde(default = "blank")]
    pub separator: String,
}

fn blank() -> String {
    " ".into()
}

impl Step for Join {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let parts = self.columns.iter().map(|c| columns.require(c, setting.source())).collect::<Result<_, _>>()?;
        columns.push(Column { added: false, is_open: true, ..Column::added(&self.name, DataType::Utf8) });
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Joining { parts, separator: self.separator.clone(), schema }))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

struct Joining {
    parts: Vec<usize>,
    separator: String,
    schema: SchemaRef,
}

impl Work for Joining {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let text = |row: usize| {
            let parts = self.parts.iter().map(|c| cell_text(rows.records().column(*c), row).trim().to_string());
            Some(parts.filter(|t| !t.is_empty()).collect::<Vec<_>>().join(&self.separator))
        };
        let joined: ArrayRef = Arc::new((0..rows.len()).map(text).collect::<StringArray>());
        rows.with_added(&self.schema, [joined])
    }
}
