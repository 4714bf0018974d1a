//! GeoParquet: files made by the package itself in every encoding, and what we write as the package reads it.
#![cfg(feature = "parquet")]

mod common;

use arrow_array::builder::{Float64Builder, ListBuilder, StructBuilder};
use arrow_array::cast::AsArray;
use arrow_array::*;
use arrow_schema::{DataType, Field, Fields};
use basilocus_formats::{InputOptions, Presentation};
use basilocus_table::geometry::{wkb, wkt};
use common::{layer, read, system, write};
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use parquet::file::metadata::KeyValue;
use proptest::prelude::*;
use std::path::Path;
use std::sync::Arc;

fn file(path: &Path, columns: Vec<(&str, ArrayRef)>, geo: Option<serde_json::Value>) {
    let batch = RecordBatch::try_from_iter(columns).unwrap();
    let mut writer = ArrowWriter::try_new(std::fs::File::create(path).unwrap(), batch.schema(), None).unwrap();
    writer.write(&batch).unwrap();
    if let Some(geo) = geo {
        writer.append_key_value_metadata(KeyValue::new("geo".into(), geo.to_string()));
    }
    writer.close().unwrap();
}

fn geo(encoding: &str, types: &[&str], crs: Option<serde_json::Value>) -> serde_json::Value {
    let mut column = serde_json::json!({"encoding": encoding, "geometry_types": types});
    if let Some(crs) = crs {
        column["crs"] = crs;
    }
    serde_json::json!({"version": "1.1.0", "primary_column": "shape", "columns": {"shape": column}})
}

fn xy() -> Fields {
    ["x", "y"].map(|n| Field::new(n, DataType::Float64, false)).into_iter().collect()
}

#[test]
fn every_type_of_value() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.parquet");
    let columns: Vec<(&str, ArrayRef)> = vec![
        ("small", Arc::new(Int8Array::from(vec![Some(-7), None]))),
        ("huge", Arc::new(UInt64Array::from(vec![u64::MAX, 1]))),
        ("single", Arc::new(Float32Array::from(vec![0.1, 2.5]))),
        ("flag", Arc::new(BooleanArray::from(vec![Some(true), None]))),
        ("day", Arc::new(Date32Array::from(vec![20_783, 0]))),
        ("at", Arc::new(TimestampMillisecondArray::from(vec![Some(1_795_651_200_500), None]).with_timezone("UTC"))),
        ("money", Arc::new(Decimal128Array::from(vec![12_345, -5]).with_precision_and_scale(10, 2).unwrap())),
        ("kind", Arc::new(vec!["flap", "weir"].into_iter().collect::<DictionaryArray<types::Int32Type>>())),
        ("picture", Arc::new(BinaryArray::from(vec![&b"\x89PNG"[..], b""]))),
    ];
    file(&path, columns, None);
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(r.names, ["small", "huge", "single", "flag", "day", "at", "money", "kind"]);
    assert_eq!(
        r.rows[0],
        ["-7", "18446744073709551615", "0.1", "true", "2026-11-26", "2026-11-26T00:00:00.500Z", "123.45", "flap"]
    );
    assert_eq!(r.rows[1], ["", "1", "2.5", "", "1970-01-01", "", "-0.05", "weir"]);
    assert!(r.notes.iter().any(|n| n.contains("column picture holds binary data")), "{:?}", r.notes);
}

#[test]
fn native_encodings() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.parquet");
    let points: ArrayRef = Arc::new(StructArray::new(
        xy(),
        vec![Arc::new(Float64Array::from(vec![-123.8, 0.0])), Arc::new(Float64Array::from(vec![46.2, 0.0]))],
        Some(vec![true, false].into()),
    ));
    file(&path, vec![("shape", points)], Some(geo("point", &["Point"], None)));
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(
        (r.rows, r.aside.len(), r.crs.as_deref()),
        (vec![vec!["-123.8 46.2".to_string()], vec![String::new()]], 0, Some("EPSG:4326"))
    );
    // A polygon of two rings: a list of lists of coordinates.
    let numbers =
        || vec![Box::new(Float64Builder::new()) as Box<dyn builder::ArrayBuilder>, Box::new(Float64Builder::new())];
    let mut rings = ListBuilder::new(ListBuilder::new(StructBuilder::new(xy(), numbers())));
    for ring in
        [&[(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (0.0, 0.0)][..], &[(2.0, 1.0), (3.0, 1.0), (3.0, 2.0), (2.0, 1.0)]]
    {
        for (x, y) in ring {
            let position = rings.values().values();
            position.field_builder::<Float64Builder>(0).unwrap().append_value(*x);
            position.field_builder::<Float64Builder>(1).unwrap().append_value(*y);
            position.append(true);
        }
        rings.values().append(true);
    }
    rings.append(true);
    let crs = serde_json::json!({"type": "ProjectedCRS", "name": "x", "id": {"authority": "EPSG", "code": 2269}});
    file(&path, vec![("shape", Arc::new(rings.finish()))], Some(geo("polygon", &["Polygon"], Some(crs))));
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(r.rows, [["POLYGON ((0 0, 4 0, 4 4, 0 0), (2 1, 3 1, 3 2, 2 1))"]]);
    assert_eq!(r.crs.as_deref(), Some("EPSG:2269"));
    // A column that has not the form of its encoding sets its rows aside.
    file(&path, vec![("shape", Arc::new(Float64Array::from(vec![1.0])))], Some(geo("polygon", &[], None)));
    let r = read(&path, &InputOptions::default()).unwrap();
    assert!(r.aside[0].reason.contains("does not have the form"), "{:?}", r.aside);
}

