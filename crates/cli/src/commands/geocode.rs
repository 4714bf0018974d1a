//! `geocode`

use super::run::one_layer;
use super::{Definition, Perform};
use crate::Done;
use crate::args::{ColumnArgs, RunBehaviour, WriteArgs};
use anyhow::Result;
use basilocus::plan::{Flags, InputPlan, OperationPlan};
use clap::Parser;
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<GeocodeCommand>("geocode", "run");

/// Addresses to points, by an address reference
#[derive(Debug, Parser)]
struct GeocodeCommand {
    /// Table of addresses; - reads standard input, and a gzip-ed file is unpacked
    addresses: PathBuf,
    /// Columns, matching, review
    #[command(flatten)]
    geocode: basilocus::steps::Geocode,
    /// How to read
    #[command(flatten)]
    input: InputPlan,
    /// What to mend
    #[command(flatten)]
    columns: ColumnArgs,
    /// Which way to take
    #[command(flatten)]
    operation: OperationPlan,
    /// How to write
    #[command(flatten)]
    write: WriteArgs,
    /// How to behave
    #[command(flatten)]
    behaviour: RunBehaviour,
}

impl Perform for GeocodeCommand {
    fn perform(self) -> Result<Done> {
        let flags = Flags {
            source: self.addresses,
            input: self.input,
            geocode: Some(self.geocode),
            operation: self.operation,
            ..Default::default()
        };
        one_layer(self.write.flags(self.columns.flags(flags)).layer(), &self.behaviour)
    }
}
