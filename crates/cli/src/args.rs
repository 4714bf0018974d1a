//! Options that many commands share: they mean the same everywhere. Most are declared where plans are, by the library.

use basilocus::plan::{Flags, InputPlan, OperationPlan, OutputPlan, ShowPlan};
use basilocus::steps::{Heights, Join, Kept, Lines, Measure, Polygons, Positions, To};
use clap::{Args, ValueEnum};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What to mend in the table, and which columns are written.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Columns")]
pub(crate) struct ColumnArgs {
    /// Where the data should be: limits in degrees, a place in words such as Oregon, a position, a layer or reference; nothing is set
    /// aside for it, and what lies elsewhere is told with what would explain it
    #[arg(long, value_name = "W,S,E,N|PLACE|LAYER|REFERENCE", allow_hyphen_values = true, help_heading = "Input")]
    pub(crate) expect: Option<String>,
    /// Columns of the table to keep in the output, in this order
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    pub(crate) keep: Vec<String>,
    /// Columns to leave out of the output; coordinates and addresses are read from them all the same
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    pub(crate) drop: Vec<String>,
    /// Give a column another name
    #[arg(long, value_name = "OLD=NEW", value_parser = pair)]
    pub(crate) rename: Vec<(String, String)>,
    /// Add a column with one value; in a column that is there, fill the empty cells
    #[arg(long, value_name = "NAME=VALUE", value_parser = pair)]
    pub(crate) set: Vec<(String, String)>,
    /// Add a column made of others
    #[arg(long, value_name = "NAME=A,B,…", value_parser = pair)]
    pub(crate) join: Vec<(String, String)>,
    /// Take white space off the ends of cells and make inner runs one blank
    #[arg(long)]
    pub(crate) trim: bool,
    /// Keep the rows of a feed from turn to turn, one for each value of this column: what is new is added, what changed replaced, and
    /// what the feed does not have any more stays
    #[arg(long, value_name = "COLUMN", help_heading = "Feed")]
    pub(crate) key: Option<String>,
    /// The file that keeps them; one beside the output unless said
    #[arg(long, value_name = "FILE.sqlite", requires = "key", help_heading = "Feed")]
    pub(crate) kept: Option<PathBuf>,
}

fn pair(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((a, b)) if !a.trim().is_empty() => Ok((a.trim().to_string(), b.to_string())),
        _ => Err("NAME=VALUE is expected".into()),
    }
}

/// What is made of points, lines and polygons.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Gather {
    /// Points in their order become lines.
    Lines,
    /// Points in their order become polygons.
    Polygons,
    /// Each position of lines and polygons becomes a point.
    Points,
}

/// What is made of points or lines before all else.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Coordinates")]
pub(crate) struct GatherArgs {
    /// Make lines or polygons of points in their order, or points of the positions of lines and polygons
    #[arg(long, value_name = "lines|polygons|points", hide_possible_values = true)]
    pub(crate) gather: Option<Gather>,
    /// Column with a value for each line or polygon; without it all points are one
    #[arg(long, value_name = "COLUMN", requires = "gather")]
    pub(crate) gather_by: Option<String>,
    /// Column that gives the order of the points; without it that of the rows
    #[arg(long, value_name = "COLUMN", requires = "gather")]
    pub(crate) gather_order: Option<String>,
}

