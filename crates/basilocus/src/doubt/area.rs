//! slip-18: coordinates outside the area of use of their system.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// Positions outside, where no exchange or sign explains them.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let t = &e.tally;
    let explained = t.inside_if_swapped * 2 >= t.positions && t.inside_if_swapped > 0
        || t.inside_if_negated * 2 >= t.positions && t.inside_if_negated > 0;
    if t.outside == 0 || explained {
        return None;
    }
    report(
        e,
        "slip-18",
        columns(e),
        t.outside,
        format!(
            "{} of {} positions are outside the area of use of {}; check the system, or these rows",
            t.outside,
            t.positions,
            e.area_of.unwrap_or("the system")
        ),
    )
}
