//! Chooses rows by their own values.

use super::{Bound, Step, Work};
use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting};
use basilocus_table::Reason;
use basilocus_table::batch::cell_text;
use serde::{Deserialize, Serialize};
use std::path::Path;

/// Conditions, `COLUMN=VALUE`, several values parted by `|`; all conditions hold.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,kind\nA,culvert\nB,tide gate\nC,weir\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.values(["kind=culvert|weir"]).write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "gate,kind\nA,culvert\nC,weir\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Values(pub Vec<String>);

impl Step for Values {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let mut conditions = Vec::new();
        for text in &self.0 {
            conditions.push(Condition::read(text, "`values`", &columns, setting.source())?);
            setting.interpret(format!("rows whose {}", text.replacen('=', " is ", 1).replace('|', " or ")));
        }
        Ok(Bound::blocks(columns, Choosing(conditions)))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

/// A column, and the values of which one is wanted.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Condition {
    column: usize,
    values: Vec<String>,
}

impl Condition {
    /// `COLUMN=VALUE`, several values parted by `|`.
    pub(super) fn read(text: &str, flag: &str, columns: &Columns, path: &Path) -> Result<Self, Error> {
        let (column, values) = text.split_once('=').ok_or_else(|| {
            Error::Usage(format!("{flag} {text}: COLUMN=VALUE is expected, several values parted by |"))
        })?;
        let column = columns.require(column.trim(), path)?;
        Ok(Condition { column, values: values.split('|').map(|v| v.trim().to_string()).collect() })
    }

    /// Whether a row has one of the values.
    pub(super) fn holds(&self, records: &arrow_array::RecordBatch, row: usize) -> bool {
        let text = cell_text(records.column(self.column), row);
        self.values.iter().any(|v| v == text.trim())
    }
}

struct Choosing(Vec<Condition>);

impl Work for Choosing {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        for row in 0..rows.len() {
            if !self.0.iter().all(|c| c.holds(rows.records(), row)) {
                account.leave_out(row, Reason::OTHER_VALUE);
            }
        }
        Ok(rows)
    }
}
