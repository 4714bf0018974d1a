//! The command line. The same flag means the same thing everywhere.

mod addresses;
mod calc;
mod coordinates;
mod select;
mod shared;

pub use addresses::{CompareArgs, GeocodeArgs, NearestArgs, ReferenceCommand};
pub use calc::CalcCommand;
pub use coordinates::{AdviseArgs, AtArgs, BetweenArgs, ConvertArgs, CrsCommand, DetectArgs, FitArgs};
pub use select::SelectArgs;
pub use shared::{ColumnArgs, RunBehaviour, TableArgs, WriteArgs};

use basilocus::plan::InputPlan;

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

/// Tables of addresses and coordinates to point layers, with an account of every row.
#[derive(Debug, Parser)]
#[command(
    name = "basilocus",
    version,
    arg_required_else_help = true,
    after_help = "Exit status: 0 done (rows may have been set aside, and the summary says so), 1 failed, 2 wrong usage, 3 --strict and a row was set aside or a doubt raised."
)]
pub struct Arguments {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

/// The commands, in the order people work. One is parsed a run: their size does not matter.
#[allow(clippy::large_enum_variant)]
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Say what a file holds: layers, columns and their roles, first rows, system, extent, doubts
    Look(LookArgs),
    /// Addresses to points, by an address reference
    Geocode(GeocodeArgs),
    /// Points to the nearest address and the areas around them
    Nearest(NearestArgs),
    /// The same rows placed twice: how far apart, worst first
    Compare(CompareArgs),
    /// Coordinates to another system, notation or format
    Convert(ConvertArgs),
    /// A part of a table or layer: inside areas, by values, by an extent; one output a value on request
    Select(SelectArgs),
    /// One coordinate typed by hand: how it was read, and the same spot in other notations and systems
    At(AtArgs),
    /// The catalogue of coordinate reference systems
    #[command(subcommand)]
    Crs(CrsCommand),
    /// Control pairs to a local transformation with residuals
    Fit(FitArgs),
    /// Everyday arithmetic: zones, units, distances, areas, map sheets, distortion
    #[command(subcommand)]
    Calc(CalcCommand),
    /// What each doubt looks for, an example, how to mend it
    Doubts {
        /// The doubt; all of them unless said
        name: Option<String>,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// The index that addresses are matched against
    #[command(subcommand)]
    Reference(ReferenceCommand),
    /// Do what a saved plan says, on the same or a new table
    Run(RunArgs),
    /// Run the whole story on the shipped sample data into a folder
    Demo(DemoArgs),
    /// Print the completions of a shell
    Completions {
        /// The shell.
        shell: Shell,
    },
}

/// Shells with completions.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub enum Shell {
    /// bash
    Bash,
    /// elvish
    Elvish,
    /// fish
    Fish,
    /// PowerShell
    Powershell,
    /// zsh
    Zsh,
}

/// `look`
#[derive(Debug, Args)]
pub struct LookArgs {
    /// Files
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// Rows to show
    #[arg(long, value_name = "N", default_value_t = 5)]
    pub rows: usize,
    /// Print one report object a file
    #[arg(long)]
    pub json: bool,
    /// Exit status 3 where a doubt is raised
    #[arg(long)]
    pub strict: bool,
    /// No progress bar
    #[arg(long)]
    pub no_progress: bool,
    /// How to read
    #[command(flatten)]
    pub input: InputPlan,
}

/// `run`
#[derive(Debug, Args)]
pub struct RunArgs {
    /// The plan
    pub plan: PathBuf,
    /// Another table for a layer of the plan: FILE for its only layer, or LAYER=FILE
    #[arg(long, value_name = "[LAYER=]FILE")]
    pub input: Vec<String>,
    /// How to behave
    #[command(flatten)]
    pub behaviour: RunBehaviour,
}

/// `demo`
#[derive(Debug, Args)]
pub struct DemoArgs {
    /// Folder to make
    #[arg(default_value = "tern-estuary")]
    pub folder: PathBuf,
    /// Replace the folder of an earlier demonstration
    #[arg(long)]
    pub overwrite: bool,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_command_line_is_consistent() {
        use clap::CommandFactory;
        Arguments::command().debug_assert();
    }
}
