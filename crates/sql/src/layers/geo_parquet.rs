//! GeoParquet, which the engine reads itself, with all that it can leave out: row groups and pages by their statistics, columns,
//! parts of files. Only the system of the geometry is ours to find.

use crate::{Error, systems};
use basilocus::Layer;
use datafusion::arrow::datatypes::{Schema, SchemaRef};
use datafusion::catalog::TableProvider;
use datafusion::common::Result;
use datafusion::datasource::file_format::parquet::ParquetFormat;
use datafusion::datasource::listing::{ListingOptions, ListingTable, ListingTableConfig, ListingTableUrl};
use datafusion::parquet::arrow::parquet_to_arrow_schema;
use datafusion::parquet::file::reader::{FileReader, SerializedFileReader};
use std::sync::Arc;

/// The table of Parquet files; `None` where they are others.
///
/// # Errors
/// [`Error`] where a file cannot be read, or is in another system than the first.
pub(super) fn table(files: &[String], system: Option<String>) -> Result<Option<Arc<dyn TableProvider>>> {
    let is_parquet = |f: &String| {
        let ending = std::path::Path::new(f).extension().map(|e| e.to_string_lossy().to_lowercase());
        matches!(ending.as_deref(), Some("parquet" | "geoparquet"))
    };
    if !files.iter().all(is_parquet) {
        return Ok(None);
    }
    let mut known: Option<Schema> = None;
    let mut geometry: Option<(String, Option<String>)> = None;
    for (at, file) in files.iter().enumerate() {
        let layer = Layer::open(file).map_err(Error::from)?;
        let found = layer.columns().map_err(Error::from)?;
        let (own, primary) = parquet_schema(file)?;
        let spatial = basilocus::table::batch::spatial_index(&found);
        // Our reader gives the geometry a name of its own; the engine reads it under that of the file.
        let here = primary.zip(spatial.map(|i| systems::of_field(found.field(i))));
        if at > 0 && here != geometry {
            let words = |g: &Option<(String, Option<String>)>| match g {
                Some((column, system)) => format!("{column} in {}", system.as_deref().unwrap_or("no system")),
                None => "no geometry".into(),
            };
            let what = format!("{file} has {}, and {} has {}", words(&here), files[0], words(&geometry));
            return Err(Error::Call { function: "read_layer", what }.into());
        }
        geometry = here;
        known = Some(match known {
            None => own,
            Some(known) => Schema::try_merge([known, own])?,
        });
    }
    let Some(schema) = known else { return Ok(None) };
    let said = system.map(|s| systems::text_of(&*systems::find(&s)?)).transpose()?;
    let fields = schema.fields().iter().map(|field| match &geometry {
        Some((name, found)) if field.name() == name => {
            let of_file = found.as_deref().or(said.as_deref());
            let metadata = systems::field(name, of_file).metadata().clone();
            field.as_ref().clone().with_metadata(metadata)
        }
        _ => field.as_ref().clone(),
    });
    let schema: SchemaRef = Arc::new(Schema::new(fields.collect::<Vec<_>>()));
    let options = ListingOptions::new(Arc::new(ParquetFormat::default())).with_file_extension("");
    let urls = files.iter().map(ListingTableUrl::parse).collect::<Result<Vec<_>>>()?;
    let config = ListingTableConfig::new_with_multi_paths(urls).with_listing_options(options).with_schema(schema);
    Ok(Some(Arc::new(ListingTable::try_new(config)?)))
}

/// The columns of a file as the engine reads them, and which of them is its geometry.
fn parquet_schema(file: &str) -> Result<(Schema, Option<String>)> {
    let reader = SerializedFileReader::new(std::fs::File::open(file)?)?;
    let metadata = reader.metadata().file_metadata();
    let entries = metadata.key_value_metadata();
    let geo = entries.and_then(|list| list.iter().find(|e| e.key == "geo")).and_then(|e| e.value.as_deref());
    let told = geo.and_then(|text| serde_json::from_str::<serde_json::Value>(text).ok());
    let primary = told.map(|t| t["primary_column"].as_str().unwrap_or("geometry").to_string());
    // What the file says of itself as a whole, its extent for one, differs between the files of a table.
    let columns = parquet_to_arrow_schema(metadata.schema_descr(), entries)?.fields;
    Ok((Schema::new(columns), primary))
}
