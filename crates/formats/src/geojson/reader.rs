//! Reads point features; other geometry types are set aside by name, unless all are asked for as well-known text.

use super::stream::{Feature, each_feature};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, PassThrough, Reader};
use crate::{Format, FormatError};
use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_array, point_field, record_batch};
use basilocus_table::{Batch, SetAsideRow};
use serde_json::Value;
use std::fs::File;
use std::io::{BufReader, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;

const ROWS: usize = 4096;

/// A GeoJSON file.
pub struct GeoJsonReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    columns: Vec<(String, DataType)>,
    with_z: bool,
    as_text: bool,
}

impl GeoJsonReader {
    /// Opens a file and goes through it once, for the columns and their types.
    ///
    /// # Errors
    /// Where the file cannot be read, is no valid JSON, or is no feature collection.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let as_text = options.geometry_text;
        let mut columns: Vec<(String, Option<DataType>)> = Vec::new();
        let mut index = std::collections::HashMap::new();
        let (mut with_z, mut features) = (false, 0u64);
        let collection = read_features(path, &mut |f| {
            features += 1;
            if let Some(id) = f.id.as_ref().filter(|v| !v.is_null()) {
                note(&mut columns, &mut index, "id", id);
            }
            for (name, value) in f.properties.iter().flatten() {
                note(&mut columns, &mut index, name, value);
            }
            with_z |= f
                .geometry
                .as_ref()
                .and_then(|g| g.get("coordinates"))
                .and_then(Value::as_array)
                .is_some_and(|c| c.len() > 2 && c[2].is_number());
            true
        })?;
        if !collection.saw_features {
            return Err(FormatError::NotRecognised {
                path: path.to_path_buf(),
                problem: format!("is JSON of type \"{}\"; a GeoJSON FeatureCollection is expected", collection.kind),
            });
        }
        if features == 0 {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the collection holds no feature; point features are expected",
            });
        }
        let mut notes = Vec::new();
        if collection.crs.is_some() {
            notes.push("the file has a \"crs\" member, which RFC 7946 took out: positions are read as WGS 84; say --from if they are not".into());
        }
        let mut fields_seen = Vec::new();
        let columns: Vec<(String, DataType)> = columns
            .into_iter()
            .map(|(name, t)| {
                let mut unique = name.clone();
                while unique == basilocus_table::POINT_COLUMN
                    || as_text && unique == "geometry"
                    || fields_seen.contains(&unique)
                {
                    unique.push('_');
                }
                fields_seen.push(unique);
                (name, t.unwrap_or(DataType::Utf8))
            })
            .collect();
        let mut fields: Vec<Field> =
            columns.iter().zip(&fields_seen).map(|((_, t), name)| Field::new(name, t.clone(), true)).collect();
        if as_text {
            fields.push(Field::new("geometry", DataType::Utf8, true));
        } else {
            fields.push(point_field(Some("EPSG:4326"), with_z));
        }
        let bytes = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len();
        let about = About {
            path: path.to_path_buf(),
            format: Format::GeoJson,
            layer: None,
            layers: Vec::new(),
            crs: Some("EPSG:4326".into()),
            header_row: None,
            notes,
            bytes,
            typed: true,
        };
        Ok(GeoJsonReader {
            path: path.to_path_buf(),
            about,
            schema: Arc::new(Schema::new(fields)),
            columns,
            with_z,
            as_text,
        })
    }
}

fn read_features(path: &Path, sink: &mut dyn FnMut(Feature) -> bool) -> Result<super::stream::Collection, FormatError> {
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let mut input = BufReader::with_capacity(1 << 16, file);
    let mut mark = [0u8; 3];
    let n = input.read(&mut mark).map_err(|e| FormatError::read(path, e))?;
    let start: &[u8] = if mark == *b"\xEF\xBB\xBF" { &[] } else { &mark[..n] };
    each_feature(start.chain(input), sink).map_err(|e| FormatError::Malformed {
        path: path.to_path_buf(),
        line: e.line() as u64,
        problem: format!("is not valid GeoJSON: {e}"),
    })
}

