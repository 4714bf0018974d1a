//! The rectangle around a geometry, in its system; a point or a line where it has no extent along one axis.

use super::geometry_column::GeometryBuilder;
use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use crate::systems;
use basilocus::table::geometry::{Geometry, Position};

pub(super) static ST_ENVELOPE: Definition = Definition {
    name: "ST_Envelope",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |planned| Ok(systems::field("st_envelope", planned.system_of(0).as_deref())),
    apply: |call| {
        let column = call.geometries(0)?;
        let (mut out, mut failures) = (GeometryBuilder::for_rows(call.rows), Vec::new());
        for row in 0..call.rows {
            let geometry = column.get(row).unwrap_or_else(|reason| {
                failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                None
            });
            out.push(geometry.and_then(|g| g.bounds()).map(around).as_ref());
        }
        Ok(Made { values: out.finish(), failures })
    },
};

fn around([west, south, east, north]: [f64; 4]) -> Geometry {
    let at = Position::xy;
    match (west == east, south == north) {
        (true, true) => Geometry::Point(at(west, south)),
        (true, false) | (false, true) => Geometry::LineString(vec![at(west, south), at(east, north)]),
        (false, false) => Geometry::Polygon(vec![vec![
            at(west, south),
            at(east, south),
            at(east, north),
            at(west, north),
            at(west, south),
        ]]),
    }
}
