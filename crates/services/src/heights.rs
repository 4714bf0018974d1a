//! Heights of positions, by OGC API - Environmental Data Retrieval (OGC 19-086r6): position queries of a collection.
//!
//! Several positions are asked for as a `MULTIPOINT`; the answer is CoverageJSON (OGC 21-069r2) in one of the forms that
//! services give: one coverage of many points, a collection of coverages, a coverage of one point. Each value is taken by
//! the position that stands beside it: a value at another position than one that was asked for is nobody's.

use crate::ServiceError;
use crate::protocol::{Exchange, Protocol, Trouble};
use crate::web::{Request, Transport, json_of};
use serde_json::Value;
use std::fmt;

/// Positions in a request: addresses on the web must not be too long.
const MOST: usize = 60;
/// Positions that are no farther apart are one, degrees: services write so many digits.
const SAME_DEG: f64 = 2e-7;

/// A position: longitude and latitude of WGS 84 in degrees, to the millimetre.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Spot {
    lon: f64,
    lat: f64,
}

impl Spot {
    /// The spot of a position; what is finer than a millimetre is no other one.
    ///
    /// ```
    /// use basilocus_services::heights::Spot;
    ///
    /// assert_eq!(Spot::at(-123.8, 46.2), Spot::at(-123.800000001, 46.2));
    /// assert_eq!(Spot::at(-123.8, 46.2).to_string(), "-123.8 46.2");
    /// ```
    pub fn at(lon_deg: f64, lat_deg: f64) -> Self {
        let rounded = |v: f64| (v * 1e8).round() / 1e8;
        Spot { lon: rounded(lon_deg), lat: rounded(lat_deg) }
    }

    /// Longitude, degrees.
    pub fn lon_deg(&self) -> f64 {
        self.lon
    }

    /// Latitude, degrees.
    pub fn lat_deg(&self) -> f64 {
        self.lat
    }
}

/// Longitude, then latitude, as well-known text has them.
impl fmt::Display for Spot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.lon, self.lat)
    }
}

/// A collection of heights.
#[derive(Debug, Clone, PartialEq)]
pub struct HeightCollection {
    /// Where positions are asked for.
    position: String,
    parameter: String,
    unit: Option<String>,
    title: String,
    /// Whether several positions may stand in a request.
    takes_several: bool,
}

impl HeightCollection {
    /// Finds the collection: at its own address, or the only one with heights of a service.
    ///
    /// # Errors
    /// [`ServiceError::Failed`] where there is none, or where there are several; [`ServiceError::NoAnswer`] where the service
    /// cannot be reached.
    pub fn find(address: &str, transport: &dyn Transport) -> Result<Self, ServiceError> {
        let failed = |problem: String| ServiceError::Failed { address: address.to_string(), problem };
        let base =
            address.split(['?', '#']).next().unwrap_or(address).trim_end_matches('/').trim_end_matches("/position");
        let get = |address: &str| json_of(address, transport);
        if base.contains("/collections/") {
            return HeightCollection::described(base, &get(base)?).map_err(failed);
        }
        let list = format!("{}/collections", base.trim_end_matches("/collections"));
        let all = get(&list)?;
        let collections = all.get("collections").and_then(Value::as_array);
        let collections = collections.ok_or_else(|| failed(format!("{list} is no list of collections")))?;
        let id = |c: &Value| c.get("id").and_then(Value::as_str).map(String::from);
        let found: Vec<Result<Self, String>> = collections
            .iter()
            .filter_map(|c| Some(HeightCollection::described(&format!("{list}/{}", id(c)?), c)))
            .filter(Result::is_ok)
            .collect();
        match <[Result<Self, String>; 1]>::try_from(found) {
            Ok([one]) => one.map_err(failed),
            Err(several) if several.is_empty() => {
                Err(failed(format!("none of the {} collections of {list} has heights of positions", collections.len())))
            }
            Err(several) => {
                let titles = several.iter().filter_map(|c| c.as_ref().ok()).map(|c| c.title.as_str());
                Err(failed(format!(
                    "several collections of {list} have heights: {}; say the address of one",
                    titles.collect::<Vec<_>>().join(", ")
                )))
            }
        }
    }

    /// By the description of a collection.
    fn described(address: &str, description: &Value) -> Result<Self, String> {
        let queries = description.get("data_queries").and_then(Value::as_object);
        if queries.is_some_and(|q| !q.contains_key("position")) {
            return Err("the collection takes no position queries".into());
        }
        let parameters = description.get("parameter_names").and_then(Value::as_object);
        let parameters = parameters.filter(|p| !p.is_empty()).ok_or("the collection names no parameters")?;
        let is_height = |name: &str| {
            let name = name.to_lowercase();
            ["height", "elevation", "altitude"].iter().any(|w| name.contains(w))
        };
        let named: Vec<&String> = parameters.keys().filter(|name| is_height(name)).collect();
        let parameter = match (named.as_slice(), parameters.len()) {
            ([one], _) => (*one).clone(),
            ([], 1) => parameters.keys().next().cloned().unwrap_or_default(),
            _ => {
                let names: Vec<&str> = parameters.keys().map(String::as_str).collect();
                return Err(format!("which of the parameters is the height is not clear: {}", names.join(", ")));
            }
        };
        let unit = unit_of(&parameters[&parameter]);
        let title = description.get("id").and_then(Value::as_str).unwrap_or(address).to_string();
        Ok(HeightCollection { position: format!("{address}/position"), parameter, unit, title, takes_several: true })
    }

