//! Before a query begins, every executor is asked whether it has the address references that the query means: one with another
//! version would be found by its first work only, when others have done theirs.

use super::reference_service::PATH;
use crate::Error;
use crate::functions::scalar::Scalar;
use ballista_scheduler::cluster::ClusterState;
use datafusion::catalog::Session;
use datafusion::common::Result;
use datafusion::common::tree_node::{TreeNode, TreeNodeRecursion};
use datafusion::execution::context::QueryPlanner;
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::{Expr, LogicalPlan};
use datafusion::physical_plan::ExecutionPlan;
use std::collections::BTreeSet;
use std::fmt;
use std::sync::Arc;
use std::time::Duration;

/// An executor that does not answer at all within this is lost, which the scheduler finds by itself.
const TO_CONNECT: Duration = Duration::from_secs(5);
/// A reference may have to be fetched from far away.
const TO_ANSWER: Duration = Duration::from_secs(600);

/// Plans queries as the engine does, once all executors have what they mean.
pub(super) struct AskingPlanner {
    planner: Arc<dyn QueryPlanner + Send + Sync>,
    cluster: Arc<dyn ClusterState>,
}

impl AskingPlanner {
    pub(super) fn around(planner: Arc<dyn QueryPlanner + Send + Sync>, cluster: Arc<dyn ClusterState>) -> Self {
        AskingPlanner { planner, cluster }
    }
}

impl fmt::Debug for AskingPlanner {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "AskingPlanner around {:?}", self.planner)
    }
}

#[async_trait::async_trait]
impl QueryPlanner for AskingPlanner {
    async fn create_physical_plan(&self, plan: &LogicalPlan, session: &dyn Session) -> Result<Arc<dyn ExecutionPlan>> {
        let references = references_of(plan)?;
        if !references.is_empty() {
            let executors = self.cluster.registered_executor_metadata().await;
            let asked = executors.iter().flat_map(|executor| {
                let address = format!("{}:{}", executor.host, executor.port);
                references.iter().map(move |reference| ask(address.clone(), reference.clone()))
            });
            futures::future::try_join_all(asked).await?;
        }
        self.planner.create_physical_plan(plan, session).await
    }
}

/// The references that a plan names, with their sums.
fn references_of(plan: &LogicalPlan) -> Result<BTreeSet<String>> {
    let mut found = BTreeSet::new();
    plan.apply_with_subqueries(|part| {
        part.apply_expressions(|expression| {
            expression.apply(|e| {
                if let Expr::ScalarFunction(ScalarFunction { func, args }) = e
                    && let Some(ours) = func.inner().downcast_ref::<Scalar>()
                {
                    found.extend(ours.references(args));
                }
                Ok(TreeNodeRecursion::Continue)
            })
        })
    })?;
    Ok(found)
}

/// Asks an executor.
///
/// # Errors
/// [`Error::Executor`] where it has another reference, or none.
async fn ask(address: String, reference: String) -> Result<(), Error> {
    let url = format!("http://{address}{PATH}");
    let agent: ureq::Agent = ureq::Agent::config_builder()
        .http_status_as_error(false)
        .timeout_connect(Some(TO_CONNECT))
        .timeout_global(Some(TO_ANSWER))
        .build()
        .into();
    let answer = tokio::task::spawn_blocking(move || {
        let mut answer = agent.get(url).query("reference", reference).call().ok()?;
        let says_no = answer.status() == 409;
        answer.body_mut().read_to_string().ok().filter(|_| says_no)
    });
    match answer.await {
        Ok(Some(what)) => Err(Error::Executor { address, what }),
        // Whoever does not answer is not told from one that was lost; it looks again when it gets work.
        _ => Ok(()),
    }
}
