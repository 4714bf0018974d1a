//! slip-19: too few digits were kept, so that points fall on a lattice.
//!
//! Degrees with three decimals or fewer stand 111 m apart. A grid that is meant has a point at most of its places; what
//! was rounded has points at few of them.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// Fewer positions may lie on round numbers by themselves.
const POSITIONS: u64 = 30;
/// Metres of a degree of latitude.
const DEGREE_M: f64 = 111_200.0;

/// Positions all of which have few decimals.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let ((dx, wide), (dy, high)) = (e.tally.x.decimals_and_span(), e.tally.y.decimals_and_span());
    let decimals = dx.max(dy);
    // Minutes behind a point have two decimals for another reason.
    if super::minutes::doubt(e).is_some() {
        return None;
    }
    if e.tally.positions < POSITIONS || decimals > 3 || !(wide.is_finite() && high.is_finite()) {
        return None;
    }
    let step = 0.1f64.powi(i32::from(decimals));
    let places = (wide / step + 1.0) * (high / step + 1.0);
    if e.tally.positions as f64 * 2.0 > places {
        return None;
    }
    report(
        e,
        "slip-19",
        columns(e),
        e.tally.positions,
        format!(
            "no value of {} has more than {decimals} decimals, so the points fall on a lattice of {:.0} m; ask for the coordinates with more digits",
            columns(e).unwrap_or_else(|| "the coordinates".into()),
            step * DEGREE_M
        ),
    )
}
