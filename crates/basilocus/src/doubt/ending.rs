//! The ending of a file says one format and its content another: it was renamed, or saved as something else.

use super::{Evidence, report};
use crate::report::DoubtReport;
use basilocus_formats::Format;

/// The content is not what the ending says.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let (path, found) = e.source?;
    let said = Format::of_ending(path)?;
    // Text is text, however its columns are told apart.
    let text = |f: Format| matches!(f, Format::Delimited | Format::Fixed | Format::Xyz);
    if said == found || text(said) && text(found) || basilocus_formats::is_standard(path) {
        return None;
    }
    report(
        e,
        "ending",
        None,
        e.ledger.rows_in,
        format!(
            "the ending of {} says {}, its content is {}: it is read as that",
            path.display(),
            said.name(),
            found.name()
        ),
    )
}
