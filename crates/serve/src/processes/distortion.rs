//! What a projection does to lengths, angles and areas.

use super::Process;
use super::inputs::{Inputs, positions_input, text_input, wrong};
use crate::problem::Problem;
use crate::server::App;
use basilocus::coordinates::measure;
use basilocus::geodesy::crs::Kind;
use serde_json::{Map, Value, json};

pub(super) const PROCESS: Process = Process {
    id: "distortion",
    title: "Distortion of a projection",
    description: "What a map projection does to lengths, angles and areas at positions in longitude and latitude of WGS 84: smallest, mean and largest.",
    inputs,
    outputs,
    run,
    output: "distortion",
    is_quick: |_| false,
};

fn inputs() -> Value {
    json!({
        "on": text_input("On", "The projected system, such as EPSG:3857", true),
        "positions": positions_input("Longitude and latitude in degrees", true),
    })
}

fn outputs() -> Value {
    json!({"distortion": {"title": "Distortion", "schema": {"type": "object"}}})
}

fn run(app: &App, inputs: &Map<String, Value>) -> Result<Value, Problem> {
    let inputs = Inputs::of(inputs, &["on", "positions"])?;
    let map = inputs.required_system("on")?.horizontal().clone();
    let Kind::Projected { .. } = map.kind else {
        return Err(wrong("on", format!("{} is no projected system", map.title())));
    };
    let list = inputs.positions("positions")?;
    // Degrees on the datum of the map.
    let wgs84 = super::inputs::system("on", "EPSG:4326")?;
    let base = map.geographic().ok_or_else(|| wrong("on", "its geographic system is not known"))?;
    let operation = app.operation(&wgs84, &base, None, None).map_err(|e| wrong("on", e))?;
    let degrees: Vec<(f64, f64)> = list
        .iter()
        .filter_map(|[lon, lat, _]| operation.apply_one(*lon, *lat, f64::NAN))
        .map(|(lon, lat, _)| (lon, lat))
        .collect();
    let found = measure::distortion(&degrees, &map).map_err(|e| wrong("positions", e))?;
    serde_json::to_value(found).map_err(|e| Problem::broke(e.to_string()))
}