/// What is written beside coordinates.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Writing")]
pub(crate) struct WriteArgs {
    /// Systems and coordinates
    #[command(flatten)]
    pub(crate) to: To,
    /// Add length_m (of polygons the perimeter) and area_m2 of lines and polygons, geodesic; under names of your own with
    /// --measure=LENGTH,AREA
    #[arg(long, value_name = "LENGTH,AREA", num_args = 0..=2, require_equals = true, value_delimiter = ',')]
    pub(crate) measure: Option<Vec<String>>,
    /// Add heights of a grid (.tif, .asc) or of another layer with heights: a column `height` of points, a height at each position of lines and polygons
    #[arg(long, value_name = "GRID")]
    pub(crate) heights: Option<PathBuf>,
    /// System of that grid, where its file carries none
    #[arg(long, value_name = "CRS", requires = "heights")]
    pub(crate) heights_from: Option<String>,
    /// Unit of its heights, where nothing says it
    #[arg(long, value_name = "UNIT", requires = "heights")]
    pub(crate) heights_unit: Option<String>,
    /// Number that stands for no height in it, where its file does not say it
    #[arg(long, value_name = "NUMBER", allow_negative_numbers = true, requires = "heights")]
    pub(crate) heights_no_data: Option<f64>,
    /// Take the height of the nearest cell in place of the surface between cells
    #[arg(long, requires = "heights")]
    pub(crate) heights_nearest: bool,
    /// Keep rows for which the grid has no height; they are set aside otherwise
    #[arg(long, requires = "heights")]
    pub(crate) heights_may_lack: bool,
    /// Bring the columns to the names, types and order of another layer or table, or of a header alone
    #[arg(long, value_name = "FILE")]
    pub(crate) like: Option<PathBuf>,
    /// Name of the layer; that of the source's file unless said
    #[arg(long, value_name = "NAME")]
    pub(crate) layer_name: Option<String>,
    /// How rows are shown
    #[command(flatten)]
    pub(crate) show: ShowPlan,
}

/// Everything from reading a table with coordinates to writing it.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct TableArgs {
    /// How to read
    #[command(flatten)]
    pub(crate) input: InputPlan,
    /// What to mend
    #[command(flatten)]
    pub(crate) columns: ColumnArgs,
    /// Where coordinates are
    #[command(flatten)]
    pub(crate) positions: Positions,
    /// What to make of points or lines
    #[command(flatten)]
    pub(crate) gather: GatherArgs,
    /// Which way to take
    #[command(flatten)]
    pub(crate) operation: OperationPlan,
    /// How to write
    #[command(flatten)]
    pub(crate) write: WriteArgs,
}

impl ColumnArgs {
    /// The options with what is said of columns.
    pub(crate) fn flags(&self, flags: Flags) -> Flags {
        let join = |(name, columns): &(String, String)| Join {
            name: name.clone(),
            columns: columns.split(',').map(|c| c.trim().to_string()).collect(),
            separator: " ".into(),
        };
        Flags {
            expect: self.expect.clone(),
            kept: self.key.clone().map(|key| Kept { key, file: self.kept.clone() }),
            trim: self.trim,
            join: self.join.iter().map(join).collect(),
            set: self.set.iter().cloned().collect(),
            rename: self.rename.iter().cloned().collect(),
            drop: self.drop.clone(),
            keep: self.keep.clone(),
            ..flags
        }
    }
}

impl WriteArgs {
    /// The options with what is said of writing.
    pub(crate) fn flags(&self, flags: Flags) -> Flags {
        Flags {
            name: self.layer_name.clone(),
            measure: self.measure.clone().map(|columns| Measure { columns }),
            heights: self.heights.as_ref().map(|grid| Heights {
                grid: grid.clone(),
                from: self.heights_from.clone(),
                unit: self.heights_unit.clone(),
                no_data: self.heights_no_data,
                nearest: self.heights_nearest,
                may_lack: self.heights_may_lack,
            }),
            to: Some(self.to.clone()),
            like: self.like.clone(),
            show: self.show.clone(),
            ..flags
        }
    }
}

impl TableArgs {
    /// The options of a layer. Positions are read where anything about them is said; else they are found where an output
    /// needs them.
    pub(crate) fn flags(&self, source: &Path) -> Flags {
        let asked = self.positions != Positions::default()
            || !self.write.to.systems.is_empty()
            || self.write.to.notation.is_some()
            || self.operation.via.is_some()
            || self.gather.gather.is_some_and(|g| g != Gather::Points);
        let (by, order) = (self.gather.gather_by.clone(), self.gather.gather_order.clone());
        let is = |gather: Gather| self.gather.gather == Some(gather);
        let flags = Flags {
            source: source.to_path_buf(),
            input: self.input.clone(),
            positions: asked.then(|| self.positions.clone()),
            lines: is(Gather::Lines).then(|| Lines { by: by.clone(), order: order.clone() }),
            polygons: is(Gather::Polygons).then_some(Polygons { by, order }),
            vertices: is(Gather::Points),
            operation: self.operation.clone(),
            ..Default::default()
        };
        self.write.flags(self.columns.flags(flags))
    }
}

