//! What is to be done, as data: the form that the command's options build, that the library's calls build, and that a file
//! can hold.
//!
//! ```
//! use basilocus::Plan;
//!
//! let folder = tempfile::tempdir()?;
//! let file = folder.path().join("gates.toml");
//! std::fs::write(&file, r#"
//! basilocus_plan = 2
//!
//! [[layer]]
//! source = "gates.csv"
//!
//! [[layer.step]]
//! positions = { from = "EPSG:4326" }
//!
//! [[layer.step]]
//! to = { systems = ["EPSG:32610"] }
//!
//! [[layer.step]]
//! drop = ["lon", "lat"]
//!
//! [[output]]
//! file = "gates.gpkg"
//! "#)?;
//! let plan = Plan::load(&file)?;
//! assert_eq!(plan.layers[0].steps.iter().map(|s| s.name()).collect::<Vec<_>>(), ["positions", "to", "drop"]);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod flags;
pub(crate) mod named;
mod version_1;

pub use flags::Flags;

use crate::Error;
use crate::engine::Records;
use crate::steps::StepPlan;
use basilocus_formats::{Altitude, InputOptions};
use basilocus_geodesy::notation::AxisOrder;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// The version of the plan format that is written.
pub const VERSION: u32 = 2;

pub(crate) fn is_default<T: Default + PartialEq>(v: &T) -> bool {
    *v == T::default()
}

/// A whole run: layers in, files out.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Plan {
    /// Version of this form.
    #[serde(default)]
    pub basilocus_plan: u32,
    /// Day that is written into outputs, `YYYY-MM-DD`; without it, the day of the run.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub date: Option<String>,
    /// Comma-separated file for the rows set aside, in place of the one beside the output; of several layers, each has one
    /// with its name before the ending.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_aside: Option<PathBuf>,
    /// Names of doubts that are let pass: they are told, and do not make a run unclean.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub accept: Vec<String>,
    /// The tables.
    #[serde(default, rename = "layer")]
    pub layers: Vec<LayerPlan>,
    /// The files.
    #[serde(default, rename = "output")]
    pub outputs: Vec<OutputPlan>,
}

/// One table and what becomes of it.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LayerPlan {
    /// Name of the layer in outputs; without it, the name of the file.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The file.
    pub source: PathBuf,
    /// Rows in memory instead of a file.
    #[serde(skip)]
    pub records: Option<Records>,
    /// How to read the file.
    #[serde(default, skip_serializing_if = "is_default")]
    pub input: InputPlan,
    /// Where the data should be: `WEST,SOUTH,EAST,NORTH` in degrees, a place in words, the path of a layer. Nothing is set aside
    /// for it; what lies elsewhere is a doubt, with what would explain it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expect: Option<String>,
    /// Which way is taken between systems.
    #[serde(default, skip_serializing_if = "is_default")]
    pub operation: OperationPlan,
    /// How rows are shown, by formats that show things.
    #[serde(default, skip_serializing_if = "is_default")]
    pub show: ShowPlan,
    /// What was found in the file when the plan was saved; what is found in another run has to be the same.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub found: Option<Found>,
    /// What happens to its rows, in this order.
    #[serde(default, rename = "step", skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<StepPlan>,
}

/// What a run found out of a layer that nobody said.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Found {
    /// The sheet of a workbook.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// The layer of a file that holds several.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// The encoding of a text.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub encoding: Option<String>,
    /// The sign between its fields.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<String>,
    /// The row of its header.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub header_row: Option<u64>,
    /// The system of positions from columns.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// Column or columns of longitude, easting or x.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub x: Option<String>,
    /// Column or columns of latitude, northing or y.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub y: Option<String>,
    /// Column of heights.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub z: Option<String>,
    /// Column or columns that hold the whole position.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub coordinates: Option<String>,
    /// Columns of addresses, by the part that each holds.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub addresses: BTreeMap<String, String>,
}

