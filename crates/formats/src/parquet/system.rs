//! Reference systems in the JSON form of WKT 2 (ISO 19162) that GeoParquet asks for.

use serde_json::{Map, Value, json};

/// A keyword of well-known text with what stands in its brackets.
struct Node {
    keyword: String,
    parts: Vec<Part>,
}

enum Part {
    Text(String),
    Number(f64),
    Word(String),
    Node(Node),
}

impl Node {
    fn nodes(&self) -> impl Iterator<Item = &Node> {
        self.parts.iter().filter_map(|p| if let Part::Node(n) = p { Some(n) } else { None })
    }

    fn all(&self, keyword: &'static str) -> impl Iterator<Item = &Node> {
        self.nodes().filter(move |n| n.keyword == keyword)
    }

    /// The first node of any of the keywords.
    fn one(&self, keywords: &[&str]) -> Option<&Node> {
        self.nodes().find(|n| keywords.contains(&n.keyword.as_str()))
    }

    fn name(&self) -> String {
        match self.parts.first() {
            Some(Part::Text(t) | Part::Word(t)) => t.clone(),
            _ => String::new(),
        }
    }

    fn number(&self, at: usize) -> Option<f64> {
        match self.parts.get(at)? {
            Part::Number(v) => Some(*v),
            _ => None,
        }
    }
}

/// Reads well-known text; `rest` is what follows.
fn parse(text: &str) -> Option<(Node, &str)> {
    let open = text.find('[')?;
    let keyword = text[..open].trim().to_ascii_uppercase();
    let mut rest = &text[open + 1..];
    let mut parts = Vec::new();
    loop {
        rest = rest.trim_start();
        if let Some(after) = rest.strip_prefix(']') {
            return Some((Node { keyword, parts }, after));
        }
        if let Some(after) = rest.strip_prefix(',') {
            rest = after;
            continue;
        }
        if let Some(quoted) = rest.strip_prefix('"') {
            // A quote within is doubled.
            let mut out = String::new();
            let mut left = quoted;
            loop {
                let end = left.find('"')?;
                out.push_str(&left[..end]);
                left = &left[end + 1..];
                match left.strip_prefix('"') {
                    Some(after) => {
                        out.push('"');
                        left = after;
                    }
                    None => break,
                }
            }
            parts.push(Part::Text(out));
            rest = left;
            continue;
        }
        let end = rest.find([',', ']', '['])?;
        if rest[end..].starts_with('[') {
            let (node, after) = parse(rest)?;
            parts.push(Part::Node(node));
            rest = after;
        } else {
            let word = rest[..end].trim();
            parts.push(word.parse().map_or_else(|_| Part::Word(word.to_string()), Part::Number));
            rest = &rest[end..];
        }
    }
}

/// The JSON form of a system's well-known text of version 2; `None` where it has a part that is not known here.
pub(super) fn json_of(wkt2: &str) -> Option<Value> {
    system(&parse(wkt2)?.0)
}

fn with_id(node: &Node, mut object: Map<String, Value>) -> Value {
    if let Some(id) = node.one(&["ID"]) {
        let code = id.number(1).map_or_else(
            || match id.parts.get(1) {
                Some(Part::Text(t)) => json!(t),
                _ => Value::Null,
            },
            |c| json!(c as i64),
        );
        object.insert("id".into(), json!({"authority": id.name(), "code": code}));
    }
    Value::Object(object)
}

fn object(list: Vec<(&str, Value)>) -> Map<String, Value> {
    list.into_iter().map(|(k, v)| (k.to_string(), v)).collect()
}

fn system(n: &Node) -> Option<Value> {
    let name = json!(n.name());
    Some(match n.keyword.as_str() {
        "PROJCRS" | "PROJECTEDCRS" => with_id(
            n,
            object(vec![
                ("type", json!("ProjectedCRS")),
                ("name", name),
                ("base_crs", geographic(n.one(&["BASEGEOGCRS", "BASEGEODCRS"])?)?),
                ("conversion", conversion(n.one(&["CONVERSION"])?)?),
                ("coordinate_system", axes(n)?),
            ]),
        ),
        "GEOGCRS" | "GEOGRAPHICCRS" | "GEODCRS" => geographic(n)?,
        "VERTCRS" | "VERTICALCRS" => with_id(
            n,
            object(vec![
                ("type", json!("VerticalCRS")),
                ("name", name),
                (
                    "datum",
                    json!({"type": "VerticalReferenceFrame", "name": n.one(&["VDATUM", "VERTICALDATUM", "VRF"])?.name()}),
                ),
                ("coordinate_system", axes(n)?),
            ]),
        ),
        "COMPOUNDCRS" => {
            let parts = n.parts.iter().filter_map(|p| match p {
                Part::Node(c) if c.keyword.ends_with("CRS") => Some(system(c)),
                _ => None,
            });
            let components: Option<Vec<Value>> = parts.collect();
            with_id(
                n,
                object(vec![("type", json!("CompoundCRS")), ("name", name), ("components", Value::Array(components?))]),
            )
        }
        _ => return None,
    })
}

