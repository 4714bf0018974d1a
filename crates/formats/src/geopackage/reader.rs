//! Reads a layer, or a table without geometry.

use super::blob::{self, Blob};
use crate::feature::{Cell, FeatureSource, Give, Shape, layer_schema};
use crate::reader::{About, InputOptions};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::Moment;
use basilocus_table::geometry::Geometry;
use rusqlite::config::DbConfig;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, OpenFlags, OptionalExtension};
use std::path::{Path, PathBuf};

/// A layer of a GeoPackage.
pub struct GeoPackageReader {
    path: PathBuf,
    layer: String,
    about: About,
    schema: SchemaRef,
    columns: Vec<String>,
    geometry: Option<String>,
    shape: Shape,
    extent: Option<[f64; 4]>,
}

/// Opens one to read it, so that nothing that it holds can do harm.
///
/// # Errors
/// Where it cannot be opened, or is no GeoPackage.
pub fn connect(path: &Path) -> Result<Connection, FormatError> {
    let broken = |e: rusqlite::Error| FormatError::broken(path, format!("cannot be opened as a GeoPackage: {e}"));
    let connection =
        Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX)
            .map_err(broken)?;
    // Views of the file are computed as they are read, by nothing that could do harm and in bounded memory.
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_TRUSTED_SCHEMA, false).map_err(broken)?;
    connection.pragma_update(None, "hard_heap_limit", MOST_MEMORY).map_err(broken)?;
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

/// Layers that are listed; a file with more of them is none that anybody made.
const MOST_LAYERS: usize = 10_000;
/// Bytes that SQLite may take, whatever views a file has.
const MOST_MEMORY: i64 = 512 << 20;

/// The system of a number of the file: its code in the EPSG registry, else its definition. Nothing where the file says none.
pub fn system_text(connection: &Connection, srs_id: i64) -> Option<String> {
    let sql = "SELECT organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys WHERE srs_id = ?1";
    let found: Result<(String, i64, String), _> =
        connection.query_row(sql, [srs_id], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)));
    match found {
        Ok((name, code, _)) if name.eq_ignore_ascii_case("epsg") => Some(format!("EPSG:{code}")),
        // A system of somebody's own is known by its definition; "undefined" stands where there is none.
        Ok((_, _, text)) if text.contains('[') => Some(text),
        _ => None,
    }
}

/// The type that values of a column have by its declaration; nothing for binary data.
pub fn declared_type(declared: &str) -> Option<DataType> {
    let kind = declared.to_ascii_uppercase();
    Some(match kind.split('(').next().unwrap_or("") {
        "BOOLEAN" => DataType::Boolean,
        "TINYINT" | "SMALLINT" | "MEDIUMINT" | "INT" | "INTEGER" => DataType::Int64,
        "FLOAT" | "DOUBLE" | "REAL" => DataType::Float64,
        "BLOB" => return None,
        "DATE" => Moment::Date.data_type(),
        "DATETIME" => Moment::DateTime { utc: true }.data_type(),
        _ => DataType::Utf8,
    })
}

/// The names of the layers and tables.
///
/// # Errors
/// Where the file is no GeoPackage.
pub fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    let connection = connect(path)?;
    let broken = |e: rusqlite::Error| FormatError::broken(path, e);
    let mut statement = connection
        .prepare("SELECT table_name FROM gpkg_contents WHERE data_type IN ('features', 'attributes')")
        .map_err(broken)?;
    let names: Result<Vec<String>, _> =
        statement.query_map([], |r| r.get(0)).map_err(broken)?.take(MOST_LAYERS + 1).collect();
    let names = names.map_err(broken)?;
    if names.len() > MOST_LAYERS {
        return Err(FormatError::broken(path, format!("lists more than {MOST_LAYERS} layers; get it again")));
    }
    Ok(names)
}

