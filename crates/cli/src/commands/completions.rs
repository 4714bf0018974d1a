//! `completions`

use super::{Definition, Perform, command_line};
use crate::Done;
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
        generate(self.shell, &mut command_line(), "basilocus", &mut std::io::stdout());
        Ok(Done::Fine)
    }
}
