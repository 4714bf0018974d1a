//! Rows of a sheet that nobody sees who opens it: a filter, or somebody's hand, hid them.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_formats::Suspicion;
use basilocus_table::counted::{counted, is_or_are};

pub static DOUBT: Doubt = Doubt {
    name: "hidden-rows",
    looks_for: "rows of a workbook's sheet that are hidden, and are read like all others",
    example: "a sheet filtered to the 40 gates of one district, with the other 960 still in it",
    mend: "show all rows and look; where only what is seen is meant, copy it to a sheet of its own, or say the same with `select`",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

fn finding(_: &Scene, end: &Ending) -> Option<Finding> {
    let rows = end.found.iter().find_map(|s| match s {
        Suspicion::HiddenRows { rows } => Some(*rows),
        _ => None,
    })?;
    Some(Finding {
        column: None,
        rows,
        message: format!(
            "{} of the sheet {} hidden, by a filter or by hand, and {} read like all others",
            counted(rows, "row"),
            is_or_are(rows),
            is_or_are(rows)
        ),
        mend: DOUBT.mend.into(),
    })
}