/// How a run behaves.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Behaviour")]
pub(crate) struct RunBehaviour {
    /// Output; its ending says the format (.csv .tsv .xlsx .dbf .geojson .geojsonl .gpkg .shp .kml .kmz .gml .gpx .dxf .parquet); - prints a table
    /// with tabs; may be given several times
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Vec<PathBuf>,
    /// One output for each value of a column, also of one taken from areas: OUT-VALUE.ending; `geometry` for one a kind of
    /// geometry
    #[arg(long, value_name = "COLUMN")]
    pub(crate) split_by: Option<String>,
    /// Draw the first output too, matches coloured by their level (.png, .svg, .html)
    #[arg(long, value_name = "FILE")]
    pub(crate) picture: Option<PathBuf>,
    /// Replace outputs that exist
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Write rows set aside to this .csv file, in place of the one beside the output
    #[arg(long, value_name = "FILE")]
    pub(crate) set_aside: Option<PathBuf>,
    /// Add the layer to a GeoPackage that exists
    #[arg(long, conflicts_with = "overwrite")]
    pub(crate) append: bool,
    /// Add the rows to the layer of that name in a GeoPackage that exists
    #[arg(long, conflicts_with_all = ["overwrite", "append"])]
    pub(crate) append_rows: bool,
    /// Exit status 3 where a row is set aside or a doubt raised; nothing is written where a missing grid file would make
    /// the result coarser
    #[arg(long)]
    pub(crate) strict: bool,
    /// Let a doubt pass: it is told, and --strict does not stop at it; several times
    #[arg(long, value_name = "DOUBT")]
    pub(crate) accept: Vec<String>,
    /// Print one report object
    #[arg(long)]
    pub(crate) json: bool,
    /// Print nothing but errors
    #[arg(short, long)]
    pub(crate) quiet: bool,
    /// Print the steps of operations too
    #[arg(short, long)]
    pub(crate) verbose: bool,
    /// Write down what was done, for `run`
    #[arg(long, value_name = "FILE")]
    pub(crate) save_plan: Option<PathBuf>,
    /// No progress bar
    #[arg(long)]
    pub(crate) no_progress: bool,
    /// Threads that work on rows; one a core unless said
    #[arg(long, value_name = "N")]
    pub(crate) threads: Option<std::num::NonZeroUsize>,
    /// Do it again and again, as a source changes: 30s, 5m, 2h, 1d from one beginning to the next; a broken answer leaves the output as it
    /// is, and Ctrl-C ends it
    #[arg(long, value_name = "TIME", value_parser = interval, help_heading = "Feed", conflicts_with_all = ["append", "append_rows", "picture", "strict"])]
    pub(crate) every: Option<Duration>,
    /// So many turns; until Ctrl-C unless said
    #[arg(long, value_name = "N", requires = "every", help_heading = "Feed")]
    pub(crate) turns: Option<std::num::NonZeroU64>,
    /// Write a small KML file too that loads the KML output again and again
    #[arg(long, value_name = "FILE.kml", requires = "every", help_heading = "Feed")]
    pub(crate) network_link: Option<PathBuf>,
}

/// A time with its unit: `30s`, `5m`, `2h`, `1d`.
fn interval(text: &str) -> Result<Duration, String> {
    let expected = || "a number and s, m, h or d is expected, as in 5m".to_string();
    let unit = text.chars().last().ok_or_else(expected)?;
    let seconds = match unit {
        's' => 1.0,
        'm' => 60.0,
        'h' => 3600.0,
        'd' => 86400.0,
        _ => return Err(expected()),
    };
    let number: f64 = text[..text.len() - 1].parse().map_err(|_| expected())?;
    let time = number * seconds;
    if !(0.1..=366.0 * 86400.0).contains(&time) {
        return Err("a time from a tenth of a second to a year is expected".into());
    }
    Ok(Duration::from_secs_f64(time))
}

impl RunBehaviour {
    /// The outputs of a plan.
    pub(crate) fn outputs(&self) -> Vec<OutputPlan> {
        let split = |o: OutputPlan| OutputPlan { split_by: self.split_by.clone(), ..o };
        self.output.iter().map(|file| split(OutputPlan::new(file))).collect()
    }
}