/// Widens the type of a column by a value.
fn note(
    columns: &mut Vec<(String, Option<DataType>)>,
    index: &mut std::collections::HashMap<String, usize>,
    name: &str,
    value: &Value,
) {
    let at = *index.entry(name.to_string()).or_insert_with(|| {
        columns.push((name.to_string(), None));
        columns.len() - 1
    });
    let seen = match value {
        Value::Null => return,
        Value::Bool(_) => DataType::Boolean,
        Value::Number(n) if n.as_i64().is_some() => DataType::Int64,
        Value::Number(_) => DataType::Float64,
        _ => DataType::Utf8,
    };
    let slot = &mut columns[at].1;
    *slot = Some(match slot.take() {
        None => seen,
        Some(t) if t == seen => t,
        Some(DataType::Int64 | DataType::Float64) if matches!(seen, DataType::Int64 | DataType::Float64) => {
            DataType::Float64
        }
        Some(_) => DataType::Utf8,
    });
}

fn text(value: &Value) -> Option<String> {
    match value {
        Value::Null => None,
        Value::String(s) => Some(s.clone()),
        other => Some(other.to_string()),
    }
}

#[derive(Default)]
struct Rows {
    features: Vec<Feature>,
    points: Vec<(f64, f64, f64)>,
    texts: Vec<String>,
    source_rows: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
}

impl GeoJsonReader {
    fn cell<'a>(&self, f: &'a Feature, name: &str) -> Option<&'a Value> {
        match f.properties.as_ref().and_then(|p| p.get(name)) {
            Some(v) => Some(v),
            None if name == "id" => f.id.as_ref(),
            None => None,
        }
    }

    fn finish(&self, rows: &mut Rows) -> Decoded {
        let rows = std::mem::take(rows);
        let mut arrays: Vec<ArrayRef> = self
            .columns
            .iter()
            .map(|(name, t)| {
                let cells = rows.features.iter().map(|f| self.cell(f, name));
                match t {
                    DataType::Int64 => {
                        Arc::new(cells.map(|v| v.and_then(Value::as_i64)).collect::<Int64Array>()) as ArrayRef
                    }
                    DataType::Float64 => Arc::new(cells.map(|v| v.and_then(Value::as_f64)).collect::<Float64Array>()),
                    DataType::Boolean => Arc::new(cells.map(|v| v.and_then(Value::as_bool)).collect::<BooleanArray>()),
                    _ => Arc::new(cells.map(|v| v.and_then(text)).collect::<StringArray>()),
                }
            })
            .collect();
        if self.as_text {
            arrays.push(Arc::new(StringArray::from(rows.texts)));
        }
        let z = self.with_z.then(|| rows.points.iter().map(|p| p.2).collect());
        if !self.as_text {
            arrays.push(point_array(
                rows.points.iter().map(|p| p.0).collect(),
                rows.points.iter().map(|p| p.1).collect(),
                z,
            ));
        }
        let n = rows.source_rows.len();
        let records = record_batch(self.schema.clone(), arrays, n)
            .unwrap_or_else(|_| arrow_array::RecordBatch::new_empty(self.schema.clone()));
        Decoded { batch: Batch { records, source_rows: rows.source_rows }, set_aside: rows.set_aside, bytes: 0 }
    }

    fn add(&self, rows: &mut Rows, number: u64, f: Feature) {
        if self.as_text {
            rows.texts.push(f.geometry.as_ref().and_then(well_known_text).unwrap_or_default());
            rows.source_rows.push(number);
            rows.features.push(f);
            return;
        }
        let kind = f.geometry.as_ref().and_then(|g| g.get("type")).and_then(Value::as_str).map(String::from);
        let place = match kind.as_deref() {
            None => Err(("no geometry", "the feature has no geometry; a point is expected".to_string())),
            Some("Point") => {
                let values: Vec<f64> = f
                    .geometry
                    .as_ref()
                    .and_then(|g| g.get("coordinates"))
                    .and_then(Value::as_array)
                    .map(|c| c.iter().filter_map(Value::as_f64).collect())
                    .unwrap_or_default();
                if values.len() >= 2 {
                    Ok((values[0], values[1], values.get(2).copied().unwrap_or(f64::NAN)))
                } else {
                    Err((
                        "no geometry",
                        "the point has no coordinates; longitude and latitude are expected".to_string(),
                    ))
                }
            }
            Some(other) => Err(("geometry is not a point", format!("the geometry is a {other}; points are read"))),
        };
        match place {
            Ok(p) => {
                rows.points.push(p);
                rows.source_rows.push(number);
                rows.features.push(f);
            }
            Err((class, reason)) => {
                let mut values: Vec<String> = self
                    .columns
                    .iter()
                    .map(|(name, _)| self.cell(&f, name).and_then(text).unwrap_or_default())
                    .collect();
                values.push(kind.unwrap_or_default());
                rows.set_aside.push(SetAsideRow { source_row: number, class: class.into(), reason, values });
            }
        }
    }
}

