//! The elements of a document as rows.

use super::position;
use super::tree::{Repeated, elements, likeliest, repeated};
use crate::feature::{FeatureSource, Give, Shape, cells, layer_schema};
use crate::reader::{About, InputOptions};
use crate::xml::{Element, Found, each};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::geometry::Geometry;
use std::path::{Path, PathBuf};

/// A document whose repeated element is a row.
pub struct FeedReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    element: Repeated,
    columns: Vec<String>,
}

impl FeedReader {
    /// Opens a document: the element that was asked for by its name or path, or the likeliest.
    ///
    /// # Errors
    /// Where it is no well-formed XML, repeats nothing, or has no such element.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let all = elements(path)?;
        let tree = all.iter().map(|e| (e.path.clone(), e.count)).collect();
        let list = repeated(all);
        let names: Vec<String> = list.iter().filter(|r| r.has_parts).map(|r| r.path.clone()).collect();
        let element = match &options.layer {
            Some(wanted) => list
                .iter()
                .find(|r| r.path.eq_ignore_ascii_case(wanted))
                .or_else(|| list.iter().find(|r| r.name.eq_ignore_ascii_case(wanted)))
                .ok_or_else(|| FormatError::NoSuch {
                    path: path.to_path_buf(),
                    kind: "repeated element",
                    wanted: wanted.clone(),
                    names: names.clone(),
                })?,
            None => likeliest(&list).ok_or_else(|| FormatError::Empty {
                path: path.to_path_buf(),
                what: "no element of the document is there more than once, so nothing in it is a row",
            })?,
        };
        let mut notes = vec![format!("element {} is a row, {} of them", element.path, element.count)];
        let others: Vec<String> = list
            .iter()
            .filter(|r| r.has_parts && r.path != element.path)
            .take(8)
            .map(|r| format!("{} ({})", r.path, r.count))
            .collect();
        if !others.is_empty() && options.layer.is_none() {
            notes.push(format!("it also repeats {}; choose another with `layer`", others.join(", ")));
        }
        let mut columns: Vec<String> = Vec::new();
        let (mut any, mut other) = (false, false);
        rows(path, element, &mut |e| {
            for (name, _) in values(&e) {
                if !columns.contains(&name) {
                    columns.push(name);
                }
            }
            any |= e.children.iter().any(position::is_position);
            other |= matches!(position::of(&e), Ok(Some(g)) if !matches!(g, Geometry::Point(_)));
            true
        })?;
        let shape = match (any, other) {
            (false, _) => Shape::None,
            (true, false) => Shape::Points { z: false },
            (true, true) => Shape::Any,
        };
        let crs = any.then_some("EPSG:4326");
        let kinds: Vec<(String, DataType)> = columns.iter().map(|c| (c.clone(), DataType::Utf8)).collect();
        let schema = layer_schema(&kinds, shape, crs);
        let about = About {
            layer: Some(element.path.clone()),
            layers: names,
            crs: crs.map(String::from),
            notes,
            tree,
            ..About::of(path, Format::Feed)?
        };
        Ok(FeedReader { path: path.to_path_buf(), about, schema, shape, element: element.clone(), columns })
    }
}

/// Gives the rows of a document.
fn rows(path: &Path, element: &Repeated, sink: &mut dyn FnMut(Element) -> bool) -> Result<(), FormatError> {
    // By the whole path: elsewhere an element of the name may be something else.
    let above = element.path.rsplit_once('/').map_or("", |(above, _)| above);
    let whole = |name: &str, around: &[String]| name == element.name && around.join("/") == above;
    each(path, &whole, &mut |found| match found {
        Found::Whole(e) => sink(e),
        _ => true,
    })
}

/// What is inside a row by the names of columns: texts of elements by their path, attributes behind a dot; what is there
/// several times stands side by side.
fn values(e: &Element) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = Vec::new();
    flatten(e, "", &mut |name: &str, value: &str| match out.iter_mut().find(|(n, _)| n == name) {
        Some((_, there)) if !value.is_empty() => {
            there.push_str("; ");
            there.push_str(value);
        }
        Some(_) => {}
        None => out.push((name.to_string(), value.to_string())),
    });
    out
}

fn flatten(e: &Element, prefix: &str, put: &mut dyn FnMut(&str, &str)) {
    let named = |name: &str| if prefix.is_empty() { name.to_string() } else { format!("{prefix}.{name}") };
    for (name, value) in &e.attributes {
        put(&named(name), value);
    }
    if prefix.is_empty() && e.children.is_empty() && !e.text.is_empty() {
        put(&e.name, &e.text);
    }
    for c in e.children.iter().filter(|c| !position::is_position(c)) {
        let name = named(&c.name);
        if c.children.is_empty() && (!c.text.is_empty() || c.attributes.is_empty()) {
            put(&name, &c.text);
        }
        flatten(c, &name, put);
    }
}

impl FeatureSource for FeedReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        rows(&self.path, &self.element, &mut |e| {
            let geometry = position::of(&e).map_err(|problem| ("no coordinates", problem));
            give(cells(&self.columns, values(&e)), geometry, 0)
        })
    }
}
