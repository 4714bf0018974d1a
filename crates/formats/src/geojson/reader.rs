//! Reads features: of points alone as points, of any other geometry as what they are.

use super::geometry;
use super::stream::{Feature, each_feature, each_line};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, PassThrough, Reader};
use crate::{Format, FormatError};
use arrow_array::{ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_array, point_field, record_batch};
use basilocus_table::geometry::{Geometry, geometry_field, wkb};
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
    /// Whether there are other geometries than points.
    any_shape: bool,
}

impl GeoJsonReader {
    /// Opens a file and goes through it once, for the columns and their types.
    ///
    /// # Errors
    /// Where the file cannot be read, is no valid JSON, or is no feature collection.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let mut columns: Vec<(String, Option<DataType>)> = Vec::new();
        let mut index = std::collections::HashMap::new();
        let (mut with_z, mut features, mut any_shape) = (false, 0u64, false);
        let collection = read_features(path, &mut |f| {
            features += u64::from(f.broken.is_none());
            if let Some(id) = f.id.as_ref().filter(|v| !v.is_null()) {
                note(&mut columns, &mut index, "id", id);
            }
            for (name, value) in f.properties.iter().flatten() {
                note(&mut columns, &mut index, name, value);
            }
            if let Some(g) = f.geometry.as_ref().filter(|g| !g.is_null()) {
                with_z |= geometry::point_with_height(g);
                any_shape |= g.get("type").and_then(Value::as_str) != Some("Point");
            }
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
                what: "the collection holds no feature; at least one is expected",
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
                while unique == basilocus_table::POINT_COLUMN || fields_seen.contains(&unique) {
                    unique.push('_');
                }
                fields_seen.push(unique);
                (name, t.unwrap_or(DataType::Utf8))
            })
            .collect();
        let mut fields: Vec<Field> =
            columns.iter().zip(&fields_seen).map(|((_, t), name)| Field::new(name, t.clone(), true)).collect();
        fields.push(if any_shape { geometry_field(Some("EPSG:4326")) } else { point_field(Some("EPSG:4326"), with_z) });
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
            any_shape,
        })
    }
}

fn read_features(path: &Path, sink: &mut dyn FnMut(Feature) -> bool) -> Result<super::stream::Collection, FormatError> {
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let mut input = BufReader::with_capacity(1 << 16, file);
    let mut mark = [0u8; 3];
    let n = input.read(&mut mark).map_err(|e| FormatError::read(path, e))?;
    let start: &[u8] = if mark == *b"\xEF\xBB\xBF" { &[] } else { &mark[..n] };
    if super::is_sequence(path) {
        let input = BufReader::with_capacity(1 << 16, start.chain(input));
        return each_line(input, sink).map_err(|e| FormatError::read(path, e));
    }
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
    shapes: Vec<Option<Vec<u8>>>,
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
        if self.any_shape {
            arrays.push(Arc::new(rows.shapes.iter().map(Option::as_deref).collect::<BinaryArray>()));
        } else {
            let z = self.with_z.then(|| rows.points.iter().map(|p| p.2).collect());
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
        let place = match (&f.broken, f.geometry.as_ref().filter(|g| !g.is_null())) {
            (Some(problem), _) => Err(("is no feature", problem.clone())),
            (None, None) if self.any_shape => Ok(None),
            (None, None) => Err(("no geometry", "the feature has no geometry; a point is expected".to_string())),
            (None, Some(g)) => geometry::read(g)
                .map(Some)
                .map_err(|problem| ("geometry cannot be read", format!("the geometry: {problem}"))),
        };
        match place {
            Ok(shape) => {
                match shape {
                    shape if self.any_shape => rows.shapes.push(shape.as_ref().map(wkb::write)),
                    Some(Geometry::Point(p)) => rows.points.push((p.x, p.y, p.z)),
                    _ => rows.points.push((f64::NAN, f64::NAN, f64::NAN)),
                }
                rows.source_rows.push(number);
                rows.features.push(f);
            }
            Err((class, reason)) => {
                let mut values: Vec<String> = self
                    .columns
                    .iter()
                    .map(|(name, _)| self.cell(&f, name).and_then(text).unwrap_or_default())
                    .collect();
                values.push(f.geometry.map(|g| g.to_string()).unwrap_or_default());
                rows.set_aside.push(SetAsideRow { source_row: number, class: class.into(), reason, values });
            }
        }
    }
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
