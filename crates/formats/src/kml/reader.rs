//! Placemarks as rows: name, description, folder, time, icon, colour, balloon, and the data that they carry, typed or not.

use super::geometry;
use super::looks::{COLUMNS, Look, Looks, filled, look};
use crate::feature::{FeatureSource, Give, Shape, cells, layer_schema};
use crate::reader::{About, InputOptions};
use crate::xml::{Element, Found, each};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::geometry::Geometry;
use std::path::{Path, PathBuf};

/// A KML file.
pub struct KmlReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    columns: Vec<String>,
    looks: Looks,
}

/// A placemark: its values by the names of columns, its style and the shared one, and its geometry.
struct Placemark {
    values: Vec<(String, String)>,
    own: Look,
    shared: Option<String>,
    geometry: Result<Option<Geometry>, String>,
}

impl KmlReader {
    /// Opens a file and goes through it once for its columns.
    ///
    /// # Errors
    /// Where it cannot be read, is no well-formed XML, or has no placemark.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let mut columns: Vec<String> = Vec::new();
        let mut looks = Looks::default();
        let mut shared: Vec<String> = Vec::new();
        let mut said = [false; 3];
        let mut folders = Folders::default();
        let (mut rows, mut any_shape, mut z) = (0u64, false, false);
        placemarks(path, &mut looks, &mut |p| {
            rows += 1;
            folders.add(&p.values);
            for (name, _) in &p.values {
                if !columns.contains(name) {
                    columns.push(name.clone());
                }
            }
            said.iter_mut().zip(&p.own.0).for_each(|(all, own)| *all |= own.is_some());
            if let Some(url) = p.shared.filter(|s| !shared.contains(s)) {
                shared.push(url);
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
        let mut notes = Vec::new();
        if let Some(name) = folders.only() {
            columns.retain(|c| c != FOLDER);
            notes.push(format!("all placemarks are in the folder \"{name}\""));
        }
        // A style may stand behind what uses it: only now all are known.
        for look in shared.iter().filter_map(|url| looks.of(url)) {
            said.iter_mut().zip(&look.0).for_each(|(all, one)| *all |= one.is_some());
        }
        for (column, _) in COLUMNS.iter().zip(said).filter(|(_, said)| *said) {
            if !columns.iter().any(|c| c == column) {
                columns.push(column.to_string());
            }
        }
        let shape = if any_shape { Shape::Any } else { Shape::Points { z } };
        let kinds: Vec<(String, DataType)> = columns.iter().map(|c| (c.clone(), DataType::Utf8)).collect();
        let about = About {
            crs: Some("EPSG:4326".into()),
            notes,
            // Data of KML is text unless a schema says otherwise; the values decide.
            ..About::of(path, Format::Kml)?
        };
        let schema = layer_schema(&kinds, shape, Some("EPSG:4326"));
        Ok(KmlReader { path: path.to_path_buf(), about, schema, shape, columns, looks })
    }
}

/// The column of folders.
const FOLDER: &str = "folder";

/// Whether all placemarks are in one folder, which says no more of one than of another.
#[derive(Default)]
struct Folders {
    first: Option<String>,
    several: bool,
}

impl Folders {
    fn add(&mut self, values: &[(String, String)]) {
        let folder = values.iter().find(|(name, _)| name == FOLDER).map_or("", |(_, folder)| folder);
        self.several |= self.first.get_or_insert_with(|| folder.to_string()) != folder;
    }

    fn only(self) -> Option<String> {
        self.first.filter(|f| !f.is_empty() && !self.several)
    }
}

/// Gives the placemarks of a file in order, with the folders that they are in.
fn placemarks(path: &Path, looks: &mut Looks, sink: &mut dyn FnMut(Placemark) -> bool) -> Result<(), FormatError> {
    // Names of the containers around, an entry an element that was entered.
    let mut around: Vec<Option<String>> = Vec::new();
    let mut is_folder: Vec<bool> = Vec::new();
    let whole = |name: &str, around: &[String]| {
        matches!(name, "Placemark" | "Style" | "StyleMap")
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
                    *last = Some(e.text.into_string());
                }
            }
            Found::Whole(e) if matches!(e.name.as_str(), "Style" | "StyleMap") => looks.add(&e),
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

fn placemark(e: &Element, folder: &str) -> Placemark {
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

impl FeatureSource for KmlReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        placemarks(&self.path, &mut Looks::default(), &mut |mut p| {
            let shared = p.shared.and_then(|url| self.looks.of(&url));
            for (i, (column, own)) in COLUMNS.iter().zip(p.own.0).enumerate() {
                // What the placemark says itself counts more than what it shares; data of the name counts more than both.
                let found = own.or_else(|| shared.and_then(|look| look.0[i].clone()));
                if let Some(text) = found.filter(|_| !p.values.iter().any(|(n, _)| n == column)) {
                    let text = if *column == "balloon" { filled(&text, &p.values) } else { text };
                    p.values.push((column.to_string(), text));
                }
            }
            let geometry = p.geometry.map_err(|problem| ("geometry cannot be read", problem));
            give(cells(&self.columns, p.values), geometry, 0)
        })
    }
}
