//! Positions, or a collection of features, to another system; one position in any notation to all that is useful.

use super::Process;
use super::inputs::{Inputs, position, positions_input, rounded, text_input, wrong};
use crate::problem::Problem;
use crate::server::App;
use basilocus::geodesy::crs::{Area, Crs};
use basilocus::geodesy::operation::Operation;
use basilocus::lookup::SpotQuestion;
use serde_json::{Map, Value, json};
use std::sync::Arc;

pub(super) const PROCESS: Process = Process {
    id: "convert",
    title: "Positions to another system",
    description: "Brings positions, or the features of a GeoJSON collection, from one coordinate reference system to another, and says which operation was taken and how accurate it is; or reads one position in any notation. Easting or longitude comes first, whatever the registry has.",
    inputs,
    outputs,
    run,
    output: "result",
    is_quick: |inputs| inputs.get("positions").and_then(Value::as_array).is_some_and(|list| list.len() <= 32),
};

fn inputs() -> Value {
    json!({
        "positions": positions_input("One of positions, features and position is expected", false),
        "features": {
            "title": "Features",
            "description": "A GeoJSON collection of features; their positions are in the system that from says",
            "minOccurs": 0,
            "schema": {"type": "object", "format": "geojson-feature-collection"},
        },
        "position": text_input("Position", "One position in any notation, such as 46.2N 123.8W", false),
        "from": text_input("From", "System of the positions, such as EPSG:4267; WGS 84 unless said", false),
        "to": text_input("To", "System to bring them to, such as EPSG:32610; may be left out for a position in a notation", false),
        "epoch": {
            "title": "Epoch",
            "description": "When the positions were measured, as a decimal year",
            "minOccurs": 0,
            "schema": {"type": "number"},
        },
    })
}

fn outputs() -> Value {
    json!({
        "result": {
            "title": "Positions in the other system",
            "description": "The operation with its accuracy in metres, and the positions in their order, null where one has no place there; or the features; or all that is known of a position",
            "schema": {"type": "object"},
        },
    })
}

fn run(app: &App, inputs: &Map<String, Value>) -> Result<Value, Problem> {
    let inputs = Inputs::of(inputs, &["positions", "features", "position", "from", "to", "epoch"])?;
    let from = inputs.system("from")?;
    let given = ["positions", "features", "position"].map(|name| inputs.get(name).is_some());
    match given {
        [true, false, false] => positions(app, &inputs, from),
        [false, true, false] => features(app, &inputs, from),
        [false, false, true] => spot(&inputs, from),
        _ => Err(wrong("positions", "one of positions, features and position is expected")),
    }
}

/// One position in any notation.
fn spot(inputs: &Inputs, from: Option<Crs>) -> Result<Value, Problem> {
    let coordinate = inputs.text("position")?.unwrap_or_default().to_string();
    let to = inputs.system("to")?;
    let question = SpotQuestion {
        coordinate,
        from: from.map(|c| c.identifier()),
        to: to.iter().map(Crs::identifier).collect(),
        ..Default::default()
    };
    let report = question.report().map_err(|e| wrong("position", e))?;
    serde_json::to_value(report).map_err(|e| Problem::broke(e.to_string()))
}

/// The area that positions are in, in degrees.
fn around(positions: &[[f64; 3]], from: &Crs) -> Option<Area> {
    let to_degrees = Operation::to_degrees(from).ok()?;
    let mut bounds: Option<[f64; 4]> = None;
    // The ends and the middle of a long list say where it is.
    let step = (positions.len() / 1000).max(1);
    for [x, y, _] in positions.iter().step_by(step).chain(positions.last()) {
        if let Some((lon, lat, _)) = to_degrees.apply_one(*x, *y, f64::NAN) {
            let [w, s, e, n] = bounds.unwrap_or([lon, lat, lon, lat]);
            bounds = Some([w.min(lon), s.min(lat), e.max(lon), n.max(lat)]);
        }
    }
    bounds.map(Area::of_bounds)
}

/// The way to another system, where the positions are.
struct Way {
    operation: Arc<Operation>,
    from: Crs,
    to: Crs,
    near: Option<Area>,
}

impl Way {
    fn find(app: &App, inputs: &Inputs, from: Crs, to: Crs, positions: &[[f64; 3]]) -> Result<Self, Problem> {
        let (epoch, near) = (inputs.number("epoch")?, around(positions, &from));
        let operation = app.operation(&from, &to, near.clone(), epoch).map_err(|e| wrong("to", e))?;
        Ok(Way { operation, from, to, near })
    }

