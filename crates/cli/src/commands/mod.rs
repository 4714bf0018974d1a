//! One file a command.

mod at;
mod calc;
mod compare;
mod crs;
pub(crate) mod demo;
mod doubts;
mod fit;
mod look;
mod reference;
mod run;

use crate::Done;
use crate::args::{Arguments, Command, Shell};
use anyhow::Result;
use basilocus::Cancel;
use clap::CommandFactory;
use clap_complete::aot;

/// Does what the command line says.
pub fn run(arguments: Arguments) -> Result<Done> {
    match arguments.command {
        Command::Look(a) => look::run(&a),
        Command::Geocode(a) => run::plan(
            basilocus::Plan { layers: vec![a.layer()], outputs: a.behaviour.outputs(), ..Default::default() },
            &a.behaviour,
        ),
        Command::Nearest(a) => run::plan(
            basilocus::Plan { layers: vec![a.layer()], outputs: a.behaviour.outputs(), ..Default::default() },
            &a.behaviour,
        ),
        Command::Compare(a) => compare::run(&a),
        Command::Convert(a) => run::plan(
            basilocus::Plan { layers: vec![a.layer()], outputs: a.behaviour.outputs(), ..Default::default() },
            &a.behaviour,
        ),
        Command::Select(a) => run::plan(
            basilocus::Plan { layers: vec![a.layer()?], outputs: a.outputs(), ..Default::default() },
            &a.behaviour,
        ),
        Command::At(a) => at::run(&a),
        Command::Crs(c) => crs::run(&c),
        Command::Fit(a) => fit::run(&a),
        Command::Calc(c) => calc::run(&c),
        Command::Doubts { name, json } => doubts::run(name.as_deref(), json),
        Command::Reference(c) => reference::run(&c),
        Command::Run(a) => run::saved(&a),
        Command::Demo(a) => demo::run(&a),
        Command::Completions { shell } => {
            let shell = match shell {
                Shell::Bash => aot::Shell::Bash,
                Shell::Elvish => aot::Shell::Elvish,
                Shell::Fish => aot::Shell::Fish,
                Shell::Powershell => aot::Shell::PowerShell,
                Shell::Zsh => aot::Shell::Zsh,
            };
            aot::generate(shell, &mut Arguments::command(), "basilocus", &mut std::io::stdout());
            Ok(Done::Fine)
        }
    }
}

/// A flag that Ctrl-C sets.
pub(crate) fn cancel_on_interrupt() -> Cancel {
    let cancel = Cancel::default();
    let flag = cancel.clone();
    // A second handler in one process is refused; the first one still works.
    let _ = ctrlc::set_handler(move || flag.cancel());
    cancel
}

/// A report object as text.
pub(crate) fn json(value: &impl serde::Serialize) -> Result<String> {
    Ok(serde_json::to_string_pretty(value)? + "\n")
}
