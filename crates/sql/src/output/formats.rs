//! What `STORED AS` takes: the formats of the library that are written, by their endings. Text is `DELIMITED` and Parquet with
//! geometry `GEOPARQUET`, as the engine has a `CSV` and a `PARQUET` of its own, which know no geometry.

use super::{Columns, PartsPublish, PartsWrite};
use crate::{Error, systems};
use async_trait::async_trait;
use basilocus::formats::{DRIVERS, Format};
use basilocus::table::POINT_COLUMN;
use datafusion::arrow::datatypes::{DataType, Schema, SchemaRef};
use datafusion::catalog::Session;
use datafusion::common::{GetExt, Result, Statistics};
use datafusion::datasource::file_format::file_compression_type::FileCompressionType;
use datafusion::datasource::file_format::{FileFormat, FileFormatFactory};
use datafusion::datasource::physical_plan::{CsvSource, FileScanConfig, FileSinkConfig, FileSource};
use datafusion::datasource::table_schema::TableSchema;
use datafusion::object_store::{ObjectMeta, ObjectStore};
use datafusion::physical_expr::LexRequirement;
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_plan::coalesce_partitions::CoalescePartitionsExec;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;

/// Endings that the engine has formats of its own for, and what ours are called.
const OTHER_NAMES: [(&str, &str); 2] = [("csv", "delimited"), ("parquet", "geoparquet")];

/// A format that queries are written in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LayerFormats {
    /// What `STORED AS` calls it.
    name: String,
    /// The ending of its files.
    ending: String,
    overwrite: bool,
}

impl LayerFormats {
    /// All of them, one for each name.
    pub fn all() -> Vec<LayerFormats> {
        let mut names: Vec<&str> = Vec::new();
        let endings = DRIVERS.iter().flat_map(|d| d.endings.iter().copied());
        let written = endings.filter(|ending| Format::of_ending(&PathBuf::from(format!("x.{ending}"))).is_some());
        let mut formats = Vec::new();
        for ending in written {
            let name = OTHER_NAMES.iter().find(|(e, _)| *e == ending).map_or(ending, |(_, name)| *name);
            // Those of the engine stay; a format with two endings of one name has the first.
            if !["json", "avro", "arrow"].contains(&name) && !names.contains(&name) {
                names.push(name);
                formats.push(LayerFormats { name: name.to_string(), ending: ending.to_string(), overwrite: false });
            }
        }
        formats
    }

    /// The one with a name.
    ///
    /// # Errors
    /// [`Error::Setting`] for a name that none has.
    pub fn named(name: &str) -> Result<Self, Error> {
        Self::all().into_iter().find(|f| f.name == name).ok_or_else(|| Error::Setting {
            name: "format",
            value: name.into(),
            expected: "the ending of a format that is written",
        })
    }

    /// What `STORED AS` calls it.
    pub fn name(&self) -> &str {
        &self.name
    }
}

impl GetExt for LayerFormats {
    fn get_ext(&self) -> String {
        self.name.clone()
    }
}

impl FileFormatFactory for LayerFormats {
    fn create(&self, _: &dyn Session, options: &HashMap<String, String>) -> Result<Arc<dyn FileFormat>> {
        let mut format = self.clone();
        for (name, value) in options {
            match (name.trim_start_matches("format."), value.trim()) {
                ("overwrite", "true") => format.overwrite = true,
                ("overwrite", "false") => {}
                (other, value) => {
                    let what = format!("option {other} is '{value}': 'overwrite' 'true' is the only one there is");
                    return Err(Error::Call { function: "COPY", what }.into());
                }
            }
        }
        Ok(Arc::new(format))
    }

    fn default(&self) -> Arc<dyn FileFormat> {
        Arc::new(self.clone())
    }
}

#[async_trait]
impl FileFormat for LayerFormats {
    fn get_ext(&self) -> String {
        self.ending.clone()
    }

    fn get_ext_with_compression(&self, _: &FileCompressionType) -> Result<String> {
        Ok(self.ending.clone())
    }

    fn compression_type(&self) -> Option<FileCompressionType> {
        None
    }

    async fn infer_schema(&self, _: &dyn Session, _: &Arc<dyn ObjectStore>, _: &[ObjectMeta]) -> Result<SchemaRef> {
        Err(self.only_written())
    }

    async fn infer_stats(
        &self,
        _: &dyn Session,
        _: &Arc<dyn ObjectStore>,
        schema: SchemaRef,
        _: &ObjectMeta,
    ) -> Result<Statistics> {
        Ok(Statistics::new_unknown(&schema))
    }

    async fn create_physical_plan(&self, _: &dyn Session, _: FileScanConfig) -> Result<Arc<dyn ExecutionPlan>> {
        Err(self.only_written())
    }

    async fn create_writer_physical_plan(
        &self,
        input: Arc<dyn ExecutionPlan>,
        _: &dyn Session,
        config: FileSinkConfig,
        _: Option<LexRequirement>,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        if !config.table_partition_cols.is_empty() {
            let what = "PARTITIONED BY is not taken by formats of layers; WHERE chooses the rows of a file".to_string();
            return Err(Error::Call { function: "COPY", what }.into());
        }
        let target = PathBuf::from(config.original_url.trim_start_matches("file://"));
        let holds_geometry =
            Format::of_ending(&PathBuf::from(format!("x.{}", self.ending))).is_some_and(Format::holds_geometry);
        check_geometry(&input.schema(), holds_geometry)?;
        let is_file = target.extension().is_some_and(|e| e.eq_ignore_ascii_case(&self.ending));
        let input: Arc<dyn ExecutionPlan> = if is_file { Arc::new(CoalescePartitionsExec::new(input)) } else { input };
        let write = PartsWrite::new(input, target, self.ending.clone(), self.overwrite)?;
        let target = write.target().clone();
        let parts: Arc<dyn ExecutionPlan> = Arc::new(CoalescePartitionsExec::new(Arc::new(write)));
        Ok(Arc::new(PartsPublish::new(parts, target)?))
    }

    fn file_source(&self, schema: TableSchema) -> Arc<dyn FileSource> {
        // Asked for by plans that read, which are refused before.
        Arc::new(CsvSource::new(schema))
    }
}

/// A layer needs a geometry, and a geometry its system.
fn check_geometry(schema: &Schema, holds_geometry: bool) -> Result<(), Error> {
    let refuse = |what: String| Err(Error::Call { function: "COPY", what });
    let columns = Columns::of(schema);
    let geometry = columns.schema().field_with_name(POINT_COLUMN).ok().filter(|f| *f.data_type() == DataType::Binary);
    match geometry {
        None if holds_geometry => refuse(
            "the query has no column of geometry: ST_Point(lon, lat, 4326) makes one; XLSX and DELIMITED are for tables".into(),
        ),
        Some(field) if systems::of_field(field).is_none() => refuse(
            "the geometry has no system, so that nothing says where it is: ST_SRID(geometry, system) says it, where it is known"
                .into(),
        ),
        _ => Ok(()),
    }
}

impl LayerFormats {
    fn only_written(&self) -> datafusion::error::DataFusionError {
        let what = format!("{} is only written as a format of tables; read_layer('FILE') reads such files", self.name);
        Error::Call { function: "CREATE EXTERNAL TABLE", what }.into()
    }
}
