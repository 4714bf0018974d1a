//! Writes layers (or tables without geometry) that any reader of the standard opens.

use super::KEY;
use super::blob::{self, Blob};
use super::packed_index;
use super::reader::quoted;
use super::there::LayerThere;
use crate::writer::{AsRows, CrsText, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput};
use arrow_array::{Array, BooleanArray, Float64Array, Int64Array};
use arrow_schema::{DataType, Field};
use basilocus_table::batch::{Points, cell_text, point_index, spatial_index};
use basilocus_table::geometry::{Geometries, Geometry, TYPES, wkb};
use basilocus_table::{Moment, Spatial, counted};
use rusqlite::config::DbConfig;
use rusqlite::types::Value;
use rusqlite::{Connection, OptionalExtension, params};
use std::sync::Arc;

/// Columns that a table of SQLite has at most, unless it was built to hold more.
const MOST_COLUMNS: usize = 2_000;
const GEOMETRY: &str = "geometry";

/// A GeoPackage in the making.
pub struct GeoPackageWriter {
    pending: PendingOutput,
    connection: Connection,
    layer: Option<Layer>,
    /// Tables that were written.
    tables: Vec<String>,
    /// Tables that the file had before.
    there: Vec<String>,
    /// Whether rows are added to a layer of the same name.
    adds_rows: bool,
    told: Vec<String>,
}

struct Layer {
    table: String,
    insert: String,
    columns: Vec<usize>,
    /// Of each, whether it holds moments.
    moments: Vec<bool>,
    srs_id: Option<i32>,
    with_z: bool,
    /// Type of the geometry in the standard's words; none while nothing was written.
    kind: Option<&'static str>,
    with_m: bool,
    rows: i64,
    /// The layer that was there before.
    there: Option<LayerThere>,
    /// West, south, east, north of what was written.
    extent: Option<[f64; 4]>,
}

impl Layer {
    /// A geometry as the layer that was there holds it; else why it does not.
    fn fitted(&self, geometry: Geometry) -> Result<Geometry, String> {
        match self.there.as_ref().and_then(|t| t.geometry.as_ref()) {
            Some(there) => there.fitted(geometry),
            None => Ok(geometry),
        }
    }

    /// The blob of a geometry, which counts for the extent and the type of the layer.
    fn shape(&mut self, srs_id: i32, wkb: &[u8], geometry: &Geometry) -> Value {
        let bounds = geometry.bounds();
        if let Some(b) = bounds {
            let e = self.extent.get_or_insert(b);
            *e = [e[0].min(b[0]), e[1].min(b[1]), e[2].max(b[2]), e[3].max(b[3])];
        }
        let (z, m) = geometry.has_z_and_m();
        self.with_z |= z;
        self.with_m |= m;
        let name = TYPES[geometry.code() as usize - 1];
        self.kind = Some(if self.kind.is_none_or(|k| k == name) { name } else { "GEOMETRY" });
        Value::Blob(blob::write(srs_id, bounds, wkb))
    }
}

/// The tables that every GeoPackage has (annex C of the standard), and the three rows that it requires.
const BASE: &str = "
PRAGMA application_id = 0x47504B47;
PRAGMA user_version = 10400;
CREATE TABLE gpkg_spatial_ref_sys (
  srs_name TEXT NOT NULL, srs_id INTEGER NOT NULL PRIMARY KEY, organization TEXT NOT NULL,
  organization_coordsys_id INTEGER NOT NULL, definition TEXT NOT NULL, description TEXT);
CREATE TABLE gpkg_contents (
  table_name TEXT NOT NULL PRIMARY KEY, data_type TEXT NOT NULL, identifier TEXT UNIQUE, description TEXT DEFAULT '',
  last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  min_x DOUBLE, min_y DOUBLE, max_x DOUBLE, max_y DOUBLE, srs_id INTEGER,
  CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id));
