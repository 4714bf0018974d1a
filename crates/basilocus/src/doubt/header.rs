//! slip-09: header shifted against its data; a blank second row.

use super::{Evidence, report};
use crate::report::DoubtReport;

/// The reader saw one name fewer than fields, or the row below the header is blank.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    if let Some(note) = e.notes.iter().find_map(|n| n.strip_prefix("slip-09: ")) {
        return report(e, "slip-09", None, e.ledger.rows_in, note.to_string());
    }
    if e.blank_second_row {
        let row = e.header_row.unwrap_or(1) + 1;
        return report(
            e,
            "slip-09",
            None,
            1,
            format!("row {row}, below the header, is blank; it is set aside, and the data begins below it"),
        );
    }
    None
}
