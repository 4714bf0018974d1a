//! Shapes with their rows. The index is not needed, and the other files may be missing.

use super::MAGIC;
use super::record::{self, Family, Kind};
use crate::dbf::{self, Table, beside};
use crate::feature::{FeatureSource, Give, Shape, layer_schema};
use crate::reader::{About, InputOptions};
use crate::{Format, FormatError};
use arrow_schema::SchemaRef;
use basilocus_table::geometry::Geometry;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

const HEADER: u64 = 100;
/// Longest shape, in bytes.
const LONGEST: u64 = 1 << 30;

/// A shapefile.
pub struct ShapefileReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    table: Option<Table>,
    bytes: u64,
}

impl ShapefileReader {
    /// Opens a shapefile by its main file.
    ///
    /// # Errors
    /// Where it cannot be read, its header does not fit, or it has no shape.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let mut file = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let bytes = file.metadata().map_err(|e| FormatError::read(path, e))?.len();
        let mut head = [0u8; HEADER as usize];
        file.read_exact(&mut head)
            .map_err(|_| FormatError::broken(path, "ends within its header of 100 bytes; get the file again"))?;
        if head[..4] != MAGIC {
            return Err(FormatError::broken(path, "does not begin as a shapefile does"));
        }
        let code = u32::from_le_bytes([head[32], head[33], head[34], head[35]]);
        let kind = Kind::of(code)
            .ok_or_else(|| FormatError::broken(path, format!("holds shapes of type {code}, which are not read")))?;
        if bytes <= HEADER {
            return Err(FormatError::Empty { path: path.to_path_buf(), what: "the shapefile holds no shape" });
        }
        let mut notes = Vec::new();
        let table = match beside(path, "dbf") {
            Some(p) => {
                let table = Table::open(&p, options.encoding.as_deref())?;
                notes.extend(table.notes.iter().cloned());
                Some(table)
            }
            None => {
                notes.push("the table of attributes (.dbf) is missing: there is geometry alone".into());
                None
            }
        };
        let crs = beside(path, "prj").and_then(|p| std::fs::read_to_string(p).ok()).map(|t| t.trim().to_string());
        let crs = crs.filter(|t| !t.is_empty());
        if crs.is_none() {
            notes.push("the file of its reference system (.prj) is missing".into());
        }
        let shape = if kind.family == Family::Point { Shape::Points { z: kind.z } } else { Shape::Any };
        let columns = table.as_ref().map(Table::columns).unwrap_or_default();
        let schema = layer_schema(&columns, shape, crs.as_deref());
        let about = About {
            path: path.to_path_buf(),
            format: Format::Shapefile,
            layer: None,
            layers: Vec::new(),
            crs,
            header_row: None,
            notes,
            bytes,
            typed: true,
            axes_by_registry: false,
            tree: Vec::new(),
        };
        Ok(ShapefileReader { path: path.to_path_buf(), about, schema, shape, table, bytes })
    }

    /// The geometry of a record, or the class and the reason why there is none.
    fn geometry(&self, content: &[u8]) -> Result<Option<Geometry>, (&'static str, String)> {
        match (record::read(content), self.shape) {
            (Err(problem), _) => Err(("geometry cannot be read", problem)),
            (Ok(Some(g)), Shape::Points { .. }) if !matches!(g, Geometry::Point(_)) => Err((
                "geometry is not a point",
                format!("the shape is a {}; the file says that it holds points", g.type_name()),
            )),
            (Ok(g), _) => Ok(g),
        }
    }
}

impl FeatureSource for ShapefileReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let failed = |e| FormatError::read(&self.path, e);
        let mut file = File::open(&self.path).map_err(failed)?;
        file.seek(SeekFrom::Start(HEADER)).map_err(failed)?;
        let mut input = BufReader::with_capacity(1 << 18, file);
        let mut at = HEADER;
        let mut rows = self.table.as_ref().map(Table::cursor).transpose()?;
        let mut content = Vec::new();
        let mut number = 0u64;
        let cut = |number: u64, problem: &str| {
            FormatError::broken(
                &self.path,
                format!("shape {number} {problem}: the file was cut or is damaged; get it again"),
            )
        };
        while at + 8 <= self.bytes {
            number += 1;
            let mut head = [0u8; 8];
            input.read_exact(&mut head).map_err(failed)?;
            let words = u64::from(u32::from_be_bytes([head[4], head[5], head[6], head[7]]));
            let length = words * 2;
            at += 8 + length;
            if at > self.bytes || !(4..=LONGEST).contains(&length) {
                return Err(cut(number, "is said to be longer than the file"));
            }
            content.resize(length as usize, 0);
            input.read_exact(&mut content).map_err(failed)?;
            let row = match &mut rows {
                Some(cursor) => cursor.next()?,
                None => None,
            };
            let missing = row.is_none() && self.table.is_some();
            let (cells, deleted) = row.map_or((Vec::new(), false), |r| (r.cells, r.deleted));
            let geometry = if deleted {
                Err((dbf::DELETED.0, dbf::DELETED.1.to_string()))
            } else if missing {
                Err((
                    "no row of attributes",
                    "the table of attributes has fewer rows than there are shapes".to_string(),
                ))
            } else {
                self.geometry(&content)
            };
            if !give(cells, geometry, 8 + length) {
                return Ok(());
            }
        }
        // Rows of attributes that no shape belongs to.
        if let Some(cursor) = &mut rows {
            while let Some(row) = cursor.next()? {
                let why = Err(("no shape", "the table of attributes has more rows than there are shapes".to_string()));
                if !give(row.cells, why, 0) {
                    return Ok(());
                }
            }
        }
        Ok(())
    }
}
