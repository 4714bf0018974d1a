//! slip-16: a transformation that is coarser than the best because a grid file is missing.

use super::{Evidence, report};
use crate::report::DoubtReport;

/// One doubt for the worst of the layer's operations.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let (target, missed, taken) = e.missed.first()?;
    let taken = taken.map_or("an accuracy that nobody states".to_string(), |a| format!("{a} m"));
    report(
        e,
        "slip-16",
        None,
        e.ledger.rows_out,
        format!(
            "the way to {target} is good to {taken}; with the grid file {} it would be {} m. Get the file and say its folder with --grids; --strict forbids the coarser way",
            missed.grids.join(" and "),
            missed.accuracy_m
        ),
    )
}
