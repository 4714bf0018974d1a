//! What is to be done, as data: the form that the command's options build and that a file can hold.

use crate::Error;
use crate::gather::Gather;
use basilocus_formats::InputOptions;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// The version of the plan format that is written.
pub const VERSION: u32 = 1;

fn is_default<T: Default + PartialEq>(v: &T) -> bool {
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
    /// Target systems. The first is that of the geometry; each gives coordinate columns.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub to: Vec<String>,
    /// How to read the file.
    #[serde(default, skip_serializing_if = "is_default")]
    pub input: InputPlan,
    /// What to mend on the way in.
    #[serde(default, skip_serializing_if = "is_default")]
    pub repair: RepairPlan,
    /// Addresses to match.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub geocode: Option<GeocodePlan>,
    /// What is made of points or lines before all else.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gather: Option<GatherPlan>,
    /// Coordinates to read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<PositionPlan>,
    /// The nearest address to each position.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub nearest: Option<NearestPlan>,
    /// Which rows to choose.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub select: Option<SelectPlan>,
    /// Which way is taken between systems.
    #[serde(default, skip_serializing_if = "is_default")]
    pub operation: OperationPlan,
    /// How coordinates are written.
    #[serde(default, skip_serializing_if = "is_default")]
    pub write: WritePlan,
}

/// What is made of points or lines before all else.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GatherPlan {
    /// What they become.
    pub into: Gather,
    /// Column with a value for each line or polygon; without it all points are one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// Column that gives the order of the points; without it that of the rows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
}

/// Which way is taken between systems.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OperationPlan {
    /// When the positions were measured, as a decimal year.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub epoch: Option<f64>,
    /// A part of an operation's name, the system in between, or the file of a fitted transformation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub via: Option<String>,
    /// Folder of grid files.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub grids: Option<PathBuf>,
    /// Less accurate ways are refused, metres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub require_accuracy: Option<f64>,
}

/// How to read a file.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct InputPlan {
    /// Sheet of a workbook.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// Layer of a GeoPackage.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// Delimiter of text: a character, or `tab`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub delimiter: Option<String>,
    /// Row of the header, from 1; 0 for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub header_row: Option<u64>,
    /// Lines to skip.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub skip_lines: Option<u64>,
    /// Encoding of text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub encoding: Option<String>,
    /// Columns of text at fixed positions: widths in characters, or a ruler.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fixed: Option<String>,
}

/// What to mend on the way in. Done in this order: join, set, rename, drop, keep.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RepairPlan {
    /// New columns made of others.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub join: Vec<JoinPlan>,
    /// Columns with one value for all rows; an empty cell of an existing column is filled, what is there stays.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub set: BTreeMap<String, String>,
    /// Old name to new name.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub rename: BTreeMap<String, String>,
    /// Columns to leave out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub drop: Vec<String>,
    /// Columns to keep, in this order; empty for all.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub keep: Vec<String>,
    /// Whether white space at the ends of cells is taken off and inner runs become one blank.
    #[serde(default, skip_serializing_if = "is_default")]
    pub trim: bool,
}

/// A column made of others.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct JoinPlan {
    /// Its name.
    pub name: String,
    /// The columns, in order; empty cells are passed over.
    pub columns: Vec<String>,
    /// What stands between them.
    #[serde(default = "blank")]
    pub separator: String,
}

fn blank() -> String {
    " ".into()
}

/// Addresses to match. Columns that are not said are found from their headers.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GeocodePlan {
    /// Reference files; the best match of all is taken.
    pub reference: Vec<PathBuf>,
    /// Column with the whole address.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// Column with the house number.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub house_number: Option<String>,
    /// Column with the street.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub street: Option<String>,
    /// Column with the unit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// Column with the locality.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub locality: Option<String>,
    /// Column with the region.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub region: Option<String>,
    /// Column with the postcode.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub postcode: Option<String>,
    /// Column with the country.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub country_column: Option<String>,
    /// Only references of this country are used.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub country: Option<String>,
    /// Nothing is placed finer than this level.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub finest: Option<String>,
    /// Coarser levels are set aside.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coarsest: Option<String>,
    /// What is set aside is placed at this level or a finer one in a second pass.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub then: Option<String>,
    /// Where the data is: `LON,LAT`, or a locality. Of equal candidates the nearest is taken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub near: Option<String>,
    /// Results must lie there: `WEST,SOUTH,EAST,NORTH`, a file of polygons, or the name of a locality, region or area.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<String>,
    /// Lower confidences are set aside.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub min_confidence: Option<u8>,
    /// Metres between the line of a street and its buildings.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_back_m: Option<f64>,
    /// Further columns from the reference: `postcode`, `extension`, `locality`, `region`, `parent`, attributes of areas.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub extras: Vec<String>,
    /// How many candidates to list in a column `candidates`; 0 for none.
    #[serde(default, skip_serializing_if = "is_default")]
    pub candidates: usize,
    /// A workbook of the rows in doubt, to be answered.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub review: Option<PathBuf>,
    /// A workbook with answers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub answers: Option<PathBuf>,
    /// A file with the answers of earlier reviews.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remember: Option<PathBuf>,
}

