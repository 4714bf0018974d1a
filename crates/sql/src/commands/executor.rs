//! `executor`: does parts of queries.

use basilocus_sql::cluster::executor::{self, ExecutorOptions};
use clap::Args;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::time::Duration;

#[derive(Debug, Args)]
pub(crate) struct Arguments {
    /// The scheduler
    #[arg(long, value_name = "HOST:PORT", default_value = "127.0.0.1:50050", value_parser = scheduler_address)]
    scheduler: (String, u16),
    /// Where it listens for those that fetch what it made; the scheduler calls it at the next port
    #[arg(long, value_name = "ADDRESS:PORT", default_value = "127.0.0.1:50051")]
    listen: SocketAddr,
    /// Parts that are done at once; as many as there are cores unless said
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
    /// Folder for what goes from part to part
    #[arg(long, value_name = "DIR")]
    work_folder: PathBuf,
    /// Seconds between two words to the scheduler
    #[arg(long, value_name = "SECONDS", default_value_t = 10)]
    heartbeat: u64,
    /// Megabytes that its parts may hold before they go to disk; most of the machine's unless said
    #[arg(long, value_name = "MB")]
    memory: Option<u64>,
}

/// `HOST:PORT`
pub(crate) fn scheduler_address(text: &str) -> Result<(String, u16), String> {
    let (host, port) = text.rsplit_once(':').ok_or("HOST:PORT is expected")?;
    let port = port.parse().map_err(|_| format!("\"{port}\" is no port"))?;
    Ok((host.to_string(), port))
}

pub(crate) async fn run(arguments: Arguments) -> anyhow::Result<()> {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    std::fs::create_dir_all(&arguments.work_folder)
        .map_err(|e| anyhow::anyhow!("{}: {e}", arguments.work_folder.display()))?;
    eprintln!("executor: listens on {}", arguments.listen);
    let options = ExecutorOptions {
        address: arguments.listen,
        scheduler: arguments.scheduler,
        threads: arguments.threads.map_or(cores, usize::from),
        work_folder: arguments.work_folder,
        heartbeat: Duration::from_secs(arguments.heartbeat),
        memory: arguments.memory.map(|mb| mb << 20),
    };
    Ok(executor::run(options).await?)
}
