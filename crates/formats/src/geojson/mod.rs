//! GeoJSON, RFC 7946: always WGS 84, longitude first.

mod feature;
mod geometry;
mod names;
mod pieces;
mod reader;
mod rows;
mod scan;
mod scanner;
mod survey;
mod within;
mod writer;

use crate::Format;
use crate::detect::Head;
use crate::driver::{Driver, GeometryPlace};
pub use reader::GeoJsonReader;
pub use writer::GeoJsonWriter;

use arrow_schema::Field;
use basilocus_table::geometry::Geometry;
use std::collections::HashMap;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;

/// Appends a geometry object; at most nine decimals, outer rings against the clock and holes with it.
///
/// ```
/// use basilocus_formats::geojson;
/// use basilocus_table::geometry::{Geometry, Position};
/// let mut out = Vec::new();
/// geojson::push_geometry(&mut out, &Geometry::Point(Position::xy(-123.8, 46.2)));
/// assert_eq!(out, br#"{"type":"Point","coordinates":[-123.8,46.2]}"#);
/// assert!(geojson::read_geometry(r#"{"type":"Point","coordinates":[-123.8,46.2]}"#).is_ok());
/// ```
pub fn push_geometry(out: &mut Vec<u8>, geometry: &Geometry) {
    geometry::push(out, geometry);
}

/// Reads a geometry object.
///
/// # Errors
/// In words, what does not fit.
pub fn read_geometry(text: &str) -> Result<Geometry, String> {
    let object: feature::GeometryObject = serde_json::from_str(text).map_err(|e| e.to_string())?;
    geometry::read(&object)
}

/// How values of a column stood in the file, beside single ones: kept with the column, so that they are written so again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    /// In objects; the column's name is the way there.
    Nested,
    /// Lists, whose text is the column's.
    List,
}

/// The key of the form in the metadata of a column.
const FORM: &str = "geojson.form";

impl Form {
    fn metadata(self) -> HashMap<String, String> {
        HashMap::from([(FORM.to_string(), if self == Form::Nested { "nested" } else { "list" }.to_string())])
    }

    fn of(field: &Field) -> Option<Self> {
        match field.metadata().get(FORM)?.as_str() {
            "nested" => Some(Form::Nested),
            "list" => Some(Form::List),
            _ => None,
        }
    }
}

/// Stands before each feature of a sequence (RFC 8142).
const SEPARATOR: u8 = 0x1E;

/// What stands between the features of a file that has one a line or is a sequence of them; none where it is neither.
fn separator(path: &Path) -> Option<u8> {
    const FIRST_LINE: u64 = 16 << 20;
    let file = std::fs::File::open(path).ok()?;
    let mut line = Vec::new();
    let mut input = BufReader::new(file.take(FIRST_LINE));
    // Blank lines may stand in front.
    while line.trim_ascii().is_empty() {
        line.clear();
        if input.read_until(b'\n', &mut line).unwrap_or(0) == 0 {
            return None;
        }
    }
    let text = line.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&line);
    if text.starts_with(&[SEPARATOR]) {
        return Some(SEPARATOR);
    }
    #[derive(serde::Deserialize)]
    struct Kind {
        #[serde(rename = "type")]
        kind: String,
    }
    serde_json::from_slice::<Kind>(text).is_ok_and(|k| k.kind == "Feature").then_some(b'\n')
}

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::GeoJson,
    name: "GeoJSON",
    endings: &["geojson", "json", "geojsonl", "ndjson"],
    companions: &[],
    geometry: GeometryPlace::Needs,
    always_wgs84: true,
    null_geometry: true,
    shows: &[],
    options: &[],
    recognises: |head| head.is_text() && head.first() == Some(b'{') && has_type(head),
    open: |path, options| Ok(Box::new(GeoJsonReader::open(path, options)?)),
    layers: None,
    create: Some(|pending| Ok(Box::new(GeoJsonWriter::create(pending)?))),
};

/// Whether an object says a type, or its file is called so.
fn has_type(head: &Head) -> bool {
    head.after_marks().windows(6).any(|w| w == b"\"type\"") || Format::of_ending(&head.path) == Some(Format::GeoJson)
}
