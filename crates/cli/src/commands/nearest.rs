//! `nearest`

use super::run::one_layer;
use super::{Definition, Perform};
use crate::Done;
use crate::args::{RunBehaviour, TableArgs};
use anyhow::Result;
use basilocus::plan::Flags;
use basilocus::steps::Positions;
use clap::Parser;
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<NearestCommand>("nearest", "run");

/// Points to the nearest address and the areas around them
#[derive(Debug, Parser)]
struct NearestCommand {
    /// Table or layer of points
    points: PathBuf,
    /// What to find
    #[command(flatten)]
    nearest: basilocus::steps::Nearest,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    table: TableArgs,
    /// How to behave
    #[command(flatten)]
    behaviour: RunBehaviour,
}

impl Perform for NearestCommand {
    fn perform(self) -> Result<Done> {
        let flags = self.table.flags(&self.points);
        let positions = flags.positions.clone().or_else(|| Some(Positions::default()));
        one_layer(Flags { positions, nearest: Some(self.nearest), ..flags }.layer(), &self.behaviour)
    }
}
