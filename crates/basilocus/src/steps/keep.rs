//! Keeps columns, in an order, and leaves the others out.

use super::{Bound, Chosen, Step, Wish};
use crate::Error;
use crate::engine::{Columns, Setting};
use serde::{Deserialize, Serialize};

/// Columns to keep.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,width,kind\nA,3,culvert\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.keep(["kind", "gate"]).write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "kind,gate\nculvert,A\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Keep {
    /// Their names, in the order in which they will stand.
    pub columns: Vec<String>,
    /// Whether columns that steps added stay too, behind those that are named.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub and_added: bool,
}

impl Step for Keep {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let mut places: Vec<usize> = Vec::new();
        for name in &self.columns {
            let at = columns.require(name, setting.source())?;
            if !places.contains(&at) {
                places.push(at);
            }
        }
        // Geometry is no column that a user names; it stays.
        for (at, column) in columns.iter().enumerate() {
            if (column.is_geometry() || self.and_added && column.added) && !places.contains(&at) {
                places.push(at);
            }
        }
        let mut kept = columns.clone();
        while !kept.is_empty() {
            kept.remove(0);
        }
        places.iter().filter_map(|at| columns.get(*at)).for_each(|c| kept.push(c.clone()));
        let schema = kept.schema();
        Ok(Bound::blocks(kept, Chosen { places, schema }))
    }

    fn wish(&self) -> Wish {
        // The columns that go may be those of the coordinates.
        Wish::PositionsIfFound
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}
