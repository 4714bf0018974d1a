//! Entities as rows. An insert with attributes is a point with them; one without is a point too, and what its block draws
//! follows it, each entity a row.

use super::drawing::{self, Entity, Head, unit_name};
use super::entity::geometry;
use super::pairs::Value;
use super::text::{plain, without_formats};
use super::transform::Transform;
use crate::feature::{FeatureSource, Give, Shape, cells, layer_schema};
use crate::reader::{About, InputOptions, Suspicion};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use basilocus_table::Position;
use basilocus_table::geometry::Geometry;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// How deep blocks may lie in each other.
const DEEPEST: usize = 64;
/// Entities that inserts may resolve to: blocks of blocks are a bomb otherwise.
const MOST_RESOLVED: u64 = 5_000_000;
/// Below these numbers no national system lies: a drawing there has an origin of its own.
const SMALL: f64 = 10_000.0;

/// A DXF drawing, or one layer of it.
pub struct DxfReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    columns: Vec<String>,
    layer: Option<String>,
    z: bool,
}

/// A row: its values by the names of columns, and its geometry.
type Row = (Vec<(String, String)>, Result<Geometry, (&'static str, String)>);

/// What an entity has from the insert of its block.
#[derive(Clone)]
struct Around<'a> {
    transform: Transform,
    layer: &'a str,
    color: String,
    block: &'a str,
    /// How many inserts it is in.
    depth: usize,
    /// What the insert itself has.
    outside: Option<&'a Around<'a>>,
}

impl Around<'_> {
    /// Whether it is in an insert of a block.
    fn is_in(&self, block: &str) -> bool {
        self.depth > 0 && self.block.eq_ignore_ascii_case(block) || self.outside.is_some_and(|o| o.is_in(block))
    }
}

/// Where rows go, and how many entities blocks have resolved to.
struct Giving<'a> {
    resolved: u64,
    give: &'a mut dyn FnMut(Row) -> bool,
}

/// Gives the rows of a drawing.
fn rows(path: &Path, sink: &mut dyn FnMut(&Head, Row) -> bool) -> Result<(), FormatError> {
    let mut resolved = 0;
    let mut over = false;
    drawing::each(path, &mut |head, e| {
        let around =
            Around { transform: Transform::NONE, layer: "", color: String::new(), block: "", depth: 0, outside: None };
        let mut giving = Giving { resolved, give: &mut |row: Row| sink(head, row) };
        let wanted = entity(head, &e, &around, &mut giving);
        resolved = giving.resolved;
        over = resolved > MOST_RESOLVED;
        wanted && !over
    })?;
    if over {
        return Err(FormatError::broken(
            path,
            format!("its blocks resolve to more than {MOST_RESOLVED} entities, which no drawing is meant to do"),
        ));
    }
    Ok(())
}

