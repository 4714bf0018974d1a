//! Collections that are asked for in parts: what is found is what a walk over all rows finds.
#![cfg(feature = "geopackage")]

use basilocus::Cancel;
use basilocus::collections::filter::Filter;
use basilocus::collections::{
    Collection, Collections, Feature, Interval, Query, QueryError, Reading, Region, SystemName,
};
use basilocus::table::geometry::Geometry;
use proptest::prelude::*;
use std::path::{Path, PathBuf};

fn in_degrees() -> Reading {
    Reading { from: Some("EPSG:4326".into()), ..Default::default() }
}

fn open(files: &[PathBuf]) -> Collections {
    Collections::open(files, &in_degrees(), &Cancel::default()).unwrap()
}

fn written(folder: &Path, name: &str, text: &str) -> PathBuf {
    let file = folder.join(name);
    std::fs::write(&file, text).unwrap();
    file
}

const GATES: &str = "gate,kind,width,open,built,seen,lon,lat\n\
    A,culvert,1.5,true,1958-03-01,2026-11-25T10:00:00Z,-123.80,46.20\n\
    B,weir,2,false,1971-06-30,2026-11-26T10:00:00Z,-123.70,46.10\n\
    C,Tide gate,3.25,true,,2026-11-27T10:00:00Z,-123.60,46.00\n\
    D,100% new,,false,2001-01-01,,-123.50,45.90\n\
    É,culvert,0.5,,1990-01-01,2026-11-28T10:00:00Z,-123.40,45.80\n";

fn names(features: &[Feature]) -> String {
    features.iter().filter_map(|f| f.properties["gate"].as_str()).collect()
}

fn everything() -> Query {
    Query { limit: 100, ..Query::everything().unwrap() }
}

fn filtered(gates: &Collection, text: &str) -> Result<String, String> {
    let filter = Filter::read(text, gates, SystemName::crs84().unwrap()).map_err(|e| e.to_string())?;
    let page = gates.page(&Query { filter: Some(filter), ..everything() }).map_err(|e| e.to_string())?;
    assert_eq!(page.matched as usize, page.features.len());
    Ok(names(&page.features))
}

#[test]
fn filters_hold_for_the_rows_that_they_say() {
    let folder = tempfile::tempdir().unwrap();
    let collections = open(&[written(folder.path(), "gates.csv", GATES)]);
    let gates = collections.get("gates").unwrap();
    for (text, expected) in [
        ("kind = 'culvert'", "AÉ"),
        ("kind <> 'culvert'", "BCD"),
        ("width > 1.5", "BC"),
        ("width >= 1.5 AND width < 3", "AB"),
        ("width BETWEEN 1.5 AND 2", "AB"),
        ("width NOT BETWEEN 1.5 AND 2", "CÉ"),
        ("width IS NULL", "D"),
        ("width is not null and not kind = 'culvert'", "BC"),
        ("kind IN ('weir', 'Tide gate')", "BC"),
        ("kind NOT IN ('weir', 'Tide gate')", "ADÉ"),
        ("kind LIKE '%e%'", "ABCDÉ"),
        ("kind LIKE '%ei%'", "B"),
        ("kind LIKE 't%'", ""),
        ("CASEI(kind) LIKE CASEI('TIDE%')", "C"),
        ("CASEI(gate) = CASEI('é')", "É"),
        ("kind LIKE '100\\% ___'", "D"),
        ("kind LIKE '*'", ""),
        ("open", "AC"),
        ("NOT open", "BD"),
        ("open = FALSE", "BD"),
        ("open IS NULL", "É"),
        ("built < DATE('1971-06-30')", "A"),
        ("built <= DATE('1971-06-30')", "AB"),
        ("seen > TIMESTAMP('2026-11-26T10:00:00Z')", "CÉ"),
        ("seen = TIMESTAMP('2026-11-26T11:00:00+01:00')", "B"),
        ("gate = 'A' OR gate = 'B' AND width > 100", "A"),
        ("(gate = 'A' OR gate = 'B') AND width > 1.9", "B"),
        ("\"gate\"='A'or\"gate\"='C'", "AC"),
        ("TRUE", "ABCDÉ"),
        ("FALSE OR gate = 'D'", "D"),
        ("gate < 'C'", "AB"),
        ("gate = kind", ""),
        ("S_INTERSECTS(geometry, POINT(-123.8 46.2))", "A"),
        ("S_INTERSECTS(geometry, BBOX(-123.75, 45.95, -123.55, 46.15))", "BC"),
        ("S_INTERSECTS(BBOX(-123.7, 46.1, -123.6, 46.2), geometry)", "B"),
        ("NOT S_INTERSECTS(geometry, BBOX(-123.75, 45.95, -123.55, 46.15))", "ADÉ"),
        ("S_INTERSECTS(geometry, LINESTRING(-123.8 46.2, -123.7 46.1, -123.6 46.0))", "ABC"),
        ("S_INTERSECTS(geometry,POLYGON((-123.9 46.3,-123.9 46.0,-123.65 46.3,-123.9 46.3))) OR gate='D'", "AD"),
        ("geometry IS NULL", ""),
    ] {
        assert_eq!(filtered(gates, text).as_deref(), Ok(expected), "{text}");
    }
}

