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
      accuracy   about 5560 m, by the last digit of the coordinates
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
        out.contains("empty-result in gates: the result is empty: none of the 6 rows was chosen (6 another value)"),
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
    assert!(out.contains("a DBF has no place for lines and polygons"), "{out}");
    let line = f.read("d.csv").lines().nth(1).unwrap().to_string();
    assert!(line.starts_with("North,01,") && line.contains("\"POLYGON (("), "{line}");
    f.write("names.csv", "name,kind\na,b\n");
    let message = f.refusal(&["convert", "names.csv", "-o", "x.shp"]);
    assert!(message.contains("no columns of coordinates were found among name, kind"), "{message}");
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

#[test]
fn points_in_their_order_become_lines_and_back() {
    let f = estuary();
    f.write(
        "track.csv",
        "id,river,step,lon,lat\n1,Tern,2,-123.80,46.20\n2,Tern,1,-123.81,46.21\n3,Mill,1,-123.70,46.10\n4,Tern,10,-123.79,46.19\n5,Mill,2,-123.71,46.11\n6,Lone,1,-123.5,46.0\n7,Mill,3,bad,46.1\n",
    );
    let out = f.ok(&[
        "convert",
        "track.csv",
        "--from",
        "EPSG:4326",
        "--gather",
        "lines",
        "--gather-by",
        "river",
        "--gather-order",
        "step",
        "-o",
        "lines.geojson",
        "--no-progress",
    ]);
    assert!(
        out.contains("7 rows in = 2 out + 3 further positions of lines or polygons + 2 set aside (1 not a coordinate, 1 too few positions for a line)"),
        "{out}"
    );
    assert!(out.contains("columns whose values differ within a line are left out: id, step, lon, lat"), "{out}");
    let lines: serde_json::Value = serde_json::from_str(&f.read("lines.geojson")).unwrap();
    let first = &lines["features"][0];
    assert_eq!(first["properties"]["river"], "Tern");
    assert_eq!(
        first["geometry"]["coordinates"],
        serde_json::json!([[-123.81, 46.21], [-123.8, 46.2], [-123.79, 46.19]]),
        "by the numbers of the steps, not by their texts"
    );
    insta::assert_snapshot!(f.read("lines.set-aside.csv"), @r#"
source_row,reason,id,river,step,lon,lat
7,"the line of river ""Lone"" has 1 of the 2 or more positions that are expected",6,Lone,1,-123.5,46.0
8,"column ""lon"": ""bad"" has the word ""bad"", which is no part of a position in degrees (at character 1: ""b""); a number, or degrees (and minutes, seconds) are expected",7,Mill,3,bad,46.1
"#);
    f.ok(&["convert", "lines.geojson", "--gather", "points", "-o", "points.csv", "--no-progress"]);
    insta::assert_snapshot!(f.read("points.csv"), @r"
    river,positions,part,ring,position,lon,lat
    Tern,3,1,1,1,-123.810000000,46.210000000
    Tern,3,1,1,2,-123.800000000,46.200000000
    Tern,3,1,1,3,-123.790000000,46.190000000
    Mill,2,1,1,1,-123.700000000,46.100000000
    Mill,2,1,1,2,-123.710000000,46.110000000
    ");
    let out = f.ok(&[
        "convert",
        "track.csv",
        "--from",
        "EPSG:4326",
        "--gather",
        "polygons",
        "-o",
        "area.gpkg",
        "--no-progress",
    ]);
    assert!(out.contains("6 rows are the positions of 1 polygon"), "{out}");
    let message = f.refusal(&["convert", "track.csv", "--from", "EPSG:4326", "--gather", "points", "-o", "x.csv"]);
    assert!(message.contains("no lines or polygons whose positions could become points"), "{message}");
}

#[test]
fn a_layer_as_another_system_expects_it() {
    let f = estuary();
    f.write("model.csv", "LON,Gate_Id,kind,owner\n");
    let out = f.ok(&[
        "convert",
        "gates.csv",
        "--rename",
        "id=gate id",
        "--like",
        "model.csv",
        "-o",
        "out.csv",
        "--no-progress",
    ]);
    for part in [
        "as in model.csv: columns that are missing and stay empty: owner",
        "columns that are left over and left out: lat",
        "columns that differ in their names: lon is LON, gate id is Gate_Id",
    ] {
        assert!(out.contains(part), "{out}");
    }
    assert!(f.read("out.csv").starts_with("LON,Gate_Id,kind,owner\n-123.7,1,flap,\n"), "{}", f.read("out.csv"));
    // Types of a model with rows: what does not fit is set aside.
    f.write("typed.csv", "kind,id\n1,2\n");
    let out = f.ok(&["convert", "gates.csv", "--like", "typed.csv", "-o", "typed-out.csv", "--no-progress"]);
    assert!(out.contains("6 rows in = 0 out + 6 set aside (6 does not fit the model)"), "{out}");
    assert!(
        f.read("typed-out.set-aside.csv")
            .contains("column \"\"kind\"\": \"\"flap\"\" is no whole number, which typed.csv has there")
    );
}

#[test]
fn rows_by_category_in_every_format_that_parts_them() {
    let f = estuary();
    let out = f.ok(&[
        "convert",
        "gates.csv",
        "--from",
        "EPSG:4326",
        "--category",
        "kind",
        "--label",
        "{kind} {id}",
        "--color",
        "kind:flap=teal,*=#CC7722",
        "-o",
        "gates.kmz",
        "-o",
        "gates.dxf",
        "-o",
        "gates.xlsx",
        "--no-progress",
    ]);
    assert!(out.contains("6 rows in = 5 out + 1 set aside (1 no coordinates)"), "{out}");
    let look = f.ok(&["look", "gates.dxf", "--no-progress"]);
    assert!(look.contains("entities: 5 INSERT") && look.contains("all layers are read: FLAP, SLUICE"), "{look}");
    let look = f.ok(&["look", "gates.kmz", "--no-progress"]);
    assert!(look.contains("archive, doc.kml unpacked") && look.contains("gates/sluice"), "{look}");
    let look = f.ok(&["look", "gates.xlsx", "--sheet", "sluice", "--no-progress"]);
    assert!(look.contains("rows       2"), "{look}");
    for (flag, value, part) in [
        ("--category", "sort", "--category sort: there is no such column; it has: id, kind, lon, lat"),
        ("--balloon", "nam", "--balloon nam: there is no column \"nam\""),
        ("--label", "{nam}", "--label {nam}: there is no column \"nam\""),
        ("--color", "kind:flap=greenish", "\"greenish\" is no colour and no column"),
        ("--altitude", "high", "ground, above-ground or above-sea is expected"),
    ] {
        let message =
            f.refusal(&["convert", "gates.csv", "--from", "EPSG:4326", flag, value, "-o", "x.kml", "--no-progress"]);
        assert!(message.contains(part), "{message}");
    }
}

#[test]
fn a_drawing_becomes_a_layer_of_the_real_world() {
    let f = estuary();
    f.ok(&["convert", "districts.geojson", "--to", "EPSG:2269", "-o", "d.dxf", "--no-progress"]);
    let message = f.refusal(&["convert", "d.dxf", "-o", "d.gpkg", "--no-progress"]);
    assert!(message.contains("d.dxf") && message.contains("--from"), "{message}");
    f.ok(&["convert", "d.dxf", "--from", "EPSG:2269", "--to", "EPSG:4326", "-o", "d.gpkg", "--no-progress"]);
    f.ok(&[
        "convert",
        "gates.csv",
        "--from",
        "EPSG:4326",
        "-o",
        "d.gpkg",
        "--append",
        "--layer-name",
        "gates",
        "--no-progress",
    ]);
    std::fs::remove_file(f.path("d.gates.set-aside.csv")).unwrap();
    let message =
        f.refusal(&["convert", "gates.csv", "--from", "EPSG:4326", "-o", "d.gpkg", "--append", "--no-progress"]);
    assert!(message.contains("has a layer \"gates\" already"), "{message}");
    let look = f.ok(&["look", "d.gpkg", "--no-progress"]);
    assert!(look.contains("layer      d\n") && look.contains("layer      gates\n"), "{look}");
    // A drawing that begins in its own corner.
    f.write("own.dxf", "0\nSECTION\n2\nENTITIES\n0\nPOINT\n8\nA\n10\n420\n20\n297\n0\nENDSEC\n0\nEOF\n");
    let look = f.ok(&["look", "own.dxf", "--no-progress"]);
    assert!(look.contains("local-drawing: the drawing seems to be in a system of its own"), "{look}");
}

#[test]
fn numbers_with_a_decimal_comma_are_numbers_in_typed_formats() {
    let f = Folder::new();
    f.write("g.csv", "gate;depth;rooms;list;lon;lat\nA;1,5;2;1,234;-123,8;46,2\nB;-12,25;;2,345;-123,7;46,1\n");
    let line = ["convert", "g.csv", "--from", "EPSG:4326", "--no-progress"];
    let out = f.ok(&[&line[..], &["-o", "g.geojson"]].concat());
    assert!(out.contains("numbers with a decimal comma are numbers in typed formats: depth, lon, lat"), "{out}");
    let text = f.read("g.geojson");
    assert!(text.contains(r#""depth":1.5,"rooms":2,"list":"1,234""#), "{text}");
    assert!(text.contains(r#""depth":-12.25,"rooms":null,"list":"2,345""#), "{text}");
    // A text stays as it was written.
    f.ok(&[&line[..], &["-o", "same.csv"]].concat());
    assert!(f.read("same.csv").contains("A,\"1,5\",2,\"1,234\",\"-123,8\",\"46,2\""), "{}", f.read("same.csv"));
    // Where commas part the fields, a quoted one is no decimal mark.
    f.write("c.csv", "gate,pair,lon,lat\nA,\"1,5\",-123.8,46.2\n");
    f.ok(&["convert", "c.csv", "--from", "EPSG:4326", "-o", "c.geojson", "--no-progress"]);
    assert!(f.read("c.geojson").contains(r#""pair":"1,5""#));
}

#[test]
fn gml_whose_axes_the_registry_orders() {
    let f = estuary();
    f.ok(&["convert", "gates.csv", "--from", "EPSG:4326", "-o", "g.gml", "--no-progress"]);
    assert!(f.read("g.gml").contains("<gml:pos>46.2 -123.7</gml:pos>"), "latitude first, as the registry has it");
    let out = f.ok(&["convert", "g.gml", "-o", "back.csv", "--no-progress"]);
    assert!(out.contains("northing or latitude first, and are turned"), "{out}");
    assert!(
        f.read("back.csv").lines().nth(1).unwrap().starts_with("1,flap,-123.700000000,46.200000000"),
        "{}",
        f.read("back.csv")
    );
    // A system whose order our catalogue does not know: the area of use tells, and where it does not, the user.
    let system = "urn:ogc:def:crs:EPSG::2193";
    let collection = |pos: &str| {
        format!(
            "<c:FeatureCollection xmlns:c=\"http://www.opengis.net/gml\" xmlns:gml=\"http://www.opengis.net/gml\"><gml:featureMember><A><g><gml:Point srsName=\"{system}\"><gml:pos>{pos}</gml:pos></gml:Point></g></A></gml:featureMember></c:FeatureCollection>"
        )
    };
    f.write("nz.gml", collection("5427507 1748735"));
    let out = f.ok(&["convert", "nz.gml", "--to", "EPSG:4326", "-o", "nz.csv", "--no-progress"]);
    assert!(out.contains("northing or latitude first"), "{out}");
    assert!(f.read("nz.csv").contains("174.77"), "{}", f.read("nz.csv"));
    f.write("nowhere.gml", collection("1 2"));
    let message = f.refusal(&["convert", "nowhere.gml", "-o", "x.csv", "--no-progress"]);
    assert!(message.contains("neither order") && message.contains("--order longitude-first"), "{message}");
    f.ok(&["convert", "nowhere.gml", "--order", "longitude-first", "-o", "x.csv", "--no-progress"]);
}

#[test]
fn text_in_columns_and_the_tree_of_a_document() {
    let f = estuary();
    f.write("a.txt", "no name  x\n01 Mill  7366633.5\n02 Cut   7366634.5\n");
    f.ok(&["convert", "a.txt", "--fixed", "3,6,*", "-o", "a.csv", "--no-progress"]);
    assert_eq!(f.read("a.csv"), "no,name,x\n01,Mill,7366633.5\n02,Cut,7366634.5\n");
    f.write("dike.xyz", "7366633.86  940706.86   12.4\n 7366634.86\t940707.86;13.4\n");
    let out = f.ok(&["convert", "dike.xyz", "--from", "EPSG:2269", "--z", "z", "-o", "dike.gpkg", "--no-progress"]);
    assert!(out.contains("2 rows in = 2 out"), "{out}");
    f.write(
        "feed.csv",
        "<rss><channel><title>Gauges</title><item><title>a</title></item><item><title>b</title></item></channel></rss>",
    );
    let out = f.ok(&["look", "feed.csv", "--no-progress"]);
    insta::assert_snapshot!(out.split("column").next().unwrap(), @r#"
feed.csv: XML
  layer      rss/channel/item
  found      element rss/channel/item is a row, 2 of them
  elements   rss
               channel
                 title
                 item × 2   ← a row
                   title × 2
  rows       2,
"#);
    assert!(out.contains("ending: the ending of feed.csv says delimited text, its content is XML"), "{out}");
}

/// What our own tables hold comes back as it was: lines and polygons, and heights.
#[test]
fn geometry_in_tables_comes_back() {
    let f = Folder::new();
    let shapes = r#"{"type":"FeatureCollection","features":[
{"type":"Feature","properties":{"n":"a"},"geometry":{"type":"LineString","coordinates":[[9,46,10],[9.5,46.5,20]]}},
{"type":"Feature","properties":{"n":"b"},"geometry":{"type":"MultiPolygon","coordinates":[[[[9,46],[9.1,46],[9.1,46.1],[9,46]]]]}},
{"type":"Feature","properties":{"n":"c"},"geometry":{"type":"Point","coordinates":[9.2,46.3]}}]}"#;
    f.write("shapes.geojson", shapes.as_bytes());
    let geometries = |file: &str| -> Vec<serde_json::Value> {
        let all: serde_json::Value = serde_json::from_str(&f.read(file)).unwrap();
        all["features"].as_array().unwrap().iter().map(|x| x["geometry"].clone()).collect()
    };
    for table in ["t.csv", "t.tsv", "t.xlsx"] {
        f.ok(&["convert", "shapes.geojson", "-o", table]);
        let out = f.ok(&["convert", table, "--from", "EPSG:4326", "-o", "back.geojson", "--overwrite"]);
        assert!(out.contains("positions from the geometries of column \"geometry\" (found)"), "{out}");
        assert_eq!(geometries("back.geojson"), geometries("shapes.geojson"), "{table}");
        let seen = f.ok(&["look", table]);
        assert!(seen.contains("lines or polygons in the column \"geometry\" as well-known text"), "{seen}");
    }
    // Another system on the way, and a cell that is no geometry.
    f.ok(&["convert", "shapes.geojson", "-o", "utm.csv", "--to", "EPSG:32632"]);
    let cut = f.read("utm.csv").replace("POINT (515402.5522 5127399.8634)", "POINT (515402.5522");
    f.write("utm.csv", cut.as_bytes());
    let out = f.ok(&["convert", "utm.csv", "--from", "EPSG:32632", "-o", "utm.gpkg", "--no-progress"]);
    assert!(out.contains("3 rows in = 2 out + 1 set aside (1 not a coordinate)"), "{out}");
    assert!(
        f.read("utm.set-aside.csv").contains("is expected after 18 characters of the geometry"),
        "{}",
        f.read("utm.set-aside.csv")
    );
    // Heights of points, from a geometry and from a written position.
    let points = r#"{"type":"FeatureCollection","features":[
{"type":"Feature","properties":{"n":"a"},"geometry":{"type":"Point","coordinates":[9.1,46.1,321.5]}},
{"type":"Feature","properties":{"n":"b"},"geometry":{"type":"Point","coordinates":[9.2,46.2]}}]}"#;
    f.write("points.geojson", points.as_bytes());
    f.ok(&["convert", "points.geojson", "-o", "points.csv"]);
    insta::assert_snapshot!(f.read("points.csv"), @r"
    n,lon,lat,height
    a,9.100000000,46.100000000,321.5000
    b,9.200000000,46.200000000,
    ");
    f.ok(&["convert", "points.csv", "--from", "EPSG:4326", "--z", "height", "-o", "points-back.geojson"]);
    assert_eq!(geometries("points-back.geojson"), geometries("points.geojson"));
    f.ok(&["convert", "points.geojson", "-o", "named.csv", "--columns", "e,n_,h", "--to", "EPSG:32632"]);
    assert!(
        f.read("named.csv").starts_with("n,e,n_,h\na,507729.2701,5105163.1357,321.5000\n"),
        "{}",
        f.read("named.csv")
    );
    f.write("written.csv", b"id,wkt\n1,POINT Z (9.1 46.1 321.5)\n2,POINT Z (9.1 46.1 300)\n3,POINT (9 46)\n");
    f.ok(&["convert", "written.csv", "--from", "EPSG:4326", "-o", "read.csv"]);
    insta::assert_snapshot!(f.read("read.csv"), @r"
    id,wkt,lon,lat,height
    1,POINT Z (9.1 46.1 321.5),9.100000000,46.100000000,321.5000
    2,POINT Z (9.1 46.1 300),9.100000000,46.100000000,300.0000
    3,POINT (9 46),9.000000000,46.000000000,
    ");
}

#[test]
fn what_lies_across_the_180_degree_meridian_stays_together() {
    let f = Folder::new();
    let feature = |name: &str, geometry: &str| {
        format!(r#"{{"type":"Feature","properties":{{"n":"{name}"}},"geometry":{geometry}}}"#)
    };
    let features = [
        feature(
            "counted on",
            r#"{"type":"Polygon","coordinates":[[[179,-18],[181,-18],[181,-16],[179,-16],[179,-18]]]}"#,
        ),
        feature("line", r#"{"type":"LineString","coordinates":[[179.5,-17],[-179,-17]]}"#),
        feature("point", r#"{"type":"Point","coordinates":[181.5,-17.5]}"#),
        feature("jumps", r#"{"type":"Polygon","coordinates":[[[179,-15],[-179,-15],[-179,-14],[179,-14],[179,-15]]]}"#),
        feature("far", r#"{"type":"Point","coordinates":[0,-15]}"#),
    ];
    f.write("fiji.geojson", format!(r#"{{"type":"FeatureCollection","features":[{}]}}"#, features.join(",")));
    for (ending, point, cut) in
        [("geojson", "[-178.5,-17.5]", "[180,-17]],[[-180,-17]"), ("kml", "-178.5,-17.5", "180,-17</coordinates>")]
    {
        let to = format!("out.{ending}");
        let out = f.ok(&["convert", "fiji.geojson", "-o", &to]);
        assert!(out.contains("3 lines or polygons lie across or beyond the 180° meridian: cut there"), "{out}");
        assert!(out.contains("1 point lies beyond the 180° meridian"), "{out}");
        let text = f.read(&to);
        assert!(text.contains(point) && text.contains(cut) && !text.contains("181"), "{ending}: {text}");
    }
    let out = f.ok(&["select", "fiji.geojson", "--value", "n=line|point", "-o", "out.gpx"]);
    assert!(out.contains("1 line or polygon lies across"), "{out}");
    assert_eq!(f.read("out.gpx").matches("<trkseg>").count(), 2);
    // The middle of what lies across is there too, and so it is selected, also by areas that lie across.
    f.ok(&["convert", "fiji.geojson", "-o", "out.csv", "-q"]);
    let table = f.read("out.csv");
    assert!(table.contains("line,-179.750000000,") && table.contains("jumps,180.000000000,"), "{table}");
    for (extent, rows) in [("178,-20,-178,-10", 4), ("170,-20,190,-10", 4), ("-5,-20,5,-10", 1), ("-180,-90,180,90", 5)]
    {
        let extent = format!("--extent={extent}");
        let r = f.json(&["select", "fiji.geojson", &extent, "-o", "some.csv", "--overwrite", "--json"]);
        assert_eq!(r["rows_out"], rows, "{extent}");
    }
    f.write(
        "box.geojson",
        r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[[[178,-20],[182,-20],[182,-10],[178,-10],[178,-20]]]}}]}"#,
    );
    let r = f.json(&["select", "fiji.geojson", "--inside", "box.geojson", "-o", "some.csv", "--overwrite", "--json"]);
    assert_eq!(r["rows_out"], 4);
    let layer = &r["layers"][0];
    assert_eq!(layer["extent"], serde_json::json!([179.0, -18.0, -178.5, -14.0]), "{layer}");
}

#[test]
fn several_inputs_and_all_layers_in_one_command() {
    let f = Folder::new();
    f.write("north.csv", "id,lon,lat\n1,-123.8,46.2\n");
    f.write("south.csv", "id,lon,lat\n2,-123.7,46.1\n3,-123.6,46.1\n");
    let from = ["--from", "EPSG:4326"];
    let r = f.json(&[&["convert", "north.csv", "south.csv", "-o", "all.gpkg", "--json"], &from[..]].concat());
    assert_eq!((&r["rows_in"], &r["rows_out"]), (&3.into(), &3.into()));
    let out = f.ok(&["look", "all.gpkg"]);
    assert!(out.contains("layer      north") && out.contains("layer      south"), "{out}");
    // Every layer of a file, every sheet of a workbook, every file of an archive.
    f.ok(&["convert", "all.gpkg", "--all-layers", "-o", "all.geojson", "-q"]);
    assert_eq!(f.read("all.geojson").matches("\"Point\"").count(), 3);
    let mut zip = zip::ZipWriter::new(std::fs::File::create(f.path("years.zip")).unwrap());
    for (name, text) in [("2019/a.csv", "id,lon,lat\n1,-123.8,46.2\n"), ("2020/a.csv", "id,lon,lat\n2,-123.8,46.1\n")] {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        std::io::Write::write_all(&mut zip, text.as_bytes()).unwrap();
    }
    zip.finish().unwrap();
    let r = f.json(&[&["convert", "years.zip", "--all-layers", "-o", "years.gpkg", "--json"], &from[..]].concat());
    assert_eq!(r["rows_out"], 2);
    assert_eq!((&r["layers"][0]["name"], &r["layers"][1]["name"]), (&"2019_a".into(), &"2020_a".into()));
    // Tables with the same columns become one; others are refused.
    f.ok(&[&["convert", "north.csv", "south.csv", "-o", "all.csv", "-q"], &from[..]].concat());
    assert_eq!(f.read("all.csv").lines().count(), 4);
    f.write("other.csv", "key,lon,lat\n1,-123.8,46.2\n");
    let message = f.refusal(&[&["convert", "north.csv", "other.csv", "-o", "x.csv"], &from[..]].concat());
    assert!(message.contains("has other columns than the one before"), "{message}");
    let named = ["convert", "north.csv", "south.csv", "-o", "x.gpkg", "--layer-name", "both"];
    assert!(
        f.refusal(&[&named[..], &from].concat()).contains("--layer-name is the name of one layer, and there are 2")
    );
}

#[test]
fn a_geometry_that_no_cell_holds_is_left_out_of_a_workbook_and_not_cut() {
    let f = Folder::new();
    let ring: Vec<String> = (0..=2_000)
        .map(|i| (f64::from(i % 2_000) / 2_000.0 * std::f64::consts::TAU).sin_cos())
        .map(|(sin, cos)| format!("{:.4} {:.4}", 438_000.0 + 90.0 * cos, 5_116_000.0 + 90.0 * sin))
        .collect();
    let remark = "dredged ".repeat(5_000);
    f.write(
        "ponds.csv",
        format!(
            "id;remark;geom\n1;;POLYGON (({}))\n2;{remark};\"POLYGON ((438000 5116000, 438009 5116000, 438000 5116009, 438000 5116000))\"\n",
            ring.join(", ")
        ),
    );
    let out = f.ok(&["convert", "ponds.csv", "--from", "EPSG:32610", "-o", "ponds.xlsx"]);
    for line in [
        "note       1 geometry with more than 32767 characters as text, which a cell cannot hold: left out; another format has it, such as GeoPackage\n",
        "note       1 text with more than 32767 characters, which a workbook cannot hold: cut\n",
        "ledger     2 rows in = 2 out + 0 set aside\n",
    ] {
        assert!(out.contains(line), "{line}{out}");
    }
    f.ok(&["convert", "ponds.xlsx", "--from", "EPSG:32610", "-o", "back.csv"]);
    let back = f.read("back.csv");
    assert!(back.contains("POLYGON ((438000 5116000, 438009 5116000,") && !back.contains("437999."), "{back}");
}

#[test]
fn a_column_of_heights_that_is_not_taken_says_why() {
    let f = Folder::new();
    let args = ["convert", "piles.csv", "--from", "EPSG:32610", "--overwrite", "-o", "piles.geojson"];
    for (first, advice) in [("n/a", " (--z takes it)"), ("-9999", "")] {
        f.write("piles.csv", format!("x,y,z\n438000.5,5116000.5,{first}\n438003.5,5116002.5,4.5\n"));
        let out = f.ok(&args);
        let told = format!(
            "  read as    no heights from the column \"z\" beside them: \"{first}\" in row 2 is none; it stays a column{advice}\n"
        );
        assert!(out.contains(&told), "{told}{out}");
        assert!(!f.ok(&[&args[..], &["--z", "z"]].concat()).contains("no heights from"));
    }
    // A column without a value says nothing of heights, and one in feet is a column by its name.
    for (name, value) in [("z", ""), ("elevation_ft", "12")] {
        f.write("piles.csv", format!("x,y,{name}\n438000.5,5116000.5,{value}\n438003.5,5116002.5,{value}\n"));
        let out = f.ok(&args);
        assert!(!out.contains("height"), "{out}");
    }
}

#[test]
fn errors_and_formulas_without_values_in_workbooks_are_told() {
    let f = Folder::new();
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    for (column, name) in ["id", "lon", "lat", "depth"].into_iter().enumerate() {
        sheet.write(0, column as u16, name).unwrap();
    }
    for row in 1..=3u32 {
        sheet.write(row, 0, row).unwrap();
        sheet.write(row, 1, -123.8).unwrap();
        sheet.write(row, 2, 46.2).unwrap();
    }
    sheet.write_formula(1, 3, rust_xlsxwriter::Formula::new("=NA()").set_result("#N/A")).unwrap();
    book.save(f.path("e.xlsx")).unwrap();
    let r = f.json(&["convert", "e.xlsx", "--from", "EPSG:4326", "-o", "e.csv", "--json"]);
    let doubt = &r["doubts"].as_array().unwrap().iter().find(|d| d["id"] == "lost-values").unwrap()["message"];
    assert!(doubt.as_str().unwrap().contains("1 cell holds an error and no value: D2 (#N/A)"), "{doubt}");
    assert!(f.ok(&["look", "e.xlsx"]).contains("lost-values"));
    assert_eq!(f.read("e.csv").lines().nth(1), Some("1,-123.8,46.2,"));
    // As a script writes a workbook: formulas whose values nobody computed.
    let mut zip = zip::ZipWriter::new(std::fs::File::create(f.path("script.xlsx")).unwrap());
    let cell = |name: &str, inner: &str| format!("<c r=\"{name}\">{inner}</c>");
    let text = |name: &str, text: &str| format!("<c r=\"{name}\" t=\"inlineStr\"><is><t>{text}</t></is></c>");
    let header = [text("A1", "lon"), text("B1", "lat"), text("C1", "sum")].concat();
    let row = [cell("A2", "<v>-123.8</v>"), cell("B2", "<v>46.2</v>"), cell("C2", "<f>A2+B2</f>")].concat();
    let sheet = format!(
        "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData><row r=\"1\">{header}</row><row r=\"2\">{row}</row></sheetData></worksheet>"
    );
    for (name, bytes) in [
        (
            "[Content_Types].xml",
            r#"<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>"#,
        ),
        (
            "_rels/.rels",
            r#"<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="a" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>"#,
        ),
        (
            "xl/workbook.xml",
            r#"<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Gates" sheetId="1" r:id="b"/></sheets></workbook>"#,
        ),
        (
            "xl/_rels/workbook.xml.rels",
            r#"<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="b" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>"#,
        ),
        ("xl/worksheets/sheet1.xml", sheet.as_str()),
    ] {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        std::io::Write::write_all(&mut zip, bytes.as_bytes()).unwrap();
    }
    zip.finish().unwrap();
    let out = f.ok(&["look", "script.xlsx"]);
    assert!(out.contains("formulas without a stored value are empty here: C2"), "{out}");
}

#[test]
fn areas_without_a_system_are_said_one() {
    let f = Folder::new();
    f.write("ring.csv", "geometry\n\"POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0))\"\n");
    f.ok(&["convert", "ring.csv", "--from", "EPSG:32610", "-o", "ring.shp", "-q"]);
    std::fs::remove_file(f.path("ring.prj")).unwrap();
    f.write("in.csv", "id,easting,northing\n1,1,1\n2,9,9\n");
    let line = ["select", "in.csv", "--from", "EPSG:32610", "--inside", "ring.shp", "-o", "some.csv", "--overwrite"];
    let message = f.refusal(&line);
    assert!(message.contains("areas without a known reference system; say it with --inside-from"), "{message}");
    f.ok(&[&line[..], &["--inside-from", "EPSG:32610", "-q"]].concat());
    assert_eq!(f.read("some.csv"), "id,easting,northing\n1,1,1\n");
    f.ok(&["convert", "ring.csv", "--from", "EPSG:32610", "-o", "ring.gpkg", "-q"]);
    let carried = ["select", "in.csv", "--from", "EPSG:32610", "--inside", "ring.gpkg", "-o", "x.csv"];
    let message = f.refusal(&[&carried[..], &["--inside-from", "EPSG:4326"]].concat());
    assert!(message.contains("--inside-from EPSG:4326: the areas of ring.gpkg carry their system"), "{message}");
}
