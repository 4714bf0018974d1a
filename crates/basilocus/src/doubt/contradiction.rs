//! slip-20: postcode, town and region of an address contradict each other.

use super::{Evidence, report};
use crate::report::DoubtReport;

/// Rows that were set aside because two of their parts disagree.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let n: u64 = e.ledger.set_aside.iter().filter(|(reason, _)| reason.ends_with("disagree")).map(|(_, n)| n).sum();
    if n == 0 {
        return None;
    }
    report(
        e,
        "slip-20",
        None,
        n,
        format!(
            "in {n} addresses postcode, locality and region contradict each other; the rows set aside name the parts"
        ),
    )
}
