//! The inputs of an execution, each checked: what is wrong says which one it is, and what was expected.

use crate::problem::Problem;
use basilocus::geodesy::crs::{Catalogue, Crs};
use serde_json::{Map, Value, json};

/// Positions in a request.
pub(super) const MOST_POSITIONS: usize = 100_000;

/// The inputs of a process, which knows them by their names.
pub(super) struct Inputs<'a>(&'a Map<String, Value>);

impl<'a> Inputs<'a> {
    /// The inputs, none of them unknown.
    pub fn of(inputs: &'a Map<String, Value>, known: &[&str]) -> Result<Self, Problem> {
        match inputs.keys().find(|k| !known.contains(&k.as_str())) {
            Some(other) => Err(wrong(other, format!("there is no such input; {} are", known.join(", ")))),
            None => Ok(Inputs(inputs)),
        }
    }

    pub fn get(&self, name: &str) -> Option<&'a Value> {
        self.0.get(name).filter(|v| !v.is_null())
    }

    /// A text; nothing where it is not there.
    pub fn text(&self, name: &str) -> Result<Option<&'a str>, Problem> {
        let Some(value) = self.get(name) else { return Ok(None) };
        value.as_str().map(Some).ok_or_else(|| wrong(name, "a text is expected"))
    }

    /// A number; nothing where it is not there.
    pub fn number(&self, name: &str) -> Result<Option<f64>, Problem> {
        let Some(value) = self.get(name) else { return Ok(None) };
        value.as_f64().map(Some).ok_or_else(|| wrong(name, "a number is expected"))
    }

    /// A system of the catalogue: a code or a name. Files are never looked at.
    pub fn system(&self, name: &str) -> Result<Option<Crs>, Problem> {
        self.text(name)?.map(|text| system(name, text)).transpose()
    }

    /// A system that has to be there.
    pub fn required_system(&self, name: &str) -> Result<Crs, Problem> {
        self.system(name)?.ok_or_else(|| wrong(name, "a system is expected, such as \"EPSG:32610\""))
    }

    /// A list of positions, easting or longitude first, each of two numbers or three with a height.
    pub fn positions(&self, name: &str) -> Result<Vec<[f64; 3]>, Problem> {
        let expected = || wrong(name, "a list of positions is expected, [[longitude, latitude], …]");
        let list = self.get(name).and_then(Value::as_array).ok_or_else(expected)?;
        if list.len() > MOST_POSITIONS {
            return Err(wrong(name, format!("{} of them; at most {MOST_POSITIONS} are taken", list.len())));
        }
        let read = |(at, value): (usize, &Value)| {
            position(value)
                .ok_or_else(|| wrong(&format!("{name}[{at}]"), "two numbers, or three with a height, are expected"))
        };
        list.iter().enumerate().map(read).collect()
    }
}

/// Two or three numbers; the third is NaN where there are two.
pub(super) fn position(value: &Value) -> Option<[f64; 3]> {
    let numbers = value.as_array()?;
    let number = |at: usize| numbers.get(at).map(Value::as_f64);
    match (numbers.len(), number(0), number(1), number(2)) {
        (2, Some(Some(x)), Some(Some(y)), None) => Some([x, y, f64::NAN]),
        (3, Some(Some(x)), Some(Some(y)), Some(Some(z))) => Some([x, y, z]),
        _ => None,
    }
}

/// A problem of an input.
pub(super) fn wrong(name: &str, problem: impl std::fmt::Display) -> Problem {
    Problem::of_field(format!("inputs.{name}"), problem)
}

/// A system of the catalogue.
pub(crate) fn system(name: &str, text: &str) -> Result<Crs, Problem> {
    let catalogue = Catalogue::embedded();
    // The usual form needs no search.
    let code = text.strip_prefix("EPSG:").and_then(|code| code.parse().ok());
    if let Some(Ok(crs)) = code.map(|code: u32| catalogue.get(code)) {
        return Ok(crs);
    }
    catalogue.find_one(text).map_err(|e| wrong(name, e))
}

/// The description of an input that is a text.
pub(super) fn text_input(title: &str, description: &str, is_required: bool) -> Value {
    json!({"title": title, "description": description, "minOccurs": u8::from(is_required), "schema": {"type": "string"}})
}

/// The description of an input of positions.
pub(super) fn positions_input(description: &str, is_required: bool) -> Value {
    json!({
        "title": "Positions",
        "description": description,
        "minOccurs": u8::from(is_required),
        "schema": {
            "type": "array",
            "maxItems": MOST_POSITIONS,
            "items": {"type": "array", "minItems": 2, "maxItems": 3, "items": {"type": "number"}},
        },
    })
}

/// A number without what only the arithmetic says: a tenth of a millimetre of metres and of degrees.
pub(super) fn rounded(value: f64, is_geographic: bool) -> f64 {
    let digits = if is_geographic { 1e9 } else { 1e4 };
    (value * digits).round() / digits
}
