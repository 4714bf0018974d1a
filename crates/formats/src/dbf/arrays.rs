//! Rows to columns, many at once: what a layer of millions of rows is read with.

use super::rows::{Table, is_blank, trimmed};
use crate::feature::{Cell, array};
use arrow_array::builder::{Float64Builder, Int64Builder, StringBuilder};
use arrow_array::{ArrayRef, StringArray};
use arrow_buffer::{BooleanBufferBuilder, NullBuffer, OffsetBuffer};
use arrow_schema::DataType;
use std::sync::Arc;

impl Table {
    /// A column of rows as an array, in the type that all its values have.
    pub(crate) fn array(&self, column: usize, rows: &[&[u8]]) -> ArrayRef {
        let (c, kind) = (&self.header.columns[column], &self.kinds[column]);
        let values = rows.iter().map(|row| &row[c.offset..c.offset + c.width]);
        match (c.kind, kind) {
            (b'N' | b'F', DataType::Int64) => {
                let mut builder = Int64Builder::with_capacity(rows.len());
                values.for_each(|v| builder.append_option(integer(trimmed(v))));
                Arc::new(builder.finish())
            }
            (b'N' | b'F', DataType::Float64) => {
                let mut builder = Float64Builder::with_capacity(rows.len());
                values.for_each(|v| builder.append_option(real(trimmed(v))));
                Arc::new(builder.finish())
            }
            (b'C', DataType::Utf8) => {
                let texts = || values.clone().map(trimmed);
                if let Some(array) = plain(texts(), rows.len(), self.encoding.is_utf8()) {
                    return Arc::new(array);
                }
                let mut builder = StringBuilder::with_capacity(rows.len(), rows.len() * c.width / 2);
                for text in texts() {
                    if text.is_empty() {
                        builder.append_null()
                    } else {
                        builder.append_value(self.encoding.decode(text))
                    }
                }
                Arc::new(builder.finish())
            }
            _ => array(kind, &mut values.map(|v| self.cell(c, kind, v))),
        }
    }

    /// The cells of a row.
    pub(crate) fn cells(&self, row: &[u8]) -> Vec<Cell> {
        let columns = self.header.columns.iter().zip(&self.kinds);
        columns.map(|(c, kind)| self.cell(c, kind, &row[c.offset..c.offset + c.width])).collect()
    }

    /// Columns of the table.
    pub(crate) fn width(&self) -> usize {
        self.kinds.len()
    }
}

/// Texts as they stand, empty ones as nulls; none where they have to be decoded. All their bytes are looked at together.
fn plain<'a>(texts: impl Iterator<Item = &'a [u8]>, rows: usize, utf8: bool) -> Option<StringArray> {
    let (mut bytes, mut ends) = (Vec::with_capacity(rows * 16), Vec::with_capacity(rows + 1));
    let mut there = BooleanBufferBuilder::new(rows);
    ends.push(0);
    for text in texts {
        bytes.extend_from_slice(text);
        there.append(!text.is_empty());
        ends.push(i32::try_from(bytes.len()).ok()?);
    }
    // Plain letters are the same in all encodings of tables.
    if !utf8 && !bytes.is_ascii() {
        return None;
    }
    let nulls = NullBuffer::new(there.finish());
    // Each text must be UTF-8 on its own, which the array sees to.
    StringArray::try_new(OffsetBuffer::new(ends.into()), bytes.into(), Some(nulls)).ok()
}

/// A whole number; none where there is none.
fn integer(text: &[u8]) -> Option<i64> {
    if is_blank(text) {
        return None;
    }
    let (negative, figures) = match text {
        [b'-', rest @ ..] => (true, rest),
        [b'+', rest @ ..] => (false, rest),
        rest => (false, rest),
    };
    // Eighteen figures fit whatever they are.
    if figures.len() <= 18 && !figures.is_empty() && figures.iter().all(u8::is_ascii_digit) {
        let value = figures.iter().fold(0i64, |v, d| v * 10 + i64::from(d - b'0'));
        return Some(if negative { -value } else { value });
    }
    std::str::from_utf8(text).ok()?.parse().ok()
}

/// A number; none where there is none.
fn real(text: &[u8]) -> Option<f64> {
    if is_blank(text) {
        return None;
    }
    short_decimal(text).or_else(|| std::str::from_utf8(text).ok()?.parse().ok())
}

/// A number of at most fifteen figures with a point or none, as such columns have them.
fn short_decimal(text: &[u8]) -> Option<f64> {
    let (negative, figures) = match text {
        [b'-', rest @ ..] => (true, rest),
        rest => (false, rest),
    };
    if figures.len() > 16 {
        return None;
    }
    let (mut value, mut count, mut behind, mut point) = (0u64, 0, 0, false);
    for b in figures {
        match b {
            b'0'..=b'9' => {
                value = value * 10 + u64::from(b - b'0');
                count += 1;
                behind += usize::from(point);
            }
            b'.' if !point => point = true,
            _ => return None,
        }
    }
    if count == 0 || count > 15 {
        return None;
    }
    let magnitude = crate::number::decimal(value, behind)?;
    Some(if negative { -magnitude } else { magnitude })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn whole_numbers_are_those_of_the_standard_library(v in any::<i64>(), width in 0usize..25) {
            let text = format!("{v:>width$}");
            prop_assert_eq!(integer(trimmed(text.as_bytes())), Some(v));
        }

        #[test]
        fn numbers_are_those_of_the_standard_library(v in any::<f64>(), whole in -999_999_999_999i64..1_000_000_000_000, digits in 0usize..9) {
            for text in [format!("{v}"), format!("{v:.digits$}"), format!("{}", whole as f64 / 10f64.powi(digits as i32)), format!("{whole}.")] {
                let text = trimmed(text.as_bytes());
                let expected: Option<f64> = std::str::from_utf8(text).unwrap().parse().ok();
                prop_assert_eq!(real(text).map(f64::to_bits), expected.map(f64::to_bits));
            }
        }

        #[test]
        fn what_is_none_is_none(text in "[-+0-9.* x]{0,20}") {
            let text = trimmed(text.as_bytes());
            let expected = std::str::from_utf8(text).unwrap().parse::<i64>().ok().filter(|_| !is_blank(text));
            prop_assert_eq!(integer(text), expected);
        }
    }

    #[test]
    fn stars_are_no_number() {
        assert_eq!((integer(b"***"), integer(b""), real(b"**"), real(b"1.5")), (None, None, None, Some(1.5)));
    }
}
