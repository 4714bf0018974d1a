//! `completions`

use super::{Definition, Perform, command_line};
use crate::Done;
use crate::text;
use anyhow::Result;
use clap::Parser;
use clap_complete::aot::{Shell, generate};

pub(super) const COMMAND: Definition = Definition::plain::<Completions>("completions");

/// Print the completions of a shell
#[derive(Debug, Parser)]
struct Completions {
    /// The shell
    shell: Shell,
}

impl Perform for Completions {
    fn perform(self) -> Result<Done> {
        // Made whole before it is printed: who reads the first lines only closes the pipe.
        let mut script = Vec::new();
        generate(self.shell, &mut command_line(), "basilocus", &mut script);
        text::print(&String::from_utf8(script)?)?;
        Ok(Done::Fine)
    }
}
