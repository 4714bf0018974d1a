//! The command line. The same flag means the same thing everywhere.

use basilocus::plan::{
    GeocodePlan, InputPlan, JoinPlan, LayerPlan, NearestPlan, OperationPlan, OutputPlan, PositionPlan, RepairPlan,
    WritePlan,
};
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

/// How to read the input.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Input")]
pub struct InputArgs {
    /// Sheet of a workbook
    #[arg(long, value_name = "NAME")]
    pub sheet: Option<String>,
    /// Layer of a GeoPackage
    #[arg(long, value_name = "NAME")]
    pub layer: Option<String>,
    /// Delimiter of text: a character, or tab, space, comma, semicolon
    #[arg(long, value_name = "CHARACTER")]
    pub delimiter: Option<String>,
    /// Row of the header, counted from 1; 0 if there is none
    #[arg(long, value_name = "ROW")]
    pub header_row: Option<u64>,
    /// Lines to skip at the start
    #[arg(long, value_name = "LINES")]
    pub skip_lines: Option<u64>,
    /// Encoding of text, such as windows-1252
    #[arg(long, value_name = "LABEL")]
    pub encoding: Option<String>,
}

/// What to mend in the table.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Columns")]
pub struct RepairArgs {
    /// Columns to keep, in this order
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    pub keep: Vec<String>,
    /// Columns to leave out
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    pub drop: Vec<String>,
    /// Give a column another name
    #[arg(long, value_name = "OLD=NEW", value_parser = pair)]
    pub rename: Vec<(String, String)>,
    /// Add a column with one value; in a column that is there, fill the empty cells
    #[arg(long, value_name = "NAME=VALUE", value_parser = pair)]
    pub set: Vec<(String, String)>,
    /// Add a column made of others
    #[arg(long, value_name = "NAME=A,B,…", value_parser = pair)]
    pub join: Vec<(String, String)>,
    /// Take white space off the ends of cells and make inner runs one blank
    #[arg(long)]
    pub trim: bool,
}

fn pair(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((a, b)) if !a.trim().is_empty() => Ok((a.trim().to_string(), b.to_string())),
        _ => Err("NAME=VALUE is expected".into()),
    }
}

/// Where coordinates are.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Coordinates")]
pub struct PositionArgs {
    /// System of the coordinates: a code such as EPSG:4326 (with heights EPSG:4326+5773 or EPSG:4326+ellipsoidal), a
    /// name, a .prj, .wkt or .toml file, or local
    #[arg(long, value_name = "CRS")]
    pub from: Option<String>,
    /// Column with longitude or easting
    #[arg(long, value_name = "COLUMN")]
    pub x: Option<String>,
    /// Column with latitude or northing
    #[arg(long, value_name = "COLUMN")]
    pub y: Option<String>,
    /// Column with height
    #[arg(long, value_name = "COLUMN")]
    pub z: Option<String>,
    /// Column that holds the whole position
    #[arg(long, value_name = "COLUMN")]
    pub coordinates: Option<String>,
    /// Which number comes first in a whole position that does not say
    #[arg(long, value_name = "latitude-first|longitude-first")]
    pub order: Option<String>,
}

/// Which way is taken between systems.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Operation")]
pub struct OperationArgs {
    /// When the positions were measured, for frames that move: a decimal year, such as 2020.5
    #[arg(long, value_name = "YEAR")]
    pub epoch: Option<f64>,
    /// Which way to take: a part of the operation's name, the system in between, or a file made with `fit`
    #[arg(long, value_name = "NAME|CRS|FILE")]
    pub via: Option<String>,
    /// Folder of grid files; otherwise the one that the environment variable BASILOCUS_GRIDS names
    #[arg(long, value_name = "DIR")]
    pub grids: Option<PathBuf>,
    /// Refuse operations that are less accurate
    #[arg(long, value_name = "METRES")]
    pub require_accuracy: Option<f64>,
}

/// How coordinates are written.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Writing")]
pub struct WriteArgs {
    /// Target system; several give columns in each, the first is that of the geometry
    #[arg(long, value_name = "CRS")]
    pub to: Vec<String>,
    /// How positions are written: decimal-degrees, degrees-minutes, degrees-minutes-seconds, packed, or in one column
    /// utm, mgrs, iso-6709, well-known-text, geohash, open-location-code, georef, gars, maidenhead, great-britain-grid, irish-grid
    #[arg(long, value_name = "NOTATION")]
    pub notation: Option<String>,
    /// Decimals of coordinates; of a grid code, its digits or characters
    #[arg(long, value_name = "N")]
    pub digits: Option<usize>,
    /// Names of the coordinate columns: easting/longitude, northing/latitude, height
    #[arg(long, value_name = "A,B[,C]", value_delimiter = ',')]
    pub columns: Vec<String>,
}

