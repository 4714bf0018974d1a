//! The Hilbert curve through the cells of a square: what follows each other on it lies near each other.

/// The place along the curve of a cell of a square of 2³² by 2³² cells, by turning and mirroring quadrant after quadrant (D. Hilbert,
/// Mathematische Annalen 38, 1891).
///
/// ```
/// use basilocus_table::geometry::hilbert;
/// assert_eq!(hilbert::place(0, 0), 0);
/// assert_eq!(hilbert::place(u32::MAX, 0), u64::MAX);
/// ```
pub fn place(column: u32, row: u32) -> u64 {
    let (mut x, mut y, mut place) = (column, row, 0);
    for bit in (0..u32::BITS).rev() {
        let (right, upper) = ((x >> bit) & 1, (y >> bit) & 1);
        place = place << 2 | u64::from((3 * right) ^ upper);
        // Within the quadrant the curve goes on as a whole one does; bits above are no longer looked at.
        if upper == 0 {
            if right == 1 {
                (x, y) = (!x, !y);
            }
            (x, y) = (y, x);
        }
    }
    place
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The curve of second order through sixteen cells, as Hilbert drew it.
    #[test]
    fn the_first_cells_are_those_of_the_drawing() {
        let order = [
            (0, 0),
            (1, 0),
            (1, 1),
            (0, 1),
            (0, 2),
            (0, 3),
            (1, 3),
            (1, 2),
            (2, 2),
            (2, 3),
            (3, 3),
            (3, 2),
            (3, 1),
            (2, 1),
            (2, 0),
            (3, 0),
        ];
        for (expected, (column, row)) in order.into_iter().enumerate() {
            let found = place(column << 30 | 1 << 29, row << 30 | 1 << 29) >> 60;
            assert_eq!(found, expected as u64, "column {column}, row {row}");
        }
    }

    #[test]
    fn cells_that_follow_each_other_touch() {
        let side = 16u32;
        let mut cells: Vec<(u64, u32, u32)> =
            (0..side * side).map(|i| (place((i % side) << 28, (i / side) << 28), i % side, i / side)).collect();
        cells.sort_unstable();
        assert!(cells.windows(2).all(|w| w[0].1.abs_diff(w[1].1) + w[0].2.abs_diff(w[1].2) == 1));
    }
}
