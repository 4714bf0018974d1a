//! The height at a position.

use crate::RectifiedGrid;

/// Between which heights a position lies.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Spot {
    /// Column west of it.
    pub column: usize,
    /// Row north of it.
    pub row: usize,
    /// How far it is from that column to the next one, 0 to 1.
    pub east: f64,
    /// How far it is from that row to the next one, 0 to 1.
    pub south: f64,
}

impl Spot {
    /// The place of a position in a grid; `None` outside the outermost heights, but for the billionth part of a step that
    /// rounding may cost.
    pub fn of(frame: &RectifiedGrid, x: f64, y: f64) -> Option<Self> {
        let (column, row) = frame.place(x, y);
        let axis = |at: f64, count: usize| {
            let last = count.checked_sub(1)? as f64;
            let at = if (-1e-9..=last + 1e-9).contains(&at) { at.clamp(0.0, last) } else { return None };
            let whole = at.floor().min((last - 1.0).max(0.0));
            Some((whole as usize, at - whole))
        };
        let ((column, east), (row, south)) = (axis(column, frame.columns)?, axis(row, frame.rows)?);
        Some(Spot { column, row, east, south })
    }

    /// The height that stands nearest, also in the outer half of the outermost cells: its column and row. `None` outside
    /// of all cells.
    pub fn nearest(frame: &RectifiedGrid, x: f64, y: f64) -> Option<(usize, usize)> {
        let (column, row) = frame.place(x, y);
        let axis = |at: f64, count: usize| {
            let nearest = at.round();
            // The outermost edges belong to the cells beside them.
            let inside = (-0.5..=count as f64 - 0.5).contains(&at);
            inside.then(|| (nearest.max(0.0) as usize).min(count.saturating_sub(1)))
        };
        (frame.cells() > 0).then_some(())?;
        Some((axis(column, frame.columns)?, axis(row, frame.rows)?))
    }

    /// The height of the surface, from the heights in the north-west, north-east, south-west and south-east; NaN where the
    /// surface is not known. Of a corner that has no part in it nothing is asked.
    pub fn height(&self, [nw, ne, sw, se]: [f64; 4]) -> f64 {
        let (e, s) = (self.east, self.south);
        let part = |share: f64, height: f64| if share == 0.0 { 0.0 } else { share * height };
        let whole =
            part((1.0 - e) * (1.0 - s), nw) + part(e * (1.0 - s), ne) + part((1.0 - e) * s, sw) + part(e * s, se);
        if !whole.is_nan() {
            return whole;
        }
        // A plane through three corners, on their side of the diagonal.
        let plane = |inside: bool, corner: f64, to_east: f64, to_south: f64| {
            if inside { corner + to_east + to_south } else { f64::NAN }
        };
        match [nw, ne, sw, se].map(f64::is_nan) {
            [false, false, false, true] => plane(e + s <= 1.0, nw, e * (ne - nw), s * (sw - nw)),
            [false, false, true, false] => plane(e >= s, ne, (e - 1.0) * (ne - nw), s * (se - ne)),
            [false, true, false, false] => plane(e <= s, sw, e * (se - sw), (s - 1.0) * (sw - nw)),
            [true, false, false, false] => plane(e + s >= 1.0, se, (e - 1.0) * (se - sw), (s - 1.0) * (se - ne)),
            _ => f64::NAN,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const FRAME: RectifiedGrid =
        RectifiedGrid { west: 10.0, north: 20.0, step_x: 2.0, step_y: 4.0, columns: 3, rows: 3 };

    #[test]
    fn the_outermost_heights_belong_to_the_grid_and_what_is_beyond_does_not() {
        assert_eq!(Spot::of(&FRAME, 14.0, 12.0), Some(Spot { column: 1, row: 1, east: 1.0, south: 1.0 }));
        assert_eq!(Spot::of(&FRAME, 10.0, 20.0), Some(Spot { column: 0, row: 0, east: 0.0, south: 0.0 }));
        for (x, y) in [(9.99, 16.0), (14.01, 16.0), (12.0, 20.1), (12.0, 11.9), (f64::NAN, 16.0)] {
            assert_eq!(Spot::of(&FRAME, x, y), None, "{x} {y}");
        }
        assert_eq!(Spot::nearest(&FRAME, 9.1, 20.0), Some((0, 0)), "within the first cell");
        assert_eq!(Spot::nearest(&FRAME, 15.0, 10.0), Some((2, 2)));
        assert_eq!(Spot::nearest(&FRAME, 8.9, 20.0), None);
        assert_eq!(Spot::nearest(&FRAME, f64::NAN, 20.0), None);
    }

    #[test]
    fn a_corner_without_part_is_not_asked() {
        let spot = Spot { column: 0, row: 0, east: 0.25, south: 0.0 };
        assert_eq!(spot.height([1.0, 5.0, f64::NAN, f64::NAN]), 2.0, "on the row itself");
        assert!(Spot { south: 0.5, ..spot }.height([1.0, 5.0, f64::NAN, f64::NAN]).is_nan());
    }

    proptest! {
        #[test]
        fn a_plane_is_met_exactly_whichever_corner_is_missing(
            e in 0.0..=1.0f64, s in 0.0..=1.0f64, a in -9.0..9.0f64, b in -9.0..9.0f64, missing in 0usize..5
        ) {
            let mut corners = [0.0, a, b, a + b].map(|z| z + 100.0);
            if let Some(corner) = corners.get_mut(missing) {
                *corner = f64::NAN;
            }
            let height = Spot { column: 0, row: 0, east: e, south: s }.height(corners);
            let on_its_side = [e + s >= 1.0, e <= s, e >= s, e + s <= 1.0, true][missing];
            if on_its_side {
                prop_assert!((height - (100.0 + a * e + b * s)).abs() < 1e-12);
            } else {
                prop_assert!(height.is_nan());
            }
        }
    }
}
