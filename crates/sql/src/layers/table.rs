//! A layer as the engine's planner knows it.

use super::extent_filter::{extent_of, extent_of_all};
use super::{LayerScan, LayerSource};
use crate::Error;
use async_trait::async_trait;
use datafusion::arrow::datatypes::SchemaRef;
use datafusion::catalog::{Session, TableProvider};
use datafusion::common::Result;
use datafusion::logical_expr::{Expr, TableProviderFilterPushDown, TableType};
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

    /// The name of its geometry.
    fn geometry(&self) -> Option<&str> {
        let at = basilocus::table::geometry_index(&self.schema)?;
        Some(self.schema.field(at).name())
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
        filters: &[Expr],
        limit: Option<usize>,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        let extent = self.geometry().and_then(|name| extent_of_all(filters, name));
        Ok(Arc::new(LayerScan::new(self.source.clone(), projection.cloned(), limit, extent)?))
    }

    /// Conditions about places, which the engine decides all the same.
    fn supports_filters_pushdown(&self, filters: &[&Expr]) -> Result<Vec<TableProviderFilterPushDown>> {
        let is_ours = |f: &&Expr| self.geometry().is_some_and(|name| extent_of(f, name).is_some());
        let answer = |ours: bool| match ours {
            true => TableProviderFilterPushDown::Inexact,
            false => TableProviderFilterPushDown::Unsupported,
        };
        Ok(filters.iter().map(|f| answer(is_ours(f))).collect())
    }
}
