//! `select`.

use super::{RunBehaviour, TableArgs};
use basilocus::plan::{Flags, LayerPlan, OutputPlan};
use basilocus::steps::Inside;
use clap::Args;
use std::path::PathBuf;

/// `select`
#[derive(Debug, Args)]
pub struct SelectArgs {
    /// Table or layer
    pub input_file: PathBuf,
    /// What to choose
    #[command(flatten)]
    pub choice: ChoiceArgs,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    pub table: TableArgs,
    /// How to behave
    #[command(flatten)]
    pub behaviour: RunBehaviour,
}

/// What to choose; where several things are said, all of them hold.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Choice")]
pub struct ChoiceArgs {
    /// Layer of polygons: rows inside one of them; lines and polygons count by the middle of their bounds, and a point on
    /// the edge of two areas belongs to one of them
    #[arg(long, value_name = "AREAS")]
    pub inside: Option<PathBuf>,
    /// Layer of the areas, where their file has several
    #[arg(long, value_name = "NAME", requires = "inside")]
    pub inside_layer: Option<String>,
    /// Which of the areas, by a column of theirs; several values parted by |
    #[arg(long = "where", value_name = "COLUMN=VALUE", requires = "inside")]
    pub choose: Vec<String>,
    /// Columns of the areas that rows inside take
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',', requires = "inside")]
    pub take: Vec<String>,
    /// Rows with a value in a column; several values parted by |
    #[arg(long = "value", value_name = "COLUMN=VALUE")]
    pub values: Vec<String>,
    /// Rows between meridians and parallels, degrees of WGS 84
    #[arg(long, value_name = "WEST,SOUTH,EAST,NORTH", allow_hyphen_values = true)]
    pub extent: Option<String>,
    /// One output for each value of a column, also of one taken from the areas: OUT-VALUE.ending
    #[arg(long, value_name = "COLUMN")]
    pub split_by: Option<String>,
}

impl SelectArgs {
    /// The layer of a plan.
    ///
    /// # Errors
    /// Where nothing is chosen.
    pub fn layer(&self) -> Result<LayerPlan, basilocus::Error> {
        let c = &self.choice;
        let nothing = c.inside.is_none() && c.values.is_empty() && c.extent.is_none() && c.split_by.is_none();
        if nothing {
            return Err(basilocus::Error::Usage(
                "nothing is chosen; say --inside AREAS, --value COLUMN=VALUE, --extent or --split-by COLUMN".into(),
            ));
        }
        let inside = c.inside.clone().map(|areas| Inside {
            areas,
            layer: c.inside_layer.clone(),
            choose: c.choose.clone(),
            take: c.take.clone(),
        });
        let flags = self.table.flags(&self.input_file);
        Ok(Flags { inside, values: c.values.clone(), extent: c.extent.clone(), ..flags }.layer())
    }

    /// The outputs of a plan.
    pub fn outputs(&self) -> Vec<OutputPlan> {
        let split_by = self.choice.split_by.clone();
        self.behaviour.outputs().into_iter().map(|o| OutputPlan { split_by: split_by.clone(), ..o }).collect()
    }
}
