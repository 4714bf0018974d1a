//! The engine's own formats know no geometries: a file of them would have lost its system where nobody sees it.

use crate::Error;
use datafusion::common::Result;
use datafusion::common::config::ConfigOptions;
use datafusion::common::tree_node::{TreeNode, TreeNodeRecursion};
use datafusion::datasource::file_format::csv::CsvSink;
use datafusion::datasource::file_format::json::JsonSink;
use datafusion::datasource::file_format::parquet::ParquetSink;
use datafusion::datasource::sink::{DataSink, DataSinkExec};
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::ExecutionPlan;
use std::sync::Arc;

/// The rule: geometries are written in formats that know them.
#[derive(Debug)]
pub struct PlainFormatRule;

impl PhysicalOptimizerRule for PlainFormatRule {
    fn optimize(&self, plan: Arc<dyn ExecutionPlan>, _: &ConfigOptions) -> Result<Arc<dyn ExecutionPlan>> {
        plan.apply(|part| {
            if let Some(sink) = part.downcast_ref::<DataSinkExec>() {
                refuse_geometry(sink)?;
            }
            Ok(TreeNodeRecursion::Continue)
        })?;
        Ok(plan)
    }

    fn name(&self) -> &str {
        "PlainFormatRule"
    }

    fn schema_check(&self) -> bool {
        true
    }
}

/// Whether rows go to files of the engine's own formats; tables in memory keep what fields say.
fn is_plain(sink: &dyn DataSink) -> bool {
    sink.is::<ParquetSink>() || sink.is::<CsvSink>() || sink.is::<JsonSink>()
}

fn refuse_geometry(sink: &DataSinkExec) -> Result<()> {
    if !is_plain(sink.sink()) {
        return Ok(());
    }
    let schema = sink.input().schema();
    let Some(field) = basilocus::table::geometry_index(&schema).map(|at| schema.field(at)) else { return Ok(()) };
    let what = format!(
        "column {} holds geometries, which PARQUET, CSV and JSON do not know: write STORED AS GEOPARQUET, DELIMITED, or another format \
         with geometries; or its bytes or text, with ST_AsBinary or ST_AsText, as they are",
        field.name()
    );
    Err(Error::Call { function: "COPY", what }.into())
}
