//! The `basilocus` command: arguments to plans, progress, text for people, exit status.

mod args;
mod commands;
mod flags;
mod progress;
mod signals;
mod text;

use std::process::ExitCode;

/// What a command came to, apart from errors.
pub(crate) enum Done {
    /// All is well, or `--strict` was not asked for.
    Fine,
    /// `--strict`, and a row was set aside or a doubt raised.
    NotClean,
}

fn main() -> ExitCode {
    let arguments = match commands::command_line().try_get_matches() {
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
            text::tell(&format!("basilocus: {}\n", flags::in_text(&e.to_string())));
            let usage = e.downcast_ref::<basilocus::Error>().is_some_and(|e| e.kind() == basilocus::ErrorKind::Usage);
            ExitCode::from(if usage { 2 } else { 1 })
        }
    }
}
