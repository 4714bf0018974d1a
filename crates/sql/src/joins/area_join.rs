//! A join by where things are: one side is taken whole into an index, the other goes by, and only pairs that are near each other
//! are tried against the condition.

use super::area_join_rule::{Nearest, Places, places};
use super::place_index::{PlaceIndex, bounds_of, within_reach};
use crate::functions::geometry_column::GeometryColumn;
use crate::functions::measuring::in_system;
use crate::{Error, systems};
use datafusion::arrow::array::{Array, ArrayRef, AsArray, RecordBatch, RecordBatchOptions, UInt32Array};
use datafusion::arrow::compute::{concat_batches, filter, take};
use datafusion::arrow::datatypes::{DataType, SchemaRef, UInt32Type};
use datafusion::common::tree_node::TreeNodeRecursion;
use datafusion::common::{DataFusionError, JoinSide, JoinType, Result};
use datafusion::execution::memory_pool::{MemoryConsumer, MemoryReservation};
use datafusion::execution::{SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::{Distribution, EquivalenceProperties, PhysicalExpr};
use datafusion::physical_plan::execution_plan::{Boundedness, EmissionType};
use datafusion::physical_plan::joins::NestedLoopJoinExec;
use datafusion::physical_plan::joins::utils::JoinFilter;
use datafusion::physical_plan::stream::RecordBatchStreamAdapter;
use datafusion::physical_plan::{
    DisplayAs, DisplayFormatType, ExecutionPlan, ExecutionPlanProperties, Partitioning, PlanProperties, execute_stream,
};
use futures::{StreamExt, TryStreamExt};
use std::fmt;
use std::sync::Arc;
use tokio::sync::OnceCell;

/// Pairs that are tried at once, and bytes of their geometries: where an area is large, its bytes are there once a pair.
const PAIRS: usize = 8192;
const BYTES: usize = 32 << 20;

/// The join.
pub struct AreaJoin {
    left: Arc<dyn ExecutionPlan>,
    right: Arc<dyn ExecutionPlan>,
    condition: JoinFilter,
    kind: JoinType,
    places: Places,
    properties: Arc<PlanProperties>,
    schema: SchemaRef,
    /// The side that is taken whole, once for all partitions of the other.
    built: Arc<OnceCell<Built>>,
}

/// A side with its index.
struct Built {
    rows: RecordBatch,
    geometry: ArrayRef,
    index: PlaceIndex,
    /// What it holds of the memory that parts of queries may have.
    _held: MemoryReservation,
}

impl fmt::Debug for AreaJoin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "AreaJoin({:?}, {})", self.kind, self.condition.expression())
    }
}

impl AreaJoin {
    /// The join in place of one that tries all pairs; nothing where its condition does not say where things are.
    ///
    /// # Errors
    /// Those of the engine.
    pub fn of(join: &NestedLoopJoinExec) -> Result<Option<Self>> {
        let Some(condition) = join.filter().filter(|_| !join.contains_projection()) else { return Ok(None) };
        let Some(places) = places(condition, *join.join_type())? else { return Ok(None) };
        let (left, right) = (join.left().clone(), join.right().clone());
        Ok(Some(Self::new(left, right, condition.clone(), *join.join_type(), places, join.schema())))
    }

    fn new(
        left: Arc<dyn ExecutionPlan>,
        right: Arc<dyn ExecutionPlan>,
        condition: JoinFilter,
        kind: JoinType,
        places: Places,
        schema: SchemaRef,
    ) -> Self {
        let probe = if places.build_is_left { &right } else { &left };
        let properties = PlanProperties::new(
            EquivalenceProperties::new(schema.clone()),
            Partitioning::UnknownPartitioning(probe.output_partitioning().partition_count()),
            EmissionType::Incremental,
            Boundedness::Bounded,
        );
        let properties = Arc::new(properties);
        AreaJoin { left, right, condition, kind, places, properties, schema, built: Arc::default() }
    }