fn geographic(n: &Node) -> Option<Value> {
    let datum = n.one(&["DATUM", "TRF", "GEODETICDATUM"])?;
    let e = datum.one(&["ELLIPSOID", "SPHEROID"])?;
    let (a, rf) = (e.number(1)?, e.number(2)?);
    let ellipsoid = if rf == 0.0 {
        json!({"name": e.name(), "radius": a})
    } else {
        json!({"name": e.name(), "semi_major_axis": a, "inverse_flattening": rf})
    };
    let mut frame = json!({"type": "GeodeticReferenceFrame", "name": datum.name(), "ellipsoid": ellipsoid});
    if let Some(pm) = n.one(&["PRIMEM", "PRIMEMERIDIAN"]).filter(|p| p.number(1) != Some(0.0)) {
        frame["prime_meridian"] = json!({"name": pm.name(), "longitude": {"value": pm.number(1)?, "unit": unit(pm)}});
    }
    // What a projected system is based on may leave its axes out.
    let system = axes(n).unwrap_or_else(|| {
        json!({"subtype": "ellipsoidal", "axis": [
            {"name": "Geodetic longitude", "abbreviation": "Lon", "direction": "east", "unit": "degree"},
            {"name": "Geodetic latitude", "abbreviation": "Lat", "direction": "north", "unit": "degree"}]})
    });
    Some(with_id(
        n,
        object(vec![
            ("type", json!("GeographicCRS")),
            ("name", json!(n.name())),
            ("datum", frame),
            ("coordinate_system", system),
        ]),
    ))
}

fn conversion(n: &Node) -> Option<Value> {
    let parameters: Option<Vec<Value>> =
        n.all("PARAMETER").map(|p| Some(json!({"name": p.name(), "value": p.number(1)?, "unit": unit(p)}))).collect();
    let method = n.one(&["METHOD", "PROJECTION"])?;
    Some(json!({"name": n.name(), "method": {"name": method.name()}, "parameters": parameters?}))
}

/// The unit of a node, by its name where it is one that has no need of its factor.
fn unit(n: &Node) -> Value {
    let Some(u) = n.one(&["LENGTHUNIT", "ANGLEUNIT", "SCALEUNIT", "UNIT"]) else { return json!("unity") };
    let (name, factor) = (u.name(), u.number(1).unwrap_or(1.0));
    match (name.as_str(), u.keyword.as_str()) {
        ("metre" | "degree" | "unity", _) => json!(name),
        (_, "ANGLEUNIT") => json!({"type": "AngularUnit", "name": name, "conversion_factor": factor}),
        (_, "SCALEUNIT") => json!({"type": "ScaleUnit", "name": name, "conversion_factor": factor}),
        _ => json!({"type": "LinearUnit", "name": name, "conversion_factor": factor}),
    }
}

fn axes(n: &Node) -> Option<Value> {
    let subtype = n.one(&["CS"])?.name();
    let mut list = Vec::new();
    for a in n.all("AXIS") {
        // "easting (E)": a name with its abbreviation.
        let name = a.name();
        let (long, short) = name.rsplit_once(" (").map_or((name.as_str(), ""), |(l, s)| (l, s.trim_end_matches(')')));
        let direction = match a.parts.get(1)? {
            Part::Word(w) => w.clone(),
            _ => return None,
        };
        let unit = if a.one(&["LENGTHUNIT", "ANGLEUNIT", "UNIT"]).is_some() { unit(a) } else { unit(n) };
        list.push(json!({"name": long, "abbreviation": short, "direction": direction, "unit": unit}));
    }
    (!list.is_empty()).then(|| json!({"subtype": subtype, "axis": list}))
}

/// The system that a JSON form says by its id: `EPSG:code`.
pub(super) fn identifier(value: &Value) -> Option<String> {
    let id = &value["id"];
    let authority = id["authority"].as_str()?;
    let code = id["code"].as_str().map(String::from).or_else(|| id["code"].as_i64().map(|c| c.to_string()))?;
    match (authority.to_ascii_uppercase().as_str(), code.as_str()) {
        ("EPSG", code) => Some(format!("EPSG:{code}")),
        ("OGC", "CRS84") => Some("EPSG:4326".into()),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_projected_system() {
        let text = r#"PROJCRS["Oregon (ft) ""x""",BASEGEOGCRS["NAD83",DATUM["North American Datum 1983",ELLIPSOID["GRS 1980",6378137,298.257222101,LENGTHUNIT["metre",1]]],PRIMEM["Greenwich",0,ANGLEUNIT["degree",0.0174532925199433]],ID["EPSG",4269]],CONVERSION["c",METHOD["Lambert Conic Conformal (2SP)"],PARAMETER["Latitude of false origin",43.5,ANGLEUNIT["degree",0.0174532925199433]],PARAMETER["Easting at false origin",8202099.738,LENGTHUNIT["foot",0.3048]]],CS[Cartesian,2],AXIS["easting (E)",east,ORDER[1],LENGTHUNIT["foot",0.3048]],AXIS["northing (N)",north,ORDER[2],LENGTHUNIT["foot",0.3048]],ID["EPSG",2269]]"#;
        let v = json_of(text).unwrap();
        assert_eq!(v["name"], "Oregon (ft) \"x\"");
        assert_eq!(v["base_crs"]["datum"]["ellipsoid"]["inverse_flattening"], 298.257222101);
        assert_eq!(v["base_crs"]["id"], json!({"authority": "EPSG", "code": 4269}));
        assert_eq!(v["conversion"]["parameters"][1]["unit"]["conversion_factor"], 0.3048);
        assert_eq!(
            v["coordinate_system"]["axis"][0],
            json!({"name": "easting", "abbreviation": "E", "direction": "east", "unit": {"type": "LinearUnit", "name": "foot", "conversion_factor": 0.3048}})
        );
        assert_eq!(identifier(&v).as_deref(), Some("EPSG:2269"));
        assert_eq!(identifier(&json!({"id": {"authority": "OGC", "code": "CRS84"}})).as_deref(), Some("EPSG:4326"));
        assert!(json_of("ENGCRS[\"local\"]").is_none() && json_of("nothing").is_none() && json_of("A[\"x").is_none());
    }
}