    /// What was done, and what a careful user should know of it.
    fn described(&self) -> Value {
        let mut notes = self.operation.notes().to_vec();
        for crs in [&self.from, &self.to] {
            if self.near.as_ref().is_some_and(|area| !crs.area.contains_area(area)) {
                let of = format!("{} ({})", crs.title(), crs.area.description);
                notes.push(format!("positions lie outside of the area of use of {of}"));
            }
        }
        json!({
            "from": self.from.title(),
            "to": self.to.title(),
            "name": self.operation.name(),
            "accuracy_m": self.operation.accuracy_m(),
            "notes": notes,
        })
    }

    fn moved(&self, list: &[[f64; 3]]) -> Vec<[f64; 3]> {
        let column = |at: usize| list.iter().map(|p| p[at]).collect::<Vec<f64>>();
        let (mut x, mut y, mut z) = (column(0), column(1), column(2));
        self.operation.apply(&mut x, &mut y, &mut z);
        x.into_iter().zip(y).zip(z).map(|((x, y), z)| [x, y, z]).collect()
    }
}

fn source(from: Option<Crs>) -> Result<Crs, Problem> {
    from.map_or_else(|| super::inputs::system("from", "EPSG:4326"), Ok)
}

fn positions(app: &App, inputs: &Inputs, from: Option<Crs>) -> Result<Value, Problem> {
    let (from, to) = (source(from)?, inputs.required_system("to")?);
    let list = inputs.positions("positions")?;
    let way = Way::find(app, inputs, from, to, &list)?;
    let is_geographic = way.to.is_geographic();
    let out: Vec<Value> = way.moved(&list).into_iter().map(|p| written(p, is_geographic)).collect();
    let without_place = out.iter().filter(|p| p.is_null()).count();
    Ok(json!({"operation": way.described(), "positions": out, "without_place": without_place}))
}

/// A position; null where it has no place.
fn written([x, y, z]: [f64; 3], is_geographic: bool) -> Value {
    if !x.is_finite() || !y.is_finite() {
        return Value::Null;
    }
    let (x, y) = (rounded(x, is_geographic), rounded(y, is_geographic));
    if z.is_finite() { json!([x, y, rounded(z, false)]) } else { json!([x, y]) }
}

/// Coordinates in each other at most.
const DEEPEST: usize = 8;

/// Each position of nested lists of coordinates, in their order.
fn each_position(value: &mut Value, depth: usize, each: &mut dyn FnMut(&mut Value)) -> bool {
    if depth > DEEPEST {
        return false;
    }
    if position(value).is_some() {
        each(value);
        return true;
    }
    value.as_array_mut().is_some_and(|list| list.iter_mut().all(|v| each_position(v, depth + 1, each)))
}

/// Each position of a geometry object; false where it is none.
fn each_of_geometry(geometry: &mut Value, depth: usize, each: &mut dyn FnMut(&mut Value)) -> bool {
    if geometry.is_null() {
        return true;
    }
    if depth > DEEPEST {
        return false;
    }
    match geometry.get_mut("geometries").and_then(Value::as_array_mut) {
        Some(list) => list.iter_mut().all(|g| each_of_geometry(g, depth + 1, each)),
        None => geometry.get_mut("coordinates").is_some_and(|c| each_position(c, 0, each)),
    }
}

fn features(app: &App, inputs: &Inputs, from: Option<Crs>) -> Result<Value, Problem> {
    let (from, to) = (source(from)?, inputs.required_system("to")?);
    let mut collection = inputs.get("features").cloned().unwrap_or_default();
    let list = collection.get_mut("features").and_then(Value::as_array_mut);
    let list = list.ok_or_else(|| wrong("features", "a GeoJSON collection of features is expected"))?;
    let mut positions: Vec<[f64; 3]> = Vec::new();
    for (at, feature) in list.iter_mut().enumerate() {
        let bad = || wrong(&format!("features.features[{at}].geometry"), "a geometry of RFC 7946 or null is expected");
        let geometry = feature.get_mut("geometry").ok_or_else(bad)?;
        if !each_of_geometry(geometry, 0, &mut |p| positions.extend(position(p))) {
            return Err(bad());
        }
    }
    let way = Way::find(app, inputs, from, to, &positions)?;
    let mut places = way.moved(&positions).into_iter();
    let (mut without_place, is_geographic) = (0u64, way.to.is_geographic());
    for feature in list {
        let Some(geometry) = feature.get_mut("geometry") else { continue };
        let mut has_place = true;
        each_of_geometry(geometry, 0, &mut |p| {
            *p = places.next().map_or(Value::Null, |place| written(place, is_geographic));
            has_place &= !p.is_null();
        });
        if !has_place {
            *geometry = Value::Null;
            without_place += 1;
        }
    }
    collection["operation"] = way.described();
    collection["without_place"] = without_place.into();
    Ok(collection)
}
