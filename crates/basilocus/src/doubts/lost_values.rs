//! Cells of a workbook that a person sees a value in, or should, and that hold none.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene};
use basilocus_formats::Suspicion;

pub static DOUBT: Doubt = Doubt {
    name: "lost-values",
    looks_for: "cells of a workbook that hold an error, or a formula whose value was never computed",
    example: "#N/A where a lookup failed, or totals in a file that a script wrote and no spreadsheet program ever opened",
    mend: "open the workbook in a spreadsheet program, look at these cells, and save it",
    watch: |_| Some(Box::new(AtTheEnd(finding))),
};

/// What the reader saw in the first rows and met in all others.
fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let mut rows = 0;
    let told: Vec<String> = scene
        .suspicions
        .iter()
        .chain(&end.found)
        .filter_map(|s| match s {
            Suspicion::ErrorCells { cells, first } => {
                rows += cells;
                let words = if *cells == 1 { "cell holds an error" } else { "cells hold errors" };
                Some(format!("{cells} {words} and no value: {}", listed(first, *cells > first.len() as u64)))
            }
            Suspicion::FormulasWithoutValue { first } => {
                rows += first.len() as u64;
                let some = &first[..first.len().min(5)];
                Some(format!(
                    "formulas without a stored value are empty here: {}",
                    listed(some, first.len() > some.len())
                ))
            }
            _ => None,
        })
        .collect();
    (!told.is_empty()).then(|| Finding { column: None, rows, message: told.join("; "), mend: DOUBT.mend.into() })
}

fn listed(cells: &[String], more: bool) -> String {
    format!("{}{}", cells.join(", "), if more { " …" } else { "" })
}
