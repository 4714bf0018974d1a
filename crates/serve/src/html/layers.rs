//! Pages of collections and their features.

use super::{escaped, form, link, list, page, table};
use crate::features::{description, feature_path, path};
use crate::links::Base;
use crate::parameters::Parameters;
use axum::response::Response;
use basilocus::collections::{Collection, Feature, Page};
use basilocus::table::geometry::{Geometry, wkt};
use serde_json::Value;

/// All collections, and markup of what else is served in that way.
pub(crate) fn collections<'a>(base: &Base, all: impl Iterator<Item = &'a Collection>, others: &str) -> Response {
    let rows: Vec<Vec<String>> = all
        .map(|c| {
            let at = path(c);
            vec![
                link(&base.to(&format!("{at}?f=html")), c.title()),
                escaped(c.geometry_type().unwrap_or("no geometry")),
                c.rows().to_string(),
                escaped(&c.system().map(|s| s.title()).unwrap_or_default()),
            ]
        })
        .collect();
    let heads = ["collection", "geometry", "rows", "kept in"].map(String::from);
    let body = if rows.is_empty() { String::new() } else { table("Collections", &heads, &rows) };
    page(base, &[], "Collections", &(body + others))
}

/// A collection.
pub(crate) fn collection(base: &Base, c: &Collection) -> Response {
    let at = path(c);
    let mut entries = vec![("about", escaped(&description(c)))];
    if let Some([west, south, east, north]) = c.extent() {
        entries
            .push(("extent", format!("{west:.5} to {east:.5} degrees east, {south:.5} to {north:.5} degrees north")));
    }
    let systems = c.systems();
    let shown: Vec<String> = systems.iter().take(3).map(|s| escaped(s)).collect();
    let rest = systems.len().saturating_sub(shown.len());
    let more = if rest > 0 { format!("<br>and {rest} more that suit the place") } else { String::new() };
    entries.push(("systems", shown.join("<br>") + &more));
    let columns: Vec<Vec<String>> =
        c.columns().iter().map(|col| vec![escaped(&col.name), crate::features::kind_words(col.kind).into()]).collect();
    let mut body = list(&entries);
    body.push_str(&format!("<p>{}</p>\n", link(&base.to(&format!("{at}/items?f=html")), "Its features, page by page")));
    if c.extent().is_some() {
        let map = base.to(&format!("{at}/map"));
        body.push_str(&format!(
            "<h2>Map</h2>\n<p>{}</p>\n<iframe src=\"{}\" title=\"Map of {}\" loading=\"lazy\"></iframe>\n",
            link(&map, "The map by itself"),
            escaped(&map),
            escaped(c.title())
        ));
    }
    body.push_str("<h2>Columns</h2>\n");
    body.push_str(&table("Columns", &["name", "values"].map(String::from), &columns));
    page(base, &[("/collections?f=html", "Collections")], c.title(), &body)
}

/// A value for people.
fn words(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => escaped(text),
        other => escaped(&other.to_string()),
    }
}

/// Where a feature is, in short.
fn place(geometry: Option<&Geometry>) -> String {
    match geometry {
        None => "nowhere".into(),
        Some(Geometry::Point(p)) => format!("{:.6} {:.6}", p.x, p.y),
        Some(other) => format!("{} of {} positions", other.type_name().to_lowercase(), other.positions()),
    }
}

/// A page of features.
pub(crate) fn items(
    base: &Base,
    c: &Collection,
    found: &Page,
    said: &Parameters,
    next: Option<&str>,
    json: &str,
) -> Response {
    let at = path(c);
    let mut asked = said.clone();
    let value = |p: &mut Parameters, name: &str| p.take(name).unwrap_or_default();
    let (bbox, filter) = (value(&mut asked, "bbox"), value(&mut asked, "filter"));
    let mut body = format!(
        "<p>{} of {} features. {}.</p>\n",
        found.features.len(),
        found.matched,
        link(json, "The same as GeoJSON")
    );
    body.push_str("<h2>Choose</h2>\n");
    let inputs =
        [("bbox", "Extent: west,south,east,north", bbox.as_str()), ("filter", "Filter, in CQL2 text", filter.as_str())];
    // Empty inputs are sent as well, so that a page takes them as not said.
    body.push_str(&form(&base.to(&format!("{at}/items")), &inputs, "Show"));
    body.push_str("<h2>Features</h2>\n");
    let heads: Vec<String> = ["feature".to_string()]
        .into_iter()
        .chain(c.columns().iter().map(|col| col.name.clone()))
        .chain(["place".to_string()])
        .collect();
    let rows: Vec<Vec<String>> = found
        .features
        .iter()
        .map(|f| {
            let own = link(&base.to(&format!("{}?f=html", feature_path(c, f.id))), &f.id.to_string());
            let cells = c.columns().iter().map(|col| words(&f.properties[&col.name]));
            std::iter::once(own).chain(cells).chain([place(f.geometry.as_ref())]).collect()
        })
        .collect();
    body.push_str(&table("Features", &heads, &rows));
    if let Some(next) = next {
        body.push_str(&format!("<p class=\"pages\">{}</p>\n", link(next, "Next page")));
    }
    let trail = [("/collections?f=html", "Collections"), (&format!("{at}?f=html"), c.title())];
    page(base, &trail, &format!("Features of {}", c.title()), &body)
}

/// A feature.
pub(crate) fn feature(base: &Base, c: &Collection, feature: &Feature, json: &str) -> Response {
    let at = path(c);
    let mut entries: Vec<(&str, String)> =
        c.columns().iter().map(|col| (col.name.as_str(), words(&feature.properties[&col.name]))).collect();
    let shape = feature.geometry.as_ref().map_or_else(|| "none".into(), |g| wkt::write_rounded(g, 7));
    let shape =
        if shape.chars().count() > 2000 { shape.chars().take(2000).collect::<String>() + " …" } else { shape };
    entries.push(("geometry", escaped(&shape)));
    let body = list(&entries) + &format!("<p>{}</p>\n", link(json, "The same as GeoJSON"));
    let (own, all) = (format!("{at}?f=html"), format!("{at}/items?f=html"));
    let trail = [("/collections?f=html", "Collections"), (own.as_str(), c.title()), (all.as_str(), "Features")];
    page(base, &trail, &format!("Feature {}", feature.id), &body)
}
