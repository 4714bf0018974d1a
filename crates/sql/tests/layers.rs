//! Layers of files as tables, queries in files, and the ledger between them.

mod common;

use basilocus_sql::ledger::SessionLedger;
use common::{batches, cell, cells, districts, error, owners, reference, session};
use datafusion::prelude::SessionContext;
use futures::StreamExt;
use std::path::Path;

fn write(folder: &Path, name: &str, text: &str) -> String {
    let path = folder.join(name);
    std::fs::write(&path, text).unwrap();
    path.display().to_string()
}

#[tokio::test]
async fn columns_have_the_types_that_all_their_values_have() {
    let folder = tempfile::tempdir().unwrap();
    // The last row decides: a sample of the first would have been wrong.
    let rows: String = (0..3000).map(|i| format!("{i},{i},00{i},2026-08-{:02}\n", i % 28 + 1)).collect();
    let file = write(folder.path(), "gates.csv", &format!("id,width,code,seen\n{rows}3000,1.5,x,2026-09-01\n"));
    let s = session();
    let sql = format!(
        "SELECT arrow_typeof(id), arrow_typeof(width), arrow_typeof(code), arrow_typeof(seen) FROM read_layer('{file}') LIMIT 1"
    );
    assert_eq!(cells(&s, &sql).await, [["Int64", "Float64", "Utf8", "Date32"]]);
    let sql = format!("SELECT count(*), sum(width), max(seen), min(code) FROM read_layer('{file}')");
    assert_eq!(cells(&s, &sql).await, [["3001", "4498501.5", "2026-09-01", "000"]]);
    // Limits and projections are told to the reader.
    let sql = format!("SELECT code FROM read_layer('{file}') LIMIT 2");
    assert_eq!(cells(&s, &sql).await, [["000"], ["001"]]);
    let plan = cells(&s, &format!("EXPLAIN {sql}")).await;
    assert!(plan.iter().any(|row| row[1].contains("at most 2 rows of each")), "{plan:?}");
}

#[tokio::test]
async fn several_files_are_one_table_where_they_are_one() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    for (name, text) in [("a.csv", "id,width\n1,2\n"), ("b.csv", "id,width\n2,2.5\n"), ("c.csv", "id,width\nx3,3\n")] {
        write(folder.path(), name, text);
    }
    let sql = format!("SELECT id, width FROM read_layer('{}/*.csv') ORDER BY id", folder.path().display());
    // A column is of the type that the values of all files have.
    assert_eq!(cells(&s, &sql).await, [["1", "2.0"], ["2", "2.5"], ["x3", "3.0"]]);
    write(folder.path(), "d.csv", "id,depth\n4,4\n");
    let told = error(&s, &sql).await;
    assert!(told.contains("d.csv has the columns id, depth") && told.contains("a.csv has id, width"), "{told}");
    let told = error(&s, &format!("SELECT * FROM read_layer('{}/*.gpkg')", folder.path().display())).await;
    assert!(told.contains("no file is named *.gpkg"), "{told}");
    let told = error(&s, "SELECT * FROM read_layer()").await;
    assert!(told.contains("read_layer('FILE'[, 'LAYER'[, 'SYSTEM']])"), "{told}");
}

