//! The header shifted against its data; a blank second row; lines of a header inside the data.

use super::cells::{self, Cells};
use super::first_rows::FirstRows;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use arrow_array::{Array, StringArray};
use basilocus_formats::Suspicion;
use basilocus_table::SetAsideRow;
use basilocus_table::counted::counted;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "shifted-header",
    looks_for: "a header with one name fewer than the rows have fields, a blank row below it, a second row of it (units, other names), or the header once more inside the data",
    example: "names for three columns above rows of four fields, so that every value stands under its neighbour's name; five daily files put together with their headers",
    mend: "say the right line with `header_row`",
    watch: |_| Some(Box::new(Watching::default())),
};

/// Rows below the header that are looked at.
const LOOKED_AT: usize = 30;
/// With fewer rows below it nobody can say that a row is a part of the header.
const LEAST: usize = 3;

#[derive(Default)]
struct Watching(Mutex<Found>);

struct Found {
    /// Rows that have the names of their columns as values, and the first of them.
    repeated: (u64, u64),
    head: FirstRows<Cells>,
}

impl Default for Found {
    fn default() -> Self {
        Found { repeated: (0, u64::MAX), head: FirstRows::of(LOOKED_AT) }
    }
}

impl Found {
    fn repeat(&mut self, row: u64) {
        self.repeated = (self.repeated.0 + 1, self.repeated.1.min(row));
    }
}

/// Whether a row has the names of its columns as values: two at least, and most of those that are filled.
fn is_header<'a>(cells: impl Iterator<Item = (&'a str, &'a str)>) -> bool {
    let (mut filled, mut same) = (0, 0);
    for (name, value) in cells.filter(|(_, value)| !value.is_empty()) {
        filled += 1;
        same += usize::from(name.trim().eq_ignore_ascii_case(value));
    }
    same >= 2 && same * 3 >= filled * 2
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        if seen.scene().header_row.is_none() {
            return;
        }
        let columns = cells::columns_of_source(seen.scene(), seen.rows.records());
        let texts = cells::texts(seen.rows.records(), &columns);
        // A name is hardly ever a value: its first letter in one of the first columns is enough for nearly all rows.
        let letters = texts.iter().filter_map(|(name, array)| Some((*name.trim().as_bytes().first()?, *array)));
        let letters: Vec<(u8, &StringArray)> = letters.take(3).collect();
        let begins = |letter: u8, value: &str| {
            value.as_bytes().first().is_some_and(|v| letter.eq_ignore_ascii_case(v) || v.is_ascii_whitespace())
        };
        let may_be =
            |row: usize| letters.iter().any(|(letter, array)| array.is_valid(row) && begins(*letter, array.value(row)));
        for (row, number) in seen.rows.source_rows().iter().enumerate() {
            if may_be(row) && is_header(texts.iter().map(|(name, array)| (*name, cells::text(array, row)))) {
                self.0.lock().unwrap_or_else(PoisonError::into_inner).repeat(*number);
            }
        }
        let mut found = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        for (row, number) in seen.rows.source_rows().iter().enumerate().take(LOOKED_AT) {
            if found.head.wants(*number) {
                found.head.add(*number, cells::of_row(seen, &columns, row));
            }
        }
    }

    fn set_aside(&self, rows: &[SetAsideRow], scene: &Scene) {
        if scene.header_row.is_none() {
            return;
        }
        let mut found = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        for row in rows {
            if is_header(scene.source_columns.iter().zip(&row.values).map(|(n, v)| (n.as_str(), v.trim()))) {
                found.repeat(row.source_row);
            }
            if found.head.wants(row.source_row) {
                found.head.add(row.source_row, cells::of_set_aside(scene, row));
            }
        }
    }

    fn finding(&self, scene: &Scene, end: &Ending) -> Option<Finding> {
        let found = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (repeated, first) = found.repeated;
        let told =
            |rows: u64, message: String, mend: &str| Some(Finding { column: None, rows, message, mend: mend.into() });
        if let Some(shifted) = shifted(scene, end) {
            return Some(shifted);
        }
        if repeated > 0 {
            let message = format!(
                "{} of the data {} the header once more, the first is row {first}: several tables seem to stand one below the other",
                counted(repeated, "row"),
                if repeated == 1 { "is" } else { "are" }
            );
            return told(
                repeated,
                message,
                "see whether each table has the same columns; where these rows are set aside, nothing else has to be done",
            );
        }
        if let Some((row, columns)) = second_row(scene, &found.head) {
            let message = format!(
                "row {row} has words in {} where all rows below it have numbers: a second row of the header, such as units or other names",
                columns.join(", ")
            );
            let mend = "where it is set aside, nothing has to be done; where its names are the better ones, say its line with `header_row`";
            return told(1, message, mend);
        }
        end.blank_second_row.then(|| Finding {
            column: None,
            rows: 1,
            message: format!("row {}, below the header, is blank", scene.header_row.unwrap_or(1) + 1),
            mend: "it is set aside, and the data begins below it; nothing has to be done if that is right".into(),
        })
    }
}

/// A header of fewer names than the rows have fields.
fn shifted(scene: &Scene, end: &Ending) -> Option<Finding> {
    let (names, fields) = scene.suspicions.iter().find_map(|s| match s {
        Suspicion::ShiftedHeader { names, fields } => Some((names, fields)),
        _ => None,
    })?;
    Some(Finding {
        column: None,
        rows: end.ledger.rows_in,
        message: format!("the header has {names} names, every row {fields} fields: the header seems shifted"),
        mend: DOUBT.mend.into(),
    })
}

/// The row below the header, where it has words in two columns and more of numbers, and no number: with those columns.
fn second_row(scene: &Scene, head: &FirstRows<Cells>) -> Option<(u64, Vec<String>)> {
    let mut rows = head.numbered();
    let (number, first) = rows.next().filter(|(number, _)| Some(*number) == scene.header_row.map(|h| h + 1))?;
    let below: Vec<&Cells> = rows.map(|(_, cells)| cells).collect();
    let is_no_value = |text: &str| cells::stands_for_no_value(text);
    if below.len() < LEAST || first.iter().any(|(_, text)| cells::is_number(text)) {
        return None;
    }
    let of_numbers = |name: &str| {
        let mut texts =
            below.iter().filter_map(|row| row.iter().find(|(n, _)| n == name)).map(|(_, text)| text.as_str());
        let filled = texts.clone().filter(|text| !is_no_value(text)).count();
        filled >= LEAST && texts.all(|text| is_no_value(text) || cells::is_number(text))
    };
    let worded = first.iter().filter(|(name, text)| !is_no_value(text) && of_numbers(name));
    let columns: Vec<String> = worded.map(|(name, _)| format!("\"{name}\"")).collect();
    (columns.len() >= 2).then_some((number, columns))
}
