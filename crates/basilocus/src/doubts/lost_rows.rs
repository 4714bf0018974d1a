//! Exactly as many rows as a program gives at once, numbers of rows that are missing, and texts that end where a format cuts
//! them.

use super::cells;
use super::running_numbers::RunningNumbers;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use arrow_array::{Array, ArrayRef, Int64Array, StringArray};
use basilocus_formats::Format;
use basilocus_table::counted::is_or_are;
use basilocus_table::{Role, SetAsideRow};
use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "lost-rows",
    looks_for: "exactly as many rows as services and spreadsheets give or hold at most, a column that counts the rows from 1 on with numbers missing, and texts that all end at 254 or 255 characters",
    example: "a download of exactly 2,000 features, which is the most that its service gives at once",
    mend: "ask the source how many rows there are, and fetch the rest or the whole texts",
    watch: |scene| (!scene.columns.is_empty()).then(|| Box::new(Watching::default()) as Box<dyn Watch>),
};

/// The most rows that services give at once, and that sheets hold below a header.
const LIMITS: [(u64, &str); 9] = [
    (1_000, "services give at once"),
    (2_000, "services give at once"),
    (5_000, "services give at once"),
    (10_000, "services give at once"),
    (16_383, "an old spreadsheet holds"),
    (65_535, "an old spreadsheet holds"),
    (65_536, "an old spreadsheet holds"),
    (1_048_575, "a spreadsheet holds"),
    (1_048_576, "a spreadsheet holds"),
];
/// Characters at which formats cut texts.
const CUTS: [usize; 2] = [254, 255];
/// Texts of that length that are no chance.
const LEAST: u64 = 2;

#[derive(Default)]
struct Watching {
    /// By column: how many texts are exactly as long as each cut, and how many are longer than it.
    cuts: Mutex<BTreeMap<String, [(u64, u64); 2]>>,
    /// The columns that may count the rows.
    numbers: Mutex<BTreeMap<String, RunningNumbers>>,
}

/// Whether a header says that its numbers are those of rows or things, and no measures or houses: depths, kilometres and streets
/// have holes too.
fn is_of_rows(scene: &Scene, header: &str) -> bool {
    const WORDS: [&str; 22] = [
        "id", "ids", "fid", "gid", "oid", "objectid", "uid", "pk", "nr", "no", "num", "number", "nummer", "numero",
        "número", "numéro", "nro", "row", "index", "idx", "seq", "lfd",
    ];
    let is_of_houses = scene.columns.iter().any(|c| c.name() == header && c.role == Some(Role::HouseNumber));
    if is_of_houses {
        return false;
    }
    let lower = header.to_lowercase();
    lower.split(|c: char| !c.is_alphanumeric()).any(|word| WORDS.contains(&word)) || header.trim() == "#"
}

/// Numbers of a block of one column.
fn running(array: &ArrayRef) -> Option<RunningNumbers> {
    let mut numbers = RunningNumbers::default();
    let any = array.as_any();
    if let Some(texts) = any.downcast_ref::<StringArray>() {
        for row in 0..texts.len() {
            numbers.add(if texts.is_null(row) { "" } else { texts.value(row) });
            if numbers.is_none() {
                break;
            }
        }
    } else if let Some(whole) = any.downcast_ref::<Int64Array>() {
        whole.iter().for_each(|n| numbers.add(&n.map_or(String::new(), |n| n.to_string())));
    } else {
        return None;
    }
    Some(numbers)
}