/// What a format writes, a query reads again: the same rows, positions and systems.
#[tokio::test(flavor = "multi_thread")]
async fn queries_are_written_and_read_again() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    let source = "SELECT * FROM (VALUES (1, 'North', -123.8, 46.2), (2, 'Süd', -123.0, 46.25), (3, NULL, -123.7, 46.1)) AS v(id, name, x, y)";
    let query = format!("SELECT id, name, ST_Transform(ST_Point(x, y, 4326), 32610) AS place FROM ({source})");
    for format in ["GPKG", "GEOPARQUET", "SHP", "GEOJSON", "KML", "GML", "DELIMITED"] {
        let target = folder.path().join(format);
        let count = cell(&s, &format!("COPY ({query}) TO '{}' STORED AS {format}", target.display())).await;
        assert_eq!(count, "3", "{format}");
        if format == "DELIMITED" {
            let rows = cells(
                &s,
                &format!("SELECT id, name, round(easting) FROM read_layer('{}') ORDER BY id", target.display()),
            )
            .await;
            assert_eq!(rows[1], ["2", "Süd", "500000.0"], "{rows:?}");
            continue;
        }
        let file = target.display();
        let back = format!(
            "SELECT id, name, round(ST_X(p) * 1e6), round(ST_Y(p) * 1e6) FROM (SELECT id, name, ST_Transform(geometry, 4326) AS p FROM read_layer('{file}')) ORDER BY id"
        );
        let rows = cells(&s, &back).await;
        assert_eq!(rows[1], ["2", "Süd", "-123000000.0", "46250000.0"], "{format}: {rows:?}");
        assert_eq!((rows.len(), rows[2][2].as_str()), (3, "-123700000.0"), "{format}: {rows:?}");
    }
    // Nothing is left where the parts waited.
    let left: Vec<_> = walk(folder.path()).into_iter().filter(|p| p.contains("unfinished")).collect();
    assert!(left.is_empty(), "{left:?}");
}

fn walk(folder: &Path) -> Vec<String> {
    let mut out = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()) {
        out.push(entry.display().to_string());
        if entry.is_dir() {
            out.extend(walk(&entry));
        }
    }
    out
}

#[tokio::test(flavor = "multi_thread")]
async fn sheets_of_workbooks_are_layers() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    let book = folder.path().join("gates.xlsx");
    let query = "SELECT id, name FROM (VALUES (7, 'North'), (8, 'South')) AS v(id, name)";
    assert_eq!(cell(&s, &format!("COPY ({query}) TO '{}'", book.display())).await, "2");
    let read = |sheet: &str| format!("SELECT id + 1, name FROM read_layer('{}', '{sheet}') ORDER BY 1", book.display());
    assert_eq!(cells(&s, &read("gates")).await, [["8", "North"], ["9", "South"]]);
    let told = error(&s, &read("nowhere")).await;
    assert!(told.contains("nowhere") && told.contains("gates"), "{told}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_output_is_there_whole_or_not_at_all() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    let target = folder.path().join("out.gpkg");
    let good = format!("COPY (SELECT 1 AS id, ST_Point(1, 2, 4326) AS p) TO '{}'", target.display());
    assert_eq!(cell(&s, &good).await, "1");
    let told = error(&s, &good).await;
    assert!(told.contains("exists already") && told.contains("overwrite"), "{told}");
    assert_eq!(cell(&s, &format!("{good} OPTIONS ('overwrite' 'true')")).await, "1");
    let told = error(&s, &format!("{good} OPTIONS ('replace' 'true')")).await;
    assert!(told.contains("'overwrite' 'true' is the only one"), "{told}");
    // What an earlier query with more parts left is not read with the rows of this one.
    let parts = folder.path().join("parts");
    let copy =
        |query: &str| format!("COPY ({query}) TO '{}' STORED AS SHP OPTIONS ('overwrite' 'true')", parts.display());
    let one = "SELECT 1 AS id, ST_Point(1, 2, 4326) AS p";
    assert_eq!(cell(&s, &copy(&format!("{one} UNION ALL {one} UNION ALL {one}"))).await, "3");
    assert_eq!(cell(&s, &copy(one)).await, "1");
    assert_eq!(cell(&s, &format!("SELECT count(*) FROM read_layer('{}')", parts.display())).await, "1");
    // The second of two parts fails while the first is written.
    let bad = folder.path().join("bad");
    let sql = format!(
        "COPY (SELECT 1 AS id, ST_GeomFromText(t, 4326) AS p FROM (SELECT 'POINT (1 2)' AS t UNION ALL SELECT concat('POINT (', random()) )) TO '{}' STORED AS GPKG",
        bad.display()
    );
    let told = error(&s, &sql).await;
    assert!(told.contains("ST_GeomFromText"), "{told}");
    let left =
        if bad.exists() { walk(&bad).into_iter().filter(|p| p.ends_with(".gpkg")).collect() } else { Vec::new() };
    assert!(left.is_empty(), "{left:?}");
    for (query, words) in [
        ("SELECT 1 AS id", "ST_Point(lon, lat, 4326) makes one"),
        ("SELECT ST_Point(1, 2) AS p", "ST_SRID(geometry, system)"),
    ] {
        let told = error(&s, &format!("COPY ({query}) TO '{}/x.gpkg'", folder.path().display())).await;
        assert!(told.contains(words), "{told}");
    }
}

