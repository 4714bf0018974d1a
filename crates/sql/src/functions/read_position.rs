//! Positions as people write them, one text each.

use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter};
use super::struct_column;
use crate::{Error, systems};
use basilocus::coordinates::position_text::{self, Typed};
use basilocus::geodesy::notation::AxisOrder;
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, ArrayRef, Float64Array, StringArray};
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

pub(super) static READ_POSITION: Definition = Definition {
    name: "read_position",
    other_names: &[],
    parameters: &[
        Parameter { name: "text", kind: Kind::Text },
        Parameter { name: "system", kind: Kind::System },
        Parameter { name: "order", kind: Kind::Text },
    ],
    required: 1,
    failures: Failures::InResult,
    result: |planned| {
        if planned.len() > 1
            && let Some(system) = planned.literal(1)?
        {
            systems::find(&system)?;
        }
        if planned.len() > 2
            && let Some(order) = planned.literal(2)?
        {
            parsed_order(&order).map_err(|what| planned.wrong(2, what))?;
        }
        let columns = [
            ("x", DataType::Float64),
            ("y", DataType::Float64),
            ("height_m", DataType::Float64),
            ("system", DataType::Utf8),
            ("read_as", DataType::Utf8),
        ];
        Ok(Field::new("read_position", struct_column::data_type(&columns), true))
    },
    apply,
};

fn parsed_order(text: &str) -> Result<AxisOrder, String> {
    text.parse().map_err(|e| format!("{e}"))
}

fn apply(call: &Call) -> Result<Made, Error> {
    let texts = call.texts(0)?;
    let system = if call.len() > 1 { call.literal(1) } else { None };
    let order = match if call.len() > 2 { call.literal(2) } else { None } {
        Some(text) => parsed_order(&text).map_err(|what| call.function.wrong(2, what))?,
        None => AxisOrder::Reject,
    };
    let from = system.map(|s| systems::text_of(&*systems::find(&s)?)).transpose()?;
    let mut failures = Vec::new();
    let read: Vec<Option<Typed>> = (0..call.rows)
        .map(|row| {
            if texts.is_null(row) {
                return None;
            }
            let text = texts.value(row);
            if text.trim().is_empty() {
                failures.push(Failure::new(row, Reason::NO_COORDINATES, "no coordinates: the text is empty"));
                return None;
            }
            position_text::read(text, from.as_deref(), order)
                .map_err(|e| failures.push(Failure::new(row, Reason::NOT_A_COORDINATE, e.to_string())))
                .ok()
        })
        .collect();
    let number = |of: fn(&Typed) -> Option<f64>| -> ArrayRef {
        Arc::new(read.iter().map(|t| t.as_ref().and_then(of)).collect::<Float64Array>())
    };
    let systems: StringArray = read.iter().map(|t| t.as_ref().map(|t| t.crs.identifier())).collect();
    let read_as: StringArray = read.iter().map(|t| t.as_ref().map(|t| t.read_as.as_str())).collect();
    let columns = vec![
        number(|t| Some(t.x)),
        number(|t| Some(t.y)),
        number(|t| t.height_m),
        Arc::new(systems) as ArrayRef,
        Arc::new(read_as),
    ];
    Ok(struct_column::made(call.result, columns, failures, call.rows))
}
