//! Features of a collection as rows: those of one type are a layer.

use super::geometry::{GeometryReader, is_geometry};
use super::{is_gml, system};
use crate::feature::{FeatureSource, Give, Shape, cells, layer_schema};
use crate::reader::{About, InputOptions};
use crate::xml::{Element, Found, each};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::geometry::{Geometry, wkt};
use std::path::{Path, PathBuf};

/// A layer of a GML file.
pub struct GmlReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    /// Names of columns with their name spaces, in the order of the columns.
    columns: Vec<String>,
    /// The name that the system of the layer has in the file.
    system: Option<String>,
    north_first: bool,
}

/// What the first pass finds of a type of feature.
struct Type {
    name: String,
    rows: u64,
    columns: Vec<String>,
    any_shape: bool,
    geometry: bool,
    z: bool,
    system: Option<String>,
}

/// Gives the features of a file with the name of the system that the collection is in.
fn features(path: &Path, sink: &mut dyn FnMut(&Element, Option<&str>) -> bool) -> Result<(), FormatError> {
    let mut system: Option<String> = None;
    let is_member = |name: &str| name == "member" || name == "featureMembers" || name.ends_with("Member");
    let whole = |name: &str, around: &[String]| match around.last() {
        Some(parent) => is_member(parent) || name == "boundedBy" && around.len() == 1,
        None => false,
    };
    each(path, &whole, &mut |found| match found {
        Found::Whole(e) if e.name == "boundedBy" => {
            system = system_of(&e).map(String::from);
            true
        }
        // A collection within a collection: what it holds are the features.
        Found::Whole(e) if e.name.ends_with("FeatureCollection") => {
            let inner = e.children.iter().filter(|c| is_member(&c.name)).flat_map(|c| &c.children);
            inner.take_while(|f| sink(f, system.as_deref())).count();
            true
        }
        Found::Whole(e) => sink(&e, system.as_deref()),
        _ => true,
    })
}

/// The first name of a system in an element, itself included.
fn system_of(e: &Element) -> Option<&str> {
    e.attribute("srsName").or_else(|| e.children.iter().find_map(system_of))
}

/// The column of identifiers.
const ID: &str = "gml_id";

/// A feature taken apart.
struct Feature<'a> {
    values: Vec<(String, String)>,
    geometry: Option<&'a Element>,
    system: Option<&'a str>,
}

fn feature<'a>(e: &'a Element, reader: &GeometryReader) -> Feature<'a> {
    let mut out = Feature { values: Vec::new(), geometry: None, system: None };
    let mut put = |name: &str, value: &str| match out.values.iter_mut().find(|(n, _)| n == name) {
        // What is there twice has its values side by side.
        Some((_, there)) if !value.is_empty() => {
            there.push_str("; ");
            there.push_str(value);
        }
        Some(_) => {}
        None => out.values.push((name.to_string(), value.to_string())),
    };
    // The identifier of the document, but where a property holds it already: so it is after a way through other formats.
    let identifier = e.attribute("id").or_else(|| e.attribute("fid"));
    if let Some(id) = identifier.filter(|id| e.child(ID).is_none() && !is_row_number(e, id)) {
        put(ID, id);
    }
    for property in &e.children {
        if property.name == "boundedBy" && is_gml(&property.space) {
            out.system = out.system.or_else(|| system_of(property));
            continue;
        }
        match property.children.iter().find(|c| is_geometry(c)) {
            Some(g) if out.geometry.is_none() => {
                out.geometry = Some(g);
                out.system = system_of(g).or(out.system);
            }
            // A further geometry stays as text, in its own column.
            Some(g) => {
                let text = match reader.read(g) {
                    Ok(g) => g.map_or(String::new(), |g| wkt::write(&g)),
                    Err(problem) => problem,
                };
                put(&key("", property), &text);
            }
            None => flatten(property, "", &mut put),
        }
    }
    out
}

/// Whether an identifier is one that our writer made of the name of the layer and the number of the row.
fn is_row_number(e: &Element, id: &str) -> bool {
    let number = id.strip_prefix(e.name.as_str()).and_then(|rest| rest.strip_prefix('.'));
    e.space.starts_with(super::OWN_SPACE)
        && number.is_some_and(|n| n.split('.').all(|part| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit())))
}

/// The name of a column: names of elements, outermost first, each with its name space in braces.
fn key(prefix: &str, e: &Element) -> String {
    let point = if prefix.is_empty() { "" } else { "." };
    format!("{prefix}{point}{{{}}}{}", e.space, e.name)
}

/// The name of a column without its name spaces.
fn shown(key: &str) -> String {
    let mut out = String::new();
    let mut rest = key;
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        rest = after.split_once('}').map_or("", |(_, r)| r);
    }
    out.push_str(rest);
    out
}

fn flatten(e: &Element, prefix: &str, put: &mut dyn FnMut(&str, &str)) {
    let name = key(prefix, e);
    let nil = e.attribute("nil") == Some("true");
    if e.children.is_empty() {
        // A property may only lead to its value.
        let text = if e.text.is_empty() { e.attribute("href").unwrap_or("") } else { &e.text };
        put(&name, if nil { "" } else { text });
    }
    for (attribute, value) in e.attributes.iter().filter(|(n, _)| !matches!(n.as_str(), "nil" | "href" | "id")) {
        put(&format!("{name}.{attribute}"), value);
    }
    for c in &e.children {
        flatten(c, &name, put);
    }
}

