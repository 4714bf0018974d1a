//! The first rows of a source, in whatever order threads bring them: what is found in them does not depend on it.

use std::collections::BTreeMap;

/// Something of each of the first rows.
#[derive(Debug)]
pub(super) struct FirstRows<T> {
    most: usize,
    rows: BTreeMap<u64, T>,
}

impl<T> FirstRows<T> {
    /// Of so many rows.
    pub(super) fn of(most: usize) -> Self {
        FirstRows { most, rows: BTreeMap::new() }
    }

    /// Whether a row, by its number in the source, is one of the first so far.
    pub(super) fn wants(&self, number: u64) -> bool {
        self.rows.len() < self.most || self.rows.last_key_value().is_some_and(|(last, _)| number < *last)
    }

    pub(super) fn add(&mut self, number: u64, value: T) {
        self.rows.insert(number, value);
        if self.rows.len() > self.most {
            self.rows.pop_last();
        }
    }

    pub(super) fn len(&self) -> usize {
        self.rows.len()
    }

    /// The rows with their numbers, in their order.
    pub(super) fn numbered(&self) -> impl Iterator<Item = (u64, &T)> {
        self.rows.iter().map(|(number, value)| (*number, value))
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = &T> {
        self.rows.values()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_rows_are_those_with_the_smallest_numbers() {
        let orders = [[1u64, 2, 3, 4, 5, 6], [6, 5, 4, 3, 2, 1], [4, 1, 6, 2, 5, 3]];
        for order in orders {
            let mut first = FirstRows::of(3);
            order.into_iter().for_each(|n| {
                if first.wants(n) {
                    first.add(n, n * 10);
                }
            });
            assert_eq!((first.len(), first.iter().copied().collect::<Vec<_>>()), (3, vec![10, 20, 30]));
        }
    }
}
