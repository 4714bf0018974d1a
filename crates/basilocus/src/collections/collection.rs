//! A layer as it is served: its columns, system, extent.

use super::region::rectangle_near;
use super::system_name::{CRS84, SystemName};
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::engine::is_in_degrees;
use crate::plan::OperationPlan;
use arrow_schema::DataType;
use basilocus_formats::FormatError;
use basilocus_formats::geopackage::{connect, declared_type, quoted, system_text};
use basilocus_geodesy::crs::{Area, Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use rusqlite::{Connection, OptionalExtension};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// What the values of a column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueKind {
    /// Whole numbers.
    Integer,
    /// Numbers.
    Number,
    /// Texts.
    Text,
    /// True or false.
    Boolean,
    /// Days.
    Date,
    /// Days with the time of day.
    Moment,
}

/// A column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// What its values are.
    pub kind: ValueKind,
}

/// Where the positions of a layer are.
#[derive(Debug, Clone)]
pub(super) struct Shapes {
    /// The column.
    pub column: String,
    /// The table of its R-tree, where it has one.
    pub index: Option<String>,
    pub crs: Crs,
    /// The type in the words of the standard, such as `POINT`.
    pub kind: String,
}

/// A layer of a GeoPackage that is asked for in parts.
pub struct Collection {
    id: String,
    title: String,
    source: PathBuf,
    /// The GeoPackage that is searched.
    pub(super) store: PathBuf,
    pub(super) table: String,
    /// The column that numbers the rows: that of the key, else SQLite's own.
    pub(super) key: String,
    columns: Vec<Column>,
    pub(super) shapes: Option<Shapes>,
    storage: Option<SystemName>,
    extent: Option<[f64; 4]>,
    /// The same in the system of the positions.
    pub(super) bounds: Option<[f64; 4]>,
    systems: Vec<String>,
    rows: u64,
    notices: Vec<String>,
    pub(super) finder: Finder,
    operations: Mutex<HashMap<String, Arc<Operation>>>,
    connections: Mutex<Vec<Connection>>,
}

/// Connections that wait for the next question.
const MOST_CONNECTIONS: usize = 16;
/// Operations that are kept.
const MOST_OPERATIONS: usize = 200;
/// Bounds of more rows are those that the file states.
const MOST_MEASURED: u64 = 2_000_000;

impl Collection {
    /// Opens a layer.
    pub(super) fn open(
        source: &Path,
        store: &Path,
        table: &str,
        mut notices: Vec<String>,
        operation: &OperationPlan,
    ) -> Result<Self, Error> {
        let broken = |e: rusqlite::Error| Error::from(FormatError::broken(store, e));
        let connection = connect(store)?;
        let title: Option<String> = connection
            .query_row("SELECT identifier FROM gpkg_contents WHERE table_name = ?1", [table], |r| r.get(0))
            .map_err(broken)?;
        let mut shapes = shapes(&connection, store, table)?;
        let (key, columns, left_out) = columns(&connection, table, shapes.as_ref()).map_err(broken)?;
        notices.extend(left_out);
        let rows: i64 = connection
            .query_row(&format!("SELECT count(*) FROM {}", quoted(table)), [], |r| r.get(0))
            .map_err(broken)?;
        let rows = rows.unsigned_abs();
        if let Some(shapes) = &mut shapes
            && !has_whole_index(&connection, table, shapes).map_err(broken)?
        {
            shapes.index = None;
            notices.push(
                "the spatial index of the file does not hold all rows and is not used: searches look at every row"
                    .into(),
            );
        }
        let bounds = match &shapes {
            Some(shapes) => bounds(&connection, table, shapes, rows).map_err(broken)?,
            None => None,
        };
        let finder = Finder::new(operation, false)?;
        let (mut extent, mut storage) = (None, None);
        let mut around = None;
        if let Some(shapes) = &shapes {
            match SystemName::of(&shapes.crs) {
                Ok(name) => storage = Some(name),
                Err(problem) => {
                    notices.push(format!("the system that positions are kept in is not offered: {problem}"))
                }
            }
            let to_degrees = finder.find(&shapes.crs, &Catalogue::embedded().get(4326)?)?;
            extent = bounds.and_then(|b| match is_in_degrees(&shapes.crs) && to_degrees.assumes_equal() {
                true => Some(b),
                false => rectangle_near(b, &to_degrees, true),
            });
            extent = extent.map(|[w, s, e, n]| [w.max(-180.0), s.max(-90.0), e.min(180.0), n.min(90.0)]);
            around = extent.map(Area::of_bounds);
        }
        let finder = around.as_ref().map_or(finder.clone(), |a| finder.around(a.clone()));
        let systems = systems_for(storage.as_ref(), around.as_ref(), shapes.as_ref().map(|s| &s.crs), &finder);
        Ok(Collection {
            id: table.to_string(),
            title: title.filter(|t| !t.is_empty()).unwrap_or_else(|| table.to_string()),
            source: source.to_path_buf(),
            store: store.to_path_buf(),
            table: table.to_string(),
            key,
            columns,
            shapes,
            storage,
            extent,
            bounds,
            systems,
            rows,
            notices,
            finder,
            operations: Mutex::default(),
            connections: Mutex::default(),
        })
    }

