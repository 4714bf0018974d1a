//! Columns of numbers, whatever their type.

use arrow_array::{Array, Float64Array, Int64Array, RecordBatch, StringArray};
use basilocus_formats::number;
use basilocus_geodesy::notation::{DecimalMark, MarkEvidence, mark_evidence, read_number_marked};
use basilocus_table::batch::cell_text;

/// A column of numbers, whatever its type.
pub(super) enum Numbers<'a> {
    Real(&'a Float64Array),
    Whole(&'a Int64Array),
    Text(&'a StringArray),
    Other(&'a arrow_array::ArrayRef),
}

impl<'a> Numbers<'a> {
    pub(super) fn of(records: &'a RecordBatch, column: usize) -> Self {
        let array = records.column(column);
        let any = array.as_any();
        if let Some(a) = any.downcast_ref() {
            Numbers::Real(a)
        } else if let Some(a) = any.downcast_ref() {
            Numbers::Whole(a)
        } else if let Some(a) = any.downcast_ref() {
            Numbers::Text(a)
        } else {
            Numbers::Other(array)
        }
    }

    #[inline]
    pub(super) fn get(&self, row: usize) -> Option<f64> {
        match self {
            Numbers::Real(a) if a.is_valid(row) => Some(a.value(row)).filter(|v| v.is_finite()),
            Numbers::Whole(a) if a.is_valid(row) => Some(a.value(row) as f64),
            Numbers::Text(a) if a.is_valid(row) => {
                let text = a.value(row);
                // "inf", "nan" and "infinity" parse as numbers but are none here; they all begin with a letter.
                if text.as_bytes().first().is_some_and(|b| b.is_ascii_digit() || matches!(b, b'-' | b'.' | b'+')) {
                    let plain = number::read_plain(text.as_bytes());
                    plain.or_else(|| text.parse().ok()).filter(|v: &f64| v.is_finite())
                } else {
                    None
                }
            }
            _ => None,
        }
    }

    /// The number, where it is a text whose decimal mark alone leaves it open.
    pub(super) fn get_marked(&self, row: usize, mark: DecimalMark) -> Option<f64> {
        let Numbers::Text(a) = self else { return None };
        let text = Some(a.value(row)).filter(|_| a.is_valid(row))?;
        read_number_marked(text, mark).ok()
    }

    /// What the marks of a text say.
    pub(super) fn marks(&self, row: usize) -> MarkEvidence {
        match self {
            Numbers::Text(a) if a.is_valid(row) => mark_evidence(a.value(row)),
            _ => MarkEvidence::None,
        }
    }

    /// Whether a text has a comma that may begin decimals or part thousands, or says that a point may part thousands.
    pub(super) fn has_open_marks(&self, row: usize) -> bool {
        matches!(self, Numbers::Text(a) if a.is_valid(row) && a.value(row).bytes().any(|b| b == b','))
            && self.marks(row) != MarkEvidence::None
    }

    /// Counts whether a text has a comma or a point.
    pub(super) fn count_marks(&self, row: usize, marks: &mut (u64, u64)) {
        if let Numbers::Text(a) = self {
            // Numbers are so short that a search costs more to begin than to do.
            let (mut comma, mut point) = (false, false);
            for byte in a.value(row).bytes() {
                comma |= byte == b',';
                point |= byte == b'.';
            }
            marks.0 += u64::from(comma);
            marks.1 += u64::from(point && !comma);
        }
    }

    pub(super) fn text(&self, row: usize) -> String {
        match self {
            Numbers::Text(a) if a.is_valid(row) => a.value(row).to_string(),
            Numbers::Real(a) if a.is_valid(row) => a.value(row).to_string(),
            Numbers::Other(a) => cell_text(a, row),
            _ => String::new(),
        }
    }
}
