//! slip-01: x and y swapped.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// Most positions are outside the area of use, and inside it when exchanged.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let t = &e.tally;
    if t.inside_if_swapped == 0 || t.inside_if_swapped * 2 < t.positions {
        return None;
    }
    report(
        e,
        "slip-01",
        columns(e),
        t.inside_if_swapped,
        format!(
            "longitude and latitude look swapped: {} of {} positions are outside the area of use of {}, and inside it when exchanged; say --x and --y the other way round",
            t.inside_if_swapped,
            t.positions,
            e.area_of.unwrap_or("the target")
        ),
    )
}