#[test]
fn filters_that_mean_nothing_say_where_and_why() {
    let folder = tempfile::tempdir().unwrap();
    let collections = open(&[written(folder.path(), "gates.csv", GATES)]);
    let gates = collections.get("gates").unwrap();
    for (text, part) in [
        ("", "expected at the end"),
        ("kind", "=, <>, <, >"),
        ("kind = 5", "a text in single quotes is expected at sign 8"),
        ("width = '5'", "a number is expected at sign 9"),
        ("width LIKE '5'", "LIKE compares texts"),
        ("built < TIMESTAMP('2026-11-26T10:00:00Z')", "a day, DATE('2026-11-25') is expected"),
        ("built < DATE('2026-13-01')", "is no day"),
        ("open > TRUE", "no order"),
        ("colour = 'red'", "no column \"colour\" in gates; it has: gate, kind"),
        ("kind = 'weir' kind", "AND, OR or the end is expected at sign 15"),
        ("kind = 'weir", "a text that ends with '"),
        ("(kind = 'weir'", "\")\" is expected at the end"),
        ("kind = \"weir\"", "no column \"weir\""),
        ("S_WITHIN(geometry, POINT(1 2))", "function S_WITHIN is not served"),
        ("S_INTERSECTS(kind, POINT(1 2))", "a shape in well-known text"),
        ("S_INTERSECTS(geometry, POINT(1))", "at sign 24"),
        ("S_INTERSECTS(geometry, BBOX(46, -123))", "2 numbers"),
        ("S_INTERSECTS(geometry, BBOX(46.1, -123.7, 46.2, -123.6))", "west,south,east,north"),
        ("geometry = 5", "S_INTERSECTS and IS NULL"),
        ("width > 1e999", "a number is expected"),
        ("width ! 5", "="),
        ("kind; DROP TABLE gates", "="),
        ("gate = 'A' AND", "a column or a value is expected at the end"),
        ("IN ('a')", "a column or a value"),
    ] {
        let problem = filtered(gates, text).expect_err(text);
        assert!(problem.contains(part), "{text}: {problem}");
    }
    // What is longer than the database bears is refused, and what is not is answered.
    let chain = |n: usize, word: &str| vec!["CASEI(kind) = 'weir'"; n].join(word);
    for word in [" OR ", " AND "] {
        assert!(filtered(gates, &chain(501, word)).unwrap_err().contains("more than 500 conditions"));
        assert_eq!(filtered(gates, &chain(500, word)).as_deref(), Ok("B"));
    }
    let listed = |n: usize| format!("width IN ({})", vec!["2"; n].join(","));
    assert!(filtered(gates, &listed(20_000)).unwrap_err().contains("more than 10000 values"));
    assert_eq!(filtered(gates, &listed(9_990)).as_deref(), Ok("B"));
    let pattern = |n: usize| format!("kind LIKE '{}'", "%".repeat(n));
    assert!(filtered(gates, &pattern(60_000)).unwrap_err().contains("a pattern has more"));
    assert_eq!(filtered(gates, &pattern(100)).as_deref(), Ok("ABCDÉ"));
    let deep = format!("{}TRUE{}", "(".repeat(100_000), ")".repeat(100_000));
    assert!(filtered(gates, &deep).unwrap_err().contains("signs"));
    let deep = format!("{}TRUE{}", "(".repeat(5000), ")".repeat(5000));
    assert!(filtered(gates, &deep).unwrap_err().contains("lie in each other"));
    let deep = format!("{} TRUE", "NOT ".repeat(5000));
    assert!(filtered(gates, &deep).unwrap_err().contains("lie in each other"));
}

