//! A column that is left over and with which more addresses would be placed.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};

pub static DOUBT: Doubt = Doubt {
    name: "unused-column",
    looks_for: "a column that nobody took for a part of the addresses, while more of them would be placed with it",
    example: "towns under the header \"Site\", beside streets that many towns have",
    mend: "say what the column is with `street`, `locality`, `postcode`, `house_number` or `region`, or the others to do without it",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let first = scene.unused_columns.first()?;
    let told = scene.unused_columns.iter().map(|u| {
        format!("\"{}\" as {} would place {} of the first {} rows better", u.column, u.role.name(), u.better, u.tried)
    });
    let option = |role: basilocus_table::Role| format!("`{}`", role.name().replace(' ', "_"));
    Some(Finding {
        column: Some(first.column.clone()),
        rows: end.ledger.rows_in,
        message: format!("the column {}", told.collect::<Vec<_>>().join(", the column ")),
        mend: format!(
            "say the column with {}",
            scene.unused_columns.iter().map(|u| option(u.role)).collect::<Vec<_>>().join(" and ")
        ),
    })
}
