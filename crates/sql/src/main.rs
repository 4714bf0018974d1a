//! The command: queries here or on a cluster, and the processes of a cluster.

mod commands;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

/// Batches are made by one thread and given back by another, of which the system's own allocator keeps the pieces.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Coordinates, addresses and layers in SQL, on one machine or many
#[derive(Debug, Parser)]
#[command(name = "basilocus-sql", version, max_term_width = 100)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Run a query here
    Query(commands::query::Arguments),
    /// Run a query on a cluster
    Submit(commands::submit::Arguments),
    /// Plan queries of others and give out their parts
    Scheduler(commands::scheduler::Arguments),
    /// Do parts of queries
    Executor(commands::executor::Arguments),
}

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        // Plans of nested queries are gone through by recursion.
        .thread_stack_size(16 << 20)
        .build();
    let outcome = runtime.map_err(anyhow::Error::from).and_then(|runtime| {
        runtime.block_on(async {
            match arguments.command {
                Command::Query(a) => commands::query::run(a).await,
                Command::Submit(a) => commands::submit::run(a).await,
                Command::Scheduler(a) => commands::scheduler::run(a).await,
                Command::Executor(a) => commands::executor::run(a).await,
            }
        })
    });
    basilocus_sql::forget_fetched();
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("error: {}", commands::words(&e));
            ExitCode::FAILURE
        }
    }
}
