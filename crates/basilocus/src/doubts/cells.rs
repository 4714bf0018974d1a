//! The texts of rows by the names of their columns, whether they go out or are set aside.

use super::{Scene, Seen};
use arrow_array::{Array, RecordBatch, StringArray};
use basilocus_table::SetAsideRow;
use basilocus_table::batch::cell_text;

/// Names and texts of a row, in the order of its columns.
pub(super) type Cells = Vec<(String, String)>;

/// The columns of the source among those of the rows, by their places.
pub(super) fn columns_of_source(scene: &Scene, records: &RecordBatch) -> Vec<usize> {
    let is_one = |name: &String| scene.columns.iter().any(|c| c.name() == name && !c.added && !c.is_geometry());
    let fields = records.schema_ref().fields().iter().enumerate();
    fields.filter(|(_, field)| is_one(field.name())).map(|(at, _)| at).collect()
}

/// The cells of some columns of a row that goes out.
pub(super) fn of_row(seen: &Seen, columns: &[usize], row: usize) -> Cells {
    let records = seen.rows.records();
    let name = |at: usize| records.schema_ref().field(at).name().clone();
    columns.iter().map(|at| (name(*at), cell_text(records.column(*at), row).trim().to_string())).collect()
}

/// The cells of a row that was set aside.
pub(super) fn of_set_aside(scene: &Scene, row: &SetAsideRow) -> Cells {
    let cells = scene.source_columns.iter().zip(&row.values);
    cells.map(|(name, value)| (name.clone(), value.trim().to_string())).collect()
}

/// The columns of text among some of the columns, with their names.
pub(super) fn texts<'a>(records: &'a RecordBatch, columns: &[usize]) -> Vec<(&'a str, &'a StringArray)> {
    let text = |at: &usize| {
        let array = records.column(*at).as_any().downcast_ref::<StringArray>()?;
        Some((records.schema_ref().fields().get(*at)?.name().as_str(), array))
    };
    columns.iter().filter_map(text).collect()
}

/// The text of a cell; empty where it is null.
pub(super) fn text(array: &StringArray, row: usize) -> &str {
    if array.is_null(row) { "" } else { array.value(row).trim() }
}

/// Whether a text is a number, with a point or a comma.
pub(super) fn is_number(text: &str) -> bool {
    let plain = text.trim_end_matches('%').trim();
    plain.parse::<f64>().is_ok_and(f64::is_finite)
        || plain.replacen(',', ".", 1).parse::<f64>().is_ok_and(f64::is_finite)
}

/// Whether a text is what people and programs write for no value.
pub(super) fn stands_for_no_value(text: &str) -> bool {
    const WORDS: [&str; 14] =
        ["-", "--", "?", ".", "*", "n/a", "na", "#n/a", "nan", "null", "none", "nil", "unknown", "nodata"];
    text.is_empty() || WORDS.iter().any(|word| text.eq_ignore_ascii_case(word))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_have_a_point_or_a_comma_and_may_be_shares() {
        for text in ["12", "-3.5", "3,5", "1e3", "50%", "40 %", ".5"] {
            assert!(is_number(text), "{text}");
        }
        for text in ["", "%", "abc", "1,234,5", "1.2.3", "inf", "NaN", "12 m"] {
            assert!(!is_number(text), "{text}");
        }
    }

    #[test]
    fn no_value_is_written_in_many_ways() {
        for text in ["", "-", "N/A", "#n/a", "NULL", "Unknown", "."] {
            assert!(stands_for_no_value(text), "{text}");
        }
        for text in ["0", "x", "no", "--x", " "] {
            assert!(!stands_for_no_value(text), "{text}");
        }
    }
}