    /// The unit of the heights as the service says it: a symbol or a word.
    pub fn unit(&self) -> Option<&str> {
        self.unit.as_deref()
    }

    /// The parameter that is asked for.
    pub fn parameter(&self) -> &str {
        &self.parameter
    }
}

/// The unit of a parameter: a symbol, plain or in an object, else its label.
fn unit_of(parameter: &Value) -> Option<String> {
    let unit = parameter.get("unit")?;
    let symbol = match unit.get("symbol") {
        Some(Value::String(symbol)) => Some(symbol.clone()),
        Some(other) => other.get("value").and_then(Value::as_str).map(String::from),
        None => None,
    };
    let label = || match unit.get("label") {
        Some(Value::String(label)) => Some(label.clone()),
        Some(Value::Object(languages)) => languages.values().next().and_then(Value::as_str).map(String::from),
        _ => None,
    };
    symbol.or_else(label)
}

impl Protocol<Spot, Option<f64>> for HeightCollection {
    fn name(&self) -> &'static str {
        "OGC API - Environmental Data Retrieval"
    }

    fn most_at_once(&self) -> usize {
        if self.takes_several { MOST } else { 1 }
    }

    fn ask(&self, spots: &[Spot], exchange: &dyn Exchange) -> Result<Vec<Option<Option<f64>>>, Trouble> {
        let coords = match spots {
            [one] => format!("POINT({one})"),
            several => {
                let points: Vec<String> = several.iter().map(|s| format!("({s})")).collect();
                format!("MULTIPOINT({})", points.join(","))
            }
        };
        let address = format!(
            "{}?coords={}&parameter-name={}&f=CoverageJSON",
            self.position,
            crate::web::in_address(&coords),
            crate::web::in_address(&self.parameter)
        );
        let response =
            exchange.send(&Request::get(address).with("accept", "application/prs.coverage+json, application/json"))?;
        let document: Value =
            serde_json::from_slice(&response.body).map_err(|e| failed(&format!("it is no JSON: {e}")))?;
        let mut values = Vec::new();
        coverages(&document, &self.parameter, &mut values)?;
        let of = |spot: &Spot| {
            let is_there = |at: &[f64; 2]| (at[0] - spot.lon).abs() <= SAME_DEG && (at[1] - spot.lat).abs() <= SAME_DEG;
            values.iter().find(|(at, _)| is_there(at)).map(|(_, height)| *height)
        };
        Ok(spots.iter().map(of).collect())
    }
}

fn failed(problem: &str) -> Trouble {
    Trouble::Failed(format!("its answer is not what OGC API - Environmental Data Retrieval says: {problem}"))
}

/// Positions with their values; nothing where there is none.
type Values = Vec<([f64; 2], Option<f64>)>;

/// Collects the values of a coverage, or of all of a collection.
fn coverages(document: &Value, parameter: &str, out: &mut Values) -> Result<(), Trouble> {
    match document.get("type").and_then(Value::as_str) {
        Some("CoverageCollection") => {
            let list = document.get("coverages").and_then(Value::as_array).ok_or_else(|| failed("no coverages"))?;
            list.iter().try_for_each(|c| coverages(c, parameter, out))
        }
        Some("Coverage") => coverage(document, parameter, out),
        other => Err(failed(&format!("a coverage is expected, not {}", other.unwrap_or("a document without a type")))),
    }
}