/// How a run behaves.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Behaviour")]
pub struct RunBehaviour {
    /// Output; its ending says the format (.csv .tsv .xlsx .geojson .gpkg); - prints a table with tabs; may be given
    /// several times
    #[arg(short, long, value_name = "FILE")]
    pub output: Vec<PathBuf>,
    /// Replace outputs that exist
    #[arg(long)]
    pub overwrite: bool,
    /// Exit status 3 where a row is set aside or a doubt raised; nothing is written where a missing grid file would make
    /// the result coarser
    #[arg(long)]
    pub strict: bool,
    /// Print one report object
    #[arg(long)]
    pub json: bool,
    /// Print nothing but errors
    #[arg(short, long)]
    pub quiet: bool,
    /// Print the steps of operations too
    #[arg(short, long)]
    pub verbose: bool,
    /// Write down what was done, for `run`
    #[arg(long, value_name = "FILE")]
    pub save_plan: Option<PathBuf>,
    /// No progress bar
    #[arg(long)]
    pub no_progress: bool,
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
    pub input: InputArgs,
}

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
    /// How to read
    #[command(flatten)]
    pub input: InputArgs,
    /// What to mend
    #[command(flatten)]
    pub repair: RepairArgs,
    /// Where coordinates are
    #[command(flatten)]
    pub position: PositionArgs,
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

/// `convert`
#[derive(Debug, Args)]
pub struct ConvertArgs {
    /// Table or layer; - reads standard input, and a gzip-ed file is unpacked
    pub input_file: PathBuf,
    /// How to read
    #[command(flatten)]
    pub input: InputArgs,
    /// What to mend
    #[command(flatten)]
    pub repair: RepairArgs,
    /// Where coordinates are
    #[command(flatten)]
    pub position: PositionArgs,
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
    pub operation: OperationArgs,
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
    Suggest(SuggestArgs),
    /// Which systems a table's numbers could be in, if its places are known
    Guess(GuessArgs),
}

/// `crs between`, `suggest`, `guess`
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

/// `crs suggest`
#[derive(Debug, Args)]
pub struct SuggestArgs {
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
    pub input: InputArgs,
}

/// `crs guess`
#[derive(Debug, Args)]
pub struct GuessArgs {
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
    pub input: InputArgs,
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
    pub input: InputArgs,
}

