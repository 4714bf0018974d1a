//! The header shifted against its data; a blank second row.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_formats::Suspicion;

pub static DOUBT: Doubt = Doubt {
    name: "shifted-header",
    looks_for: "a header with one name fewer than the rows have fields, or a blank row below it",
    example: "names for three columns above rows of four fields, so that every value stands under its neighbour's name",
    mend: "say the right line with `header_row`",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// What the reader saw, or a blank row below the header.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let shifted = scene.suspicions.iter().find_map(|s| match s {
        Suspicion::ShiftedHeader { names, fields } => Some((names, fields)),
        _ => None,
    });
    if let Some((names, fields)) = shifted {
        return Some(Finding {
            column: None,
            rows: end.ledger.rows_in,
            message: format!("the header has {names} names, every row {fields} fields: the header seems shifted"),
            mend: DOUBT.mend.into(),
        });
    }
    end.blank_second_row.then(|| Finding {
        column: None,
        rows: 1,
        message: format!("row {}, below the header, is blank", scene.header_row.unwrap_or(1) + 1),
        mend: "it is set aside, and the data begins below it; nothing has to be done if that is right".into(),
    })
}
