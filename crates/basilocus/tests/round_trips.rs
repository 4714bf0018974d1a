//! Every format to every other and back: geometry, heights, types and system arrive as they left, and where a format has no
//! place for something, the table below says it.

use basilocus::plan::{Flags, OutputPlan, Plan};
use basilocus::steps::{Positions, To};
use basilocus::{Report, RunOptions, run};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// A format by its ending, and what it has a place for.
struct Place {
    ending: &'static str,
    /// Polygons with holes, as one row.
    polygons: bool,
    /// Columns, each by its own name and in its own type.
    columns: bool,
    /// Other systems than WGS 84, which it says itself.
    systems: bool,
    /// Whether it says that its numbers are degrees of WGS 84.
    says_system: bool,
}

const fn place(ending: &'static str, polygons: bool, columns: bool, systems: bool, says_system: bool) -> Place {
    Place { ending, polygons, columns, systems, says_system }
}

const FORMATS: &[Place] = &[
    place("csv", true, true, false, false),
    place("geojson", true, true, false, true),
    place("geojsonl", true, true, false, true),
    #[cfg(feature = "geopackage")]
    place("gpkg", true, true, true, true),
    place("shp", true, true, true, true),
    place("kml", true, true, false, true),
    #[cfg(feature = "archives")]
    place("kmz", true, true, false, true),
    place("gml", true, true, true, true),
    // Columns become one text.
    place("gpx", false, false, false, true),
    // Holes are lines of their own, and the names of values are in capitals.
    place("dxf", false, false, false, false),
    #[cfg(feature = "workbooks")]
    place("xlsx", true, true, false, false),
    #[cfg(feature = "parquet")]
    place("parquet", true, true, true, true),
];

fn attributes(n: usize) -> Value {
    [
        json!({"name": "Gate A", "count": 3, "flow": 1.25, "day": "2026-03-01", "at": "2026-03-01T10:30:00Z", "open": true, "code": "00123", "note": null}),
        json!({"name": "Weir été, \"x\"", "count": -7, "flow": 2.5, "day": "1999-12-31", "at": "2026-03-01T10:30:00.250Z", "open": false, "code": "07", "note": "a;b\u{2013}c"}),
        json!({"name": "C<&>", "count": 2_000_000_000, "flow": 0.001, "day": "2027-01-01", "at": "1970-01-01T00:00:00Z", "open": null, "code": "9", "note": "='sum'"}),
    ][n]
    .clone()
}

fn geometries(kind: &str) -> [Value; 3] {
    match kind {
        "Point" => [json!([-123.8, 46.2]), json!([-123.75, 46.21]), json!([-123.7, 46.25])],
        "LineString" => [
            json!([[-123.8, 46.2], [-123.75, 46.21]]),
            json!([[-123.7, 46.2], [-123.65, 46.21], [-123.6, 46.3]]),
            json!([[-123.0, 46.2], [-123.1, 46.21]]),
        ],
        _ => [
            json!([[[-123.8, 46.2], [-123.7, 46.2], [-123.7, 46.3], [-123.8, 46.2]]]),
            json!([
                [[-123.6, 46.2], [-123.5, 46.2], [-123.5, 46.3], [-123.6, 46.3], [-123.6, 46.2]],
                [[-123.58, 46.22], [-123.58, 46.25], [-123.55, 46.25], [-123.58, 46.22]],
            ]),
            json!([[[-123.4, 46.2], [-123.3, 46.2], [-123.3, 46.3], [-123.4, 46.2]]]),
        ],
    }
}

/// Gives every position a height of its own.
fn raised(coordinates: &Value) -> Value {
    match coordinates.as_array() {
        Some(list) if list[0].is_number() => {
            let height = (-10.0 * list[0].as_f64().unwrap() * 8.0).round() / 8.0;
            json!([list[0], list[1], height])
        }
        Some(list) => list.iter().map(raised).collect(),
        None => coordinates.clone(),
    }
}

fn source(folder: &Path, kind: &str, with_z: bool) -> PathBuf {
    let feature = |(n, coordinates): (usize, &Value)| {
        let coordinates = if with_z { raised(coordinates) } else { coordinates.clone() };
        json!({"type": "Feature", "properties": attributes(n), "geometry": {"type": kind, "coordinates": coordinates}})
    };
    let features: Vec<Value> = geometries(kind).iter().enumerate().map(feature).collect();
    let path = folder.join("source.geojson");
    std::fs::write(&path, json!({"type": "FeatureCollection", "features": features}).to_string()).unwrap();
    path
}

fn convert(from: &Path, from_system: Option<&str>, to: &Path, to_system: Option<&str>) -> Report {
    let flags = Flags {
        source: from.to_path_buf(),
        positions: Some(Positions { from: from_system.map(String::from), ..Default::default() }),
        to: to_system.map(|s| To::system(s).unwrap()),
        ..Default::default()
    };
    let plan =
        Plan { layers: vec![flags.layer()], outputs: vec![OutputPlan::new(to.to_path_buf())], ..Default::default() };
    run(&plan, &RunOptions { overwrite: true, ..Default::default() })
        .unwrap_or_else(|e| panic!("{} to {}: {e}", from.display(), to.display()))
}