#[test]
fn pages_hold_every_row_once() {
    let folder = tempfile::tempdir().unwrap();
    let mut text = String::from("gate,lon,lat\n");
    for i in 0..257 {
        text.push_str(&format!("G{i},{},{}\n", -124.0 + f64::from(i % 17) * 0.05, 46.0 + f64::from(i) * 0.001));
    }
    let collections = open(&[written(folder.path(), "gates.csv", &text)]);
    let gates = collections.get("gates").unwrap();
    let (mut query, mut seen) = (Query { limit: 10, ..everything() }, Vec::new());
    loop {
        let page = gates.page(&query).unwrap();
        assert_eq!(page.matched, 257);
        seen.extend(page.features.iter().map(|f| f.properties["gate"].as_str().unwrap().to_string()));
        match page.next {
            Some(next) => query.after = Some(next),
            None => break,
        }
    }
    assert_eq!(seen, (0..257).map(|i| format!("G{i}")).collect::<Vec<_>>());
    // A page that is just full is the last one.
    assert_eq!(gates.page(&Query { limit: 257, ..everything() }).unwrap().next, None);
    let feature = gates.feature_of(3, &SystemName::crs84().unwrap()).unwrap().unwrap();
    assert_eq!((feature.id, feature.properties["gate"].as_str()), (3, Some("G2")));
    assert!(gates.feature_of(999, &SystemName::crs84().unwrap()).unwrap().is_none());
}

#[test]
fn an_extent_finds_the_same_in_any_system() {
    let folder = tempfile::tempdir().unwrap();
    let plain = written(folder.path(), "gates.csv", GATES);
    let utm = folder.path().join("gates-utm.gpkg");
    let degrees = || basilocus::steps::Positions::in_system("EPSG:4326").unwrap();
    basilocus::Layer::open(&plain)
        .unwrap()
        .positions(degrees())
        .to("EPSG:32610")
        .unwrap()
        .write(&utm)
        .unwrap()
        .run()
        .unwrap();
    let collections = open(&[plain, utm]);
    let find = |id: &str, numbers: &[f64], system: &str| {
        let layer = collections.get(id).unwrap();
        let extent = Region::extent(numbers, SystemName::read(system).unwrap()).unwrap();
        names(&layer.page(&Query { extent: Some(extent), ..everything() }).unwrap().features)
    };
    for id in ["gates", "gates-utm-gates"] {
        assert_eq!(find(id, &[-123.75, 45.95, -123.55, 46.15], "OGC:CRS84"), "BC", "{id}");
        // Latitude first by the registry.
        assert_eq!(find(id, &[45.95, -123.75, 46.15, -123.55], "EPSG:4326"), "BC", "{id}");
        assert_eq!(find(id, &[-180.0, -90.0, 180.0, 90.0], "OGC:CRS84"), "ABCDÉ", "{id}");
        // From east of New Zealand across the 180° meridian to the coast.
        assert_eq!(find(id, &[170.0, 45.95, -123.65, 80.0], "OGC:CRS84"), "AB", "{id}");
        // A square in the Lambert grid of the state in feet, by the public numbers of its corners: see below.
        let square = collections.get(id).unwrap();
        let page = square.page(&Query { system: SystemName::read("EPSG:2269").unwrap(), ..everything() }).unwrap();
        let Some(Geometry::Point(b)) = page.features[1].geometry else { panic!("no point") };
        assert_eq!(find(id, &[b.x - 10.0, b.y - 10.0, b.x + 10.0, b.y + 10.0], "EPSG:2269"), "B", "{id}");
    }
    let bad = |numbers: &[f64], system: &str| {
        Region::extent(numbers, SystemName::read(system).unwrap()).unwrap_err().to_string()
    };
    assert!(bad(&[1.0, 2.0, 3.0], "OGC:CRS84").contains("3 numbers"));
    assert!(bad(&[46.0, -124.0, 45.0, -123.0], "EPSG:4326").contains("south,west,north,east"));
    assert!(bad(&[500.0, 46.0, 501.0, 47.0], "OGC:CRS84").contains("-180 to 180"));
    assert!(bad(&[f64::NAN, 46.0, 501.0, 47.0], "OGC:CRS84").contains("finite"));
    assert!(bad(&[9.0, 1.0, 2.0, 3.0], "EPSG:32610").contains("western edge"));
}

