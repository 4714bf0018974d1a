//! Sends queries to a scheduler.

use super::session;
use crate::ledger::{Entry, SessionLedger};
use crate::{Error, Running};
use ballista::prelude::SessionContextExt;
use ballista_core::execution_plans::DistributedQueryExec;
use ballista_core::serde::protobuf::GetJobMetricsParams;
use ballista_core::serde::protobuf::operator_metric::Metric;
use ballista_core::serde::protobuf::scheduler_grpc_client::SchedulerGrpcClient;
use ballista_core::utils::create_grpc_client_endpoint;
use datafusion::common::tree_node::{TreeNode, TreeNodeRecursion};
use datafusion::common::{DataFusionError, Result};
use datafusion::prelude::SessionContext;
use datafusion_proto::protobuf::LogicalPlanNode;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A session whose queries a scheduler plans and executors do. Files are those that all of them find under the same path.
///
/// # Errors
/// [`Error::Call`] where nobody answers there.
pub async fn connect(host: &str, port: u16) -> Result<(SessionContext, Arc<SessionLedger>)> {
    if let Err(e) = tokio::net::TcpStream::connect((host, port)).await {
        let what = format!("no scheduler answers at {host}:{port} ({e}); `basilocus-sql scheduler` starts one");
        return Err(Error::Call { function: "submit", what }.into());
    }
    let state = session::state(session::config())?;
    let context = SessionContext::remote_with_state(&format!("df://{host}:{port}"), state).await?;
    let ledger = crate::register(&context)?;
    Ok((context, ledger))
}

/// What became of the rows of a query whose rows were all taken, on all executors: only work that counts, not what was done in
/// vain where an executor was lost.
///
/// # Errors
/// Where the scheduler does not answer any more.
pub async fn ledger(running: &Running, host: &str, port: u16) -> Result<BTreeMap<Entry, u64>> {
    let mut job = None;
    running.plan().apply(|part| {
        if let Some(query) = part.downcast_ref::<DistributedQueryExec<LogicalPlanNode>>() {
            job = query.job_id();
        }
        Ok(TreeNodeRecursion::Continue)
    })?;
    let mut entries = BTreeMap::new();
    // A query of nothing but what the session knows is done here.
    let Some(job) = job else { return Ok(entries) };
    let broken = |e: String| DataFusionError::from(Error::Call { function: "ledger", what: e });
    let endpoint =
        create_grpc_client_endpoint(format!("http://{host}:{port}"), None).map_err(|e| broken(e.to_string()))?;
    let channel = endpoint.connect().await.map_err(|e| broken(e.to_string()))?;
    let mut scheduler = SchedulerGrpcClient::new(channel).max_decoding_message_size(64 << 20);
    let asked = GetJobMetricsParams { job_id: job.to_string() };
    let answer = scheduler.get_job_metrics(asked).await.map_err(|e| broken(e.to_string()))?.into_inner();
    for operator in answer.stages.into_iter().flat_map(|stage| stage.operators) {
        for metric in operator.metrics {
            let partition = metric.partition.map(|p| p as usize);
            if let Some(Metric::Count(count)) = metric.metric
                && let Some(entry) = Entry::of_metric(&count.name, partition)
            {
                *entries.entry(entry).or_default() += count.value;
            }
        }
    }
    Ok(entries)
}
