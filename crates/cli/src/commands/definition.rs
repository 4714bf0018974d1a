//! What makes a command: a type whose fields are its arguments, and what it does with them.

use crate::Done;
use anyhow::Result;
use clap::{ArgMatches, CommandFactory, FromArgMatches};
use std::ffi::OsString;

/// A command. Its fields are the arguments, the documentation of the type is its line in the help.
pub(crate) trait Perform: CommandFactory + FromArgMatches {
    /// Does it.
    fn perform(self) -> Result<Done>;
}

/// An entry of the list of commands.
pub(crate) enum Definition {
    /// A command.
    One {
        /// Its word.
        name: &'static str,
        /// Its help and arguments.
        arguments: fn() -> clap::Command,
        /// What it does.
        perform: fn(&ArgMatches) -> Result<Done>,
        /// The schema of what it prints with `--json`, in `docs/schemas`.
        #[cfg_attr(not(test), expect(dead_code, reason = "the tests hold every command with --json to it"))]
        schema: Option<&'static str>,
    },
    /// Several commands under one word.
    Several {
        /// The word.
        name: &'static str,
        /// Its line in the help.
        about: &'static str,
        /// The commands.
        commands: &'static [&'static Definition],
    },
}

impl Definition {
    /// A command that prints a report of a schema with `--json`.
    pub(crate) const fn reporting<T: Perform>(name: &'static str, schema: &'static str) -> Self {
        Definition::One { name, arguments: T::command, perform: perform::<T>, schema: Some(schema) }
    }

    /// A command without a report.
    pub(crate) const fn plain<T: Perform>(name: &'static str) -> Self {
        Definition::One { name, arguments: T::command, perform: perform::<T>, schema: None }
    }

    /// Its word.
    pub(crate) fn name(&self) -> &'static str {
        match self {
            Definition::One { name, .. } | Definition::Several { name, .. } => name,
        }
    }

    /// As the parser of arguments takes it, with the arguments of those commands below it alone that the words said may
    /// mean; of all, where no word is said.
    pub(crate) fn command_for(&self, said: &[OsString]) -> clap::Command {
        match self {
            Definition::One { name, arguments, .. } => with_grids(arguments().name(*name)),
            Definition::Several { name, about, commands } => clap::Command::new(*name)
                .about(*about)
                .subcommand_required(true)
                .arg_required_else_help(true)
                .subcommands(subcommands(commands, said)),
        }
    }

    /// Does what the arguments say.
    pub(crate) fn perform(&self, matches: &ArgMatches) -> Result<Done> {
        match self {
            Definition::One { perform, .. } => perform(matches),
            Definition::Several { commands, .. } => among(commands, matches),
        }
    }
}

/// The commands of a list for the parser of arguments. Where the first word is one of them the others are names alone:
/// their arguments are never asked for, and making them all took longer than parsing.
pub(crate) fn subcommands<'a>(
    commands: &'a [&'static Definition],
    said: &'a [OsString],
) -> impl Iterator<Item = clap::Command> + 'a {
    let first = said.first().and_then(|word| word.to_str());
    let is_known = commands.iter().any(|d| Some(d.name()) == first);
    let below = said.get(1..).unwrap_or_default();
    commands.iter().map(move |d| match is_known && Some(d.name()) != first {
        true => clap::Command::new(d.name()),
        false => d.command_for(below),
    })
}

/// The environment variable that names a folder of grid files where none is said.
const GRIDS: &str = "BASILOCUS_GRIDS";

fn with_grids(command: clap::Command) -> clap::Command {
    if command.get_arguments().all(|a| a.get_id() != "grids") {
        return command;
    }
    let folder = std::env::var_os(GRIDS).filter(|folder| !folder.is_empty());
    command.mut_arg("grids", |grids| {
        let help = grids.get_help().cloned().unwrap_or_default();
        let grids = grids.help(format!("{help}; otherwise the one that the environment variable {GRIDS} names"));
        match folder {
            Some(folder) => grids.default_value(folder).hide_default_value(true),
            None => grids,
        }
    })
}

fn perform<T: Perform>(matches: &ArgMatches) -> Result<Done> {
    T::from_arg_matches(matches)?.perform()
}

/// Performs the command of a list that was said.
pub(crate) fn among(commands: &[&Definition], matches: &ArgMatches) -> Result<Done> {
    let said = matches.subcommand();
    match said.and_then(|(name, arguments)| Some((commands.iter().find(|d| d.name() == name)?, arguments))) {
        Some((command, arguments)) => command.perform(arguments),
        None => anyhow::bail!("no command is said; see `basilocus --help`"),
    }
}

/// Declares the modules of commands and makes their list: a line a command.
macro_rules! commands {
    ($($(#[$attribute:meta])* $name:ident,)+) => {
        $($(#[$attribute])* mod $name;)+

        /// The commands of this folder, in the order of the help.
        const COMMANDS: &[&$crate::commands::Definition] = &[$($(#[$attribute])* &$name::COMMAND),+];
    };
}
pub(crate) use commands;
