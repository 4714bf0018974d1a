//! OGC API - Processes: what each process answers, and what it says to inputs that it cannot use.

mod served;

use basilocus_serve::Options;
use serde_json::{Value, json};
use served::{Served, local, reference};

fn plain() -> Served {
    Served::new(local())
}

fn result(s: &Served, process: &str, inputs: Value) -> Value {
    let answer = s.execute(process, &inputs);
    assert_eq!(answer.status, 200, "{process} {inputs}: {}", answer.body);
    answer.json()
}

fn problem(s: &Served, process: &str, inputs: Value) -> (String, String) {
    let answer = s.execute(process, &inputs);
    assert_eq!(
        (answer.status, answer.kind()),
        (400, "application/problem+json"),
        "{process} {inputs}: {}",
        answer.body
    );
    let document = answer.json();
    let text = |name: &str| document[name].as_str().unwrap_or_default().to_string();
    (text("field"), text("detail"))
}

#[test]
fn all_are_listed_and_described() {
    let s = plain();
    let list = s.document("/processes");
    let ids: Vec<&str> = list["processes"].as_array().unwrap().iter().map(|p| p["id"].as_str().unwrap()).collect();
    assert_eq!(ids, ["convert", "distortion", "fit", "geocode", "nearest", "ways"]);
    for id in ids {
        let one = s.document(&format!("/processes/{id}"));
        assert!(!one["inputs"].as_object().unwrap().is_empty() && one["outputs"].as_object().unwrap().len() == 1);
        for (name, input) in one["inputs"].as_object().unwrap() {
            assert!(input["schema"].is_object() && input["title"].is_string(), "{id} {name}");
        }
        let execute = served::links(&one, "http://www.opengis.net/def/rel/ogc/1.0/execute")[0];
        assert!(execute.starts_with(&s.address), "{execute}");
    }
    let page = s.document("/processes?limit=4");
    let next = s.document(served::links(&page, "next")[0]);
    assert_eq!((page["processes"].as_array().unwrap().len(), next["processes"].as_array().unwrap().len()), (4, 2));
    assert!(s.problem("/processes?limit=0").1.contains("from 1") && s.problem("/jobs?x=1").0 == 400);
    assert!(s.problem("/processes/none").1.contains("/processes lists them"));
}

#[test]
fn positions_are_converted() {
    let s = plain();
    let out = result(
        &s,
        "convert",
        json!({"positions": [[-123.8, 46.2], [-123.0, 45.0, 12.5], [0, 91]], "to": "EPSG:32610"}),
    );
    // 50-digit values for the transverse Mercator projection of WGS 84: crates/geodesy/tests has the script for others; on the
    // central meridian the easting is the false one by definition.
    let near = |value: &Value, expected: f64| (value.as_f64().unwrap() - expected).abs() < 1e-3;
    assert!(near(&out["positions"][1][0], 500_000.0) && out["positions"][1][2] == json!(12.5), "{out}");
    assert!(near(&out["positions"][0][0], 438_277.798) && near(&out["positions"][0][1], 5_116_580.272), "{out}");
    assert_eq!((&out["positions"][2], &out["without_place"]), (&Value::Null, &json!(1)));
    assert_eq!(out["operation"]["accuracy_m"], 0.0);
    // Another datum has an accuracy, and a place far away is told.
    let out = result(&s, "convert", json!({"positions": [[-123.8, 46.2]], "from": "EPSG:4267", "to": "EPSG:4269"}));
    assert!(out["operation"]["accuracy_m"].as_f64().unwrap() > 1.0, "{out}");
    let out = result(&s, "convert", json!({"positions": [[10, 50]], "to": "EPSG:2269"}));
    assert!(
        out["operation"]["notes"].to_string().contains("outside of the area of use of NAD83 / Oregon North"),
        "{out}"
    );
}

#[test]
fn features_keep_all_but_their_positions() {
    let s = plain();
    let feature = |geometry: Value| json!({"type": "Feature", "id": 7, "properties": {"a": [1, {"b": null}]}, "geometry": geometry});
    let polygon =
        json!({"type": "Polygon", "coordinates": [[[-123.8, 46.2], [-123.7, 46.2], [-123.7, 46.3], [-123.8, 46.2]]]});
    let nested =
        json!({"type": "GeometryCollection", "geometries": [{"type": "Point", "coordinates": [-123.8, 46.2, 3]}]});
    let list = json!([
        feature(polygon),
        feature(nested),
        feature(Value::Null),
        feature(json!({"type": "Point", "coordinates": [0, 91]}))
    ]);
    let features = json!({"type": "FeatureCollection", "name": "gates", "features": list});
    let there = result(&s, "convert", json!({"features": features, "to": "EPSG:32610"}));
    assert_eq!((&there["name"], &there["without_place"]), (&json!("gates"), &json!(1)));
    assert_eq!(there["features"][0]["properties"], json!({"a": [1, {"b": null}]}));
    assert_eq!(there["features"][1]["geometry"]["geometries"][0]["coordinates"][2], json!(3.0));
    assert_eq!((&there["features"][2]["geometry"], &there["features"][3]["geometry"]), (&Value::Null, &Value::Null));
    let back = result(&s, "convert", json!({"features": there, "from": "EPSG:32610", "to": "EPSG:4326"}));
    let place = |f: &Value| f["features"][0]["geometry"]["coordinates"][0][1][0].as_f64().unwrap();
    assert!((place(&back) + 123.7).abs() < 1e-8, "{back}");
}

