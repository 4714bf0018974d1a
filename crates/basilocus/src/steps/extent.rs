//! Chooses rows between meridians and parallels. A line or polygon counts by the middle of its bounds.

use super::{Bound, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting};
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use serde::{Deserialize, Serialize};

/// `WEST,SOUTH,EAST,NORTH` in degrees of WGS 84; a west that is larger than the east lies across the 180° meridian.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Extent(pub String);

impl Extent {
    /// West, south, east, north.
    fn edges(&self) -> Result<[f64; 4], Error> {
        let text = &self.0;
        let edges: Vec<f64> = text.split(',').filter_map(|p| p.trim().parse().ok()).collect();
        let [w, s, e, n] = edges[..] else {
            return Err(Error::Usage(format!("`extent` {text}: WEST,SOUTH,EAST,NORTH in degrees is expected")));
        };
        if !(s < n && (-90.0..=90.0).contains(&s) && (-90.0..=90.0).contains(&n)) {
            return Err(Error::Usage(format!(
                "`extent` {text}: the south has to lie below the north, both in degrees"
            )));
        }
        Ok([w, s, e, n])
    }
}

impl Step for Extent {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let [w, s, e, n] = self.edges()?;
        let crs = super::inside::system_of(&columns, setting)?;
        let operation = Operation::between(crs, &Catalogue::embedded().get(4326)?, None)?;
        setting.interpret(format!("rows between {w} and {e} east, {s} and {n} north"));
        Ok(Bound::blocks(columns, Choosing { edges: [w, s, e, n], operation }))
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

struct Choosing {
    edges: [f64; 4],
    operation: Operation,
}

impl Work for Choosing {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let [w, s, e, n] = self.edges;
        let [mut x, mut y, mut z] = rows.positions();
        self.operation.apply(&mut x, &mut y, &mut z);
        for row in 0..rows.len() {
            let east = if w <= e { w <= x[row] && x[row] <= e } else { x[row] >= w || x[row] <= e };
            if !(east && s <= y[row] && y[row] <= n) {
                account.leave_out(row, Reason::OUTSIDE_THE_EXTENT);
            }
        }
        Ok(rows)
    }
}