CREATE TABLE gpkg_geometry_columns (
  table_name TEXT NOT NULL, column_name TEXT NOT NULL, geometry_type_name TEXT NOT NULL, srs_id INTEGER NOT NULL,
  z TINYINT NOT NULL, m TINYINT NOT NULL, CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name),
  CONSTRAINT uk_gc_table_name UNIQUE (table_name),
  CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name),
  CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys (srs_id));
CREATE TABLE gpkg_extensions (
  table_name TEXT, column_name TEXT, extension_name TEXT NOT NULL, definition TEXT NOT NULL, scope TEXT NOT NULL,
  CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name));
INSERT INTO gpkg_spatial_ref_sys VALUES
  ('Undefined cartesian SRS', -1, 'NONE', -1, 'undefined', 'undefined cartesian coordinate reference system'),
  ('Undefined geographic SRS', 0, 'NONE', 0, 'undefined', 'undefined geographic coordinate reference system');
";

impl GeoPackageWriter {
    /// Creates the file with its base tables.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        let failed = |e: rusqlite::Error| FormatError::write(pending.target(), e);
        let connection = Connection::open(pending.path()).map_err(failed)?;
        // The file is not at its place before it is complete, so a journal would protect nothing. The index of a
        // million points is built twice as fast in 48 MB of cache as in the usual two.
        connection
            .execute_batch(
                "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA locking_mode = EXCLUSIVE; PRAGMA cache_size = -49152; BEGIN;",
            )
            .map_err(failed)?;
        connection.execute_batch(BASE).map_err(failed)?;
        Ok(GeoPackageWriter {
            pending,
            connection,
            layer: None,
            tables: Vec::new(),
            there: Vec::new(),
            adds_rows: false,
            told: Vec::new(),
        })
    }

    /// Opens a copy of the GeoPackage that is there; the layers that are written join those that it has, and with
    /// `adds_rows` the rows of a layer join those of the layer of its name.
    ///
    /// # Errors
    /// Where it is no GeoPackage, is open elsewhere, or cannot be copied.
    pub fn append(pending: PendingOutput, adds_rows: bool) -> Result<Self, FormatError> {
        let target = pending.target().to_path_buf();
        // What another program has written and not put in its place yet would be missing in a copy.
        for ending in ["-wal", "-journal"] {
            let mut beside = target.as_os_str().to_owned();
            beside.push(ending);
            if std::fs::metadata(&beside).is_ok_and(|m| m.len() > 0) {
                return Err(FormatError::write(&target, "another program has it open; close it there first"));
            }
        }
        std::fs::copy(&target, pending.path()).map_err(|e| FormatError::write(&target, e))?;
        let failed = |e: rusqlite::Error| FormatError::write(&target, e);
        let connection = Connection::open(pending.path()).map_err(failed)?;
        // What the file itself would do when rows come is nobody's wish here: it could take them away again.
        connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_TRIGGER, false).map_err(failed)?;
        connection.set_db_config(DbConfig::SQLITE_DBCONFIG_TRUSTED_SCHEMA, false).map_err(failed)?;
        let there: Result<Vec<String>, _> = connection
            .prepare("SELECT name FROM sqlite_master WHERE type IN ('table', 'view')")
            .and_then(|mut s| s.query_map([], |r| r.get(0))?.collect());
        let there =
            there.map_err(|e| FormatError::broken(&target, format!("cannot be opened as a GeoPackage: {e}")))?;
        if !there.iter().any(|t| t == "gpkg_contents") {
            return Err(FormatError::NotRecognised {
                path: target,
                problem: "is no GeoPackage, so no layer can be added to it".into(),
            });
        }
        connection
            .execute_batch("PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA cache_size = -49152; BEGIN;")
            .map_err(failed)?;
        // Tables that a file without geometry, or of an older version, may lack.
        connection.execute_batch(&if_missing(BASE)).map_err(failed)?;
        let (tables, told) = (Vec::new(), Vec::new());
        Ok(GeoPackageWriter { pending, connection, layer: None, tables, there, adds_rows, told })
    }

    fn failed(&self, e: rusqlite::Error) -> FormatError {
        FormatError::write(self.pending.target(), e)
    }
}