#[test]
fn the_180th_meridian_has_two_sides_and_is_on_both() {
    let folder = tempfile::tempdir().unwrap();
    let table = "gate,lon,lat\nW,179.9,-17\nM,180,-17\nN,-180,-17\nE,-179.9,-17\n";
    let collections = open(&[written(folder.path(), "gates.csv", table)]);
    let gates = collections.get("gates").unwrap();
    let find = |w: f64, e: f64| {
        let extent = Region::extent(&[w, -20.0, e, -10.0], SystemName::crs84().unwrap()).unwrap();
        names(&gates.page(&Query { extent: Some(extent), ..everything() }).unwrap().features)
    };
    assert_eq!(find(170.0, 180.0), "WMN");
    assert_eq!(find(-180.0, -170.0), "MNE");
    assert_eq!(find(170.0, -170.0), "WMNE");
    assert_eq!(find(-180.0, 180.0), "WMNE");
    assert_eq!(find(-170.0, 170.0), "");
    // In a grid of the islands the meridian is a line like any other.
    let fiji = gates.page(&Query { system: SystemName::read("EPSG:3460").unwrap(), ..everything() }).unwrap();
    let x = |i: usize| match fiji.features[i].geometry {
        Some(Geometry::Point(p)) => p.x,
        _ => panic!("no point"),
    };
    let extent =
        Region::extent(&[x(1) - 100.0, 3_800_000.0, x(1) + 100.0, 4_200_000.0], SystemName::read("EPSG:3460").unwrap());
    let page = gates.page(&Query { extent: Some(extent.unwrap()), ..everything() }).unwrap();
    assert_eq!(names(&page.features), "MN");
}

#[test]
fn answers_are_in_the_system_that_was_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    let collections = open(&[written(folder.path(), "gates.csv", GATES)]);
    let gates = collections.get("gates").unwrap();
    assert_eq!(gates.extent().unwrap().map(|v| (v * 10.0).round() / 10.0), [-123.8, 45.8, -123.4, 46.2]);
    assert_eq!(gates.storage().unwrap().uri, "http://www.opengis.net/def/crs/EPSG/0/4326");
    let page = gates.page(&Query { system: SystemName::read("EPSG:32610").unwrap(), ..everything() }).unwrap();
    let Some(Geometry::Point(p)) = page.features[0].geometry else { panic!("no point") };
    // 46.2 N 123.8 W in zone 10, by Krüger's series to the eighth order with 50 digits (tests/reference of the geodesy crate
    // has the script): 438276.867, 5116579.018.
    assert!((p.x - 438_277.0).abs() < 2.0 && (p.y - 5_116_579.0).abs() < 2.0, "{p:?}");
    assert!(gates.page(&Query { system: SystemName::read("EPSG:27700").unwrap(), ..everything() }).is_ok());
}

