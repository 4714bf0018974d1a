//! A layer that a GeoPackage holds already, to which rows are added.

use super::reader::quoted;
use crate::writer::{CrsText, LayerOut};
use arrow_schema::{DataType, Field};
use basilocus_table::Moment;
use basilocus_table::batch::spatial_index;
use basilocus_table::geometry::Geometry;
use rusqlite::{Connection, OptionalExtension, params};

/// A layer of the file.
pub(super) struct LayerThere {
    pub table: String,
    /// The key, and the largest one that is there.
    pub key: String,
    pub last_key: i64,
    /// Names of columns with their declared types, the key and the geometry not among them.
    columns: Vec<(String, String)>,
    pub geometry: Option<GeometryThere>,
}

/// Its column of geometry.
pub(super) struct GeometryThere {
    pub column: String,
    /// Type in the standard's words.
    pub kind: String,
    pub srs_id: i32,
}

impl LayerThere {
    /// Finds a layer by its name; `None` where the file has none such.
    pub fn find(connection: &Connection, name: &str) -> rusqlite::Result<Option<Self>> {
        let table: Option<String> = connection
            .query_row("SELECT table_name FROM gpkg_contents WHERE table_name = ?1 COLLATE NOCASE", [name], |r| {
                r.get(0)
            })
            .optional()?;
        let Some(table) = table else { return Ok(None) };
        let geometry = connection
            .query_row(
                "SELECT column_name, geometry_type_name, srs_id FROM gpkg_geometry_columns WHERE table_name = ?1",
                [&table],
                |r| Ok(GeometryThere { column: r.get(0)?, kind: r.get(1)?, srs_id: r.get(2)? }),
            )
            .optional()?;
        let mut key = "rowid".to_string();
        let mut columns = Vec::new();
        let mut statement = connection.prepare("SELECT name, type, pk FROM pragma_table_info(?1)")?;
        let mut rows = statement.query([&table])?;
        while let Some(row) = rows.next()? {
            let (name, kind, is_key): (String, String, i32) = (row.get(0)?, row.get(1)?, row.get(2)?);
            // A key of another kind is a column like any other: the rows have numbers of their own beside it.
            if is_key == 1 && kind.eq_ignore_ascii_case("INTEGER") {
                key = name;
            } else if geometry.as_ref().is_none_or(|g: &GeometryThere| g.column != name) {
                columns.push((name, kind.to_ascii_uppercase()));
            }
        }
        let sql = format!("SELECT ifnull(max({}), 0) FROM {}", quoted(&key), quoted(&table));
        let last_key = connection.query_row(&sql, [], |r| r.get(0))?;
        Ok(Some(LayerThere { table, key, last_key, columns, geometry }))
    }

    /// The names under which the columns of rows stand in it, in their order; else why they do not fit.
    pub fn names_of(&self, layer: &LayerOut) -> Result<Vec<String>, String> {
        let geometry = spatial_index(&layer.schema);
        let table = &self.table;
        match (&self.geometry, geometry) {
            (Some(_), None) => return Err(format!("the layer \"{table}\" has geometry, and the rows have none")),
            (None, Some(_)) => return Err(format!("the layer \"{table}\" has no geometry, and the rows have some")),
            _ => {}
        }
        let attributes = layer.schema.fields().iter().enumerate().filter(|(i, _)| Some(*i) != geometry);
        attributes.map(|(_, field)| self.name_of(field)).collect()
    }

    fn name_of(&self, field: &Field) -> Result<String, String> {
        let (table, wanted) = (&self.table, field.name());
        let found = self.columns.iter().find(|(name, _)| name.eq_ignore_ascii_case(wanted)).ok_or_else(|| {
            let names: Vec<&str> = self.columns.iter().map(|(n, _)| n.as_str()).collect();
            format!(
                "the layer \"{table}\" has no column \"{wanted}\"; it has {}: `drop` it, `rename` it, or bring the rows to the layer's columns with `like`",
                names.join(", ")
            )
        })?;
        let (name, kind) = found;
        if holds(kind, field) {
            return Ok(name.clone());
        }
        Err(format!(
            "the column \"{name}\" of the layer \"{table}\" is {kind}, and the values of \"{wanted}\" are {}; mend them, or bring the rows to the layer's columns with `like`",
            words(field)
        ))
    }

