//! Reads a layer of points, or a table without geometry.

use super::blob::{self, Geometry};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, PassThrough, Reader};
use crate::{Format, FormatError};
use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_array, point_field, record_batch};
use basilocus_table::{Batch, SetAsideRow};
use rusqlite::types::{Value, ValueRef};
use rusqlite::{Connection, OpenFlags};
use std::path::{Path, PathBuf};
use std::sync::Arc;

const ROWS: usize = 4096;

/// A layer of a GeoPackage.
pub struct GeoPackageReader {
    path: PathBuf,
    layer: String,
    about: About,
    schema: SchemaRef,
    columns: Vec<String>,
    geometry: Option<String>,
    with_z: bool,
}

fn connect(path: &Path) -> Result<Connection, FormatError> {
    let broken = |e: rusqlite::Error| FormatError::broken(path, format!("cannot be opened as a GeoPackage: {e}"));
    let connection =
        Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX)
            .map_err(broken)?;
    let known: bool = connection
        .query_row("SELECT count(*) > 0 FROM sqlite_master WHERE name = 'gpkg_contents'", [], |r| r.get(0))
        .map_err(broken)?;
    if !known {
        return Err(FormatError::NotRecognised {
            path: path.to_path_buf(),
            problem: "is an SQLite database but no GeoPackage (the table gpkg_contents is missing)".into(),
        });
    }
    Ok(connection)
}

/// The names of the layers and tables.
///
/// # Errors
/// Where the file is no GeoPackage.
pub fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    let connection = connect(path)?;
    let broken = |e: rusqlite::Error| FormatError::broken(path, e);
    let mut statement = connection
        .prepare("SELECT table_name FROM gpkg_contents WHERE data_type IN ('features', 'attributes') ORDER BY rowid")
        .map_err(broken)?;
    let names = statement.query_map([], |r| r.get(0)).map_err(broken)?.collect::<Result<_, _>>();
    names.map_err(broken)
}

/// An identifier in SQL.
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

