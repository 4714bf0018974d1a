//! slip-15: an empty result that looks like success.

use super::{Evidence, report};
use crate::report::DoubtReport;

/// Rows came in and none came out.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    if e.ledger.rows_in == 0 || e.ledger.rows_out > 0 {
        return None;
    }
    let left = e.ledger.left_out_total();
    if left > 0 {
        let reasons: Vec<String> = e.ledger.left_out.iter().map(|(r, n)| format!("{n} {r}")).collect();
        return report(
            e,
            "slip-15",
            None,
            e.ledger.rows_in,
            format!(
                "the result is empty: none of the {} rows was chosen ({}); look at the values and areas that were said",
                e.ledger.rows_in,
                reasons.join(", ")
            ),
        );
    }
    let main = e.ledger.set_aside.iter().max_by_key(|(_, n)| **n).map_or("", |(r, _)| r.as_str());
    report(
        e,
        "slip-15",
        None,
        e.ledger.rows_in,
        format!("the result is empty: all {} rows were set aside (most of them: {main})", e.ledger.rows_in),
    )
}
