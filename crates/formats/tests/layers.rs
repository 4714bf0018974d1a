//! XLSX, GeoJSON and GeoPackage: what is written is read by programs that are not ours, and files that are broken
//! are refused, never a panic.

use arrow_array::{ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema};
use basilocus_formats::{ColumnStyle, CrsText, InputOptions, LayerOut, RunAbout, SetAsideTable, create, open};
use basilocus_table::Batch;
use basilocus_table::batch::{point_array, point_field};
use std::path::Path;
use std::sync::Arc;

fn sample(code: u32) -> (LayerOut, Batch) {
    let crs = format!("EPSG:{code}");
    let fields = vec![
        Field::new("code", DataType::Utf8, true),
        Field::new("n", DataType::Int64, true),
        Field::new("width", DataType::Float64, true),
        Field::new("open", DataType::Boolean, true),
        Field::new("Geometry", DataType::Utf8, true),
        point_field(Some(&crs), true),
    ];
    let schema = Arc::new(Schema::new(fields));
    let columns: Vec<ArrayRef> = vec![
        Arc::new(StringArray::from(vec![Some("01234"), Some("a \"b\", ü"), None])),
        Arc::new(Int64Array::from(vec![Some(1), None, Some(3)])),
        Arc::new(Float64Array::from(vec![Some(1.25), Some(-0.5), None])),
        Arc::new(BooleanArray::from(vec![Some(true), None, Some(false)])),
        Arc::new(StringArray::from(vec!["x", "y", "z"])),
        point_array(vec![-123.8, f64::NAN, -123.75], vec![46.2, f64::NAN, 46.25], Some(vec![7.5, f64::NAN, f64::NAN])),
    ];
    let styles = schema
        .fields()
        .iter()
        .map(|f| ColumnStyle { digits: (f.data_type() == &DataType::Float64).then_some(2), longest: Some(9) })
        .collect();
    let layer = LayerOut {
        name: "tide gates".into(),
        schema: schema.clone(),
        styles,
        crs: Some(CrsText {
            code: Some(code),
            name: "system".into(),
            wkt: "GEOGCS[\"x\"]".into(),
            wkt2: None,
            geographic: true,
            north_first: Some(true),
        }),
        show: Default::default(),
    };
    (layer, Batch::new(schema, columns, vec![2, 3, 4]).unwrap())
}

fn write(path: &Path, layers: usize, set_aside: &SetAsideTable) -> Vec<String> {
    let mut writer = create(path, true).unwrap();
    for i in 0..layers {
        let (mut layer, batch) = sample(4326);
        if i > 0 {
            layer.name = format!("layer {i}");
        }
        let encoder = writer.start_layer(&layer).unwrap();
        writer.write(encoder.encode(&batch)).unwrap();
        writer.end_layer().unwrap();
    }
    let about = RunAbout {
        layers: Vec::new(),
        lines: vec![("About".into(), String::new()), ("Rows".into(), "3".into())],
        date: "2026-11-25".into(),
        map: None,
    };
    let (pending, told) = writer.finish(&about, set_aside).unwrap();
    pending.publish().unwrap();
    told
}

fn read(path: &Path, options: &InputOptions) -> (Vec<String>, Vec<Vec<String>>, Vec<String>) {
    let mut reader = open(path, options).unwrap();
    let decoder = reader.decoder();
    let names = reader
        .schema()
        .fields()
        .iter()
        .map(|f| {
            format!("{}: {}", f.name(), if f.name() == "geometry" { "point".into() } else { f.data_type().to_string() })
        })
        .collect();
    let (mut rows, mut aside) = (Vec::new(), Vec::new());
    reader
        .read(&mut |block| {
            let d = decoder.decode(block).unwrap();
            rows.extend((0..d.batch.len()).map(|r| d.batch.row_texts(r)));
            aside.extend(d.set_aside.into_iter().map(|s| s.reason));
            true
        })
        .unwrap();
    (names, rows, aside)
}

