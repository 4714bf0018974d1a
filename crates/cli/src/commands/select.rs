//! `select`

use super::run::of_plan;
use super::{Definition, Perform};
use crate::Done;
use crate::args::{RunBehaviour, TableArgs};
use anyhow::Result;
use basilocus::Plan;
use basilocus::plan::Flags;
use basilocus::steps::{Extent, Inside};
use clap::{Args, Parser};
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<Select>("select", "run");

/// A part of a table or layer: inside areas, by values, by an extent; one output a value on request
#[derive(Debug, Parser)]
struct Select {
    /// Table or layer
    input_file: PathBuf,
    /// What to choose
    #[command(flatten)]
    choice: Choice,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    table: TableArgs,
    /// How to behave
    #[command(flatten)]
    behaviour: RunBehaviour,
}

/// What to choose; where several things are said, all of them hold.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Choice")]
struct Choice {
    /// Layer of polygons: rows inside one of them; lines and polygons count by the middle of their bounds, and a point on
    /// the edge of two areas belongs to one of them
    #[arg(long, value_name = "AREAS")]
    inside: Option<PathBuf>,
    /// Layer of the areas, where their file has several
    #[arg(long, value_name = "NAME", requires = "inside")]
    inside_layer: Option<String>,
    /// System of the areas, where their file carries none
    #[arg(long, value_name = "CRS", requires = "inside")]
    inside_from: Option<String>,
    /// Which of the areas, by a column of theirs, as --value
    #[arg(long = "where", value_name = "COLUMN=VALUE", requires = "inside")]
    choose: Vec<String>,
    /// Columns of the areas that rows inside take
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',', requires = "inside")]
    take: Vec<String>,
    /// Rows with a value in a column: several values parted by |, A..B for a range, nothing for an empty one; != for others;
    /// <, <=, >, >= for numbers and dates; ~ for a pattern with * and ?
    #[arg(long = "value", value_name = "COLUMN=VALUE")]
    values: Vec<String>,
    /// Rows between meridians and parallels, degrees of WGS 84
    #[arg(long, value_name = "WEST,SOUTH,EAST,NORTH", allow_hyphen_values = true)]
    extent: Option<Extent>,
}

impl Perform for Select {
    fn perform(self) -> Result<Done> {
        let c = self.choice;
        if c.inside.is_none() && c.values.is_empty() && c.extent.is_none() && self.behaviour.split_by.is_none() {
            return Err(basilocus::Error::Usage(
                "nothing is chosen; say --inside AREAS, --value COLUMN=VALUE, --extent or --split-by COLUMN".into(),
            )
            .into());
        }
        let inside = c.inside.map(|areas| Inside {
            areas,
            from: c.inside_from,
            layer: c.inside_layer,
            choose: c.choose,
            take: c.take,
        });
        let flags = Flags { inside, values: c.values, extent: c.extent, ..self.table.flags(&self.input_file) };
        let outputs = self.behaviour.outputs();
        of_plan(Plan { layers: vec![flags.layer()], outputs, ..Default::default() }, &self.behaviour)
    }
}
