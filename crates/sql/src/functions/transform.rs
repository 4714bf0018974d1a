//! Coordinates in another system, with the operation that was taken and its accuracy.

use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter};
use super::st_transform::refusal;
use super::struct_column;
use crate::{Error, systems};
use basilocus::geodesy::operation::Operation;
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, ArrayRef, Float64Array, StringArray};
use datafusion::arrow::datatypes::{DataType, Field};
use std::collections::HashMap;
use std::sync::Arc;

pub(super) static TRANSFORM: Definition = Definition {
    name: "transform",
    other_names: &[],
    parameters: &[
        Parameter { name: "x", kind: Kind::Number },
        Parameter { name: "y", kind: Kind::Number },
        Parameter { name: "from", kind: Kind::System },
        Parameter { name: "to", kind: Kind::System },
        Parameter { name: "epoch", kind: Kind::Number },
    ],
    required: 4,
    failures: Failures::InResult,
    result: |planned| {
        // Systems that are the same for all rows are looked for before a row is read.
        for at in [2, 3] {
            if let Ok(Some(text)) = planned.literal(at) {
                systems::find(&text)?;
            }
        }
        let columns = [
            ("x", DataType::Float64),
            ("y", DataType::Float64),
            ("accuracy_m", DataType::Float64),
            ("operation", DataType::Utf8),
        ];
        Ok(Field::new("transform", struct_column::data_type(&columns), true))
    },
    apply,
};

const NO_SYSTEM: Reason = Reason::new("no reference system");

/// What decides which operation a row takes.
type Systems<'a> = (&'a str, &'a str, Option<u64>);

fn apply(call: &Call) -> Result<Made, Error> {
    let (x, y) = (call.numbers(0)?, call.numbers(1)?);
    let (from, to) = (call.texts(2)?, call.texts(3)?);
    let epoch: Option<Float64Array> = if call.len() > 4 { Some(call.numbers(4)?) } else { None };
    let mut out = Transformed::for_rows(call.rows);
    let mut groups: HashMap<Systems, Vec<usize>> = HashMap::new();
    for row in 0..call.rows {
        if x.is_null(row) || y.is_null(row) {
            continue;
        }
        if from.is_null(row) || to.is_null(row) {
            out.fail(row, NO_SYSTEM, "no reference system is said for it".into());
            continue;
        }
        let at = epoch.as_ref().filter(|e| e.is_valid(row)).map(|e| e.value(row).to_bits());
        groups.entry((from.value(row), to.value(row), at)).or_default().push(row);
    }
    for ((from, to, epoch), rows) in groups {
        let operations = match systems::operations(from, to, epoch.map(f64::from_bits), &call.settings) {
            Ok(found) => found,
            // One system for all rows is the query's; one among many is the row's.
            Err(e) if call.literal(2).is_some() && call.literal(3).is_some() => return Err(e),
            Err(e) => {
                rows.iter().for_each(|row| out.fail(*row, NO_SYSTEM, e.to_string()));
                continue;
            }
        };
        let take = |from: &Float64Array| rows.iter().map(|r| from.value(*r)).collect::<Vec<f64>>();
        let (mut tx, mut ty, mut tz) = (take(&x), take(&y), vec![f64::NAN; rows.len()]);
        let mut used: Vec<Option<Arc<Operation>>> = vec![None; rows.len()];
        operations.apply(&mut tx, &mut ty, &mut tz, &mut |operation, places| {
            places.iter().for_each(|at| used[*at] = Some(operation.clone()));
        })?;
        for (at, row) in rows.into_iter().enumerate() {
            if tx[at].is_finite() && ty[at].is_finite() {
                out.place(row, [tx[at], ty[at]], used[at].take());
            } else {
                out.fail(
                    row,
                    Reason::CANNOT_BE_TRANSFORMED,
                    refusal(used[at].as_deref(), [x.value(row), y.value(row), f64::NAN]),
                );
            }
        }
    }
    Ok(out.finish(call))
}

/// The rows of a result.
struct Transformed {
    x: Vec<Option<f64>>,
    y: Vec<Option<f64>>,
    operation: Vec<Option<Arc<Operation>>>,
    failures: Vec<Failure>,
}

impl Transformed {
    fn for_rows(rows: usize) -> Self {
        Transformed { x: vec![None; rows], y: vec![None; rows], operation: vec![None; rows], failures: Vec::new() }
    }

    fn place(&mut self, row: usize, [x, y]: [f64; 2], operation: Option<Arc<Operation>>) {
        (self.x[row], self.y[row], self.operation[row]) = (Some(x), Some(y), operation);
    }

    fn fail(&mut self, row: usize, class: Reason, reason: String) {
        self.failures.push(Failure::new(row, class, reason));
    }

    fn finish(mut self, call: &Call) -> Made {
        let accuracy: Float64Array = self.operation.iter().map(|o| o.as_ref().and_then(|o| o.accuracy_m())).collect();
        let names: StringArray = self.operation.iter().map(|o| o.as_ref().map(|o| o.name())).collect();
        self.failures.sort_by_key(|f| f.row);
        let columns: Vec<ArrayRef> = vec![
            Arc::new(Float64Array::from(self.x)),
            Arc::new(Float64Array::from(self.y)),
            Arc::new(accuracy),
            Arc::new(names),
        ];
        struct_column::made(call.result, columns, self.failures, call.rows)
    }
}
