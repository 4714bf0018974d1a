//! Points at 0, 0: an empty value more often than a place in the Gulf of Guinea.

use super::evidence::{Placement, WatchPlaces};
use super::{Doubt, Finding, Scene};
use basilocus_table::counted::{counted, is_or_are};

pub static DOUBT: Doubt = Doubt {
    name: "empty-point",
    looks_for: "positions at exactly 0, 0",
    example: "lon 0 and lat 0 for a gate that nobody has surveyed yet",
    mend: "take these rows out, or check them",
    watch: |scene| scene.columns.placed().map(|_| WatchPlaces::boxed(finding)),
};

fn finding(scene: &Scene, seen: &Placement) -> Option<Finding> {
    (seen.at_zero > 0).then(|| Finding {
        column: scene.columns_of_positions(),
        rows: seen.at_zero,
        message: format!(
            "{} {} exactly 0, 0, which is how many programs write an empty value",
            counted(seen.at_zero, "position"),
            is_or_are(seen.at_zero)
        ),
        mend: DOUBT.mend.into(),
    })
}
