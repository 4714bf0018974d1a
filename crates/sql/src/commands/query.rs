//! `query`: here, on all cores.

use super::answer::{Question, answer};
use clap::Args;
use datafusion::prelude::{SessionConfig, SessionContext};

#[derive(Debug, Args)]
pub(crate) struct Arguments {
    #[command(flatten)]
    question: Question,
    /// Threads; as many as there are cores unless said
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
}

pub(crate) async fn run(arguments: Arguments) -> anyhow::Result<()> {
    let mut config = SessionConfig::new().with_information_schema(true);
    if let Some(threads) = arguments.threads {
        config = config.with_target_partitions(usize::from(threads));
    }
    let context = SessionContext::new_with_config(config);
    let ledger = basilocus_sql::register(&context)?;
    answer(&context, &ledger, None, &arguments.question).await
}
