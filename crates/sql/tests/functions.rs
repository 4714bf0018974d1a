//! Functions in queries, as a user calls them; expected values come from somewhere else.

mod common;

use basilocus::addresses::reference::{BuildPlan, build};
use common::{batches, cell, cells, error, number, session, store};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// An address reference of three houses.
fn reference(folder: &std::path::Path) -> PathBuf {
    let (points, reference) = (folder.join("points.csv"), folder.join("town.reference"));
    let houses = "number,street,locality,region,postcode,lon,lat
12,Heron Ln,Ternport,OR,97981,-123.8,46.2
14,Heron Ln,Ternport,OR,97981,-123.8002,46.2
3,Gull St,Ternport,OR,97981,-123.81,46.21
";
    std::fs::write(&points, houses).unwrap();
    let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
    build(&plan, &basilocus::Cancel::default(), &()).unwrap();
    reference
}

#[tokio::test]
async fn geometries_are_made_read_and_written() {
    let s = session();
    assert_eq!(cell(&s, "SELECT ST_AsText(ST_Point(1.5, -2))").await, "POINT (1.5 -2)");
    let text = "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))";
    assert_eq!(cell(&s, &format!("SELECT ST_AsText(ST_GeomFromText('{text}', 4326))")).await, text);
    assert_eq!(
        cell(&s, &format!("SELECT ST_AsText(ST_GeomFromWKB(ST_AsBinary(ST_GeomFromText('{text}'))))")).await,
        text
    );
    let row = cells(
        &s,
        "SELECT ST_X(p), ST_Y(p), ST_Z(p), ST_SRID(p) FROM (SELECT ST_GeomFromText('POINT Z (1 2 3)', 7844) AS p)",
    )
    .await;
    assert_eq!(row, [["1.0", "2.0", "3.0", "7844"]]);
    assert_eq!(
        cells(&s, "SELECT ST_SRID(p), ST_X(p) FROM (SELECT ST_Point(x, 1) AS p FROM (VALUES (1), (NULL)) AS t(x))")
            .await,
        [["null", "1.0"], ["null", "null"]]
    );
    let envelope = "SELECT ST_AsText(ST_Envelope(ST_GeomFromText('LINESTRING (1 5, 3 2)')))";
    assert_eq!(cell(&s, envelope).await, "POLYGON ((1 2, 3 2, 3 5, 1 5, 1 2))");
}

/// The central meridian of a zone has the easting 500,000; the geodetic example is that of EPSG Guidance Note 7-2 for the
/// British grid (OSGB36): 50°30' N, 0°30' E is 577 274.99 E, 69 740.50 N.
#[tokio::test]
async fn positions_go_to_other_systems_and_say_how() {
    let s = session();
    assert_eq!(
        cell(&s, "SELECT ST_AsText(ST_Transform(ST_Point(-123.0, 0.0, 4326), 32610))").await,
        "POINT (500000 0)"
    );
    let sql = "SELECT t.x, t.y FROM (SELECT transform(0.5, 50.5, 4277, 'EPSG:27700') AS t)";
    let row = cells(&s, sql).await;
    let [x, y] = [0, 1].map(|i| row[0][i].parse::<f64>().unwrap());
    assert!((x - 577_274.99).abs() < 0.01 && (y - 69_740.50).abs() < 0.01, "{x} {y}");
    // The result carries its system.
    assert_eq!(cell(&s, "SELECT ST_SRID(ST_Transform(ST_Point(-123.0, 0.0, 4326), 32610))").await, "32610");
    // Between two datums the operation and its accuracy are told.
    let sql =
        "SELECT t.accuracy_m > 0, t.operation <> '', t.reason FROM (SELECT transform(-123.8, 46.2, 4267, 4326) AS t)";
    assert_eq!(cells(&s, sql).await, [["true", "true", "null"]]);
    // Systems may differ from row to row.
    let sql = "SELECT t.x, t.reason IS NULL FROM (SELECT transform(x, 0, system, 4326) AS t
        FROM (VALUES (500000.0, 'EPSG:32610'), (500000.0, 'EPSG:32611'), (1.0, 'nowhere'), (1.0, NULL)) AS v(x, system))";
    let rows = cells(&s, sql).await;
    assert_eq!(rows[..2], [["-123.0", "true"], ["-117.0", "true"]]);
    assert_eq!(rows[2..], [["null", "false"], ["null", "false"]]);
}

