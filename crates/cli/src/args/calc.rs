//! `calc`.

use super::InputPlan;
use clap::Subcommand;
use std::path::PathBuf;

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
        input: InputPlan,
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
        input: InputPlan,
    },
}
