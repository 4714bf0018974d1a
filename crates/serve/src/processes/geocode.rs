//! Addresses to positions.

use super::Process;
use crate::geocoder::{AddressQuery, FoundPlace, FoundPlaces};
use crate::problem::Problem;
use crate::server::App;
use serde_json::{Map, Value, json};

/// Addresses in a request.
const MOST: usize = 1000;

pub(super) const PROCESS: Process = Process {
    id: "geocode",
    title: "Addresses to positions",
    description: "Finds each address in the reference that is served: its places, best first, with how precisely and how surely each is known. Positions are longitude and latitude of WGS 84.",
    inputs,
    outputs,
    run,
    output: "results",
    is_quick: |_| false,
};

fn inputs() -> Value {
    let part = |description: &str| json!({"type": "string", "description": description});
    json!({
        "addresses": {
            "title": "Addresses",
            "description": "Each a text, or an object with its parts",
            "minOccurs": 1,
            "schema": {
                "type": "array",
                "minItems": 0,
                "maxItems": MOST,
                "items": {
                    "type": "object",
                    "additionalProperties": false,
                    "properties": {
                        "id": part("what the answer is to be found again by"),
                        "address": part("the whole address in one text"),
                        "number": part("house number"),
                        "street": part("thoroughfare"),
                        "unit": part("unit, flat or floor"),
                        "locality": part("city, town or village"),
                        "region": part("state, province or the like"),
                        "postcode": part("postcode"),
                        "country": part("ISO 3166 code, or a name"),
                    },
                },
            },
        },
    })
}

fn outputs() -> Value {
    json!({
        "results": {
            "title": "Places",
            "description": "A collection of features for each address, in their order; with the id where the address has one, and with the reason where none of its places is sure",
            "schema": {"type": "array", "items": {"type": "object", "format": "geojson-feature-collection"}},
        },
    })
}

fn run(app: &App, inputs: &Map<String, Value>) -> Result<Value, Problem> {
    if let Some(other) = inputs.keys().find(|k| *k != "addresses") {
        return Err(Problem::bad(format!("inputs: there is no input \"{other}\"; addresses is expected")));
    }
    let list = match inputs.get("addresses") {
        Some(Value::Array(list)) => list.clone(),
        // An input with one value may come without its list.
        Some(one @ (Value::Object(_) | Value::String(_))) => vec![one.clone()],
        _ => return Err(Problem::bad("inputs.addresses: a list of texts or objects is expected")),
    };
    if list.len() > MOST {
        return Err(Problem::bad(format!("inputs.addresses: {} of them; at most {MOST} are taken", list.len())));
    }
    let query = |(at, value): (usize, Value)| match value {
        Value::String(address) => Ok(AddressQuery { address, ..Default::default() }),
        other => serde_json::from_value(other).map_err(|e| {
            Problem::bad(format!("inputs.addresses[{at}]: a text or an object of texts is expected: {e}"))
        }),
    };
    let queries = list.into_iter().enumerate().map(query).collect::<Result<Vec<AddressQuery>, _>>()?;
    let geocoder = app.geocoder()?;
    Ok(queries.iter().map(|q| collection(q, geocoder.find(q))).collect())
}

fn collection(query: &AddressQuery, found: FoundPlaces) -> Value {
    let mut out = json!({
        "type": "FeatureCollection",
        "features": found.places.iter().map(feature).collect::<Vec<_>>(),
    });
    if let Some(id) = &query.id {
        out["id"] = id.as_str().into();
    }
    if let Some(reason) = found.reason {
        out["reason"] = reason.into();
    }
    out
}

/// A place as a feature; seven places behind the point are a centimetre.
fn feature(place: &FoundPlace) -> Value {
    let rounded = |v: f64| (v * 1e7).round() / 1e7;
    let (c, parts) = (&place.candidate, &place.parts);
    let texts = [
        ("address", c.address.as_str()),
        ("number", &parts.number),
        ("street", &parts.street),
        ("unit", &parts.unit),
        ("locality", &parts.locality),
        ("region", &parts.region),
        ("postcode", &parts.postcode),
        ("country", place.country),
    ];
    let filled = texts.into_iter().filter(|(_, text)| !text.is_empty());
    let mut properties: Map<String, Value> = filled.map(|(name, text)| (name.to_string(), text.into())).collect();
    properties.insert("level".into(), c.level.name().into());
    properties.insert("confidence".into(), c.confidence.into());
    properties.insert("radius_m".into(), c.radius_m.round().into());
    properties.insert("changes".into(), c.changes.clone().into());
    json!({
        "type": "Feature",
        "geometry": {"type": "Point", "coordinates": [rounded(c.lon), rounded(c.lat)]},
        "properties": properties,
    })
}