    /// The same join as the engine has it, for other sides with the same columns: in this form it travels.
    ///
    /// # Errors
    /// Those of the engine.
    pub(crate) fn plain(
        &self,
        left: Arc<dyn ExecutionPlan>,
        right: Arc<dyn ExecutionPlan>,
    ) -> Result<NestedLoopJoinExec> {
        NestedLoopJoinExec::try_new(left, right, Some(self.condition.clone()), &self.kind, None)
    }

    /// The side that is taken whole, and the one that goes by.
    fn sides(&self) -> [&Arc<dyn ExecutionPlan>; 2] {
        if self.places.build_is_left { [&self.left, &self.right] } else { [&self.right, &self.left] }
    }
}

impl DisplayAs for AreaJoin {
    fn fmt_as(&self, _: DisplayFormatType, f: &mut fmt::Formatter) -> fmt::Result {
        let side = if self.places.build_is_left { "left" } else { "right" };
        write!(f, "AreaJoin: {:?}, index of the {side} side, {}", self.kind, self.condition.expression())
    }
}

impl ExecutionPlan for AreaJoin {
    fn name(&self) -> &str {
        "AreaJoin"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        &self.properties
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.left, &self.right]
    }

    fn required_input_distribution(&self) -> Vec<Distribution> {
        let (whole, parted) = (Distribution::SinglePartition, Distribution::UnspecifiedDistribution);
        if self.places.build_is_left { vec![whole, parted] } else { vec![parted, whole] }
    }

    fn maintains_input_order(&self) -> Vec<bool> {
        vec![false, false]
    }

    fn benefits_from_input_partitioning(&self) -> Vec<bool> {
        vec![!self.places.build_is_left, self.places.build_is_left]
    }

    fn apply_expressions(
        &self,
        f: &mut dyn FnMut(&Arc<dyn PhysicalExpr>) -> Result<TreeNodeRecursion>,
    ) -> Result<TreeNodeRecursion> {
        f(self.condition.expression())
    }

    fn with_new_children(self: Arc<Self>, children: Vec<Arc<dyn ExecutionPlan>>) -> Result<Arc<dyn ExecutionPlan>> {
        let places = self.places.clone();
        let (left, right) = (children[0].clone(), children[1].clone());
        let (condition, schema) = (self.condition.clone(), self.schema.clone());
        Ok(Arc::new(AreaJoin::new(left, right, condition, self.kind, places, schema)))
    }

    fn execute(&self, partition: usize, context: Arc<TaskContext>) -> Result<SendableRecordBatchStream> {
        let [build, probe] = self.sides().map(Arc::clone);
        let probing = Arc::new(Probing {
            condition: self.condition.clone(),
            keeps: self.kind != JoinType::Inner,
            places: self.places.clone(),
            schema: self.schema.clone(),
        });
        let (built, geometry) = (self.built.clone(), self.places.build.clone());
        let rows = probe.execute(partition, context.clone())?;
        let joined = futures::stream::once(async move {
            built.get_or_try_init(|| take_whole(build, geometry, context)).await?;
            let batches = rows.map(move |batch| {
                let built = built.get().ok_or_else(|| DataFusionError::Internal("a side is missing".into()))?;
                let found = probing.join(built, &batch?)?;
                Ok::<_, DataFusionError>(futures::stream::iter(found.into_iter().map(Ok)))
            });
            Ok::<_, DataFusionError>(batches.try_flatten())
        });
        Ok(Box::pin(RecordBatchStreamAdapter::new(self.schema.clone(), joined.try_flatten())))
    }
}

