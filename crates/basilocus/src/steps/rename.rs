//! Gives columns other names.

use super::{Bound, Chosen, Step};
use crate::Error;
use crate::engine::{Columns, Setting};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Old name to new name.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Rename(pub BTreeMap<String, String>);

impl Step for Rename {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        for (old, new) in &self.0 {
            let at = columns.require(old, setting.source())?;
            if columns.iter().enumerate().any(|(i, c)| i != at && c.name() == new) {
                return Err(Error::Usage(format!("`rename` {old}={new}: there is a column \"{new}\" already")));
            }
            if let Some(column) = columns.get_mut(at) {
                column.field = column.field.clone().with_name(new);
            }
        }
        let (places, schema) = ((0..columns.len()).collect(), columns.schema());
        Ok(Bound::blocks(columns, Chosen { places, schema }))
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}