    /// Gives it another name in addresses.
    pub(super) fn rename(&mut self, id: String) {
        self.id = id;
    }

    /// Its name in addresses: that of the layer, with its file's where two are called so.
    pub fn id(&self) -> &str {
        &self.id
    }

    /// Its name for people.
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The file that it comes from.
    pub fn source(&self) -> &Path {
        &self.source
    }

    /// The GeoPackage that is searched: the file itself, or the copy of it.
    pub fn store(&self) -> &Path {
        &self.store
    }

    /// Its columns but for the key and the geometry.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The number of a column.
    pub(super) fn column(&self, name: &str) -> Option<usize> {
        self.columns.iter().position(|c| c.name == name)
    }

    /// What a filter calls the geometry: `geometry`, or the name that the file has for it where a column is called so.
    pub fn geometry_name(&self) -> Option<&str> {
        let shapes = self.shapes.as_ref()?;
        Some(if self.column("geometry").is_some() { &shapes.column } else { "geometry" })
    }

    /// The type of its geometry in the words of the standard, such as `POINT`; none where it has no geometry.
    pub fn geometry_type(&self) -> Option<&str> {
        self.shapes.as_ref().map(|s| s.kind.as_str())
    }

    /// The system that its positions are kept in, where that can be offered.
    pub fn storage(&self) -> Option<&SystemName> {
        self.storage.as_ref()
    }

    /// The system that its positions are kept in.
    pub fn system(&self) -> Option<&Crs> {
        self.shapes.as_ref().map(|s| &s.crs)
    }

    /// West, south, east, north in degrees of WGS 84.
    pub fn extent(&self) -> Option<[f64; 4]> {
        self.extent
    }

    /// Its rows, those without a place among them.
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// Names of the systems that suit it: longitude and latitude, that of its positions, and those of the catalogue whose area
    /// of use holds all of it. It answers in any other of the catalogue too.
    pub fn systems(&self) -> Vec<&str> {
        self.systems.iter().map(String::as_str).collect()
    }

    /// What a careful user should know: rows that were set aside, how its file was read.
    pub fn notices(&self) -> &[String] {
        &self.notices
    }

    /// The operation to a system; it is found once.
    ///
    /// # Errors
    /// Where there is no way, or no geometry.
    pub fn operation(&self, target: &SystemName) -> Result<Arc<Operation>, Error> {
        let shapes = self.shapes.as_ref().ok_or_else(|| Error::Usage("the rows have no positions".into()))?;
        let mut kept = self.operations.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(operation) = kept.get(&target.uri) {
            return Ok(operation.clone());
        }
        let operation = Arc::new(self.finder.find(&shapes.crs, &target.crs)?);
        if kept.len() >= MOST_OPERATIONS {
            kept.clear();
        }
        kept.insert(target.uri.clone(), operation.clone());
        Ok(operation)
    }

    /// A connection that no other thread has.
    pub(super) fn connection(&self) -> Result<Connection, FormatError> {
        let waiting = self.connections.lock().unwrap_or_else(PoisonError::into_inner).pop();
        waiting.map_or_else(|| connect(&self.store), Ok)
    }

    /// Gives a connection back.
    pub(super) fn give_back(&self, connection: Connection) {
        let mut waiting = self.connections.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.len() < MOST_CONNECTIONS {
            waiting.push(connection);
        }
    }
}

/// Names of the systems that suit a layer.
fn systems_for(
    storage: Option<&SystemName>,
    around: Option<&Area>,
    stored: Option<&Crs>,
    finder: &Finder,
) -> Vec<String> {
    let catalogue = Catalogue::embedded();
    let mut names = vec![CRS84.to_string()];
    let leads_to = |name: &SystemName| stored.is_some_and(|from| finder.find(from, &name.crs).is_ok());
    let mut add = |name: SystemName| {
        if !names.contains(&name.uri) && leads_to(&name) {
            names.push(name.uri);
        }
    };
    storage.cloned().into_iter().for_each(&mut add);
    let world = [4326, 3857].into_iter().filter_map(|code| catalogue.get(code).ok());
    world.filter_map(|crs| SystemName::of(&crs).ok()).for_each(&mut add);
    if let Some(around) = around {
        let near = catalogue.codes().filter_map(|code| catalogue.get(code).ok());
        near.filter(|crs| crs.area.contains_area(around)).filter_map(|crs| SystemName::of(&crs).ok()).for_each(add);
    }
    names
}

