//! A drawing in a system of its own, not in one of the real world.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_formats::Suspicion;

pub static DOUBT: Doubt = Doubt {
    name: "local-drawing",
    looks_for: "a drawing whose coordinates are such as no national system has",
    example: "a levee drawn from x 0 to 640 and y 0 to 380",
    mend: "bring it to a system with control pairs (`fit`)",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// The reader saw numbers that no national system has.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let [west, south, east, north] = scene.suspicions.iter().find_map(|s| match s {
        Suspicion::LocalDrawing { bounds } => Some(*bounds),
        _ => None,
    })?;
    Some(Finding {
        column: None,
        rows: end.ledger.rows_in,
        message: format!(
            "the drawing seems to be in a system of its own: x from {west:.1} to {east:.1}, y from {south:.1} to {north:.1}, where no national system lies"
        ),
        mend: DOUBT.mend.into(),
    })
}