/// With the area said, a query takes the very operation that the command takes for data there.
#[tokio::test]
async fn an_area_decides_which_way_is_taken() {
    let s = session();
    let sql = "SELECT t.operation FROM (SELECT transform(-123.8, 46.2, 4267, 4326) AS t)";
    let by_place = cell(&s, sql).await;
    batches(&s, "SET basilocus.area = 'Oregon'").await.unwrap();
    let by_area = cell(&s, sql).await;
    assert!(by_place.contains("western") && by_area.contains("western"), "{by_place}; {by_area}");
    batches(&s, "SET basilocus.area = 'Florida'").await.unwrap();
    assert_ne!(cell(&s, sql).await, by_area);
}

#[tokio::test]
async fn measures_are_those_of_the_ground() {
    let s = session();
    // A degree of the equator of WGS 84 is a·π/180.
    let degree = 6_378_137.0 * std::f64::consts::PI / 180.0;
    let length = number(&s, "SELECT ST_Length(ST_GeomFromText('LINESTRING (0 0, 1 0)', 4326))").await;
    let apart = number(&s, "SELECT ST_Distance(ST_Point(179.5, 0, 4326), ST_Point(-179.5, 0, 4326))").await;
    assert!((length - degree).abs() < 1e-6 && (apart - degree).abs() < 1e-6, "{length} {apart}");
    let square = "ST_GeomFromText('POLYGON ((0 0, 10 0, 10 10, 0 10, 0 0))', 32610)";
    let sql = format!("SELECT ST_Area({square}), ST_Perimeter({square})");
    assert_eq!(cells(&s, &sql).await, [["100.0", "40.0"]]);
    let told = error(&s, "SELECT ST_Area(ST_GeomFromText('POLYGON ((0 0, 10 0, 10 10, 0 0))', 3857))").await;
    assert!(told.contains("stretched"), "{told}");
    let told = error(&s, &format!("SELECT ST_Length({square})")).await;
    assert!(told.contains("a POLYGON has no length"), "{told}");
}

#[tokio::test]
async fn relations_are_those_of_simple_features() {
    let s = session();
    let square = "ST_GeomFromText('POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))')";
    let sql = format!(
        "SELECT ST_Within(p, {square}), ST_Contains({square}, p), ST_Intersects(p, {square})
         FROM (SELECT ST_Point(x, 2) AS p FROM (VALUES (2), (4), (5), (NULL)) AS t(x))"
    );
    let expected = [["true", "true", "true"], ["false", "false", "true"], ["false"; 3], ["null"; 3]];
    assert_eq!(cells(&s, &sql).await, expected);
}

#[tokio::test]
async fn systems_are_never_mixed_or_renamed() {
    let s = session();
    let told = error(&s, "SELECT ST_Within(ST_Point(1, 2, 4326), ST_Point(1, 2, 32610))").await;
    assert!(told.contains("different systems, EPSG:4326 and EPSG:32610") && told.contains("ST_Transform"), "{told}");
    let told = error(&s, "SELECT ST_Distance(ST_Point(1, 2, 4326), ST_Point(1, 2))").await;
    assert!(told.contains("no system"), "{told}");
    let told = error(&s, "SELECT ST_Transform(ST_Point(1, 2), 4326)").await;
    assert!(told.contains("ST_SRID(geometry, system)"), "{told}");
    assert_eq!(cell(&s, "SELECT ST_SRID(ST_SRID(ST_Point(1, 2), 4326))").await, "4326");
    let told = error(&s, "SELECT ST_SRID(ST_Point(1, 2, 4326), 32610)").await;
    assert!(told.contains("would only be called"), "{told}");
    let told = error(&s, "SELECT ST_Point(1, 2, 'EPSG:99999')").await;
    assert!(told.contains("99999"), "{told}");
}

