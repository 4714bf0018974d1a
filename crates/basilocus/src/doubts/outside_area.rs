//! Coordinates outside the area of use of their system, where no exchange or sign explains them.

use super::evidence::{Placement, WatchPlaces};
use super::{Doubt, Finding, Scene};
use basilocus_table::counted::is_or_are;

pub static DOUBT: Doubt = Doubt {
    name: "outside-area",
    looks_for: "positions outside the area of use of their system",
    example: "a point in Nebraska in a table that is said to be in a system of Oregon",
    mend: "check the system, or these rows",
    watch: |scene| scene.area.is_some().then(|| WatchPlaces::boxed(finding)),
};

fn finding(scene: &Scene, seen: &Placement) -> Option<Finding> {
    (seen.outside > 0 && !seen.looks_swapped() && !seen.looks_negated()).then(|| Finding {
        column: scene.columns_of_positions(),
        rows: seen.outside,
        message: format!(
            "{} of {} positions {} outside the area of use of {}",
            seen.outside,
            seen.positions,
            is_or_are(seen.outside),
            scene.area_of()
        ),
        mend: DOUBT.mend.into(),
    })
}