/// Where the positions of a table are; nothing where it has none.
fn shapes(connection: &Connection, store: &Path, table: &str) -> Result<Option<Shapes>, Error> {
    let broken = |e: rusqlite::Error| Error::from(FormatError::broken(store, e));
    let sql = "SELECT column_name, geometry_type_name, srs_id FROM gpkg_geometry_columns WHERE table_name = ?1";
    let found: Option<(String, String, i64)> =
        connection.query_row(sql, [table], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?))).optional().map_err(broken)?;
    let Some((column, kind, srs_id)) = found else { return Ok(None) };
    let text = system_text(connection, srs_id).ok_or_else(|| {
        Error::Usage(format!(
            "{}: the layer {table} says no system (srs_id {srs_id}), so nobody knows where its positions are; convert it with `from` first",
            store.display()
        ))
    })?;
    let crs = crate::coordinates::system::find(&text)?.crs.horizontal().clone();
    let index = format!("rtree_{table}_{column}");
    let exists = "SELECT count(*) > 0 FROM sqlite_master WHERE type = 'table' AND name = ?1 COLLATE NOCASE AND sql LIKE '%USING rtree%'";
    let has_index: bool = connection.query_row(exists, [&index], |r| r.get(0)).map_err(broken)?;
    Ok(Some(Shapes { column, index: has_index.then_some(index), crs, kind: kind.to_ascii_uppercase() }))
}

/// Whether the index has as many rows as the table has shapes: one that was not kept up would lose rows in silence.
fn has_whole_index(connection: &Connection, table: &str, shapes: &Shapes) -> rusqlite::Result<bool> {
    let Some(index) = &shapes.index else { return Ok(true) };
    // The fourth byte of a shape has a bit for an empty one, which is in no index.
    let is_full =
        format!("{0} IS NOT NULL AND unicode(substr(hex(substr({0}, 4, 1)), 1, 1)) % 2 = 0", quoted(&shapes.column));
    let sql = format!(
        "SELECT (SELECT count(*) FROM {}) = (SELECT count(*) FROM {} WHERE {is_full})",
        quoted(index),
        quoted(table)
    );
    connection.query_row(&sql, [], |r| r.get(0))
}

/// The key, the other columns, and what is left out.
fn columns(
    connection: &Connection,
    table: &str,
    shapes: Option<&Shapes>,
) -> rusqlite::Result<(String, Vec<Column>, Vec<String>)> {
    let mut statement = connection.prepare("SELECT name, type, pk FROM pragma_table_info(?1)")?;
    let found: Vec<(String, String, i64)> =
        statement.query_map([table], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?.collect::<Result<_, _>>()?;
    // SQLite's own number of a row has three names, of which a column may bear one.
    let own =
        ["rowid", "_rowid_", "oid"].into_iter().find(|own| found.iter().all(|(n, ..)| !n.eq_ignore_ascii_case(own)));
    let (mut key, mut columns, mut left_out) = (own.unwrap_or("rowid").to_string(), Vec::new(), Vec::new());
    // A key of several columns numbers no rows: each of them may come twice.
    let has_one_key = found.iter().filter(|(.., pk)| *pk > 0).count() == 1;
    for (name, kind, pk) in found {
        if has_one_key && pk == 1 && kind.eq_ignore_ascii_case("INTEGER") {
            key = name;
            continue;
        }
        if shapes.is_some_and(|s| s.column == name) {
            continue;
        }
        let kind = match declared_type(&kind) {
            None => {
                left_out.push(format!("column {name} holds binary data and is left out"));
                continue;
            }
            Some(DataType::Boolean) => ValueKind::Boolean,
            Some(DataType::Int64) => ValueKind::Integer,
            Some(DataType::Float64) => ValueKind::Number,
            Some(DataType::Date32) => ValueKind::Date,
            Some(DataType::Timestamp(..)) => ValueKind::Moment,
            Some(_) => ValueKind::Text,
        };
        columns.push(Column { name, kind });
    }
    Ok((key, columns, left_out))
}

/// The bounds of all positions, in the system of the layer: those that the file states where its index agrees with them, as
/// that has single precision; else those of the index.
fn bounds(connection: &Connection, table: &str, shapes: &Shapes, rows: u64) -> rusqlite::Result<Option<[f64; 4]>> {
    let four = |r: &rusqlite::Row| -> rusqlite::Result<Option<[f64; 4]>> {
        let of = |i: usize| r.get::<_, Option<f64>>(i);
        Ok(of(0)?.zip(of(1)?).zip(of(2)?.zip(of(3)?)).map(|((w, s), (e, n))| [w, s, e, n]))
    };
    let sql = "SELECT min_x, min_y, max_x, max_y FROM gpkg_contents WHERE table_name = ?1";
    let stated = connection.query_row(sql, [table], four)?;
    let Some(index) = shapes.index.as_ref().filter(|_| rows <= MOST_MEASURED) else { return Ok(stated) };
    let sql = format!("SELECT min(minx), min(miny), max(maxx), max(maxy) FROM {}", quoted(index));
    let measured = connection.query_row(&sql, [], four)?;
    let agrees = |a: f64, b: f64| (a - b).abs() <= 4.0 * f64::from(f32::EPSILON) * a.abs().max(b.abs());
    Ok(match (stated, measured) {
        (Some(stated), Some(measured)) if stated.iter().zip(&measured).all(|(a, b)| agrees(*a, *b)) => Some(stated),
        (_, measured) => measured,
    })
}
