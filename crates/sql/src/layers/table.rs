//! A layer as the engine's planner knows it.

use super::{LayerScan, LayerSource};
use crate::Error;
use async_trait::async_trait;
use datafusion::arrow::datatypes::SchemaRef;
use datafusion::catalog::{Session, TableProvider};
use datafusion::common::Result;
use datafusion::logical_expr::{Expr, TableType};
use datafusion::physical_plan::ExecutionPlan;
use std::sync::Arc;

/// A table of the rows of files.
#[derive(Debug)]
pub struct LayerTable {
    source: Arc<LayerSource>,
    schema: SchemaRef,
}

impl LayerTable {
    /// The table of files that were looked at.
    ///
    /// # Errors
    /// [`Error::Call`] for a plan that was damaged on its way.
    pub fn of(source: LayerSource) -> Result<Self, Error> {
        Ok(LayerTable { schema: source.schema()?, source: Arc::new(source) })
    }

    /// What it reads.
    pub fn source(&self) -> &LayerSource {
        &self.source
    }
}

#[async_trait]
impl TableProvider for LayerTable {
    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn table_type(&self) -> TableType {
        TableType::Base
    }

    async fn scan(
        &self,
        _: &dyn Session,
        projection: Option<&Vec<usize>>,
        _: &[Expr],
        limit: Option<usize>,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        Ok(Arc::new(LayerScan::new(self.source.clone(), projection.cloned(), limit)?))
    }
}
