//! An empty result that looks like success.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_table::counted;

pub static DOUBT: Doubt = Doubt {
    name: "empty-result",
    looks_for: "a layer without a row: none came in, or rows came in and none came out",
    example: "a selection of rows whose kind is \"culverts\", where the column says \"culvert\"",
    mend: "look at the values and areas that were said, or at the reasons of the rows set aside",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// Rows came in and none came out.
fn finding(_: &Scene, end: &Ending) -> Option<Finding> {
    let ledger = &end.ledger;
    if ledger.rows_out > 0 {
        return None;
    }
    let (message, mend) = if ledger.rows_in == 0 {
        ("the source has columns and no row".to_string(), "look whether it is the file, sheet or layer that is meant")
    } else if ledger.left_out_total() > 0 {
        let reasons: Vec<String> = ledger.left_out.iter().map(|(r, n)| format!("{n} {r}")).collect();
        let message = format!(
            "the result is empty: none of the {} was chosen ({})",
            counted(ledger.rows_in, "row"),
            reasons.join(", ")
        );
        (message, "look at the values and areas that were said")
    } else {
        let main = ledger.set_aside.iter().max_by_key(|(_, n)| **n).map_or("", |(r, _)| r.as_str());
        let message = match ledger.rows_in {
            1 => format!("the result is empty: its one row was set aside ({main})"),
            n => format!("the result is empty: all {n} rows were set aside (most of them: {main})"),
        };
        (message, "the rows set aside say why")
    };
    Some(Finding { column: None, rows: ledger.rows_in, message, mend: mend.into() })
}
