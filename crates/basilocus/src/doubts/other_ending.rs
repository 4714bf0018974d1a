//! The ending of a file says one format and its content another: it was renamed, or saved as something else.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_formats::Format;

pub static DOUBT: Doubt = Doubt {
    name: "other-ending",
    looks_for: "a file whose ending says another format than its content",
    example: "a workbook that somebody called gates.csv",
    mend: "nothing, if it is read as what it is; else get the file again",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// The content is not what the ending says.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let (path, found) = scene.source.as_ref()?;
    let said = Format::of_ending(path)?;
    // Text is text, however its columns are told apart.
    let text = |f: Format| matches!(f, Format::Delimited | Format::Fixed | Format::Xyz);
    if said == *found || text(said) && text(*found) || basilocus_formats::is_standard(path) {
        return None;
    }
    Some(Finding {
        column: None,
        rows: end.ledger.rows_in,
        message: format!(
            "the ending of {} says {}, its content is {}: it is read as that",
            path.display(),
            said.name(),
            found.name()
        ),
        mend: "give the file its right ending, so that others read it as what it is".into(),
    })
}
