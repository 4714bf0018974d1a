//! What `STORED AS` takes: the formats of the library that are written, by their endings. Text is `DELIMITED` and Parquet with
//! geometry `GEOPARQUET`, as the engine has a `CSV` and a `PARQUET` of its own, which know no geometry.

use super::{Columns, PartsPublish, PartsWrite, parts};
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
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Endings that the engine has formats of its own for, and what ours are called.
const OTHER_NAMES: [(&str, &str); 2] = [("csv", "delimited"), ("parquet", "geoparquet")];

/// A format that queries are written in, and how one of them is: as it travels from the machine that asks to the one that plans.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LayerFormats {
    /// What `STORED AS` calls it.
    name: String,
    /// The ending of its files.
    ending: String,
    /// Whether files that are there are replaced.
    overwrite: bool,
    /// The folder where the parts of a query wait until all are there, once it is settled.
    waiting: Option<PathBuf>,
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
                formats.push(LayerFormats {
                    name: name.to_string(),
                    ending: ending.to_string(),
                    overwrite: false,
                    waiting: None,
                });
            }
        }
        formats
    }

    /// What `STORED AS` calls it.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where the parts of a query wait, once it is settled.
    pub(super) fn waiting(&self) -> Option<&Path> {
        self.waiting.as_deref()
    }

    /// The same where the parts of a query to a file or folder have a place to wait that no other query has.
    pub(super) fn waiting_for(self, path: &Path) -> Self {
        let waiting = Some(parts::waiting_for(path, &self.ending));
        LayerFormats { waiting, ..self }
    }

    /// The same with the options of a query.
    ///
    /// # Errors
    /// [`Error::Call`] for one that it has not.
    pub(super) fn with_options(mut self, options: &HashMap<String, String>) -> Result<Self, Error> {
        for (name, value) in options {
            match (name.trim_start_matches("format."), value.trim()) {
                ("overwrite", "true") => self.overwrite = true,
                ("overwrite", "false") => self.overwrite = false,
                (other, value) => {
                    let what = format!("option {other} is '{value}': 'overwrite' 'true' is the only one there is");
                    return Err(Error::Call { function: "COPY", what });
                }
            }
        }
        Ok(self)
    }
}

impl GetExt for LayerFormats {
    fn get_ext(&self) -> String {
        self.name.clone()
    }
}

impl FileFormatFactory for LayerFormats {
    fn create(&self, _: &dyn Session, options: &HashMap<String, String>) -> Result<Arc<dyn FileFormat>> {
        Ok(Arc::new(self.clone().with_options(options)?))
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
        let target = path_of(&config.original_url);
        let holds_geometry =
            Format::of_ending(&PathBuf::from(format!("x.{}", self.ending))).is_some_and(Format::holds_geometry);
        check_geometry(&input.schema(), holds_geometry)?;
        let is_file = target.extension().is_some_and(|e| e.eq_ignore_ascii_case(&self.ending));
        let input: Arc<dyn ExecutionPlan> = if is_file { Arc::new(CoalescePartitionsExec::new(input)) } else { input };
        let waiting = self.waiting.clone().unwrap_or_else(|| parts::waiting_for(&target, &self.ending));
        let write = PartsWrite::new(input, target, self.ending.clone(), waiting, self.overwrite)?;
        let target = write.target().clone();
        let parts: Arc<dyn ExecutionPlan> = Arc::new(CoalescePartitionsExec::new(Arc::new(write)));
        Ok(Arc::new(PartsPublish::new(parts, target)?))
    }

    fn file_source(&self, schema: TableSchema) -> Arc<dyn FileSource> {
        // Asked for by plans that read, which are refused before.
        Arc::new(CsvSource::new(schema))
    }
}

/// The path of what a query writes, which may be told as an address of a file.
pub(super) fn path_of(told: &str) -> PathBuf {
    PathBuf::from(told.trim_start_matches("file://"))
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