fn entity(head: &Head, e: &Entity, around: &Around, giving: &mut Giving) -> bool {
    let depth = around.depth;
    // What is no thing of its own: the ends of others, forms of attributes.
    if matches!(e.kind.as_str(), "SEQEND" | "ATTDEF") || depth > 0 && e.kind == "ATTRIB" {
        return true;
    }
    let own = e.text(8).unwrap_or_else(|| "0".into());
    // Layer 0 in a block stands for the layer of the insert.
    let layer = if own == "0" && depth > 0 { around.layer.to_string() } else { own };
    let color = color(head, e, &layer, around);
    let mut values = vec![("layer".to_string(), layer.clone()), ("type".to_string(), e.kind.clone())];
    let mut put = |name: &str, value: String| {
        if !value.is_empty() {
            values.push((name.to_string(), value));
        }
    };
    put("color", color.clone());
    let block = e.text(2).filter(|_| e.kind == "INSERT").unwrap_or_default();
    put("block", if block.is_empty() { around.block.to_string() } else { block.clone() });
    match e.kind.as_str() {
        "TEXT" => put("text", plain(&e.text(1).unwrap_or_default())),
        "MTEXT" => {
            let parts = e.pairs.iter().filter(|(c, _)| *c == 3).chain(e.pairs.iter().filter(|(c, _)| *c == 1));
            put("text", without_formats(&parts.map(|(_, v)| v.text()).collect::<String>()));
        }
        _ => {}
    }
    if matches!(e.kind.as_str(), "TEXT" | "MTEXT") {
        put("text_height", e.real(40).map_or(String::new(), |v| v.to_string()));
    }
    if let Some(turn) =
        e.real(50).filter(|v| *v != 0.0 && matches!(e.kind.as_str(), "TEXT" | "MTEXT" | "INSERT" | "POINT"))
    {
        put("rotation", turn.to_string());
    }
    for attribute in &e.parts {
        if let Some(tag) = attribute.text(2).filter(|_| attribute.kind == "ATTRIB") {
            put(&tag, plain(&attribute.text(1).unwrap_or_default()));
        }
    }
    // Extended data in the form NAME=VALUE.
    for (code, value) in &e.pairs {
        if *code == 1000
            && let Value::Text(t) = value
            && let Some((name, value)) = t.split_once('=')
        {
            put(name.trim(), plain(value));
        }
    }
    let draws = e.kind == "INSERT" && e.parts.is_empty() && head.blocks.contains_key(&block.to_uppercase());
    let shape = if e.integer(67) == Some(1) && depth == 0 {
        Err(("in a layout", format!("the {} is in a layout of the drawing, not in the drawing itself", e.kind)))
    } else if draws && around.is_in(&block) {
        Err(("block in itself", format!("the block {block} is inserted in itself, which has no end; it is drawn once")))
    } else if draws && depth >= DEEPEST {
        Err(("block too deep", format!("the block {block} lies in {depth} others, and {DEEPEST} are read")))
    } else {
        geometry(e).map(|mut g| {
            g.each_position_mut(&mut |p| around.transform.apply(p));
            g
        })
    };
    let usable = shape.is_ok();
    giving.resolved += u64::from(depth > 0);
    if !(giving.give)((values, shape)) {
        return false;
    }
    // An insert with attributes is a thing with its sign; what the sign draws is no thing.
    if draws && usable {
        let of_block = Around { layer: &layer, color, block: &block, outside: Some(around), ..around.clone() };
        return insert(head, e, &of_block, giving);
    }
    true
}

/// What the block of an insert draws, where it is inserted. `insert` has its layer, colour and block, and the transformation
/// of what it is in.
fn insert(head: &Head, e: &Entity, insert: &Around, giving: &mut Giving) -> bool {
    let Some(block) = head.blocks.get(&insert.block.to_uppercase()) else { return true };
    let Some(at) = e.position(10) else { return true };
    let real = |code: i32, usual: f64| e.real(code).unwrap_or(usual);
    let many = |code: i32| e.integer(code).unwrap_or(1).clamp(1, 32_767);
    let turn = Transform::turn(real(50, 0.0));
    let inner = Transform::scale(real(41, 1.0), real(42, 1.0), real(43, 1.0)).after(Transform::shift(
        -block.base.x,
        -block.base.y,
        -block.base.z,
    ));
    let normal = Transform::of_normal(e.normal());
    for row in 0..many(71) {
        for column in 0..many(70) {
            let step = Transform::shift(column as f64 * real(44, 0.0), row as f64 * real(45, 0.0), 0.0);
            let here = normal.after(Transform::shift(at.x, at.y, at.z)).after(turn).after(step).after(inner);
            let transform = insert.transform.after(here);
            let around = Around { transform, depth: insert.depth + 1, ..insert.clone() };
            // A block without a thing in it counts as well, so that no array of them takes for ever.
            giving.resolved += 1;
            if giving.resolved > MOST_RESOLVED {
                return false;
            }
            for part in &block.entities {
                if giving.resolved > MOST_RESOLVED || !entity(head, part, &around, giving) {
                    return false;
                }
            }
        }
    }
    true
}

/// The colour of an entity: the number of the colour, or red, green and blue; that of its layer or block where it has none.
fn color(head: &Head, e: &Entity, layer: &str, around: &Around) -> String {
    if let Some(rgb) = e.integer(420) {
        return format!("#{:06X}", rgb & 0xFF_FFFF);
    }
    match e.integer(62) {
        Some(0) => around.color.clone(),
        None | Some(256) => head.layers.get(layer).map_or(String::new(), |c| c.to_string()),
        Some(number) => number.to_string(),
    }
}

/// The layers of a drawing that have entities.
///
/// # Errors
/// Where it cannot be read.
pub(crate) fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    let mut names: Vec<String> = Vec::new();
    rows(path, &mut |_, (values, _)| {
        if !names.contains(&values[0].1) {
            names.push(values[0].1.clone());
        }
        true
    })?;
    Ok(names)
}