impl Found {
    /// What it says, in words and values.
    pub(crate) fn parts(&self) -> [(&'static str, Option<String>); 11] {
        let addresses: Vec<String> = self.addresses.iter().map(|(part, column)| format!("{part}: {column}")).collect();
        [
            ("the sheet", self.sheet.clone()),
            ("the layer", self.layer.clone()),
            ("the encoding", self.encoding.clone()),
            ("the delimiter", self.delimiter.clone()),
            ("the row of the header", self.header_row.map(|row| row.to_string())),
            ("the column of longitudes, eastings or x", self.x.clone()),
            ("the column of latitudes, northings or y", self.y.clone()),
            ("the column of positions", self.coordinates.clone()),
            ("the column of heights", self.z.clone()),
            ("the system of positions", self.from.clone()),
            ("what columns hold of addresses", (!addresses.is_empty()).then(|| addresses.join(", "))),
        ]
    }
}

/// Which way is taken between systems.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Operation"))]
#[serde(deny_unknown_fields)]
pub struct OperationPlan {
    /// When the positions were measured, for frames that move: a decimal year, such as 2020.5
    #[cfg_attr(feature = "arguments", arg(long, value_name = "YEAR"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub epoch: Option<f64>,
    /// Which way to take: a part of the operation's name, the system in between, or a file made with `fit`
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME|CRS|FILE"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub via: Option<String>,
    /// Folder of grid files
    #[cfg_attr(feature = "arguments", arg(long, value_name = "DIR"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub grids: Option<PathBuf>,
    /// Refuse operations that are less accurate
    #[cfg_attr(feature = "arguments", arg(long, value_name = "METRES"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub require_accuracy: Option<f64>,
}

/// How to read a file.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Input"))]
#[serde(deny_unknown_fields)]
pub struct InputPlan {
    /// Sheet of a workbook
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// Layer of a GeoPackage, GML, GPX or DXF file, repeated element of XML, or file in an archive
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// Delimiter of text: a character, or tab, space, comma, semicolon
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CHARACTER"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<String>,
    /// Row of the header, counted from 1; 0 if there is none
    #[cfg_attr(feature = "arguments", arg(long, value_name = "ROW"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub header_row: Option<u64>,
    /// Lines to skip at the start
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LINES"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub skip_lines: Option<u64>,
    /// Encoding of text, such as windows-1252
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LABEL"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub encoding: Option<String>,
    /// Take fields that are missing at the end of a row of text as empty, where a program leaves them out
    #[cfg_attr(feature = "arguments", arg(long))]
    #[serde(default, skip_serializing_if = "is_default")]
    pub fill_short_rows: bool,
    /// Text in fixed columns: their widths in characters, or a ruler such as "----- --- ----"; one in the file is found
    #[cfg_attr(feature = "arguments", arg(long, value_name = "WIDTHS|RULER", allow_hyphen_values = true))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fixed: Option<String>,
    /// Rows that cannot meet this rectangle need not be read (west, south, east, north in the coordinates of the layer), where
    /// the format has an index of places; a step that chooses rows by it has to follow all the same.
    #[cfg_attr(feature = "arguments", arg(skip))]
    #[serde(skip)]
    pub extent: Option<[f64; 4]>,
}

/// How rows are shown: by KML, and where rows are parted by drawings and workbooks too.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Showing"))]
#[serde(deny_unknown_fields)]
pub struct ShowPlan {
    /// Column whose values are folders of KML, layers of a drawing, sheets of a workbook
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub category: Option<String>,
    /// Name of a row in KML: a column, or text with columns in braces
    #[cfg_attr(feature = "arguments", arg(long, value_name = "TEMPLATE"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Text of a row's balloon in KML: a column, or text with columns in braces
    #[cfg_attr(feature = "arguments", arg(long, value_name = "TEMPLATE"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub balloon: Option<String>,
    /// Icon in KML: an address or file, a column, or COLUMN:VALUE=ICON,*=ICON
    #[cfg_attr(feature = "arguments", arg(long, value_name = "RULE"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub icon: Option<String>,
    /// Colour in KML: #RRGGBB or a name, a column, or COLUMN:VALUE=COLOUR,*=COLOUR
    #[cfg_attr(feature = "arguments", arg(long, value_name = "RULE"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<String>,
    /// What heights are counted from in KML; the sea unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "ground|above-ground|above-sea"))]
    #[serde(default, with = "crate::plan::named", skip_serializing_if = "Option::is_none")]
    pub altitude: Option<Altitude>,
}

/// A file to write.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OutputPlan {
    /// The file; its ending says the format.
    pub file: PathBuf,
    /// One file for each value of this column.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub split_by: Option<String>,
}

