//! slip-13: a drawing in a system of its own, not in one of the real world.

use super::{Evidence, report};
use crate::report::DoubtReport;

/// The reader saw numbers that no national system has.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let note = e.notes.iter().find_map(|n| n.strip_prefix("slip-13: "))?;
    report(e, "slip-13", None, e.ledger.rows_in, note.to_string())
}
