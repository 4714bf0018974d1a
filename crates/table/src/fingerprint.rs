//! A number for each row by which equal rows are found without keeping them.

use arrow_array::{Array, ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray, StructArray};
use arrow_buffer::NullBuffer;

/// Of a value that is not there: another one than that of an empty text.
const NULL: u64 = 0x6a09_e667_f3bc_c908;

/// A fingerprint of each row over some columns: equal values give equal ones, and others the same one with a chance of
/// about 5e-20.
///
/// Folded products of 64 bits, column by column; against chance, not against an attack.
pub fn of_rows(columns: &[&ArrayRef], rows: usize) -> Vec<u64> {
    let mut states = vec![0x510e_527f_ade6_82d1; rows];
    columns.iter().for_each(|c| add(c, &mut states));
    states
}

/// The fingerprint of a text.
pub fn of_text(text: &str) -> u64 {
    bytes(0x510e_527f_ade6_82d1, text.as_bytes())
}

fn fold(state: u64, word: u64) -> u64 {
    let product = u128::from(state ^ word ^ 0x9e37_79b9_7f4a_7c15) * 0xd6e8_feb8_6659_fd93_u128;
    (product as u64) ^ (product >> 64) as u64 ^ state.rotate_left(23)
}

fn bytes(state: u64, bytes: &[u8]) -> u64 {
    let (words, rest) = bytes.as_chunks::<8>();
    let state = words.iter().fold(state, |s, w| fold(s, u64::from_le_bytes(*w)));
    // The length beside what is left over, so that no two texts run into each other.
    let last = rest.iter().rev().fold(bytes.len() as u64, |word, b| word << 8 | u64::from(*b));
    fold(state, last)
}

fn each(states: &mut [u64], nulls: Option<&NullBuffer>, value: impl Fn(usize, u64) -> u64) {
    match nulls.filter(|n| n.null_count() > 0) {
        None => states.iter_mut().enumerate().for_each(|(row, state)| *state = value(row, *state)),
        Some(nulls) => {
            for (row, state) in states.iter_mut().enumerate() {
                *state = if nulls.is_null(row) { fold(*state, NULL) } else { value(row, *state) };
            }
        }
    }
}

fn add(column: &ArrayRef, states: &mut [u64]) {
    let any = column.as_any();
    let nulls = column.nulls();
    if let Some(a) = any.downcast_ref::<StringArray>() {
        each(states, nulls, |row, state| bytes(state, a.value(row).as_bytes()));
    } else if let Some(a) = any.downcast_ref::<Float64Array>() {
        each(states, nulls, |row, state| fold(state, a.value(row).to_bits()));
    } else if let Some(a) = any.downcast_ref::<Int64Array>() {
        each(states, nulls, |row, state| fold(state, a.value(row) as u64));
    } else if let Some(a) = any.downcast_ref::<BooleanArray>() {
        each(states, nulls, |row, state| fold(state, u64::from(a.value(row))));
    } else if let Some(a) = any.downcast_ref::<BinaryArray>() {
        each(states, nulls, |row, state| bytes(state, a.value(row)));
    } else if let Some(a) = any.downcast_ref::<StructArray>() {
        a.columns().iter().for_each(|c| add(c, states));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::HashSet;
    use std::sync::Arc;

    fn texts(values: &[Option<&str>]) -> ArrayRef {
        Arc::new(values.iter().copied().collect::<StringArray>())
    }

    #[test]
    fn what_is_equal_and_what_is_not() {
        let a = texts(&[Some("a"), Some("a"), Some(""), None, Some("ab"), Some("a")]);
        let b = texts(&[Some("b"), Some("b"), Some(""), Some(""), Some(""), Some("")]);
        let n: ArrayRef = Arc::new(Int64Array::from(vec![1, 1, 1, 1, 1, 1]));
        let found = of_rows(&[&a, &b, &n], 6);
        assert_eq!(found[0], found[1]);
        assert_eq!(found.iter().collect::<HashSet<_>>().len(), 5, "{found:?}");
        // A row without columns is equal to every other.
        assert_eq!(of_rows(&[], 2)[0], of_rows(&[], 2)[1]);
    }

    #[test]
    fn numbers_side_by_side_do_not_meet() {
        // All places of a lattice: plain sums or shifts would let many meet.
        let n = 400;
        let x: ArrayRef = Arc::new((0..n * n).map(|i| (i % n) as f64 / 8.0).collect::<Float64Array>());
        let y: ArrayRef = Arc::new((0..n * n).map(|i| (i / n) as f64 / 8.0).collect::<Float64Array>());
        let found: HashSet<u64> = of_rows(&[&x, &y], n * n).into_iter().collect();
        assert_eq!(found.len(), n * n);
    }

    proptest! {
        #[test]
        fn texts_that_differ(a in "[ab]{0,20}", b in "[ab]{0,20}") {
            prop_assert_eq!(of_text(&a) == of_text(&b), a == b);
        }
    }
}
