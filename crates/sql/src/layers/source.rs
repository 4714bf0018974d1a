//! What is read of which files, as it travels from the machine that plans to those that read.

use crate::{Error, schema_bytes, systems};
use basilocus::Layer;
use basilocus::layer::TypedLayer;
use basilocus::plan::InputPlan;
use basilocus::steps::Positions;
use basilocus::table::Moment;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef, Schema, SchemaRef};
use datafusion::arrow::error::ArrowError;
use serde::{Deserialize, Serialize};
use std::path::Path;
use std::sync::Arc;

/// Files with the same columns, and how they are read.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct LayerSource {
    /// The files; each is a partition.
    pub files: Vec<String>,
    /// The layer, sheet or repeated element of each.
    pub layer: Option<String>,
    /// The system of geometries whose files say none.
    pub system: Option<String>,
    /// The columns of the files, as the engine's stream format begins.
    columns: Vec<u8>,
}

impl LayerSource {
    /// Looks at all files for their columns and types.
    ///
    /// # Errors
    /// [`Error`] where a file cannot be read, or has other columns than the first.
    pub fn look(files: Vec<String>, layer: Option<String>, system: Option<String>) -> Result<Self, Error> {
        let mut source = LayerSource { files, layer, system, columns: Vec::new() };
        let mut schema: Option<SchemaRef> = None;
        for file in &source.files {
            let found = source.layer_of(file, None)?.typed()?.schema().clone();
            schema = Some(match schema {
                None => found,
                Some(known) => merged(&known, &found, file, &source.files[0])?,
            });
        }
        let schema = schema.ok_or_else(|| Error::Call { function: "read_layer", what: "no file is named".into() })?;
        source.columns =
            schema_bytes::written(&schema).map_err(|e| Error::Call { function: "read_layer", what: e.to_string() })?;
        Ok(source)
    }

    /// The steps of a file.
    fn layer_of(&self, file: &str, extent: Option<[f64; 4]>) -> Result<Layer, Error> {
        // What is a layer of a GeoPackage is a sheet of a workbook.
        let ending = Path::new(file).extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
        let is_workbook = ["xlsx", "xlsm", "xlsb", "xls", "ods"].contains(&ending.as_str());
        let (sheet, layer) = if is_workbook { (self.layer.clone(), None) } else { (None, self.layer.clone()) };
        let input = InputPlan { sheet, layer, extent, ..Default::default() };
        let layer = Layer::open(file)?.reading(input);
        Ok(match &self.system {
            Some(system) => layer.positions(Positions::in_system(&systems::text_of(&*systems::find(system)?)?)?),
            None => layer,
        })
    }

    /// A file of them, with the types of the columns that all of them have; where only some are asked for, the texts of the others
    /// are left as they are.
    ///
    /// # Errors
    /// [`Error`] where it cannot be read, or is another one here.
    pub(super) fn open(
        &self,
        partition: usize,
        extent: Option<[f64; 4]>,
        asked: Option<&[usize]>,
    ) -> Result<TypedLayer, Error> {
        let (layer, schema) = (self.layer_of(&self.files[partition], extent)?, self.source_schema()?);
        // A geometry of the file's own is placed by what the file says, as it was when it was looked at.
        let is_placed_by_file = self.system.is_none() && basilocus::table::batch::spatial_index(&schema).is_some();
        let placed = if is_placed_by_file { layer.positions(Positions::default()) } else { layer };
        let schema = match asked {
            Some(asked) => others_as_texts(&schema, asked),
            None => schema,
        };
        Ok(TypedLayer::known(&placed, schema)?)
    }

    /// The columns as the files have them.
    pub(super) fn source_schema(&self) -> Result<SchemaRef, Error> {
        let refuse = |e: ArrowError| Error::Call { function: "read_layer", what: format!("a plan is damaged: {e}") };
        schema_bytes::read(&self.columns).map_err(refuse)
    }

    /// The columns as queries see them: geometries are well-known binary.
    ///
    /// # Errors
    /// [`Error::Call`] for a plan that was damaged on its way.
    pub fn schema(&self) -> Result<SchemaRef, Error> {
        let source = self.source_schema()?;
        let spatial = basilocus::table::batch::spatial_index(&source);
        let field = |(at, field): (usize, &FieldRef)| -> Field {
            let field = field.as_ref().clone().with_nullable(true);
            // Dates are texts with a mark in our rows.
            if let Some(moment) = Moment::of_field(&field) {
                return field.with_data_type(moment.data_type()).with_metadata(Default::default());
            }
            if Some(at) != spatial {
                return field;
            }
            let system = systems::of_field(&field);
            systems::field(field.name(), system.as_deref())
        };
        Ok(Arc::new(Schema::new(source.fields().iter().enumerate().map(field).collect::<Vec<_>>())))
    }
}

/// The columns, of which those that nobody asks for are texts, which every value is.
fn others_as_texts(schema: &SchemaRef, asked: &[usize]) -> SchemaRef {
    let spatial = basilocus::table::batch::spatial_index(schema);
    let fields =
        schema.fields().iter().enumerate().map(|(at, field)| match asked.contains(&at) || spatial == Some(at) {
            true => field.as_ref().clone(),
            false => Field::new(field.name(), DataType::Utf8, true),
        });
    Arc::new(Schema::new(fields.collect::<Vec<_>>()))
}

/// The columns of two files of one table.
fn merged(known: &SchemaRef, found: &SchemaRef, file: &str, first: &str) -> Result<SchemaRef, Error> {
    let names = |s: &SchemaRef| s.fields().iter().map(|f| f.name().clone()).collect::<Vec<_>>();
    let refuse = |what: String| Error::Call { function: "read_layer", what };
    if names(known) != names(found) {
        let (of_first, of_this) = (names(known).join(", "), names(found).join(", "));
        return Err(refuse(format!("{file} has the columns {of_this}, and {first} has {of_first}")));
    }
    let fields = known.fields().iter().zip(found.fields()).map(|(a, b)| {
        if systems::of_field(a) != systems::of_field(b) {
            let words = |f: &Field| systems::of_field(f).unwrap_or_else(|| "no system".into());
            return Err(refuse(format!("{file} is in {}, and {first} is in {}", words(b), words(a))));
        }
        Ok(a.as_ref().clone().with_data_type(wider(a.data_type(), b.data_type())))
    });
    Ok(Arc::new(Schema::new(fields.collect::<Result<Vec<Field>, Error>>()?)))
}

/// The type that the values of both have.
fn wider(a: &DataType, b: &DataType) -> DataType {
    match (a, b) {
        _ if a == b => a.clone(),
        (DataType::Int64, DataType::Float64) | (DataType::Float64, DataType::Int64) => DataType::Float64,
        // Geometries: points in one file, any in the other.
        (DataType::Struct(_), _) => a.clone(),
        (_, DataType::Struct(_)) => b.clone(),
        _ => DataType::Utf8,
    }
}