#[test]
fn geopackage_is_read_by_plain_sqlite() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.gpkg");
    let told = write(&path, 2, &SetAsideTable::default());
    assert!(
        told.iter().any(|t| t.contains("tide_gates"))
            && told.iter().any(|t| t.contains("\"Geometry\"") && t.contains("Geometry_")),
        "{told:?}"
    );
    let c = rusqlite::Connection::open(&path).unwrap();
    let one = |sql: &str| c.query_row(sql, [], |r| r.get::<_, rusqlite::types::Value>(0)).unwrap();
    use rusqlite::types::Value::*;
    assert_eq!(one("PRAGMA application_id"), Integer(0x4750_4B47));
    assert_eq!(one("PRAGMA integrity_check"), Text("ok".into()));
    assert_eq!(one("SELECT count(*) FROM pragma_foreign_key_check"), Integer(0));
    assert_eq!(one("SELECT count(*) FROM gpkg_spatial_ref_sys WHERE srs_id IN (-1, 0, 4326)"), Integer(3));
    assert_eq!(
        one("SELECT group_concat(table_name) FROM (SELECT table_name FROM gpkg_contents ORDER BY rowid)"),
        Text("tide_gates,layer_1".into())
    );
    assert_eq!(one("SELECT min_x FROM gpkg_contents"), Real(-123.8));
    assert_eq!(one("SELECT last_change FROM gpkg_contents"), Text("2026-11-25T00:00:00.000Z".into()));
    assert_eq!(
        one("SELECT count(*) FROM rtree_tide_gates_geometry WHERE minx <= -123.8 AND maxx >= -123.8"),
        Integer(1),
        "the index holds the points"
    );
    assert_eq!(one("SELECT count(*) FROM rtree_tide_gates_geometry"), Integer(2), "a null point is not in the index");
    assert_eq!(
        one("SELECT count(*) FROM sqlite_master WHERE type = 'trigger' AND tbl_name = 'tide_gates'"),
        Integer(7)
    );
    assert_eq!(one("SELECT code FROM tide_gates"), Text("01234".into()));
    assert_eq!(
        one("SELECT typeof(open) || typeof(n) || typeof(width) FROM tide_gates"),
        Text("integerintegerreal".into())
    );
    // The blob by the letter of the standard: magic, version, flags, srs_id, then POINT Z in WKB.
    let Blob(blob) = one("SELECT geometry FROM tide_gates") else { panic!("no blob") };
    assert_eq!(&blob[..8], b"GP\0\x01\xE6\x10\0\0");
    assert_eq!(u32::from_le_bytes(blob[9..13].try_into().unwrap()), 1001);
    assert_eq!(f64::from_le_bytes(blob[13..21].try_into().unwrap()), -123.8);
}

#[test]
fn geopackage_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.gpkg");
    write(&path, 2, &SetAsideTable::default());
    let message = open(&path, &InputOptions::default()).err().unwrap().to_string();
    assert!(message.contains("`layer`") && message.contains("tide_gates, layer_1"), "{message}");
    let (names, rows, aside) = read(&path, &InputOptions { layer: Some("tide_gates".into()), ..Default::default() });
    assert_eq!(
        names,
        ["code: Utf8", "n: Int64", "width: Float64", "open: Boolean", "Geometry_: Utf8", "geometry: point"]
    );
    assert_eq!(
        rows,
        [
            ["01234", "1", "1.25", "true", "x", "-123.8 46.2 7.5"],
            ["a \"b\", ü", "", "-0.5", "", "y", ""],
            ["", "3", "", "false", "z", "-123.75 46.25"]
        ]
    );
    assert!(aside.is_empty(), "a row without a geometry is one: {aside:?}");
    let message =
        open(&path, &InputOptions { layer: Some("gates".into()), ..Default::default() }).err().unwrap().to_string();
    assert!(message.contains("no layer \"gates\""), "{message}");
}

