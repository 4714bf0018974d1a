//! Rows that join others, go apart, or have no place.

mod common;

use common::Folder;

#[test]
fn rows_join_a_layer_that_is_there() {
    let f = Folder::new();
    f.write("a.csv", "id,name,day,lon,lat\n1,A,2026-03-01,-123.8,46.2\n2,B,2026-03-02,-123.7,46.1\n");
    f.write("b.csv", "day,ID,name,lon,lat\n2026-04-01,3,C,-123.9,46.3\n");
    let line = |source: &'static str, more: &[&'static str]| {
        let line = ["convert", source, "--from", "EPSG:4326", "-o", "g.gpkg", "--layer-name", "gates", "--no-progress"];
        let mut line = [&line[..], more].concat();
        if more.contains(&"--keep") {
            line[3] = "EPSG:4267";
        }
        line
    };
    f.ok(&line("a.csv", &["--append-rows"]));
    let out = f.ok(&line("b.csv", &["--append-rows"]));
    assert!(out.contains("1 row added to the layer \"gates\" that is there"), "{out}");
    let c = rusqlite::Connection::open(f.path("g.gpkg")).unwrap();
    let all: Vec<(i64, String, String)> = c
        .prepare("SELECT id, name, day FROM gates ORDER BY feature_id")
        .unwrap()
        .query_map([], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))
        .unwrap()
        .map(Result::unwrap)
        .collect();
    let expected = [(1, "A", "2026-03-01"), (2, "B", "2026-03-02"), (3, "C", "2026-04-01")];
    assert_eq!(all, expected.map(|(id, name, day)| (id, name.to_string(), day.to_string())));
    let number = |sql: &str| c.query_row(sql, [], |r| r.get::<_, f64>(0)).unwrap();
    assert_eq!(number("SELECT min_x FROM gpkg_contents WHERE table_name = 'gates'"), -123.9);
    assert_eq!(number("SELECT max_x FROM gpkg_contents WHERE table_name = 'gates'"), -123.7);
    assert_eq!(number("SELECT count(*) FROM rtree_gates_geometry"), 3.0);
    assert_eq!(number("SELECT count(*) FROM rtree_gates_geometry WHERE id = 3 AND miny < 46.31 AND maxy > 46.29"), 1.0);
    assert_eq!(number("SELECT count(*) FROM gpkg_contents"), 1.0);
    drop(c);
    let before = std::fs::read(f.path("g.gpkg")).unwrap();
    // What does not fit is refused, and the file stays as it was.
    f.write("more.csv", "id,name,day,lon,lat,depth\n4,D,2026-05-01,-123.9,46.3,1\n");
    f.write("other.csv", "id,name,day,lon,lat\nx4,D,2026-05-01,-123.9,46.3\n");
    f.write("lines.geojson", r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"id":5},"geometry":{"type":"LineString","coordinates":[[0,0],[1,1]]}}]}"#);
    for (line, part) in [
        (line("more.csv", &["--append-rows"]), "has no column \"depth\""),
        (
            line("other.csv", &["--append-rows"]),
            "the column \"id\" of the layer \"gates\" is INTEGER, and the values of \"id\" are texts",
        ),
        (line("b.csv", &["--append-rows", "--keep", "id,name"]), "is in EPSG:4326, and the rows are in NAD27"),
        (line("lines.geojson", &["--append-rows"]), "the geometry is LINESTRING, and the layer holds POINT"),
        (line("b.csv", &[]), "--overwrite"),
        (line("b.csv", &["--append"]), "--append-rows"),
    ] {
        let message = f.refusal(&line);
        assert!(message.contains(part), "{message}");
    }
    assert_eq!(std::fs::read(f.path("g.gpkg")).unwrap(), before);
    // A layer of another name is a new one.
    let mut new = line("b.csv", &["--append-rows"]);
    new[6] = "--layer-name";
    new[7] = "others";
    let at = new.iter().position(|a| *a == "gates").unwrap_or(7);
    new[at] = "others";
    f.ok(&new);
    assert!(f.ok(&["look", "g.gpkg", "--no-progress"]).contains("layer      others\n"));
}

