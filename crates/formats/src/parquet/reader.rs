//! Rows of a Parquet file, with or without geometry.

use super::{native, system, values};
use crate::feature::{FeatureSource, Give, Shape, layer_schema};
use crate::reader::{About, InputOptions};
use crate::{Format, FormatError};
use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::geometry::{Geometry, wkb};
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use serde_json::Value;
use std::fs::File;
use std::path::{Path, PathBuf};

const ROWS: usize = 8192;
/// Bytes of rows that are read at once, as far as the file says how long they are.
const BYTES: i64 = 8 << 20;

/// A Parquet file.
pub struct ParquetReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    /// Names of the columns that are read, and of the geometry with its encoding.
    columns: Vec<String>,
    geometry: Option<(String, String)>,
}

fn builder(path: &Path) -> Result<ParquetRecordBatchReaderBuilder<File>, FormatError> {
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    guarded(path, || {
        ParquetRecordBatchReaderBuilder::try_new(file)
            .map_err(|e| FormatError::broken(path, format!("is a damaged Parquet file: {e}; get it again")))
    })
}

/// Runs a call of the package, which may panic over a damaged file.
fn guarded<T>(path: &Path, f: impl FnOnce() -> Result<T, FormatError>) -> Result<T, FormatError> {
    std::panic::catch_unwind(std::panic::AssertUnwindSafe(f))
        .unwrap_or_else(|_| Err(FormatError::broken(path, "is a damaged Parquet file; get it again")))
}

impl ParquetReader {
    /// Opens a file.
    ///
    /// # Errors
    /// Where it cannot be read.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let builder = builder(path)?;
        let metadata = builder.metadata().file_metadata();
        let geo = metadata
            .key_value_metadata()
            .and_then(|list| list.iter().find(|kv| kv.key == "geo"))
            .and_then(|kv| serde_json::from_str::<Value>(kv.value.as_deref()?).ok());
        let mut notes = vec![format!("{} row groups", builder.metadata().num_row_groups())];
        let (mut geometry, mut crs, mut shape) = (None, None, Shape::None);
        let mut bounds_column = None;
        if let Some(geo) = &geo {
            let name = geo["primary_column"].as_str().unwrap_or("geometry").to_string();
            let column = &geo["columns"][&name];
            let encoding = column["encoding"].as_str().unwrap_or("WKB").to_string();
            if builder.schema().field_with_name(&name).is_err() {
                return Err(FormatError::broken(
                    path,
                    format!("names the column \"{name}\" as its geometry and has none such"),
                ));
            }
            let types: Vec<&str> = column["geometry_types"]
                .as_array()
                .map_or(Vec::new(), |l| l.iter().filter_map(Value::as_str).collect());
            let points =
                encoding == "point" || !types.is_empty() && types.iter().all(|t| t.trim_end_matches(" Z") == "Point");
            let z = types.iter().any(|t| t.ends_with(" Z")) || types.is_empty();
            shape = if points { Shape::Points { z } } else { Shape::Any };
            // Without a word it is WGS 84, longitude first.
            crs = match column.get("crs") {
                None => Some("EPSG:4326".to_string()),
                Some(Value::Null) => {
                    notes.push("the file says that its system is not known".into());
                    None
                }
                Some(said) => {
                    let found = system::identifier(said);
                    if found.is_none() {
                        let name = said["name"].as_str().unwrap_or("without a name");
                        notes.push(format!(
                            "the system \"{name}\" has no code of the EPSG registry; say it with `from`"
                        ));
                    }
                    found
                }
            };
            if column["edges"].as_str() == Some("spherical") {
                notes.push("edges are great circles by what the file says; they are read as straight lines".into());
            }
            bounds_column = column["covering"]["bbox"]["xmin"][0].as_str().map(String::from);
            let further =
                geo["columns"].as_object().map_or(Vec::new(), |o| o.keys().filter(|k| **k != name).cloned().collect());
            if !further.is_empty() {
                notes.push(format!("further columns of geometry are left out: {}", further.join(", ")));
            }
            geometry = Some((name, encoding));
        }
        let (mut kinds, mut columns) = (Vec::new(), Vec::new());
        for field in builder.schema().fields() {
            let name = field.name();
            if geometry.as_ref().is_some_and(|(g, _)| g == name) || bounds_column.as_ref() == Some(name) {
                continue;
            }
            match values::kind(field.data_type()) {
                Some(kind) => {
                    kinds.push((name.clone(), kind));
                    columns.push(name.clone());
                }
                None => notes.push(format!("column {name} holds {} and is left out", words(field.data_type()))),
            }
        }
        let schema = layer_schema(&kinds, shape, crs.as_deref());
        let about = About { crs, notes, typed: true, ..About::of(path, Format::Parquet)? };
        Ok(ParquetReader { path: path.to_path_buf(), about, schema, shape, columns, geometry })
    }

    /// The geometry of a row, or the class and the reason why there is none.
    fn shape_of(
        &self,
        array: &ArrayRef,
        row: usize,
        encoding: &str,
    ) -> Result<Option<Geometry>, (&'static str, String)> {
        if encoding != "WKB" {
            return native::read(array, row, encoding).map_err(|p| ("geometry cannot be read", p));
        }
        if array.is_null(row) {
            return Ok(None);
        }
        let bytes = match array.data_type() {
            DataType::Binary => array.as_binary::<i32>().value(row),
            DataType::LargeBinary => array.as_binary::<i64>().value(row),
            DataType::BinaryView => array.as_binary_view().value(row),
            _ => return Err(("geometry cannot be read", "the column holds no binary data".into())),
        };
        match (wkb::read(bytes), self.shape) {
            (Err(e), _) => Err(("geometry cannot be read", e.to_string())),
            (Ok(g), _) if g.is_empty() => Ok(None),
            (Ok(g), Shape::Points { .. }) if !matches!(g, Geometry::Point(_)) => Err((
                "geometry is not a point",
                format!("the geometry is a {}; the file says that it holds points", g.type_name()),
            )),
            (Ok(g), _) => Ok(Some(g)),
        }
    }
}

