//! One output a value: the rows of a layer go to as many files as a column has values.

use crate::Error;
use crate::paths::Paths;
use basilocus_formats::{Encode, LayerOut, PendingOutput, RunAbout, SetAsideTable, Writer, create};
use basilocus_table::batch::spatial_index;
use basilocus_table::{Batch, Geometry, Spatial};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Values beyond which a column is none to split by.
const MAX_PARTS: usize = 1_000;

/// The outputs of a value.
struct Part {
    writers: Vec<(Box<dyn Writer>, Arc<dyn Encode>)>,
    rows: u64,
}

/// Outputs that are made as their values come.
pub(crate) struct Split {
    column: String,
    outputs: Vec<PathBuf>,
    layers: Vec<LayerOut>,
    overwrite: bool,
    parts: BTreeMap<String, Part>,
    paths: Vec<PathBuf>,
    /// Files that have a part in the run already.
    taken: Paths,
}

impl Split {
    pub(crate) fn new(column: &str, outputs: Vec<PathBuf>, overwrite: bool, taken: Paths) -> Self {
        Split {
            column: column.to_string(),
            outputs,
            layers: Vec::new(),
            overwrite,
            parts: BTreeMap::new(),
            paths: Vec::new(),
            taken,
        }
    }

    /// Says what the next output holds.
    pub(crate) fn layer(&mut self, layer: LayerOut) -> Result<(), Error> {
        let names: Vec<&str> = layer.schema.fields().iter().map(|f| f.name().as_str()).collect();
        if !names.contains(&self.column.as_str()) {
            match names.iter().find(|n| n.eq_ignore_ascii_case(&self.column)) {
                Some(name) => self.column = name.to_string(),
                None => {
                    return Err(Error::Usage(format!(
                        "`split_by` {}: there is no such column; it has: {}",
                        self.column,
                        names.join(", ")
                    )));
                }
            }
        }
        self.layers.push(layer);
        Ok(())
    }

    /// Writes the rows of an output's batch to the files of their values.
    pub(crate) fn write(&mut self, output: usize, batch: &Batch) -> Result<(), Error> {
        let schema = batch.records().schema();
        let Ok(column) = schema.index_of(&self.column) else { return Ok(()) };
        let spatial = (spatial_index(&schema) == Some(column)).then(|| Spatial::of(batch.records()));
        let text = |row| spatial.as_ref().map_or_else(|| batch.text(column, row), |s| kind_of(s.get(row)).to_string());
        let texts: Vec<String> = (0..batch.len()).map(text).collect();
        let mut values: Vec<&String> = texts.iter().collect();
        values.sort();
        values.dedup();
        for value in values {
            let keep: Vec<bool> = texts.iter().map(|t| t == value).collect();
            let rows = batch.filter(&keep);
            let part = self.part(value)?;
            // Each output gets all rows; they are counted once.
            if output == 0 {
                part.rows += rows.len() as u64;
            }
            let (writer, encoder) = &mut part.writers[output];
            writer.write(encoder.encode(&rows))?;
        }
        Ok(())
    }

    fn part(&mut self, value: &str) -> Result<&mut Part, Error> {
        if !self.parts.contains_key(value) {
            if self.parts.len() >= MAX_PARTS {
                return Err(Error::Usage(format!(
                    "`split_by` {}: the column has more than {MAX_PARTS} different values; is it the one that is meant?",
                    self.column
                )));
            }
            let mut writers = Vec::new();
            for (file, layer) in self.outputs.iter().zip(&self.layers) {
                let path = path_of(file, value, &self.paths);
                self.taken.written(&path, format!("the part of {}", shown(value)))?;
                let mut writer = create(&path, self.overwrite)?;
                let encoder = writer.start_layer(layer)?;
                self.paths.push(path);
                writers.push((writer, encoder));
            }
            self.parts.insert(value.to_string(), Part { writers, rows: 0 });
        }
        self.parts.get_mut(value).ok_or_else(|| Error::Defect("a part is missing".into()))
    }