impl LayerPlan {
    /// A layer of a file, with no step.
    pub fn new(source: impl Into<PathBuf>) -> Self {
        LayerPlan { source: source.into(), ..Default::default() }
    }

    /// The same with a further step.
    pub fn with(mut self, step: impl Into<StepPlan>) -> Self {
        self.steps.push(step.into());
        self
    }

    /// The options for the reader.
    ///
    /// # Errors
    /// As [`InputPlan::options`].
    pub fn options(&self) -> Result<InputOptions, Error> {
        let order = self.steps.iter().find_map(|s| match s {
            StepPlan::Positions(p) => p.order,
            _ => None,
        });
        let north_first = order.map(|o| o == AxisOrder::LatitudeFirst);
        Ok(InputOptions { north_first, ..self.input.options()? })
    }

    /// Name of the layer: what was said, or the file's stem.
    pub fn layer_name(&self) -> String {
        self.name
            .clone()
            .or_else(|| basilocus_formats::is_standard(&self.source).then(|| "standard_input".to_string()))
            .unwrap_or_else(|| self.source.file_stem().map_or("layer".into(), |s| s.to_string_lossy().into_owned()))
    }
}

impl OutputPlan {
    /// A file.
    pub fn new(file: impl Into<PathBuf>) -> Self {
        OutputPlan { file: file.into(), split_by: None }
    }
}

impl InputPlan {
    /// The options for the reader.
    ///
    /// # Errors
    /// Where the delimiter is not one character.
    pub fn options(&self) -> Result<InputOptions, Error> {
        let delimiter = match self.delimiter.as_deref() {
            None => None,
            Some("tab" | "\\t" | "\t") => Some(b'\t'),
            Some("space") => Some(b' '),
            Some("comma") => Some(b','),
            Some("semicolon") => Some(b';'),
            Some(d) if d.len() == 1 && d.is_ascii() && d != "\"" && d != "\n" => Some(d.as_bytes()[0]),
            Some(d) => {
                return Err(Error::Usage(format!(
                    "`delimiter` \"{d}\": one character is expected, or one of the words tab, space, comma, semicolon"
                )));
            }
        };
        Ok(InputOptions {
            sheet: self.sheet.clone(),
            layer: self.layer.clone(),
            delimiter,
            header_row: self.header_row,
            skip_lines: self.skip_lines,
            fill_short_rows: self.fill_short_rows,
            encoding: self.encoding.clone(),
            fixed: self.fixed.clone(),
            geometry_text: false,
            north_first: None,
            extent: self.extent,
        })
    }
}

/// The day that is written into outputs, `YYYY-MM-DD`: the one that was said, or today in UTC.
///
/// # Errors
/// [`Error::Usage`] for a text that is no day.
///
/// ```
/// assert_eq!(basilocus::plan::day(Some("2026-11-26")).unwrap(), "2026-11-26");
/// assert!(basilocus::plan::day(Some("2026-02-30")).is_err());
/// ```
pub fn day(said: Option<&str>) -> Result<String, Error> {
    let Some(text) = said else { return Ok(today()) };
    let wrong = || Error::Usage(format!("date \"{text}\": a day from 1980 on is expected, as in 2026-11-26"));
    let found: jiff::civil::Date = text.parse().map_err(|_| wrong())?;
    // Archives and workbooks know no day before 1980.
    if found.to_string() != text || found.year() < 1980 {
        return Err(wrong());
    }
    Ok(found.to_string())
}

/// Today in UTC, `YYYY-MM-DD`.
pub fn today() -> String {
    jiff::Timestamp::now().to_zoned(jiff::tz::TimeZone::UTC).date().to_string()
}

