//! Tables of small numbers, one row a partition, that stand beneath a part of a plan. A scheduler gives a task some partitions
//! of what lies at the bottom of its plan, and what it can part are the engine's own tables: a part of a plan that has to know
//! which partition it is, or what it is to read, finds it there.

use datafusion::arrow::array::{ArrayRef, AsArray, RecordBatch, UInt64Array};
use datafusion::arrow::datatypes::{DataType, Field, Schema, SchemaRef, UInt64Type};
use datafusion::common::Result;
use datafusion::datasource::memory::MemorySourceConfig;
use datafusion::execution::SendableRecordBatchStream;
use datafusion::physical_plan::ExecutionPlan;
use futures::StreamExt;
use std::sync::Arc;

fn schema() -> SchemaRef {
    Arc::new(Schema::new(vec![Field::new("number", DataType::UInt64, false)]))
}

/// So many partitions, each with its number.
pub(crate) fn table(partitions: usize) -> Result<Arc<dyn ExecutionPlan>> {
    let batch = |number: usize| {
        let column: ArrayRef = Arc::new(UInt64Array::from(vec![number as u64]));
        Ok(vec![RecordBatch::try_new(schema(), vec![column])?])
    };
    let partitions = (0..partitions).map(batch).collect::<Result<Vec<_>>>()?;
    Ok(MemorySourceConfig::try_new_exec(&partitions, schema(), None)?)
}

/// The numbers of a partition.
pub(crate) async fn numbers(mut rows: SendableRecordBatchStream) -> Result<Vec<usize>> {
    let mut out = Vec::new();
    while let Some(batch) = rows.next().await {
        out.extend(batch?.column(0).as_primitive::<UInt64Type>().values().iter().map(|n| *n as usize));
    }
    Ok(out)
}
