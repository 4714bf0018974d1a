//! `convert`

use super::run::one_layer;
use super::{Definition, Perform};
use crate::Done;
use crate::args::{RunBehaviour, TableArgs};
use anyhow::Result;
use clap::Parser;
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<Convert>("convert", "run");

/// Coordinates to another system, notation or format
#[derive(Debug, Parser)]
struct Convert {
    /// Table or layer; - reads standard input, gzip-ed files and zip archives are unpacked
    input_file: PathBuf,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    table: TableArgs,
    /// How to behave
    #[command(flatten)]
    behaviour: RunBehaviour,
}

impl Perform for Convert {
    fn perform(self) -> Result<Done> {
        one_layer(self.table.flags(&self.input_file).layer(), &self.behaviour)
    }
}
