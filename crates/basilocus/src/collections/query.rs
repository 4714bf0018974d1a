//! What is asked of a collection, and the page that answers.

use super::collection::{Collection, Shapes, ValueKind};
use super::filter::Filter;
use super::interval::{self, Interval};
use super::region::{BoundRegion, Region, moved};
use super::system_name::SystemName;
use crate::Error;
use crate::engine::is_in_degrees;
use basilocus_formats::FormatError;
use basilocus_formats::geopackage::{Blob, quoted, read_blob};
use basilocus_geodesy::operation::Operation;
use basilocus_table::geometry::{Geometry, antimeridian};
use rusqlite::functions::{Context, FunctionFlags};
use rusqlite::types::{Value as SqlValue, ValueRef};
use rusqlite::{Connection, Row, params_from_iter};
use serde_json::{Map, Value};
use std::sync::Arc;
use std::time::Instant;

/// What is asked of a collection; all of it holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Query {
    /// An extent that features meet. Features without a place meet none.
    pub extent: Option<Region>,
    /// A time that theirs meets.
    pub time: Option<Interval>,
    /// Columns and the values that they have.
    pub values: Vec<(String, String)>,
    /// A filter that holds.
    pub filter: Option<Filter>,
    /// Features of a page.
    pub limit: usize,
    /// The page begins behind the feature of this number.
    pub after: Option<i64>,
    /// The system of the answer.
    pub system: SystemName,
    /// When to give up.
    pub until: Option<Instant>,
}

/// Why a question has no answer.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum QueryError {
    /// The question.
    #[error("{parameter}: {problem}")]
    Question {
        /// Which part of it.
        parameter: String,
        /// What is wrong with it, and what was expected.
        problem: String,
    },
    /// It took too long.
    #[error("the search took too long; ask for less, or for a smaller extent")]
    TooLong,
    /// The collection cannot be searched.
    #[error(transparent)]
    Broken(#[from] Error),
}

impl QueryError {
    pub(super) fn question(parameter: impl Into<String>, problem: impl Into<String>) -> Self {
        QueryError::Question { parameter: parameter.into(), problem: problem.into() }
    }
}

/// A feature.
#[derive(Debug, Clone, PartialEq)]
pub struct Feature {
    /// Its number: it stays the same as long as the file does.
    pub id: i64,
    /// Its values by the names of their columns.
    pub properties: Map<String, Value>,
    /// Its shape in the system that was asked for, easting or longitude first; none where it has none, or none there.
    pub geometry: Option<Geometry>,
}

/// A page of features.
#[derive(Debug, Clone, PartialEq)]
pub struct Page {
    /// The features, by their numbers.
    pub features: Vec<Feature>,
    /// How many there are on all pages.
    pub matched: u64,
    /// The next page begins behind the feature of this number; none for the last page.
    pub next: Option<i64>,
    /// Features whose shape cannot be read or has no place in the system that was asked for.
    pub without_place: u64,
}

impl Query {
    /// Everything, ten features a page, in longitude and latitude.
    ///
    /// # Errors
    /// None with a catalogue that is whole.
    pub fn everything() -> Result<Self, Error> {
        Ok(Query {
            extent: None,
            time: None,
            values: Vec::new(),
            filter: None,
            limit: 10,
            after: None,
            system: SystemName::crs84().map_err(|e| Error::Usage(e.to_string()))?,
            until: None,
        })
    }
}

/// Conditions in SQL, what stands for their question marks, and the shapes that they ask about.
#[derive(Default)]
pub(super) struct Conditions {
    pub sql: Vec<String>,
    pub values: Vec<SqlValue>,
    regions: Vec<BoundRegion>,
}

impl Conditions {
    /// Adds that a feature meets a region. The R-tree stands beside the exact test, so that SQLite goes by it.
    fn add_extent(&mut self, region: Region, collection: &Collection) -> Result<(), Error> {
        let Some(shapes) = &collection.shapes else {
            self.sql.push("0".into());
            return Ok(());
        };
        let bound = region.bound(&shapes.crs, &collection.finder)?;
        let near = self.near(&bound, collection);
        self.sql.extend(near);
        self.sql.push(format!("meets({}, {})", self.regions.len(), quoted(&shapes.column)));
        self.regions.push(bound);
        Ok(())
    }

    /// Adds that a feature is near a shape, for those that have to meet it in a filter beside other things.
    pub fn add_near(&mut self, region: Region, collection: &Collection) -> Result<(), Error> {
        if let Some(shapes) = &collection.shapes {
            let near = self.near(&region.bound(&shapes.crs, &collection.finder)?, collection);
            self.sql.extend(near);
        }
        Ok(())
    }

