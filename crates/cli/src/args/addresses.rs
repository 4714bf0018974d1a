//! `geocode`, `nearest`, `compare`, `reference`.

use super::{InputArgs, OperationArgs, RepairArgs, RunBehaviour, TableArgs, WriteArgs};
use basilocus::plan::{GeocodePlan, LayerPlan, NearestPlan};
use clap::{Args, Subcommand};
use std::path::PathBuf;

/// `geocode`
#[derive(Debug, Args)]
pub struct GeocodeArgs {
    /// Table of addresses; - reads standard input, and a gzip-ed file is unpacked
    pub addresses: PathBuf,
    /// Address reference, made with `reference build`; may be given several times
    #[arg(long, value_name = "FILE", required = true)]
    pub reference: Vec<PathBuf>,
    /// Column with the whole address
    #[arg(long, value_name = "COLUMN")]
    pub address: Option<String>,
    /// Column with the house number
    #[arg(long, value_name = "COLUMN")]
    pub house_number: Option<String>,
    /// Column with the street
    #[arg(long, value_name = "COLUMN")]
    pub street: Option<String>,
    /// Column with the unit
    #[arg(long, value_name = "COLUMN")]
    pub unit: Option<String>,
    /// Column with the locality
    #[arg(long, value_name = "COLUMN")]
    pub locality: Option<String>,
    /// Column with the region
    #[arg(long, value_name = "COLUMN")]
    pub region: Option<String>,
    /// Column with the postcode
    #[arg(long, value_name = "COLUMN")]
    pub postcode: Option<String>,
    /// Column with the country
    #[arg(long, value_name = "COLUMN")]
    pub country_column: Option<String>,
    /// How sure and how precise, and where
    #[command(flatten)]
    pub matching: MatchArgs,
    /// The review of rows in doubt
    #[command(flatten)]
    pub review: ReviewArgs,
    /// How to read
    #[command(flatten)]
    pub input: InputArgs,
    /// What to mend
    #[command(flatten)]
    pub repair: RepairArgs,
    /// Which way to take
    #[command(flatten)]
    pub operation: OperationArgs,
    /// How to write
    #[command(flatten)]
    pub write: WriteArgs,
    /// How to behave
    #[command(flatten)]
    pub behaviour: RunBehaviour,
}

/// How sure and how precise a match must be, and where.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Matching")]
pub struct MatchArgs {
    /// Place nothing finer than: address-point, street-range, crossing, landmark, street, postcode, locality, region
    #[arg(long, value_name = "LEVEL")]
    pub finest: Option<String>,
    /// Set aside what is placed more coarsely; locality unless said
    #[arg(long, value_name = "LEVEL")]
    pub coarsest: Option<String>,
    /// Place what is set aside in a second pass, at this level or a finer one
    #[arg(long, value_name = "LEVEL")]
    pub then: Option<String>,
    /// Set aside what is less sure (0 to 100)
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(0..=100))]
    pub min_confidence: Option<u8>,
    /// Where the data is: of equal candidates the nearest is taken
    #[arg(long, value_name = "LON,LAT|LOCALITY", allow_hyphen_values = true)]
    pub near: Option<String>,
    /// Results must lie there: WEST,SOUTH,EAST,NORTH, a file of polygons, or the name of a locality, region or area
    #[arg(long, value_name = "AREA", allow_hyphen_values = true)]
    pub within: Option<String>,
    /// Use the references of this country only
    #[arg(long, value_name = "COUNTRY")]
    pub country: Option<String>,
    /// Metres between the line of a street and its buildings
    #[arg(long, value_name = "METRES")]
    pub set_back: Option<f64>,
    /// Further columns from the reference: postcode, extension, locality, region, parent, or attributes of its areas
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    pub extras: Vec<String>,
    /// List so many candidates with their scores in a column
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub candidates: usize,
}

/// The review of rows in doubt.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Review")]
pub struct ReviewArgs {
    /// Write the rows in doubt with their candidates to a workbook, to be answered there
    #[arg(long, value_name = "FILE.xlsx")]
    pub review: Option<PathBuf>,
    /// Take the answers of such a workbook; the other rows are not matched again
    #[arg(long, value_name = "FILE.xlsx", conflicts_with = "review")]
    pub answers: Option<PathBuf>,
    /// Use the answers of earlier reviews that a file keeps, and keep new ones there
    #[arg(long, value_name = "FILE.sqlite")]
    pub remember: Option<PathBuf>,
}

/// `nearest`
#[derive(Debug, Args)]
pub struct NearestArgs {
    /// Table or layer of points
    pub points: PathBuf,
    /// Address reference; may be given several times
    #[arg(long, value_name = "FILE", required = true)]
    pub reference: Vec<PathBuf>,
    /// Farther addresses are none, metres
    #[arg(long, value_name = "METRES", default_value_t = 1000.0)]
    pub most: f64,
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
        LayerPlan {
            source: self.addresses.clone(),
            to: self.write.to.clone(),
            input: self.input.plan(),
            repair: self.repair.plan(),
            geocode: Some(GeocodePlan {
                reference: self.reference.clone(),
                address: self.address.clone(),
                house_number: self.house_number.clone(),
                street: self.street.clone(),
                unit: self.unit.clone(),
                locality: self.locality.clone(),
                region: self.region.clone(),
                postcode: self.postcode.clone(),
                country_column: self.country_column.clone(),
                country: self.matching.country.clone(),
                finest: self.matching.finest.clone(),
                coarsest: self.matching.coarsest.clone(),
                then: self.matching.then.clone(),
                near: self.matching.near.clone(),
                within: self.matching.within.clone(),
                min_confidence: self.matching.min_confidence,
                set_back_m: self.matching.set_back,
                extras: self.matching.extras.clone(),
                candidates: self.matching.candidates,
                review: self.review.review.clone(),
                answers: self.review.answers.clone(),
                remember: self.review.remember.clone(),
            }),
            operation: self.operation.plan(),
            name: self.write.layer_name.clone(),
            write: self.write.plan(),
            ..Default::default()
        }
    }
}

impl NearestArgs {
    /// The layer of a plan.
    pub fn layer(&self) -> LayerPlan {
        LayerPlan {
            position: Some(self.table.position.plan()),
            nearest: Some(NearestPlan { reference: self.reference.clone(), most_m: Some(self.most) }),
            ..self.table.layer(&self.points)
        }
    }
}
