//! Addresses to positions, against address references: the command's own step.

use super::by_steps::{self, Key};
use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter, Planned};
use super::struct_column;
use crate::Error;
use crate::references;
use basilocus::Layer;
use basilocus::steps::Geocode;
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, RecordBatch, StringArray};
use datafusion::arrow::compute::cast;
use datafusion::arrow::datatypes::{DataType, Field, Schema};
use std::sync::Arc;

pub(super) static GEOCODE: Definition = Definition {
    name: "geocode",
    other_names: &[],
    parameters: &[
        Parameter { name: "address", kind: Kind::Address },
        Parameter { name: "reference", kind: Kind::Reference },
        Parameter { name: "extras", kind: Kind::Names },
        Parameter { name: "candidates", kind: Kind::Figure },
    ],
    required: 1,
    failures: Failures::InResult,
    result,
    apply,
};

/// A part of an address: what a field of a struct is called, and where the step takes its column's name.
type Part = (&'static str, fn(&mut Geocode) -> &mut Option<String>);

const PARTS: [Part; 13] = [
    ("address", |g| &mut g.address),
    ("number", |g| &mut g.house_number),
    ("number_suffix", |g| &mut g.number_suffix),
    ("direction", |g| &mut g.street_direction),
    ("street", |g| &mut g.street),
    ("street_type", |g| &mut g.street_type),
    ("direction_after", |g| &mut g.street_direction_after),
    ("unit", |g| &mut g.unit),
    ("second_line", |g| &mut g.second_line),
    ("locality", |g| &mut g.locality),
    ("region", |g| &mut g.region),
    ("postcode", |g| &mut g.postcode),
    ("country", |g| &mut g.country_column),
];

/// Which arguments they are.
const REFERENCE: usize = 1;
const EXTRAS: usize = 2;
const CANDIDATES: usize = 3;

/// Candidates of an address that are listed at most.
const MOST_CANDIDATES: f64 = 100.0;

/// The columns that the command always writes.
const COLUMNS: [(&str, DataType); 7] = [
    ("lon", DataType::Float64),
    ("lat", DataType::Float64),
    ("level", DataType::Utf8),
    ("confidence", DataType::Int64),
    ("radius_m", DataType::Float64),
    ("matched_address", DataType::Utf8),
    ("changes", DataType::Utf8),
];

fn result(planned: &Planned) -> Result<Field, Error> {
    if let DataType::Struct(fields) = planned.field(0).data_type() {
        for field in fields {
            let name = field.name();
            if !PARTS.iter().any(|(part, _)| part == name) {
                let known = PARTS.map(|(part, _)| part).join(", ");
                return Err(planned.wrong(0, format!("has a field \"{name}\" that is no part of an address: {known}")));
            }
        }
    }
    if planned.len() > REFERENCE {
        planned.literal(REFERENCE)?;
    }
    let mut further: Vec<String> = planned.names(EXTRAS)?.iter().map(|extra| format!("matched_{extra}")).collect();
    let asked = if planned.len() > CANDIDATES { planned.number(CANDIDATES)? } else { None };
    let asked = asked.unwrap_or(0.0);
    if asked.fract() != 0.0 || !(0.0..=MOST_CANDIDATES).contains(&asked) {
        return Err(
            planned.wrong(CANDIDATES, format!("is {asked}: a whole number from 0 to {MOST_CANDIDATES} is expected"))
        );
    }
    further.extend((asked > 0.0).then(|| "candidates".to_string()));
    Ok(Field::new("geocode", struct_column::with_texts(&COLUMNS, &further), true))
}

fn apply(call: &Call) -> Result<Made, Error> {
    let (names, columns) = parts(call)?;
    // A row that says nothing is null, not an address that was not found.
    let said: Vec<usize> = (0..call.rows)
        .filter(|row| columns.iter().any(|c| c.is_valid(*row) && !c.value(*row).trim().is_empty()))
        .collect();
    let mut failures: Vec<Failure> = Vec::new();
    for row in 0..call.rows {
        let is_empty = columns.iter().any(|c| c.is_valid(row))
            && columns.iter().all(|c| c.is_null(row) || c.value(row).trim().is_empty());
        if is_empty {
            failures.push(Failure::new(row, Reason::new("no address"), "no address: the text is empty"));
        }
    }
    let told = references::told(call, REFERENCE)?;
    let extras = call.names(EXTRAS);
    let asked = if call.len() > CANDIDATES { call.literal_number(CANDIDATES)? } else { None };
    let candidates = asked.unwrap_or(0.0) as usize;
    let mut key = Key { function: "geocode", columns: names.clone(), told: told.clone() };
    key.told.push(format!("{candidates} candidates, {}", extras.join(",")));
    let fields: Vec<Field> = names.iter().map(|n| Field::new(n, DataType::Utf8, true)).collect();
    let schema = Arc::new(Schema::new(fields));
    let steps = by_steps::bound(key, || {
        let mut geocode = Geocode { reference: references::paths(&told)?, extras, candidates, ..Default::default() };
        for (part, place) in PARTS {
            if names.iter().any(|n| n == part) {
                *place(&mut geocode) = Some(part.to_string());
            }
        }
        let rows = Layer::from_records("addresses", vec![RecordBatch::new_empty(schema.clone())])?;
        Ok(rows.geocode(geocode)?.bind()?)
    })?;
    let given = columns.iter().map(|c| {
        let texts: StringArray = said.iter().map(|row| c.is_valid(*row).then(|| c.value(*row))).collect();
        Arc::new(texts) as ArrayRef
    });
    let columns = by_steps::apply(call, &steps, &schema, given.collect(), &said, &mut failures)?;
    Ok(by_steps::made(call, columns, failures))
}

/// The parts of the addresses, by name.
fn parts(call: &Call) -> Result<(Vec<String>, Vec<StringArray>), Error> {
    let column = call.column(0)?;
    let Some(whole) = column.as_struct_opt() else {
        return Ok((vec!["address".into()], vec![call.texts(0)?]));
    };
    let mut out = (Vec::new(), Vec::new());
    for (field, part) in whole.fields().iter().zip(whole.columns()) {
        let texts = cast(part, &DataType::Utf8).map_err(|e| call.function.wrong(0, e.to_string()))?;
        out.0.push(field.name().clone());
        out.1.push(texts.as_string::<i32>().clone());
    }
    Ok(out)
}
