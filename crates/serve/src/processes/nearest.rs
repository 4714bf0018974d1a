//! The address nearest to each position.

use super::Process;
use super::inputs::{Inputs, positions_input, wrong};
use crate::problem::Problem;
use crate::server::App;
use serde_json::{Map, Value, json};

/// How far an address may be, unless it is said, metres.
const USUAL_M: f64 = 10_000.0;
/// How far it may be at most, metres.
const MOST_M: f64 = 10_000.0;

pub(super) const PROCESS: Process = Process {
    id: "nearest",
    title: "Positions to addresses",
    description: "The address nearest to each position, in longitude and latitude of WGS 84, with its distance; null where none is near.",
    inputs,
    outputs,
    run,
    output: "results",
    is_quick: |_| false,
};

fn inputs() -> Value {
    json!({
        "positions": positions_input("Longitude and latitude in degrees", true),
        "within_m": {
            "title": "Within",
            "description": format!("How far an address may be, in metres; {USUAL_M} unless said, at most {MOST_M}"),
            "minOccurs": 0,
            "schema": {"type": "number", "minimum": 0, "maximum": MOST_M},
        },
    })
}

fn outputs() -> Value {
    json!({
        "results": {
            "title": "Addresses",
            "description": "A feature for each position, in their order; null where no address is near",
            "schema": {"type": "array", "items": {"type": "object", "format": "geojson-feature"}},
        },
    })
}

fn run(app: &App, inputs: &Map<String, Value>) -> Result<Value, Problem> {
    let inputs = Inputs::of(inputs, &["positions", "within_m"])?;
    let within = inputs.number("within_m")?.unwrap_or(USUAL_M);
    if !(0.0..=MOST_M).contains(&within) {
        return Err(wrong("within_m", format!("metres from 0 to {MOST_M} are expected")));
    }
    let positions = inputs.positions("positions")?;
    let is_on_earth = |[lon, lat, _]: &[f64; 3]| lon.abs() <= 180.0 && lat.abs() <= 90.0;
    if let Some(at) = positions.iter().position(|p| !is_on_earth(p)) {
        return Err(wrong(&format!("positions[{at}]"), "a longitude and a latitude in degrees are expected"));
    }
    let geocoder = app.geocoder()?;
    let found = positions.iter().map(|[lon, lat, _]| match geocoder.nearest(*lon, *lat, within) {
        None => Value::Null,
        Some((near, parts, country)) => {
            let degrees = |v: f64| (v * 1e7).round() / 1e7;
            let texts = [
                ("address", near.address.as_str()),
                ("number", &parts.number),
                ("street", &parts.street),
                ("locality", &parts.locality),
                ("region", &parts.region),
                ("postcode", &parts.postcode),
                ("country", country),
            ];
            let filled = texts.into_iter().filter(|(_, text)| !text.is_empty());
            let mut properties: Map<String, Value> = filled.map(|(name, text)| (name.into(), text.into())).collect();
            properties.insert("level".into(), near.level.name().into());
            properties.insert("distance_m".into(), ((near.distance_m * 10.0).round() / 10.0).into());
            if let Some(side) = near.side {
                properties.insert("side".into(), side.name().into());
            }
            json!({
                "type": "Feature",
                "geometry": {"type": "Point", "coordinates": [degrees(near.lon), degrees(near.lat)]},
                "properties": properties,
            })
        }
    });
    Ok(found.collect())
}