#[test]
fn systems_and_what_is_not_understood_of_them() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.parquet");
    let shape = |t: &str| Some(wkb::write(&wkt::read(t).unwrap()));
    let column = || Arc::new([shape("POINT (1 2)")].into_iter().collect::<BinaryArray>()) as ArrayRef;
    let of = |crs: Option<serde_json::Value>| {
        file(&path, vec![("shape", column())], Some(geo("WKB", &["Point"], crs)));
        let r = read(&path, &InputOptions::default()).unwrap();
        (r.crs, r.notes.join(" "))
    };
    assert_eq!(of(None).0.as_deref(), Some("EPSG:4326"));
    assert_eq!(
        of(Some(serde_json::json!({"id": {"authority": "OGC", "code": "CRS84"}}))).0.as_deref(),
        Some("EPSG:4326")
    );
    let (crs, notes) = of(Some(serde_json::Value::Null));
    assert!(crs.is_none() && notes.contains("system is not known"));
    let (crs, notes) = of(Some(serde_json::json!({"name": "own"})));
    assert!(crs.is_none() && notes.contains("\"own\" has no code"));
}

#[test]
fn the_package_reads_what_we_write() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.parquet");
    let rows = [
        (Some("ü"), Some(1.5), Some(7), Some("POLYGON ((0 0, 0 4, 4 4, 4 0, 0 0))")),
        (None, None, None, None),
        (Some("z"), None, Some(-1), Some("POINT Z (5 6 7)")),
    ];
    let mut crs = system(2269, false);
    crs.wkt2 = Some("PROJCRS[\"own\",BASEGEOGCRS[\"b\",DATUM[\"d\",ELLIPSOID[\"e\",6378137,298.257,LENGTHUNIT[\"metre\",1]]]],CONVERSION[\"c\",METHOD[\"m\"]],CS[Cartesian,2],AXIS[\"easting (E)\",east],AXIS[\"northing (N)\",north],LENGTHUNIT[\"foot\",0.3048],ID[\"EPSG\",2269]]".into());
    let (out, batch) = layer(&rows, crs, Presentation::default());
    write(&path, &out, &batch).unwrap();
    let builder = ParquetRecordBatchReaderBuilder::try_new(std::fs::File::open(&path).unwrap()).unwrap();
    let metadata = builder.metadata().file_metadata().key_value_metadata().unwrap().clone();
    let text = metadata.iter().find(|kv| kv.key == "geo").unwrap().value.clone().unwrap();
    let geo: serde_json::Value = serde_json::from_str(&text).unwrap();
    let column = &geo["columns"]["geometry"];
    assert_eq!(geo["version"], "1.1.0");
    assert_eq!(column["geometry_types"], serde_json::json!(["Point Z", "Polygon"]));
    assert_eq!(column["bbox"], serde_json::json!([0.0, 0.0, 5.0, 6.0]));
    assert_eq!(column["crs"]["coordinate_system"]["axis"][0]["unit"]["conversion_factor"], 0.3048);
    assert_eq!(column["covering"]["bbox"]["ymax"], serde_json::json!(["bbox", "ymax"]));
    let read_back = builder.build().unwrap().next().unwrap().unwrap();
    let bounds = read_back.column_by_name("bbox").unwrap().as_struct();
    assert!(bounds.is_null(1));
    assert_eq!(bounds.column_by_name("xmax").unwrap().as_primitive::<types::Float64Type>().value(2), 5.0);
    let shape = read_back.column_by_name("geometry").unwrap().as_binary::<i32>().value(0).to_vec();
    assert_eq!(wkt::write(&wkb::read(&shape).unwrap()), "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))", "against the clock");
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(r.names, ["name", "width", "count", "geometry"]);
    assert_eq!(r.rows[2], ["z", "", "-1", "POINT Z (5 6 7)"]);
    assert_eq!(r.crs.as_deref(), Some("EPSG:2269"));
}

#[test]
fn row_groups_are_small() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.parquet");
    let rows: Vec<common::Row> = (0..70_000).map(|i| (None, None, Some(i), None)).collect();
    let (out, batch) = layer(&rows, system(4326, true), Presentation::default());
    write(&path, &out, &batch).unwrap();
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!((r.rows.len(), r.notes[0].as_str()), (70_000, "2 row groups"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn damaged_files_do_no_harm(cut in 0usize..3000, flips in prop::collection::vec((0usize..3000, any::<u8>()), 1..6)) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.parquet");
        let rows = [(Some("a"), Some(1.5), Some(7), Some("POINT (1 2)")), (None, None, None, Some("LINESTRING (0 0, 1 1)"))];
        let (out, batch) = layer(&rows, system(4326, true), Presentation::default());
        write(&path, &out, &batch).unwrap();
        let mut bytes = std::fs::read(&path).unwrap();
        let n = bytes.len();
        for (at, bits) in flips {
            bytes[at % n] ^= bits;
        }
        if cut < 500 {
            bytes.truncate(n - cut % n);
        }
        std::fs::write(&path, bytes).unwrap();
        let _ = read(&path, &InputOptions::default());
    }
}