fn coverage(coverage: &Value, parameter: &str, out: &mut Values) -> Result<(), Trouble> {
    let axes = coverage.pointer("/domain/axes").ok_or_else(|| failed("a coverage without axes"))?;
    let range = coverage.get("ranges").and_then(|r| r.get(parameter));
    let values = range.and_then(|r| r.get("values")).and_then(Value::as_array);
    let values = values.ok_or_else(|| failed(&format!("a coverage without values of {parameter}")))?;
    let numbers = |axis: &str| -> Option<Vec<f64>> {
        axes.get(axis)?.get("values")?.as_array()?.iter().map(Value::as_f64).collect()
    };
    let positions: Vec<[f64; 2]> = match (axes.get("composite"), numbers("x"), numbers("y")) {
        (Some(composite), ..) => {
            let names: Vec<&str> = composite
                .get("coordinates")
                .and_then(Value::as_array)
                .into_iter()
                .flatten()
                .filter_map(Value::as_str)
                .collect();
            let at = |name: &str| names.iter().position(|n| *n == name);
            let (x, y) = (at("x").unwrap_or(0), at("y").unwrap_or(1));
            let tuples = composite.get("values").and_then(Value::as_array).into_iter().flatten();
            let position = |t: &Value| Some([t.get(x)?.as_f64()?, t.get(y)?.as_f64()?]);
            tuples.map(position).collect::<Option<_>>().ok_or_else(|| failed("tuples without x and y"))?
        }
        (None, Some(x), Some(y)) if x.len() == 1 && y.len() == 1 => vec![[x[0], y[0]]],
        _ => return Err(failed("a coverage that is none of points")),
    };
    if positions.len() != values.len() {
        return Err(failed(&format!("{} positions and {} values", positions.len(), values.len())));
    }
    for (position, value) in positions.into_iter().zip(values) {
        let height = match value {
            Value::Null => None,
            value => Some(value.as_f64().ok_or_else(|| failed("a value that is no number"))?),
        };
        out.push((position, height));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::protocol::tests::Laid;
    use serde_json::json;

    fn collection() -> HeightCollection {
        let description = json!({"id": "ground", "data_queries": {"position": {}}, "parameter_names": {
            "height": {"type": "Parameter", "unit": {"symbol": {"value": "m", "type": "http://www.opengis.net/def/uom/UCUM/"}}},
            "landuse": {"type": "Parameter"}}});
        HeightCollection::described("http://tern.example/collections/ground", &description).unwrap()
    }

    fn spots(n: usize) -> Vec<Spot> {
        (0..n).map(|i| Spot::at(-123.8 + i as f64 * 0.01, 46.2)).collect()
    }

    fn ask(body: &str, n: usize) -> Result<Vec<Option<Option<f64>>>, Trouble> {
        collection().ask(&spots(n), &Laid::with(&[(200, &[], body)]))
    }

    #[test]
    fn a_collection_says_its_heights() {
        let found = collection();
        assert_eq!((found.parameter(), found.unit()), ("height", Some("m")));
        let of = |parameters: Value| HeightCollection::described("x", &json!({ "parameter_names": parameters }));
        assert_eq!(of(json!({"z": {"unit": {"label": {"en": "foot"}}}})).unwrap().unit(), Some("foot"));
        assert!(of(json!({"wind": {}, "rain": {}})).unwrap_err().contains("wind, rain"));
        assert!(of(json!({})).is_err());
        let none = json!({"data_queries": {"cube": {}}, "parameter_names": {"height": {}}});
        assert!(HeightCollection::described("x", &none).unwrap_err().contains("position"));
    }

    #[test]
    fn values_go_to_the_positions_that_they_stand_beside() {
        // In another order, one without a height, one left out, and one that nobody asked for.
        let body = json!({"type": "Coverage", "domain": {"type": "Domain", "domainType": "MultiPoint", "axes": {"composite": {
            "dataType": "tuple", "coordinates": ["x", "y"], "values": [[-123.78, 46.2], [-123.8, 46.2], [0.0, 0.0]]}}},
            "ranges": {"height": {"type": "NdArray", "dataType": "float", "values": [null, 12.5, 9.0]}}});
        assert_eq!(ask(&body.to_string(), 3).unwrap(), [Some(Some(12.5)), None, Some(None)]);
        // Coordinates may be named in another order.
        let swapped = json!({"type": "Coverage", "domain": {"axes": {"composite": {"coordinates": ["y", "x"], "values": [[46.2, -123.8]]}}},
            "ranges": {"height": {"values": [3.0]}}});
        assert_eq!(ask(&swapped.to_string(), 1).unwrap(), [Some(Some(3.0))]);
        let point = |x: f64, z: f64| json!({"type": "Coverage", "domain": {"axes": {"x": {"values": [x]}, "y": {"values": [46.2]}}}, "ranges": {"height": {"values": [z]}}});
        let list = json!({"type": "CoverageCollection", "coverages": [point(-123.79, 2.0), point(-123.8, 1.0)]});
        assert_eq!(ask(&list.to_string(), 2).unwrap(), [Some(Some(1.0)), Some(Some(2.0))]);
    }

    #[test]
    fn other_answers_are_none() {
        let short = json!({"type": "Coverage", "domain": {"axes": {"composite": {"values": [[0, 0], [1, 1]]}}}, "ranges": {"height": {"values": [1]}}});
        let grid = json!({"type": "Coverage", "domain": {"axes": {"x": {"values": [0, 1]}, "y": {"values": [0]}}}, "ranges": {"height": {"values": [1, 2]}}});
        let text = json!({"type": "Coverage", "domain": {"axes": {"x": {"values": [0]}, "y": {"values": [0]}}}, "ranges": {"height": {"values": ["high"]}}});
        for bad in ["", "{}", "[]", r#"{"type":"Coverage"}"#, &short.to_string(), &grid.to_string(), &text.to_string()]
        {
            assert!(matches!(ask(bad, 2), Err(Trouble::Failed(_))), "{bad}");
        }
    }

    #[test]
    fn positions_are_asked_for_as_the_standard_says() {
        let laid = Laid::with(&[(200, &[], "{}")]);
        let _ = collection().ask(&spots(2), &laid);
        let address = laid.requests.borrow()[0].address.clone();
        let expected = "http://tern.example/collections/ground/position?coords=MULTIPOINT%28%28-123.8%2046.2%29%2C%28-123.79%2046.2%29%29&parameter-name=height&f=CoverageJSON";
        assert_eq!(address, expected);
    }
}
