//! The rows of files, one partition a file.

use super::LayerSource;
use crate::functions::geometry_column::GeometryColumn;
use crate::ledger::Counted;
use crate::setting::{OnFailure, Settings};
use crate::{Error, numbered};
use basilocus::layer::{Block, TypedLayer};
use datafusion::arrow::array::{ArrayRef, RecordBatch, RecordBatchOptions};
use datafusion::arrow::compute::cast_with_options;
use datafusion::arrow::compute::kernels::cast::CastOptions;
use datafusion::arrow::datatypes::SchemaRef;
use datafusion::common::tree_node::TreeNodeRecursion;
use datafusion::common::{DataFusionError, Result};
use datafusion::execution::{SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::{EquivalenceProperties, PhysicalExpr};
use datafusion::physical_plan::execution_plan::{Boundedness, EmissionType};
use datafusion::physical_plan::metrics::{Count, ExecutionPlanMetricsSet, MetricBuilder, MetricsSet};
use datafusion::physical_plan::stream::RecordBatchReceiverStream;
use datafusion::physical_plan::{
    DisplayAs, DisplayFormatType, ExecutionPlan, ExecutionPlanProperties, Partitioning, PlanProperties,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

/// Rows of a batch.
const ROWS: usize = 8192;

/// Reads the rows of files. Which ones each partition reads, a table of their numbers beneath it says.
#[derive(Debug)]
pub struct LayerScan {
    told: Told,
    numbers: Arc<dyn ExecutionPlan>,
    schema: SchemaRef,
    properties: Arc<PlanProperties>,
    metrics: ExecutionPlanMetricsSet,
}

/// What travels of it.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Told {
    source: Arc<LayerSource>,
    projection: Option<Vec<usize>>,
    limit: Option<usize>,
    /// West, south, east, north of the rows that matter, in the coordinates of the files.
    extent: Option<[f64; 4]>,
}

impl LayerScan {
    /// Rows of files with some of their columns. `limit` is how many rows of each file are enough, and `extent` where the rows lie
    /// that matter: who knows it may leave others out.
    ///
    /// # Errors
    /// [`Error::Call`] for a plan that was damaged on its way.
    pub fn new(
        source: Arc<LayerSource>,
        projection: Option<Vec<usize>>,
        limit: Option<usize>,
        extent: Option<[f64; 4]>,
    ) -> Result<Self> {
        let numbers = numbered::table(source.files.len())?;
        Self::of(Told { source, projection, limit, extent }, numbers)
    }

    fn of(told: Told, numbers: Arc<dyn ExecutionPlan>) -> Result<Self> {
        let whole = told.source.schema()?;
        let schema = match &told.projection {
            Some(places) => Arc::new(whole.project(places)?),
            None => whole,
        };
        let properties = PlanProperties::new(
            EquivalenceProperties::new(schema.clone()),
            Partitioning::UnknownPartitioning(numbers.output_partitioning().partition_count()),
            EmissionType::Incremental,
            Boundedness::Bounded,
        );
        Ok(LayerScan {
            told,
            numbers,
            schema,
            properties: Arc::new(properties),
            metrics: ExecutionPlanMetricsSet::new(),
        })
    }

    /// As bytes, for another machine.
    ///
    /// # Errors
    /// None that is known.
    pub fn to_bytes(&self) -> Result<Vec<u8>> {
        serde_json::to_vec(&self.told).map_err(|e| DataFusionError::External(Box::new(e)))
    }

    /// Of such bytes, and the table of numbers beneath it.
    ///
    /// # Errors
    /// For other bytes.
    pub fn from_bytes(bytes: &[u8], numbers: Arc<dyn ExecutionPlan>) -> Result<Self> {
        Self::of(serde_json::from_slice(bytes).map_err(|e| DataFusionError::External(Box::new(e)))?, numbers)
    }
}

impl DisplayAs for LayerScan {
    fn fmt_as(&self, _: DisplayFormatType, f: &mut fmt::Formatter) -> fmt::Result {
        let files = &self.told.source.files;
        write!(f, "LayerScan: {}", files.first().map_or("", String::as_str))?;
        if files.len() > 1 {
            write!(f, " and {} more", files.len() - 1)?;
        }
        if let Some(limit) = self.told.limit {
            write!(f, ", at most {limit} rows of each")?;
        }
        if let Some([west, south, east, north]) = self.told.extent {
            write!(f, ", around {west},{south},{east},{north}")?;
        }
        Ok(())
    }
}

impl ExecutionPlan for LayerScan {
    fn name(&self) -> &str {
        "LayerScan"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        &self.properties
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.numbers]
    }

    fn benefits_from_input_partitioning(&self) -> Vec<bool> {
        vec![false]
    }

    fn apply_expressions(
        &self,
        _: &mut dyn FnMut(&Arc<dyn PhysicalExpr>) -> Result<TreeNodeRecursion>,
    ) -> Result<TreeNodeRecursion> {
        Ok(TreeNodeRecursion::Continue)
    }

    fn with_new_children(self: Arc<Self>, children: Vec<Arc<dyn ExecutionPlan>>) -> Result<Arc<dyn ExecutionPlan>> {
        Ok(Arc::new(LayerScan::of(self.told.clone(), children[0].clone())?))
    }

    fn execute(&self, partition: usize, context: Arc<TaskContext>) -> Result<SendableRecordBatchStream> {
        let settings = Settings::of(context.session_config().options());
        let ends = settings.failure()? != OnFailure::Null;
        let numbers = self.numbers.execute(partition, context)?;
        let (told, schema, metrics) = (self.told.clone(), self.schema.clone(), self.metrics.clone());
        let mut builder = RecordBatchReceiverStream::builder(self.schema.clone(), 2);
        let sender = builder.tx();
        builder.spawn(async move {
            for number in numbered::numbers(numbers).await? {
                let reading = Reading {
                    typed: told.source.open(number, told.extent, told.projection.as_deref())?,
                    file: told.source.files[number].clone(),
                    ends,
                    schema: schema.clone(),
                    projection: told.projection.clone(),
                    left: told.limit,
                    rows: MetricBuilder::new(&metrics).output_rows(partition),
                    account: Account { metrics: metrics.clone(), partition, counts: BTreeMap::new() },
                };
                let sender = sender.clone();
                let read = move || reading.give(&mut |batch| sender.blocking_send(Ok(batch)).is_ok());
                match tokio::task::spawn_blocking(read).await {
                    Ok(outcome) => outcome?,
                    Err(e) => return Err(DataFusionError::Execution(format!("read_layer: the reader ended: {e}"))),
                }
            }
            Ok(())
        });
        Ok(builder.build())
    }

    fn metrics(&self) -> Option<MetricsSet> {
        Some(self.metrics.clone_inner())
    }
}

