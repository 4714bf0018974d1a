//! One file a command, one line in the list. A word with several commands is a folder with a list of its own.

mod definition;
mod turns;

pub(crate) use definition::{Definition, Perform, commands};

use crate::Done;
use anyhow::Result;
use std::ffi::OsString;

// In the order people work.
commands! {
    look,
    geocode,
    nearest,
    compare,
    convert,
    select,
    at,
    crs,
    fit,
    calc,
    doubts,
    terrain,
    draw,
    reference,
    run,
    #[cfg(feature = "serve")]
    serve,
    demo,
    completions,
}

/// The whole command line.
pub(crate) fn command_line() -> clap::Command {
    command_line_for(&[])
}

/// What is enough of the command line to read the words said, those after the name of the program.
pub(crate) fn command_line_for(said: &[OsString]) -> clap::Command {
    clap::Command::new("basilocus")
        .version(env!("CARGO_PKG_VERSION"))
        .about("Tables of addresses and coordinates to point layers, with an account of every row")
        .after_help("Exit status: 0 done (rows may have been set aside, and the summary says so), 1 failed, 2 wrong usage, 3 --strict and a row was set aside or a doubt raised.")
        .subcommand_required(true)
        .arg_required_else_help(true)
        .subcommands(definition::subcommands(COMMANDS, said))
}

/// Does what the command line says.
pub(crate) fn perform(matches: &clap::ArgMatches) -> Result<Done> {
    definition::among(COMMANDS, matches)
}

/// A report object as text. What could tell a terminal to do something is escaped, which means the same.
pub(crate) fn json(value: &impl serde::Serialize) -> Result<String> {
    let mut out = String::new();
    for c in serde_json::to_string_pretty(value)?.chars() {
        if crate::text::is_command(c) {
            out.push_str(&format!("\\u{:04x}", c as u32));
        } else {
            out.push(c);
        }
    }
    Ok(out + "\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::path::Path;

    #[test]
    fn the_command_line_is_consistent() {
        command_line().debug_assert();
    }

    #[test]
    fn what_is_built_for_the_words_said_reads_them_as_the_whole_does() {
        for line in [
            "at 11.5,48.1 --from EPSG:4326",
            "crs show EPSG:4326 --json",
            "crs show",
            "crs help show",
            "crs --help",
            "crs sho",
            "terrain slope --help",
            "help",
            "help crs",
            "help crs show",
            "--help",
            "--version",
            "at --help",
            "at --no-such-option",
            "convert",
            "convret a.csv",
            "",
            "reference build a.csv -o b.reference",
            "calc",
        ] {
            let words: Vec<OsString> =
                std::iter::once("basilocus").chain(line.split_whitespace()).map(OsString::from).collect();
            let read = |command: clap::Command| {
                let matches = command.try_get_matches_from(&words).map_err(|e| (e.kind(), e.to_string()));
                matches.map(|m| format!("{m:?}"))
            };
            assert_eq!(read(command_line_for(&words[1..])), read(command_line()), "{line}");
        }
    }

    fn each(commands: &[&Definition], seen: &mut dyn FnMut(&Definition)) {
        for command in commands {
            match command {
                Definition::Several { commands, .. } => each(commands, seen),
                one => seen(one),
            }
        }
    }

    #[test]
    fn every_report_has_a_published_schema() {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
        let mut with_report = 0;
        each(COMMANDS, &mut |command| {
            let Definition::One { name, schema, .. } = command else { return };
            let has_flag = command.command_for(&[]).get_arguments().any(|a| a.get_long() == Some("json"));
            assert_eq!(has_flag, schema.is_some(), "{name}: --json and a schema go together");
            if let Some(schema) = schema {
                with_report += 1;
                assert!(
                    folder.join(format!("{schema}.json")).is_file(),
                    "{name}: docs/schemas/{schema}.json is missing"
                );
            }
        });
        assert!(with_report > 20, "{with_report} commands with a report");
    }
}
