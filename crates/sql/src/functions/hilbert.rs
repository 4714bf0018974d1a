//! The place of a geometry along a Hilbert curve: rows in its order are near each other where their places are, so that parts of
//! files can be passed over by their extents.

use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use crate::systems;
use basilocus::table::geometry::hilbert;
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

/// The place of a position.
fn place(x: f64, y: f64, in_degrees: bool) -> u64 {
    let half = half_side(in_degrees);
    let cell = |v: f64| ((v + half) / (2.0 * half) * 4_294_967_296.0) as u32;
    hilbert::place(cell(x), cell(y))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_those_of_the_square_around_the_earth() {
        assert_eq!(place(-180.0, -180.0, true), 0);
        assert_eq!(place(180.0, -180.0, true), u64::MAX);
        // A quarter of the curve for each quarter of the square: left below, left above, right above, right below.
        let quarters = [(-90.0, -90.0), (-90.0, 90.0), (90.0, 90.0), (90.0, -90.0)];
        assert_eq!(quarters.map(|(x, y)| place(x, y, true) >> 62), [0, 1, 2, 3]);
        assert_eq!(quarters.map(|(x, y)| place(x * 1e6, y * 1e6, false) >> 62), [0, 1, 2, 3]);
    }
}