#[test]
fn geojson_is_valid_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.geojson");
    write(&path, 1, &SetAsideTable::default());
    let value: serde_json::Value = serde_json::from_slice(&std::fs::read(&path).unwrap()).unwrap();
    assert_eq!(value["features"][0]["geometry"]["coordinates"], serde_json::json!([-123.8, 46.2, 7.5]));
    assert_eq!(value["features"][1]["geometry"], serde_json::Value::Null);
    assert_eq!(value["features"][0]["properties"]["code"], "01234");
    let (names, rows, aside) = read(&path, &InputOptions::default());
    assert_eq!(names[..3], ["code: Utf8", "n: Int64", "width: Float64"]);
    assert_eq!((rows.len(), aside.len()), (3, 0));
    assert_eq!((rows[1][5].as_str(), rows[2][5].as_str()), ("", "-123.75 46.25"));
}

#[test]
fn geojson_as_others_write_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("other.json");
    std::fs::write(&path, r#"{"name":"x","features":[
        {"type":"Feature","id":7,"properties":{"a":1,"b":"x","c":{"d":[1]}},"geometry":{"type":"Point","coordinates":[1,2]}},
        {"type":"Feature","properties":{"a":1.5,"e":true},"geometry":{"type":"Point","coordinates":[3,4,5]}},
        {"type":"Feature","properties":null,"geometry":{"type":"Polygon","coordinates":[[[0,0],[1,0],[1,1],[0,0]]]}}
      ],"type":"FeatureCollection"}"#).unwrap();
    let (names, rows, aside) = read(&path, &InputOptions::default());
    assert_eq!(names, ["id: Int64", "a: Float64", "b: Utf8", "c.d: Utf8", "e: Boolean", "geometry: point"]);
    assert_eq!(rows[0], ["7", "1", "x", "[1]", "", "POINT (1 2)"]);
    assert_eq!(rows[1][5], "POINT Z (3 4 5)");
    assert_eq!(rows[2][5], "POLYGON ((0 0, 1 0, 1 1, 0 0))");
    assert!(aside.is_empty());
    for (text, part) in [
        ("{\"type\":\"FeatureCollection\",\"features\":[{]}", "line 1"),
        ("{\"type\":\"Topology\"}", "FeatureCollection is expected"),
        (
            "{\"type\":\"FeatureCollection\",\"features\":[{\"type\":\"Feature\",\"properties\":[[[1]]]}]}",
            "no feature of the collection can be read; of the first,",
        ),
        ("{\"type\":\"FeatureCollection\",\"features\":7}", "array of features"),
    ] {
        std::fs::write(&path, text).unwrap();
        let message = open(&path, &InputOptions::default()).err().unwrap().to_string();
        assert!(message.contains(part), "{message}");
    }
}

/// As programs wrote it before RFC 7946; positions are in feet, and as degrees they would be nowhere.
#[test]
fn the_older_member_for_the_system_is_understood() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("old.geojson");
    for (name, crs) in [
        ("urn:ogc:def:crs:EPSG::2269", "EPSG:2269"),
        ("EPSG:2269", "EPSG:2269"),
        ("urn:ogc:def:crs:OGC:1.3:CRS84", "EPSG:4326"),
        ("my own grid", "EPSG:4326"),
    ] {
        std::fs::write(&path, format!(r#"{{"type":"FeatureCollection","crs":{{"type":"name","properties":{{"name":"{name}"}}}},"features":[{{"type":"Feature","properties":{{}},"geometry":{{"type":"Point","coordinates":[7348009,919575]}}}}]}}"#)).unwrap();
        let reader = open(&path, &InputOptions::default()).unwrap();
        assert_eq!(reader.about().crs.as_deref(), Some(crs), "{name}");
        assert_eq!(basilocus_table::batch::point_crs(&reader.schema()).as_deref(), Some(crs));
        assert!(reader.about().notes[0].contains("RFC 7946") || reader.about().notes[0].contains("names no system"));
    }
}

#[test]
fn a_feature_a_line() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.geojsonl");
    let feature = |n: u32| {
        format!(
            "{{\"type\":\"Feature\",\"properties\":{{\"n\":{n}}},\"geometry\":{{\"type\":\"Point\",\"coordinates\":[{n},2]}}}}"
        )
    };
    // RFC 8142 with its record separators, and the same without; a line that is cut is set aside.
    for separator in ["\u{1e}", ""] {
        let text = format!(
            "{separator}{}\n{separator}{}\n{separator}{{\"type\":\"Fea\n\n{separator}{}\n",
            feature(1),
            feature(2),
            feature(3)
        );
        std::fs::write(&path, text).unwrap();
        let (names, rows, aside) = read(&path, &InputOptions::default());
        assert_eq!(names, ["n: Int64", "geometry: point"]);
        assert_eq!(rows, [["1", "1 2"], ["2", "2 2"], ["3", "3 2"]]);
        assert_eq!(aside.len(), 1);
        assert!(aside[0].starts_with("the line is not valid JSON"), "{aside:?}");
    }
}

