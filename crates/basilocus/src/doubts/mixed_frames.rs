//! A global frame that moves against the ground, taken as equal to one that is fixed to its plate.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};

pub static DOUBT: Doubt = Doubt {
    name: "mixed-frames",
    looks_for: "a frame that is fixed to its plate and one that moves against it, taken as equal",
    example: "ITRF2014 positions of 2026 written as GDA94, which are 2 m apart by now",
    mend: "say when the positions were measured with `epoch`, and let `via` go",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// Decimetres to metres, and more each year.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let (from, to) = scene.mixed_frames.as_ref()?;
    Some(Finding {
        column: None,
        rows: end.ledger.rows_out,
        message: format!(
            "{from} and {to} are taken as equal, but one moves against the other by centimetres a year, and they are decimetres to metres apart"
        ),
        mend: DOUBT.mend.into(),
    })
}