/// An identifier in SQL: in quotes, those in it doubled.
pub fn quoted(name: &str) -> String {
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
        let found: Option<(String, i64, i64, String)> = {
            let mut statement = connection
                .prepare("SELECT column_name, srs_id, z, geometry_type_name FROM gpkg_geometry_columns WHERE table_name = ?1")
                .map_err(broken)?;
            let mut rows = statement.query([&layer]).map_err(broken)?;
            match rows.next().map_err(broken)? {
                Some(r) => Some((
                    r.get(0).map_err(broken)?,
                    r.get(1).map_err(broken)?,
                    r.get(2).map_err(broken)?,
                    r.get(3).map_err(broken)?,
                )),
                None => None,
            }
        };
        let mut notes = Vec::new();
        let (mut crs, mut shape, mut geometry) = (None, Shape::None, None);
        if let Some((column, srs_id, z, kind)) = found {
            shape = if kind.eq_ignore_ascii_case("POINT") { Shape::Points { z: z > 0 } } else { Shape::Any };
            geometry = Some(column);
            crs = system_text(&connection, srs_id);
            if crs.is_none() {
                notes.push(format!(
                    "the layer's system (srs_id {srs_id}) is not one of the EPSG registry; say it with `from`"
                ));
            }
        }
        let numbers_alone = key_is_row_number(&connection, &layer).map_err(broken)?;
        let mut columns = Vec::new();
        let mut kinds = Vec::new();
        {
            let mut statement = connection
                .prepare(&format!("SELECT name, type FROM pragma_table_info({})", sql_text(&layer)))
                .map_err(broken)?;
            let rows =
                statement.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, String>(1)?))).map_err(broken)?;
            for row in rows {
                let (name, kind) = row.map_err(broken)?;
                if Some(&name) == geometry.as_ref() || numbers_alone.as_ref() == Some(&name) {
                    continue;
                }
                let Some(data_type) = declared_type(&kind) else {
                    notes.push(format!("column {name} holds binary data and is left out"));
                    continue;
                };
                kinds.push((name.clone(), data_type));
                columns.push(name);
            }
        }
        doubt_moments(&connection, &layer, &mut kinds, &columns, &mut notes).map_err(broken)?;
        widen(&connection, &layer, &mut kinds, &columns, &mut notes).map_err(broken)?;
        let schema = layer_schema(&kinds, shape, crs.as_deref());
        let about = About {
            layer: Some(layer.clone()),
            layers: names,
            crs,
            notes,
            typed: true,
            ..About::of(path, Format::GeoPackage)?
        };
        let extent = options.extent;
        Ok(GeoPackageReader { path: path.to_path_buf(), layer, about, schema, columns, geometry, shape, extent })
    }
}

/// The key of a layer where it is the number of each row and nothing more: named as we name it, 1 for the first and one more
/// for each.
fn key_is_row_number(connection: &Connection, layer: &str) -> rusqlite::Result<Option<String>> {
    let sql = format!("SELECT name FROM pragma_table_info({}) WHERE pk = 1 AND type = 'INTEGER'", sql_text(layer));
    let key: Option<String> = connection.query_row(&sql, [], |r| r.get(0)).optional()?;
    let Some(key) = key.filter(|k| k.eq_ignore_ascii_case(super::KEY)) else { return Ok(None) };
    let c = quoted(&key);
    let sql = format!("SELECT ifnull(min({c}), 1) = 1 AND ifnull(max({c}), 0) = count(*) FROM {}", quoted(layer));
    let is_number: bool = connection.query_row(&sql, [], |r| r.get(0))?;
    Ok(is_number.then_some(key))
}

/// Takes columns as text that are declared as dates or times and hold a value that is none.
fn doubt_moments(
    connection: &Connection,
    layer: &str,
    kinds: &mut [(String, DataType)],
    columns: &[String],
    notes: &mut Vec<String>,
) -> rusqlite::Result<()> {
    for ((name, kind), column) in kinds.iter_mut().zip(columns) {
        if !matches!(kind, DataType::Date32 | DataType::Timestamp(..)) {
            continue;
        }
        let c = quoted(column);
        let mut statement = connection.prepare(&format!("SELECT {c} FROM {} WHERE {c} IS NOT NULL", quoted(layer)))?;
        let mut rows = statement.query([])?;
        let mut is_right = true;
        while let (true, Some(row)) = (is_right, rows.next()?) {
            let text = row.get_ref(0)?.as_str().ok();
            is_right = text.and_then(Moment::of).is_some_and(|m| m.data_type() == *kind);
        }
        if !is_right {
            notes.push(format!("column {name} is declared as dates and holds something else too: it is read as text"));
            *kind = DataType::Utf8;
        }
    }
    Ok(())
}