/// Runs a query as the command does, and enters it in the ledger.
async fn run(context: &SessionContext, ledger: &SessionLedger, sql: &str) {
    let mut running = basilocus_sql::run(context.sql(sql).await.unwrap()).await.unwrap();
    while let Some(batch) = running.rows.next().await {
        batch.unwrap();
    }
    running.enter(ledger);
}

#[tokio::test]
async fn every_row_is_in_the_ledger_once() {
    let folder = tempfile::tempdir().unwrap();
    let (town, owners) = (reference(folder.path()), owners(folder.path(), 4, 25, Some(2)));
    let context = SessionContext::new();
    let ledger = basilocus_sql::register(&context).unwrap();
    batches(&context, &format!("SET basilocus.reference = '{}'", town.display())).await.unwrap();
    let sql = format!(
        "SELECT g.lon, g.lat, g.reason FROM (SELECT geocode(address) AS g FROM read_layer('{}'))",
        owners.display()
    );
    run(&context, &ledger, &sql).await;
    let sql = "SELECT function, became, sum(rows) FROM ledger() GROUP BY 1, 2 ORDER BY 1, 2";
    let expected = [["geocode", "made", "99"], ["geocode", "set aside", "1"], ["read_layer", "made", "100"]];
    assert_eq!(cells(&context, sql).await, expected);
    // The file that holds the row is named by its partition.
    let sql = "SELECT partition, rows, reason IS NOT NULL FROM ledger() WHERE became = 'set aside'";
    assert_eq!(cells(&context, sql).await, [["2", "1", "true"]]);
    assert!(
        ledger.words()[0].starts_with("geocode: 1 ") && ledger.words()[0].ends_with("(partition 2)"),
        "{:?}",
        ledger.words()
    );
}

#[tokio::test]
async fn rows_that_a_reader_cannot_use_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let file = write(folder.path(), "gates.csv", "id,name\n1,North\n2,South,too many\n3,West\n");
    let context = SessionContext::new();
    let ledger = basilocus_sql::register(&context).unwrap();
    let sql = format!("SELECT * FROM read_layer('{file}')");
    let told = error(&context, &sql).await;
    assert!(told.contains("row 3") && told.contains("on_failure"), "{told}");
    batches(&context, "SET basilocus.on_failure = 'null'").await.unwrap();
    run(&context, &ledger, &sql).await;
    assert_eq!(ledger.words(), ["read_layer: 1 ragged row (partition 0)"]);
}

#[tokio::test]
async fn points_are_joined_with_areas() {
    let folder = tempfile::tempdir().unwrap();
    let areas = districts(folder.path());
    let points =
        write(folder.path(), "p.csv", "id,lon,lat\n1,-123.85,46.2\n2,-123.75,46.2\n3,-123.72,46.3\n4,-120,46.2\n");
    let s = session();
    let sql = format!(
        "SELECT a.district, count(*), extent(p.place) FROM (SELECT ST_Point(lon, lat, 4326) AS place FROM read_layer('{points}')) p
         JOIN read_layer('{}') a ON ST_Within(p.place, a.geometry) GROUP BY 1 ORDER BY 1",
        areas.display()
    );
    let rows = cells(&s, &sql).await;
    assert_eq!(rows[0][..2], ["East", "2"]);
    assert_eq!(rows[0][2], "{west: -123.75, south: 46.2, east: -123.72, north: 46.3}");
    assert_eq!(rows[1][..2], ["West", "1"]);
}