impl Watching {
    /// Looks for columns that count the rows.
    fn count(&self, seen: &Seen) {
        let records = seen.rows.records();
        for at in cells::columns_of_source(seen.scene(), records) {
            let name = records.schema_ref().field(at).name();
            let is_none = |all: &BTreeMap<String, RunningNumbers>| all.get(name).is_some_and(RunningNumbers::is_none);
            if !is_of_rows(seen.scene(), name) || is_none(&self.numbers.lock().unwrap_or_else(PoisonError::into_inner))
            {
                continue;
            }
            if let Some(numbers) = running(records.column(at)) {
                let mut all = self.numbers.lock().unwrap_or_else(PoisonError::into_inner);
                all.entry(name.clone()).or_default().merge(numbers);
            }
        }
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        self.count(seen);
        let records = seen.rows.records();
        for (field, array) in records.schema().fields().iter().zip(records.columns()) {
            let Some(texts) = array.as_any().downcast_ref::<StringArray>() else { continue };
            // Bytes are no fewer than characters: most columns are done with that.
            let offsets = texts.value_offsets();
            let longest = offsets.iter().zip(&offsets[1..]).map(|(from, to)| to - from).max();
            if longest.is_none_or(|longest| longest < CUTS[0] as i32) {
                continue;
            }
            let mut counts = [(0, 0); 2];
            for text in texts.iter().flatten().filter(|t| t.len() >= CUTS[0]) {
                let length = text.chars().count();
                for (count, cut) in counts.iter_mut().zip(CUTS) {
                    count.0 += u64::from(length == cut);
                    count.1 += u64::from(length > cut);
                }
            }
            let mut all = self.cuts.lock().unwrap_or_else(PoisonError::into_inner);
            let own = all.entry(field.name().clone()).or_default();
            own.iter_mut().zip(counts).for_each(|(a, b)| *a = (a.0 + b.0, a.1 + b.1));
        }
    }

    fn set_aside(&self, rows: &[SetAsideRow], scene: &Scene) {
        let mut all = self.numbers.lock().unwrap_or_else(PoisonError::into_inner);
        for row in rows {
            for (name, value) in scene.source_columns.iter().zip(&row.values) {
                // A line without a number there is none of the rows that are counted.
                let value = value.trim();
                let is_number = !value.is_empty() && value.bytes().all(|b| b.is_ascii_digit());
                if is_number && is_of_rows(scene, name) {
                    all.entry(name.clone()).or_default().add(value);
                }
            }
        }
    }

    fn finding(&self, scene: &Scene, end: &Ending) -> Option<Finding> {
        // A grid of a hundred by a hundred is whole.
        let is_of_a_grid = |f: &Format| matches!(f, Format::GeoTiff | Format::AsciiGrid | Format::Gtx | Format::Xyz);
        let of_a_table = scene.source.as_ref().is_some_and(|(_, format)| !is_of_a_grid(format));
        let rows = end.ledger.rows_in;
        let limit = LIMITS.iter().find(|(most, _)| *most == rows).filter(|_| of_a_table);
        let mut told: Vec<String> =
            limit.iter().map(|(most, who)| format!("there are exactly {most} rows, the most that {who}")).collect();
        let mut columns = Vec::new();
        let mut missing = 0;
        // Where rows were chosen, numbers are missing that were not lost.
        if end.ledger.left_out.is_empty() {
            for (name, numbers) in self.numbers.lock().unwrap_or_else(PoisonError::into_inner).iter_mut() {
                // Rows that were set aside have theirs under the names of the source.
                let is_whole = end.ledger.set_aside.is_empty() || scene.source_columns.contains(name);
                if let Some(gaps) = numbers.gaps().filter(|_| is_whole) {
                    told.push(format!(
                        "\"{name}\" counts the rows up to {}, and {} of its numbers {} missing: {}",
                        gaps.last,
                        gaps.missing,
                        is_or_are(gaps.missing),
                        gaps.words
                    ));
                    columns.push(name.clone());
                    missing = gaps.missing.max(missing);
                }
            }
        }
        let mut cut = 0;
        for (name, counts) in self.cuts.lock().unwrap_or_else(PoisonError::into_inner).iter() {
            for (length, (exactly, longer)) in CUTS.iter().zip(counts) {
                if *exactly >= LEAST && *longer == 0 {
                    told.push(format!("{exactly} texts of \"{name}\" have exactly {length} characters and none has more: they seem to be cut there"));
                    columns.push(name.clone());
                    cut += exactly;
                }
            }
        }
        let rows = [cut, missing].into_iter().find(|n| *n > 0).unwrap_or(rows);
        let column = (!columns.is_empty()).then(|| columns.join(", "));
        (!told.is_empty()).then(|| Finding { column, rows, message: told.join("; "), mend: DOUBT.mend.into() })
    }
}