/// Makes the types of columns those of all their values: SQLite holds a text in a column of numbers without a word, and as a
/// number it would be lost.
fn widen(
    connection: &Connection,
    layer: &str,
    kinds: &mut [(String, DataType)],
    columns: &[String],
    notes: &mut Vec<String>,
) -> rusqlite::Result<()> {
    let is_numeric = |t: &DataType| matches!(t, DataType::Boolean | DataType::Int64 | DataType::Float64);
    let numeric: Vec<usize> = (0..kinds.len()).filter(|i| is_numeric(&kinds[*i].1)).collect();
    if numeric.is_empty() {
        return Ok(());
    }
    let asked: Vec<String> = numeric
        .iter()
        .map(|i| {
            let c = quoted(&columns[*i]);
            format!("max(typeof({c}) = 'text'), max(typeof({c}) = 'real')")
        })
        .collect();
    let sql = format!("SELECT {} FROM {}", asked.join(", "), quoted(layer));
    let found: Vec<bool> = connection.query_row(&sql, [], |r| {
        (0..2 * numeric.len()).map(|i| r.get::<_, Option<bool>>(i).map(|v| v.unwrap_or(false))).collect()
    })?;
    for (at, i) in numeric.into_iter().enumerate() {
        let (text, real) = (found[2 * at], found[2 * at + 1]);
        let (name, kind) = &mut kinds[i];
        if text {
            notes.push(format!("column {name} is declared as numbers and holds texts too: it is read as text"));
            *kind = DataType::Utf8;
        } else if real && *kind != DataType::Float64 {
            notes.push(format!(
                "column {name} is declared as whole numbers and holds others too: it is read as numbers"
            ));
            *kind = DataType::Float64;
        }
    }
    Ok(())
}

/// Whether the rows of a layer have numbers that they are found again by.
///
/// # Errors
/// Where the file cannot be read.
pub fn numbers_rows(path: &Path, layer: &str) -> Result<bool, FormatError> {
    has_row_ids(&connect(path)?, layer).map_err(|e| FormatError::broken(path, e))
}

/// Whether rows have numbers to be put in order by: those of a view, and of a table that is kept by its key, have none.
fn has_row_ids(connection: &Connection, layer: &str) -> rusqlite::Result<bool> {
    connection.query_row(
        "SELECT count(*) > 0 FROM pragma_table_list WHERE name = ?1 COLLATE NOCASE AND type = 'table' AND wr = 0",
        [layer],
        |r| r.get(0),
    )
}