/// Goes through a file once.
fn types(path: &Path, reader: &GeometryReader) -> Result<Vec<Type>, FormatError> {
    let mut list: Vec<Type> = Vec::new();
    features(path, &mut |e, around| {
        let at = list.iter().position(|t| t.name == e.name).unwrap_or_else(|| {
            list.push(Type {
                name: e.name.to_string(),
                rows: 0,
                columns: Vec::new(),
                any_shape: false,
                geometry: false,
                z: false,
                system: None,
            });
            list.len() - 1
        });
        let t = &mut list[at];
        t.rows += 1;
        let f = feature(e, reader);
        for (name, _) in f.values {
            if !t.columns.contains(&name) {
                t.columns.push(name);
            }
        }
        if let Some(g) = f.geometry {
            t.geometry = true;
            if t.system.is_none() {
                t.system = f.system.or(around).map(String::from);
            }
            if let Ok(Some(g)) = reader.read(g) {
                t.any_shape |= !matches!(g, Geometry::Point(_));
                t.z |= g.has_z_and_m().0;
            }
        }
        true
    })?;
    Ok(list)
}

/// The types of features in a file.
///
/// # Errors
/// Where it cannot be read or is no well-formed XML.
pub(crate) fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    Ok(types(path, &GeometryReader::default())?.into_iter().map(|t| t.name).collect())
}

impl GmlReader {
    /// Opens the layer of a type of feature: the one that was asked for, or the only one.
    ///
    /// # Errors
    /// Where it cannot be read, is no well-formed XML, holds no feature, or several types and none was chosen.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let reader = GeometryReader::default();
        let list = types(path, &reader)?;
        let names: Vec<String> = list.iter().map(|t| t.name.clone()).collect();
        let chosen = match (&options.layer, list.as_slice()) {
            (Some(wanted), _) => {
                list.iter().find(|t| t.name.eq_ignore_ascii_case(wanted)).ok_or_else(|| FormatError::NoSuch {
                    path: path.to_path_buf(),
                    kind: "layer",
                    wanted: wanted.clone(),
                    names: names.clone(),
                })?
            }
            (None, [one]) => one,
            (None, []) => {
                return Err(FormatError::Empty {
                    path: path.to_path_buf(),
                    what: "the collection holds no feature; members with features are expected",
                });
            }
            (None, _) => return Err(FormatError::ChooseLayer { path: path.to_path_buf(), names }),
        };
        let mut notes = Vec::new();
        let read = chosen.system.as_deref().and_then(system::read);
        let by_registry = read.as_ref().is_some_and(|s| s.by_registry);
        match (&chosen.system, &read) {
            (Some(name), None) => {
                notes.push(format!("the system \"{name}\" is not understood; say it with `from`"));
            }
            // Told when the order is known.
            (Some(_), Some(s)) if s.by_registry => {}
            (Some(name), Some(_)) => {
                notes.push(format!("positions are read easting or longitude first, as is usual with {name}"));
            }
            (None, _) if chosen.geometry => notes.push("the file names no system for its geometry".into()),
            (None, _) => {}
        }
        if reader.arcs.get() > 0 {
            let deg = basilocus_table::geometry::arc::CHORD_DEG;
            notes.push(format!("arcs are drawn as chords of {deg}° at most"));
        }
        let shape = match (chosen.geometry, chosen.any_shape) {
            (false, _) => Shape::None,
            (true, false) => Shape::Points { z: chosen.z },
            (true, true) => Shape::Any,
        };
        let crs = read.map(|s| s.crs);
        let kinds: Vec<(String, DataType)> = chosen.columns.iter().map(|c| (shown(c), DataType::Utf8)).collect();
        let schema = layer_schema(&kinds, shape, crs.as_deref());
        let about = About {
            layer: Some(chosen.name.clone()),
            layers: names,
            crs,
            notes,
            axes_by_registry: by_registry,
            ..About::of(path, Format::Gml)?
        };
        let mut reader = GmlReader {
            path: path.to_path_buf(),
            about,
            schema,
            shape,
            columns: chosen.columns.clone(),
            system: chosen.system.clone(),
            north_first: false,
        };
        if let Some(north_first) = options.north_first {
            FeatureSource::set_north_first(&mut reader, north_first);
        }
        Ok(reader)
    }
}

impl FeatureSource for GmlReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn set_north_first(&mut self, north_first: bool) {
        if !std::mem::take(&mut self.about.axes_by_registry) {
            return;
        }
        self.north_first = north_first;
        let first =
            if north_first { "northing or latitude first, and are turned" } else { "easting or longitude first" };
        let name = self.system.as_deref().unwrap_or_default();
        self.about.notes.push(format!("positions stand in the order of the axes of {name}: {first}"));
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        let reader = GeometryReader::default();
        let layer = self.about.layer.as_deref().unwrap_or("");
        features(&self.path, &mut |e, around| {
            if e.name != layer {
                return true;
            }
            let f = feature(e, &reader);
            let geometry = match f.geometry {
                Some(_) if f.system.or(around) != self.system.as_deref() => Err((
                    "another system",
                    format!(
                        "the geometry is in {}, the layer in {}; a layer has one system",
                        f.system.or(around).unwrap_or("no system"),
                        self.system.as_deref().unwrap_or("none")
                    ),
                )),
                Some(g) => reader.read(g).map_err(|problem| ("no coordinates", problem)),
                None => Ok(None),
            };
            let geometry = geometry.map(|g| {
                g.map(|mut g| {
                    if self.north_first {
                        g.each_position_mut(&mut |p| std::mem::swap(&mut p.x, &mut p.y));
                    }
                    g
                })
            });
            give(cells(&self.columns, f.values), geometry, 0)
        })
    }
}