/// Tables of other programs have keys of their own: a text is a column like any other, and the rows keep their numbers.
#[test]
fn rows_join_a_layer_whose_key_is_a_text() {
    let f = Folder::new();
    f.write("a.csv", "id,lon,lat\nA,-123.8,46.2\n");
    f.write("b.csv", "id,lon,lat\nB,-123.7,46.1\n");
    f.write("again.csv", "id,lon,lat\nC,-123.6,46.3\nB,-123.6,46.3\n");
    let line = |source: &'static str, how: &'static str| {
        ["convert", source, "--from", "EPSG:4326", "-o", "g.gpkg", "--layer-name", "gates", "--no-progress", how]
    };
    f.ok(&line("a.csv", "--overwrite"));
    let c = rusqlite::Connection::open(f.path("g.gpkg")).unwrap();
    c.execute_batch(
        "DROP TABLE rtree_gates_geometry; DELETE FROM gpkg_extensions; CREATE TABLE other (id TEXT PRIMARY KEY, geometry POINT, lon DOUBLE, lat DOUBLE); INSERT INTO other SELECT id, geometry, lon, lat FROM gates; DROP TABLE gates; ALTER TABLE other RENAME TO gates;",
    )
    .unwrap();
    let ids = |c: &rusqlite::Connection| -> String {
        c.query_row("SELECT group_concat(id, '') FROM (SELECT id FROM gates ORDER BY id)", [], |r| r.get(0)).unwrap()
    };
    drop(c);
    let out = f.ok(&line("b.csv", "--append-rows"));
    assert!(out.contains("1 row added to the layer \"gates\""), "{out}");
    let open = || rusqlite::Connection::open(f.path("g.gpkg")).unwrap();
    assert_eq!(ids(&open()), "AB");
    // A key that is there already: nothing of the run is.
    let message = f.refusal(&line("again.csv", "--append-rows"));
    assert!(message.contains("UNIQUE constraint failed: gates.id"), "{message}");
    assert_eq!(ids(&open()), "AB");
}

#[test]
fn rows_without_a_geometry_stay_where_formats_have_a_place_for_them() {
    let f = Folder::new();
    let feature =
        |id: u8, geometry: &str| format!(r#"{{"type":"Feature","properties":{{"id":{id}}},"geometry":{geometry}}}"#);
    let points = [
        feature(1, r#"{"type":"Point","coordinates":[-123.8,46.2]}"#),
        feature(2, "null"),
        feature(3, r#"{"type":"Point","coordinates":[-123.7,46.1]}"#),
    ];
    let lines =
        [feature(1, "null"), feature(2, r#"{"type":"LineString","coordinates":[[-123.8,46.2],[-123.7,46.1]]}"#)];
    for (name, features) in [("points", points.join(",")), ("lines", lines.join(","))] {
        let source = format!("{name}.geojson");
        f.write(&source, format!(r#"{{"type":"FeatureCollection","features":[{features}]}}"#));
        let rows = if name == "points" { 3 } else { 2 };
        for ending in ["geojson", "geojsonl", "gpkg", "shp", "kml", "gml"] {
            for to in [None, Some("EPSG:32610")] {
                let (one, back) = (format!("{name}-one.{ending}"), format!("{name}-back.geojson"));
                let mut line = vec!["convert", &source, "-o", &one, "--overwrite"];
                line.extend(to.iter().flat_map(|to| ["--to", to]));
                let out = f.ok(&line);
                assert!(out.contains("1 row without a geometry is kept without one"), "{one} {to:?}: {out}");
                f.ok(&["convert", &one, "-o", &back, "--overwrite"]);
                let text = f.read(&back);
                assert_eq!(text.matches("\"geometry\":null").count(), 1, "{one} {to:?}: {text}");
                assert_eq!(text.matches("\"Feature\"").count(), rows, "{one} {to:?}: {text}");
            }
        }
        // A table has none, nor has a drawing, and a step that needs a place says so.
        for line in [
            vec!["convert", &source, "-o", "t.csv", "--overwrite"],
            vec!["convert", &source, "-o", "t.dxf", "--overwrite"],
            vec!["convert", &source, "-o", "t.gpkg", "-o", "t.csv", "--overwrite"],
            vec!["select", &source, "--extent=-124,46,-123,47", "-o", "t.geojson", "--overwrite"],
        ] {
            let out = f.ok(&line);
            assert!(out.contains(&format!("{rows} rows in = {} out + 1 set aside", rows - 1)), "{line:?}: {out}");
            let _ = std::fs::remove_file(f.path("t.set-aside.csv"));
        }
    }
}

#[test]
fn mixed_geometry_goes_to_shapefiles_one_a_kind() {
    let f = Folder::new();
    let feature = |kind: &str, coordinates: &str| {
        format!(
            r#"{{"type":"Feature","properties":{{"kind":"{kind}"}},"geometry":{{"type":"{kind}","coordinates":{coordinates}}}}}"#
        )
    };
    let features = [
        feature("Point", "[9,46]"),
        feature("LineString", "[[9,46],[9.1,46]]"),
        feature("MultiLineString", "[[[9,46],[9.1,46]]]"),
        feature("Polygon", "[[[9,46],[9.1,46],[9.1,46.1],[9,46]]]"),
        feature("Point", "[9.5,46.5]"),
    ];
    f.write("mixed.geojson", format!(r#"{{"type":"FeatureCollection","features":[{}]}}"#, features.join(",")));
    let message = f.refusal(&["convert", "mixed.geojson", "-o", "out.shp", "--no-progress"]);
    assert!(message.contains("--split-by geometry"), "{message}");
    let out = f.ok(&["convert", "mixed.geojson", "-o", "out.shp", "--split-by", "geometry", "--no-progress"]);
    assert!(out.contains("3 parts by geometry: lines 2, points 2, polygons 1; together 5 rows"), "{out}");
    for (part, rows) in [("lines", 2), ("points", 2), ("polygons", 1)] {
        let report = f.json(&["look", &format!("out-{part}.shp"), "--json"]);
        assert_eq!(report["rows"], rows, "{part}");
    }
}