async fn take_whole(
    side: Arc<dyn ExecutionPlan>,
    geometry: Arc<dyn PhysicalExpr>,
    context: Arc<TaskContext>,
) -> Result<Built> {
    let schema = side.schema();
    let held = MemoryConsumer::new("the indexed side of a join by places").register(context.memory_pool());
    let mut batches = Vec::new();
    let mut rows = execute_stream(side, context)?;
    while let Some(batch) = rows.next().await {
        let batch = batch?;
        held.try_grow(batch.get_array_memory_size())?;
        batches.push(batch);
    }
    let rows = concat_batches(&schema, &batches)?;
    if u32::try_from(rows.num_rows()).is_err() {
        let what = format!("{} rows are too many for an index; put the larger side first", rows.num_rows());
        return Err(Error::Call { function: "JOIN", what }.into());
    }
    let column = geometry.evaluate(&rows)?.into_array(rows.num_rows())?;
    Ok(Built { index: PlaceIndex::of(&bounds_of(&column)?), geometry: column, rows, _held: held })
}

/// Bytes of the geometry of a row.
fn bytes_of(column: &ArrayRef, row: usize) -> usize {
    match column.data_type() {
        DataType::Binary => column.as_binary::<i32>().value(row).len(),
        DataType::LargeBinary => column.as_binary::<i64>().value(row).len(),
        DataType::BinaryView => column.as_binary_view().value(row).len(),
        // Points as GeoArrow has them.
        _ => 3 * size_of::<f64>(),
    }
}

/// What is done to the rows that go by.
struct Probing {
    condition: JoinFilter,
    /// Whether rows that find no others stay.
    keeps: bool,
    places: Places,
    schema: SchemaRef,
}

impl Probing {
    fn join(&self, built: &Built, batch: &RecordBatch) -> Result<Vec<RecordBatch>> {
        let column = self.places.probe.evaluate(batch)?.into_array(batch.num_rows())?;
        if let Some(nearest) = &self.places.nearest {
            return self.nearest(built, batch, &column, nearest);
        }
        let bounds = bounds_of(&column)?;
        let mut out = Vec::new();
        let mut has_found = vec![false; batch.num_rows()];
        let (mut of_build, mut of_probe): (Vec<u32>, Vec<u32>) = (Vec::new(), Vec::new());
        let mut near = Vec::new();
        let mut bytes = 0;
        for (row, around) in bounds.iter().enumerate() {
            let Some(around) = around else { continue };
            built.index.meeting(*around, &mut near);
            let own = bytes_of(&column, row);
            for other in &near {
                of_build.push(*other);
                of_probe.push(row as u32);
                bytes += own + bytes_of(&built.geometry, *other as usize);
                if of_build.len() >= PAIRS || bytes >= BYTES {
                    out.extend(self.tried(built, batch, &mut of_build, &mut of_probe, &mut has_found)?);
                    bytes = 0;
                }
            }
        }
        out.extend(self.tried(built, batch, &mut of_build, &mut of_probe, &mut has_found)?);
        if self.keeps {
            let alone: Vec<u32> = (0..batch.num_rows() as u32).filter(|row| !has_found[*row as usize]).collect();
            if !alone.is_empty() {
                let none = UInt32Array::new_null(alone.len());
                out.push(self.pairs(built, batch, &none, &UInt32Array::from(alone))?);
            }
        }
        Ok(out)
    }