    /// SQL that is true where a feature meets a region anywhere in a condition; null where it has no shape.
    pub fn meets(&mut self, region: Region, collection: &Collection) -> Result<String, Error> {
        let Some(shapes) = &collection.shapes else { return Ok("NULL".into()) };
        let bound = region.bound(&shapes.crs, &collection.finder)?;
        let (number, column) = (self.regions.len(), quoted(&shapes.column));
        self.regions.push(bound);
        Ok(format!("meets({number}, {column})"))
    }

    /// SQL that a feature's box of the R-tree is near a region; nothing where there is no R-tree, or all features are near.
    fn near(&mut self, bound: &BoundRegion, collection: &Collection) -> Option<String> {
        let index = collection.shapes.as_ref()?.index.as_ref()?;
        let near = bound.near.as_ref()?;
        let holds = |[w, s, e, n]: &[f64; 4]| {
            collection.bounds.is_some_and(|b| *w <= b[0] && *s <= b[1] && *e >= b[2] && *n >= b[3])
        };
        if near.iter().any(holds) {
            return None;
        }
        let one = "minx <= ? AND maxx >= ? AND miny <= ? AND maxy >= ?";
        let all: Vec<&str> = near.iter().map(|_| one).collect();
        for [west, south, east, north] in near {
            self.values.extend([east, west, north, south].map(|v| SqlValue::Real(*v)));
        }
        Some(format!("{} IN (SELECT id FROM {} WHERE {})", quoted(&collection.key), quoted(index), all.join(" OR ")))
    }
}

/// A column as SQL compares it: what is not of its kind is null, as SQLite would put any text above all numbers.
pub(super) fn comparable(name: &str, kind: ValueKind) -> String {
    let column = quoted(name);
    match kind {
        ValueKind::Integer | ValueKind::Number => {
            format!("CASE WHEN typeof({column}) IN ('integer', 'real') THEN {column} END")
        }
        ValueKind::Boolean => format!("CASE WHEN typeof({column}) = 'integer' THEN {column} <> 0 END"),
        ValueKind::Text => format!("CASE WHEN typeof({column}) <> 'blob' THEN CAST({column} AS TEXT) END"),
        ValueKind::Date | ValueKind::Moment => format!("moment({column})"),
    }
}

impl Collection {
    /// The page of features that a query asks for.
    ///
    /// # Errors
    /// [`QueryError`].
    pub fn page(&self, query: &Query) -> Result<Page, QueryError> {
        let operation = self.to_system(&query.system)?;
        let (mut conditions, broken) = (self.conditions(query)?, |e| self.failed(e));
        let connection = self.prepared(&mut conditions, query.until)?;
        let all = if conditions.sql.is_empty() { "1".to_string() } else { conditions.sql.join(" AND ") };
        let (table, key) = (quoted(&self.table), quoted(&self.key));
        let count = format!("SELECT count(*) FROM {table} WHERE {all}");
        let matched = match conditions.sql.is_empty() {
            // Counted once, when the layer was opened.
            true => self.rows(),
            false => {
                let counted: i64 = connection
                    .query_row(&count, params_from_iter(conditions.values.iter()), |r| r.get(0))
                    .map_err(broken)?;
                counted.unsigned_abs()
            }
        };
        let mut values = conditions.values;
        let mut sql = format!("SELECT {} FROM {table} WHERE {all}", self.listed());
        if let Some(after) = query.after {
            sql.push_str(&format!(" AND {key} > ?"));
            values.push(SqlValue::Integer(after));
        }
        // One more than asked for says whether there is a next page.
        sql.push_str(&format!(" ORDER BY {key} LIMIT {}", query.limit.saturating_add(1).min(i64::MAX as usize)));
        let mut page = Page { features: Vec::new(), matched, next: None, without_place: 0 };
        {
            let mut statement = connection.prepare(&sql).map_err(broken)?;
            let mut rows = statement.query(params_from_iter(values)).map_err(broken)?;
            while let Some(row) = rows.next().map_err(broken)? {
                if page.features.len() == query.limit {
                    page.next = page.features.last().map(|f| f.id);
                    break;
                }
                let (feature, has_place) = self.feature(row, operation.as_deref(), &query.system).map_err(broken)?;
                page.features.push(feature);
                page.without_place += u64::from(!has_place);
            }
        }
        self.give_back(connection);
        Ok(page)
    }

