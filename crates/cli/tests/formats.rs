//! From any format to any other, and parts of layers, as a user meets them. The real binary.

mod common;

use common::Folder;

const DISTRICTS: &str = r#"{"type":"FeatureCollection","features":[
{"type":"Feature","properties":{"district":"North","code":"01"},"geometry":{"type":"Polygon","coordinates":[[[-124,46.2],[-123.5,46.2],[-123.5,46.5],[-124,46.5],[-124,46.2]]]}},
{"type":"Feature","properties":{"district":"South","code":"02"},"geometry":{"type":"Polygon","coordinates":[[[-124,46],[-123.5,46],[-123.5,46.2],[-124,46.2],[-124,46]],[[-123.9,46.05],[-123.8,46.1],[-123.8,46.05],[-123.9,46.05]]]}}]}"#;

fn estuary() -> Folder {
    let f = Folder::new();
    f.write("districts.geojson", DISTRICTS);
    // On the shared edge, in the hole, outside, in the north, in the south, and one without a position.
    f.write(
        "gates.csv",
        "id,kind,lon,lat\n1,flap,-123.7,46.2\n2,flap,-123.82,46.06\n3,sluice,-123.4,46.2\n4,flap,-123.7,46.3\n5,sluice,-123.7,46.1\n6,flap,,\n",
    );
    f
}

#[test]
fn a_layer_through_all_formats_and_back() {
    let f = estuary();
    let mut last = "districts.geojson".to_string();
    for (next, to) in [
        ("a.gpkg", "EPSG:2269"),
        ("b.shp", "EPSG:26910"),
        ("c.kml", "EPSG:4326"),
        ("d.geojsonl", "EPSG:4326"),
        ("e.geojson", "EPSG:4326"),
    ] {
        f.ok(&["convert", &last, "-o", next, "--to", to, "--no-progress"]);
        last = next.to_string();
    }
    let first: serde_json::Value = serde_json::from_str(DISTRICTS).unwrap();
    let back: serde_json::Value = serde_json::from_str(&f.read("e.geojson")).unwrap();
    for i in 0..2 {
        let (a, b) = (&first["features"][i], &back["features"][i]);
        assert_eq!(a["properties"]["district"], b["properties"]["district"]);
        assert_eq!(b["properties"]["code"], ["01", "02"][i], "the zero is kept through the table of the shapefile");
        assert_eq!(a["geometry"]["type"], b["geometry"]["type"]);
        let numbers = |v: &serde_json::Value| -> Vec<f64> {
            let text = v["geometry"]["coordinates"].to_string().replace(['[', ']'], "");
            let mut list: Vec<f64> = text.split(',').map(|n| n.parse().unwrap()).collect();
            list.sort_by(f64::total_cmp);
            list
        };
        // Through two projections and back: a micrometre, beyond the nine decimals of GeoJSON. The order of a ring's
        // corners is each format's own.
        let (x, y) = (numbers(a), numbers(b));
        assert_eq!(x.len(), y.len());
        assert!(x.iter().zip(&y).all(|(p, q)| (p - q).abs() < 2e-9), "{x:?} {y:?}");
    }
}