    /// The rows with the nearest of the other side, nearest first.
    fn nearest(
        &self,
        built: &Built,
        batch: &RecordBatch,
        column: &ArrayRef,
        told: &Nearest,
    ) -> Result<Vec<RecordBatch>> {
        let broken = |what: String| DataFusionError::from(Error::Call { function: "nearest", what });
        let measure = in_system(told.system.as_deref())?;
        let in_degrees = match &told.system {
            Some(system) => systems::find(system)?.is_geographic(),
            None => false,
        };
        let here = GeometryColumn::of(column).map_err(broken)?;
        let there = GeometryColumn::of(&built.geometry).map_err(broken)?;
        let (mut of_build, mut of_probe): (Vec<Option<u32>>, Vec<u32>) = (Vec::new(), Vec::new());
        let mut near = Vec::new();
        for row in 0..batch.num_rows() {
            let geometry = here.get(row).map_err(broken)?;
            let Some((geometry, bounds)) = geometry.and_then(|g| Some((g.clone(), g.bounds()?))) else {
                if self.keeps {
                    of_build.push(None);
                    of_probe.push(row as u32);
                }
                continue;
            };
            let mut found: Vec<(f64, u32)> = Vec::new();
            for around in within_reach(bounds, told.most, in_degrees) {
                built.index.meeting(around, &mut near);
                for other in &near {
                    let Some(shape) = there.get(*other as usize).map_err(broken)? else { continue };
                    let distance = measure.distance(&geometry, &shape).filter(|d| *d <= told.most);
                    found.extend(distance.map(|d| (d, *other)));
                }
            }
            // What is found across the 180° meridian may be found on both sides of it.
            found.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            found.dedup_by_key(|f| f.1);
            found.truncate(told.count);
            if found.is_empty() && self.keeps {
                of_build.push(None);
                of_probe.push(row as u32);
            }
            of_build.extend(found.iter().map(|f| Some(f.1)));
            of_probe.extend(std::iter::repeat_n(row as u32, found.len()));
        }
        if of_probe.is_empty() {
            return Ok(Vec::new());
        }
        Ok(vec![self.pairs(built, batch, &UInt32Array::from(of_build), &UInt32Array::from(of_probe))?])
    }

    /// The pairs for which the condition holds; they are taken out of the lists.
    fn tried(
        &self,
        built: &Built,
        batch: &RecordBatch,
        of_build: &mut Vec<u32>,
        of_probe: &mut Vec<u32>,
        has_found: &mut [bool],
    ) -> Result<Option<RecordBatch>> {
        if of_build.is_empty() {
            return Ok(None);
        }
        // Those of an area together, so that it is read once.
        let mut together: Vec<(u32, u32)> = of_build.drain(..).zip(of_probe.drain(..)).collect();
        together.sort_unstable();
        let (of_build, of_probe): (Vec<u32>, Vec<u32>) = together.into_iter().unzip();
        let (of_build, of_probe) = (UInt32Array::from(of_build), UInt32Array::from(of_probe));
        let columns = self.condition.column_indices().iter().map(|c| {
            let is_build = (c.side == JoinSide::Left) == self.places.build_is_left;
            let (rows, places) = if is_build { (&built.rows, &of_build) } else { (batch, &of_probe) };
            Ok(take(rows.column(c.index), places, None)?)
        });
        let columns = columns.collect::<Result<Vec<ArrayRef>>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(of_build.len()));
        let pairs = RecordBatch::try_new_with_options(self.condition.schema().clone(), columns, &options)?;
        let holds = self.condition.expression().evaluate(&pairs)?.into_array(of_build.len())?;
        let holds = holds.as_boolean();
        let kept = |places: &UInt32Array| -> Result<UInt32Array> {
            Ok(filter(places, holds)?.as_primitive::<UInt32Type>().clone())
        };
        let (of_build, of_probe) = (kept(&of_build)?, kept(&of_probe)?);
        of_probe.values().iter().for_each(|row| has_found[*row as usize] = true);
        if of_build.is_empty() {
            return Ok(None);
        }
        self.pairs(built, batch, &of_build, &of_probe).map(Some)
    }

    /// The rows of pairs, the left side first.
    fn pairs(
        &self,
        built: &Built,
        batch: &RecordBatch,
        of_build: &UInt32Array,
        of_probe: &UInt32Array,
    ) -> Result<RecordBatch> {
        let taken = |rows: &RecordBatch, places: &UInt32Array| {
            rows.columns().iter().map(|c| Ok(take(c, places, None)?)).collect::<Result<Vec<ArrayRef>>>()
        };
        let (build, probe) = (taken(&built.rows, of_build)?, taken(batch, of_probe)?);
        let columns = if self.places.build_is_left { [build, probe].concat() } else { [probe, build].concat() };
        let options = RecordBatchOptions::new().with_row_count(Some(of_probe.len()));
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?)
    }
}