impl DxfReader {
    /// Opens a drawing and goes through it once for its columns: all its layers, or the one that was asked for.
    ///
    /// # Errors
    /// Where it cannot be read or has no entity.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let mut columns: Vec<String> = Vec::new();
        let mut layers: Vec<String> = Vec::new();
        let mut kinds: BTreeMap<String, u64> = BTreeMap::new();
        let (mut any_shape, mut z, mut areas) = (false, false, false);
        let mut bounds: Option<[f64; 4]> = None;
        let mut units = None;
        let mut found = false;
        rows(path, &mut |head, (values, shape)| {
            units = head.units;
            let layer = &values[0].1;
            if !layers.contains(layer) {
                layers.push(layer.clone());
            }
            if options.layer.as_ref().is_some_and(|l| !l.eq_ignore_ascii_case(layer)) {
                return true;
            }
            found = true;
            *kinds.entry(values[1].1.clone()).or_default() += 1;
            for (name, _) in &values {
                if !columns.contains(name) {
                    columns.push(name.clone());
                }
            }
            if let Ok(g) = shape {
                any_shape |= !matches!(g, Geometry::Point(_));
                areas |= matches!(g, Geometry::Polygon(_));
                g.each_position(&mut |p: &Position| z |= p.z != 0.0);
                if let Some(b) = g.bounds() {
                    let all = bounds.get_or_insert(b);
                    *all = [all[0].min(b[0]), all[1].min(b[1]), all[2].max(b[2]), all[3].max(b[3])];
                }
            }
            true
        })?;
        if let Some(wanted) = options.layer.as_ref().filter(|_| !found) {
            return Err(FormatError::NoSuch {
                path: path.to_path_buf(),
                kind: "layer",
                wanted: wanted.clone(),
                names: layers,
            });
        }
        if !found {
            return Err(FormatError::Empty { path: path.to_path_buf(), what: "the drawing holds no entity" });
        }
        let counts: Vec<String> = kinds.iter().map(|(k, n)| format!("{n} {k}")).collect();
        let mut notes = vec![format!("entities: {}", counts.join(", "))];
        if layers.len() > 1 && options.layer.is_none() {
            notes.push(format!("all layers are read: {}; choose one with `layer`", shortened(&layers)));
        }
        notes.push(match units.and_then(unit_name) {
            Some(unit) => format!("the header says that the drawing is in {unit}"),
            None => "the header does not say in which unit the drawing is".into(),
        });
        if areas {
            notes.push("closed lines, circles and faces are polygons".into());
        }
        if kinds
            .keys()
            .any(|k| matches!(k.as_str(), "ARC" | "CIRCLE" | "ELLIPSE" | "SPLINE" | "LWPOLYLINE" | "POLYLINE"))
        {
            let deg = basilocus_table::geometry::arc::CHORD_DEG;
            notes.push(format!("arcs are drawn as chords of {deg}° at most"));
        }
        let local = |b: &[f64; 4]| {
            b.iter().all(|v| v.abs() < SMALL) && (b[2] > 180.0 || b[0] < -180.0 || b[3] > 90.0 || b[1] < -90.0)
        };
        let suspicions = bounds.filter(local).map(|bounds| Suspicion::LocalDrawing { bounds }).into_iter().collect();
        let shape = if any_shape { Shape::Any } else { Shape::Points { z } };
        let typed: Vec<(String, DataType)> = columns.iter().map(|c| (c.clone(), DataType::Utf8)).collect();
        let about = About { layer: options.layer.clone(), layers, notes, suspicions, ..About::of(path, Format::Dxf)? };
        let schema = layer_schema(&typed, shape, None);
        Ok(DxfReader { path: path.to_path_buf(), about, schema, shape, columns, layer: options.layer.clone(), z })
    }
}

/// Names, the first ones where there are many.
fn shortened(names: &[String]) -> String {
    let first: Vec<&str> = names.iter().take(12).map(String::as_str).collect();
    let more = names.len() - first.len();
    if more > 0 { format!("{} and {more} more", first.join(", ")) } else { first.join(", ") }
}

impl FeatureSource for DxfReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn layout(&self) -> (&SchemaRef, Shape) {
        (&self.schema, self.shape)
    }

    fn each(&self, give: Give) -> Result<(), FormatError> {
        rows(&self.path, &mut |_, (values, shape)| {
            if self.layer.as_ref().is_some_and(|l| !l.eq_ignore_ascii_case(&values[0].1)) {
                return true;
            }
            let shape = shape.map(|mut g| {
                // A drawing in the plane has zeros for heights.
                if !self.z {
                    g.each_position_mut(&mut |p| p.z = f64::NAN);
                }
                Some(g)
            });
            give(cells(&self.columns, values), shape, 0)
        })
    }
}
