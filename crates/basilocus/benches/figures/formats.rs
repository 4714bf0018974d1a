//! From format to format, each against the bare library doing the same, in one run.

use crate::convert::{plain_copy, write_source};
use crate::measure::{Measured, paired};
use basilocus::Layer;
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::Positions;
use std::path::Path;
use std::time::Instant;

pub fn run(rows: usize) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = |name: &str| folder.path().join(name);
    let source = path("source.csv");
    write_source(&source, rows);
    println!("formats, {rows} rows of 6 columns");
    let ratio = |what: &str, floor: &str, measured: Measured| println!("  {what}, against {floor}: {measured}");
    ratio(
        "CSV to CSV",
        "copy with the csv crate",
        paired("CSV to CSV", || convert(&source, &path("o.csv"), false), || plain_copy(&source, &path("c.csv"))),
    );
    ratio(
        "CSV to GeoPackage, with its index",
        "bare SQLite inserts of the same rows",
        paired(
            "CSV to GeoPackage",
            || convert(&source, &path("o.gpkg"), true),
            || bare_sqlite(&source, &path("c.sqlite")),
        ),
    );
    let few = rows.min(200_000);
    let smaller = path("smaller.csv");
    write_source(&smaller, few);
    ratio(
        &format!("CSV to XLSX, {few} rows"),
        "the bare writer",
        paired(
            "CSV to XLSX",
            || convert(&smaller, &path("o.xlsx"), false),
            || bare_workbook(&smaller, &path("c.xlsx")),
        ),
    );
}

/// How fast layers are read, decoded on all cores as in a run.
pub fn reading(rows: usize) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = |name: &str| folder.path().join(name);
    let source = path("source.csv");
    write_source(&source, rows);
    println!("reading layers, {rows} rows of 6 columns, opening them included");
    for name in ["o.shp", "o.geojson", "o.gpkg", "o.kml"] {
        convert(&source, &path(name), true);
    }
    for (name, unit) in [("o.shp", "points"), ("o.geojson", "bytes"), ("o.gpkg", "points"), ("o.kml", "bytes")] {
        let mut times: Vec<f64> = (0..5).map(|_| read(&path(name), rows)).collect();
        times.sort_by(f64::total_cmp);
        let size = std::fs::metadata(path(name)).map_or(0.0, |m| m.len() as f64);
        let amount = if unit == "points" {
            format!("{:.2} million points a second", rows as f64 / times[2] / 1e6)
        } else {
            format!("{:.0} MB a second, {:.2} million rows", size / times[2] / 1e6, rows as f64 / times[2] / 1e6)
        };
        println!("  {name}: {amount}");
    }
}

fn convert(source: &Path, target: &Path, spatial: bool) {
    let mut layer = LayerPlan::new(source);
    if spatial {
        layer = layer.with(Positions::in_system("EPSG:4326").expect("a system"));
    }
    let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(target)], ..Default::default() };
    let report = basilocus::run(&plan, &basilocus::RunOptions { overwrite: true, ..Default::default() })
        .expect("the conversion runs");
    assert_eq!(report.rows_in, report.rows_out);
}

/// Seconds to read all rows of a layer, decoded on all cores as in a run.
fn read(path: &Path, rows: usize) -> f64 {
    let started = Instant::now();
    let blocks = Layer::open(path).expect("opens").rows().expect("opens");
    let n: usize = blocks.map(|b| b.expect("reads").records.num_rows()).sum();
    assert_eq!(n, rows);
    started.elapsed().as_secs_f64()
}

/// The rows of the table with a blob of 29 bytes each, in one transaction, and an R-tree of them.
fn bare_sqlite(source: &Path, target: &Path) {
    let _ = std::fs::remove_file(target);
    let db = rusqlite::Connection::open(target).expect("made");
    db.execute_batch(
        "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA cache_size = -49152; BEGIN;
         CREATE TABLE t (id0 INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, shape BLOB, id INTEGER, name TEXT, lon DOUBLE, lat DOUBLE, kind TEXT, remark TEXT);
         CREATE VIRTUAL TABLE r USING rtree(id, minx, maxx, miny, maxy);",
    )
    .expect("made");
    {
        let mut insert = db
            .prepare("INSERT INTO t (shape, id, name, lon, lat, kind, remark) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)")
            .expect("prepared");
        let mut index = db.prepare("INSERT INTO r VALUES (?1, ?2, ?2, ?3, ?3)").expect("prepared");
        let mut reader = csv::Reader::from_path(source).expect("the source is there");
        let mut record = csv::StringRecord::new();
        let mut places = Vec::new();
        while reader.read_record(&mut record).expect("a record") {
            let number = |i: usize| record[i].parse::<f64>().expect("a number");
            let (x, y) = (number(2), number(3));
            let mut blob = b"GP\0\x01\xE6\x10\0\0\x01\x01\0\0\0".to_vec();
            blob.extend(x.to_le_bytes());
            blob.extend(y.to_le_bytes());
            let id: i64 = record[0].parse().expect("a number");
            insert.execute(rusqlite::params![blob, id, &record[1], x, y, &record[4], &record[5]]).expect("inserted");
            places.push((x, y));
        }
        for (i, (x, y)) in places.iter().enumerate() {
            index.execute(rusqlite::params![i as i64 + 1, x, y]).expect("inserted");
        }
    }
    db.execute_batch("COMMIT").expect("written");
}

fn bare_workbook(source: &Path, target: &Path) {
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet_with_constant_memory().expect("a sheet");
    let mut reader = csv::Reader::from_path(source).expect("the source is there");
    for (c, name) in reader.headers().expect("a header").iter().enumerate() {
        sheet.write_string(0, c as u16, name).expect("written");
    }
    let mut record = csv::StringRecord::new();
    let mut row = 0;
    while reader.read_record(&mut record).expect("a record") {
        row += 1;
        for (c, text) in record.iter().enumerate() {
            match (c, text.parse::<f64>()) {
                (0 | 2 | 3, Ok(v)) => sheet.write_number(row, c as u16, v).expect("written"),
                _ => sheet.write_string(row, c as u16, text).expect("written"),
            };
        }
    }
    book.save(target).expect("written");
}
