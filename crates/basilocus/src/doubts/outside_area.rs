//! Coordinates outside the area of use of their system, where no exchange or sign explains them.

use super::evidence::{Placement, WatchPlaces};
use super::{Doubt, Finding, Scene};
use basilocus_table::counted::is_or_are;

pub static DOUBT: Doubt = Doubt {
    name: "outside-area",
    looks_for: "positions outside the area of use of their system, or of the place that `expect` says, that nothing explains",
    example: "a point in Nebraska in a table that is said to be in a system of Oregon",
    mend: "check the system, or these rows",
    watch: |scene| scene.area.is_some().then(|| WatchPlaces::boxed(finding)),
};

fn finding(scene: &Scene, seen: &Placement) -> Option<Finding> {
    // Rows that were set aside have their own reason.
    let outside = seen.outside.saturating_sub(scene.explained_outside(seen));
    (outside > 0).then(|| Finding {
        column: scene.columns_of_positions(),
        rows: outside,
        message: format!(
            "{outside} of {} positions {} outside {}",
            seen.positions,
            is_or_are(outside),
            scene.area_of()
        ),
        mend: DOUBT.mend.into(),
    })
}