#[test]
fn times_and_values_are_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    let collections = open(&[written(folder.path(), "gates.csv", GATES)]);
    let gates = collections.get("gates").unwrap();
    let at = |text: &str| {
        let time = Some(Interval::read(text).unwrap());
        names(&gates.page(&Query { time, ..everything() }).unwrap().features)
    };
    assert_eq!(at("2026-11-26"), "B");
    assert_eq!(at("1971-06-30T12:00:00Z"), "B", "a day lasts all day");
    assert_eq!(at("../1960-01-01"), "A");
    assert_eq!(at("2026-11-27T10:00:00Z/.."), "CÉ");
    let valued = |name: &str, value: &str| {
        let values = vec![(name.to_string(), value.to_string())];
        gates.page(&Query { values, ..everything() }).map(|p| names(&p.features)).map_err(|e| e.to_string())
    };
    assert_eq!(valued("kind", "culvert").unwrap(), "AÉ");
    assert_eq!(valued("width", "2").unwrap(), "B");
    assert_eq!(valued("width", "2.0").unwrap(), "B");
    assert_eq!(valued("open", "true").unwrap(), "AC");
    assert_eq!(valued("built", "1958-03-01").unwrap(), "A");
    assert!(valued("width", "wide").unwrap_err().contains("the column holds numbers"));
    assert!(valued("open", "1").unwrap_err().contains("true and false"));
    assert!(valued("colour", "1").unwrap_err().contains("no such column"));
    // A layer without times cannot be asked for one: nothing found would look like an answer.
    let plain = open(&[written(folder.path(), "plain.csv", "gate,lon,lat\nA,-123.8,46.2\n")]);
    let plain = plain.get("plain").unwrap();
    let time = Some(Interval::read("2026-11-26").unwrap());
    let problem = plain.page(&Query { time, ..everything() }).unwrap_err();
    assert!(matches!(problem, QueryError::Question { ref parameter, .. } if parameter == "datetime"));
}

#[test]
fn rows_that_are_set_aside_and_layers_of_one_name_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let gates = written(folder.path(), "gates.csv", "gate,lon,lat\nA,-123.8,46.2\nB,-123.8,95\n");
    let collections = open(std::slice::from_ref(&gates));
    let notices = collections.get("gates").unwrap().notices().join("\n");
    assert!(notices.contains("1 row set aside: latitude out of range"), "{notices}");
    let again = folder.path().join("more");
    std::fs::create_dir(&again).unwrap();
    let same = written(&again, "gates.csv", GATES);
    let problem = Collections::open(&[gates, same], &in_degrees(), &Cancel::default()).err().unwrap();
    assert!(problem.to_string().contains("both hold a layer \"gates\""), "{problem}");
    let nowhere = written(folder.path(), "nowhere.csv", "easting,northing\n500000,5100000\n");
    assert!(Collections::open(&[nowhere], &Reading::default(), &Cancel::default()).is_err());
}

#[test]
fn a_geopackage_of_others_is_served_as_it_lies_there() {
    // Its key has another name, there is no index, a column of numbers holds a text, and one of texts a number.
    let folder = tempfile::tempdir().unwrap();
    let file = packaged(folder.path());
    let c = rusqlite::Connection::open(&file).unwrap();
    let triggers: Vec<String> = {
        let mut s = c.prepare("SELECT name FROM sqlite_master WHERE type = 'trigger'").unwrap();
        s.query_map([], |r| r.get(0)).unwrap().map(Result::unwrap).collect()
    };
    for t in triggers {
        c.execute_batch(&format!("DROP TRIGGER \"{t}\"")).unwrap();
    }
    c.execute_batch(
        "DROP TABLE rtree_gates_geometry;
         ALTER TABLE gates RENAME COLUMN feature_id TO \"f\"\"id\";
         UPDATE gates SET width = 'wide' WHERE gate = 'B';
         UPDATE gates SET \"f\"\"id\" = \"f\"\"id\" * 10 + 1;
         UPDATE gates SET geometry = x'4750' WHERE gate = 'D';",
    )
    .unwrap();
    drop(c);
    let before = std::fs::read(&file).unwrap();
    let collections = open(std::slice::from_ref(&file));
    let gates = collections.get("gates").unwrap();
    assert_eq!(gates.store(), file);
    let page = gates.page(&everything()).unwrap();
    assert_eq!(page.features.iter().map(|f| f.id).collect::<Vec<_>>(), [11, 21, 31, 41, 51]);
    assert_eq!(page.without_place, 1, "the shape of D is damaged");
    assert_eq!(page.features[1].properties["width"], "wide");
    assert_eq!(filtered(gates, "width > 1").as_deref(), Ok("AC"), "a text is not above all numbers");
    let extent = Region::extent(&[-123.75, 45.0, -123.0, 46.15], SystemName::crs84().unwrap()).unwrap();
    let page = gates.page(&Query { extent: Some(extent), ..everything() }).unwrap();
    assert_eq!(names(&page.features), "BCÉ");
    assert_eq!(std::fs::read(&file).unwrap(), before);
}