    /// The feature of a number; nothing where there is none.
    ///
    /// # Errors
    /// [`QueryError`].
    pub fn feature_of(&self, id: i64, system: &SystemName) -> Result<Option<Feature>, QueryError> {
        let operation = self.to_system(system)?;
        let broken = |e| self.failed(e);
        let connection = self.connection().map_err(Error::from)?;
        let sql = format!("SELECT {} FROM {} WHERE {} = ?1", self.listed(), quoted(&self.table), quoted(&self.key));
        let feature = {
            let mut statement = connection.prepare(&sql).map_err(broken)?;
            let mut rows = statement.query([id]).map_err(broken)?;
            match rows.next().map_err(broken)? {
                Some(row) => Some(self.feature(row, operation.as_deref(), system).map_err(broken)?.0),
                None => None,
            }
        };
        self.give_back(connection);
        Ok(feature)
    }

    /// The operation to the system of an answer; none where the rows have no positions.
    fn to_system(&self, system: &SystemName) -> Result<Option<Arc<Operation>>, QueryError> {
        if self.shapes.is_none() {
            return Ok(None);
        }
        let found = self.operation(system);
        found.map(Some).map_err(|e| QueryError::question("crs", e.to_string()))
    }

    fn conditions(&self, query: &Query) -> Result<Conditions, QueryError> {
        let mut conditions = Conditions::default();
        if let Some(extent) = &query.extent {
            let added = conditions.add_extent(extent.clone(), self);
            added.map_err(|e| QueryError::question("bbox-crs", e.to_string()))?;
        }
        if let Some(time) = query.time {
            let none = || QueryError::question("datetime", format!("{} has no column of dates or times", self.id()));
            conditions.sql.push(self.at_time(time).ok_or_else(none)?);
        }
        for (name, value) in &query.values {
            let (sql, value) = self.has_value(name, value)?;
            conditions.sql.push(sql);
            conditions.values.push(value);
        }
        if let Some(filter) = &query.filter {
            filter.add_near(self, &mut conditions)?;
            let sql = filter.sql(self, &mut conditions)?;
            conditions.sql.push(sql);
        }
        Ok(conditions)
    }

    /// The columns that say when something was.
    pub fn times(&self) -> impl Iterator<Item = &super::Column> {
        self.columns().iter().filter(|c| matches!(c.kind, ValueKind::Date | ValueKind::Moment))
    }

    /// That one of a feature's times meets an interval; nothing where the collection has none.
    fn at_time(&self, time: Interval) -> Option<String> {
        let meets = |column: &super::Column| {
            let begin = comparable(&column.name, column.kind);
            // A day lasts until its last millisecond.
            let end = if column.kind == ValueKind::Date { format!("{begin} + 86399999") } else { begin.clone() };
            let from = time.from_ms.map(|from| format!("{end} >= {from}"));
            let to = time.to_ms.map(|to| format!("{begin} <= {to}"));
            from.into_iter().chain(to).collect::<Vec<_>>().join(" AND ")
        };
        let each: Vec<String> = self.times().map(|c| format!("({})", meets(c))).collect();
        (!each.is_empty()).then(|| format!("({})", each.join(" OR ")))
    }

    /// That a column has a value.
    fn has_value(&self, name: &str, value: &str) -> Result<(String, SqlValue), QueryError> {
        let column = self.column(name).map(|i| &self.columns()[i]);
        let Some(column) = column else {
            return Err(QueryError::question(name, format!("there is no such column in {}", self.id())));
        };
        let expected = |what: &str| QueryError::question(name, format!("\"{value}\": the column holds {what}"));
        let wanted = match column.kind {
            ValueKind::Text => SqlValue::Text(value.to_string()),
            ValueKind::Integer | ValueKind::Number => match (value.parse::<i64>(), value.parse::<f64>()) {
                (Ok(whole), _) => SqlValue::Integer(whole),
                (_, Ok(number)) if number.is_finite() => SqlValue::Real(number),
                _ => return Err(expected("numbers")),
            },
            ValueKind::Boolean => match value {
                "true" => SqlValue::Integer(1),
                "false" => SqlValue::Integer(0),
                _ => return Err(expected("true and false")),
            },
            ValueKind::Date | ValueKind::Moment => match interval::instant(value) {
                Some((begin, _)) => SqlValue::Integer(begin),
                None => return Err(expected("times, such as 2026-11-25 or 2026-11-25T10:00:00Z")),
            },
        };
        Ok((format!("({}) = ?", comparable(&column.name, column.kind)), wanted))
    }

