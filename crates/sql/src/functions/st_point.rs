//! A point of two coordinates.

use super::geometry_column::GeometryBuilder;
use super::scalar::{Definition, Failures, Kind, Made, Parameter};
use crate::systems;
use datafusion::arrow::array::Array;

pub(super) static ST_POINT: Definition = Definition {
    name: "ST_Point",
    other_names: &[],
    parameters: &[
        Parameter { name: "x", kind: Kind::Number },
        Parameter { name: "y", kind: Kind::Number },
        Parameter { name: "system", kind: Kind::System },
    ],
    required: 2,
    failures: Failures::Never,
    result: |planned| {
        let system = if planned.len() > 2 { planned.literal(2)? } else { None };
        let text = system.map(|s| systems::text_of(&*systems::find(&s)?)).transpose()?;
        Ok(systems::field("st_point", text.as_deref()))
    },
    apply: |call| {
        let (x, y) = (call.numbers(0)?, call.numbers(1)?);
        let mut out = GeometryBuilder::for_rows(call.rows);
        for row in 0..call.rows {
            let there = x.is_valid(row) && y.is_valid(row);
            if there { out.push_point(x.value(row), y.value(row)) } else { out.push(None) }
        }
        Ok(Made::without_failures(out.finish()))
    },
};
