//! A file of one layer: geometry as well-known binary with a column of bounds, in row groups.

use super::system;
use crate::writer::{AsRows, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput};
use arrow_array::{Array, ArrayRef, BinaryArray, Date32Array, Float64Array, StructArray, TimestampMillisecondArray};
use arrow_schema::{DataType, Field, Fields, Schema, SchemaRef};
use basilocus_table::batch::{cell_text, record_batch, spatial_index};
use basilocus_table::geometry::{Geometry, wkb};
use basilocus_table::moment::Civil;
use basilocus_table::{Batch, Moment, Spatial};
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_writer::ArrowWriterOptions;
use parquet::basic::{Compression, ZstdLevel};
use parquet::file::metadata::KeyValue;
use parquet::file::properties::WriterProperties;
use serde_json::json;
use std::collections::BTreeSet;
use std::fs::File;
use std::sync::Arc;

/// Rows of a row group: small enough that its bounds say something.
const GROUP: usize = 65_536;
const GEOMETRY: &str = "geometry";
const BOUNDS: &str = "bbox";
const EDGES: [&str; 4] = ["xmin", "ymin", "xmax", "ymax"];

/// A Parquet file in the making.
pub struct ParquetWriter {
    pending: PendingOutput,
    layer: Option<Layer>,
    told: Vec<String>,
}

struct Layer {
    writer: ArrowWriter<File>,
    schema: SchemaRef,
    geometry: bool,
    crs: Option<serde_json::Value>,
    /// Types that were written.
    types: BTreeSet<String>,
    extent: Option<[f64; 4]>,
}

impl ParquetWriter {
    /// Prepares the file.
    pub fn create(pending: PendingOutput) -> Self {
        ParquetWriter { pending, layer: None, told: Vec::new() }
    }
}

/// The name of a type as the metadata has it.
fn type_name(g: &Geometry) -> String {
    let name =
        ["Point", "LineString", "Polygon", "MultiPoint", "MultiLineString", "MultiPolygon", "GeometryCollection"]
            [g.code() as usize - 1];
    if g.has_z_and_m().0 { format!("{name} Z") } else { name.to_string() }
}

fn bounds_fields() -> Fields {
    EDGES.iter().map(|e| Field::new(*e, DataType::Float64, false)).collect()
}

/// A column of dates or times in the type of its field; any other as it is.
fn moments(array: &ArrayRef, field: &Field) -> Result<ArrayRef, parquet::errors::ParquetError> {
    let wanted = field.data_type();
    if !matches!(wanted, DataType::Date32 | DataType::Timestamp(..)) {
        return Ok(array.clone());
    }
    let read = |row: usize| {
        let text = cell_text(array, row);
        let found = Moment::read(&text).filter(|(m, _)| m.data_type() == *wanted).map(|(_, civil)| civil);
        found.map(Some).ok_or_else(|| {
            let problem = format!("column \"{}\" holds dates, and \"{text}\" is none such", field.name());
            parquet::errors::ParquetError::General(problem)
        })
    };
    let civils: Vec<Option<Civil>> =
        (0..array.len()).map(|row| if array.is_null(row) { Ok(None) } else { read(row) }).collect::<Result<_, _>>()?;
    Ok(match wanted {
        DataType::Date32 => Arc::new(civils.iter().map(|c| c.map(|c| c.days())).collect::<Date32Array>()),
        DataType::Timestamp(_, zone) => {
            let times = civils.iter().map(|c| c.map(|c| c.milliseconds())).collect::<TimestampMillisecondArray>();
            Arc::new(times.with_timezone_opt(zone.clone()))
        }
        _ => array.clone(),
    })
}

impl Layer {
    fn write(&mut self, batch: &Batch) -> Result<(), parquet::errors::ParquetError> {
        let records = batch.records();
        let skip = spatial_index(&records.schema());
        let attributes = (0..records.num_columns()).filter(|i| Some(*i) != skip).map(|i| records.column(i));
        let fields = self.schema.fields().clone();
        let mut columns: Vec<ArrayRef> =
            attributes.zip(&fields).map(|(array, field)| moments(array, field)).collect::<Result<_, _>>()?;
        if self.geometry {
            let spatial = Spatial::of(records);
            let shapes: Vec<Option<Geometry>> = (0..batch.len())
                .map(|row| {
                    let mut g = spatial.get(row)?;
                    g.turn_rings();
                    Some(g)
                })
                .collect();
            let bounds: Vec<Option<[f64; 4]>> = shapes.iter().map(|g| g.as_ref()?.bounds()).collect();
            for (g, b) in shapes.iter().zip(&bounds).filter_map(|(g, b)| Some((g.as_ref()?, b.as_ref()?))) {
                self.types.insert(type_name(g));
                let e = self.extent.get_or_insert(*b);
                *e = [e[0].min(b[0]), e[1].min(b[1]), e[2].max(b[2]), e[3].max(b[3])];
            }
            columns.push(Arc::new(shapes.iter().map(|g| g.as_ref().map(wkb::write)).collect::<BinaryArray>()));
            let edge = |i: usize| -> ArrayRef {
                Arc::new(bounds.iter().map(|b| b.map_or(0.0, |b| b[i])).collect::<Float64Array>())
            };
            let there = bounds.iter().map(Option::is_some).collect::<Vec<bool>>();
            let edges = (0..4).map(edge).collect();
            columns.push(Arc::new(StructArray::try_new(bounds_fields(), edges, Some(there.into()))?));
        }
        self.writer.write(&record_batch(self.schema.clone(), columns, batch.len())?)
    }
}

