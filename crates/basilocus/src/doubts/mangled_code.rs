//! Postcodes turned into numbers.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_table::Role;

pub static DOUBT: Doubt = Doubt {
    name: "mangled-code",
    looks_for: "a column of postcodes with whole numbers of fewer digits than the longest: leading zeros were lost",
    example: "postcodes 2134 and 97103 in one column",
    mend: "take the column from the source again, as text",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// A postcode column without a single code.
fn finding(_: &Scene, end: &Ending) -> Option<Finding> {
    let (name, _, p) = end.profiles.iter().find(|(_, role, p)| {
        let short = p.range.is_some_and(|(low, _)| (0.0..10_000.0).contains(&low));
        *role == Some(Role::Postcode) && p.codes == 0 && p.integers > 0 && short && p.longest >= 5
    })?;
    Some(Finding {
        column: Some(name.clone()),
        rows: p.integers,
        message: format!(
            "postcodes in \"{name}\" have different numbers of digits and none begins with a zero: a spreadsheet seems to have turned them into numbers"
        ),
        mend: DOUBT.mend.into(),
    })
}