/// The statements that make tables, where they are not there yet.
fn if_missing(base: &str) -> String {
    let creates = base.split(";\n").filter(|s| s.trim_start().starts_with("CREATE TABLE"));
    creates.map(|s| s.replacen("CREATE TABLE", "CREATE TABLE IF NOT EXISTS", 1) + ";\n").collect()
}

fn sql_type(field: &Field) -> &'static str {
    match Moment::of_field(field) {
        Some(Moment::Date) => return "DATE",
        // The standard knows moments in universal time alone.
        Some(Moment::DateTime { utc: true }) => return "DATETIME",
        _ => {}
    }
    match field.data_type() {
        DataType::Boolean => "BOOLEAN",
        DataType::Int64 => "INTEGER",
        DataType::Float64 => "DOUBLE",
        _ => "TEXT",
    }
}

/// A moment in the one form that the standard has; anything else as it is.
fn moment_text(text: String) -> String {
    match Moment::read(&text) {
        Some((Moment::DateTime { utc: true }, civil)) => {
            let written = civil.text();
            if written.contains('.') { written + "Z" } else { written + ".000Z" }
        }
        _ => text,
    }
}

/// A table name of letters, digits and underscores that is not taken.
fn table_name(wanted: &str, taken: &[String]) -> String {
    let mut name: String = wanted.trim().chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
    let lower = name.to_ascii_lowercase();
    if name.is_empty()
        || name.starts_with(|c: char| c.is_ascii_digit())
        || ["gpkg_", "rtree_", "sqlite_"].iter().any(|p| lower.starts_with(p))
    {
        name = format!("layer_{name}");
    }
    let base = name.clone();
    let mut n = 2;
    while taken.iter().any(|t| t.eq_ignore_ascii_case(&name)) {
        name = format!("{base}_{n}");
        n += 1;
    }
    name
}

impl GeoPackageWriter {
    /// The id of a system of the registry: the one that the file has for it, else its code.
    fn srs_id_of(&self, code: u32) -> Result<i32, FormatError> {
        let known: Option<i32> = self
            .connection
            .query_row(
                "SELECT srs_id FROM gpkg_spatial_ref_sys WHERE upper(organization) = 'EPSG' AND organization_coordsys_id = ?1",
                params![code],
                |r| r.get(0),
            )
            .optional()
            .map_err(|e| self.failed(e))?;
        if let Some(id) = known {
            return Ok(id);
        }
        let taken: bool = self
            .connection
            .query_row("SELECT count(*) > 0 FROM gpkg_spatial_ref_sys WHERE srs_id = ?1", params![code], |r| r.get(0))
            .map_err(|e| self.failed(e))?;
        if !taken {
            return Ok(code as i32);
        }
        // Another system has the number.
        self.connection
            .query_row("SELECT max(srs_id) + 1 FROM gpkg_spatial_ref_sys", [], |r| r.get(0))
            .map_err(|e| self.failed(e))
    }

    /// An id for a system that the registry does not have: the same for the same definition, above all codes.
    fn own_srs_id(&self, crs: &CrsText) -> Result<i32, FormatError> {
        const FIRST: i32 = 100_000;
        let failed = |e| FormatError::write(self.pending.target(), e);
        let known: Option<i32> = self
            .connection
            .query_row("SELECT srs_id FROM gpkg_spatial_ref_sys WHERE definition = ?1", params![crs.wkt], |r| r.get(0))
            .optional()
            .map_err(failed)?;
        if let Some(id) = known {
            return Ok(id);
        }
        let last: i32 = self
            .connection
            .query_row("SELECT max(srs_id) FROM gpkg_spatial_ref_sys", [], |r| r.get(0))
            .map_err(failed)?;
        Ok(FIRST.max(last + 1))
    }
}

