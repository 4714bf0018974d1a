//! `submit`: on a cluster.

use super::answer::{Question, answer};
use super::executor::scheduler_address;
use clap::Args;

#[derive(Debug, Args)]
pub(crate) struct Arguments {
    #[command(flatten)]
    question: Question,
    /// The scheduler
    #[arg(long, value_name = "HOST:PORT", default_value = "127.0.0.1:50050", value_parser = scheduler_address)]
    scheduler: (String, u16),
}

pub(crate) async fn run(arguments: Arguments) -> anyhow::Result<()> {
    let (host, port) = &arguments.scheduler;
    let (context, ledger) = basilocus_sql::cluster::client::connect(host, *port).await?;
    answer(&context, &ledger, Some((host, *port)), &arguments.question).await
}