/// `calc`
#[derive(Debug, Subcommand)]
pub enum CalcCommand {
    /// The UTM zone of a longitude or position, or the limits of a zone
    Zone {
        /// A longitude, a position, or a zone such as 10, 10N or 10T
        #[arg(required = true, num_args = 1..)]
        what: Vec<String>,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// A length or angle in other units, the two feet kept apart
    Units {
        /// The number
        #[arg(allow_negative_numbers = true)]
        value: String,
        /// Its unit, such as ft, ftUS, "Clarke's link", grad
        unit: String,
        /// Unit to give it in; all of them unless said
        #[arg(long, value_name = "UNIT")]
        to: Vec<String>,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// The shortest line between two positions on the ellipsoid, and the line of constant bearing
    Distance {
        /// The first position, in any notation; one that begins with a minus sign comes after `--`
        a: String,
        /// The second position
        b: String,
        /// System of the positions; WGS 84 unless said
        #[arg(long, value_name = "CRS")]
        from: Option<String>,
        /// Which number comes first, where the text does not say
        #[arg(long, value_name = "latitude-first|longitude-first")]
        order: Option<String>,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// Area and perimeter on the ellipsoid of the polygon through positions in their order
    Area {
        /// Three or more positions, or one table of points
        #[arg(required = true, num_args = 1..)]
        what: Vec<String>,
        /// System of the positions; WGS 84 unless said
        #[arg(long, value_name = "CRS")]
        from: Option<String>,
        /// Projected system to compare with: the area that its map would give
        #[arg(long, value_name = "CRS")]
        on: Option<String>,
        /// Which number comes first, where the text does not say
        #[arg(long, value_name = "latitude-first|longitude-first")]
        order: Option<String>,
        /// Print one report object
        #[arg(long)]
        json: bool,
        /// How to read a table
        #[command(flatten)]
        input: InputArgs,
    },
    /// The map sheets that a position is on, and the position on the sheet
    Sheet {
        /// The position, or the number of an international sheet such as NL-10
        what: String,
        /// Index of sheets of one's own: a table with their limits
        #[arg(long, value_name = "FILE")]
        index: Option<PathBuf>,
        /// System of the index's limits; WGS 84 unless said
        #[arg(long, value_name = "CRS")]
        index_crs: Option<String>,
        /// System of the position; WGS 84 unless said
        #[arg(long, value_name = "CRS")]
        from: Option<String>,
        /// Which number comes first, where the text does not say
        #[arg(long, value_name = "latitude-first|longitude-first")]
        order: Option<String>,
        /// Write the limits of the sheets as a layer of polygons (.geojson)
        #[arg(short, long, value_name = "FILE")]
        output: Option<PathBuf>,
        /// Replace a layer that exists
        #[arg(long)]
        overwrite: bool,
        /// Print one report object
        #[arg(long)]
        json: bool,
    },
    /// What a projection does to lengths, angles and areas at a position or over a layer
    Distortion {
        /// A position, or a table of points
        what: String,
        /// The projected system
        #[arg(long, value_name = "CRS", required = true)]
        on: String,
        /// System of the positions; WGS 84 unless said
        #[arg(long, value_name = "CRS")]
        from: Option<String>,
        /// Which number comes first, where the text does not say
        #[arg(long, value_name = "latitude-first|longitude-first")]
        order: Option<String>,
        /// Print one report object
        #[arg(long)]
        json: bool,
        /// How to read a table
        #[command(flatten)]
        input: InputArgs,
    },
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

impl InputArgs {
    /// The part of a plan.
    pub fn plan(&self) -> InputPlan {
        InputPlan {
            sheet: self.sheet.clone(),
            layer: self.layer.clone(),
            delimiter: self.delimiter.clone(),
            header_row: self.header_row,
            skip_lines: self.skip_lines,
            encoding: self.encoding.clone(),
        }
    }
}

impl RepairArgs {
    fn plan(&self) -> RepairPlan {
        RepairPlan {
            join: self
                .join
                .iter()
                .map(|(name, columns)| JoinPlan {
                    name: name.clone(),
                    columns: columns.split(',').map(|c| c.trim().to_string()).collect(),
                    separator: " ".into(),
                })
                .collect(),
            set: self.set.iter().cloned().collect(),
            rename: self.rename.iter().cloned().collect(),
            drop: self.drop.clone(),
            keep: self.keep.clone(),
            trim: self.trim,
        }
    }
}

impl OperationArgs {
    /// The part of a plan.
    pub fn plan(&self) -> OperationPlan {
        OperationPlan {
            epoch: self.epoch,
            via: self.via.clone(),
            grids: self.grids.clone(),
            require_accuracy: self.require_accuracy,
        }
    }
}

impl WriteArgs {
    fn plan(&self) -> WritePlan {
        WritePlan { notation: self.notation.clone(), digits: self.digits, columns: self.columns.clone() }
    }
}

impl ConvertArgs {
    /// The layer of a plan.
    pub fn layer(&self) -> LayerPlan {
        let position = self.position.plan();
        let asked = position != PositionPlan::default()
            || !self.write.to.is_empty()
            || self.write.notation.is_some()
            || self.operation.via.is_some();
        LayerPlan {
            source: self.input_file.clone(),
            to: self.write.to.clone(),
            input: self.input.plan(),
            repair: self.repair.plan(),
            position: asked.then_some(position),
            operation: self.operation.plan(),
            write: self.write.plan(),
            ..Default::default()
        }
    }
}

impl PositionArgs {
    /// The part of a plan.
    pub fn plan(&self) -> PositionPlan {
        PositionPlan {
            from: self.from.clone(),
            x: self.x.clone(),
            y: self.y.clone(),
            z: self.z.clone(),
            coordinates: self.coordinates.clone(),
            order: self.order.clone(),
        }
    }
}

impl NearestArgs {
    /// The layer of a plan.
    pub fn layer(&self) -> LayerPlan {
        LayerPlan {
            source: self.points.clone(),
            to: self.write.to.clone(),
            input: self.input.plan(),
            repair: self.repair.plan(),
            position: Some(self.position.plan()),
            nearest: Some(NearestPlan { reference: self.reference.clone(), most_m: Some(self.most) }),
            operation: self.operation.plan(),
            write: self.write.plan(),
            ..Default::default()
        }
    }
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
            write: self.write.plan(),
            ..Default::default()
        }
    }
}

impl RunBehaviour {
    /// The outputs of a plan.
    pub fn outputs(&self) -> Vec<OutputPlan> {
        self.output.iter().map(OutputPlan::new).collect()
    }
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
