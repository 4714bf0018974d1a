//! Decimal commas and decimal points in one column.
//!
//! Where commas are decimal signs, a point may stand between thousands: `438.278` beside `438278,5` may be 438 278.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_table::counted;

pub static DOUBT: Doubt = Doubt {
    name: "decimal-comma",
    looks_for: "numbers of which some are written with a comma and some with a point",
    example: "eastings 438278,5 and 438.278 in one column",
    mend: "look at both kinds: in one of them the mark may part thousands",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// Numbers written in two ways.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let (commas, points) = end.marks;
    (commas > 0 && points > 0).then(|| Finding {
        column: scene.columns_of_positions(),
        rows: commas.min(points),
        message: format!(
            "{} with a comma in its number and {} with a point only: in some of them the mark may part thousands",
            counted(commas, "row"),
            points
        ),
        mend: "look at both kinds".into(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_way_of_writing_is_no_doubt() {
        let with = |commas, points| {
            finding(&Scene::default(), &Ending { marks: (commas, points), ..Default::default() }).map(|f| f.rows)
        };
        assert_eq!((with(9, 0), with(0, 9), with(0, 0)), (None, None, None));
        assert_eq!(with(2, 9), Some(2));
    }
}
