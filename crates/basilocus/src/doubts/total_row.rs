//! A last row that is the sum or mean of the rows above, and no thing with a place.

use super::cells::{self, Cells};
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use basilocus_table::SetAsideRow;
use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "total-row",
    looks_for: "a row of totals or means at the end of a table, which is no thing with a place",
    example: "\"Total, , , 1043.5\" below a list of gates with their flows",
    mend: "where it is set aside, nothing has to be done; otherwise take the row out of the table, or leave it out with `select`",
    watch: |scene| (scene.header_row.is_some()).then(|| Box::<Watching>::default() as Box<dyn Watch>),
};

/// Rows at the end that are looked at: behind totals there may be remarks.
const LOOKED_AT: usize = 5;

/// First words of such rows, in the languages of the countries whose addresses we read.
const WORDS: [&str; 34] = [
    "total",
    "totals",
    "subtotal",
    "sum",
    "sums",
    "average",
    "avg",
    "mean",
    "count",
    "summe",
    "summen",
    "gesamt",
    "gesamtsumme",
    "insgesamt",
    "mittelwert",
    "durchschnitt",
    "anzahl",
    "zwischensumme",
    "somme",
    "totaux",
    "moyenne",
    "suma",
    "promedio",
    "totale",
    "totali",
    "somma",
    "media",
    "totaal",
    "som",
    "gemiddelde",
    "soma",
    "totais",
    "média",
    "grand",
];

/// The last rows by their numbers.
#[derive(Default)]
struct Watching(Mutex<BTreeMap<u64, Cells>>);

impl Watching {
    /// Adds a row, where it is one of the last so far.
    fn add(&self, number: u64, cells: impl FnOnce() -> Cells) {
        let mut last = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let is_wanted = last.len() < LOOKED_AT || last.first_key_value().is_some_and(|(first, _)| number > *first);
        if is_wanted {
            last.insert(number, cells());
            if last.len() > LOOKED_AT {
                last.pop_first();
            }
        }
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let numbers = seen.rows.source_rows();
        let from = numbers.len().saturating_sub(LOOKED_AT);
        let columns = cells::columns_of_source(seen.scene(), seen.rows.records());
        for (row, number) in numbers.iter().enumerate().skip(from) {
            self.add(*number, || cells::of_row(seen, &columns, row));
        }
    }

    fn set_aside(&self, rows: &[SetAsideRow], scene: &Scene) {
        for row in rows.iter().filter(|row| row.values.iter().any(|v| !v.trim().is_empty())) {
            self.add(row.source_row, || cells::of_set_aside(scene, row));
        }
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let last = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (number, word) = last.iter().find_map(|(number, cells)| Some((*number, total(scene, cells)?)))?;
        Some(Finding {
            column: None,
            rows: 1,
            message: format!(
                "row {number}, at the end, seems to be totals (\"{word}\") and no row like those above it"
            ),
            mend: DOUBT.mend.into(),
        })
    }
}

/// The word that says that a row is one of totals: it has a number, and no position or else hardly anything.
fn total(scene: &Scene, cells: &Cells) -> Option<String> {
    let (_, first) = cells.iter().find(|(_, text)| !text.is_empty())?;
    let word = first.split(|c: char| c.is_whitespace() || c == ':').next()?.to_lowercase();
    let is_short = first.split_whitespace().count() <= 3 && WORDS.contains(&word.as_str());
    if !is_short || !cells.iter().any(|(_, text)| cells::is_number(text)) {
        return None;
    }
    let is_empty = |name: &String| cells.iter().any(|(n, text)| n == name && text.is_empty());
    let lacks = match &scene.position_columns {
        Some((x, y)) => is_empty(x) && is_empty(y),
        None => cells.iter().filter(|(_, text)| text.is_empty()).count() * 3 >= cells.len(),
    };
    lacks.then(|| first.clone())
}