/// The version of a plan, before all else is read.
#[derive(Deserialize)]
struct Version {
    #[serde(default)]
    basilocus_plan: u32,
}

impl Plan {
    /// Reads a plan file; paths in it are relative to its folder. Plans of version 1 are turned into lists of steps.
    ///
    /// # Errors
    /// [`Error::PlanFile`] with the line and the field.
    pub fn load(path: &Path) -> Result<Self, Error> {
        let bad = |problem: String| Error::PlanFile { path: path.to_path_buf(), problem };
        let words = |e: toml::de::Error| bad(e.to_string().trim_end().to_string());
        let text = std::fs::read_to_string(path).map_err(|e| bad(e.to_string()))?;
        let version: Version = toml::from_str(&text).map_err(words)?;
        let mut plan: Plan = match version.basilocus_plan {
            VERSION => toml::from_str(&text).map_err(words)?,
            1 => toml::from_str::<version_1::Plan>(&text).map_err(words)?.into(),
            other => {
                return Err(bad(format!("basilocus_plan = {other} is no version that is read (1 and {VERSION})")));
            }
        };
        day(plan.date.as_deref()).map_err(|e| bad(e.to_string()))?;
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty());
        if let Some(folder) = folder {
            plan.each_path(&mut |p| {
                if p.is_relative() {
                    *p = folder.join(&*p);
                }
            });
        }
        Ok(plan)
    }

    /// The plan as the text of a file that will stand at `path`.
    ///
    /// # Errors
    /// [`Error::PlanFile`] where a value cannot be written as TOML: a step of the caller's own, or rows in memory.
    pub fn to_text(&self, path: &Path) -> Result<String, Error> {
        let bad = |problem: String| Error::PlanFile { path: path.to_path_buf(), problem };
        let mut plan = self.clone();
        plan.basilocus_plan = VERSION;
        for layer in &plan.layers {
            if layer.records.is_some() {
                return Err(bad(format!("the rows of the layer {} are in memory", layer.layer_name())));
            }
            if let Some(own) = layer.steps.iter().find(|s| matches!(s, StepPlan::Own(_))) {
                return Err(bad(format!("the step \"{}\" is the caller's own, which no file can hold", own.name())));
            }
        }
        let here = std::env::current_dir().unwrap_or_default();
        let folder = here.join(path).parent().map(Path::to_path_buf).unwrap_or_default();
        plan.each_path(&mut |p| {
            let absolute = here.join(&*p);
            *p = absolute.strip_prefix(&folder).map(Path::to_path_buf).unwrap_or(absolute);
        });
        let mut no_text = None;
        plan.each_path(&mut |p| {
            no_text = no_text.take().or_else(|| p.to_str().is_none().then(|| p.clone()));
        });
        if let Some(p) = no_text {
            return Err(Error::Usage(format!(
                "{}: the name of {} is no Unicode text, which no plan can hold; rename it",
                path.display(),
                p.display()
            )));
        }
        let body = toml::to_string(&plan).map_err(|e| bad(e.to_string()))?;
        Ok(format!(
            "# A plan for basilocus: `basilocus run {}` does it again.\n# Paths are relative to this file. Take the date out to write the day of the run.\n\n{body}",
            path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned())
        ))
    }

    fn each_path(&mut self, f: &mut dyn FnMut(&mut PathBuf)) {
        // Standard input and output and what is on the web are no files of a folder.
        let f = &mut |p: &mut PathBuf| {
            if !basilocus_formats::is_standard(p) && !basilocus_formats::is_address(p) {
                f(p);
            }
        };
        for layer in &mut self.layers {
            f(&mut layer.source);
            layer.steps.iter_mut().filter_map(StepPlan::step_mut).for_each(|s| s.each_path(&mut *f));
            layer.operation.grids.iter_mut().for_each(&mut *f);
            crate::steps::to::each_system_file(layer.operation.via.as_mut(), &mut *f);
        }
        self.outputs.iter_mut().for_each(|o| f(&mut o.file));
        self.set_aside.iter_mut().for_each(&mut *f);
    }
}

#[cfg(test)]
mod tests;
