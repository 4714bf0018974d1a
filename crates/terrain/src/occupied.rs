//! Which places of a grid have a position, in memory that does not grow beyond a few bytes for each position.

/// Places of a grid that have one.
#[derive(Debug, Clone)]
pub(crate) struct Occupied {
    columns: u64,
    places: Places,
}

#[derive(Debug, Clone)]
enum Places {
    /// A bit for each place.
    Bits(Vec<u64>),
    /// Of a grid nearly all of whose places are empty, those that are not.
    List(Vec<u64>),
}

/// Places for each position up to which a bit for each is kept: as much as the list would need.
const PLACES_FOR_A_BIT: u64 = 64;

impl Occupied {
    /// Of a grid for so many positions.
    pub(crate) fn new(columns: u64, rows: u64, positions: u64) -> Self {
        let cells = columns * rows;
        let is_dense = cells / PLACES_FOR_A_BIT <= positions.max(1024);
        let places =
            if is_dense { Places::Bits(vec![0; cells.div_ceil(64) as usize]) } else { Places::List(Vec::new()) };
        Occupied { columns, places }
    }

    pub(crate) fn add(&mut self, column: u64, row: u64) {
        let cell = row * self.columns + column;
        match &mut self.places {
            Places::Bits(bits) => bits[(cell / 64) as usize] |= 1 << (cell % 64),
            Places::List(list) => list.push(cell),
        }
    }

    /// How many places have one, and how many of these have a neighbour in their row that has one.
    pub(crate) fn counts(&mut self) -> (u64, u64) {
        match &mut self.places {
            Places::Bits(bits) => {
                let columns = self.columns;
                let is_set = |cell: u64| bits[(cell / 64) as usize] >> (cell % 64) & 1 == 1;
                let filled = bits.iter().map(|word| u64::from(word.count_ones())).sum();
                let mut with_neighbour = 0;
                for (at, word) in bits.iter().enumerate() {
                    let mut left = *word;
                    while left != 0 {
                        let cell = at as u64 * 64 + u64::from(left.trailing_zeros());
                        left &= left - 1;
                        let column = cell % columns;
                        let before = column > 0 && is_set(cell - 1);
                        with_neighbour += u64::from(before || column + 1 < columns && is_set(cell + 1));
                    }
                }
                (filled, with_neighbour)
            }
            Places::List(list) => {
                // Files come in the order of rows or columns, which sorting knows how to use.
                list.sort_unstable();
                list.dedup();
                let is_next = |a: u64, b: u64| b == a + 1 && !b.is_multiple_of(self.columns);
                let has_neighbour = |i: &usize| {
                    let before = i.checked_sub(1).is_some_and(|j| is_next(list[j], list[*i]));
                    before || list.get(i + 1).is_some_and(|after| is_next(list[*i], *after))
                };
                (list.len() as u64, (0..list.len()).filter(has_neighbour).count() as u64)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Bits and the list say the same.
        #[test]
        fn both_ways_count_the_same(
            columns in 1u64..9, rows in 1u64..40, cells in proptest::collection::vec(0u64..360, 0..200)
        ) {
            let mut bits = Occupied::new(columns, rows, u64::MAX);
            let mut list = Occupied { columns, places: Places::List(Vec::new()) };
            for cell in cells.into_iter().map(|c| c % (columns * rows)) {
                bits.add(cell % columns, cell / columns);
                list.add(cell % columns, cell / columns);
            }
            prop_assert!(matches!(bits.places, Places::Bits(_)));
            prop_assert_eq!(bits.counts(), list.counts());
        }
    }

    #[test]
    fn neighbours_are_those_of_a_row() {
        let mut occupied = Occupied::new(3, 2, 6);
        // The last of the first row and the first of the second are none.
        occupied.add(2, 0);
        occupied.add(0, 1);
        assert_eq!(occupied.counts(), (2, 0));
        occupied.add(1, 1);
        occupied.add(1, 1);
        assert_eq!(occupied.counts(), (3, 2));
    }

    #[test]
    fn a_grid_of_no_end_needs_no_bits() {
        assert!(matches!(Occupied::new(2_000_000, 2_000, 10).places, Places::List(_)));
    }
}
