//! slip-03: longitude without its minus sign.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// Most positions are outside the area of use, and inside it with the other sign.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let t = &e.tally;
    if t.inside_if_negated == 0 || t.inside_if_negated * 2 < t.positions {
        return None;
    }
    report(
        e,
        "slip-03",
        columns(e),
        t.inside_if_negated,
        format!(
            "the longitudes seem to lack their minus sign: {} of {} positions are outside the area of use of {}, and inside it in the other hemisphere",
            t.inside_if_negated,
            t.positions,
            e.area_of.unwrap_or("the target")
        ),
    )
}