#[tokio::test]
async fn groups_tell_their_levels_and_displacements() {
    let s = session();
    let sql = "SELECT count_by_level(l) FROM (VALUES ('street'), ('address point'), (NULL), ('address point'), ('coordinate')) AS v(l)";
    let expected = "[{level: address point, rows: 2}, {level: street, rows: 1}, {level: coordinate, rows: 1}, {level: not placed, rows: 1}]";
    assert_eq!(cell(&s, sql).await, expected);
    // A thousandth of a degree along a parallel at the equator is 111.319 m to the east.
    let sql = "SELECT d.rows, d.moved, round(d.distance_m * 1000), round(d.azimuth_deg) FROM (
        SELECT displacement(ST_Point(x, 0, 4326), ST_Point(x + 0.001, 0, 4326)) AS d FROM (VALUES (1.0), (2.0), (3.0), (4.0), (NULL)) AS v(x))";
    assert_eq!(cells(&s, sql).await, [["4", "4", "111319.0", "90.0"]]);
    let told = error(&s, "SELECT displacement(ST_Point(1, 2), ST_Point(1, 2, 4326))").await;
    assert!(told.contains("argument 1 (a) has no system"), "{told}");
    let sql = "SELECT extent(ST_Point(x, 0, 4326)), extent(ST_Point(x, 0)) FROM (VALUES (179.5), (-179.0)) AS v(x)";
    let rows = cells(&s, sql).await;
    assert!(rows[0][0].starts_with("{west: 179.5") && rows[0][1].starts_with("{west: -179.0"), "{rows:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_index_of_places_passes_rows_over_and_changes_none() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    let target = folder.path().join("grid.gpkg");
    let rows = "SELECT x * 100 + y AS id, ST_Point(x, y, 32610) AS p FROM (SELECT value AS x FROM generate_series(0, 99)) CROSS JOIN (SELECT value AS y FROM generate_series(0, 99))";
    assert_eq!(cell(&s, &format!("COPY ({rows}) TO '{}'", target.display())).await, "10000");
    let square = "ST_GeomFromText('POLYGON ((10 10, 14 10, 14 14, 10 14, 10 10))', 32610)";
    let from = format!("FROM read_layer('{}')", target.display());
    for (condition, rows) in [
        (format!("ST_Within(geometry, {square})"), "9"),
        (format!("ST_Intersects({square}, geometry)"), "25"),
        (format!("ST_Intersects(geometry, {square}) AND id < 1200"), "10"),
        (format!("NOT ST_Intersects(geometry, {square})"), "9975"),
        (format!("ST_Intersects(geometry, {square}) OR id = 5"), "26"),
    ] {
        assert_eq!(cell(&s, &format!("SELECT count(*) {from} WHERE {condition}")).await, rows, "{condition}");
    }
    let plan = cells(&s, &format!("EXPLAIN SELECT id {from} WHERE ST_Within(geometry, {square})")).await;
    assert!(plan[1][1].contains("around 10,10,14,14"), "{plan:?}");
    // An index that lost rows is not believed.
    let connection = rusqlite::Connection::open(&target).unwrap();
    connection.execute("DELETE FROM rtree_grid_geometry WHERE id % 2 = 0", []).unwrap();
    drop(connection);
    assert_eq!(cell(&s, &format!("SELECT count(*) {from} WHERE ST_Intersects(geometry, {square})")).await, "25");
}

