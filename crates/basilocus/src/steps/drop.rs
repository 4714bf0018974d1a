//! Leaves columns out. They are there for every step before, so that coordinates and addresses can be read from them.

use super::{Bound, Chosen, Step, Wish};
use crate::Error;
use crate::engine::{Columns, Setting};
use serde::{Deserialize, Serialize};

/// Columns to leave out, by name.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,kind\nA,culvert\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.drop(["kind"]).write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "gate\nA\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Drop(pub Vec<String>);

impl Step for Drop {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let mut places: Vec<usize> = (0..columns.len()).collect();
        for name in &self.0 {
            let at = columns.require(name, setting.source())?;
            columns.remove(at);
            places.remove(at);
        }
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Chosen { places, schema }))
    }

    fn wish(&self) -> Wish {
        // The columns that go may be those of the coordinates.
        Wish::PositionsIfFound
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}
