//! Each partition of a query to a file of its own, in a folder where nobody looks yet.

use super::Columns;
use crate::setting::{OnFailure, Settings};
use crate::{Error, numbered, schema_bytes};
use basilocus::Layer;
use basilocus::steps::Positions;
use basilocus::table::POINT_COLUMN;
use datafusion::arrow::array::{ArrayRef, RecordBatch, StringArray, UInt64Array};
use datafusion::arrow::datatypes::{DataType, Field, Schema, SchemaRef};
use datafusion::common::tree_node::TreeNodeRecursion;
use datafusion::common::{DataFusionError, Result};
use datafusion::execution::{SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::{Distribution, EquivalenceProperties, PhysicalExpr};
use datafusion::physical_plan::execution_plan::{Boundedness, EmissionType};
use datafusion::physical_plan::stream::RecordBatchStreamAdapter;
use datafusion::physical_plan::{
    DisplayAs, DisplayFormatType, ExecutionPlan, ExecutionPlanProperties, Partitioning, PlanProperties,
};
use futures::StreamExt;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Where the parts of a query wait, and what they become.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Target {
    /// The file, or the folder of a file for each partition.
    pub path: PathBuf,
    /// The ending of the files.
    pub ending: String,
    /// The folder where they wait.
    pub waiting: PathBuf,
    /// Whether files that are there are replaced.
    pub overwrite: bool,
    /// The columns of the query with their systems, as the engine's stream format begins: plans that travel lose them.
    columns: Vec<u8>,
}

impl Target {
    /// Whether it is one file.
    pub(super) fn is_file(&self) -> bool {
        is_file(&self.path, &self.ending)
    }

    /// The folder in which the files will be.
    pub(super) fn folder(&self) -> &Path {
        folder_of(&self.path, &self.ending)
    }

    /// The name of the file of a partition.
    fn name(&self, partition: usize) -> String {
        match self.path.file_name().filter(|_| self.is_file()) {
            Some(name) => name.to_string_lossy().into_owned(),
            None => format!("part-{partition:05}.{}", self.ending),
        }
    }
}

/// Whether a query that writes files with an ending writes one file to a path, not a folder of them.
pub(super) fn is_file(path: &Path, ending: &str) -> bool {
    path.extension().is_some_and(|e| e.eq_ignore_ascii_case(ending))
}

fn folder_of<'a>(path: &'a Path, ending: &str) -> &'a Path {
    let parent = path.parent().filter(|p| !p.as_os_str().is_empty());
    if is_file(path, ending) { parent.unwrap_or(Path::new(".")) } else { path }
}

/// A folder where the parts of a query wait, beside where they will be, which no other query has on any machine.
pub(super) fn waiting_for(path: &Path, ending: &str) -> PathBuf {
    folder_of(path, ending).join(format!(".unfinished-{:x}-{:x}", std::process::id(), now_in_nanoseconds()))
}

/// Writes each partition. Which one it is, a table of numbers beside its rows says.
#[derive(Debug)]
pub struct PartsWrite {
    input: Arc<dyn ExecutionPlan>,
    numbers: Arc<dyn ExecutionPlan>,
    target: Target,
    properties: Arc<PlanProperties>,
}

impl PartsWrite {
    /// Writes the partitions of `input` towards a file or folder; they wait in a folder of their own.
    ///
    /// # Errors
    /// [`Error::Call`] where an output is there and is not to be replaced.
    pub fn new(
        input: Arc<dyn ExecutionPlan>,
        path: PathBuf,
        ending: String,
        waiting: PathBuf,
        overwrite: bool,
    ) -> Result<Self> {
        let refuse = |what: String| Error::Call { function: "COPY", what };
        let target = Target { path, ending, waiting, overwrite, columns: schema_bytes::written(&input.schema())? };
        if target.is_file() && target.path.exists() && !overwrite {
            let what = format!("{} exists already; OPTIONS ('overwrite' 'true') replaces it", target.path.display());
            return Err(refuse(what).into());
        }
        let numbers = numbered::table(input.output_partitioning().partition_count())?;
        Ok(Self::of(input, numbers, target))
    }

    /// The same with as many numbers as its rows have partitions, which rules may have changed.
    ///
    /// # Errors
    /// None that is known.
    pub(crate) fn numbered(&self) -> Result<Self> {
        let numbers = numbered::table(self.input.output_partitioning().partition_count())?;
        Ok(Self::of(self.input.clone(), numbers, self.target.clone()))
    }

    /// The same for a target that was settled on another machine.
    pub(crate) fn of(input: Arc<dyn ExecutionPlan>, numbers: Arc<dyn ExecutionPlan>, target: Target) -> Self {
        let properties = PlanProperties::new(
            EquivalenceProperties::new(schema()),
            Partitioning::UnknownPartitioning(input.output_partitioning().partition_count()),
            EmissionType::Final,
            Boundedness::Bounded,
        );
        PartsWrite { input, numbers, target, properties: Arc::new(properties) }
    }

    pub(crate) fn target(&self) -> &Target {
        &self.target
    }
}

fn now_in_nanoseconds() -> u128 {
    std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |d| d.as_nanos())
}

/// What is told of each part: its folder, its rows.
pub(super) fn schema() -> SchemaRef {
    Arc::new(Schema::new(vec![
        Field::new("folder", DataType::Utf8, false),
        Field::new("count", DataType::UInt64, false),
    ]))
}

