//! Geometries of well-known text.

use super::geometry_column::GeometryBuilder;
use super::scalar::{Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter, Planned};
use crate::{Error, systems};
use basilocus::table::geometry::wkt;
use datafusion::arrow::array::Array;
use datafusion::arrow::datatypes::Field;

pub(super) static ST_GEOM_FROM_TEXT: Definition = Definition {
    name: "ST_GeomFromText",
    other_names: &[],
    parameters: &[Parameter { name: "text", kind: Kind::Text }, Parameter { name: "system", kind: Kind::System }],
    required: 1,
    failures: Failures::Null,
    result: |planned| in_system_of(planned, "st_geomfromtext"),
    apply: |call| {
        let texts = call.texts(0)?;
        let mut out = GeometryBuilder::for_rows(call.rows);
        let mut failures = Vec::new();
        // A text in quotes is the same for all rows.
        let same = call.literal(0).map(|text| wkt::read(&text));
        for row in 0..call.rows {
            if texts.is_null(row) {
                out.push(None);
                continue;
            }
            let read = same.clone().unwrap_or_else(|| wkt::read(texts.value(row)));
            out.push(read.as_ref().ok());
            if let Err(e) = read {
                failures.push(Failure::new(row, NOT_A_GEOMETRY, format!("\"{}\": {e}", texts.value(row))));
            }
        }
        Ok(Made { values: out.finish(), failures })
    },
};

/// A field of geometries in the system that the second argument says, or in none.
pub(super) fn in_system_of(planned: &Planned, name: &str) -> Result<Field, Error> {
    let system = if planned.len() > 1 { planned.literal(1)? } else { None };
    let text = system.map(|s| systems::text_of(&*systems::find(&s)?)).transpose()?;
    Ok(systems::field(name, text.as_deref()))
}