#[test]
fn a_workbook_of_ours_is_served_without_what_it_says_of_itself() {
    let folder = tempfile::tempdir().unwrap();
    let table = "gate,lon,lat\nA,-123.8,46.2\nLost,-123.8,95\nB,-123.7,46.1\n";
    let made = written(folder.path(), "gates.csv", table);
    let book = folder.path().join("book.xlsx");
    let degrees = basilocus::steps::Positions::in_system("EPSG:4326").unwrap();
    basilocus::Layer::open(&made).unwrap().positions(degrees).write(&book).unwrap().run().unwrap();
    let collections = open(std::slice::from_ref(&book));
    let ids: Vec<&str> = collections.iter().map(Collection::id).collect();
    assert_eq!(ids, ["gates"], "{:?}", collections.notices());
    assert_eq!(names(&collections.get("gates").unwrap().page(&everything()).unwrap().features), "AB");
    assert!(collections.notices().iter().any(|n| n.contains("Set aside") && n.contains("not served")));
    // Of a table of which no row has a position nothing is served, and that is told.
    let nowhere = open(&[written(folder.path(), "nowhere.csv", "gate,lon,lat\nLost,-123.8,95\n")]);
    let nowhere = nowhere.get("nowhere").unwrap();
    assert_eq!((nowhere.rows(), nowhere.extent()), (0, None));
    assert!(
        nowhere.notices().contains(&"1 row set aside: latitude out of range".to_string()),
        "{:?}",
        nowhere.notices()
    );
}

/// A GeoPackage of the gates.
fn packaged(folder: &Path) -> PathBuf {
    let file = folder.join("packaged.gpkg");
    let made = written(folder, "gates.csv", GATES);
    let degrees = basilocus::steps::Positions::in_system("EPSG:4326").unwrap();
    basilocus::Layer::open(&made).unwrap().positions(degrees).write(&file).unwrap().run().unwrap();
    file
}

#[test]
fn an_index_that_was_not_kept_up_loses_no_row() {
    let folder = tempfile::tempdir().unwrap();
    let file = packaged(folder.path());
    let all = || {
        let collections = open(std::slice::from_ref(&file));
        let gates = collections.get("gates").unwrap();
        let extent = Region::extent(&[-123.75, 45.0, -123.0, 46.15], SystemName::crs84().unwrap()).unwrap();
        let page = gates.page(&Query { extent: Some(extent), ..everything() }).unwrap();
        (names(&page.features), gates.notices().join("\n"))
    };
    assert_eq!(all(), ("BCDÉ".to_string(), String::new()));
    let c = rusqlite::Connection::open(&file).unwrap();
    c.execute("DELETE FROM rtree_gates_geometry WHERE id = 3", []).unwrap();
    drop(c);
    let (found, told) = all();
    assert_eq!(found, "BCDÉ", "the third gate is there although the index lacks it");
    assert!(told.contains("the spatial index of the file does not hold all rows"), "{told}");
}

#[test]
fn a_key_of_several_columns_loses_no_row() {
    let folder = tempfile::tempdir().unwrap();
    let file = packaged(folder.path());
    let c = rusqlite::Connection::open(&file).unwrap();
    c.execute_batch(
        "CREATE TABLE pairs (side INTEGER NOT NULL, place INTEGER NOT NULL, gate TEXT, PRIMARY KEY (side, place));
         INSERT INTO pairs VALUES (1, 1, 'A'), (1, 2, 'B'), (1, 3, 'C'), (2, 1, 'D');
         INSERT INTO gpkg_contents (table_name, data_type, identifier) VALUES ('pairs', 'attributes', 'Pairs');",
    )
    .unwrap();
    drop(c);
    let collections = open(std::slice::from_ref(&file));
    let pairs = collections.get("pairs").unwrap();
    let (mut query, mut seen) = (Query { limit: 1, ..everything() }, String::new());
    loop {
        let page = pairs.page(&query).unwrap();
        seen.push_str(&names(&page.features));
        match page.next {
            Some(next) => query.after = Some(next),
            None => break,
        }
    }
    assert_eq!(seen, "ABCD");
    assert_eq!(pairs.columns().len(), 3, "the parts of the key are columns like others");
}

