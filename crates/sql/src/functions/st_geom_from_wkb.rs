//! Geometries of well-known binary: their bytes are looked at, so that what is none is known.

use super::geometry_column::GeometryBuilder;
use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use super::st_geom_from_text::in_system_of;

pub(super) static ST_GEOM_FROM_WKB: Definition = Definition {
    name: "ST_GeomFromWKB",
    other_names: &[],
    parameters: &[Parameter { name: "bytes", kind: Kind::Geometry }, Parameter { name: "system", kind: Kind::System }],
    required: 1,
    failures: Failures::Null,
    result: |planned| in_system_of(planned, "st_geomfromwkb"),
    apply: |call| {
        let column = call.geometries(0)?;
        let (mut out, mut failures) = (GeometryBuilder::for_rows(call.rows), Vec::new());
        for row in 0..call.rows {
            let geometry = column.get(row).unwrap_or_else(|reason| {
                failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                None
            });
            out.push(geometry.as_ref());
        }
        Ok(Made { values: out.finish(), failures })
    },
};
