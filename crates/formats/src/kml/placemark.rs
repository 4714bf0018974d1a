//! A placemark: its values by the names of columns, its style and the shared one, and its geometry.

use super::geometry;
use super::looks::{Look, look};
use crate::xml::Element;
use basilocus_table::geometry::Geometry;

/// The column of folders.
pub(super) const FOLDER: &str = "folder";

/// What a placemark says.
pub(super) struct Placemark {
    pub values: Vec<(String, String)>,
    pub own: Look,
    pub shared: Option<String>,
    pub geometry: Result<Option<Geometry>, String>,
}

/// What an element says, in a folder; empty where it is in none.
pub(super) fn placemark(e: &Element, folder: &str) -> Placemark {
    let mut values: Vec<(String, String)> = Vec::new();
    let mut put = |name: &str, value: &str| {
        // What is there twice has its values side by side.
        match values.iter_mut().find(|(n, _)| n == name) {
            Some((_, there)) if !value.is_empty() && there != value => {
                there.push_str("; ");
                there.push_str(value);
            }
            Some(_) => {}
            None => values.push((name.to_string(), value.to_string())),
        }
    };
    for (element, column) in
        [("name", "name"), ("description", "description"), ("address", "address"), ("phoneNumber", "phone")]
    {
        if let Some(text) = e.text_of(element) {
            put(column, text);
        }
    }
    if !folder.is_empty() {
        put(FOLDER, folder);
    }
    if let Some(when) = e.child("TimeStamp").and_then(|t| t.text_of("when")) {
        put("time", when);
    }
    if let Some(span) = e.child("TimeSpan") {
        for edge in ["begin", "end"] {
            if let Some(text) = span.text_of(edge) {
                put(edge, text);
            }
        }
    }
    let track = e.find("Track").filter(|_| e.child("TimeSpan").is_none());
    let mut moments = track.iter().flat_map(|t| &t.children).filter(|c| c.name == "when").map(|c| c.text.as_str());
    if let Some(first) = moments.next() {
        put("begin", first);
        put("end", moments.next_back().unwrap_or(first));
    }
    if let Some(data) = e.child("ExtendedData") {
        for d in &data.children {
            match d.name.as_str() {
                "Data" => put(d.attribute("name").unwrap_or("data"), d.text_of("value").unwrap_or("")),
                "SchemaData" => {
                    for s in d.children.iter().filter(|s| s.name == "SimpleData") {
                        put(s.attribute("name").unwrap_or("data"), &s.text);
                    }
                }
                name => put(name, &d.text),
            }
        }
    }
    let geometry = e.children.iter().find(|c| geometry::is_geometry(&c.name)).map_or(Ok(None), geometry::read);
    let own = e.child("Style").map(look).unwrap_or_default();
    Placemark { values, own, shared: e.text_of("styleUrl").map(String::from), geometry }
}