/// The nearest address to each position, and the areas around it.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NearestPlan {
    /// Reference files; the nearest address of all is taken.
    pub reference: Vec<PathBuf>,
    /// Farther addresses are none, metres; 1000 without it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_m: Option<f64>,
}

/// Which rows to choose, and how to part them.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SelectPlan {
    /// A layer of polygons; rows inside one of them are chosen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inside: Option<PathBuf>,
    /// Its layer, where it has several.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inside_layer: Option<String>,
    /// Which of the areas count: `COLUMN=VALUE`, several values parted by `|`; all conditions hold.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub choose: Vec<String>,
    /// Columns of the areas that rows inside take.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub take: Vec<String>,
    /// Rows by their own columns: `COLUMN=VALUE`, several values parted by `|`; all conditions hold.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub values: Vec<String>,
    /// Rows between meridians and parallels, `WEST,SOUTH,EAST,NORTH` in degrees of WGS 84.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extent: Option<String>,
    /// One output for each value of this column.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub split_by: Option<String>,
}

/// Coordinates to read. Columns that are not said are found from headers and values.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PositionPlan {
    /// System of the coordinates; without it, the one that the file carries.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// Column with longitude or easting.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub x: Option<String>,
    /// Column with latitude or northing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub y: Option<String>,
    /// Column with height.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub z: Option<String>,
    /// Column that holds the whole position.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coordinates: Option<String>,
    /// `latitude-first` or `longitude-first`, where the text of a whole position does not say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
}

/// How coordinates are written.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WritePlan {
    /// Notation of geographic coordinates.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub notation: Option<String>,
    /// Decimals.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub digits: Option<usize>,
    /// Names of the coordinate columns of the first target.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<String>,
    /// Whether lines and polygons get columns of their length and area.
    #[serde(default, skip_serializing_if = "is_default")]
    pub measure: bool,
    /// A layer or table whose columns, types and order are taken.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub like: Option<PathBuf>,
    /// How rows are shown, by formats that show things.
    #[serde(default, skip_serializing_if = "is_default")]
    pub show: ShowPlan,
}

/// How rows are shown: by KML, and where rows are parted by drawings and workbooks too.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ShowPlan {
    /// Column whose values are folders of KML, layers of a drawing, sheets of a workbook.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub category: Option<String>,
    /// Name of a row: a column, or text with columns in braces.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Text of a row's balloon: a column, or text with columns in braces.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub balloon: Option<String>,
    /// Icon: an address or file, a column, or `COLUMN:VALUE=ICON,*=ICON`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub icon: Option<String>,
    /// Colour: `#RRGGBB` or a name, a column, or `COLUMN:VALUE=COLOUR,*=COLOUR`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<String>,
    /// What heights are counted from: `ground`, `above-ground`, `above-sea`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub altitude: Option<String>,
}

/// A file to write.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OutputPlan {
    /// The file; its ending says the format.
    pub file: PathBuf,
}

impl LayerPlan {
    /// A layer of a file, with nothing said.
    pub fn new(source: impl Into<PathBuf>) -> Self {
        LayerPlan { source: source.into(), ..Default::default() }
    }

