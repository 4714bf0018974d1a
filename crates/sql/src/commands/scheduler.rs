//! `scheduler`: plans queries and gives out their parts.

use clap::Args;
use std::net::SocketAddr;
use std::time::Duration;

#[derive(Debug, Args)]
pub(crate) struct Arguments {
    /// Where it listens
    #[arg(long, value_name = "ADDRESS:PORT", default_value = "127.0.0.1:50050")]
    listen: SocketAddr,
    /// Seconds without a word after which an executor is given up, and its parts are done by others
    #[arg(long, value_name = "SECONDS", default_value_t = 60)]
    lost_after: u64,
}

pub(crate) async fn run(arguments: Arguments) -> anyhow::Result<()> {
    eprintln!("scheduler: listens on {}", arguments.listen);
    let lost_after = Duration::from_secs(arguments.lost_after);
    tokio::select! {
        ended = basilocus_sql::cluster::scheduler::run(arguments.listen, lost_after) => Ok(ended?),
        _ = tokio::signal::ctrl_c() => Ok(()),
    }
}
