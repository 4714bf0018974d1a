//! The ways between two systems.

use super::Process;
use super::inputs::{Inputs, text_input, wrong};
use crate::problem::Problem;
use crate::server::App;
use basilocus::lookup::BetweenQuestion;
use serde_json::{Map, Value, json};

pub(super) const PROCESS: Process = Process {
    id: "ways",
    title: "Ways between two systems",
    description: "The ways from one coordinate reference system to another, best first, each with its accuracy, the grid files that it needs, and which one is taken at a place.",
    inputs,
    outputs,
    run,
    output: "ways",
    is_quick: |_| false,
};

fn inputs() -> Value {
    json!({
        "from": text_input("From", "System to come from", true),
        "to": text_input("To", "System to go to", true),
        "near": {
            "title": "Near",
            "description": "Where the data is: longitude and latitude, or west, south, east, north, in degrees",
            "minOccurs": 0,
            "schema": {"type": "array", "minItems": 2, "maxItems": 4, "items": {"type": "number"}},
        },
        "epoch": {"title": "Epoch", "description": "When it was measured, as a decimal year", "minOccurs": 0, "schema": {"type": "number"}},
    })
}

fn outputs() -> Value {
    json!({"ways": {"title": "The ways", "schema": {"type": "object"}}})
}

fn run(app: &App, inputs: &Map<String, Value>) -> Result<Value, Problem> {
    let inputs = Inputs::of(inputs, &["from", "to", "near", "epoch"])?;
    let near = match inputs.get("near") {
        None => None,
        Some(value) => {
            let expected = || wrong("near", "two or four numbers are expected");
            let numbers: Option<Vec<f64>> = value.as_array().and_then(|l| l.iter().map(Value::as_f64).collect());
            let numbers = numbers.filter(|n| matches!(n.len(), 2 | 4)).ok_or_else(expected)?;
            Some(numbers.iter().map(f64::to_string).collect::<Vec<_>>().join(","))
        }
    };
    let question = BetweenQuestion {
        near,
        epoch: inputs.number("epoch")?,
        grids: app.grids.clone(),
        ..BetweenQuestion::new(inputs.required_system("from")?.identifier(), inputs.required_system("to")?.identifier())
    };
    let report = question.report().map_err(|e| wrong("near", e))?;
    serde_json::to_value(report).map_err(|e| Problem::broke(e.to_string()))
}