    /// The options for the reader.
    ///
    /// # Errors
    /// As [`InputPlan::options`]; [`Error::Plan`] for an order that is none.
    pub fn options(&self) -> Result<InputOptions, Error> {
        use basilocus_geodesy::notation::AxisOrder;
        let order = self.position.as_ref().and_then(|p| p.order.as_deref());
        let north_first = match crate::typed::order(order)? {
            AxisOrder::LatitudeFirst => Some(true),
            AxisOrder::LongitudeFirst => Some(false),
            _ => None,
        };
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
        OutputPlan { file: file.into() }
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
                return Err(Error::Plan(format!(
                    "--delimiter \"{d}\": one character is expected, or one of the words tab, space, comma, semicolon"
                )));
            }
        };
        Ok(InputOptions {
            sheet: self.sheet.clone(),
            layer: self.layer.clone(),
            delimiter,
            header_row: self.header_row,
            skip_lines: self.skip_lines,
            encoding: self.encoding.clone(),
            fixed: self.fixed.clone(),
            geometry_text: false,
            north_first: None,
        })
    }
}

impl Plan {
    /// Reads a plan file; paths in it are relative to its folder.
    ///
    /// # Errors
    /// [`Error::PlanFile`] with the line and the field.
    pub fn load(path: &Path) -> Result<Self, Error> {
        let bad = |problem: String| Error::PlanFile { path: path.to_path_buf(), problem };
        let text = std::fs::read_to_string(path).map_err(|e| bad(e.to_string()))?;
        let mut plan: Plan = toml::from_str(&text).map_err(|e| bad(e.to_string().trim_end().to_string()))?;
        if plan.basilocus_plan != VERSION {
            return Err(bad(format!(
                "basilocus_plan = {} is not the version that is read ({VERSION})",
                plan.basilocus_plan
            )));
        }
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
    /// [`Error::PlanFile`] where a value cannot be written as TOML.
    pub fn to_text(&self, path: &Path) -> Result<String, Error> {
        let mut plan = self.clone();
        plan.basilocus_plan = VERSION;
        let here = std::env::current_dir().unwrap_or_default();
        let folder = here.join(path).parent().map(Path::to_path_buf).unwrap_or_default();
        plan.each_path(&mut |p| {
            let absolute = here.join(&*p);
            if let Ok(inside) = absolute.strip_prefix(&folder) {
                *p = inside.to_path_buf();
            } else {
                *p = absolute;
            }
        });
        let body =
            toml::to_string(&plan).map_err(|e| Error::PlanFile { path: path.to_path_buf(), problem: e.to_string() })?;
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
            if let Some(g) = &mut layer.geocode {
                g.reference.iter_mut().for_each(&mut *f);
                [&mut g.review, &mut g.answers, &mut g.remember].into_iter().flatten().for_each(&mut *f);
            }
            if let Some(n) = &mut layer.nearest {
                n.reference.iter_mut().for_each(&mut *f);
            }
            if let Some(model) = &mut layer.write.like {
                f(model);
            }
            if let Some(s) = layer.select.as_mut().and_then(|s| s.inside.as_mut()) {
                f(s);
            }
            if let Some(folder) = &mut layer.operation.grids {
                f(folder);
            }
            // Systems and ways may be files too.
            let from = layer.position.as_mut().and_then(|p| p.from.as_mut());
            for text in layer.to.iter_mut().chain(from).chain(layer.operation.via.as_mut()) {
                if crate::system::has_file_ending(text) {
                    let mut path = PathBuf::from(&*text);
                    f(&mut path);
                    *text = path.to_string_lossy().into_owned();
                }
            }
        }
        self.outputs.iter_mut().for_each(|o| f(&mut o.file));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_plan_comes_back_from_its_text() {
        let folder = tempfile::tempdir().unwrap();
        let mut layer = LayerPlan::new(folder.path().join("a.csv"));
        layer.to = vec!["EPSG:2269".into(), "EPSG:4326".into()];
        layer.repair.set.insert("state".into(), "OR".into());
        layer.position = Some(PositionPlan { from: Some("EPSG:4267".into()), ..Default::default() });
        let plan = Plan {
            basilocus_plan: VERSION,
            date: Some("2026-11-25".into()),
            layers: vec![layer],
            outputs: vec![OutputPlan::new(folder.path().join("b.gpkg"))],
        };
        let file = folder.path().join("plan.toml");
        let text = plan.to_text(&file).unwrap();
        assert!(text.contains("source = \"a.csv\""), "paths are relative to the plan: {text}");
        std::fs::write(&file, text).unwrap();
        assert_eq!(Plan::load(&file).unwrap(), plan);
    }

    #[test]
    fn a_wrong_field_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("plan.toml");
        std::fs::write(&file, "basilocus_plan = 1\n[[layer]]\nsorce = \"a.csv\"\n").unwrap();
        let message = Plan::load(&file).unwrap_err().to_string();
        assert!(message.contains("sorce") && message.contains("line 3"), "{message}");
    }
}