#[tokio::test]
async fn what_fails_is_an_error_or_null_with_its_reason() {
    let s = session();
    let sql = "SELECT ST_AsText(ST_GeomFromText(t)), ST_GeomFromText_reason(t) FROM (VALUES ('POINT (1 2)'), ('POINT (1'), (NULL)) AS v(t)";
    let told = error(&s, sql).await;
    assert!(told.contains("POINT (1\"") && told.contains("on_failure"), "{told}");
    batches(&s, "SET basilocus.on_failure = 'null'").await.unwrap();
    let rows = cells(&s, sql).await;
    assert_eq!((rows[0][0].as_str(), rows[0][1].as_str()), ("POINT (1 2)", "null"));
    assert!(rows[1][0] == "null" && rows[1][1].contains("POINT (1"), "{rows:?}");
    assert_eq!(rows[2], ["null", "null"]);
    // A latitude beyond the pole.
    let sql = "SELECT ST_Transform(p, 32610) IS NULL, ST_Transform_reason(p, 32610) FROM (SELECT ST_Point(-123, 95, 4326) AS p)";
    let rows = cells(&s, sql).await;
    assert!(rows[0][0] == "true" && rows[0][1].contains("95"), "{rows:?}");
    batches(&s, "SET basilocus.on_failure = 'error'").await.unwrap();
    let told = error(&s, "SELECT read_position('nonsense')").await;
    assert!(told.contains("read_position: row 1"), "{told}");
    let told = error(&s, "SET basilocus.on_failure = 'sometimes'").await;
    assert!(told.contains("error, null or told"), "{told}");
    let told = error(&s, "SET basilocus.on_error = 'null'").await;
    assert!(told.contains("basilocus.on_failure"), "{told}");
}

#[tokio::test]
async fn positions_are_read_and_written() {
    let s = session();
    let sql = "SELECT p.x, p.y, p.system, p.reason IS NULL FROM (SELECT read_position(t) AS p
        FROM (VALUES ('46° 12'' N, 123° 48'' W'), ('46.2 -123.8'), ('12 34'), (NULL), ('')) AS v(t))";
    let rows = cells(&s, sql).await;
    assert_eq!(rows[0], ["-123.8", "46.2", "EPSG:4326", "true"]);
    assert_eq!(rows[1], ["-123.8", "46.2", "EPSG:4326", "true"]);
    assert_eq!(rows[2][3], "false", "either may be the latitude: {:?}", rows[2]);
    assert_eq!((rows[3][0].as_str(), rows[3][3].as_str()), ("null", "true"));
    assert_eq!(rows[4][3], "false");
    let sql = "SELECT p.x, p.y FROM (SELECT read_position('12 34', 4326, 'latitude-first') AS p)";
    assert_eq!(cells(&s, sql).await, [["34.0", "12.0"]]);
    let sql = "SELECT write_position(-123.8, 46.2, 'degrees-minutes', 3)";
    assert_eq!(cell(&s, sql).await, "46° 12.000' N, 123° 48.000' W");
    let told = error(&s, "SELECT write_position(-123.8, 46.2, 'minutes')").await;
    assert!(told.contains("notation"), "{told}");
    let told = error(&s, "SELECT write_position(-123.8, 96.2, 'mgrs')").await;
    assert!(told.contains("cannot be written"), "{told}");
}

