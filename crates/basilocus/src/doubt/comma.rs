//! slip-12: decimal commas and decimal points in one column.
//!
//! Where commas are decimal signs, a point may stand between thousands: `438.278` beside `438278,5` may be 438 278.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// Numbers written in two ways.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let (commas, points) = (e.tally.with_comma, e.tally.with_point);
    if commas == 0 || points == 0 {
        return None;
    }
    report(
        e,
        "slip-12",
        columns(e),
        commas.min(points),
        format!(
            "{commas} rows write their numbers with a comma and {points} with a point only: in some of them the mark may part thousands; look at both kinds"
        ),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_way_of_writing_is_no_doubt() {
        let with = |with_comma, with_point| {
            let mut e = Evidence { layer: "t", ..Default::default() };
            (e.tally.with_comma, e.tally.with_point) = (with_comma, with_point);
            doubt(&e).map(|d| d.rows)
        };
        assert_eq!((with(9, 0), with(0, 9), with(0, 0)), (None, None, None));
        assert_eq!(with(2, 9), Some(2));
    }
}