#[test]
fn lines_and_polygons_come_back_from_every_layer_format() {
    let folder = tempfile::tempdir().unwrap();
    let shapes = [
        Some("POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))"),
        Some("MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))"),
        None,
        Some("LINESTRING Z (0 0 1, 1 1 2)"),
        Some("POINT (1 2)"),
    ];
    let schema = Arc::new(Schema::new(vec![
        Field::new("n", DataType::Int64, true),
        basilocus_table::geometry_field(Some("EPSG:4326")),
    ]));
    let binary: arrow_array::BinaryArray = shapes
        .iter()
        .map(|s| s.map(|s| basilocus_table::geometry::wkb::write(&basilocus_table::geometry::wkt::read(s).unwrap())))
        .collect();
    let columns: Vec<ArrayRef> = vec![Arc::new(Int64Array::from_iter_values(1..=5)), Arc::new(binary)];
    let batch = Batch::new(schema.clone(), columns, vec![1, 2, 3, 4, 5]).unwrap();
    for name in ["areas.gpkg", "areas.geojson"] {
        let path = folder.path().join(name);
        let mut writer = create(&path, true).unwrap();
        let layer = LayerOut {
            name: "areas".into(),
            schema: schema.clone(),
            styles: vec![ColumnStyle { digits: None, longest: None }; 2],
            crs: Some(CrsText {
                code: Some(4326),
                name: "WGS 84".into(),
                wkt: "GEOGCS[\"x\"]".into(),
                wkt2: None,
                geographic: true,
                north_first: Some(true),
            }),
            show: Default::default(),
        };
        let encoder = writer.start_layer(&layer).unwrap();
        writer.write(encoder.encode(&batch)).unwrap();
        writer.end_layer().unwrap();
        writer.finish(&RunAbout::default(), &SetAsideTable::default()).unwrap().0.publish().unwrap();
        let (_, rows, aside) = read(&path, &InputOptions::default());
        assert!(aside.is_empty(), "{name}");
        let texts: Vec<&str> = rows.iter().map(|r| r.last().unwrap().as_str()).collect();
        assert_eq!(texts, shapes.map(|s| s.unwrap_or("")), "{name}");
    }
    // What another program sees: the type in both places, the bounds in the index.
    let db = rusqlite::Connection::open(folder.path().join("areas.gpkg")).unwrap();
    let text = |sql: &str| db.query_row(sql, [], |r| r.get::<_, String>(0)).unwrap();
    assert_eq!(text("SELECT geometry_type_name FROM gpkg_geometry_columns"), "GEOMETRY");
    assert_eq!(text("SELECT type FROM pragma_table_info('areas') WHERE name = 'geometry'"), "GEOMETRY");
    let bounds: Vec<f64> = db
        .query_row("SELECT minx, maxx, miny, maxy FROM rtree_areas_geometry WHERE id = 2", [], |r| {
            (0..4).map(|i| r.get(i)).collect()
        })
        .unwrap();
    assert_eq!(bounds, [0.0, 6.0, 0.0, 6.0]);
}

