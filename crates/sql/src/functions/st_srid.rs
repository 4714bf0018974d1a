//! The code of a geometry's system, or the same geometry in a system that is said: its numbers stay.

use super::geometry_column::GeometryBuilder;
use super::scalar::{Definition, Failures, Kind, Made, Parameter};
use super::st_geom_from_text::in_system_of;
use crate::systems;
use datafusion::arrow::array::{Array, Int32Array};
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

pub(super) static ST_SRID: Definition = Definition {
    name: "ST_SRID",
    other_names: &[],
    parameters: &[
        Parameter { name: "geometry", kind: Kind::Geometry },
        Parameter { name: "system", kind: Kind::System },
    ],
    required: 1,
    failures: Failures::Never,
    result: |planned| {
        if planned.len() == 1 {
            return Ok(Field::new("st_srid", DataType::Int32, true));
        }
        // Another system than the one that is known would only look like a transformation.
        let field = in_system_of(planned, "st_srid")?;
        match (planned.system_of(0), systems::of_field(&field)) {
            (Some(known), Some(said)) if !systems::find(&known)?.is_same(&*systems::find(&said)?) => {
                Err(planned.refuse(format!(
                    "the geometry is in {known} and would only be called {said}: ST_Transform(geometry, '{said}') brings it there"
                )))
            }
            _ => Ok(field),
        }
    },
    apply: |call| {
        let column = call.geometries(0)?;
        if call.len() == 2 {
            let mut out = GeometryBuilder::for_rows(call.rows);
            for row in 0..call.rows {
                out.push(column.get(row).map_err(|what| call.function.wrong(0, what))?.as_ref());
            }
            return Ok(Made::without_failures(out.finish()));
        }
        let system = call.system_of(0).map(|s| systems::find(&s)).transpose()?;
        let code = system.and_then(|crs| crs.code).and_then(|code| i32::try_from(code).ok());
        let there = call.column(0)?;
        let values: Int32Array = (0..call.rows).map(|row| code.filter(|_| there.is_valid(row))).collect();
        Ok(Made::without_failures(Arc::new(values)))
    },
};