#[test]
fn a_part_of_a_table() {
    let f = estuary();
    let out = f.ok(&[
        "select",
        "gates.csv",
        "--from",
        "EPSG:4326",
        "--inside",
        "districts.geojson",
        "--take",
        "district",
        "-o",
        "part.csv",
        "--no-progress",
    ]);
    insta::assert_snapshot!(out, @r#"
    gates
      source     gates.csv
      read as    encoding UTF-8 (found)
      read as    delimiter comma (found)
      read as    positions from columns "lon" and "lat" (found), in WGS 84 (EPSG:4326) (degrees)
      read as    rows inside 2 areas of districts.geojson
      system     WGS 84 (EPSG:4326), as it is in the source
      extent     -123.70000 to -123.70000 east, 46.10000 to 46.30000 north
      ledger     6 rows in = 3 out + 2 not chosen (2 outside the areas) + 1 set aside (1 no coordinates)
      wrote      part.csv
      set aside  part.set-aside.csv (gates)
    "#);
    insta::assert_snapshot!(f.read("part.csv"), @r"
    id,kind,lon,lat,district
    1,flap,-123.7,46.2,North
    4,flap,-123.7,46.3,North
    5,sluice,-123.7,46.1,South
    ");
    insta::assert_snapshot!(f.read("part.set-aside.csv"), @r#"
    source_row,reason,id,kind,lon,lat
    7,"column ""lon"" is empty; a longitude is expected",6,flap,,
    "#);
}

#[test]
fn parts_add_up_to_the_whole() {
    let f = estuary();
    let out = f.ok(&[
        "select",
        "gates.csv",
        "--from",
        "EPSG:4326",
        "--inside",
        "districts.geojson",
        "--take",
        "district,code",
        "--split-by",
        "DISTRICT",
        "-o",
        "part.csv",
        "-o",
        "part.gpkg",
        "--no-progress",
    ]);
    assert!(out.contains("2 parts by district: North 2, South 1; together 3 rows"), "{out}");
    assert_eq!(f.read("part-South.csv"), "id,kind,lon,lat,district,code\n5,sluice,-123.7,46.1,South,02\n");
    assert!(f.path("part-North.gpkg").exists());
    // By a column of its own; nothing is chosen, so all rows that have a position are in a part.
    let out = f.ok(&["select", "gates.csv", "--split-by", "kind", "-o", "kind.csv", "--no-progress"]);
    assert!(out.contains("2 parts by kind: flap 4, sluice 2; together 6 rows"), "{out}");
    let rows = |name: &str| f.read(name).lines().count() - 1;
    assert_eq!(rows("kind-flap.csv") + rows("kind-sluice.csv"), 6);
    let message = f.refusal(&["select", "gates.csv", "--split-by", "kind", "-o", "kind.csv", "--no-progress"]);
    assert!(message.contains("kind-flap.csv: exists already"), "{message}");
}

#[test]
fn a_workbook_a_part_says_what_part_it_is_and_loses_no_row() {
    use calamine::{Reader, Xlsx, open_workbook};
    let f = estuary();
    let out = f.ok(&[
        "select",
        "gates.csv",
        "--from",
        "EPSG:4326",
        "--inside",
        "districts.geojson",
        "--take",
        "district",
        "--split-by",
        "district",
        "-o",
        "part.xlsx",
        "--no-progress",
    ]);
    assert!(out.contains("6 rows in = 3 out + 2 not chosen (2 outside the areas) + 1 set aside"), "{out}");
    // A row without a position is in no part, so it has a file of its own though all outputs are workbooks.
    assert!(
        f.read("part.set-aside.csv").contains("7,\"column \"\"lon\"\" is empty"),
        "{}",
        f.read("part.set-aside.csv")
    );
    let mut book: Xlsx<_> = open_workbook(f.path("part-North.xlsx")).unwrap();
    let range = book.worksheet_range("About").unwrap();
    let line = |what: &str| {
        let row =
            range.rows().find(|r| r[0] == calamine::Data::String(what.into())).unwrap_or_else(|| panic!("{what}"));
        row[1].to_string()
    };
    assert_eq!((line("Part").as_str(), line("Rows of it").as_str()), ("district is North", "2"));
    assert_eq!((line("Rows read").as_str(), line("Rows not chosen").as_str()), ("6", "2"));
}

#[test]
fn an_empty_choice_is_no_success() {
    let f = estuary();
    let (status, out, _) =
        f.run(&["select", "gates.csv", "--value", "kind=weir", "-o", "none.csv", "--strict", "--no-progress"]);
    assert_eq!(status, 3);
    assert!(
        out.contains("slip-15 in gates: the result is empty: none of the 6 rows was chosen (6 another value)"),
        "{out}"
    );
    for (line, part) in [
        (vec!["select", "gates.csv", "-o", "x.csv"], "nothing is chosen; say --inside AREAS"),
        (vec!["select", "gates.csv", "--value", "kind", "-o", "x.csv"], "COLUMN=VALUE is expected"),
        (vec!["select", "gates.csv", "--value", "knid=flap", "-o", "x.csv"], "knid"),
        (
            vec![
                "select",
                "gates.csv",
                "--from",
                "EPSG:4326",
                "--inside",
                "districts.geojson",
                "--where",
                "district=West",
                "-o",
                "x.csv",
            ],
            "no area has the values of --where",
        ),
        (
            vec!["select", "gates.csv", "--from", "EPSG:4326", "--extent", "1,2,3", "-o", "x.csv"],
            "WEST,SOUTH,EAST,NORTH",
        ),
        (vec!["select", "gates.csv", "--split-by", "knid", "-o", "x.csv"], "there is no such column"),
    ] {
        let message = f.refusal(&line);
        assert!(message.contains(part), "{message}");
    }
    assert!(!f.path("x.csv").exists());
}

#[test]
fn points_and_lines_for_a_receiver() {
    let f = estuary();
    f.write("walk.geojson", r#"{"type":"FeatureCollection","features":[
{"type":"Feature","properties":{"name":"round","kind":"walk"},"geometry":{"type":"LineString","coordinates":[[-123.8,46.2,1.5],[-123.7,46.2,2]]}},
{"type":"Feature","properties":{"name":"gate <1>","kind":"flap"},"geometry":{"type":"Point","coordinates":[-123.75,46.25]}}]}"#);
    f.ok(&["convert", "walk.geojson", "-o", "walk.gpx", "--no-progress"]);
    let text = f.read("walk.gpx");
    // Way points stand in front of tracks, whatever the order of the rows.
    assert!(text.find("<wpt").unwrap() < text.find("<trk>").unwrap(), "{text}");
    assert!(
        text.contains(
            "<wpt lat=\"46.250000000\" lon=\"-123.750000000\"><name>gate &lt;1&gt;</name><desc>kind: flap</desc></wpt>"
        ),
        "{text}"
    );
    f.ok(&["convert", "walk.gpx", "--layer", "tracks", "-o", "back.csv", "--no-progress"]);
    assert!(f.read("back.csv").contains("LINESTRING Z (-123.8 46.2 1.5, -123.7 46.2 2)"), "{}", f.read("back.csv"));
    let message = f.refusal(&["convert", "districts.geojson", "-o", "d.gpx", "--no-progress"]);
    assert!(message.contains("row 1 is POLYGON, and GPX holds points and lines alone"), "{message}");
    assert!(!f.path("d.gpx").exists());
}

#[test]
fn what_a_format_has_no_place_for_is_said() {
    let f = estuary();
    let out =
        f.ok(&["convert", "districts.geojson", "-o", "d.csv", "-o", "d.dbf", "--to", "EPSG:26910", "--no-progress"]);
    assert!(out.contains("well-known text in the column \"geometry\""), "{out}");
    assert!(out.contains("a workbook or DBF has no place for lines and polygons"), "{out}");
    let line = f.read("d.csv").lines().nth(1).unwrap().to_string();
    assert!(line.starts_with("North,01,") && line.contains("\"POLYGON (("), "{line}");
    let message = f.refusal(&["convert", "gates.csv", "-o", "x.shp", "--set", "a=b", "--drop", "lon,lat"]);
    assert!(message.contains("no positions") || message.contains("coordinates"), "{message}");
    // A vertex that the projection has no place for.
    f.write("far.geojson", r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"n":1},"geometry":{"type":"LineString","coordinates":[[0,0],[0,90]]}},{"type":"Feature","properties":{"n":2},"geometry":{"type":"LineString","coordinates":[[0,0],[1,1]]}}]}"#);
    let out = f.ok(&["convert", "far.geojson", "-o", "far.gpkg", "--to", "EPSG:3857", "--no-progress"]);
    assert!(out.contains("2 rows in = 1 out + 1 set aside (1 cannot be transformed)"), "{out}");
    assert!(f.read("far.set-aside.csv").contains("a vertex of it:"), "{}", f.read("far.set-aside.csv"));
}