#[test]
fn a_text_in_a_column_of_numbers_is_not_lost() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.gpkg");
    write(&path, 1, &SetAsideTable::default());
    let db = rusqlite::Connection::open(&path).unwrap();
    // The triggers of the index need functions that plain SQLite does not have.
    let triggers: Vec<String> = db
        .prepare("SELECT name FROM sqlite_schema WHERE type = 'trigger'")
        .unwrap()
        .query_map([], |r| r.get(0))
        .unwrap()
        .map(Result::unwrap)
        .collect();
    triggers.iter().for_each(|t| db.execute_batch(&format!("DROP TRIGGER \"{t}\"")).unwrap());
    db.execute_batch(
        "UPDATE tide_gates SET n = 'about 7' WHERE feature_id = 3; UPDATE tide_gates SET open = 0.5 WHERE feature_id = 1;",
    )
    .unwrap();
    drop(db);
    let (names, rows, _) = read(&path, &InputOptions::default());
    assert!(names.contains(&"n: Utf8".to_string()) && names.contains(&"open: Float64".to_string()), "{names:?}");
    let n = names.iter().position(|n| n.starts_with("n:")).unwrap();
    assert_eq!((rows[0][n].as_str(), rows[2][n].as_str()), ("1", "about 7"));
    let reader = open(&path, &InputOptions::default()).unwrap();
    assert!(
        reader.about().notes.iter().any(|n| n.contains("column n is declared as numbers")),
        "{:?}",
        reader.about().notes
    );
}

#[test]
fn workbook_has_real_numbers_and_text_codes() {
    use calamine::{Data, Reader, Xlsx, open_workbook};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.xlsx");
    let aside = SetAsideTable {
        header: ["layer", "source_row", "reason"].map(String::from).to_vec(),
        rows: vec![["gates", "9", "blank row"].map(String::from).to_vec()],
    };
    write(&path, 2, &aside);
    let mut workbook: Xlsx<_> = open_workbook(&path).unwrap();
    assert_eq!(workbook.sheet_names(), ["tide gates", "layer 1", "Set aside", "About"]);
    let range = workbook.worksheet_range("tide gates").unwrap();
    let cell = |r: u32, c: u32| range.get_value((r, c)).cloned().unwrap_or_default();
    assert_eq!(cell(0, 0), Data::String("code".into()));
    assert_eq!(cell(1, 0), Data::String("01234".into()));
    assert_eq!(cell(1, 2), Data::Float(1.25));
    assert_eq!(cell(1, 3), Data::Bool(true));
    assert_eq!(cell(2, 1), Data::Empty);
    let aside = workbook.worksheet_range("Set aside").unwrap();
    assert_eq!(aside.get_value((1, 1)), Some(&Data::Float(9.0)));
    let (_, rows, _) = read(&path, &InputOptions::default());
    assert_eq!(rows[0][..3], ["01234", "1", "1.25"]);
}

#[test]
fn workbooks_that_cannot_be_read_say_why() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("book.xlsx");
    let message = |bytes: &[u8], options: &InputOptions| {
        std::fs::write(&path, bytes).unwrap();
        open(&path, options).err().map_or(String::new(), |e| e.to_string())
    };
    // The head of a compound file with the name of the stream that encryption makes.
    let mut encrypted = b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1".to_vec();
    encrypted.resize(1024, 0);
    assert!(message(&encrypted, &InputOptions::default()).contains("old binary form"));
    encrypted.extend("EncryptedPackage".encode_utf16().flat_map(u16::to_le_bytes));
    assert!(message(&encrypted, &InputOptions::default()).contains("password"));
    assert!(message(b"PK\x03\x04 but no archive", &InputOptions::default()).contains("cannot be read"));
    let good = folder.path().join("good.xlsx");
    write(&good, 1, &SetAsideTable::default());
    let options = InputOptions { sheet: Some("Gates".into()), ..Default::default() };
    let text = open(&good, &options).err().unwrap().to_string();
    assert!(text.contains("no sheet \"Gates\"") && text.contains("tide gates, About"), "{text}");
}

