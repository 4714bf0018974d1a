//! What a collection says of itself, and of what it can be asked.

use crate::links::{Base, encoded};
use basilocus::collections::{CRS84, Collection, ValueKind};
use serde_json::{Map, Value, json};

/// Addresses of what belongs to a collection.
pub(crate) fn path(c: &Collection) -> String {
    format!("/collections/{}", encoded(c.id()))
}

/// The document of a collection.
pub(crate) fn collection(c: &Collection, base: &Base) -> Value {
    let path = path(c);
    let mut links = vec![
        base.link(&path, "self", "application/json", "This document"),
        base.link(&format!("{path}?f=html"), "alternate", "text/html", "This document as a page"),
        base.link(&format!("{path}/items"), "items", "application/geo+json", "The features"),
        base.link(&format!("{path}/items?f=html"), "items", "text/html", "The features as a page"),
        base.link(
            &format!("{path}/queryables"),
            "http://www.opengis.net/def/rel/ogc/1.0/queryables",
            "application/schema+json",
            "What can be asked of the features",
        ),
    ];
    let mut out = json!({
        "id": c.id(),
        "title": c.title(),
        "description": description(c),
        "itemType": "feature",
    });
    if let Some([west, south, east, north]) = c.extent() {
        links.push(base.link(&format!("{path}/map"), "preview", "text/html", "The features on a map"));
        out["extent"] = json!({"spatial": {"bbox": [[west, south, east, north]], "crs": CRS84}});
    }
    if c.geometry_type().is_some() {
        out["crs"] = c.systems().into();
    }
    if let Some(storage) = c.storage() {
        out["storageCrs"] = storage.uri.as_str().into();
    }
    out["links"] = links.into();
    out
}

/// What it holds, and what a careful user should know.
pub(crate) fn description(c: &Collection) -> String {
    let mut words = format!("{} rows", c.rows());
    if let Some(system) = c.system() {
        words.push_str(&format!(", kept in {}", system.title()));
    }
    c.notices().iter().for_each(|notice| words.push_str(&format!("; {notice}")));
    words
}

/// The type of a column in the words of JSON Schema.
pub(crate) fn schema_of(kind: ValueKind) -> Value {
    match kind {
        ValueKind::Integer => json!({"type": "integer"}),
        ValueKind::Number => json!({"type": "number"}),
        ValueKind::Text => json!({"type": "string"}),
        ValueKind::Boolean => json!({"type": "boolean"}),
        ValueKind::Date => json!({"type": "string", "format": "date"}),
        ValueKind::Moment => json!({"type": "string", "format": "date-time"}),
    }
}

/// What the geometry of a collection is, in the words of part 3.
fn geometry_format(c: &Collection) -> &'static str {
    match c.geometry_type() {
        Some("POINT") => "geometry-point",
        Some("MULTIPOINT") => "geometry-multipoint",
        Some("LINESTRING") => "geometry-linestring",
        Some("MULTILINESTRING") => "geometry-multilinestring",
        Some("POLYGON") => "geometry-polygon",
        Some("MULTIPOLYGON") => "geometry-multipolygon",
        Some("GEOMETRYCOLLECTION") => "geometry-geometrycollection",
        _ => "geometry-any",
    }
}

/// The document of what a collection can be asked.
pub(crate) fn queryables(c: &Collection, base: &Base) -> Value {
    let mut properties: Map<String, Value> = Map::new();
    for column in c.columns() {
        let mut schema = schema_of(column.kind);
        schema["title"] = column.name.as_str().into();
        properties.insert(column.name.clone(), schema);
    }
    if let Some(name) = c.geometry_name() {
        properties.insert(name.into(), json!({"title": "geometry", "format": geometry_format(c)}));
    }
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": base.to(&format!("{}/queryables", path(c))),
        "type": "object",
        "title": c.title(),
        "properties": properties,
        "additionalProperties": false,
    })
}