/// Positions in order; rings begin at their smallest position and go round in one direction.
fn positions(geometry: &Value) -> Vec<Vec<f64>> {
    let mut coordinates = geometry["coordinates"].clone();
    let kind = geometry["type"].as_str().unwrap();
    if kind.starts_with("Multi") {
        assert_eq!(coordinates.as_array().unwrap().len(), 1, "{geometry}");
        coordinates = coordinates[0].clone();
    }
    let list = |v: &Value| -> Vec<Vec<f64>> {
        let one = |p: &Value| p.as_array().unwrap().iter().map(|n| n.as_f64().unwrap()).collect();
        v.as_array().unwrap().iter().map(one).collect()
    };
    match kind.trim_start_matches("Multi") {
        "Point" => list(&json!([coordinates])),
        "LineString" => list(&coordinates),
        _ => coordinates.as_array().unwrap().iter().flat_map(|ring| turned(list(ring))).collect(),
    }
}

fn turned(mut ring: Vec<Vec<f64>>) -> Vec<Vec<f64>> {
    ring.pop();
    let area: f64 = (0..ring.len())
        .map(|i| {
            let (a, b) = (&ring[i], &ring[(i + 1) % ring.len()]);
            a[0] * b[1] - b[0] * a[1]
        })
        .sum();
    if area < 0.0 {
        ring.reverse();
    }
    let first = (0..ring.len()).min_by(|a, b| ring[*a].partial_cmp(&ring[*b]).unwrap()).unwrap();
    ring.rotate_left(first);
    ring
}

fn assert_same(source: &Path, result: &Path, with_columns: bool, what: &str) {
    let read = |p: &Path| -> Value { serde_json::from_str(&std::fs::read_to_string(p).unwrap()).unwrap() };
    let (source, result) = (read(source), read(result));
    let features = |v: &Value| v["features"].as_array().unwrap().clone();
    let (before, after) = (features(&source), features(&result));
    assert_eq!(before.len(), after.len(), "{what}: rows");
    for (a, b) in before.iter().zip(&after) {
        let (p, q) = (positions(&a["geometry"]), positions(&b["geometry"]));
        assert_eq!(p.len(), q.len(), "{what}: {b}");
        for (p, q) in p.iter().zip(&q) {
            assert_eq!(p.len(), q.len(), "{what}: a height is lost or made up: {p:?} {q:?}");
            // A millimetre: formats write nine decimals of a degree or four of a metre.
            assert!((p[0] - q[0]).abs() < 1e-8 && (p[1] - q[1]).abs() < 1e-8, "{what}: {p:?} {q:?}");
            assert!(p.len() < 3 || (p[2] - q[2]).abs() < 1e-3, "{what}: {p:?} {q:?}");
        }
        if !with_columns {
            continue;
        }
        for (name, value) in a["properties"].as_object().unwrap() {
            let found = b["properties"].get(name).unwrap_or(&Value::Null);
            assert_eq!(found, value, "{what}: column {name}");
        }
        // Tables add the columns of the coordinates; nothing else is made up.
        let made_up = b["properties"].as_object().unwrap().keys().filter(|k| a["properties"].get(k).is_none());
        let made_up: Vec<_> =
            made_up.filter(|k| !["lon", "lat", "height", "easting", "northing"].contains(&k.as_str())).collect();
        assert!(!with_columns || made_up.is_empty(), "{what}: {made_up:?}");
    }
}

#[test]
fn every_format_to_every_other_and_back() {
    let folder = tempfile::tempdir().unwrap();
    let mut ways = 0;
    for kind in ["Point", "LineString", "Polygon"] {
        for with_z in [false, true] {
            let source = source(folder.path(), kind, with_z);
            for first in FORMATS.iter().filter(|f| f.polygons || kind != "Polygon") {
                let one = folder.path().join(format!("one.{}", first.ending));
                convert(&source, None, &one, None);
                let say = |place: &Place| (!place.says_system).then_some("EPSG:4326");
                for second in FORMATS.iter().filter(|f| f.polygons || kind != "Polygon") {
                    let two = folder.path().join(format!("two.{}", second.ending));
                    let back = folder.path().join("back.geojson");
                    convert(&one, say(first), &two, None);
                    convert(&two, say(second), &back, None);
                    let what =
                        format!("{kind}{} by {} and {}", if with_z { " Z" } else { "" }, first.ending, second.ending);
                    assert_same(&source, &back, first.columns && second.columns, &what);
                    ways += 1;
                }
            }
        }
    }
    assert!(ways >= 6 * 49, "{ways}");
}

