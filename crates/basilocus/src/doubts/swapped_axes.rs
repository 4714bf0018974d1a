//! x and y swapped.

use super::evidence::{Placement, WatchPlaces};
use super::{Doubt, DoubtName, DoubtReport, Finding, Scene};
use basilocus_table::counted::is_or_are;

pub static DOUBT: Doubt = Doubt {
    name: "swapped-axes",
    looks_for: "positions outside the area of use of their system, most of which are inside once x and y are exchanged",
    example: "a column \"lat\" with -123.8 beside a column \"lon\" with 46.2",
    mend: "say `x` and `y` the other way round",
    watch: |scene| scene.area.is_some().then(|| WatchPlaces::boxed(finding)),
};

fn finding(scene: &Scene, seen: &Placement) -> Option<Finding> {
    seen.looks_swapped().then(|| Finding {
        column: scene.columns_of_positions(),
        rows: seen.inside_if_swapped,
        message: format!(
            "longitude and latitude look swapped: {} of {} positions {} outside the area of use of {}, and inside it when exchanged",
            seen.inside_if_swapped,
            seen.positions,
            is_or_are(seen.inside_if_swapped),
            scene.area_of()
        ),
        mend: DOUBT.mend.into(),
    })
}

/// What there is to tell of eastings and northings that lie in the area of use of their system once they are exchanged, and
/// not before.
pub(crate) fn of_exchanged(layer: &str, points: u64, system: &str) -> DoubtReport {
    let finding = Finding {
        column: None,
        rows: points,
        message: format!(
            "easting and northing look swapped: the positions are outside the area of use of {system}, and inside it when exchanged"
        ),
        mend: DOUBT.mend.into(),
    };
    DoubtReport::new(DoubtName(&DOUBT), layer, finding)
}