#[test]
fn a_position_is_read_in_any_notation() {
    let s = plain();
    let out = result(&s, "convert", json!({"position": "10TDS3827716579", "to": "EPSG:2269"}));
    assert_eq!((out["systems"].as_array().unwrap().len(), &out["systems"][0]["code"]), (1, &json!("EPSG:2269")));
    assert!((out["lon"].as_f64().unwrap() + 123.8).abs() < 1e-4, "{out}");
    assert!(problem(&s, "convert", json!({"position": "46.2 12.5"})).0.ends_with("position"));
}

#[test]
fn ways_distortion_and_fit() {
    let s = plain();
    let out = result(&s, "ways", json!({"from": "EPSG:4267", "to": "EPSG:4269", "near": [-123.8, 46.2]}));
    assert!(out["ways"].as_array().unwrap().len() > 1 && out["is_conversion"] == json!(false), "{out}");
    // Web Mercator of WGS 84 at 60 degrees: parallels are drawn 1 / cos 60 = 2 times as long as on a sphere of the same
    // equator, and n / a = 1 / sqrt(1 - e² sin² 60) less on the ellipsoid (OGP guidance note 7-2).
    let out = result(&s, "distortion", json!({"on": "EPSG:3857", "positions": [[10, 60]]}));
    let e2: f64 = 0.006_694_379_990_141_317;
    let expected = 2.0 * (1.0 - e2 * 0.75).sqrt();
    assert!((out["parallel_scale"]["mean"].as_f64().unwrap() - expected).abs() < 1e-6, "{out}");
    let pair = |name: &str, old: [f64; 2], new: [f64; 2]| json!({"name": name, "old": old, "new": new});
    let pairs = json!([
        pair("A", [0.0, 0.0], [500_000.0, 5_000_000.0]),
        pair("B \"north\"", [0.0, 100.0], [500_000.0, 5_000_100.0]),
        pair("C", [100.0, 0.0], [500_100.0, 5_000_000.0]),
    ]);
    let out = result(&s, "fit", json!({"pairs": pairs, "to": "EPSG:32610"}));
    assert!(
        out["standard_error_m"].as_f64().unwrap() < 1e-6 && out["points"][1]["name"] == json!("B \"north\""),
        "{out}"
    );
    assert!(
        out["transformation"].as_str().unwrap().contains("EPSG:32610") && !out.to_string().contains("/tmp"),
        "{out}"
    );
}

#[test]
fn addresses_are_found_both_ways() {
    let folder = tempfile::tempdir().unwrap();
    let s = Served::new(Options { references: vec![reference(folder.path(), 20)], ..local() });
    let out = result(&s, "nearest", json!({"positions": [[-123.7995, 46.2], [0, 0]]}));
    assert_eq!(out[0]["properties"]["address"], "5 Heron Ln, Ternport, OR 97981");
    assert_eq!(
        (&out[0]["properties"]["number"], &out[0]["properties"]["distance_m"], &out[1]),
        (&json!("5"), &json!(0.0), &Value::Null)
    );
    assert_eq!(problem(&s, "nearest", json!({"positions": [[500, 46]]})).0, "inputs.positions[0]");
    let request = |pos: &str| {
        format!(
            "<XLS xmlns=\"http://www.opengis.net/xls\" xmlns:gml=\"http://www.opengis.net/gml\" version=\"1.2.0\"><RequestHeader/><Request methodName=\"ReverseGeocodeRequest\" requestID=\"1\" version=\"1.2.0\"><ReverseGeocodeRequest><Position><gml:Point srsName=\"urn:ogc:def:crs:EPSG::4326\"><gml:pos>{pos}</gml:pos></gml:Point></Position></ReverseGeocodeRequest></Request></XLS>"
        )
    };
    let answer = s.post_with("/openls", &[("content-type", "application/xml")], &request("46.2 -123.7995"));
    assert!(
        answer.status == 200 && answer.body.contains("<Building number=\"5\"/><Street>Heron Ln</Street>"),
        "{}",
        answer.body
    );
    assert!(answer.body.contains("<SearchCentreDistance value=\"0.0\" uom=\"M\"/>"), "{}", answer.body);
    let answer = s.post_with("/openls", &[], &request("10 10"));
    assert!(answer.status == 200 && answer.body.contains("numberOfResponses=\"0\""), "{}", answer.body);
    let answer = s.post_with("/openls", &[], &request("-123.8 46.2"));
    assert!(answer.status == 400 && answer.body.contains("no place"), "{}", answer.body);
}

