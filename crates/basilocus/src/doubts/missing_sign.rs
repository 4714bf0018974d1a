//! Longitudes without their minus sign: positions that land in another hemisphere.

use super::evidence::{Placement, WatchPlaces};
use super::{Doubt, Finding, Scene};
use basilocus_table::counted::is_or_are;

pub static DOUBT: Doubt = Doubt {
    name: "missing-sign",
    looks_for: "positions outside the area of use of their system, most of which are inside with the other sign of the longitude",
    example: "a longitude of 123.8 for a place in Oregon, which lies at -123.8",
    mend: "put a minus sign in front of the longitudes, or a W behind them",
    watch: |scene| scene.area.is_some().then(|| WatchPlaces::boxed(finding)),
};

fn finding(scene: &Scene, seen: &Placement) -> Option<Finding> {
    seen.looks_negated().then(|| Finding {
        column: scene.columns_of_positions(),
        rows: seen.inside_if_negated,
        message: format!(
            "the longitudes seem to lack their minus sign: {} of {} positions {} outside the area of use of {}, and inside it in the other hemisphere",
            seen.inside_if_negated,
            seen.positions,
            is_or_are(seen.inside_if_negated),
            scene.area_of()
        ),
        mend: DOUBT.mend.into(),
    })
}
