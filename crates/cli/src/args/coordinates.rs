//! `convert`, `at`, `crs`, `fit`.

use super::{RunBehaviour, TableArgs};
use basilocus::plan::{InputPlan, LayerPlan, OperationPlan};
use clap::{Args, Subcommand};
use std::path::PathBuf;

/// `convert`
#[derive(Debug, Args)]
pub struct ConvertArgs {
    /// Table or layer; - reads standard input, gzip-ed files and zip archives are unpacked
    pub input_file: PathBuf,
    /// How to take the table, from reading to writing
    #[command(flatten)]
    pub table: TableArgs,
    /// How to behave
    #[command(flatten)]
    pub behaviour: RunBehaviour,
}

/// `at`
#[derive(Debug, Args)]
pub struct AtArgs {
    /// The coordinate; one that begins with a minus sign comes after `--`
    pub coordinate: String,
    /// Its system; WGS 84 unless said
    #[arg(long, value_name = "CRS")]
    pub from: Option<String>,
    /// Systems to give it in
    #[arg(long, value_name = "CRS")]
    pub to: Vec<String>,
    /// Which number comes first, where the text does not say
    #[arg(long, value_name = "latitude-first|longitude-first")]
    pub order: Option<String>,
    /// Decimals of seconds; the other notations follow
    #[arg(long, value_name = "N")]
    pub digits: Option<usize>,
    /// Which way to take
    #[command(flatten)]
    pub operation: OperationPlan,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
}

/// `crs`
#[derive(Debug, Subcommand)]
pub enum CrsCommand {
    /// Find systems by code, name, place or words, in any order
    Find {
        /// The words
        #[arg(required = true)]
        words: Vec<String>,
        /// Most to show
        #[arg(long, value_name = "N", default_value_t = 15)]
        most: usize,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// Show a system with every parameter in words
    Show {
        /// Code, exact name, or a .prj, .wkt or .toml file, which is recognised
        crs: String,
        /// Print its WKT alone, of version 1 unless 2 is said
        #[arg(long, value_name = "VERSION", num_args = 0..=1, default_missing_value = "1", value_parser = clap::value_parser!(u8).range(1..=2))]
        wkt: Option<u8>,
        /// Print it alone in the short form, a start for a system of one's own
        #[arg(long, conflicts_with = "wkt")]
        toml: bool,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// The ways between two systems, best first: accuracy, grid files, epochs
    Between(BetweenArgs),
    /// Which systems suit an area and a purpose, with the numbers that say so
    Advise(AdviseArgs),
    /// Which systems a table's numbers could be in, if its places are known
    Detect(DetectArgs),
}

/// `crs between`
#[derive(Debug, Args)]
pub struct BetweenArgs {
    /// System to come from
    pub from: String,
    /// System to go to
    pub to: String,
    /// Where the data is: LON,LAT, or WEST,SOUTH,EAST,NORTH, or words of an area
    #[arg(long, value_name = "PLACE", allow_hyphen_values = true)]
    pub near: Option<String>,
    /// When the positions were measured
    #[arg(long, value_name = "YEAR")]
    pub epoch: Option<f64>,
    /// Folder of grid files
    #[arg(long, value_name = "DIR")]
    pub grids: Option<PathBuf>,
    /// Most to show
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub most: usize,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
}

/// `crs advise`
#[derive(Debug, Args)]
pub struct AdviseArgs {
    /// The area: LON,LAT, or WEST,SOUTH,EAST,NORTH, words of an area, or a table or layer; one that begins with a minus
    /// sign comes after `--`
    pub area: String,
    /// What for: measure, area, national, world, web
    #[arg(long = "for", value_name = "PURPOSE", default_value = "measure")]
    pub purpose: String,
    /// System of the coordinates, where the area is a table
    #[arg(long, value_name = "CRS")]
    pub from: Option<String>,
    /// Most to show
    #[arg(long, value_name = "N", default_value_t = 8)]
    pub most: usize,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
    /// How to read
    #[command(flatten)]
    pub input: InputPlan,
}

/// `crs detect`
#[derive(Debug, Args)]
pub struct DetectArgs {
    /// Table whose system nobody knows
    pub file: PathBuf,
    /// Where its places are: LON,LAT, or WEST,SOUTH,EAST,NORTH, or words of an area
    #[arg(long, value_name = "PLACE", required = true, allow_hyphen_values = true)]
    pub near: String,
    /// How far from a single place is near, in kilometres
    #[arg(long, value_name = "KM", default_value_t = 50.0)]
    pub within: f64,
    /// Column with the first coordinate
    #[arg(long, value_name = "COLUMN")]
    pub x: Option<String>,
    /// Column with the second coordinate
    #[arg(long, value_name = "COLUMN")]
    pub y: Option<String>,
    /// Most to show
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub most: usize,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
    /// How to read
    #[command(flatten)]
    pub input: InputPlan,
}

/// `fit`
#[derive(Debug, Args)]
pub struct FitArgs {
    /// Table of control pairs: the same spots in the old and in the new system
    pub pairs: PathBuf,
    /// Transformation to write, for `convert --via`
    #[arg(short, long, value_name = "FILE")]
    pub output: PathBuf,
    /// translation, conformal, affine, polynomial, translation-3d or similarity-3d
    #[arg(long, value_name = "KIND", default_value = "conformal")]
    pub kind: String,
    /// Columns of the old coordinates
    #[arg(long, value_name = "X,Y[,Z]", value_delimiter = ',')]
    pub old: Vec<String>,
    /// Columns of the new coordinates
    #[arg(long, value_name = "X,Y[,Z]", value_delimiter = ',')]
    pub new: Vec<String>,
    /// Column with the names of the points
    #[arg(long, value_name = "COLUMN")]
    pub label: Option<String>,
    /// Leave a pair out, by its name
    #[arg(long, value_name = "POINT")]
    pub without: Vec<String>,
    /// System of the old coordinates; a local grid unless said
    #[arg(long, value_name = "CRS")]
    pub from: Option<String>,
    /// System of the new coordinates
    #[arg(long, value_name = "CRS", required = true)]
    pub to: String,
    /// Name of the transformation; the table's unless said
    #[arg(long, value_name = "NAME")]
    pub name: Option<String>,
    /// Replace a transformation that exists
    #[arg(long)]
    pub overwrite: bool,
    /// Exit status 3 where a pair disagrees with all others
    #[arg(long)]
    pub strict: bool,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
    /// How to read
    #[command(flatten)]
    pub input: InputPlan,
}

impl ConvertArgs {
    /// The layer of a plan.
    pub fn layer(&self) -> LayerPlan {
        self.table.layer(&self.input_file)
    }
}