/// A type in words.
fn words(t: &DataType) -> &'static str {
    match t {
        DataType::Binary | DataType::LargeBinary | DataType::BinaryView | DataType::FixedSizeBinary(_) => "binary data",
        DataType::List(_) | DataType::LargeList(_) | DataType::FixedSizeList(..) => "lists",
        DataType::Struct(_) | DataType::Map(..) => "groups of values",
        _ => "values of a type that is not read",
    }
}

impl FeatureSource for ParquetReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let broken = |e: &dyn std::fmt::Display| {
            FormatError::broken(&self.path, format!("is a damaged Parquet file: {e}; get it again"))
        };
        let builder = builder(&self.path)?;
        let wanted = self.columns.iter().chain(self.geometry.iter().map(|(g, _)| g)).map(String::as_str);
        // By the roots, for columns of geometry have parts.
        let roots: Vec<usize> = wanted.filter_map(|name| builder.schema().index_of(name).ok()).collect();
        // Rows that are long travel in smaller numbers.
        let groups = builder.metadata().row_groups();
        let bytes: i64 = groups.iter().map(|g| g.total_byte_size()).sum();
        let all: i64 = groups.iter().map(|g| g.num_rows()).sum();
        let rows = usize::try_from(BYTES * all.max(1) / bytes.max(1)).unwrap_or(ROWS).clamp(1, ROWS);
        let mask = ProjectionMask::roots(builder.parquet_schema(), roots);
        let mut reader = guarded(&self.path, || {
            builder.with_projection(mask).with_batch_size(rows).build().map_err(|e| broken(&e))
        })?;
        loop {
            let next = guarded(&self.path, || reader.next().transpose().map_err(|e| broken(&e)))?;
            let Some(batch) = next else { return Ok(()) };
            let column =
                |name: &str| batch.column_by_name(name).ok_or_else(|| broken(&format!("the column {name} is missing")));
            let columns: Vec<&ArrayRef> = self.columns.iter().map(|c| column(c)).collect::<Result<_, _>>()?;
            let geometry = match &self.geometry {
                Some((name, encoding)) => Some((column(name)?, encoding)),
                None => None,
            };
            for row in 0..batch.num_rows() {
                let cells = columns.iter().map(|c| values::cell(c, row)).collect();
                let shape = geometry.map_or(Ok(None), |(array, encoding)| self.shape_of(array, row, encoding));
                if !give(cells, shape, 0) {
                    return Ok(());
                }
            }
        }
    }
}