    /// A connection that knows the functions of the conditions.
    fn prepared(&self, conditions: &mut Conditions, until: Option<Instant>) -> Result<Connection, QueryError> {
        let mut connection = self.connection().map_err(Error::from)?;
        let broken = |e| self.failed(e);
        let regions = std::mem::take(&mut conditions.regions);
        let meets = move |context: &mut Context| -> rusqlite::Result<Option<bool>> {
            let number: usize = context.get::<i64>(0)?.unsigned_abs() as usize;
            let ValueRef::Blob(bytes) = context.get_raw(1) else { return Ok(None) };
            // What cannot be read is nowhere; the page says that its shape is missing.
            let Ok(Blob::Geometry(shape)) = read_blob(bytes) else { return Ok(None) };
            Ok(regions.get(number).map(|region| region.meets(shape)))
        };
        let flags = FunctionFlags::SQLITE_UTF8 | FunctionFlags::SQLITE_DETERMINISTIC | FunctionFlags::SQLITE_DIRECTONLY;
        connection.create_scalar_function("meets", 2, flags, meets).map_err(broken)?;
        let moment = |context: &mut Context| -> rusqlite::Result<Option<i64>> {
            let ValueRef::Text(bytes) = context.get_raw(0) else { return Ok(None) };
            Ok(std::str::from_utf8(bytes).ok().and_then(interval::instant).map(|(begin, _)| begin))
        };
        connection.create_scalar_function("moment", 1, flags, moment).map_err(broken)?;
        let folded = |context: &mut Context| -> rusqlite::Result<Option<String>> {
            let ValueRef::Text(bytes) = context.get_raw(0) else { return Ok(None) };
            Ok(std::str::from_utf8(bytes).ok().map(super::filter::folded))
        };
        connection.create_scalar_function("folded", 1, flags, folded).map_err(broken)?;
        let late = until.map(|until| move || Instant::now() > until);
        connection.progress_handler(LOOK_UP_EVERY, late).map_err(broken)?;
        Ok(connection)
    }

    fn failed(&self, e: rusqlite::Error) -> QueryError {
        match e.sqlite_error_code() {
            Some(rusqlite::ErrorCode::OperationInterrupted) => QueryError::TooLong,
            _ => QueryError::Broken(FormatError::broken(self.source(), e).into()),
        }
    }

    /// What is selected: the key, the columns, the geometry.
    fn listed(&self) -> String {
        let names = self.columns().iter().map(|c| &c.name).chain(self.shapes.iter().map(|s| &s.column));
        std::iter::once(&self.key).chain(names).map(|n| quoted(n)).collect::<Vec<_>>().join(", ")
    }

    /// A feature of a row, and whether its shape has a place in the system.
    fn feature(
        &self,
        row: &Row,
        operation: Option<&Operation>,
        system: &SystemName,
    ) -> rusqlite::Result<(Feature, bool)> {
        let mut properties = Map::new();
        for (i, column) in self.columns().iter().enumerate() {
            properties.insert(column.name.clone(), value(row.get_ref(i + 1)?, column.kind));
        }
        let mut feature = Feature { id: row.get(0)?, properties, geometry: None };
        let (Some(shapes), Some(operation)) = (&self.shapes, operation) else { return Ok((feature, true)) };
        let ValueRef::Blob(bytes) = row.get_ref(self.columns().len() + 1)? else { return Ok((feature, true)) };
        match read_blob(bytes) {
            Ok(Blob::Empty) => Ok((feature, true)),
            Ok(Blob::Geometry(shape)) => {
                feature.geometry = placed(shape, shapes, operation, system);
                let has_place = feature.geometry.is_some();
                Ok((feature, has_place))
            }
            Err(_) => Ok((feature, false)),
        }
    }
}

/// Steps of SQLite's machine between two looks at the clock.
const LOOK_UP_EVERY: i32 = 10_000;

/// A shape in the system of the answer, cut at the 180° meridian where that is in degrees.
fn placed(mut shape: Geometry, shapes: &Shapes, operation: &Operation, system: &SystemName) -> Option<Geometry> {
    if !shapes.crs.is_same(&system.crs) {
        shape = moved(shape, operation)?;
        // A tenth of a millimetre; what stands behind it is the arithmetic's.
        let digits: f64 = if system.crs.is_geographic() { 1e9 } else { 1e4 };
        shape.each_position_mut(&mut |p| {
            (p.x, p.y) = ((p.x * digits).round() / digits, (p.y * digits).round() / digits);
        });
    }
    if is_in_degrees(&system.crs) { antimeridian::cut(&shape).or(Some(shape)) } else { Some(shape) }
}

fn value(value: ValueRef, kind: ValueKind) -> Value {
    match (value, kind) {
        (ValueRef::Integer(i), ValueKind::Boolean) => (i != 0).into(),
        (ValueRef::Integer(i), _) => i.into(),
        (ValueRef::Real(f), _) => serde_json::Number::from_f64(f).map_or(Value::Null, Value::Number),
        (ValueRef::Text(t), _) => String::from_utf8_lossy(t).into(),
        (ValueRef::Null | ValueRef::Blob(_), _) => Value::Null,
    }
}