impl GeoPackageWriter {
    /// Goes on with a layer that the file has.
    fn start_rows(&mut self, layer: &LayerOut, there: LayerThere) -> Result<Arc<dyn Encode>, FormatError> {
        let refused = |problem: String| FormatError::Option { path: self.pending.target().to_path_buf(), problem };
        let names = there.names_of(layer).map_err(refused)?;
        there.is_in(layer.crs.as_ref(), &self.connection).map_err(|e| self.failed(e))?.map_err(refused)?;
        let geometry = spatial_index(&layer.schema);
        let columns: Vec<usize> = (0..layer.schema.fields().len()).filter(|i| Some(*i) != geometry).collect();
        let written: Vec<String> =
            there.geometry.iter().map(|g| quoted(&g.column)).chain(names.iter().map(|n| quoted(n))).collect();
        let places: Vec<String> = (1..=written.len()).map(|i| format!("?{i}")).collect();
        self.tables.push(there.table.clone());
        self.layer = Some(Layer {
            table: there.table.clone(),
            insert: format!(
                "INSERT INTO {} ({}) VALUES ({})",
                quoted(&there.table),
                written.join(", "),
                places.join(", ")
            ),
            moments: moments_of(layer, &columns),
            columns,
            srs_id: there.geometry.as_ref().map(|g| g.srs_id),
            with_z: false,
            with_m: false,
            kind: None,
            rows: 0,
            there: Some(there),
            extent: None,
        });
        Ok(Arc::new(AsRows))
    }

    /// Puts what rows that were added change of a layer that was there: its extent, its heights, its index.
    fn end_rows(&mut self, layer: &Layer, there: &LayerThere) -> rusqlite::Result<()> {
        let table = &layer.table;
        if let Some([west, south, east, north]) = layer.extent {
            self.connection.execute(
                "UPDATE gpkg_contents SET min_x = min(ifnull(min_x, ?2), ?2), min_y = min(ifnull(min_y, ?3), ?3), max_x = max(ifnull(max_x, ?4), ?4), max_y = max(ifnull(max_y, ?5), ?5) WHERE table_name = ?1",
                params![table, west, south, east, north],
            )?;
        }
        if let Some(geometry) = &there.geometry {
            // 2: some may have them. What all had before, not all have now, and the other way round.
            self.connection.execute(
                "UPDATE gpkg_geometry_columns SET z = CASE WHEN z = ?2 THEN z ELSE 2 END, m = CASE WHEN m = 0 AND ?3 THEN 2 ELSE m END WHERE table_name = ?1 AND ?4",
                params![table, i32::from(layer.with_z), layer.with_m, layer.rows > 0],
            )?;
            let index = format!("rtree_{table}_{}", geometry.column);
            if self.there.iter().any(|t| t.eq_ignore_ascii_case(&index)) {
                fill_index(&self.connection, table, (&there.key, &geometry.column), &index, there.last_key)?;
            }
        }
        let rows = counted(layer.rows as u64, "row");
        self.told.push(format!("{rows} added to the layer \"{table}\" that is there"));
        Ok(())
    }
}

/// Fills the index of a layer with the rows behind a key. Points are written without an envelope, and what stands at the
/// places of their numbers SQL cannot read; a pass in Rust can.
fn fill_index(
    connection: &Connection,
    table: &str,
    (key, column): (&str, &str),
    index: &str,
    behind: i64,
) -> rusqlite::Result<()> {
    let (key, column) = (quoted(key), quoted(column));
    let mut select = connection
        .prepare(&format!("SELECT {key}, {column} FROM {} WHERE {column} IS NOT NULL AND {key} > ?1", quoted(table)))?;
    let mut insert = connection.prepare(&format!("INSERT INTO {} VALUES (?1, ?2, ?3, ?4, ?5)", quoted(index)))?;
    let mut rows = select.query([behind])?;
    while let Some(row) = rows.next()? {
        let (id, bytes): (i64, Vec<u8>) = (row.get(0)?, row.get(1)?);
        if let Ok(Blob::Geometry(geometry)) = blob::read(&bytes)
            && let Some([west, south, east, north]) = geometry.bounds()
        {
            insert.execute(params![id, west, east, south, north])?;
        }
    }
    Ok(())
}

