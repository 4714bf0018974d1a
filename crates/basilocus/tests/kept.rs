//! Rows of a feed, kept from turn to turn: geometry of any kind, columns that come and go, types that change.
#![cfg(feature = "reviews")]

use basilocus::formats::Format;
use basilocus::steps::{Kept, Positions};
use basilocus::{Layer, Report, RunOptions};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::path::Path;

fn kept(folder: &Path) -> Kept {
    Kept { key: "id".into(), file: Some(folder.join("kept.sqlite")) }
}

/// A turn of a feed: the report, and what was written.
fn turn(folder: &Path, feed: &str, format: Format, out: &str) -> (Report, String) {
    let out = folder.join(out);
    let layer = Layer::from_reader(feed.as_bytes(), format).unwrap().step(kept(folder));
    let layer = match format {
        Format::Delimited => layer.positions(Positions::in_system("EPSG:4326").unwrap()),
        _ => layer,
    };
    let options = RunOptions { overwrite: true, ..Default::default() };
    let report = layer.write(&out).unwrap().run_with(&options).unwrap();
    (report, std::fs::read_to_string(out).unwrap())
}

fn features(list: &[&str]) -> String {
    format!("{{\"type\":\"FeatureCollection\",\"features\":[{}]}}", list.join(","))
}

#[test]
fn geometry_and_types_come_back_as_they_were() {
    let folder = tempfile::tempdir().unwrap();
    let first = features(&[
        r#"{"type":"Feature","properties":{"id":1,"stage":1.5,"open":true,"code":"007"},"geometry":{"type":"Point","coordinates":[-123.8,46.2]}}"#,
        r#"{"type":"Feature","properties":{"id":2,"stage":2,"open":false,"code":"010"},"geometry":null}"#,
    ]);
    let (_, a) = turn(folder.path(), &first, Format::GeoJson, "out.geojson");
    let second = features(&[
        r#"{"type":"Feature","properties":{"id":3,"stage":0.25,"open":true,"code":"9"},"geometry":{"type":"Point","coordinates":[-123.7,46.1]}}"#,
    ]);
    let (report, b) = turn(folder.path(), &second, Format::GeoJson, "out.geojson");
    assert!(
        report.notices[0].contains("1 new, 0 changed, 0 as before, 2 that this turn does not have"),
        "{:?}",
        report.notices
    );
    let read = |text: &str| -> Vec<serde_json::Value> {
        let document: serde_json::Value = serde_json::from_str(text).unwrap();
        document["features"].as_array().unwrap().clone()
    };
    let (a, b) = (read(&a), read(&b));
    assert_eq!(b.len(), 3);
    // Numbers of the whole table are of one kind; their values are the same.
    for (before, after) in a.iter().zip(&b) {
        assert_eq!(before["geometry"], after["geometry"]);
        assert_eq!(before["properties"]["code"], after["properties"]["code"]);
        assert_eq!(before["properties"]["stage"].as_f64(), after["properties"]["stage"].as_f64());
        assert_eq!(before["properties"]["open"], after["properties"]["open"]);
    }
    // Lines beside points.
    let third = features(&[
        r#"{"type":"Feature","properties":{"id":4,"stage":1},"geometry":{"type":"LineString","coordinates":[[-123.7,46.1],[-123.6,46.1]]}}"#,
    ]);
    let (_, c) = turn(folder.path(), &third, Format::GeoJson, "out.geojson");
    let kinds: Vec<_> = read(&c).iter().map(|f| f["geometry"]["type"].clone()).collect();
    assert_eq!(kinds, [serde_json::json!("Point"), serde_json::Value::Null, "Point".into(), "LineString".into()]);
}

#[test]
fn columns_come_and_go_and_nothing_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    turn(folder.path(), "id,lon,lat,stage\nA,-123.8,46.2,1.10\n", Format::Delimited, "out.csv");
    let (report, out) = turn(folder.path(), "id,lon,lat,note\nB,-123.7,46.2,new\n", Format::Delimited, "out.csv");
    assert_eq!(out, "id,lon,lat,note,stage\nA,-123.8,46.2,,1.10\nB,-123.7,46.2,new,\n");
    assert!(report.notices.iter().any(|n| n.contains("\"stage\" is of earlier turns")), "{:?}", report.notices);
}

#[test]
fn rows_without_a_key_or_with_one_of_another_are_set_aside() {
    let folder = tempfile::tempdir().unwrap();
    let (report, out) =
        turn(folder.path(), "id,lon,lat\nA,-123.8,46.2\n,-123.7,46.2\nA,-123.6,46.2\n", Format::Delimited, "out.csv");
    assert_eq!((report.rows_in, report.rows_out, report.set_aside.values().sum::<u64>()), (3, 1, 2));
    assert_eq!(out, "id,lon,lat\nA,-123.8,46.2\n");
    let aside = std::fs::read_to_string(folder.path().join("out.set-aside.csv")).unwrap();
    assert!(aside.contains("row 2 of this turn has the key id \"\"A\"\"") && aside.contains("is empty"), "{aside}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..Default::default() })]
    /// After any turns there is one row for each key that ever was, with the cells that it had last.
    #[test]
    fn the_last_word_of_each_key_counts(turns in proptest::collection::vec(proptest::collection::vec((0u8..9, 0u16..500), 0..8), 1..5)) {
        let folder = tempfile::tempdir().unwrap();
        let mut expected: BTreeMap<String, u16> = BTreeMap::new();
        let mut out = String::new();
        for list in &turns {
            let mut feed = String::from("id,lon,lat,stage\n");
            let mut seen = Vec::new();
            for (id, stage) in list {
                feed.push_str(&format!("G{id},-123.8,46.2,{stage}\n"));
                if !seen.contains(id) {
                    seen.push(*id);
                    expected.insert(format!("G{id}"), *stage);
                }
            }
            let (report, text) = turn(folder.path(), &feed, Format::Delimited, "out.csv");
            prop_assert_eq!(report.rows_in, report.rows_out + report.set_aside.values().sum::<u64>());
            out = text;
        }
        let rows: BTreeMap<String, u16> = out
            .lines()
            .skip(1)
            .map(|l| {
                let cells: Vec<&str> = l.split(',').collect();
                (cells[0].to_string(), cells[3].parse().unwrap())
            })
            .collect();
        prop_assert_eq!(out.lines().count() - 1, rows.len());
        prop_assert_eq!(rows, expected);
    }
}