    /// Whether rows in a system belong into the layer; else why they do not.
    pub fn is_in(&self, crs: Option<&CrsText>, connection: &Connection) -> rusqlite::Result<Result<(), String>> {
        let Some(geometry) = &self.geometry else { return Ok(Ok(())) };
        let own: Option<(String, i64, String, String)> = connection
            .query_row(
                "SELECT organization, organization_coordsys_id, srs_name, definition FROM gpkg_spatial_ref_sys WHERE srs_id = ?1",
                params![geometry.srs_id],
                |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?)),
            )
            .optional()?;
        let Some((organization, code, name, definition)) = own else {
            return Ok(Err(format!("the layer \"{}\" names a system that the file does not hold", self.table)));
        };
        let is_epsg = organization.eq_ignore_ascii_case("EPSG");
        let fits = match crs {
            None => geometry.srs_id <= 0,
            Some(crs) if is_epsg => crs.code.is_some_and(|c| i64::from(c) == code),
            Some(crs) => crs.wkt == definition,
        };
        let there = if is_epsg { format!("EPSG:{code}") } else { name };
        Ok(fits.then_some(()).ok_or_else(|| {
            format!(
                "the layer \"{}\" is in {there}, and the rows are in {}: bring them there with `to` {there}",
                self.table,
                crs.map_or("no system that is known", |c| c.name.as_str())
            )
        }))
    }
}

impl GeometryThere {
    /// A geometry as the layer holds it: one as a set of one, where it holds sets; else why it does not.
    pub fn fitted(&self, geometry: Geometry) -> Result<Geometry, String> {
        let wanted = self.kind.to_ascii_uppercase();
        let name = basilocus_table::geometry::TYPES[geometry.code() as usize - 1];
        if name == wanted || wanted == "GEOMETRY" {
            return Ok(geometry);
        }
        Ok(match (wanted.as_str(), geometry) {
            ("MULTIPOINT", Geometry::Point(p)) => Geometry::MultiPoint(vec![p]),
            ("MULTILINESTRING", Geometry::LineString(l)) => Geometry::MultiLineString(vec![l]),
            ("MULTIPOLYGON", Geometry::Polygon(p)) => Geometry::MultiPolygon(vec![p]),
            _ => return Err(format!("the geometry is {name}, and the layer holds {wanted}")),
        })
    }
}

/// Whether a column of a declared type holds the values of a field as they are.
fn holds(kind: &str, field: &Field) -> bool {
    let kind = kind.split('(').next().unwrap_or("");
    match (kind, field.data_type()) {
        ("DATE", DataType::Utf8) => Moment::of_field(field) == Some(Moment::Date),
        ("DATETIME", DataType::Utf8) => Moment::of_field(field) == Some(Moment::DateTime { utc: true }),
        ("TEXT" | "", DataType::Utf8) => true,
        ("BOOLEAN", DataType::Boolean) => true,
        ("TINYINT" | "SMALLINT" | "MEDIUMINT" | "INT" | "INTEGER", DataType::Int64) => true,
        ("FLOAT" | "DOUBLE" | "REAL", DataType::Int64 | DataType::Float64) => true,
        _ => false,
    }
}

fn words(field: &Field) -> &'static str {
    match (Moment::of_field(field), field.data_type()) {
        (Some(Moment::Date), _) => "dates",
        (Some(Moment::DateTime { .. }), _) => "dates with times",
        (_, DataType::Int64) => "whole numbers",
        (_, DataType::Float64) => "numbers",
        (_, DataType::Boolean) => "true or false",
        _ => "texts",
    }
}
