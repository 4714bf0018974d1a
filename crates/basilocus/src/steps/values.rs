//! Chooses rows by their own values.

use super::condition::{Condition, Outcome};
use super::{Bound, Step, Work};
use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting};
use basilocus_table::Reason;
use serde::{Deserialize, Serialize};

/// Conditions, all of which hold: `COLUMN=VALUE`, several values parted by `|`, `A..B` for a range and nothing for an empty
/// value; `!=` for other values; `<`, `<=`, `>`, `>=` for numbers and dates; `~` for a pattern with `*` and `?`.
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
            setting.interpret(format!("rows with {}", text.replace('|', " or ")));
        }
        Ok(Bound::blocks(columns, Choosing(conditions)))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

struct Choosing(Vec<Condition>);

impl Work for Choosing {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        for row in 0..rows.len() {
            let outcome = |c: &Condition| c.of(rows.records(), row);
            match self.0.iter().map(outcome).find(|o| *o != Outcome::Holds) {
                None | Some(Outcome::Holds) => {}
                Some(Outcome::Another) => account.leave_out(row, Reason::OTHER_VALUE),
                Some(Outcome::NotComparable) => account.leave_out(row, Reason::NO_COMPARABLE_VALUE),
            }
        }
        Ok(rows)
    }
}
