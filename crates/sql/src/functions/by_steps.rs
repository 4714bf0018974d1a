//! Functions that do what a step of the command does: the same steps, bound once a process, so that a column has the very
//! values that the command would write.

use super::scalar::{Call, Failure, Made};
use super::struct_column;
use crate::Error;
use basilocus::layer::BoundSteps;
use datafusion::arrow::array::{ArrayRef, RecordBatch, UInt64Array};
use datafusion::arrow::compute::take;
use datafusion::arrow::datatypes::{DataType, Field, SchemaRef};
use datafusion::common::DataFusionError;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// What tells bound steps apart: the function, its input, and what it was told.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Key {
    pub function: &'static str,
    pub columns: Vec<String>,
    pub told: Vec<String>,
}

type Known = HashMap<Key, Arc<BoundSteps>>;

/// The steps for a key, bound now if they are not.
pub(super) fn bound(key: Key, bind: impl FnOnce() -> Result<BoundSteps, Error>) -> Result<Arc<BoundSteps>, Error> {
    static KNOWN: LazyLock<Mutex<Known>> = LazyLock::new(Mutex::default);
    // Under the lock: references are opened once, whoever asks first.
    let mut known = KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(found) = known.get(&key) {
        return Ok(found.clone());
    }
    let steps = Arc::new(bind()?);
    known.insert(key, steps.clone());
    Ok(steps)
}

/// Brings rows through steps. The columns of the result are taken from those of the last step by their names, `places` are the
/// rows of the batch that are given to them.
pub(super) fn apply(
    call: &Call,
    steps: &BoundSteps,
    schema: &SchemaRef,
    columns: Vec<ArrayRef>,
    places: &[usize],
    failures: &mut Vec<Failure>,
) -> Result<Vec<ArrayRef>, Error> {
    let broken = |e: DataFusionError| Error::Call { function: call.function.name, what: e.to_string() };
    let rows = RecordBatch::try_new(schema.clone(), columns).map_err(|e| broken(e.into()))?;
    let block = steps.apply(rows)?;
    for row in &block.set_aside {
        let place = places[row.source_row as usize - 1];
        failures.push(Failure::new(place, row.class.clone(), row.reason.clone()));
    }
    let mut from: Vec<Option<u64>> = vec![None; call.rows];
    for (at, row) in block.source_rows.iter().enumerate() {
        from[places[*row as usize - 1]] = Some(at as u64);
    }
    let from = UInt64Array::from(from);
    let DataType::Struct(fields) = call.result.data_type() else { unreachable!("the result was planned as a struct") };
    let own = fields.iter().take(fields.len() - 1);
    own.map(|field: &Arc<Field>| {
        let column = block.records.column_by_name(field.name()).ok_or_else(|| Error::Call {
            function: call.function.name,
            what: {
                let schema = block.records.schema();
                let given: Vec<&str> = schema.fields().iter().map(|f| f.name().as_str()).collect();
                format!("the reference gives no {}; there is {}", field.name(), given.join(", "))
            },
        })?;
        take(column, &from, None).map_err(|e| broken(e.into()))
    })
    .collect()
}

/// The result of a call that went through steps.
pub(super) fn made(call: &Call, columns: Vec<ArrayRef>, mut failures: Vec<Failure>) -> Made {
    failures.sort_by_key(|f| f.row);
    struct_column::made(call.result, columns, failures, call.rows)
}
