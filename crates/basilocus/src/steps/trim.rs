//! Takes white space off the ends of cells and makes inner runs one blank.

use super::{Bound, Step, Work};
use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting};
use arrow_array::{Array, ArrayRef, StringArray};
use arrow_schema::SchemaRef;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// White space taken off every text.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,kind\n A ,tide   gate\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.trim().write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "gate,kind\nA,tide gate\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Trim {}

impl Step for Trim {
    fn bind(&self, columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Trimming(schema)))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

struct Trimming(SchemaRef);

impl Work for Trimming {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let columns = rows.records().columns().iter().map(trimmed).collect();
        rows.with_columns(&self.0, columns)
    }
}

fn trimmed(column: &ArrayRef) -> ArrayRef {
    let one_blank = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
    match column.as_any().downcast_ref::<StringArray>() {
        Some(texts) => Arc::new(texts.iter().map(|t| t.map(one_blank)).collect::<StringArray>()),
        None => column.clone(),
    }
}
