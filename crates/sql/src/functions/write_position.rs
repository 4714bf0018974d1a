//! Positions in a notation.

use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter};
use crate::Error;
use basilocus::geodesy::notation::{self, Notation};
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, StringArray};
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

pub(super) static WRITE_POSITION: Definition = Definition {
    name: "write_position",
    other_names: &[],
    parameters: &[
        Parameter { name: "lon", kind: Kind::Number },
        Parameter { name: "lat", kind: Kind::Number },
        Parameter { name: "notation", kind: Kind::Text },
        Parameter { name: "digits", kind: Kind::Figure },
    ],
    required: 3,
    failures: Failures::Null,
    result: |planned| {
        let name = planned.literal(2)?.unwrap_or_default();
        let notation: Notation = name.parse().map_err(|e| planned.wrong(2, format!("{e}")))?;
        if planned.len() > 3
            && let Some(digits) = planned.number(3)?
        {
            checked_digits(notation, digits).map_err(|what| planned.wrong(3, what))?;
        }
        Ok(Field::new("write_position", DataType::Utf8, true))
    },
    apply,
};

fn checked_digits(notation: Notation, digits: f64) -> Result<usize, String> {
    let whole = digits as usize;
    if digits.fract() == 0.0 && digits >= 0.0 && notation.takes_digits(whole) {
        return Ok(whole);
    }
    Err(format!("is {digits}: {} takes other numbers of {}", notation.words(), notation.digits_are()))
}

fn apply(call: &Call) -> Result<Made, Error> {
    let (lon, lat) = (call.numbers(0)?, call.numbers(1)?);
    let name = call.literal(2).unwrap_or_default();
    let notation: Notation = name.parse().map_err(|e| call.function.wrong(2, format!("{e}")))?;
    let digits = match if call.len() > 3 { call.literal_number(3)? } else { None } {
        Some(digits) => checked_digits(notation, digits).map_err(|what| call.function.wrong(3, what))?,
        None => notation.usual_digits(),
    };
    let mut failures = Vec::new();
    let texts: StringArray = (0..call.rows)
        .map(|row| {
            if lon.is_null(row) || lat.is_null(row) {
                return None;
            }
            let (x, y) = (lon.value(row), lat.value(row));
            // A latitude beyond a pole is none; longitudes go on beyond 180°.
            let written = (y.abs() <= 90.0).then(|| notation::print(x, y, notation, digits)).flatten();
            if written.is_none() {
                let reason = format!("longitude {x}, latitude {y} cannot be written as {}", notation.words());
                failures.push(Failure::new(row, Reason::OUTSIDE_THE_NOTATION, reason));
            }
            written
        })
        .collect();
    Ok(Made { values: Arc::new(texts), failures })
}
