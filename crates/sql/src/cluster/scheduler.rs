//! The process that plans queries and gives out their parts.

use super::session;
use super::{LogicalCodec, PhysicalCodec};
use ballista_core::error::BallistaError;
use ballista_scheduler::cluster::BallistaCluster;
use ballista_scheduler::config::SchedulerConfig;
use ballista_scheduler::scheduler_process::start_server;
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
    config.override_session_builder = Some(Arc::new(session::state));
    config.override_logical_codec = Some(Arc::new(LogicalCodec::default()));
    config.override_physical_codec = Some(Arc::new(PhysicalCodec::default()));
    config.executor_timeout_seconds = lost_after.as_secs().max(1);
    config.expire_dead_executor_interval_seconds = (lost_after.as_secs() / 3).max(1);
    config.no_executors_grace_period_seconds = lost_after.as_secs().max(1);
    let cluster = BallistaCluster::new_from_config(&config).await?;
    start_server(cluster, address, Arc::new(config)).await
}
