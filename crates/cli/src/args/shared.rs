//! Options that many commands share: they mean the same everywhere.

use basilocus::gather::Gather;
use basilocus::plan::{
    GatherPlan, InputPlan, JoinPlan, LayerPlan, OperationPlan, OutputPlan, PositionPlan, RepairPlan, ShowPlan,
    WritePlan,
};
use clap::Args;
use std::path::{Path, PathBuf};

/// How to read the input.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Input")]
pub struct InputArgs {
    /// Sheet of a workbook
    #[arg(long, value_name = "NAME")]
    pub sheet: Option<String>,
    /// Layer of a GeoPackage, GML, GPX or DXF file, repeated element of XML, or file in an archive
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
    /// Text in fixed columns: their widths in characters, or a ruler such as "----- --- ----"; one in the file is found
    #[arg(long, value_name = "WIDTHS|RULER", allow_hyphen_values = true)]
    pub fixed: Option<String>,
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
    /// Which number comes first in a whole position that does not say, or in GML whose system's axes are not known
    #[arg(long, value_name = "latitude-first|longitude-first")]
    pub order: Option<String>,
}

/// What is made of points or lines before all else.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Coordinates")]
pub struct GatherArgs {
    /// Make lines or polygons of points in their order, or points of the positions of lines and polygons
    #[arg(long, value_name = "lines|polygons|points")]
    pub gather: Option<Gather>,
    /// Column with a value for each line or polygon; without it all points are one
    #[arg(long, value_name = "COLUMN", requires = "gather")]
    pub gather_by: Option<String>,
    /// Column that gives the order of the points; without it that of the rows
    #[arg(long, value_name = "COLUMN", requires = "gather")]
    pub gather_order: Option<String>,
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
    /// Add length_m (of polygons the perimeter) and area_m2 of lines and polygons, geodesic
    #[arg(long)]
    pub measure: bool,
    /// Bring the columns to the names, types and order of another layer or table, or of a header alone
    #[arg(long, value_name = "FILE")]
    pub like: Option<PathBuf>,
    /// Name of the layer; that of the source's file unless said
    #[arg(long, value_name = "NAME")]
    pub layer_name: Option<String>,
    /// How rows are shown
    #[command(flatten)]
    pub show: ShowArgs,
}

/// How rows are shown, by formats that show things.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Showing")]
pub struct ShowArgs {
    /// Column whose values are folders of KML, layers of a drawing, sheets of a workbook
    #[arg(long, value_name = "COLUMN")]
    pub category: Option<String>,
    /// Name of a row in KML: a column, or text with columns in braces
    #[arg(long, value_name = "TEMPLATE")]
    pub label: Option<String>,
    /// Text of a row's balloon in KML: a column, or text with columns in braces
    #[arg(long, value_name = "TEMPLATE")]
    pub balloon: Option<String>,
    /// Icon in KML: an address or file, a column, or COLUMN:VALUE=ICON,*=ICON
    #[arg(long, value_name = "RULE")]
    pub icon: Option<String>,
    /// Colour in KML: #RRGGBB or a name, a column, or COLUMN:VALUE=COLOUR,*=COLOUR
    #[arg(long, value_name = "RULE")]
    pub color: Option<String>,
    /// What heights are counted from in KML; the sea unless said
    #[arg(long, value_name = "ground|above-ground|above-sea")]
    pub altitude: Option<String>,
}

/// Everything from reading a table with coordinates to writing it.
#[derive(Debug, Clone, Default, Args)]
pub struct TableArgs {
    /// How to read
    #[command(flatten)]
    pub input: InputArgs,
    /// What to mend
    #[command(flatten)]
    pub repair: RepairArgs,
    /// Where coordinates are
    #[command(flatten)]
    pub position: PositionArgs,
    /// What to make of points or lines
    #[command(flatten)]
    pub gather: GatherArgs,
    /// Which way to take
    #[command(flatten)]
    pub operation: OperationArgs,
    /// How to write
    #[command(flatten)]
    pub write: WriteArgs,
}

impl TableArgs {
    /// The layer of a plan. Coordinates are read where anything about them is said; else they are found where an output
    /// needs them.
    pub fn layer(&self, source: &Path) -> LayerPlan {
        let position = self.position.plan();
        let asked = position != PositionPlan::default()
            || !self.write.to.is_empty()
            || self.write.notation.is_some()
            || self.operation.via.is_some()
            || self.gather.gather.is_some();
        LayerPlan {
            source: source.to_path_buf(),
            name: self.write.layer_name.clone(),
            to: self.write.to.clone(),
            input: self.input.plan(),
            repair: self.repair.plan(),
            position: asked.then_some(position),
            gather: self.gather.plan(),
            operation: self.operation.plan(),
            write: self.write.plan(),
            ..Default::default()
        }
    }
}

/// How a run behaves.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Behaviour")]
pub struct RunBehaviour {
    /// Output; its ending says the format (.csv .tsv .xlsx .dbf .geojson .geojsonl .gpkg .shp .kml .kmz .gml .gpx .dxf .parquet); - prints a table
    /// with tabs; may be given several times
    #[arg(short, long, value_name = "FILE")]
    pub output: Vec<PathBuf>,
    /// Replace outputs that exist
    #[arg(long)]
    pub overwrite: bool,
    /// Add the layer to a GeoPackage that exists
    #[arg(long, conflicts_with = "overwrite")]
    pub append: bool,
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
            fixed: self.fixed.clone(),
        }
    }
}

impl RepairArgs {
    /// The part of a plan.
    pub fn plan(&self) -> RepairPlan {
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

impl GatherArgs {
    /// The part of a plan.
    pub fn plan(&self) -> Option<GatherPlan> {
        let into = self.gather?;
        Some(GatherPlan { into, by: self.gather_by.clone(), order: self.gather_order.clone() })
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
    /// The part of a plan.
    pub fn plan(&self) -> WritePlan {
        WritePlan {
            notation: self.notation.clone(),
            digits: self.digits,
            columns: self.columns.clone(),
            measure: self.measure,
            like: self.like.clone(),
            show: self.show.plan(),
        }
    }
}

impl ShowArgs {
    /// The part of a plan.
    pub fn plan(&self) -> ShowPlan {
        ShowPlan {
            category: self.category.clone(),
            label: self.label.clone(),
            balloon: self.balloon.clone(),
            icon: self.icon.clone(),
            color: self.color.clone(),
            altitude: self.altitude.clone(),
        }
    }
}

impl RunBehaviour {
    /// The outputs of a plan.
    pub fn outputs(&self) -> Vec<OutputPlan> {
        self.output.iter().map(OutputPlan::new).collect()
    }
}
