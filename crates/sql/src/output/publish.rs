//! When all parts are there they move to their names; where one failed, nothing is left.

use super::parts::{Target, schema as parts_schema};
use crate::Error;
use datafusion::arrow::array::{AsArray, RecordBatch, UInt64Array};
use datafusion::arrow::datatypes::{DataType, Field, Schema, SchemaRef, UInt64Type};
use datafusion::common::tree_node::TreeNodeRecursion;
use datafusion::common::{DataFusionError, Result};
use datafusion::execution::{SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::{Distribution, EquivalenceProperties, PhysicalExpr};
use datafusion::physical_plan::execution_plan::{Boundedness, EmissionType};
use datafusion::physical_plan::stream::RecordBatchStreamAdapter;
use datafusion::physical_plan::{DisplayAs, DisplayFormatType, ExecutionPlan, Partitioning, PlanProperties};
use futures::StreamExt;
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Moves parts to their names.
#[derive(Debug)]
pub struct PartsPublish {
    input: Arc<dyn ExecutionPlan>,
    target: Target,
    properties: Arc<PlanProperties>,
}

impl PartsPublish {
    /// For the parts that `input` tells of.
    ///
    /// # Errors
    /// None that is known.
    pub fn new(input: Arc<dyn ExecutionPlan>, target: Target) -> Result<Self> {
        let properties = PlanProperties::new(
            EquivalenceProperties::new(schema()),
            Partitioning::UnknownPartitioning(1),
            EmissionType::Final,
            Boundedness::Bounded,
        );
        Ok(PartsPublish { input, target, properties: Arc::new(properties) })
    }

    pub(crate) fn target(&self) -> &Target {
        &self.target
    }
}

/// What a query that writes gives: how many rows are there.
fn schema() -> SchemaRef {
    Arc::new(Schema::new(vec![Field::new("count", DataType::UInt64, false)]))
}

impl DisplayAs for PartsPublish {
    fn fmt_as(&self, _: DisplayFormatType, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "PartsPublish: {}", self.target.path.display())
    }
}

impl ExecutionPlan for PartsPublish {
    fn name(&self) -> &str {
        "PartsPublish"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        &self.properties
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.input]
    }

    fn required_input_distribution(&self) -> Vec<Distribution> {
        vec![Distribution::SinglePartition]
    }

    fn apply_expressions(
        &self,
        _: &mut dyn FnMut(&Arc<dyn PhysicalExpr>) -> Result<TreeNodeRecursion>,
    ) -> Result<TreeNodeRecursion> {
        Ok(TreeNodeRecursion::Continue)
    }

    fn with_new_children(self: Arc<Self>, children: Vec<Arc<dyn ExecutionPlan>>) -> Result<Arc<dyn ExecutionPlan>> {
        Ok(Arc::new(PartsPublish::new(children[0].clone(), self.target.clone())?))
    }

    fn execute(&self, _: usize, context: Arc<TaskContext>) -> Result<SendableRecordBatchStream> {
        debug_assert_eq!(self.input.schema().fields(), parts_schema().fields());
        let (input, target) = (self.input.execute(0, context)?, self.target.clone());
        let made = futures::stream::once(async move {
            let outcome = publish(input, &target).await;
            // Whatever came of it, what waited and is not wanted goes.
            let _ = std::fs::remove_dir_all(&target.waiting);
            let rows = outcome?;
            Ok(RecordBatch::try_new(schema(), vec![Arc::new(UInt64Array::from(vec![rows]))])?)
        });
        Ok(Box::pin(RecordBatchStreamAdapter::new(schema(), made)))
    }
}

async fn publish(mut input: SendableRecordBatchStream, target: &Target) -> Result<u64> {
    let (mut folders, mut rows) = (Vec::new(), 0);
    while let Some(batch) = input.next().await {
        let batch = batch?;
        let names = batch.column(0).as_string::<i32>();
        folders.extend(names.iter().flatten().map(PathBuf::from));
        rows += batch.column(1).as_primitive::<UInt64Type>().iter().flatten().sum::<u64>();
    }
    let broken = |path: &Path, e: std::io::Error| {
        DataFusionError::from(Error::Call { function: "COPY", what: format!("{}: {e}", path.display()) })
    };
    let mut moves: Vec<(PathBuf, PathBuf)> = Vec::new();
    for folder in &folders {
        for entry in std::fs::read_dir(folder).map_err(|e| broken(folder, e))? {
            let from = entry.map_err(|e| broken(folder, e))?.path();
            let to = target.folder().join(from.file_name().unwrap_or_default());
            if moves.iter().any(|(_, other)| *other == to) {
                let what = format!("two parts are named {}: nothing is written", to.display());
                return Err(Error::Call { function: "COPY", what }.into());
            }
            if to.exists() && !target.overwrite {
                let what = format!("{} exists already; OPTIONS ('overwrite' 'true') replaces it", to.display());
                return Err(Error::Call { function: "COPY", what }.into());
            }
            moves.push((from, to));
        }
    }
    let mut moved: Vec<(PathBuf, PathBuf)> = Vec::new();
    for (from, to) in moves {
        if let Err(e) = std::fs::rename(&from, &to) {
            // All parts or none: those that were moved go back, unless they replaced others.
            if !target.overwrite {
                moved.iter().for_each(|(from, to): &(PathBuf, PathBuf)| drop(std::fs::rename(to, from)));
            }
            return Err(broken(&to, e));
        }
        moved.push((from, to));
    }
    if target.overwrite && !target.is_file() {
        let kept: Vec<&PathBuf> = moved.iter().map(|(_, to)| to).collect();
        remove_former_parts(target, &kept).map_err(|e| broken(target.folder(), e))?;
    }
    Ok(rows)
}

/// Removes the parts that an earlier query with more of them left: who reads the folder would have their rows too.
fn remove_former_parts(target: &Target, kept: &[&PathBuf]) -> std::io::Result<()> {
    for entry in std::fs::read_dir(target.folder())? {
        let path = entry?.path();
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let number = name.strip_prefix("part-").and_then(|rest| rest.split_once('.')).map(|(number, _)| number);
        let is_part = number.is_some_and(|n| n.len() == 5 && n.bytes().all(|b| b.is_ascii_digit()));
        // The other files of a part go with it.
        let whole = number.map(|n| target.folder().join(format!("part-{n}.{}", target.ending)));
        let is_former = whole.is_some_and(|whole| !kept.contains(&&whole));
        if is_part && is_former {
            std::fs::remove_file(&path)?;
        }
    }
    Ok(())
}
