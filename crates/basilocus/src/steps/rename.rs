//! Gives columns other names.

use super::{Bound, Chosen, Step};
use crate::Error;
use crate::engine::{Columns, Setting};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Old name to new name.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,kind\nA,culvert\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.rename("gate", "name").write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "name,kind\nA,culvert\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Rename(pub BTreeMap<String, String>);

impl Step for Rename {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        // All at once, so that columns can swap their names.
        let mut changes = Vec::with_capacity(self.0.len());
        for (old, new) in &self.0 {
            changes.push((columns.require(old, setting.source())?, old, new));
        }
        for (at, _, new) in &changes {
            if let Some(column) = columns.get_mut(*at) {
                column.field = column.field.clone().with_name(new.as_str());
            }
        }
        for (at, old, new) in changes {
            if columns.iter().enumerate().any(|(i, c)| i != at && c.name() == new) {
                return Err(Error::Usage(format!("`rename` {old}={new}: there is a column \"{new}\" already")));
            }
        }
        let (places, schema) = ((0..columns.len()).collect(), columns.schema());
        Ok(Bound::blocks(columns, Chosen { places, schema }))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}