#[tokio::test]
async fn addresses_are_found_and_what_is_not_says_why() {
    let folder = tempfile::tempdir().unwrap();
    let path = reference(folder.path());
    let s = session();
    let told = error(&s, "SELECT geocode('12 Heron Lane, Ternport')").await;
    assert!(told.contains("no address reference is said"), "{told}");
    batches(&s, &format!("SET basilocus.reference = '{}'", path.display())).await.unwrap();
    let sql =
        "SELECT g.lon, g.lat, g.level, g.confidence > 90, g.matched_address, g.reason FROM (SELECT geocode(a) AS g
        FROM (VALUES ('12 Heron Lane, Ternport OR'), ('900 Nowhere Road, Elsewhere TX'), (NULL), (' ')) AS v(a))";
    let rows = cells(&s, sql).await;
    assert_eq!(rows[0][..4], ["-123.8", "46.2", "address point", "true"]);
    assert!(rows[0][4].contains("12 Heron Ln") && rows[0][5] == "null", "{rows:?}");
    assert!(rows[1][0] == "null" && rows[1][5] != "null", "{rows:?}");
    assert_eq!(rows[2], ["null"; 6]);
    assert!(rows[3][5].contains("empty"), "{rows:?}");
    // In parts.
    let sql = "SELECT g.lon, g.reason FROM (SELECT geocode(named_struct('number', 14, 'street', 'Heron Ln', 'locality', 'Ternport')) AS g)";
    assert_eq!(cells(&s, sql).await, [["-123.8002", "null"]]);
    let told = error(&s, "SELECT geocode(named_struct('town', 'Ternport'))").await;
    assert!(told.contains("\"town\"") && told.contains("locality"), "{told}");
    let sql = "SELECT n.nearest_address, n.nearest_distance_m, n.reason FROM (SELECT nearest_address(x, 46.2) AS n
        FROM (VALUES (-123.8001), (10.0), (NULL)) AS v(x))";
    let rows = cells(&s, sql).await;
    assert!(rows[0][0].contains("Heron Ln") && rows[0][2] == "null", "{rows:?}");
    assert!(rows[1][0] == "null" && rows[1][2].contains("within 1000 m"), "{rows:?}");
    assert_eq!(rows[2], ["null"; 3]);
}

#[tokio::test]
async fn further_columns_of_a_reference_are_asked_for_by_name() {
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path();
    let (points, path) = (here.join("points.csv"), here.join("town.reference"));
    let houses = "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.8,46.2\n12,Heron Ct,Ternport,OR,97981,-123.7,46.2\n";
    std::fs::write(&points, houses).unwrap();
    let sources = vec![points, common::districts(here)];
    let plan = BuildPlan { sources, output: path.clone(), ..Default::default() };
    build(&plan, &basilocus::Cancel::default(), &()).unwrap();
    let s = session();
    batches(&s, &format!("SET basilocus.reference = '{}'", path.display())).await.unwrap();
    let sql = "SELECT g.matched_postcode, g.matched_district, g.candidates, g.reason
        FROM (SELECT geocode('12 Heron Ln, Ternport', NULL, 'postcode, district', 2) AS g)";
    let rows = cells(&s, sql).await;
    assert_eq!((rows[0][0].as_str(), rows[0][1].as_str(), rows[0][3].as_str()), ("97981", "West", "null"));
    assert!(rows[0][2].contains("12 Heron Ln"), "{rows:?}");
    // Those of the session, or of the call.
    for reference in ["NULL".to_string(), format!("'{}'", path.display())] {
        let sql = format!(
            "SELECT n.inside_district, n.nearest_address FROM (SELECT nearest_address(-123.7001, 46.2, {reference}, 'district') AS n)"
        );
        let rows = cells(&s, &sql).await;
        assert!(rows[0][0] == "East" && rows[0][1].contains("12 Heron Ct"), "{rows:?}");
    }
    for (sql, words) in [
        ("SELECT geocode('1 Heron Ln', NULL, 'zone')", "the reference gives postcode"),
        ("SELECT geocode('1 Heron Ln', NULL, 'postcode,postcode')", "names \"postcode\" twice"),
        ("SELECT geocode('1 Heron Ln', NULL, NULL, 1.5)", "a whole number from 0 to 100"),
        ("SELECT nearest_address(-123.7, 46.2, NULL, 'zone')", "gives no inside_zone"),
        ("SELECT nearest_address(-123.7, 46.2, NULL, 'zone, zone')", "names \"zone\" twice"),
    ] {
        let told = error(&s, sql).await;
        assert!(told.contains(words), "{sql}: {told}");
    }
}

