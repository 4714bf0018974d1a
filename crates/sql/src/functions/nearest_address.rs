//! The address nearest to a position of WGS 84: the command's own step.

use super::by_steps::{self, Key};
use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter};
use super::struct_column;
use crate::Error;
use crate::references;
use basilocus::Layer;
use basilocus::steps::{Nearest, Positions};
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, ArrayRef, Float64Array, RecordBatch};
use datafusion::arrow::datatypes::{DataType, Field, Schema};
use std::sync::Arc;

pub(super) static NEAREST_ADDRESS: Definition = Definition {
    name: "nearest_address",
    other_names: &[],
    parameters: &[
        Parameter { name: "lon", kind: Kind::Number },
        Parameter { name: "lat", kind: Kind::Number },
        Parameter { name: "reference", kind: Kind::Reference },
        Parameter { name: "inside", kind: Kind::Names },
    ],
    required: 2,
    failures: Failures::InResult,
    result: |planned| {
        if planned.len() > REFERENCE {
            planned.literal(REFERENCE)?;
        }
        let inside: Vec<String> =
            planned.names(INSIDE)?.iter().map(|attribute| format!("inside_{attribute}")).collect();
        Ok(Field::new("nearest_address", struct_column::with_texts(&COLUMNS, &inside), true))
    },
    apply,
};

/// Which arguments they are.
const REFERENCE: usize = 2;
const INSIDE: usize = 3;

/// The columns that the command always writes; those of areas are asked for by the names of their attributes.
const COLUMNS: [(&str, DataType); 6] = [
    ("nearest_address", DataType::Utf8),
    ("nearest_level", DataType::Utf8),
    ("nearest_distance_m", DataType::Float64),
    ("nearest_side", DataType::Utf8),
    ("nearest_lon", DataType::Float64),
    ("nearest_lat", DataType::Float64),
];

fn apply(call: &Call) -> Result<Made, Error> {
    let (lon, lat) = (call.numbers(0)?, call.numbers(1)?);
    let told = references::told(call, REFERENCE)?;
    let most_m = call.settings.most_m;
    let mut key = Key { function: "nearest_address", columns: Vec::new(), told: told.clone() };
    key.told.push(format!("within {most_m} m"));
    let number = |name: &str| Field::new(name, DataType::Float64, true);
    let schema = Arc::new(Schema::new(vec![number("lon"), number("lat")]));
    let steps = by_steps::bound(key, || {
        let rows = Layer::from_records("positions", vec![RecordBatch::new_empty(schema.clone())])?;
        let positions =
            Positions { x: Some("lon".into()), y: Some("lat".into()), ..Positions::in_system("EPSG:4326")? };
        let nearest = Nearest { reference: references::paths(&told)?, most_m: Some(most_m), ..Default::default() };
        Ok(rows.positions(positions).nearest(nearest).bind()?)
    })?;
    let there: Vec<usize> = (0..call.rows).filter(|row| lon.is_valid(*row) && lat.is_valid(*row)).collect();
    let take = |from: &Float64Array| -> ArrayRef {
        Arc::new(there.iter().map(|row| Some(from.value(*row))).collect::<Float64Array>())
    };
    let mut failures = Vec::new();
    let columns = by_steps::apply(call, &steps, &schema, vec![take(&lon), take(&lat)], &there, &mut failures)?;
    // No address near is no failure of the command; here the row says why it is empty.
    for row in there {
        if columns[0].is_null(row) && !failures.iter().any(|f| f.row == row) {
            failures.push(Failure::new(row, Reason::new("no address near"), format!("no address within {most_m} m")));
        }
    }
    Ok(by_steps::made(call, columns, failures))
}