/// Of each column, whether it holds moments.
fn moments_of(layer: &LayerOut, columns: &[usize]) -> Vec<bool> {
    let is_moment =
        |i: &usize| matches!(Moment::of_field(layer.schema.field(*i)), Some(Moment::DateTime { utc: true }));
    columns.iter().map(is_moment).collect()
}

impl Writer for GeoPackageWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        if self.adds_rows
            && let Some(there) = LayerThere::find(&self.connection, &table_name(&layer.name, &self.tables))
                .map_err(|e| self.failed(e))?
        {
            return self.start_rows(layer, there);
        }
        let table = table_name(&layer.name, &self.tables);
        if self.there.iter().any(|t| t.eq_ignore_ascii_case(&table)) {
            return Err(FormatError::Option {
                path: self.pending.target().to_path_buf(),
                problem: format!(
                    "has a layer \"{table}\" already; give the new one another name with `layer_name`, or add the rows to it with `append_rows`"
                ),
            });
        }
        if table != layer.name {
            self.told.push(format!("layer \"{}\" is the table \"{table}\"", layer.name));
        }
        let geometry = spatial_index(&layer.schema);
        let points = point_index(&layer.schema).is_some();
        let with_z =
            matches!(geometry.map(|g| layer.schema.field(g).data_type()), Some(DataType::Struct(f)) if f.len() > 2);
        let columns: Vec<usize> = (0..layer.schema.fields().len()).filter(|i| Some(*i) != geometry).collect();
        if columns.len() + 2 > MOST_COLUMNS {
            return Err(FormatError::Option {
                path: self.pending.target().to_path_buf(),
                problem: format!(
                    "a GeoPackage holds {} columns of a layer at most, and {} has {}: leave some out with `keep` or `drop`, or write another format",
                    MOST_COLUMNS - 2,
                    layer.name,
                    columns.len()
                ),
            });
        }
        let mut taken = vec![KEY.to_string(), GEOMETRY.to_string()];
        let mut definitions = vec![format!("{KEY} INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL")];
        let mut names = Vec::new();
        if geometry.is_some() {
            definitions.push(format!("{GEOMETRY} {}", if points { "POINT" } else { "GEOMETRY" }));
            names.push(GEOMETRY.to_string());
        }
        for i in &columns {
            let field = layer.schema.field(*i);
            let mut name = field.name().clone();
            while taken.iter().any(|t| t.eq_ignore_ascii_case(&name)) {
                name.push('_');
            }
            if name != *field.name() {
                self.told.push(format!(
                    "column \"{}\" of layer {} is called \"{name}\": the name is taken",
                    field.name(),
                    layer.name
                ));
            }
            definitions.push(format!("{} {}", quoted(&name), sql_type(field)));
            names.push(quoted(&name));
            taken.push(name);
        }
        let failed = |e| FormatError::write(self.pending.target(), e);
        self.connection
            .execute_batch(&format!("CREATE TABLE {} ({})", quoted(&table), definitions.join(", ")))
            .map_err(failed)?;
        let mut srs_id = None;
        if geometry.is_some() {
            let id = match &layer.crs {
                None => -1,
                Some(crs) => match crs.code {
                    Some(code) => self.srs_id_of(code)?,
                    None => self.own_srs_id(crs)?,
                },
            };
            if let Some(crs) = &layer.crs {
                let organization = if crs.code.is_some() { "EPSG" } else { "NONE" };
                self.connection
                    .execute(
                        "INSERT OR IGNORE INTO gpkg_spatial_ref_sys (srs_name, srs_id, organization, organization_coordsys_id, definition) VALUES (?1, ?2, ?4, ?5, ?3)",
                        params![crs.name, id, crs.wkt, organization, crs.code.map_or(id, |c| c as i32)],
                    )
                    .map_err(failed)?;
            }
            srs_id = Some(id);
        }
        self.tables.push(table.clone());
        let insert = format!(
            "INSERT INTO {} ({}) VALUES ({})",
            quoted(&table),
            names.join(", "),
            (1..=names.len()).map(|i| format!("?{i}")).collect::<Vec<_>>().join(", ")
        );
        let kind = points.then_some("POINT");
        let moments = moments_of(layer, &columns);
        let (with_m, rows, there, extent) = (false, 0, None, None);
        self.layer = Some(Layer { table, insert, columns, moments, srs_id, with_z, with_m, kind, rows, there, extent });
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let Encoded::Rows(batch) = part else {
            return Ok(());
        };
        let target = self.pending.target();
        let failed = |e: rusqlite::Error| FormatError::write(target, e);
        let Some(layer) = self.layer.as_mut() else {
            return Ok(());
        };
        let mut statement = self.connection.prepare_cached(&layer.insert).map_err(failed)?;
        let points = Points::of(batch.records());
        let shapes = Geometries::of(batch.records());
        let spatial = Spatial::of(batch.records());
        for row in 0..batch.len() {
            let mut at = 1;
            if let Some(srs_id) = layer.srs_id {
                let point = points.as_ref().and_then(|p| p.get(row)).filter(|_| layer.there.is_none());
                let value = match point {
                    None if layer.there.is_some() => {
                        let refused = |problem: String| {
                            FormatError::write(target, format!("row {}: {problem}", batch.source_rows()[row]))
                        };
                        let fitted = spatial.get(row).map(|g| layer.fitted(g)).transpose().map_err(refused)?;
                        fitted.map_or(Value::Null, |g| layer.shape(srs_id, &wkb::write(&g), &g))
                    }
                    Some((x, y, z)) => {
                        let e = layer.extent.get_or_insert([x, y, x, y]);
                        *e = [e[0].min(x), e[1].min(y), e[2].max(x), e[3].max(y)];
                        Value::Blob(blob::write_point(
                            srs_id,
                            x,
                            y,
                            if layer.with_z { Some(z.unwrap_or(f64::NAN)) } else { None },
                        ))
                    }
                    None => match shapes.as_ref().and_then(|s| Some((s.bytes(row)?, s.get(row)?))) {
                        Some((wkb, geometry)) => layer.shape(srs_id, wkb, &geometry),
                        None => Value::Null,
                    },
                };
                statement.raw_bind_parameter(at, value).map_err(failed)?;
                at += 1;
            }
            for (column, moment) in layer.columns.iter().zip(&layer.moments) {
                let array = batch.records().column(*column);
                let any = array.as_any();
                if array.is_null(row) {
                    statement.raw_bind_parameter(at, Value::Null).map_err(failed)?;
                } else if let Some(a) = any.downcast_ref::<Float64Array>() {
                    statement
                        .raw_bind_parameter(
                            at,
                            if a.value(row).is_nan() { Value::Null } else { Value::Real(a.value(row)) },
                        )
                        .map_err(failed)?;
                } else if let Some(a) = any.downcast_ref::<Int64Array>() {
                    statement.raw_bind_parameter(at, a.value(row)).map_err(failed)?;
                } else if let Some(a) = any.downcast_ref::<BooleanArray>() {
                    statement.raw_bind_parameter(at, a.value(row)).map_err(failed)?;
                } else {
                    let text = cell_text(array, row);
                    let text = if *moment { moment_text(text) } else { text };
                    statement.raw_bind_parameter(at, text).map_err(failed)?;
                }
                at += 1;
            }
            statement.raw_execute().map_err(failed)?;
            layer.rows += 1;
        }
        Ok(())
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        let Some(layer) = self.layer.take() else {
            return Ok(());
        };
        if let Some(there) = &layer.there {
            return self.end_rows(&layer, there).map_err(|e| self.failed(e));
        }
        let failed = |e| self.failed(e);
        let [w, s, e, n] = layer.extent.map_or([None; 4], |x| x.map(Some));
        self.connection
            .execute(
                "INSERT INTO gpkg_contents (table_name, data_type, identifier, last_change, min_x, min_y, max_x, max_y, srs_id) VALUES (?1, ?2, ?1, '', ?3, ?4, ?5, ?6, ?7)",
                params![layer.table, if layer.srs_id.is_some() { "features" } else { "attributes" }, w, s, e, n, layer.srs_id],
            )
            .map_err(failed)?;
        if let Some(srs_id) = layer.srs_id {
            let kind = layer.kind.unwrap_or("GEOMETRY");
            // 1: all have heights; 2: some may.
            let heights = i32::from(layer.with_z) * if kind == "POINT" { 1 } else { 2 };
            if !matches!(kind, "POINT" | "GEOMETRY") {
                // The column's type has to be the one of the list of geometry columns; it is known now only.
                self.connection
                    .execute_batch(&format!(
                        "PRAGMA writable_schema = ON; UPDATE sqlite_schema SET sql = replace(sql, '{GEOMETRY} GEOMETRY', '{GEOMETRY} {kind}') WHERE type = 'table' AND name = '{}'; PRAGMA writable_schema = RESET;",
                        layer.table.replace('\'', "''")
                    ))
                    .map_err(failed)?;
            }
            self.connection
                .execute(
                    "INSERT INTO gpkg_geometry_columns VALUES (?1, ?2, ?5, ?3, ?4, ?6)",
                    params![layer.table, GEOMETRY, srs_id, heights, kind, i32::from(layer.with_m) * 2],
                )
                .map_err(failed)?;
            self.connection.execute_batch(&index_sql(&layer.table)).map_err(failed)?;
            if let Some(extent) = layer.extent {
                let (columns, index) = ((KEY, GEOMETRY), index_name(&layer.table));
                packed_index::fill(&self.connection, &layer.table, columns, &index, extent).map_err(failed)?;
            }
        }
        Ok(())
    }

    fn finish(
        self: Box<Self>,
        about: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        let target = self.pending.target().to_path_buf();
        let failed = |e: rusqlite::Error| FormatError::write(&target, e);
        // A row for WGS 84 is required whether or not a layer uses it; the CRS of a layer may have made it already.
        self.connection
            .execute("INSERT OR IGNORE INTO gpkg_spatial_ref_sys (srs_name, srs_id, organization, organization_coordsys_id, definition, description) VALUES ('WGS 84', 4326, 'EPSG', 4326, ?1, 'longitude and latitude on the WGS 84 ellipsoid')", [WGS84])
            .map_err(failed)?;
        // The day of the plan, not the time of writing: the same plan gives the same bytes.
        for table in &self.tables {
            self.connection
                .execute(
                    "UPDATE gpkg_contents SET last_change = ?1 WHERE table_name = ?2",
                    params![format!("{}T00:00:00.000Z", about.date), table],
                )
                .map_err(failed)?;
        }
        if self.tables.len() == about.layers.len() {
            for (table, words) in self.tables.iter().zip(&about.layers) {
                self.connection
                    .execute("UPDATE gpkg_contents SET description = ?1 WHERE table_name = ?2", params![words, table])
                    .map_err(failed)?;
            }
        }
        self.connection.execute_batch("COMMIT;").map_err(failed)?;
        self.connection.flush_prepared_statement_cache();
        self.connection.close().map_err(|(_, e)| failed(e))?;
        Ok((self.pending, self.told))
    }
}

