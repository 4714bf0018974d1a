//! `geocode`, `nearest`, `compare`, `reference`.

use super::{ColumnArgs, RunBehaviour, TableArgs, WriteArgs};
use basilocus::plan::{Flags, InputPlan, LayerPlan, OperationPlan};
use basilocus::steps::{Geocode, Nearest, Positions};
use clap::{Args, Subcommand};
use std::path::PathBuf;

/// `geocode`
#[derive(Debug, Args)]
pub struct GeocodeArgs {
    /// Table of addresses; - reads standard input, and a gzip-ed file is unpacked
    pub addresses: PathBuf,
    /// Columns, matching, review
    #[command(flatten)]
    pub geocode: Geocode,
    /// How to read
    #[command(flatten)]
    pub input: InputPlan,
    /// What to mend
    #[command(flatten)]
    pub columns: ColumnArgs,
    /// Which way to take
    #[command(flatten)]
    pub operation: OperationPlan,
    /// How to write
    #[command(flatten)]
    pub write: WriteArgs,
    /// How to behave
    #[command(flatten)]
    pub behaviour: RunBehaviour,
}

/// `nearest`
#[derive(Debug, Args)]
pub struct NearestArgs {
    /// Table or layer of points
    pub points: PathBuf,
    /// What to find
    #[command(flatten)]
    pub nearest: Nearest,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    pub table: TableArgs,
    /// How to behave
    #[command(flatten)]
    pub behaviour: RunBehaviour,
}

/// `compare`
#[derive(Debug, Args)]
pub struct CompareArgs {
    /// The first table or layer
    pub a: PathBuf,
    /// The second one, of the same rows
    pub b: PathBuf,
    /// Column that tells the rows apart; the order of the rows unless said
    #[arg(long, value_name = "COLUMN")]
    pub key: Option<String>,
    /// System of the coordinates of the first one; WGS 84 where neither this nor the file says it
    #[arg(long, value_name = "CRS")]
    pub from: Option<String>,
    /// System of the coordinates of the second one; that of the first unless said
    #[arg(long, value_name = "CRS")]
    pub from_b: Option<String>,
    /// Rows to show, worst first
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub most: usize,
    /// Distances from here on are counted as far apart, metres
    #[arg(long, value_name = "METRES", default_value_t = 50.0)]
    pub far: f64,
    /// Write all rows with their distances, worst first (.csv, .tsv, .xlsx, .geojson, .gpkg)
    #[arg(short, long, value_name = "FILE")]
    pub output: Option<PathBuf>,
    /// Replace an output that exists
    #[arg(long)]
    pub overwrite: bool,
    /// Exit status 3 where rows are far apart or on one side only
    #[arg(long)]
    pub strict: bool,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
}

/// `reference`
#[derive(Debug, Subcommand)]
pub enum ReferenceCommand {
    /// Build a reference from address points, street segments, postcodes, places and areas
    Build {
        /// Sources, in any mixture
        #[arg(required = true)]
        sources: Vec<PathBuf>,
        /// The reference to write
        #[arg(short, long, value_name = "FILE")]
        output: PathBuf,
        /// System of the coordinates; WGS 84 longitude and latitude unless said
        #[arg(long, value_name = "CRS")]
        from: Option<String>,
        /// Country of the address grammar: US, CA, GB, IE, AU, NZ, DE, NL, FR, ES, PT, IT
        #[arg(long, value_name = "CODE", default_value = "US")]
        country: String,
        /// File that says what sources hold and which of their columns is what
        #[arg(long, value_name = "FILE.toml")]
        mapping: Option<PathBuf>,
        /// Replace a reference that exists
        #[arg(long)]
        overwrite: bool,
        /// Exit status 3 where a row is set aside
        #[arg(long)]
        strict: bool,
        /// Print one report object
        #[arg(long)]
        json: bool,
        /// No progress bar
        #[arg(long)]
        no_progress: bool,
    },
    /// Tell what is inside a reference, and what looks wrong in it
    Describe {
        /// The reference
        file: PathBuf,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
}

impl GeocodeArgs {
    /// The layer of a plan.
    pub fn layer(&self) -> LayerPlan {
        let flags = Flags {
            source: self.addresses.clone(),
            input: self.input.clone(),
            geocode: Some(self.geocode.clone()),
            operation: self.operation.clone(),
            ..Default::default()
        };
        self.write.flags(self.columns.flags(flags)).layer()
    }
}

impl NearestArgs {
    /// The layer of a plan.
    pub fn layer(&self) -> LayerPlan {
        let flags = self.table.flags(&self.points);
        let positions = flags.positions.clone().or_else(|| Some(Positions::default()));
        Flags { positions, nearest: Some(self.nearest.clone()), ..flags }.layer()
    }
}
