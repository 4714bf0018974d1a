//! Keeps an account around a part of a plan.

use super::account::{self, Account};
use datafusion::arrow::array::RecordBatch;
use datafusion::arrow::datatypes::SchemaRef;
use datafusion::common::Result;
use datafusion::common::tree_node::TreeNodeRecursion;
use datafusion::execution::{RecordBatchStream, SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::PhysicalExpr;
use datafusion::physical_plan::metrics::{ExecutionPlanMetricsSet, MetricBuilder, MetricsSet};
use datafusion::physical_plan::{DisplayAs, DisplayFormatType, ExecutionPlan, PlanProperties};
use futures::Stream;
use std::fmt;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll};

/// A part of a plan whose functions count their rows. The rows themselves go through as they are.
#[derive(Debug)]
pub struct AccountPlan {
    input: Arc<dyn ExecutionPlan>,
    metrics: ExecutionPlanMetricsSet,
}

impl AccountPlan {
    /// Around a part of a plan.
    pub fn around(input: Arc<dyn ExecutionPlan>) -> Self {
        AccountPlan { input, metrics: ExecutionPlanMetricsSet::new() }
    }
}

impl DisplayAs for AccountPlan {
    fn fmt_as(&self, _: DisplayFormatType, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("AccountPlan")
    }
}

impl ExecutionPlan for AccountPlan {
    fn name(&self) -> &str {
        "AccountPlan"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        self.input.properties()
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.input]
    }

    fn maintains_input_order(&self) -> Vec<bool> {
        vec![true]
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
        Ok(Arc::new(AccountPlan::around(children[0].clone())))
    }

    fn execute(&self, partition: usize, context: Arc<TaskContext>) -> Result<SendableRecordBatchStream> {
        let account = Arc::new(Account::default());
        // Parts of a plan may begin to work when they are asked for their rows.
        let input = account::with(&account, || self.input.execute(partition, context))?;
        Ok(Box::pin(Accounted { input, account, metrics: self.metrics.clone(), partition }))
    }

    fn metrics(&self) -> Option<MetricsSet> {
        Some(self.metrics.clone_inner())
    }
}

/// Rows with their account.
struct Accounted {
    input: SendableRecordBatchStream,
    account: Arc<Account>,
    metrics: ExecutionPlanMetricsSet,
    partition: usize,
}

impl Accounted {
    /// Brings what was counted so far into the metrics.
    fn tell(&self) {
        for ((function, counted), rows) in self.account.take() {
            MetricBuilder::new(&self.metrics).counter(counted.metric(function), self.partition).add(rows);
        }
    }
}

impl Drop for Accounted {
    /// Who needs no more rows does not wait for the end of them.
    fn drop(&mut self) {
        self.tell();
    }
}

impl Stream for Accounted {
    type Item = Result<RecordBatch>;

    fn poll_next(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<Self::Item>> {
        let this = &mut *self;
        let account = this.account.clone();
        let polled = account::with(&account, || Pin::new(&mut this.input).poll_next(context));
        if matches!(polled, Poll::Ready(None)) {
            this.tell();
        }
        polled
    }
}

impl RecordBatchStream for Accounted {
    fn schema(&self) -> SchemaRef {
        self.input.schema()
    }
}