impl DisplayAs for PartsWrite {
    fn fmt_as(&self, _: DisplayFormatType, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "PartsWrite: {}", self.target.path.display())
    }
}

impl ExecutionPlan for PartsWrite {
    fn name(&self) -> &str {
        "PartsWrite"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        &self.properties
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.input, &self.numbers]
    }

    fn benefits_from_input_partitioning(&self) -> Vec<bool> {
        vec![false, false]
    }

    fn maintains_input_order(&self) -> Vec<bool> {
        vec![false, false]
    }

    fn required_input_distribution(&self) -> Vec<Distribution> {
        let rows =
            if self.target.is_file() { Distribution::SinglePartition } else { Distribution::UnspecifiedDistribution };
        vec![rows, Distribution::UnspecifiedDistribution]
    }

    fn apply_expressions(
        &self,
        _: &mut dyn FnMut(&Arc<dyn PhysicalExpr>) -> Result<TreeNodeRecursion>,
    ) -> Result<TreeNodeRecursion> {
        Ok(TreeNodeRecursion::Continue)
    }

    fn with_new_children(self: Arc<Self>, children: Vec<Arc<dyn ExecutionPlan>>) -> Result<Arc<dyn ExecutionPlan>> {
        Ok(Arc::new(PartsWrite::of(children[0].clone(), children[1].clone(), self.target.clone())))
    }

    fn execute(&self, partition: usize, context: Arc<TaskContext>) -> Result<SendableRecordBatchStream> {
        let on_failure = Settings::of(context.session_config().options()).failure()?;
        let numbers = self.numbers.execute(partition, context.clone())?;
        let input = self.input.execute(partition, context)?;
        let of_query = schema_bytes::read(&self.target.columns)?;
        let columns = Columns::of(&of_query);
        let target = self.target.clone();
        let made = futures::stream::once(async move {
            let partition = *numbered::numbers(numbers)
                .await?
                .first()
                .ok_or_else(|| DataFusionError::Internal("COPY: a partition has no number".into()))?;
            let written = write(input, columns, &target, partition).await?;
            if let (Some(reason), true) = (&written.set_aside, on_failure != OnFailure::Null) {
                let what = format!(
                    "{} of part {partition}: {reason}; with SET basilocus.on_failure = 'null' such rows go to a file beside the others",
                    target.name(partition)
                );
                return Err(DataFusionError::from(Error::Call { function: "COPY", what }));
            }
            let folder = Arc::new(StringArray::from(vec![written.folder.to_string_lossy().into_owned()]));
            let rows = Arc::new(UInt64Array::from(vec![written.rows]));
            Ok(RecordBatch::try_new(schema(), vec![folder as ArrayRef, rows])?)
        });
        Ok(Box::pin(RecordBatchStreamAdapter::new(schema(), made)))
    }
}

/// A part that is there.
struct Written {
    folder: PathBuf,
    rows: u64,
    /// The first reason for rows that the format cannot hold.
    set_aside: Option<String>,
}

/// Writes the rows of a partition. Each attempt has a folder of its own, so that two of them are not in each other's way.
async fn write(
    mut input: SendableRecordBatchStream,
    columns: Columns,
    target: &Target,
    partition: usize,
) -> Result<Written> {
    let broken = |what: String| DataFusionError::from(Error::Call { function: "COPY", what });
    let folder = target.waiting.join(format!("{partition:05}-{:x}-{:x}", std::process::id(), now_in_nanoseconds()));
    std::fs::create_dir_all(&folder).map_err(|e| broken(format!("{}: {e}", folder.display())))?;
    let (send, receive) = crossbeam_channel::bounded(2);
    let layer = layer(&columns, target, receive)?.write(folder.join(target.name(partition))).map_err(Error::from)?;
    let run = tokio::task::spawn_blocking(move || layer.run());
    let mut failed = None;
    while let Some(batch) = input.next().await {
        let ready = batch.and_then(|b| Ok(columns.apply(&b)?));
        let ended = ready.is_err();
        let message = ready.map_err(|e| {
            let words = e.to_string();
            failed = Some(e);
            words
        });
        // The writer's end waits for this one without holding up others.
        if tokio::task::block_in_place(|| send.send(message)).is_err() || ended {
            break;
        }
    }
    drop(send);
    let report = run.await.map_err(|e| broken(format!("the writer of part {partition} ended: {e}")))?;
    match (failed, report) {
        (Some(e), _) => Err(e),
        (None, Err(e)) => Err(Error::from(e).into()),
        (None, Ok(report)) => Ok(Written {
            folder,
            rows: report.rows_out,
            set_aside: report.set_aside.iter().next().map(|(reason, rows)| format!("{rows} rows: {reason}")),
        }),
    }
}

/// The layer of the rows to come.
fn layer(columns: &Columns, target: &Target, rows: basilocus::engine::RecordReceiver) -> Result<Layer, Error> {
    let stem = target.path.file_stem().map_or("rows".into(), |s| s.to_string_lossy().into_owned());
    let layer = Layer::from_stream(&stem, columns.schema().clone(), rows)?;
    let is_spatial = columns.schema().field_with_name(POINT_COLUMN).is_ok_and(|f| *f.data_type() == DataType::Binary);
    Ok(if is_spatial { layer.positions(Positions::default()) } else { layer })
}
