//! slip-10: postcodes turned into numbers.

use super::{Evidence, report};
use crate::report::DoubtReport;
use basilocus_table::Role;

/// A postcode column with whole numbers of fewer digits than the longest: leading zeros were lost.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    for (name, role, p) in e.profiles {
        let short = p.range.is_some_and(|(low, _)| (0.0..10_000.0).contains(&low));
        if *role == Some(Role::Postcode) && p.codes == 0 && p.integers > 0 && short && p.longest >= 5 {
            return report(
                e,
                "slip-10",
                Some(name.clone()),
                p.integers,
                format!(
                    "postcodes in \"{name}\" have different numbers of digits and none begins with a zero: a spreadsheet seems to have turned them into numbers; take the column from the source again, as text"
                ),
            );
        }
    }
    None
}
