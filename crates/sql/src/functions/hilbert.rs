//! The place of a geometry along a Hilbert curve: rows in its order are near each other where their places are, so that parts of
//! files can be passed over by their extents.

use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use crate::systems;
use datafusion::arrow::array::UInt64Array;
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

pub(super) static HILBERT: Definition = Definition {
    name: "hilbert",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |_| Ok(Field::new("hilbert", DataType::UInt64, true)),
    apply: |call| {
        let column = call.geometries(0)?;
        let in_degrees = match call.system_of(0) {
            Some(system) => systems::find(&system)?.is_geographic(),
            None => false,
        };
        let mut failures = Vec::new();
        let places: UInt64Array = (0..call.rows)
            .map(|row| {
                let bounds = match column.plain_point(row) {
                    Some(point) => Ok(point.map(|[x, y]| [x, y, x, y])),
                    None => column.get(row).map(|g| g.and_then(|g| g.bounds())),
                };
                let bounds = bounds.unwrap_or_else(|reason| {
                    failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                    None
                });
                bounds.map(|[w, s, e, n]| place(w + (e - w) / 2.0, s + (n - s) / 2.0, in_degrees))
            })
            .collect();
        Ok(Made { values: Arc::new(places), failures })
    },
};

/// Half the side of the square that the curve fills: the whole Earth in degrees, and farther than any projected system
/// reaches in metres or feet.
fn half_side(in_degrees: bool) -> f64 {
    if in_degrees { 180.0 } else { 1e8 }
}

/// The place of a position, by turning and mirroring quadrant after quadrant (D. Hilbert, Mathematische Annalen 38, 1891).
fn place(x: f64, y: f64, in_degrees: bool) -> u64 {
    let half = half_side(in_degrees);
    let cell = |v: f64| ((v + half) / (2.0 * half) * 4_294_967_296.0).clamp(0.0, 4_294_967_295.0) as u64;
    let (mut x, mut y, mut place) = (cell(x), cell(y), 0u64);
    for bit in (0..32).rev() {
        let side = 1u64 << bit;
        let (right, upper) = (u64::from(x & side != 0), u64::from(y & side != 0));
        place += (side * side) * ((3 * right) ^ upper);
        // Within the quadrant the curve goes on as a whole one does.
        (x, y) = (x & (side - 1), y & (side - 1));
        if upper == 0 {
            if right == 1 {
                (x, y) = (side - 1 - x, side - 1 - y);
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
        let step = 90.0;
        let at = |column: i32, row: i32| {
            place(-180.0 + step * (f64::from(column) + 0.5), -180.0 + step * (f64::from(row) + 0.5), true) >> 60
        };
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
            assert_eq!(at(column, row), expected as u64, "column {column}, row {row}");
        }
    }

    #[test]
    fn cells_that_follow_each_other_touch() {
        let side = 16;
        let cell = 360.0 / f64::from(side);
        let mut cells: Vec<(u64, i32, i32)> = (0..side * side)
            .map(|i| {
                let (column, row) = (i % side, i / side);
                let centre = |at: i32| -180.0 + cell * (f64::from(at) + 0.5);
                (place(centre(column), centre(row), true), column, row)
            })
            .collect();
        cells.sort_unstable();
        assert!(cells.windows(2).all(|w| (w[0].1 - w[1].1).abs() + (w[0].2 - w[1].2).abs() == 1));
    }
}