fn sql_text(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// A value in the type of its column, as far as it is of that type.
fn cell(value: ValueRef, kind: &DataType) -> Cell {
    match (value, kind) {
        (ValueRef::Integer(i), DataType::Boolean) => Cell::Boolean(i != 0),
        (ValueRef::Integer(i), _) => Cell::Integer(i),
        (ValueRef::Real(f), _) => Cell::Real(f),
        // Text in another encoding is kept as far as it can be read.
        (ValueRef::Text(t), _) => Cell::Text(String::from_utf8_lossy(t).into_owned()),
        (ValueRef::Null | ValueRef::Blob(_), _) => Cell::Null,
    }
}

/// A moment without milliseconds that are none.
fn moment(cell: Cell) -> Cell {
    match cell {
        Cell::Text(text) => Cell::Text(match text.strip_suffix(".000Z") {
            Some(whole) => format!("{whole}Z"),
            None => text,
        }),
        other => other,
    }
}

impl GeoPackageReader {
    /// The index of places, where there is one with as many rows as the layer has shapes: one that was not kept up would lose
    /// rows in silence.
    fn whole_index(&self, connection: &Connection) -> rusqlite::Result<Option<String>> {
        let Some(column) = &self.geometry else { return Ok(None) };
        let index = format!("rtree_{}_{column}", self.layer);
        let exists = "SELECT count(*) > 0 FROM sqlite_master WHERE type = 'table' AND name = ?1 COLLATE NOCASE AND sql LIKE '%USING rtree%'";
        if !connection.query_row(exists, [&index], |r| r.get(0))? || !has_row_ids(connection, &self.layer)? {
            return Ok(None);
        }
        // The fourth byte of a shape has a bit for an empty one, which is in no index.
        let is_full =
            format!("{0} IS NOT NULL AND unicode(substr(hex(substr({0}, 4, 1)), 1, 1)) % 2 = 0", quoted(column));
        let (index_name, layer) = (quoted(&index), quoted(&self.layer));
        let sql = format!(
            "SELECT (SELECT count(*) FROM {index_name}) = (SELECT count(*) FROM {layer} WHERE {is_full})
                AND NOT EXISTS (SELECT 1 FROM {index_name} WHERE id NOT IN (SELECT rowid FROM {layer}))"
        );
        connection.query_row(&sql, [], |r| r.get::<_, bool>(0)).map(|is_whole| is_whole.then_some(index))
    }

    /// The geometry of a row, or the class and the reason why there is none.
    fn geometry(&self, value: ValueRef) -> Result<Option<Geometry>, (&'static str, String)> {
        let ValueRef::Blob(bytes) = value else {
            return Ok(None);
        };
        match (blob::read(bytes), self.shape) {
            (Err(problem), _) => Err(("geometry cannot be read", problem)),
            (Ok(Blob::Empty), _) => Ok(None),
            (Ok(Blob::Geometry(g)), Shape::Points { .. }) if !matches!(g, Geometry::Point(_)) => Err((
                "geometry is not a point",
                format!("the geometry is a {}; the layer says that it holds points", g.type_name()),
            )),
            (Ok(Blob::Geometry(g)), _) => Ok(Some(g)),
        }
    }
}

impl FeatureSource for GeoPackageReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let connection = connect(&self.path)?;
        let broken = |e: rusqlite::Error| FormatError::broken(&self.path, e);
        let list: Vec<String> = self.columns.iter().chain(&self.geometry).map(|c| quoted(c)).collect();
        let index = self.extent.map(|_| self.whole_index(&connection)).transpose().map_err(broken)?.flatten();
        let chosen = match &index {
            Some(index) => format!(
                " WHERE rowid IN (SELECT id FROM {} WHERE maxx >= ?1 AND maxy >= ?2 AND minx <= ?3 AND miny <= ?4)",
                quoted(index)
            ),
            None => String::new(),
        };
        let order = if has_row_ids(&connection, &self.layer).map_err(broken)? { " ORDER BY rowid" } else { "" };
        let mut statement = connection
            .prepare(&format!("SELECT {} FROM {}{chosen}{order}", list.join(", "), quoted(&self.layer)))
            .map_err(broken)?;
        let mut found = match self.extent.filter(|_| index.is_some()) {
            Some(extent) => statement.query(extent),
            None => statement.query([]),
        }
        .map_err(broken)?;
        while let Some(row) = found.next().map_err(broken)? {
            let mut cells = Vec::with_capacity(self.columns.len());
            for i in 0..self.columns.len() {
                let field = self.schema.field(i);
                let value = cell(row.get_ref(i).map_err(broken)?, field.data_type());
                cells.push(if Moment::of_field(field).is_some() { moment(value) } else { value });
            }
            let geometry = match &self.geometry {
                None => Ok(None),
                Some(_) => self.geometry(row.get_ref(self.columns.len()).map_err(broken)?),
            };
            if !give(cells, geometry, 0) {
                break;
            }
        }
        Ok(())
    }
}
