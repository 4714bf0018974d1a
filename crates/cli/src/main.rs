//! The `basilocus` command: arguments to plans, progress, text for people, exit status.

mod args;
mod commands;
mod flags;
mod progress;
mod signals;
mod text;

use basilocus::report::ErrorReport;
use std::process::ExitCode;

/// What a command came to, apart from errors.
pub(crate) enum Done {
    /// All is well, or `--strict` was not asked for.
    Fine,
    /// `--strict`, and a row was set aside or a doubt raised.
    NotClean,
}

fn main() -> ExitCode {
    let said: Vec<_> = std::env::args_os().skip(1).collect();
    let arguments = match commands::command_line_for(&said).try_get_matches() {
        Ok(a) => a,
        Err(e) => {
            let _ = e.print();
            // What was said could not be taken apart: a program that asked for a report gets one all the same.
            if e.use_stderr() && said.iter().any(|word| word == "--json") {
                print_report(&ErrorReport {
                    error: usage_words(&e),
                    kind: word_of(basilocus::ErrorKind::Usage).into(),
                });
            }
            return ExitCode::from(if e.use_stderr() { 2 } else { 0 });
        }
    };
    signals::listen();
    match commands::perform(&arguments) {
        Ok(Done::Fine) => ExitCode::SUCCESS,
        Ok(Done::NotClean) => ExitCode::from(3),
        Err(e) => {
            // A reader that went away (`| head`) is no failure of ours.
            if e.chain()
                .filter_map(|c| c.downcast_ref::<std::io::Error>())
                .any(|e| e.kind() == std::io::ErrorKind::BrokenPipe)
            {
                return ExitCode::SUCCESS;
            }
            let message = flags::in_text(&e.to_string()).to_string();
            text::tell(&format!("basilocus: {message}\n"));
            let kind = e.downcast_ref::<basilocus::Error>().map_or(basilocus::ErrorKind::Data, |e| e.kind());
            if wants_json(&arguments) {
                print_report(&ErrorReport { error: message, kind: word_of(kind).into() });
            }
            let usage = kind == basilocus::ErrorKind::Usage;
            ExitCode::from(if usage { 2 } else { 1 })
        }
    }
}

fn print_report(report: &ErrorReport) {
    let _ = commands::json(report).map(|text| text::print(&text));
}

/// What is wrong with the arguments, without the help behind it.
fn usage_words(error: &clap::Error) -> String {
    let text = error.render().to_string();
    let first = text.split("\n\n").next().unwrap_or_default();
    first.trim_start_matches("error: ").split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Whether the command that was called was to print a report object.
fn wants_json(arguments: &clap::ArgMatches) -> bool {
    let here = arguments.try_get_one::<bool>("json").ok().flatten().copied().unwrap_or(false);
    here || arguments.subcommand().is_some_and(|(_, inner)| wants_json(inner))
}

fn word_of(kind: basilocus::ErrorKind) -> &'static str {
    match kind {
        basilocus::ErrorKind::Usage => "usage",
        basilocus::ErrorKind::Defect => "defect",
        basilocus::ErrorKind::Cancelled => "cancelled",
        _ => "data",
    }
}