    /// The parts with their rows, and the sum, in words.
    pub(crate) fn sum(&self) -> String {
        const SHOWN: usize = 12;
        let mut list: Vec<String> =
            self.parts.iter().take(SHOWN).map(|(v, p)| format!("{} {}", shown(v), p.rows)).collect();
        if self.parts.len() > SHOWN {
            list.push(format!("{} more", self.parts.len() - SHOWN));
        }
        let sum: u64 = self.parts.values().map(|p| p.rows).sum();
        format!("{} parts by {}: {}; together {sum} rows", self.parts.len(), self.column, list.join(", "))
    }

    /// Rows of all parts.
    pub(crate) fn rows(&self) -> u64 {
        self.parts.values().map(|p| p.rows).sum()
    }

    /// Completes all files.
    pub(crate) fn finish(
        self,
        about: &RunAbout,
        aside: &SetAsideTable,
    ) -> Result<(Vec<PendingOutput>, Vec<String>), Error> {
        let (mut pending, mut told) = (Vec::new(), Vec::new());
        for (value, part) in self.parts {
            // The account of the whole stays; what this part is of it stands in front.
            let mut own = about.clone();
            let lines = [
                ("Part".to_string(), format!("{} is {}", self.column, shown(&value))),
                ("Rows of it".to_string(), part.rows.to_string()),
            ];
            own.lines.splice(own.lines.len().min(1)..own.lines.len().min(1), lines);
            let which = format!("The {} rows where {} is {}; of all: ", part.rows, self.column, shown(&value));
            own.layers.iter_mut().for_each(|words| words.insert_str(0, &which));
            for (mut writer, _) in part.writers {
                writer.end_layer()?;
                let (output, words) = writer.finish(&own, aside)?;
                pending.push(output);
                told.extend(words);
            }
        }
        Ok((pending, told))
    }
}

/// The kind of a geometry, as formats part them that hold one alone.
fn kind_of(geometry: Option<Geometry>) -> &'static str {
    match geometry {
        None => "none",
        Some(Geometry::Point(_)) => "points",
        Some(Geometry::MultiPoint(_)) => "multipoints",
        Some(Geometry::LineString(_) | Geometry::MultiLineString(_)) => "lines",
        Some(Geometry::Polygon(_) | Geometry::MultiPolygon(_)) => "polygons",
        Some(Geometry::Collection(_)) => "collections",
    }
}

fn shown(value: &str) -> &str {
    if value.is_empty() { "(empty)" } else { value }
}

/// The file of a value: letters and figures of it behind the name of the output.
fn path_of(file: &Path, value: &str, taken: &[PathBuf]) -> PathBuf {
    let stem = file.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
    let ending = file.extension().map_or(String::new(), |e| e.to_string_lossy().into_owned());
    let mut words: String = value.trim().chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).take(60).collect();
    if words.is_empty() {
        words = "empty".into();
    }
    let path = |n: usize| {
        let number = if n > 1 { format!("_{n}") } else { String::new() };
        file.with_file_name(format!("{stem}-{words}{number}.{ending}"))
    };
    // Values that differ in signs alone have files of their own; so do those that differ in case, for systems that do
    // not tell them apart.
    let is_taken =
        |p: &Path| taken.iter().any(|t| t.to_string_lossy().to_lowercase() == p.to_string_lossy().to_lowercase());
    (1..).map(path).find(|p| !is_taken(p)).unwrap_or_else(|| path(1))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_parts() {
        let name = |value: &str, taken: &[&str]| {
            let taken: Vec<PathBuf> = taken.iter().map(|t| PathBuf::from(format!("out/gates-{t}.csv"))).collect();
            path_of(Path::new("out/gates.csv"), value, &taken).to_string_lossy().into_owned()
        };
        assert_eq!(name("Mill Slough", &[]), "out/gates-Mill_Slough.csv");
        assert_eq!(name("Mill/Slough", &["Mill_Slough"]), "out/gates-Mill_Slough_2.csv");
        assert_eq!(name("MILL SLOUGH", &["Mill_Slough", "Mill_Slough_2"]), "out/gates-MILL_SLOUGH_3.csv");
        assert_eq!(name(" ", &[]), "out/gates-empty.csv");
        assert_eq!(name("../../etc", &[]), "out/gates-______etc.csv");
    }
}