#[test]
fn systems_arrive_with_the_layer() {
    let folder = tempfile::tempdir().unwrap();
    for kind in ["Point", "LineString", "Polygon"] {
        let source = source(folder.path(), kind, true);
        for first in FORMATS.iter().filter(|f| f.systems) {
            let one = folder.path().join(format!("one.{}", first.ending));
            convert(&source, None, &one, Some("EPSG:32610"));
            for second in FORMATS.iter().filter(|f| f.systems) {
                let two = folder.path().join(format!("two.{}", second.ending));
                let back = folder.path().join("back.geojson");
                let report = convert(&one, None, &two, None);
                let told = format!("{report:?}");
                assert!(told.contains("EPSG:32610"), "{}: {told}", first.ending);
                convert(&two, None, &back, None);
                assert_same(
                    &source,
                    &back,
                    true,
                    &format!("{kind} by {} and {} in metres", first.ending, second.ending),
                );
            }
        }
    }
}

/// Columns that we wrote beside the geometry are written anew, not once more beside, and follow the geometry where it is
/// another one now.
#[test]
fn columns_of_coordinates_do_not_grow_and_do_not_lie() {
    let folder = tempfile::tempdir().unwrap();
    for (kind, with_z) in [("Point", false), ("Point", true), ("LineString", false)] {
        let source = source(folder.path(), kind, with_z);
        let (table, again) = (folder.path().join("table.csv"), folder.path().join("again.csv"));
        convert(&source, None, &table, None);
        let layer = folder.path().join("layer.geojson");
        convert(&table, Some("EPSG:4326"), &layer, None);
        convert(&layer, None, &again, None);
        let text = |path: &Path| std::fs::read_to_string(path).unwrap();
        assert_eq!(text(&again).lines().next(), text(&table).lines().next(), "{kind}");
        // Far behind the rows that are looked at first, somebody moved one.
        let feature = |n: usize, lon: f64| {
            let coordinates =
                if kind == "Point" { json!([lon, 46.5]) } else { json!([[lon - 0.5, 46.5], [lon + 0.5, 46.5]]) };
            let says = if n == 30_000 { lon - 1.0 } else { lon };
            json!({"type": "Feature", "properties": {"n": n, "lon": says, "lat": 46.5}, "geometry": {"type": kind, "coordinates": coordinates}})
        };
        let features: Vec<Value> = (1..=30_000).map(|n| feature(n, -120.0 - n as f64 / 1e5)).collect();
        std::fs::write(&layer, json!({"type": "FeatureCollection", "features": features}).to_string()).unwrap();
        convert(&layer, None, &again, None);
        let text = text(&again);
        assert!(text.lines().next().unwrap().starts_with("n,lon,lat"), "{}", text.lines().next().unwrap());
        let last: Vec<&str> = text.lines().last().unwrap().split(',').collect();
        assert_eq!(last[..3], ["30000", "-120.300000000", "46.500000000"], "{kind}: the geometry counts");
    }
}

#[test]
fn dates_are_dates_where_a_format_has_them() {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("visits.csv");
    let rows = "id,lon,lat,day,at,odd\n1,-123.8,46.2,2026-03-01,2026-03-01 10:30,2026-02-30\n2,-123.7,46.3,,2026-12-31T23:59:59,2026-03-01\n";
    std::fs::write(&source, rows).unwrap();
    let go = |ending: &str| {
        let out = folder.path().join(format!("visits.{ending}"));
        convert(&source, Some("EPSG:4326"), &out, None);
        out
    };
    // A table of dBase: the type of a field is the twelfth byte of its description.
    go("shp");
    let table = std::fs::read(folder.path().join("visits.dbf")).unwrap();
    let types: Vec<(String, char)> = table[32..]
        .chunks(32)
        .take_while(|f| f[0] != 0x0D)
        .map(|f| (String::from_utf8_lossy(&f[..11]).trim_end_matches('\0').to_string(), f[11] as char))
        .collect();
    assert!(types.contains(&("day".into(), 'D')), "{types:?}");
    assert!(types.contains(&("odd".into(), 'C')), "what is no day of the calendar stays text: {types:?}");
    assert!(String::from_utf8_lossy(&table).contains("20260301"));
    go("gml");
    let schema = std::fs::read_to_string(folder.path().join("visits.xsd")).unwrap();
    assert!(
        schema.contains(r#"name="day" type="date""#) && schema.contains(r#"name="at" type="dateTime""#),
        "{schema}"
    );
    assert!(schema.contains(r#"name="odd" type="string""#));
    let text = std::fs::read_to_string(folder.path().join("visits.gml")).unwrap();
    assert!(text.contains(">2026-03-01T10:30:00<"), "{text}");
    #[cfg(feature = "workbooks")]
    {
        // From workbook to workbook dates stay the numbers that they are there, and text files get their text.
        let again = folder.path().join("again.xlsx");
        convert(&go("xlsx"), Some("EPSG:4326"), &again, None);
        let back = folder.path().join("back.csv");
        convert(&again, Some("EPSG:4326"), &back, None);
        let text = std::fs::read_to_string(back).unwrap();
        assert!(text.contains("2026-03-01,2026-03-01T10:30:00,2026-02-30"), "{text}");
        assert!(text.contains(",,2026-12-31T23:59:59,2026-03-01"), "{text}");
    }
    let csv = std::fs::read_to_string(go("csv.copy.csv")).unwrap();
    assert!(csv.contains("2026-03-01 10:30"), "text stays as it was written: {csv}");
}