#[test]
fn broken_files_are_errors_in_bounded_time_and_never_a_panic() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["a.gpkg", "a.xlsx", "a.geojson"] {
        let good = folder.path().join(name);
        write(&good, 1, &SetAsideTable::default());
        let bytes = std::fs::read(&good).unwrap();
        let path = folder.path().join(format!("broken-{name}"));
        let try_read = |bytes: &[u8]| {
            std::fs::write(&path, bytes).unwrap();
            if let Ok(mut reader) = open(&path, &InputOptions::default()) {
                let decoder = reader.decoder();
                let _ = reader.read(&mut |b| decoder.decode(b).is_ok());
            }
        };
        let step = (bytes.len() / 60).max(1);
        for i in (0..bytes.len()).step_by(step) {
            try_read(&bytes[..i]);
            let mut flipped = bytes.clone();
            flipped[i] ^= 0x55;
            try_read(&flipped);
        }
    }
}

#[test]
fn an_sqlite_file_that_is_no_geopackage_is_named_as_such() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("plain.gpkg");
    rusqlite::Connection::open(&path).unwrap().execute_batch("CREATE TABLE t (a)").unwrap();
    let message = open(&path, &InputOptions::default()).err().unwrap().to_string();
    assert!(message.contains("no GeoPackage"), "{message}");
}

/// Objects become columns and objects again; lists stay as they are written.
#[test]
fn nested_properties_go_round() {
    let folder = tempfile::tempdir().unwrap();
    let (path, back) = (folder.path().join("nested.geojson"), folder.path().join("back.geojson"));
    let features = r#"{"type":"Feature","geometry":{"type":"Point","coordinates":[1,2]},"properties":{"layer":"x","owner":{"name":"Ada","home":{"town":"Ternport","no":7}},"tags":["a",{"b":1}],"a.b":"plain","none":{}}},
{"type":"Feature","geometry":{"type":"Point","coordinates":[1,2]},"properties":{"layer":"x","owner":{"name":"Ben","home":null},"tags":null,"a.b":"too","none":{}}}"#;
    std::fs::write(&path, format!("{{\"type\":\"FeatureCollection\",\"features\":[{features}]}}")).unwrap();
    let mut reader = open(&path, &InputOptions::default()).unwrap();
    let schema = reader.schema();
    let names: Vec<&str> = schema.fields().iter().map(|f| f.name().as_str()).collect();
    assert_eq!(names, ["layer", "owner.name", "owner.home.town", "owner.home.no", "tags", "a.b", "none", "geometry"]);
    let decoder = reader.decoder();
    let mut batches = Vec::new();
    reader
        .read(&mut |b| {
            batches.push(decoder.decode(b).unwrap().batch);
            true
        })
        .unwrap();
    assert_eq!(batches[0].row_texts(0)[..4], ["x", "Ada", "Ternport", "7"]);
    let mut writer = create(&back, true).unwrap();
    let styles = vec![ColumnStyle { digits: None, longest: None }; schema.fields().len()];
    let layer = LayerOut { name: "x".into(), schema, styles, crs: None, show: Default::default() };
    let encoder = writer.start_layer(&layer).unwrap();
    for batch in &batches {
        writer.write(encoder.encode(batch)).unwrap();
    }
    writer.end_layer().unwrap();
    writer.finish(&RunAbout::default(), &SetAsideTable::default()).unwrap().0.publish().unwrap();
    let value: serde_json::Value = serde_json::from_slice(&std::fs::read(&back).unwrap()).unwrap();
    let first = &value["features"][0]["properties"];
    assert_eq!(first["owner"]["home"]["no"], 7);
    assert_eq!(first["owner"]["name"], "Ada");
    assert_eq!(first["tags"], serde_json::json!(["a", {"b": 1}]));
    assert_eq!(first["a.b"], "plain", "a name with a point in it is no way to anywhere");
}
