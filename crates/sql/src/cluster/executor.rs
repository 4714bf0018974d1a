//! The process that does the parts of queries.

use super::{LogicalCodec, PhysicalCodec, reference_service, session};
use ballista_core::error::BallistaError;
use ballista_core::registry::BallistaFunctionRegistry;
use ballista_executor::executor_process::{ExecutorProcessConfig, start_executor_process};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

/// How an executor is run.
#[derive(Debug, Clone)]
pub struct ExecutorOptions {
    /// Where it listens for those that fetch what it made; the next port is for the scheduler.
    pub address: SocketAddr,
    /// Host and port of the scheduler.
    pub scheduler: (String, u16),
    /// Parts that are done at once.
    pub threads: usize,
    /// Folder for what goes from part to part.
    pub work_folder: PathBuf,
    /// How often it says that it is there.
    pub heartbeat: Duration,
    /// Bytes that its parts may hold before they go to disk; without it, most of the machine's.
    pub memory: Option<u64>,
}

/// Runs an executor until it is told to end, or a signal comes.
///
/// # Errors
/// Where the scheduler is not found, or it cannot listen.
pub async fn run(options: ExecutorOptions) -> Result<(), BallistaError> {
    let state = session::state(session::config())?;
    let ExecutorOptions { address, scheduler, threads, work_folder, heartbeat, memory } = options;
    let usual = ExecutorProcessConfig::default();
    let (leaving, coming) = (usual.grpc_max_encoding_message_size, usual.grpc_max_decoding_message_size);
    let config = ExecutorProcessConfig {
        bind_host: address.ip().to_string(),
        external_host: Some(address.ip().to_string()),
        port: address.port(),
        grpc_port: address.port() + 1,
        scheduler_host: scheduler.0,
        scheduler_port: scheduler.1,
        scheduler_connect_timeout_seconds: 10,
        vcores: threads,
        work_dir: Some(work_folder.to_string_lossy().into_owned()),
        executor_heartbeat_interval_seconds: heartbeat.as_secs().max(1),
        memory_pool_size: memory,
        override_function_registry: Some(Arc::new(BallistaFunctionRegistry::from(&state))),
        override_config_producer: Some(Arc::new(session::config)),
        override_logical_codec: Some(Arc::new(LogicalCodec::default())),
        override_physical_codec: Some(Arc::new(PhysicalCodec::default())),
        override_arrow_flight_service: Some(reference_service::provider(leaving as usize, coming as usize)),
        ..usual
    };
    start_executor_process(Arc::new(config)).await
}