#[test]
fn rows_of_a_view_have_numbers_after_a_conversion() {
    let folder = tempfile::tempdir().unwrap();
    let file = packaged(folder.path());
    let c = rusqlite::Connection::open(&file).unwrap();
    c.execute_batch(
        "CREATE VIEW weirs AS SELECT gate, geometry FROM gates WHERE kind = 'weir';
         INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id)
           SELECT 'weirs', 'features', 'Weirs', srs_id FROM gpkg_contents WHERE table_name = 'gates';
         INSERT INTO gpkg_geometry_columns SELECT 'weirs', column_name, geometry_type_name, srs_id, z, m
           FROM gpkg_geometry_columns WHERE table_name = 'gates';",
    )
    .unwrap();
    drop(c);
    let collections = open(std::slice::from_ref(&file));
    let weirs = collections.get("weirs").unwrap();
    let page = weirs.page(&everything()).unwrap();
    assert_eq!((names(&page.features).as_str(), page.matched, page.features[0].id), ("B", 1, 1));
    assert_ne!(weirs.store(), file, "it is searched in a copy");
    assert_eq!(names(&collections.get("gates").unwrap().page(&everything()).unwrap().features), "ABCDÉ");
}

#[test]
fn what_takes_too_long_is_given_up() {
    let folder = tempfile::tempdir().unwrap();
    let mut text = String::from("gate,lon,lat\n");
    for i in 0..20_000 {
        text.push_str(&format!("G{i},-123.8,46.2\n"));
    }
    let collections = open(&[written(folder.path(), "gates.csv", &text)]);
    let gates = collections.get("gates").unwrap();
    let filter = Filter::read("CASEI(gate) LIKE CASEI('g1%')", gates, SystemName::crs84().unwrap()).unwrap();
    let late = Query { until: Some(std::time::Instant::now()), filter: Some(filter), ..everything() };
    assert!(matches!(gates.page(&late), Err(QueryError::TooLong)));
    // The next one is not in a hurry.
    assert_eq!(gates.page(&everything()).unwrap().matched, 20_000);
}

