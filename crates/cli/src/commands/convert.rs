//! `convert`

use super::run::of_plan;
use super::{Definition, Perform};
use crate::Done;
use crate::args::{RunBehaviour, TableArgs};
use anyhow::Result;
use basilocus::plan::LayerPlan;
use basilocus::{Error, Plan};
use clap::Parser;
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<Convert>("convert", "run");

/// Coordinates to another system, notation or format
#[derive(Debug, Parser)]
struct Convert {
    /// Tables or layers, each a layer of the outputs; - reads standard input, gzip-ed files and zip archives are unpacked
    #[arg(required = true)]
    input_files: Vec<PathBuf>,
    /// Every layer, sheet or file in an archive of each input
    #[arg(long)]
    all_layers: bool,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    table: TableArgs,
    /// How to behave
    #[command(flatten)]
    behaviour: RunBehaviour,
}

impl Convert {
    fn layers(&self) -> Result<Vec<LayerPlan>, Error> {
        let plan = |file: &PathBuf| self.table.flags(file).layer();
        if !self.all_layers {
            return Ok(self.input_files.iter().map(plan).collect());
        }
        let layers: Result<Vec<_>, _> =
            self.input_files.iter().map(|file| basilocus::look::every_layer(&plan(file))).collect();
        Ok(layers?.into_iter().flatten().collect())
    }
}

impl Perform for Convert {
    fn perform(self) -> Result<Done> {
        let layers = self.layers()?;
        if layers.len() > 1 && self.table.write.layer_name.is_some() {
            return Err(Error::Usage(format!(
                "--layer-name is the name of one layer, and there are {}; each has that of its source",
                layers.len()
            ))
            .into());
        }
        of_plan(Plan { layers, outputs: self.behaviour.outputs(), ..Default::default() }, &self.behaviour)
    }
}