/// A query means the reference that is there when it is planned, whatever this process answered with before.
#[tokio::test]
async fn a_reference_that_was_replaced_is_the_new_one() {
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path();
    let s = session();
    for lon in ["-123.8", "-123.7"] {
        let (points, path) = (here.join("points.csv"), here.join("town.reference"));
        std::fs::write(
            &points,
            format!("number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,{lon},46.2\n"),
        )
        .unwrap();
        let _ = std::fs::remove_file(&path);
        let plan = BuildPlan { sources: vec![points], output: path.clone(), ..Default::default() };
        build(&plan, &basilocus::Cancel::default(), &()).unwrap();
        let sql = format!("SELECT g.lon FROM (SELECT geocode('12 Heron Ln, Ternport', '{}') AS g)", path.display());
        assert_eq!(cell(&s, &sql).await, lon);
    }
}

/// On the central meridian of UTM the scale is 0.9996 in all directions and the convergence nought (EPSG:16010).
#[tokio::test]
async fn distortion_is_told() {
    let s = session();
    let sql = "SELECT d.meridian_scale, d.convergence_deg, d.reason FROM (SELECT distortion(-123, 46, 32610) AS d)";
    let rows = cells(&s, sql).await;
    let scale: f64 = rows[0][0].parse().unwrap();
    let convergence: f64 = rows[0][1].parse().unwrap();
    assert!((scale - 0.9996).abs() < 1e-9 && convergence.abs() < 1e-9, "{rows:?}");
    let told = error(&s, "SELECT distortion(-123, 46, 4326)").await;
    assert!(told.contains("a projected one is expected"), "{told}");
}

#[tokio::test]
async fn arguments_that_cannot_be_right_are_told_before_a_row_is_read() {
    let s = session();
    for (sql, words) in [
        ("SELECT ST_Point('1', 2)", "argument 1 (x) is Utf8: a number is expected"),
        ("SELECT ST_X('POINT (1 2)')", "ST_GeomFromText(text, system)"),
        ("SELECT ST_Point(1)", "ST_Point(x, y, [system]) is expected"),
        ("SELECT ST_Point(1, 2, s) FROM (VALUES ('EPSG:4326')) AS v(s)", "the same for all rows"),
        ("SELECT read_position('1', 4326, 'north')", "order"),
        ("SELECT write_position(1, 2, 'decimal-degrees', 99)", "digits"),
    ] {
        let told = error(&s, sql).await;
        assert!(told.contains(words), "{sql}: {told}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn references_are_fetched_once_and_checked() {
    let folder = tempfile::tempdir().unwrap();
    let bytes = std::fs::read(reference(folder.path())).unwrap();
    let asked = Arc::new(AtomicUsize::new(0));
    let count = asked.clone();
    let address = store(move || {
        count.fetch_add(1, Ordering::SeqCst);
        bytes.clone()
    });
    let s = session();
    batches(&s, &format!("SET basilocus.reference = '{address}'")).await.unwrap();
    let sql = "SELECT g.lon FROM (SELECT geocode(a) AS g FROM (VALUES ('12 Heron Ln, Ternport'), ('3 Gull St, Ternport')) AS t(a)) ORDER BY 1";
    assert_eq!(cells(&s, sql).await, [["-123.81"], ["-123.8"]]);
    assert_eq!(cells(&s, sql).await, [["-123.81"], ["-123.8"]]);
    assert_eq!(asked.load(Ordering::SeqCst), 1);
    batches(&s, &format!("SET basilocus.reference = '{address}#00000000000000ff'")).await.unwrap();
    let told = error(&s, sql).await;
    assert!(told.contains("planned with 00000000000000ff"), "{told}");
    batches(&s, "SET basilocus.reference = 's3://estuary/town.reference'").await.unwrap();
    let told = error(&s, sql).await;
    assert!(told.contains("begins with http:// or https://"), "{told}");
    basilocus_sql::forget_fetched();
}