/// The quadrilateral between two parallels and two meridians has meridians and near-parallels for its sides. Its area by
/// the authalic latitude (Snyder, USGS Professional Paper 1395, formula 3-12) lies between parallels; the geodesics between
/// its corners bulge to the north by what a long quadrilateral shows and a narrow one does not.
#[test]
fn lengths_and_areas_on_the_ellipsoid() {
    let f = estuary();
    let narrow = |w: f64, e: f64| {
        format!(
            "{{\"type\":\"Feature\",\"properties\":{{}},\"geometry\":{{\"type\":\"Polygon\",\"coordinates\":[[[{w},46],[{e},46],[{e},46.5],[{w},46.5],[{w},46]]]}}}}"
        )
    };
    let line = "{\"type\":\"Feature\",\"properties\":{},\"geometry\":{\"type\":\"LineString\",\"coordinates\":[[-123.8,0],[-123.8,90]]}}";
    f.write(
        "m.geojson",
        format!("{{\"type\":\"FeatureCollection\",\"features\":[{},{line}]}}", narrow(-123.801, -123.8)),
    );
    f.ok(&["convert", "m.geojson", "-o", "m.csv", "--measure", "--no-progress"]);
    let rows: Vec<Vec<String>> =
        f.read("m.csv").lines().skip(1).map(|l| l.split(',').take(2).map(String::from).collect()).collect();
    let area: f64 = rows[0][1].parse().unwrap();
    // q(phi) = (1-e2)(sin/(1-e2 sin2) - ln((1-e sin)/(1+e sin))/(2e)); area = a2/2 (q2-q1) dlambda.
    let (a, inverse) = (6_378_137.0_f64, 298.257_223_563_f64);
    let e2 = (2.0 - 1.0 / inverse) / inverse;
    let e = e2.sqrt();
    let q = |degrees: f64| {
        let s = degrees.to_radians().sin();
        (1.0 - e2) * (s / (1.0 - e2 * s * s) - ((1.0 - e * s) / (1.0 + e * s)).ln() / (2.0 * e))
    };
    let wanted = a * a / 2.0 * (q(46.5) - q(46.0)) * 0.001_f64.to_radians();
    assert!((area / wanted - 1.0).abs() < 1e-6, "{area} {wanted}");
    // The quarter of a meridian of WGS 84: 10 001 965.729 m.
    assert_eq!(rows[1][0], "10001965.729");
    assert_eq!(rows[1][1], "");
    let message = f.refusal(&["convert", "gates.csv", "--from", "EPSG:4326", "-o", "x.csv", "--measure"]);
    assert!(message.contains("no lines or polygons"), "{message}");
}

#[test]
fn looking_at_any_layer() {
    let f = estuary();
    f.ok(&["convert", "districts.geojson", "-o", "d.shp", "--to", "EPSG:2269", "--no-progress"]);
    let out = f.ok(&["look", "d.shp"]);
    assert!(out.contains("NAD83 / Oregon North (ft) (EPSG:2269)"), "{out}");
    assert!(out.contains("2 POLYGON"), "{out}");
}
