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
                let report = ErrorReport { error: message, kind: word_of(kind).into() };
                let _ = commands::json(&report).map(|text| text::print(&text));
            }
            let usage = kind == basilocus::ErrorKind::Usage;
            ExitCode::from(if usage { 2 } else { 1 })
        }
    }
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
