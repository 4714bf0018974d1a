//! The process that plans queries and gives out their parts.

use super::same_references::AskingPlanner;
use super::{LogicalCodec, PhysicalCodec, session};
use ballista_core::error::BallistaError;
use ballista_scheduler::cluster::memory::InMemoryClusterState;
use ballista_scheduler::cluster::{BallistaCluster, ClusterState};
use ballista_scheduler::config::SchedulerConfig;
use ballista_scheduler::scheduler_process::start_server;
use ballista_scheduler::scheduler_server::SessionBuilder;
use datafusion::execution::session_state::SessionStateBuilder;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

/// Runs a scheduler until the process ends.
///
/// An executor that has not been heard of for `lost_after` is given up, and its parts are done by others.
///
/// # Errors
/// Where it cannot listen there.
pub async fn run(address: SocketAddr, lost_after: Duration) -> Result<(), BallistaError> {
    let mut config = SchedulerConfig::default().with_hostname(address.ip().to_string()).with_port(address.port());
    config.bind_host = address.ip().to_string();
    config.override_config_producer = Some(Arc::new(session::config));
    let executors = Arc::new(InMemoryClusterState::default());
    config.override_session_builder = Some(session_builder(executors.clone()));
    config.override_logical_codec = Some(Arc::new(LogicalCodec::default()));
    config.override_physical_codec = Some(Arc::new(PhysicalCodec::default()));
    config.executor_timeout_seconds = lost_after.as_secs().max(1);
    config.expire_dead_executor_interval_seconds = (lost_after.as_secs() / 3).max(1);
    config.no_executors_grace_period_seconds = lost_after.as_secs().max(1);
    let cluster = BallistaCluster::new_from_config(&config).await?;
    let cluster = BallistaCluster::new(executors, cluster.job_state());
    start_server(cluster, address, Arc::new(config)).await
}

/// Sessions whose queries begin once all executors have the references that are meant.
fn session_builder(executors: Arc<dyn ClusterState>) -> SessionBuilder {
    Arc::new(move |config| {
        let state = session::state(config)?;
        let planner = AskingPlanner::around(state.query_planner().clone(), executors.clone());
        Ok(SessionStateBuilder::new_from_existing(state).with_query_planner(Arc::new(planner)).build())
    })
}
