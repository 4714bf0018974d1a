//! Way points, the points of routes and tracks, or routes and tracks as lines: three layers of one file.

use crate::feature::{FeatureSource, Give, Shape, cells, layer_schema};
use crate::reader::{About, InputOptions};
use crate::xml::{Element, Found, each};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::geometry::{Geometry, Position};
use std::path::{Path, PathBuf};

/// The layers that a file may have, in the order in which one is chosen.
const LAYERS: [&str; 4] = ["way-points", "tracks", "routes", "positions-of-tracks"];

/// A layer of a GPX file.
pub struct GpxReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    layer: &'static str,
    columns: Vec<String>,
}

/// A row: its values by the names of columns, and its geometry.
type Row = (Vec<(String, String)>, Result<Option<Geometry>, String>);

/// The layers of a file that hold anything.
///
/// # Errors
/// Where it cannot be read or is no well-formed XML.
pub(crate) fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    let mut there = [false; 4];
    each(path, &|name, _| matches!(name, "wpt" | "rte" | "trk"), &mut |found| {
        if let Found::Whole(e) = found {
            match e.name.as_str() {
                "wpt" => there[0] = true,
                "rte" => there[2] = true,
                _ => {
                    there[1] = true;
                    there[3] = true;
                }
            }
        }
        true
    })?;
    Ok(LAYERS.iter().zip(there).filter(|(_, t)| *t).map(|(l, _)| l.to_string()).collect())
}

impl GpxReader {
    /// Opens the layer that was asked for, or the first of way points, tracks and routes.
    ///
    /// # Errors
    /// Where it cannot be read, is no well-formed XML, or has no such layer.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let names = layers(path)?;
        let layer = match &options.layer {
            Some(wanted) => {
                names.iter().find(|n| n.eq_ignore_ascii_case(wanted)).ok_or_else(|| FormatError::NoSuch {
                    path: path.to_path_buf(),
                    kind: "layer",
                    wanted: wanted.clone(),
                    names: names.clone(),
                })?
            }
            None => names.first().ok_or_else(|| FormatError::Empty {
                path: path.to_path_buf(),
                what: "the file holds no way point, route or track",
            })?,
        };
        let layer = LAYERS.into_iter().find(|l| l == layer).unwrap_or(LAYERS[0]);
        let mut notes = Vec::new();
        if names.len() > 1 && options.layer.is_none() {
            notes.push(format!("layer \"{layer}\" is read of {}; choose another with `layer`", names.join(", ")));
        }
        let mut columns: Vec<String> = Vec::new();
        let mut z = false;
        rows(path, layer, &mut |(values, geometry)| {
            for (name, _) in values {
                if !columns.contains(&name) {
                    columns.push(name);
                }
            }
            if let Ok(Some(g)) = geometry {
                z |= g.has_z_and_m().0;
            }
            true
        })?;
        let shape =
            if matches!(layer, "way-points" | "positions-of-tracks") { Shape::Points { z } } else { Shape::Any };
        let kinds: Vec<(String, DataType)> = columns.iter().map(|c| (c.clone(), DataType::Utf8)).collect();
        let about = About {
            layer: Some(layer.into()),
            layers: names,
            crs: Some("EPSG:4326".into()),
            notes,
            ..About::of(path, Format::Gpx)?
        };
        let schema = layer_schema(&kinds, shape, Some("EPSG:4326"));
        Ok(GpxReader { path: path.to_path_buf(), about, schema, shape, layer, columns })
    }
}

/// Gives the rows of a layer.
fn rows(path: &Path, layer: &str, sink: &mut dyn FnMut(Row) -> bool) -> Result<(), FormatError> {
    let mut track = 0;
    each(path, &|name, _| matches!(name, "wpt" | "rte" | "trk"), &mut |found| {
        let Found::Whole(e) = found else { return true };
        match (e.name.as_str(), layer) {
            ("wpt", "way-points") => sink((values(&e), point(&e).map(|p| Some(Geometry::Point(p))))),
            ("rte", "routes") => {
                let points = e.children.iter().filter(|c| c.name == "rtept").map(point);
                sink((values(&e), points.collect::<Result<Vec<_>, _>>().map(line)))
            }
            ("trk", "tracks") => {
                let segments = e.children.iter().filter(|c| c.name == "trkseg");
                let lines: Result<Vec<Vec<Position>>, String> =
                    segments.map(|s| s.children.iter().filter(|c| c.name == "trkpt").map(point).collect()).collect();
                let geometry = lines.map(|mut l| {
                    l.retain(|l| l.len() > 1);
                    match l.len() {
                        0 => None,
                        1 => line(l.remove(0)),
                        _ => Some(Geometry::MultiLineString(l)),
                    }
                });
                sink((values(&e), geometry))
            }
            ("trk", "positions-of-tracks") => {
                track += 1;
                let name = e.text_of("name").map_or_else(|| format!("track {track}"), String::from);
                for (i, segment) in e.children.iter().filter(|c| c.name == "trkseg").enumerate() {
                    for p in segment.children.iter().filter(|c| c.name == "trkpt") {
                        let mut list =
                            vec![("track".to_string(), name.clone()), ("segment".to_string(), (i + 1).to_string())];
                        // What a point says of itself under one of these names stands beside them.
                        for (name, value) in values(p) {
                            match list.iter_mut().find(|(n, _)| *n == name) {
                                Some((_, there)) => there.push_str(&format!("; {value}")),
                                None => list.push((name, value)),
                            }
                        }
                        if !sink((list, point(p).map(|p| Some(Geometry::Point(p))))) {
                            return false;
                        }
                    }
                }
                true
            }
            _ => true,
        }
    })
}

fn line(points: Vec<Position>) -> Option<Geometry> {
    (points.len() > 1).then_some(Geometry::LineString(points))
}

/// The position of a point.
fn point(e: &Element) -> Result<Position, String> {
    let number = |name: &str, most: f64| {
        let text = e.attribute(name).unwrap_or("");
        text.trim()
            .parse::<f64>()
            .ok()
            .filter(|v| v.abs() <= most)
            .ok_or_else(|| format!("{name}=\"{text}\" is no number of degrees up to {most}"))
    };
    let z = e.text_of("ele").and_then(|t| t.trim().parse().ok()).unwrap_or(f64::NAN);
    Ok(Position::xyz(number("lon", 180.0)?, number("lat", 90.0)?, z))
}

/// What an element says of itself: its plain children, and those of its extensions.
fn values(e: &Element) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = Vec::new();
    let mut put = |name: &str, value: &str| match out.iter_mut().find(|(n, _)| n == name) {
        Some((_, there)) => {
            there.push_str("; ");
            there.push_str(value);
        }
        None => out.push((name.to_string(), value.to_string())),
    };
    for c in &e.children {
        match c.name.as_str() {
            "trkseg" | "rtept" => {}
            "extensions" => leaves(c, &mut put),
            "link" => put("link", c.attribute("href").unwrap_or(&c.text)),
            name if c.children.is_empty() => put(name, &c.text),
            _ => leaves(c, &mut put),
        }
    }
    out
}

/// The innermost elements with their texts.
fn leaves(e: &Element, put: &mut dyn FnMut(&str, &str)) {
    for c in &e.children {
        if c.children.is_empty() { put(&c.name, &c.text) } else { leaves(c, put) }
    }
}

impl FeatureSource for GpxReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        rows(&self.path, self.layer, &mut |(values, geometry)| {
            give(cells(&self.columns, values), geometry.map_err(|problem| ("no coordinates", problem)), 0)
        })
    }
}
