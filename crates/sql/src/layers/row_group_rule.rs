//! Passes over the row groups of GeoParquet files in which nothing can meet a condition about places.

use super::covering::Covering;
use super::extent_filter::extent_of_literal;
use crate::functions::scalar::Scalar;
use datafusion::common::config::ConfigOptions;
use datafusion::common::tree_node::{Transformed, TransformedResult, TreeNode};
use datafusion::common::{Result, Statistics};
use datafusion::datasource::listing::{FileRange, PartitionedFile};
use datafusion::datasource::physical_plan::{FileGroup, FileScanConfig, FileScanConfigBuilder, ParquetSource};
use datafusion::datasource::source::DataSourceExec;
use datafusion::object_store::local::LocalFileSystem;
use datafusion::physical_expr::expressions::{Column, Literal};
use datafusion::physical_expr::utils::split_conjunction;
use datafusion::physical_expr::{PhysicalExpr, ScalarFunctionExpr};
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_plan::execution_plan::{ChildrenPropertiesMode, ReplaceChildrenOptions};
use datafusion::physical_plan::filter::FilterExec;
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::Arc;

/// The rule. What is left of a file is said as ranges of its bytes, which travel with the plan; the condition itself stays.
#[derive(Debug)]
pub struct RowGroupRule;

impl PhysicalOptimizerRule for RowGroupRule {
    fn optimize(&self, plan: Arc<dyn ExecutionPlan>, options: &ConfigOptions) -> Result<Arc<dyn ExecutionPlan>> {
        let partitions = options.execution.target_partitions;
        let narrowed = |part: Arc<dyn ExecutionPlan>| {
            let Some(filter) = part.downcast_ref::<FilterExec>() else { return Ok(Transformed::no(part)) };
            let places = extents(filter.predicate());
            match narrower(filter.input(), &places, partitions) {
                Some(scan) => Ok(Transformed::yes(
                    part.replace_children(vec![scan], ReplaceChildrenOptions::new(ChildrenPropertiesMode::Recompute))?,
                )),
                _ => Ok(Transformed::no(part)),
            }
        };
        plan.transform_up(narrowed).data()
    }

    fn name(&self) -> &str {
        "RowGroupRule"
    }

    fn schema_check(&self) -> bool {
        true
    }
}

/// Which rectangle a condition leaves of each column of geometries: west, south, east, north.
fn extents(condition: &Arc<dyn PhysicalExpr>) -> BTreeMap<String, [f64; 4]> {
    let mut out: BTreeMap<String, [f64; 4]> = BTreeMap::new();
    for part in split_conjunction(condition) {
        let Some((column, extent)) = extent(part) else { continue };
        let known = out.entry(column).or_insert(extent);
        *known = [known[0].max(extent[0]), known[1].max(extent[1]), known[2].min(extent[2]), known[3].min(extent[3])];
    }
    out
}

fn extent(condition: &Arc<dyn PhysicalExpr>) -> Option<(String, [f64; 4])> {
    let call = condition.downcast_ref::<ScalarFunctionExpr>()?;
    let function = call.fun().inner().downcast_ref::<Scalar>()?.function();
    let [a, b] = call.args() else { return None };
    let (column, literal) = match (a.downcast_ref::<Column>(), b.downcast_ref::<Column>()) {
        (Some(column), None) => (column, b.downcast_ref::<Literal>()?),
        (None, Some(column)) => (column, a.downcast_ref::<Literal>()?),
        _ => return None,
    };
    Some((column.name().to_string(), extent_of_literal(function, literal.value())?))
}

/// The same files without the row groups that lie elsewhere; `None` where all are needed or nothing is known of them.
fn narrower(
    scan: &Arc<dyn ExecutionPlan>,
    places: &BTreeMap<String, [f64; 4]>,
    partitions: usize,
) -> Option<Arc<dyn ExecutionPlan>> {
    let (config, _) = scan.downcast_ref::<DataSourceExec>()?.downcast_to_file_source::<ParquetSource>()?;
    if config.object_store_url.as_str() != "file:///" || config.limit.is_some() {
        return None;
    }
    let groups = config.file_groups.iter().map(|group| group.iter().map(|file| left_of(file, places)).collect());
    let groups: Vec<Vec<Option<Vec<PartitionedFile>>>> = groups.collect();
    if groups.iter().flatten().all(Option::is_none) {
        return None;
    }
    let left = config.file_groups.iter().zip(groups).map(|(files, found)| {
        let parts =
            files.iter().zip(found).flat_map(|(file, parts)| parts.unwrap_or_else(|| vec![without_statistics(file)]));
        parts.collect::<Vec<_>>()
    });
    Some(DataSourceExec::from_data_source(with_files(config, left.collect(), partitions)))
}

/// A scan of other parts of its files, in as many partitions as before, or as are asked for.
fn with_files(config: &FileScanConfig, left: Vec<Vec<PartitionedFile>>, partitions: usize) -> FileScanConfig {
    let is_ordered = config.preserve_order || !config.output_ordering.is_empty();
    let groups: Vec<FileGroup> = if is_ordered || left.len() >= partitions {
        left.into_iter().map(FileGroup::new).collect()
    } else {
        // Files that are read in parts are not divided any further later.
        let mut dealt = vec![Vec::new(); partitions];
        left.into_iter().flatten().enumerate().for_each(|(at, file)| dealt[at % partitions].push(file));
        let first = dealt.remove(0);
        let rest = dealt.into_iter().filter(|files| !files.is_empty());
        [first].into_iter().chain(rest).map(FileGroup::new).collect()
    };
    let unknown = Statistics::new_unknown(config.file_source.table_schema().table_schema());
    FileScanConfigBuilder::from(config.clone()).with_file_groups(groups).with_statistics(unknown).build()
}

/// The row groups of a file that may hold what is looked for; `None` where it is read as before.
fn left_of(file: &PartitionedFile, places: &BTreeMap<String, [f64; 4]>) -> Option<Vec<PartitionedFile>> {
    if file.range.is_some() {
        return None;
    }
    let path: PathBuf = LocalFileSystem::new().path_to_filesystem(file.path()).ok()?;
    let coverings = places.iter().filter_map(|(column, extent)| Some((Covering::of(&path, column)?, extent)));
    let coverings: Vec<(Covering, &[f64; 4])> = coverings.collect();
    let (first, _) = coverings.first()?;
    let needed = |at: &usize| coverings.iter().all(|(covering, extent)| covering.may_meet(*at, extent));
    if (0..first.len()).all(|at| needed(&at)) {
        return None;
    }
    // Empty groups may begin where others do: a place that was named twice would be read twice.
    let starts: BTreeSet<i64> = (0..first.len()).filter(needed).map(|at| first.start(at)).collect();
    let part =
        |start: i64| PartitionedFile { range: Some(FileRange { start, end: start + 1 }), ..without_statistics(file) };
    Some(starts.into_iter().map(part).collect())
}

/// What is known of a whole file is not true of its parts.
fn without_statistics(file: &PartitionedFile) -> PartitionedFile {
    PartitionedFile { statistics: None, ..file.clone() }
}