#[test]
fn lines_and_areas_meet_extents_that_hold_none_of_their_corners() {
    let folder = tempfile::tempdir().unwrap();
    let file = written(
        folder.path(),
        "shapes.csv",
        "name,wkt\nline,\"LINESTRING (-124 46, -123 47)\"\narea,\"POLYGON ((-124 46, -123 46, -123 47, -124 47, -124 46))\"\n",
    );
    let collections = Collections::open(&[file], &Reading::default(), &Cancel::default());
    // A table with shapes says no system, and so is refused rather than taken as degrees.
    let problem = collections.err().map(|e| e.to_string()).unwrap_or_default();
    assert!(problem.contains("system"), "{problem}");
    let made = folder.path().join("made.geojson");
    let object =
        |name: &str, g: &str| format!(r#"{{"type":"Feature","properties":{{"gate":"{name}"}},"geometry":{g}}}"#);
    let line = object("L", r#"{"type":"LineString","coordinates":[[-124,46],[-123,47]]}"#);
    let area = object("P", r#"{"type":"Polygon","coordinates":[[[-124,46],[-123,46],[-123,47],[-124,47],[-124,46]]]}"#);
    std::fs::write(&made, format!(r#"{{"type":"FeatureCollection","features":[{line},{area}]}}"#)).unwrap();
    let collections = open(&[made]);
    let layer = collections.get("made").unwrap();
    let find = |w, s, e, n| {
        let extent = Region::extent(&[w, s, e, n], SystemName::crs84().unwrap()).unwrap();
        names(&layer.page(&Query { extent: Some(extent), ..everything() }).unwrap().features)
    };
    assert_eq!(find(-123.6, 46.4, -123.4, 46.6), "LP");
    assert_eq!(find(-123.3, 46.1, -123.2, 46.2), "P");
    assert_eq!(find(-122.9, 46.1, -122.8, 46.2), "");
}

/// Words of filters, right and wrong, in any order.
const WORDS: [&str; 34] = [
    "kind",
    "width",
    "open",
    "built",
    "seen",
    "geometry",
    "colour",
    "'weir'",
    "'it''s'",
    "'%e_'",
    "2",
    "-1.5e1",
    "TRUE",
    "DATE('1958-03-01')",
    "TIMESTAMP('2026-11-26T10:00:00Z')",
    "CASEI(kind)",
    "S_INTERSECTS(geometry,",
    "POINT(1 2)",
    "BBOX(-124,46,-123,47)",
    "AND",
    "OR",
    "NOT",
    "(",
    ")",
    ",",
    "=",
    "<>",
    "<",
    ">=",
    "LIKE",
    "BETWEEN",
    "IN",
    "IS",
    "NULL",
];

fn shared_gates() -> &'static Collections {
    static GATES_OPEN: std::sync::OnceLock<Collections> = std::sync::OnceLock::new();
    GATES_OPEN.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        open(&[written(folder.path(), "gates.csv", GATES)])
    })
}

proptest! {
    /// Whatever is read as a filter is one that SQLite understands, and of a row a filter holds, its opposite does, or
    /// neither does as a value is missing.
    #[test]
    fn what_is_read_can_be_asked(words in prop::collection::vec(0..WORDS.len(), 1..12)) {
        let gates = shared_gates().get("gates").unwrap();
        let text = words.iter().map(|i| WORDS[*i]).collect::<Vec<_>>().join(" ");
        let read = |text: &str| Filter::read(text, gates, SystemName::crs84().unwrap());
        if let Ok(filter) = read(&text) {
            let matched = |filter| gates.page(&Query { filter: Some(filter), ..everything() }).unwrap().matched;
            let opposite = read(&format!("NOT ({text})")).unwrap();
            prop_assert!(matched(filter) + matched(opposite) <= 5, "{}", text);
        }
    }

    /// A comparison, which is nearly always read: it holds for the rows that a walk over them finds.
    #[test]
    fn comparisons_hold_for_the_rows_that_they_say(bound in -2.0f64..5.0, sign in 0..6usize, negated: bool) {
        let gates = shared_gates().get("gates").unwrap();
        let signs = ["<>", "<=", ">=", "=", "<", ">"];
        let bound = (bound * 4.0).round() / 4.0;
        let text = format!("{}width {} {bound}", if negated { "NOT " } else { "" }, signs[sign]);
        let holds = |width: f64| match signs[sign] {
            "<>" => width != bound,
            "<=" => width <= bound,
            ">=" => width >= bound,
            "=" => width == bound,
            "<" => width < bound,
            _ => width > bound,
        };
        let rows = [("A", 1.5), ("B", 2.0), ("C", 3.25), ("É", 0.5)];
        let expected: String = rows.iter().filter(|(_, w)| holds(*w) != negated).map(|(g, _)| *g).collect();
        prop_assert_eq!(filtered(gates, &text), Ok(expected));
    }

    #[test]
    fn no_text_breaks_the_reader(text in "\\PC{0,60}") {
        let gates = shared_gates().get("gates").unwrap();
        let _ = Filter::read(&text, gates, SystemName::crs84().unwrap());
        let _ = SystemName::read(&text);
        let _ = Interval::read(&text);
    }

    /// An extent in any system finds what a walk over all rows finds, R-tree or not.
    #[test]
    fn extents_find_what_a_walk_finds(w in -124.0f64..-123.0, s in 45.5f64..46.5, across in 0.0f64..0.6, up in 0.0f64..0.6) {
        let gates = shared_gates().get("gates").unwrap();
        let places = [("A", -123.8, 46.2), ("B", -123.7, 46.1), ("C", -123.6, 46.0), ("D", -123.5, 45.9), ("É", -123.4, 45.8)];
        let (e, n) = (w + across, s + up);
        let inside = |lon: f64, lat: f64| w <= lon && lon <= e && s <= lat && lat <= n;
        let expected: String = places.iter().filter(|(_, lon, lat)| inside(*lon, *lat)).map(|(g, ..)| *g).collect();
        for (numbers, system) in [([w, s, e, n], "OGC:CRS84"), ([s, w, n, e], "EPSG:4326")] {
            let extent = Region::extent(&numbers, SystemName::read(system).unwrap()).unwrap();
            let page = gates.page(&Query { extent: Some(extent), ..everything() }).unwrap();
            prop_assert_eq!(names(&page.features), expected.clone());
        }
    }
}