/// A geometry as OGC well-known text; none where its coordinates do not fit its type.
fn well_known_text(geometry: &Value) -> Option<String> {
    let kind = geometry.get("type")?.as_str()?;
    // How deep the positions lie.
    let depth = match kind {
        "Point" => 0,
        "LineString" | "MultiPoint" => 1,
        "Polygon" | "MultiLineString" => 2,
        "MultiPolygon" => 3,
        _ => return None,
    };
    let mut out = kind.to_ascii_uppercase();
    out.push(' ');
    if depth == 0 {
        out.push('(');
    }
    push_coordinates(geometry.get("coordinates")?, depth, &mut out)?;
    if depth == 0 {
        out.push(')');
    }
    Some(out)
}

fn push_coordinates(value: &Value, depth: usize, out: &mut String) -> Option<()> {
    let list = value.as_array()?;
    if depth == 0 {
        let (x, y) = (list.first()?.as_f64()?, list.get(1)?.as_f64()?);
        out.push_str(&format!("{x} {y}"));
        return Some(());
    }
    out.push('(');
    for (i, part) in list.iter().enumerate() {
        if i > 0 {
            out.push_str(", ");
        }
        push_coordinates(part, depth - 1, out)?;
    }
    out.push(')');
    Some(())
}

impl Reader for GeoJsonReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema.clone()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let mut rows = Rows::default();
        let (mut number, mut wanted) = (0, true);
        let this = &*self;
        read_features(&this.path, &mut |f| {
            number += 1;
            this.add(&mut rows, number, f);
            if rows.source_rows.len() + rows.set_aside.len() >= ROWS {
                wanted = sink(Block::Rows(this.finish(&mut rows)));
            }
            wanted
        })?;
        if wanted && !(rows.source_rows.is_empty() && rows.set_aside.is_empty()) {
            sink(Block::Rows(self.finish(&mut rows)));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn geometries_as_text() {
        let text = |v: Value| well_known_text(&v);
        assert_eq!(text(json!({"type": "Point", "coordinates": [1, 2.5]})).as_deref(), Some("POINT (1 2.5)"));
        assert_eq!(
            text(json!({"type": "Polygon", "coordinates": [[[0, 0], [1, 0], [1, 1], [0, 0]]]})).as_deref(),
            Some("POLYGON ((0 0, 1 0, 1 1, 0 0))")
        );
        assert_eq!(
            text(json!({"type": "MultiPolygon", "coordinates": [[[[0, 0], [1, 0], [1, 1], [0, 0]]], [[[5, 5], [6, 5], [6, 6], [5, 5]]]]})).as_deref(),
            Some("MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))")
        );
        assert_eq!(text(json!({"type": "LineString", "coordinates": [[0, "x"]]})), None);
        assert_eq!(text(json!({"type": "GeometryCollection", "geometries": []})), None);
    }
}
