//! Postcode, town and region of an address contradict each other.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_table::counted;

pub static DOUBT: Doubt = Doubt {
    name: "contradiction",
    looks_for: "addresses that are set aside because two of their parts disagree",
    example: "a postcode of Washington behind a town of Oregon",
    mend: "the rows set aside name the parts: correct one of them",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// Rows that were set aside because two of their parts disagree.
fn finding(_: &Scene, end: &Ending) -> Option<Finding> {
    let n = end.contradictions;
    (n > 0).then(|| Finding {
        column: None,
        rows: n,
        message: format!("in {} postcode, locality and region contradict each other", counted(n, "address")),
        mend: "the rows set aside name the parts".into(),
    })
}