/// Row groups that lie elsewhere are not read, and no row of the answer depends on it.
#[tokio::test(flavor = "multi_thread")]
async fn row_groups_that_lie_elsewhere_are_passed_over() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    // 200,000 points from west to east: row groups of 65,536. Every thousandth has no place.
    let rows = "SELECT value AS id, ST_Point(CASE WHEN value % 1000 = 7 THEN NULL ELSE -123.0 + value * 1e-5 END, 45.0, 4326) AS geometry FROM generate_series(0, 199999)";
    let file = folder.path().join("east.parquet");
    let copy = format!("COPY ({rows} ORDER BY value) TO '{}'", file.display());
    // The engine's own format of this ending would have no bounds, nor a system for others.
    let told = error(&s, &copy).await;
    assert!(told.contains("geometry holds geometries") && told.contains("GEOPARQUET"), "{told}");
    assert_eq!(cell(&s, &format!("{copy} STORED AS GEOPARQUET")).await, "200000");
    // No point is on an edge, where the functions differ.
    let area = |west: f64, east: f64| {
        let (west, east) = (west + 4e-6, east + 4e-6);
        format!("ST_GeomFromText('POLYGON (({west} 44, {east} 44, {east} 46, {west} 46, {west} 44))', 4326)")
    };
    let count =
        |condition: &str| format!("SELECT count(*), sum(id) FROM read_layer('{}') WHERE {condition}", file.display());
    let expected = |west: f64, east: f64| {
        let inside = |id: i64| (west + 4e-6..east + 4e-6).contains(&(-123.0 + id as f64 * 1e-5));
        let ids = (0..200_000i64).filter(|id| id % 1000 != 7 && inside(*id));
        let (count, sum) = ids.fold((0, 0), |(count, sum), id| (count + 1, sum + id));
        [[count.to_string(), if count == 0 { "null".into() } else { sum.to_string() }]]
    };
    // How many parts of the file are named: where all of it is needed, the engine's own two halves.
    for (west, east, parts) in
        [(-122.999, -122.99, 1), (-122.35, -122.3, 2), (-121.01, -120.0, 1), (-130.0, -100.0, 2), (10.0, 11.0, 0)]
    {
        let (area, expected) = (area(west, east), expected(west, east));
        for condition in [
            format!("ST_Within(geometry, {area})"),
            format!("ST_Contains({area}, geometry)"),
            format!("ST_Intersects(geometry, {area}) AND id >= 0"),
        ] {
            assert_eq!(cells(&s, &count(&condition)).await, expected, "{condition}");
            let plan = cells(&s, &format!("EXPLAIN {}", count(&condition))).await;
            let ranges = plan[1][1].matches("east.parquet:").count();
            assert_eq!(ranges, parts, "{condition}: {}", plan[1][1]);
        }
    }
}

/// The engine's own tables keep the system of a geometry; its own formats would lose it, whichever of them it is.
#[tokio::test(flavor = "multi_thread")]
async fn geometries_stay_where_their_system_stays() {
    let folder = tempfile::tempdir().unwrap();
    let s = session();
    let rows = "SELECT 1 AS id, ST_Point(-123.8, 46.2, 4326) AS place";
    batches(&s, &format!("CREATE TABLE gates AS {rows}")).await.unwrap();
    batches(&s, &format!("INSERT INTO gates {rows}")).await.unwrap();
    assert_eq!(cells(&s, "SELECT count(*), min(ST_SRID(place)) FROM gates").await, [["2", "4326"]]);
    for format in ["PARQUET", "CSV", "JSON"] {
        let target = folder.path().join(format);
        let told = error(&s, &format!("COPY ({rows}) TO '{}' STORED AS {format}", target.display())).await;
        assert!(told.contains("place holds geometries"), "{format}: {told}");
        assert!(!target.exists(), "{format}");
        let text = "SELECT 1 AS id, ST_AsText(ST_Point(-123.8, 46.2, 4326)) AS place";
        assert_eq!(cell(&s, &format!("COPY ({text}) TO '{}' STORED AS {format}", target.display())).await, "1");
    }
}
