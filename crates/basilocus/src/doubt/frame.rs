//! slip-17: a global frame that moves against the ground, taken as equal to one that is fixed to its plate.

use super::{Evidence, report};
use crate::report::DoubtReport;

/// Decimetres to metres, and more each year.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let (from, to) = e.frames_mixed?;
    report(
        e,
        "slip-17",
        None,
        e.ledger.rows_out,
        format!(
            "{from} and {to} are taken as equal, but one moves against the other by centimetres a year, and they are decimetres to metres apart; say when the positions were measured with --epoch, and let --via go"
        ),
    )
}
