//! A transformation fitted to control pairs.

use super::Process;
use super::inputs::{Inputs, position, text_input, wrong};
use crate::problem::Problem;
use crate::server::App;
use basilocus::coordinates::fit::{FitPlan, fit_pairs};
use serde_json::{Map, Value, json};
use std::fmt::Write;

/// Pairs in a request.
const MOST: usize = 10_000;

pub(super) const PROCESS: Process = Process {
    id: "fit",
    title: "Control pairs to a transformation",
    description: "Fits a transformation to the same spots in an old and in a new system, and says how well it fits: residuals, the standard error, how far the others miss each pair.",
    inputs,
    outputs,
    run,
    output: "fit",
    is_quick: |_| false,
};

fn inputs() -> Value {
    let spot = json!({"type": "array", "minItems": 2, "maxItems": 3, "items": {"type": "number"}});
    json!({
        "pairs": {
            "title": "Control pairs",
            "minOccurs": 1,
            "schema": {
                "type": "array",
                "minItems": 1,
                "maxItems": MOST,
                "items": {
                    "type": "object",
                    "required": ["old", "new"],
                    "additionalProperties": false,
                    "properties": {"name": {"type": "string"}, "old": spot, "new": spot},
                },
            },
        },
        "kind": text_input("Kind", "translation, conformal, affine, polynomial, translation-3d or similarity-3d; conformal unless said", false),
        "from": text_input("From", "System of the old positions; a local grid unless said", false),
        "to": text_input("To", "System of the new positions", true),
    })
}

fn outputs() -> Value {
    json!({
        "fit": {
            "title": "What was fitted",
            "description": "Parameters, residuals and errors; and as a text the transformation that `via` takes",
            "schema": {"type": "object"},
        },
    })
}

fn run(_: &App, inputs: &Map<String, Value>) -> Result<Value, Problem> {
    let inputs = Inputs::of(inputs, &["pairs", "kind", "from", "to"])?;
    let expected = || wrong("pairs", "a list of objects with old and new is expected");
    let list = inputs.get("pairs").and_then(Value::as_array).ok_or_else(expected)?;
    if list.len() > MOST {
        return Err(wrong("pairs", format!("{} of them; at most {MOST} are taken", list.len())));
    }
    let mut table = String::from("point,old_x,old_y,old_z,new_x,new_y,new_z\n");
    let mut has_heights = true;
    for (at, pair) in list.iter().enumerate() {
        let spot = |name: &str| {
            let found = pair.get(name).and_then(position);
            found.ok_or_else(|| {
                wrong(&format!("pairs[{at}].{name}"), "two numbers, or three with a height, are expected")
            })
        };
        let (old, new) = (spot("old")?, spot("new")?);
        has_heights &= old[2].is_finite() && new[2].is_finite();
        let name = pair.get("name").and_then(Value::as_str).map_or_else(|| (at + 1).to_string(), str::to_string);
        let name = name.replace('"', "\"\"").replace(['\n', '\r'], " ");
        let number = |v: f64| if v.is_finite() { v.to_string() } else { String::new() };
        let numbers: Vec<String> = old.into_iter().chain(new).map(number).collect();
        let _ = writeln!(table, "\"{name}\",{}", numbers.join(","));
    }
    let broke = |e: std::io::Error| Problem::broke(format!("a temporary file cannot be written: {e}"));
    let folder = tempfile::tempdir().map_err(broke)?;
    let pairs = folder.path().join("pairs.csv");
    std::fs::write(&pairs, table).map_err(broke)?;
    let kind = match inputs.text("kind")? {
        Some(text) => text.parse().map_err(|e| wrong("kind", e))?,
        None => Default::default(),
    };
    let columns = |side: &str| {
        let axes = ["x", "y", "z"].into_iter().take(if has_heights { 3 } else { 2 });
        axes.map(|axis| format!("{side}_{axis}")).collect::<Vec<_>>()
    };
    let mut plan = FitPlan {
        pairs: pairs.clone(),
        kind,
        old: columns("old"),
        new: columns("new"),
        label: Some("point".into()),
        from: inputs.system("from")?.map(|c| c.identifier()),
        to: inputs.required_system("to")?.identifier(),
        name: Some("fitted by request".into()),
        ..Default::default()
    };
    if !kind.is_3d() {
        plan.old.truncate(2);
        plan.new.truncate(2);
    }
    // What the file of a moment is called is nobody's business.
    let told = |text: String| text.replace(&format!("{}: ", pairs.display()), "");
    let (file, report) = fit_pairs(&plan).map_err(|e| wrong("pairs", told(e.to_string())))?;
    let text = file.to_text(&pairs).map_err(|e| Problem::broke(told(e.to_string())))?;
    let mut out = serde_json::to_value(report).map_err(|e| Problem::broke(e.to_string()))?;
    if let Some(members) = out.as_object_mut() {
        ["pairs_file", "outputs", "interpretation"].iter().for_each(|name| drop(members.remove(*name)));
        members.insert("transformation".into(), text.into());
    }
    Ok(out)
}