impl Writer for ParquetWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        let failed = |e: &dyn std::fmt::Display| FormatError::write(self.pending.target(), e);
        if self.layer.is_some() {
            return Err(failed(
                &"a Parquet file holds one layer; write a GeoPackage, or each layer to a file of its own",
            ));
        }
        let geometry = spatial_index(&layer.schema);
        let mut taken: Vec<String> = if geometry.is_some() { vec![GEOMETRY.into(), BOUNDS.into()] } else { Vec::new() };
        let mut fields = Vec::new();
        for (_, field) in layer.schema.fields().iter().enumerate().filter(|(i, _)| Some(*i) != geometry) {
            let mut name = field.name().clone();
            while taken.contains(&name) {
                name.push('_');
            }
            if name != *field.name() {
                self.told.push(format!("column \"{}\" is called \"{name}\": the name is taken", field.name()));
            }
            taken.push(name.clone());
            let kind = Moment::of_field(field).map_or_else(|| field.data_type().clone(), Moment::data_type);
            fields.push(Field::new(name, kind, true));
        }
        let mut crs = None;
        if geometry.is_some() {
            fields.push(Field::new(GEOMETRY, DataType::Binary, true));
            fields.push(Field::new(BOUNDS, DataType::Struct(bounds_fields()), true));
            crs = layer.crs.as_ref().filter(|c| c.code != Some(4326)).map(|c| {
                let found = c.wkt2.as_deref().and_then(system::json_of);
                if found.is_none() {
                    self.told.push(format!(
                        "the system {} has no form in GeoParquet: the file says that it is not known",
                        c.name
                    ));
                }
                found.unwrap_or_default()
            });
            if layer.crs.is_none() {
                crs = Some(serde_json::Value::Null);
            }
        }
        let schema = Arc::new(Schema::new(fields));
        let file = File::create(self.pending.path()).map_err(|e| failed(&e))?;
        let properties = WriterProperties::builder()
            .set_compression(Compression::ZSTD(ZstdLevel::default()))
            .set_max_row_group_row_count(Some(GROUP))
            .set_created_by(concat!("basilocus ", env!("CARGO_PKG_VERSION")).into())
            .build();
        // Arrow's own copy of the schema would hide the metadata of the file from some readers.
        let options = ArrowWriterOptions::new().with_properties(properties).with_skip_arrow_metadata(true);
        let writer = ArrowWriter::try_new_with_options(file, schema.clone(), options).map_err(|e| failed(&e))?;
        self.layer =
            Some(Layer { writer, schema, geometry: geometry.is_some(), crs, types: BTreeSet::new(), extent: None });
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let (Encoded::Rows(batch), Some(layer)) = (part, self.layer.as_mut()) else { return Ok(()) };
        layer.write(&batch).map_err(|e| FormatError::write(self.pending.target(), e))
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(self: Box<Self>, _: &RunAbout, _: &SetAsideTable) -> Result<(PendingOutput, Vec<String>), FormatError> {
        let ParquetWriter { pending, layer, told } = *self;
        let Some(mut layer) = layer else {
            return Err(FormatError::write(pending.target(), "there is no layer to write"));
        };
        if layer.geometry {
            let mut column = json!({
                "encoding": "WKB",
                "geometry_types": layer.types,
                "orientation": "counterclockwise",
                "covering": {"bbox": EDGES.iter().map(|e| (e.to_string(), json!([BOUNDS, e]))).collect::<serde_json::Map<_, _>>()},
            });
            // Without a word it is WGS 84, longitude first.
            if let Some(crs) = layer.crs {
                column["crs"] = crs;
            }
            if let Some(extent) = layer.extent {
                column["bbox"] = json!(extent);
            }
            let geo = json!({"version": "1.1.0", "primary_column": GEOMETRY, "columns": {GEOMETRY: column}});
            layer.writer.append_key_value_metadata(KeyValue::new("geo".to_string(), geo.to_string()));
        }
        layer.writer.close().map_err(|e| FormatError::write(pending.target(), e))?;
        Ok((pending, told))
    }
}