const WGS84: &str = "GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\",SPHEROID[\"WGS 84\",6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.017453292519943295],AXIS[\"Longitude\",EAST],AXIS[\"Latitude\",NORTH],AUTHORITY[\"EPSG\",\"4326\"]]";

fn index_name(table: &str) -> String {
    format!("rtree_{table}_{GEOMETRY}")
}

/// The index, its registration and the triggers that keep it true when others edit the layer (annex F.3).
fn index_sql(table: &str) -> String {
    let (t, index, c) = (quoted(table), quoted(&index_name(table)), GEOMETRY);
    let name = |suffix: &str| quoted(&format!("{}_{suffix}", index_name(table)));
    let bounds = format!("NEW.{KEY}, ST_MinX(NEW.{c}), ST_MaxX(NEW.{c}), ST_MinY(NEW.{c}), ST_MaxY(NEW.{c})");
    let text = table.replace('\'', "''");
    format!(
        "INSERT INTO gpkg_extensions VALUES ('{text}', '{c}', 'gpkg_rtree_index', 'http://www.geopackage.org/spec120/#extension_rtree', 'write-only');
CREATE VIRTUAL TABLE {index} USING rtree(id, minx, maxx, miny, maxy);
CREATE TRIGGER {insert} AFTER INSERT ON {t} WHEN (NEW.{c} NOT NULL AND NOT ST_IsEmpty(NEW.{c})) BEGIN INSERT OR REPLACE INTO {index} VALUES ({bounds}); END;
CREATE TRIGGER {update6} AFTER UPDATE OF {c} ON {t} WHEN OLD.{KEY} = NEW.{KEY} AND (NEW.{c} NOTNULL AND NOT ST_IsEmpty(NEW.{c})) AND (OLD.{c} NOTNULL AND NOT ST_IsEmpty(OLD.{c})) BEGIN UPDATE {index} SET minx = ST_MinX(NEW.{c}), maxx = ST_MaxX(NEW.{c}), miny = ST_MinY(NEW.{c}), maxy = ST_MaxY(NEW.{c}) WHERE id = NEW.{KEY}; END;
CREATE TRIGGER {update7} AFTER UPDATE OF {c} ON {t} WHEN OLD.{KEY} = NEW.{KEY} AND (NEW.{c} NOTNULL AND NOT ST_IsEmpty(NEW.{c})) AND (OLD.{c} ISNULL OR ST_IsEmpty(OLD.{c})) BEGIN INSERT INTO {index} VALUES ({bounds}); END;
CREATE TRIGGER {update2} AFTER UPDATE OF {c} ON {t} WHEN OLD.{KEY} = NEW.{KEY} AND (NEW.{c} ISNULL OR ST_IsEmpty(NEW.{c})) BEGIN DELETE FROM {index} WHERE id = OLD.{KEY}; END;
CREATE TRIGGER {update5} AFTER UPDATE ON {t} WHEN OLD.{KEY} != NEW.{KEY} AND (NEW.{c} NOTNULL AND NOT ST_IsEmpty(NEW.{c})) BEGIN DELETE FROM {index} WHERE id = OLD.{KEY}; INSERT OR REPLACE INTO {index} VALUES ({bounds}); END;
CREATE TRIGGER {update4} AFTER UPDATE ON {t} WHEN OLD.{KEY} != NEW.{KEY} AND (NEW.{c} ISNULL OR ST_IsEmpty(NEW.{c})) BEGIN DELETE FROM {index} WHERE id IN (OLD.{KEY}, NEW.{KEY}); END;
CREATE TRIGGER {delete} AFTER DELETE ON {t} WHEN OLD.{c} NOT NULL BEGIN DELETE FROM {index} WHERE id = OLD.{KEY}; END;",
        insert = name("insert"),
        update2 = name("update2"),
        update4 = name("update4"),
        update5 = name("update5"),
        update6 = name("update6"),
        update7 = name("update7"),
        delete = name("delete"),
    )
}
