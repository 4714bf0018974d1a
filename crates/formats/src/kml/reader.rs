//! Placemarks as rows: name, description, folder, time, icon, and the data that they carry, typed or not.

use super::geometry;
use crate::feature::{FeatureSource, Give, Shape, cells, layer_schema};
use crate::reader::{About, InputOptions};
use crate::xml::{Element, Found, each};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::geometry::Geometry;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// A KML file.
pub struct KmlReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    columns: Vec<String>,
    /// Icons of shared styles, by `#id`.
    icons: HashMap<String, String>,
}

/// A placemark: its values by the names of columns, its icon or the shared style that has it, and its geometry.
struct Placemark {
    values: Vec<(String, String)>,
    style: Option<String>,
    geometry: Result<Option<Geometry>, String>,
}

impl KmlReader {
    /// Opens a file and goes through it once for its columns.
    ///
    /// # Errors
    /// Where it cannot be read, is no well-formed XML, or has no placemark.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let mut columns: Vec<String> = Vec::new();
        let mut icons = HashMap::new();
        let mut styles: Vec<String> = Vec::new();
        let (mut rows, mut any_shape, mut z) = (0u64, false, false);
        placemarks(path, &mut icons, &mut |p| {
            rows += 1;
            for (name, _) in &p.values {
                if !columns.contains(name) {
                    columns.push(name.clone());
                }
            }
            if let Some(style) = p.style.filter(|s| !styles.contains(s)) {
                styles.push(style);
            }
            if let Ok(Some(g)) = &p.geometry {
                any_shape |= !matches!(g, Geometry::Point(_));
                g.each_position(&mut |p| z |= !p.z.is_nan() && p.z != 0.0);
            }
            true
        })?;
        if rows == 0 {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the file holds no Placemark; it may only lead to others (NetworkLink)",
            });
        }
        // A style may stand behind what uses it: only now all are known.
        if styles.iter().any(|s| resolved(s, &icons).is_some()) && !columns.iter().any(|c| c == ICON) {
            columns.push(ICON.into());
        }
        let shape = if any_shape { Shape::Any } else { Shape::Points { z } };
        let kinds: Vec<(String, DataType)> = columns.iter().map(|c| (c.clone(), DataType::Utf8)).collect();
        let about = About {
            crs: Some("EPSG:4326".into()),
            // Data of KML is text unless a schema says otherwise; the values decide.
            ..About::of(path, Format::Kml)?
        };
        let schema = layer_schema(&kinds, shape, Some("EPSG:4326"));
        Ok(KmlReader { path: path.to_path_buf(), about, schema, shape, columns, icons })
    }
}

/// Gives the placemarks of a file in order, with the folders that they are in.
fn placemarks(
    path: &Path,
    icons: &mut HashMap<String, String>,
    sink: &mut dyn FnMut(Placemark) -> bool,
) -> Result<(), FormatError> {
    // Names of the containers around, an entry an element that was entered.
    let mut around: Vec<Option<String>> = Vec::new();
    let mut is_folder: Vec<bool> = Vec::new();
    let whole = |name: &str, around: &[String]| {
        matches!(name, "Placemark" | "Style" | "StyleMap" | "Schema")
            || name == "name" && matches!(around.last().map(String::as_str), Some("Folder" | "Document"))
    };
    each(path, &whole, &mut |found| {
        match found {
            Found::Enter(e) => {
                around.push(None);
                // A document in another is a folder too; the outermost stands for the file.
                let inner = e.name == "Document" && around.len() > 2;
                is_folder.push(e.name == "Folder" || inner);
            }
            Found::Leave => {
                around.pop();
                is_folder.pop();
            }
            Found::Whole(e) if e.name == "name" => {
                if let Some(last) = around.last_mut() {
                    *last = Some(e.text);
                }
            }
            Found::Whole(e) if e.name == "Style" => {
                if let (Some(id), Some(icon)) = (e.attribute("id"), icon(&e)) {
                    icons.insert(format!("#{id}"), icon);
                }
            }
            Found::Whole(e) if e.name == "StyleMap" => {
                let normal = e.children.iter().find(|p| p.text_of("key") == Some("normal"));
                if let (Some(id), Some(url)) = (e.attribute("id"), normal.and_then(|p| p.text_of("styleUrl"))) {
                    icons.insert(format!("#{id}"), url.to_string());
                }
            }
            Found::Whole(e) if e.name == "Placemark" => {
                let folders: Vec<&str> = around
                    .iter()
                    .zip(&is_folder)
                    .filter(|(_, folder)| **folder)
                    .map(|(n, _)| n.as_deref().unwrap_or(""))
                    .filter(|n| !n.is_empty())
                    .collect();
                return sink(placemark(&e, &folders.join("/")));
            }
            Found::Whole(_) => {}
        }
        true
    })
}

/// The icon of a style, by its address.
fn icon(style: &Element) -> Option<String> {
    style.find("Icon").and_then(|i| i.text_of("href")).filter(|t| !t.is_empty()).map(String::from)
}

/// The column of icons.
const ICON: &str = "icon";

/// The icon that a style leads to; a shared style may lead to another one.
fn resolved(style: &str, icons: &HashMap<String, String>) -> Option<String> {
    let mut style = style;
    for _ in 0..2 {
        style = icons.get(style).map_or(style, String::as_str);
    }
    (!style.starts_with('#')).then(|| style.to_string())
}

fn placemark(e: &Element, folder: &str) -> Placemark {
    let mut values: Vec<(String, String)> = Vec::new();
    let mut put = |name: &str, value: &str| {
        // What is there twice has its values side by side.
        match values.iter_mut().find(|(n, _)| n == name) {
            Some((_, there)) if !value.is_empty() => {
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
        put("folder", folder);
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
    let style = e.child("Style").and_then(icon).or_else(|| e.text_of("styleUrl").map(String::from));
    Placemark { values, style, geometry }
}

impl FeatureSource for KmlReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        placemarks(&self.path, &mut HashMap::new(), &mut |mut p| {
            if let Some(icon) = p.style.and_then(|s| resolved(&s, &self.icons))
                && !p.values.iter().any(|(n, _)| n == ICON)
            {
                p.values.push((ICON.into(), icon));
            }
            let geometry = p.geometry.map_err(|problem| ("geometry cannot be read", problem));
            give(cells(&self.columns, p.values), geometry, 0)
        })
    }
}
