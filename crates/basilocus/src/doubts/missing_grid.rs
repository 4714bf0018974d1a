//! A transformation that is coarser than the best because a grid file is missing.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};

pub static DOUBT: Doubt = Doubt {
    name: "missing-grid",
    looks_for: "an operation for which a grid file is missing, so that a coarser way was taken",
    example: "NAD27 to WGS 84 by three parameters, good to 12 m, where the grid file would give 0.2 m",
    mend: "get the grid file and say its folder with `grids`; `strict` forbids the coarser way",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// One doubt for the first of the layer's operations that missed a better way.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let missed = scene.missed.first()?;
    let taken = missed.taken_m.map_or("an accuracy that nobody states".to_string(), |a| format!("{a} m"));
    Some(Finding {
        column: None,
        rows: end.ledger.rows_out,
        message: format!(
            "the way to {} is good to {taken}; with the grid file {} it would be {} m",
            missed.target,
            missed.way.grids.join(" and "),
            missed.way.accuracy_m
        ),
        mend: "get the file and say its folder with `grids`; `strict` forbids the coarser way".into(),
    })
}
