//! slip-08: points at 0, 0.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// A position of exactly zero and zero is an empty value more often than a place in the Gulf of Guinea.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let n = e.tally.at_zero;
    if n == 0 {
        return None;
    }
    report(
        e,
        "slip-08",
        columns(e),
        n,
        format!(
            "{n} positions are exactly 0, 0, which is how many programs write an empty value; take these rows out, or check them"
        ),
    )
}