#[test]
fn inputs_that_cannot_be_used_say_which_and_why() {
    let s = plain();
    for (process, inputs, field, part) in [
        ("convert", json!({}), "inputs.positions", "one of positions, features and position"),
        ("convert", json!({"positions": [], "position": "x"}), "inputs.positions", "one of"),
        ("convert", json!({"positions": [[1]], "to": "EPSG:32610"}), "inputs.positions[0]", "two numbers"),
        ("convert", json!({"positions": [[1, "2"]], "to": "EPSG:32610"}), "inputs.positions[0]", "two numbers"),
        ("convert", json!({"positions": [[1, 2]]}), "inputs.to", "a system is expected"),
        ("convert", json!({"positions": [[1, 2]], "to": 32610}), "inputs.to", "a text"),
        ("convert", json!({"positions": [[1, 2]], "to": "/etc/passwd"}), "inputs.to", "no reference system"),
        ("convert", json!({"positions": [[1, 2]], "to": "EPSG:32610", "too": 1}), "inputs.too", "no such input"),
        ("convert", json!({"features": [], "to": "EPSG:32610"}), "inputs.features", "collection of features"),
        (
            "convert",
            json!({"features": {"features": [{}]}, "to": "EPSG:32610"}),
            "inputs.features.features[0].geometry",
            "RFC 7946",
        ),
        ("ways", json!({"from": "EPSG:4267"}), "inputs.to", "a system"),
        ("ways", json!({"from": "EPSG:4267", "to": "EPSG:4269", "near": [1]}), "inputs.near", "two or four"),
        ("distortion", json!({"on": "EPSG:4326", "positions": [[1, 2]]}), "inputs.on", "no projected system"),
        ("fit", json!({"to": "EPSG:32610"}), "inputs.pairs", "a list"),
        ("fit", json!({"to": "EPSG:32610", "pairs": [{"old": [1, 2]}]}), "inputs.pairs[0].new", "two numbers"),
        ("fit", json!({"to": "EPSG:32610", "pairs": [], "kind": "guess"}), "inputs.kind", "conformal"),
    ] {
        let (found, detail) = problem(&s, process, inputs.clone());
        assert!(found == field && detail.contains(part), "{process} {inputs}: {found} {detail}");
    }
    let deep = "[".repeat(60) + &"]".repeat(60);
    let answer = s.execute("convert", &json!({"features": {"features": [{"geometry": {"type": "Polygon", "coordinates": serde_json::from_str::<Value>(&deep).unwrap()}}]}, "to": "EPSG:32610"}));
    assert_eq!(answer.status, 400);
}

#[test]
fn the_description_for_programs_is_one() {
    let folder = tempfile::tempdir().unwrap();
    let layers = vec![served::gates(folder.path(), 3)];
    let s = Served::new(Options { layers, references: vec![reference(folder.path(), 2)], ..local() });
    let text = s.get("/api").body;
    let document: openapiv3::OpenAPI = serde_json::from_str(&text).unwrap();
    let value: Value = serde_json::from_str(&text).unwrap();
    let mut ids = std::collections::HashSet::new();
    for (path, item) in document.paths.iter() {
        for (method, operation) in item.as_item().unwrap().iter() {
            assert!(ids.insert(operation.operation_id.clone().unwrap()), "{path}: two operations of one name");
            // What stands in braces is described, and nothing else is in the path.
            let named: Vec<&str> = path.split('/').filter_map(|p| p.strip_prefix('{')?.strip_suffix('}')).collect();
            let of_path = value["paths"][path][method]["parameters"].as_array().into_iter().flatten();
            let of_path: Vec<&str> =
                of_path.filter(|p| p["in"] == "path").map(|p| p["name"].as_str().unwrap()).collect();
            assert_eq!(named, of_path, "{path}");
            // What takes nothing that has to be filled in is there.
            if method == "get" && named.is_empty() && !path.ends_with("/position") {
                let described = &value["paths"][path][method];
                let has_form = described["parameters"].as_array().unwrap().iter().any(|p| p["name"] == "f");
                for form in if has_form { &["", "?f=html"][..] } else { &[""] } {
                    let answer = s.get(&format!("{path}{form}"));
                    let is_kind = |kind: &String| answer.kind().starts_with(kind.as_str());
                    let content = described["responses"]["200"]["content"].as_object().unwrap();
                    assert!(answer.status == 200 && content.keys().any(is_kind), "{path}{form}: {}", answer.kind());
                }
            }
        }
    }
    assert!(ids.len() > 20);
}