impl GeoPackageReader {
    /// Opens the layer that was asked for, or the only one.
    ///
    /// # Errors
    /// Where the file is no GeoPackage, has no such layer, several and none was chosen, or no row.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let names = layers(path)?;
        let layer = match (&options.layer, names.as_slice()) {
            (Some(wanted), _) => {
                names.iter().find(|n| n.eq_ignore_ascii_case(wanted)).cloned().ok_or_else(|| FormatError::NoSuch {
                    path: path.to_path_buf(),
                    kind: "layer",
                    wanted: wanted.clone(),
                    names: names.clone(),
                })?
            }
            (None, [only]) => only.clone(),
            (None, []) => {
                return Err(FormatError::Empty { path: path.to_path_buf(), what: "the GeoPackage holds no layer" });
            }
            (None, _) => {
                return Err(FormatError::ChooseLayer { path: path.to_path_buf(), names });
            }
        };
        let connection = connect(path)?;
        let broken = |e: rusqlite::Error| FormatError::broken(path, e);
        let found: Option<(String, i64, i64)> = {
            let mut statement = connection
                .prepare("SELECT column_name, srs_id, z FROM gpkg_geometry_columns WHERE table_name = ?1")
                .map_err(broken)?;
            let mut rows = statement.query([&layer]).map_err(broken)?;
            match rows.next().map_err(broken)? {
                Some(r) => Some((r.get(0).map_err(broken)?, r.get(1).map_err(broken)?, r.get(2).map_err(broken)?)),
                None => None,
            }
        };
        let mut notes = Vec::new();
        let (mut crs, mut with_z, mut geometry) = (None, false, None);
        if let Some((column, srs_id, z)) = found {
            with_z = z > 0;
            geometry = Some(column);
            let organization: Result<(String, i64, String), _> = connection.query_row(
                "SELECT organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys WHERE srs_id = ?1",
                [srs_id],
                |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)),
            );
            match organization {
                Ok((name, code, _)) if name.eq_ignore_ascii_case("epsg") => crs = Some(format!("EPSG:{code}")),
                // A system of somebody's own is known by its definition; "undefined" stands where there is none.
                Ok((_, _, text)) if text.contains('[') => crs = Some(text),
                _ => notes.push(format!(
                    "the layer's system (srs_id {srs_id}) is not one of the EPSG registry; say it with --from"
                )),
            }
        }
        let mut columns = Vec::new();
        let mut fields = Vec::new();
        {
            let mut statement = connection
                .prepare(&format!("SELECT name, type FROM pragma_table_info({})", sql_text(&layer)))
                .map_err(broken)?;
            let rows =
                statement.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, String>(1)?))).map_err(broken)?;
            for row in rows {
                let (name, kind) = row.map_err(broken)?;
                if Some(&name) == geometry.as_ref() {
                    continue;
                }
                let kind = kind.to_ascii_uppercase();
                let data_type = match kind.split('(').next().unwrap_or("") {
                    "BOOLEAN" => DataType::Boolean,
                    "TINYINT" | "SMALLINT" | "MEDIUMINT" | "INT" | "INTEGER" => DataType::Int64,
                    "FLOAT" | "DOUBLE" | "REAL" => DataType::Float64,
                    "BLOB" => {
                        notes.push(format!("column {name} holds binary data and is left out"));
                        continue;
                    }
                    _ => DataType::Utf8,
                };
                let field_name = if name == basilocus_table::POINT_COLUMN { format!("{name}_") } else { name.clone() };
                fields.push(Field::new(field_name, data_type, true));
                columns.push(name);
            }
        }
        let rows: i64 = connection
            .query_row(&format!("SELECT count(*) FROM {}", quoted(&layer)), [], |r| r.get(0))
            .map_err(broken)?;
        if rows == 0 {
            return Err(FormatError::Empty { path: path.to_path_buf(), what: "the layer has no rows" });
        }
        if geometry.is_some() {
            fields.push(point_field(crs.as_deref(), with_z));
        }
        let bytes = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len();
        let about = About {
            path: path.to_path_buf(),
            format: Format::GeoPackage,
            layer: Some(layer.clone()),
            layers: names,
            crs,
            header_row: None,
            notes,
            bytes,
            typed: true,
        };
        Ok(GeoPackageReader {
            path: path.to_path_buf(),
            layer,
            about,
            schema: Arc::new(Schema::new(fields)),
            columns,
            geometry,
            with_z,
        })
    }

    fn finish(&self, rows: &mut Rows) -> Decoded {
        let rows = std::mem::take(rows);
        let mut arrays: Vec<ArrayRef> = (0..self.columns.len())
            .map(|c| {
                let cells = rows.cells.iter().map(|r| &r[c]);
                match self.schema.field(c).data_type() {
                    DataType::Int64 => Arc::new(
                        cells.map(|v| if let Value::Integer(i) = v { Some(*i) } else { None }).collect::<Int64Array>(),
                    ) as ArrayRef,
                    DataType::Float64 => Arc::new(
                        cells
                            .map(|v| match v {
                                Value::Real(f) => Some(*f),
                                Value::Integer(i) => Some(*i as f64),
                                _ => None,
                            })
                            .collect::<Float64Array>(),
                    ),
                    DataType::Boolean => Arc::new(
                        cells
                            .map(|v| if let Value::Integer(i) = v { Some(*i != 0) } else { None })
                            .collect::<BooleanArray>(),
                    ),
                    _ => Arc::new(cells.map(value_text).collect::<StringArray>()),
                }
            })
            .collect();
        if self.geometry.is_some() {
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
}

fn sql_text(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

fn value_text(value: &Value) -> Option<String> {
    match value {
        Value::Text(s) => Some(s.clone()),
        Value::Integer(i) => Some(i.to_string()),
        Value::Real(f) => Some(f.to_string()),
        Value::Null | Value::Blob(_) => None,
    }
}

#[derive(Default)]
struct Rows {
    cells: Vec<Vec<Value>>,
    points: Vec<(f64, f64, f64)>,
    source_rows: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
}

impl Reader for GeoPackageReader {
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
        let connection = connect(&self.path)?;
        let broken = |e: rusqlite::Error| FormatError::broken(&self.path, e);
        let list: Vec<String> = self.columns.iter().chain(&self.geometry).map(|c| quoted(c)).collect();
        let mut statement = connection
            .prepare(&format!("SELECT {} FROM {} ORDER BY rowid", list.join(", "), quoted(&self.layer)))
            .map_err(broken)?;
        let mut found = statement.query([]).map_err(broken)?;
        let mut rows = Rows::default();
        let mut number = 0;
        while let Some(row) = found.next().map_err(broken)? {
            number += 1;
            let mut cells = Vec::with_capacity(self.columns.len());
            for i in 0..self.columns.len() {
                cells.push(match row.get_ref(i).map_err(broken)? {
                    // Text in another encoding is kept as far as it can be read.
                    ValueRef::Text(t) => Value::Text(String::from_utf8_lossy(t).into_owned()),
                    other => Value::try_from(other).unwrap_or(Value::Null),
                });
            }
            let place = match &self.geometry {
                None => Ok((0.0, 0.0, 0.0)),
                Some(_) => match row.get_ref(self.columns.len()).map_err(broken)? {
                    ValueRef::Blob(b) => match blob::read(b) {
                        Some(Geometry::Point { x, y, z }) => Ok((x, y, z.unwrap_or(f64::NAN))),
                        Some(Geometry::Empty) => {
                            Err(("no geometry", "the geometry is empty; a point is expected".to_string()))
                        }
                        Some(Geometry::Other(kind)) => {
                            Err(("geometry is not a point", format!("the geometry is a {kind}; points are read")))
                        }
                        None => Err((
                            "geometry cannot be read",
                            "the geometry breaks the rules of the GeoPackage standard".to_string(),
                        )),
                    },
                    _ => Err(("no geometry", "the row has no geometry; a point is expected".to_string())),
                },
            };
            match place {
                Ok(p) => {
                    rows.points.push(p);
                    rows.source_rows.push(number);
                    rows.cells.push(cells);
                }
                Err((class, reason)) => {
                    let mut values: Vec<String> = cells.iter().map(|v| value_text(v).unwrap_or_default()).collect();
                    values.push(String::new());
                    rows.set_aside.push(SetAsideRow { source_row: number, class: class.into(), reason, values });
                }
            }
            if rows.source_rows.len() + rows.set_aside.len() >= ROWS && !sink(Block::Rows(self.finish(&mut rows))) {
                return Ok(());
            }
        }
        if !(rows.source_rows.is_empty() && rows.set_aside.is_empty()) {
            sink(Block::Rows(self.finish(&mut rows)));
        }
        Ok(())
    }
}