/// One file being read.
struct Reading {
    typed: TypedLayer,
    file: String,
    /// Whether a row that cannot be used ends it.
    ends: bool,
    schema: SchemaRef,
    projection: Option<Vec<usize>>,
    left: Option<usize>,
    rows: Count,
    account: Account,
}

/// What became of the rows of a file.
struct Account {
    metrics: ExecutionPlanMetricsSet,
    partition: usize,
    counts: BTreeMap<Counted, Count>,
}

impl Account {
    fn rows(&mut self, block: &Block) {
        self.add(Counted::Made, block.records.num_rows());
        for row in &block.set_aside {
            self.add(Counted::SetAside(row.class.to_string()), 1);
        }
    }

    fn add(&mut self, counted: Counted, rows: usize) {
        let (metrics, partition) = (&self.metrics, self.partition);
        let name = counted.metric("read_layer");
        let count = self.counts.entry(counted);
        count.or_insert_with(|| MetricBuilder::new(metrics).counter(name, partition)).add(rows);
    }
}

impl Reading {
    /// Gives batches until they are no longer wanted.
    fn give(mut self, sink: &mut dyn FnMut(RecordBatch) -> bool) -> Result<()> {
        for block in self.typed.rows().map_err(Error::from)? {
            let block = block.map_err(Error::from)?;
            self.count(&block)?;
            let mut batch = self.batch(&block.records)?;
            if let Some(left) = &mut self.left {
                batch = batch.slice(0, batch.num_rows().min(*left));
                *left -= batch.num_rows();
            }
            let mut from = 0;
            while from < batch.num_rows() {
                let part = batch.slice(from, ROWS.min(batch.num_rows() - from));
                from += part.num_rows();
                self.rows.add(part.num_rows());
                if !sink(part) {
                    return Ok(());
                }
            }
            if self.left == Some(0) {
                return Ok(());
            }
        }
        Ok(())
    }

    /// Counts rows that cannot be used; the first ends the query where nobody said that it goes on.
    fn count(&mut self, block: &Block) -> Result<()> {
        self.account.rows(block);
        match block.set_aside.first().filter(|_| self.ends) {
            None => Ok(()),
            Some(row) => Err(Error::Call {
                function: "read_layer",
                what: format!(
                    "{}: row {}: {}; with SET basilocus.on_failure = 'null' such rows are left out and counted",
                    self.file, row.source_row, row.reason
                ),
            }
            .into()),
        }
    }

    /// The columns that are asked for, geometries as well-known binary.
    fn batch(&self, records: &RecordBatch) -> Result<RecordBatch> {
        let all: Vec<usize> = (0..records.num_columns()).collect();
        let places = self.projection.as_ref().unwrap_or(&all);
        let columns = places.iter().zip(self.schema.fields()).map(|(at, field)| {
            let column = records.column(*at);
            if column.data_type() == field.data_type() {
                return Ok(column.clone());
            }
            if GeometryColumn::takes(column.data_type()) {
                return binary(column);
            }
            // Columns of another file may have a wider type.
            let exact = CastOptions { safe: false, ..Default::default() };
            Ok(cast_with_options(column, field.data_type(), &exact)?)
        });
        let columns = columns.collect::<Result<Vec<ArrayRef>>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(records.num_rows()));
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?)
    }
}

fn binary(column: &ArrayRef) -> Result<ArrayRef> {
    let broken = |what: String| DataFusionError::Execution(format!("read_layer: {what}"));
    GeometryColumn::of(column).and_then(|geometries| geometries.binary(column.len())).map_err(broken)
}
