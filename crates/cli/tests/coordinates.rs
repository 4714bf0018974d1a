//! Coordinates by the real binary: notations, ways between datums, grids, epochs, fits, measures.

mod common;
#[path = "../../geodesy/tests/common/synthetic.rs"]
mod synthetic;

use common::Folder;
use serde_json::Value;
use synthetic::{Rectangle, gtx, ntv2};

fn rows(text: &str) -> Vec<Vec<String>> {
    text.lines().map(|l| l.split(',').map(String::from).collect()).collect()
}

fn near(a: &Value, b: f64, tolerance: f64) -> bool {
    (a.as_f64().unwrap() - b).abs() <= tolerance
}

/// A folder with a synthetic grid for NAD27 to NAD83: 4″ west, 0.5″ south, 0.3 m.
fn with_grid(f: &Folder) {
    std::fs::create_dir(f.path("grids")).unwrap();
    let field = |_: f64, _: f64| [-4.0, -0.5, 0.3];
    let whole =
        Rectangle { name: "ALL", parent: "NONE", limits: [-125.0, 45.0, -122.0, 47.0], step: 0.5, shift: &field };
    f.write("grids/ntv2_0.gsb", ntv2(&[whole], true));
    f.write("grids/EPSG-5703.gtx", gtx([-125.0, 45.0, -122.0, 47.0], 0.5, &|_, _| -20.0));
}

#[test]
fn a_column_of_many_notations_comes_out_in_one() {
    let f = Folder::new();
    f.write("wkt.csv", "id,geom\n1,POINT (-123.8 46.2)\n2,POINT EMPTY\n3,POINT(-123.7 46.1)\n4,POINT(-123.6 46.1)\n");
    let r = f.json(&["convert", "wkt.csv", "-o", "wkt.geojson", "--from", "EPSG:4326", "--json"]);
    assert_eq!(
        (r["rows_out"].as_u64(), r["layers"][0]["notations"]["well-known-text"].as_u64()),
        (Some(3), Some(3)),
        "{r}"
    );
    f.write(
        "notes.csv",
        "id,position\n1,46.2 -123.8\n2,N46 12.0 W123 48.0\n3,\"46°12'00\"\"N 123°48'00\"\"W\"\n4,10TDS3827716580\n5,+46.2-123.8/\n6,10T 438277.8 5116580.3\n7,461200N 1234800W\n8,Sheldon's barn\n",
    );
    let r = f.json(&[
        "convert",
        "notes.csv",
        "-o",
        "out.csv",
        "--from",
        "EPSG:4326",
        "--to",
        "EPSG:4326",
        "--notation",
        "mgrs",
        "--digits",
        "4",
        "--json",
    ]);
    assert_eq!((r["rows_in"].as_u64(), r["rows_out"].as_u64()), (Some(8), Some(7)), "{r}");
    let out = rows(&f.read("out.csv"));
    assert_eq!(out[0].last().unwrap(), "mgrs");
    assert!(out[1..].iter().all(|r| r.last().unwrap() == "10TDS38271658"), "{out:?}");
    assert!(f.read("out.set-aside.csv").contains("Sheldon"));
    assert_eq!(r["layers"][0]["notations"]["mgrs"], 1);
    // A grid of one country has no places elsewhere: those rows are set aside, not left empty.
    let r = f.json(&[
        "convert",
        "notes.csv",
        "-o",
        "gb.csv",
        "--from",
        "EPSG:4326",
        "--to",
        "EPSG:4326",
        "--notation",
        "great-britain-grid",
        "--json",
    ]);
    assert_eq!(r["set_aside"]["outside the notation"], 7, "{r}");
    assert!(
        f.refusal(&[
            "convert",
            "notes.csv",
            "-o",
            "x.csv",
            "--from",
            "EPSG:4326",
            "--to",
            "EPSG:4326",
            "--notation",
            "mgrs",
            "--digits",
            "9"
        ])
        .contains("0 to 5")
    );
}

#[test]
fn the_order_of_a_column_is_settled_by_all_rows_or_by_none() {
    let f = Folder::new();
    f.write("one.csv", "id,position\n1,46.2 -123.8\n2,46.1 12.5\n3,45.9 -122.1\n");
    let r = f.json(&["convert", "one.csv", "-o", "out.csv", "--from", "EPSG:4326", "--to", "EPSG:4326", "--json"]);
    assert_eq!(r["rows_out"], 3, "{r}");
    let understood = r["layers"][0]["interpretation"].to_string();
    assert!(
        understood.contains("latitude first") && understood.contains("2 of its rows allow no other order"),
        "{understood}"
    );
    assert!(f.read("out.csv").contains("12.500000000,46.100000000"), "{}", f.read("out.csv"));
    // One row that contradicts, and nothing is settled.
    f.write("two.csv", "id,position\n1,46.2 -123.8\n2,46.1 12.5\n3,-122.1 45.9\n");
    let r = f.json(&["convert", "two.csv", "-o", "out2.csv", "--from", "EPSG:4326", "--to", "EPSG:4326", "--json"]);
    assert_eq!(r["set_aside"]["ambiguous coordinate"], 1, "{r}");
}

#[test]
fn national_grid_references_come_from_their_own_datum() {
    let f = Folder::new();
    f.write("uk.csv", "id,position\n1,TG 51409 13177\n2,TG5113\n");
    let r = f.json(&["convert", "uk.csv", "-o", "out.csv", "--from", "EPSG:4326", "--to", "EPSG:4326", "--json"]);
    assert_eq!(r["rows_out"], 2, "{r}");
    let out = rows(&f.read("out.csv"));
    // The datums are some 100 m apart here; on OSGB36 it is 1.7179 E, 52.6576 N (Ordnance Survey, A guide to
    // coordinate systems in Great Britain, annexe C).
    let lon: f64 = out[1][2].parse().unwrap();
    assert!((lon - 1.7160).abs() < 2e-4, "{out:?}");
}

#[test]
fn a_grid_is_used_where_it_is_and_missed_aloud_where_it_is_not() {
    let f = Folder::new();
    with_grid(&f);
    f.write("old.csv", "id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.1\n3,-121.0,46.1\n");
    let line = ["convert", "old.csv", "-o", "out.csv", "--from", "EPSG:4267", "--to", "EPSG:4269", "--overwrite"];
    let with = |more: &[&'static str]| [&line[..], more].concat();
    let r = f.json(&with(&["--grids", "grids", "--json"]));
    assert_eq!(r["operation"]["grids"], serde_json::json!(["ntv2_0.gsb"]));
    assert_eq!(
        (r["rows_in"].as_u64(), r["rows_out"].as_u64()),
        (Some(3), Some(2)),
        "outside the grid is no position: {r}"
    );
    assert!(f.read("out.set-aside.csv").contains("outside the grid ntv2_0.gsb"), "{}", f.read("out.set-aside.csv"));
    let x: f64 = rows(&f.read("out.csv"))[1][3].parse().unwrap();
    assert!((x + 123.8 + 4.0 / 3600.0).abs() < 1e-9, "{x}");
    // By the environment variable.
    let o = f.command(&with(&["--json"])).env("BASILOCUS_GRIDS", f.path("grids")).output().unwrap();
    let r: Value = serde_json::from_slice(&o.stdout).unwrap();
    assert_eq!(r["operation"]["grids"], serde_json::json!(["ntv2_0.gsb"]));
    // Without it: coarser, said, doubted; --strict writes nothing.
    let r = f.json(&with(&["--json"]));
    assert!(r["doubts"].as_array().unwrap().iter().any(|d| d["id"] == "missing-grid"), "{r}");
    assert_eq!(r["operation"]["accuracy_m"], 12.0);
    let before = f.read("out.csv");
    let (status, _, err) = f.run(&with(&["--strict"]));
    assert!(status == 3 && err.contains("ntv2_0.gsb"), "{status} {err}");
    assert_eq!(f.read("out.csv"), before, "nothing was written");
    let message = f.refusal(&with(&["--require-accuracy", "2"]));
    assert!(message.contains("with the grid file ntv2_0.gsb it would be 1.5 m"), "{message}");
    assert!(f.refusal(&with(&["--via", "moonlight"])).contains("none of the ways"));
    f.write("grids/ntv2_0.gsb", b"not a grid");
    assert!(f.refusal(&with(&["--grids", "grids"])).contains("is not an NTv2 grid file"));
}

#[test]
fn heights_are_brought_over_the_geoid() {
    let f = Folder::new();
    with_grid(&f);
    f.write("h.csv", "id,lon,lat,height\n1,-123.8,46.2,5\n2,-123.7,46.1,\n");
    let r = f.json(&[
        "convert",
        "h.csv",
        "-o",
        "out.csv",
        "--from",
        "EPSG:4269+5703",
        "--to",
        "EPSG:4269+ellipsoidal",
        "--grids",
        "grids",
        "--json",
    ]);
    assert_eq!((r["rows_out"].as_u64(), r["set_aside"]["no height"].as_u64()), (Some(1), Some(1)), "{r}");
    let out = rows(&f.read("out.csv"));
    assert!((out[1].last().unwrap().parse::<f64>().unwrap() + 15.0).abs() < 1e-6, "{out:?}");
    assert!(
        f.refusal(&["convert", "h.csv", "-o", "x.csv", "--from", "EPSG:4269+5703", "--to", "EPSG:4269+ellipsoidal"])
            .contains("EPSG-5703.gtx")
    );
}

#[test]
fn moving_frames_ask_for_the_epoch() {
    let f = Folder::new();
    f.write("gnss.csv", "id,lon,lat\n1,149.1,-35.3\n");
    let line = ["convert", "gnss.csv", "-o", "out.csv", "--from", "EPSG:9000", "--to", "EPSG:7844", "--overwrite"];
    assert!(f.refusal(&line).contains("--epoch"));
    let r = f.json(&[&line[..], &["--epoch", "2026.9", "--json"]].concat());
    assert_eq!(r["operation"]["accuracy_m"], 0.001);
    assert!(r["doubts"].as_array().unwrap().is_empty(), "{r}");
    let r = f.json(&[&line[..], &["--via", "assumed equal", "--json"]].concat());
    assert!(r["doubts"].as_array().unwrap().iter().any(|d| d["id"] == "mixed-frames"), "{r}");
}

#[test]
fn ways_are_listed_with_what_they_need() {
    let f = Folder::new();
    with_grid(&f);
    let v = f.json(&["crs", "between", "EPSG:4267", "EPSG:4269", "--near", "-123.8,46.2", "--json"]);
    assert_eq!(v["ways"][0]["grids"], serde_json::json!([{"file": "ntv2_0.gsb", "present": false}]));
    assert_eq!(v["operation"]["accuracy_m"], 12.0);
    let v =
        f.json(&["crs", "between", "EPSG:4267", "EPSG:4269", "--near", "-123.8,46.2", "--grids", "grids", "--json"]);
    assert_eq!((v["ways"][0]["taken"].as_bool(), v["operation"]["accuracy_m"].as_f64()), (Some(true), Some(1.5)));
    assert!(near(&v["operation"]["grid_accuracy_m"], 0.3 * 2f64.sqrt(), 1e-6), "{v}");
    assert!(f.ok(&["crs", "between", "EPSG:4326", "EPSG:32610"]).contains("a conversion only"));
    assert!(f.ok(&["crs", "between", "EPSG:9000", "EPSG:7844"]).contains("needs --epoch"));
    assert!(f.refusal(&["crs", "between", "EPSG:4267", "EPSG:4269", "--near", "Atlantis"]).contains("is not a place"));
}

#[test]
fn a_local_grid_is_fitted_and_used() {
    let f = Folder::new();
    // A made-up town grid in metres: turned by 20°, 2,000,000 and 900,000 ft away; a millimetre of noise on each pair.
    let (s, c) = 20f64.to_radians().sin_cos();
    let feet = |x: f64, y: f64| (7_380_000.0 + (c * x - s * y) / 0.3048, 930_000.0 + (s * x + c * y) / 0.3048);
    let spots = [(0.0, 0.0), (1000.0, 0.0), (0.0, 800.0), (950.0, 870.0), (480.0, 410.0), (200.0, 700.0)];
    let mut text = "point,old_x,old_y,easting,northing\n".to_string();
    for (i, (x, y)) in spots.iter().enumerate() {
        let (e, n) = feet(*x, *y);
        let noise = [0.003, -0.002, 0.001, -0.003, 0.002, -0.001][i];
        text.push_str(&format!("P{i},{x},{y},{},{}\n", e + noise, n - noise));
    }
    f.write("pairs.csv", &text);
    let r = f.json(&["fit", "pairs.csv", "-o", "town.toml", "--to", "EPSG:2269", "--json"]);
    assert_eq!((r["kind"].as_str(), r["pairs"].as_u64()), (Some("conformal"), Some(6)));
    assert!(r["standard_error_m"].as_f64().unwrap() < 0.003 && r["outlier"].is_null(), "{r}");
    assert!(r["parameters"].to_string().contains("turned 20.0000"), "{}", r["parameters"]);
    // Numbers of the old grid in, feet out; and back.
    f.write("old.csv", "id,x,y\n1,500,300\n");
    let r = f.json(&["convert", "old.csv", "-o", "new.csv", "--via", "town.toml", "--x", "x", "--y", "y", "--json"]);
    assert!(r["operation"]["name"].as_str().unwrap().contains("pairs"), "{r}");
    let out = rows(&f.read("new.csv"));
    let (e, n) = feet(500.0, 300.0);
    assert!(
        (out[1][3].parse::<f64>().unwrap() - e).abs() < 0.01 && (out[1][4].parse::<f64>().unwrap() - n).abs() < 0.01,
        "{out:?}"
    );
    let r = f.json(&[
        "convert",
        "new.csv",
        "-o",
        "back.csv",
        "--from",
        "EPSG:2269",
        "--to",
        "local",
        "--via",
        "town.toml",
        "--x",
        "easting",
        "--y",
        "northing",
        "--json",
    ]);
    assert_eq!(r["rows_out"], 1, "{r}");
    let back = rows(&f.read("back.csv"));
    let last = back[1].len();
    assert!((back[1][last - 2].parse::<f64>().unwrap() - 500.0).abs() < 1e-6, "{back:?}");
    // And on to longitude and latitude.
    f.ok(&[
        "convert",
        "old.csv",
        "-o",
        "lonlat.csv",
        "--via",
        "town.toml",
        "--x",
        "x",
        "--y",
        "y",
        "--to",
        "EPSG:4326",
    ]);
    assert!(
        f.read("lonlat.csv").contains("-123.7") || f.read("lonlat.csv").contains("-123.8"),
        "{}",
        f.read("lonlat.csv")
    );
    // A pair that somebody misread is named.
    f.write("bad.csv", text.replace("P3,950,870", "P3,950,807"));
    let (status, out, _) = f.run(&["fit", "bad.csv", "-o", "bad.toml", "--to", "EPSG:2269", "--strict"]);
    assert!(status == 3 && out.contains("\"P3\": without it the others agree far better"), "{out}");
    let r = f.json(&["fit", "bad.csv", "-o", "good.toml", "--to", "EPSG:2269", "--without", "P3", "--json"]);
    assert!(r["pairs"] == 5 && r["standard_error_m"].as_f64().unwrap() < 0.003, "{r}");
    assert!(
        f.refusal(&["fit", "bad.csv", "-o", "x.toml", "--to", "EPSG:2269", "--without", "P9"]).contains("there are P0")
    );
    // Too few, on a line, unknown kinds and systems in degrees are refused with reasons.
    f.write("few.csv", "p,x,y,e,n\nA,0,0,7380000,930000\n");
    assert!(f.refusal(&["fit", "few.csv", "-o", "few.toml", "--to", "EPSG:2269"]).contains("needs at least 2"));
    f.write("line.csv", "p,x,y,e,n\nA,0,0,0,0\nB,1,1,1,1\nC,2,2,2,2\nD,3,3,3,3\n");
    assert!(
        f.refusal(&["fit", "line.csv", "-o", "l.toml", "--to", "EPSG:2269", "--kind", "affine"])
            .contains("on one line")
    );
    assert!(
        f.refusal(&["fit", "pairs.csv", "-o", "k.toml", "--to", "EPSG:2269", "--kind", "rubber"]).contains("affine")
    );
    assert!(f.refusal(&["fit", "pairs.csv", "-o", "k.toml", "--to", "EPSG:4326"]).contains("needs a projected one"));
    assert!(f.refusal(&["fit", "pairs.csv", "-o", "town.toml", "--to", "EPSG:2269"]).contains("exists already"));
}

#[test]
fn a_fit_in_space_ties_two_datums() {
    let f = Folder::new();
    // The published shift of the western states, seen at five places.
    let mut text = "p,lon1,lat1,h1,lon2,lat2,h2\n".to_string();
    for (i, (lon, lat)) in
        [(-123.8, 46.2), (-123.2, 46.5), (-124.0, 45.8), (-123.0, 45.9), (-123.5, 46.0)].iter().enumerate()
    {
        let v = f.json(&["at", &format!("{lat} {lon}"), "--from", "EPSG:4267", "--json"]);
        text.push_str(&format!("P{i},{lon},{lat},0,{},{},0\n", v["lon"], v["lat"]));
    }
    f.write("pairs.csv", &text);
    let r = f.json(&[
        "fit",
        "pairs.csv",
        "-o",
        "shift.toml",
        "--kind",
        "translation-3d",
        "--from",
        "EPSG:4267",
        "--to",
        "EPSG:4326",
        "--json",
    ]);
    assert!(r["standard_error_m"].as_f64().unwrap() < 5.0, "{r}");
    f.write("old.csv", "id,lon,lat\n1,-123.6,46.1\n");
    let r = f.json(&[
        "convert",
        "old.csv",
        "-o",
        "out.csv",
        "--from",
        "EPSG:4267",
        "--to",
        "EPSG:4326",
        "--via",
        "shift.toml",
        "--json",
    ]);
    assert_eq!(r["operation"]["name"], "pairs", "{r}");
}

#[test]
fn systems_come_from_files() {
    let f = Folder::new();
    f.write("points.csv", "id,x,y\n1,438277.8,5116580.3\n");
    f.write(
        "points.prj",
        r#"PROJCS["WGS_1984_UTM_Zone_10N",GEOGCS["WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",-123.0],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]"#,
    );
    assert!(f.ok(&["crs", "show", "points.prj"]).contains("(EPSG:32610)"));
    let r = f.json(&["convert", "points.csv", "-o", "out.csv", "--from", "points.prj", "--to", "EPSG:4326", "--json"]);
    assert_eq!(r["operation"]["source"], "WGS 84 / UTM zone 10N (EPSG:32610)", "{r}");
    // One's own, in the short form, through a GeoPackage and back.
    f.write("own.toml", "basilocus_crs = 1\nname = \"Estuary grid\"\nbase = \"EPSG:4326\"\nmethod = \"Transverse Mercator\"\n[parameters]\n\"Latitude of natural origin\" = 46\n\"Longitude of natural origin\" = -123.8\n\"Scale factor at natural origin\" = 1\n\"False easting\" = 10000\n\"False northing\" = 0\n");
    f.ok(&["convert", "points.csv", "-o", "own.gpkg", "--from", "points.prj", "--to", "own.toml"]);
    let r = f.json(&["convert", "own.gpkg", "-o", "back.csv", "--to", "EPSG:32610", "--json"]);
    assert!(r["operation"]["source"].as_str().unwrap().contains("Estuary grid"), "{r}");
    let back = f.read("back.csv");
    assert!(back.contains("438277.8000,5116580.3000"), "{back}");
    for version in ["1", "2"] {
        f.write("own.wkt", f.ok(&["crs", "show", "own.toml", "--wkt", version]));
        let v = f.json(&["crs", "show", "own.wkt", "--json"]);
        assert_eq!((v["name"].as_str(), v["projection"]["implemented"].as_bool()), (Some("Estuary grid"), Some(true)));
    }
    assert!(f.ok(&["crs", "show", "EPSG:2269", "--toml"]).contains("basilocus_crs = 1"));
    assert!(f.ok(&["crs", "show", "EPSG:5555"]).contains("vertical"));
}

#[test]
fn numbers_without_a_system_are_placed() {
    let f = Folder::new();
    f.write("lost.csv", "id,a,b\n1,7382000,932000\n2,7391000,941000\n");
    let v = f.json(&["crs", "detect", "lost.csv", "--near", "46.2N 123.7W", "--x", "a", "--y", "b", "--json"]);
    let first = &v["systems"][0];
    assert_eq!((first["code"].as_str(), first["swapped"].as_bool()), (Some("EPSG:2269"), Some(false)), "{v}");
    let v = f.json(&["crs", "detect", "lost.csv", "--near", "Oregon", "--x", "b", "--y", "a", "--json"]);
    assert!(v["systems"].as_array().unwrap().iter().any(|s| s["code"] == "EPSG:2269" && s["swapped"] == true), "{v}");
    assert!(f.ok(&["crs", "detect", "lost.csv", "--near", "0,0", "--x", "a", "--y", "b"]).contains("local grid?"));
    let v = f.json(&["crs", "advise", "--for", "area", "--json", "--", "-124.1,46.0,-123.5,46.4"]);
    assert!(v["systems"][0]["area_error_ppm"].as_f64().unwrap() < 1.0, "{v}");
    assert!(f.ok(&["crs", "advise", "--for", "web", "Oregon"]).contains("not for measuring"));
    assert!(f.refusal(&["crs", "advise", "--for", "fun", "Oregon"]).contains("measure, area"));
}

#[test]
fn everyday_arithmetic() {
    let f = Folder::new();
    let v = f.json(&["calc", "zone", "--json", "--", "-123.8"]);
    assert_eq!((v["zone"].as_u64(), v["central_meridian"].as_f64()), (Some(10), Some(-123.0)));
    assert!(f.ok(&["calc", "zone", "5.2E"]).starts_with("5.2° E is in UTM zone 31"));
    assert_eq!(f.json(&["calc", "zone", "60 N 5 E", "--json"])["zone"], 32, "south-west Norway");
    assert_eq!(f.json(&["calc", "zone", "10T", "--json"])["band"]["south"], 40.0);
    let v = f.json(&["calc", "units", "1000000", "ftUS", "--to", "ft", "--to", "m", "--json"]);
    assert!(near(&v["in"][0]["value"], 1_000_002.000_004, 1e-6), "two feet in a million: {v}");
    assert!(f.ok(&["calc", "units", "100", "ft"]).contains("taken as US survey feet"));
    assert!(near(
        &f.json(&["calc", "units", "100", "grad", "--to", "degree", "--json"])["in"][0]["value"],
        90.0,
        1e-12
    ));
    assert!(f.refusal(&["calc", "units", "1", "cubit"]).contains("no unit that is known"));
    // A degree of the meridian from the equator, and a quarter of the equator: lengths of the WGS 84 ellipsoid
    // (NIMA TR8350.2: a = 6378137 m, so a quarter is π a / 2 = 10018754.171 m).
    let v = f.json(&["calc", "distance", "0N 0E", "0N 90E", "--json"]);
    assert!(near(&v["distance_m"], 10_018_754.171_394_6, 1e-6) && near(&v["azimuth_deg"], 90.0, 1e-12), "{v}");
    let v = f.json(&["calc", "area", "0N 0E", "0N 1E", "1N 1E", "1N 0E", "--on", "EPSG:3857", "--json"]);
    assert!(v["on_map"]["area_ratio"].as_f64().unwrap() > 1.0, "{v}");
    let v = f.json(&["calc", "area", "60N 5E", "60N 6E", "61N 6E", "61N 5E", "--on", "EPSG:3857", "--json"]);
    assert_eq!(v["doubts"][0]["id"], "wrong-measure", "four times too large there: {v}");
    let v = f.json(&["calc", "sheet", "46.2N 123.8W", "-o", "sheets.geojson", "--json"]);
    assert_eq!(v["sheets"][0]["sheet"], "NL-10");
    assert!(f.read("sheets.geojson").contains("NL-10-65"));
    f.write("index.csv", "sheet,west,south,east,north\nMouth,-124.1,46.1,-123.7,46.4\n");
    let v = f.json(&["calc", "sheet", "46.2N 123.8W", "--index", "index.csv", "--json"]);
    assert!(v["sheets"].as_array().unwrap().iter().any(|s| s["sheet"] == "Mouth"), "{v}");
    let v = f.json(&["calc", "distortion", "46.2N 123W", "--on", "EPSG:32610", "--json"]);
    assert!(near(&v["meridian_scale"]["mean"], 0.9996, 1e-9), "{v}");
    f.write("ring.csv", "id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.2\n3,-123.7,46.3\n");
    let v = f.json(&["calc", "distortion", "ring.csv", "--from", "EPSG:4326", "--on", "EPSG:2269", "--json"]);
    assert!(v["measures"]["on_map"]["length_ratio"].as_f64().unwrap() > 1.0, "{v}");
    assert!(f.refusal(&["calc", "area", "0N 0E", "1N 1E"]).contains("three or more"));
}

#[test]
fn angles_in_several_columns() {
    let f = Folder::new();
    let converted = |table: &str, more: &[&str]| {
        f.write("in.csv", table.as_bytes());
        let line = ["convert", "in.csv", "-o", "out.csv", "--from", "EPSG:4326", "--columns", "x,y", "--overwrite"];
        f.ok(&[&line[..], more].concat());
        f.read("out.csv")
    };
    let dms = "id,lat_deg,lat_min,lat_sec,lon_deg,lon_min,lon_sec\n1,46,7,24,9,7,24\n2,46,7,61,9,7,24\n3,46,,12,9,7,24\n4,46,7,,-0,7,24\n5,,,,,,\n";
    insta::assert_snapshot!(converted(dms, &[]), @r"
        id,lat_deg,lat_min,lat_sec,lon_deg,lon_min,lon_sec,x,y
        1,46,7,24,9,7,24,9.123333333,46.123333333
        4,46,7,,-0,7,24,-0.123333333,46.116666667
        ");
    insta::assert_snapshot!(f.read("out.set-aside.csv"), @r#"
        source_row,reason,id,lat_deg,lat_min,lat_sec,lon_deg,lon_min,lon_sec
        3,"column ""lat_deg"", ""lat_min"", ""lat_sec"": ""46 7 61"" has 61 seconds; they end below 60 (at character 6: ""6""); a number, or degrees (and minutes, seconds) are expected",2,46,7,61,9,7,24
        4,"column ""lat_min"" is empty; it is a part of the latitude",3,46,,12,9,7,24
        6,"column ""lon_deg"", ""lon_min"", ""lon_sec"" is empty; a position is expected",5,,,,,,
        "#);
    let seen = f.ok(&["look", "in.csv"]);
    assert!(seen.contains("longitudes in \"lon_deg\" \"lon_min\" \"lon_sec\", latitudes in"), "{seen}");
    assert!(!seen.contains("extent"), "degrees alone are not where it is: {seen}");
    let beside = "id,lat,ns,lon,ew\n1,46.5,N,123.5,W\n2,46.5,,123.5,W\n3,46.5,S,-123.5,W\n";
    insta::assert_snapshot!(converted(beside, &[]), @r"
        id,lat,ns,lon,ew,x,y
        1,46.5,N,123.5,W,-123.500000000,46.500000000
        ");
    insta::assert_snapshot!(f.read("out.set-aside.csv"), @r#"
        source_row,reason,id,lat,ns,lon,ew
        3,"column ""ns"" is empty; it is a part of the latitude",2,46.5,,123.5,W
        4,"column ""lon"", ""ew"": ""-123.5 W"" has both a minus sign and a hemisphere letter; keep one of them (at character 1: ""-""); a number, or degrees (and minutes, seconds) are expected",3,46.5,S,-123.5,W
        "#);
    // As positioning receivers write it, and with the hemisphere in the header.
    assert!(
        converted("lat,lat_dir,lon,lon_dir\n4607.4040,N,12330.5000,W\n", &[]).contains("-123.508333333,46.123400000")
    );
    assert!(converted("Latitude (N),Longitude (W)\n46.5,123.5\n", &[]).contains("-123.500000000,46.500000000"));
    // Columns that nobody would find.
    let odd = "a;b;c;d\n46;7.5;123;30\n";
    assert!(converted(odd, &["--x", "c,d", "--y", "a,b"]).contains("123.500000000"));
    // A hemisphere that is missing is no east.
    let said = converted("a,b,c\n46.5,123.5,W\n46.5,123.5,\n", &["--x", "b,c", "--y", "a"]);
    assert!(said.contains("-123.500000000") && said.lines().count() == 2, "{said}");
    assert!(f.read("out.set-aside.csv").contains("\"\"c\"\" is empty"), "{}", f.read("out.set-aside.csv"));
    let grid = "zone;e;n\n10T;438278;5116580\n";
    assert!(converted(grid, &["--coordinates", "zone,e,n"]).contains("-123.79999"), "{}", f.read("out.csv"));
    // Two positions in a row: which one is asked.
    f.write("ends.csv", b"start_lat,start_lon,end_lat,end_lon\n46,9,47,10\n");
    let line = ["convert", "ends.csv", "-o", "ends.geojson", "--from", "EPSG:4326"];
    assert!(f.refusal(&line).contains("rows have two positions, with \"start_lon\" and with \"end_lon\""));
    f.ok(&[&line[..], &["--x", "end_lon", "--y", "end_lat"]].concat());
    assert!(f.read("ends.geojson").contains("[10,47]"), "{}", f.read("ends.geojson"));
    // Degrees and minutes are no eastings.
    f.write("in.csv", dms.as_bytes());
    let line = [
        "convert",
        "in.csv",
        "-o",
        "plane.csv",
        "--from",
        "EPSG:32610",
        "--x",
        "lon_deg,lon_min",
        "--y",
        "lat_deg,lat_min",
    ];
    assert!(f.refusal(&line).contains("read in a system of latitude and longitude"));
}

#[test]
fn longitudes_beyond_the_180_degree_meridian() {
    let f = Folder::new();
    f.write("in.csv", b"id,lat,lon\n1,-15,181.5\n2,-15,359\n3,-15,-181.5\n4,-15,180\n5,-15,-180\n6,-15,361\n");
    let out =
        f.ok(&["convert", "in.csv", "--from", "EPSG:4326", "-o", "out.geojson", "-o", "out.csv", "--no-progress"]);
    assert!(out.contains("3 longitudes beyond 180° are taken as within −180…180"), "{out}");
    assert!(out.contains("6 rows in = 5 out + 1 set aside (1 longitude out of range)"), "{out}");
    let all: Value = serde_json::from_str(&f.read("out.geojson")).unwrap();
    let x = |i: usize| all["features"][i]["geometry"]["coordinates"][0].as_f64().unwrap();
    assert_eq!([x(0), x(1), x(2), x(3), x(4)], [-178.5, -1.0, 178.5, 180.0, -180.0]);
    assert!(f.read("out.csv").contains("2,-15,359"), "the source's columns stay");
    // Selected where it is.
    f.ok(&["select", "in.csv", "--from", "EPSG:4326", "--extent=-179,-20,-178,-10", "-o", "there.csv"]);
    assert_eq!(f.read("there.csv").lines().count(), 2, "{}", f.read("there.csv"));
}

#[test]
fn the_header_and_the_other_rows_say_how_positions_are_written() {
    let f = Folder::new();
    let placed = |name: &str, text: &str| -> (String, Vec<String>) {
        f.write(name, text);
        let out = f.ok(&["convert", name, "--from", "EPSG:4326", "-o", "out.csv", "--overwrite"]);
        // The last two columns are where the row is.
        let place = |line: &str| line.rsplitn(3, ',').take(2).collect::<Vec<_>>().join(" ");
        (out, f.read("out.csv").lines().skip(1).map(place).collect())
    };
    // Two rows are enough where the header says what the column is.
    for (header, row, lat) in [
        ("mgrs", "10TDS3827716580", "46.2"),
        ("geohash", "c20fbqumet", "45.521"),
        ("WKT", "POINT (-123.8 46.2)", "46.2"),
        ("the_geom", "POINT (-123.8 46.2)", "46.2"),
        ("UTM", "10T 438277.8 5116580.3", "46.2"),
        ("georef", "EKBB1200012000", "46.2"),
        ("Maidenhead Locator", "CN86ce40", "46."),
        ("Open location code", "84RW6622+22", "46.2"),
    ] {
        let (out, rows) = placed("one.csv", &format!("id,{header}\n1,{row}\n"));
        assert!(out.contains(&format!("positions from column \"{header}\" (found)")), "{header}: {out}");
        assert!(rows[0].starts_with(lat), "{header}: {rows:?}");
    }
    // A geohash of letters alone is a word to a program that does not know its column.
    let (_, rows) = placed("letters.csv", "id,geohash\n1,dpzgxrhkmb\n");
    assert_eq!(rows.len(), 1);
    let (out, rows) = placed("codes.csv", "id,position\n1,c20fbqumet\n2,dpzgxrhkmb\n3,c20fbqumeu\n");
    assert!(out.contains("geohash in \"position\": 2 of its rows are of no other notation"), "{out}");
    assert_eq!(rows.len(), 3);
    let (out, rows) = placed("bands.csv", "id,position\n1,54S 409861.8 3984544.9\n2,10T 438277.8 5116580.3\n");
    assert!(out.contains("letters behind zones in \"position\" are bands, S among them"), "{out}");
    assert!(rows[0].starts_with("36.0") && rows[0].contains(" 139.99"), "{rows:?}");
    // S alone could be the hemisphere.
    let (out, _) = placed("sides.csv", "id,position\n1,54S 409861.8 3984544.9\n2,10N 438277.8 5116580.3\n");
    assert!(out.contains("1 ambiguous coordinate"), "{out}");
}

#[test]
fn the_header_of_one_column_says_which_number_comes_first() {
    let f = Folder::new();
    for (header, row) in [
        ("\"lat,lon\"", "\"46.2, 12.5\""),
        ("LatLon", "\"46.2, 12.5\""),
        ("lon/lat", "\"12.5, 46.2\""),
        ("Longitude Latitude", "12.5 46.2"),
        ("Breite / Länge", "\"46,2; 12,5\""),
    ] {
        f.write("one.csv", format!("id,{header}\n1,{row}\n"));
        let out = f.ok(&["convert", "one.csv", "--from", "EPSG:4326", "-o", "out.csv", "--overwrite"]);
        assert!(out.contains("first, as the header"), "{header}: {out}");
        assert!(f.read("out.csv").ends_with(",12.500000000,46.200000000\n"), "{header}: {}", f.read("out.csv"));
    }
    f.write("one.csv", "id,latlon\n1,\"46.2, 12.5\"\n");
    let said = ["--order", "longitude-first"];
    f.ok(&[&["convert", "one.csv", "--from", "EPSG:4326", "-o", "out.csv", "--overwrite"], &said[..]].concat());
    assert!(f.read("out.csv").ends_with(",46.200000000,12.500000000\n"), "what is said counts more");
}

#[test]
fn letters_for_degrees_minutes_and_seconds() {
    let f = Folder::new();
    f.write("dms.csv", "id,lat,lon\n1,46d13m49.44s N,123d48m0s W\n2,S 46d13m49.44s,W123d48m0s\n3,46d13m49.44s,9d7m24s\n4,46D13M49.44S,9D7M24S E\n");
    f.ok(&["convert", "dms.csv", "--from", "EPSG:4326", "-o", "out.geojson", "-q", "--keep", "id"]);
    let out = f.read("out.geojson");
    assert_eq!(out.matches("\"Point\"").count(), 3, "{out}");
    // 46° 13′ 49.44″; an s behind m is seconds, not south.
    for place in ["[-123.8,46.2304]", "[-123.8,-46.2304]", "[9.123333333,46.2304]"] {
        assert!(out.contains(place), "{place}: {out}");
    }
    assert!(f.read("out.set-aside.csv").contains("closes the seconds or is south"));
}

#[test]
fn geo_addresses_and_links_to_maps() {
    let f = Folder::new();
    f.write(
        "spots.csv",
        "id,spot\n1,\"geo:46.2,-123.8;u=35\"\n2,\"https://map.example/?q=46.2,-123.8\"\n3,https://map.example/#15/46.20/-123.80\n4,https://map.example/?lon=12.5&lat=46.2\n5,\"https://map.example/?ll=46.20,12.50\"\n6,https://map.example/gates\n",
    );
    let line = ["convert", "spots.csv", "--from", "EPSG:4326", "--coordinates", "spot", "-o", "out.geojson"];
    let out = f.ok(&line);
    // Row 5 could be either way round, until the others say it.
    assert!(out.contains("latitude first in \"spot\": 2 of its rows allow no other order"), "{out}");
    let text = f.read("out.geojson");
    assert_eq!(text.matches("[-123.8,46.2]").count(), 3, "{text}");
    assert_eq!(text.matches("[12.5,46.2]").count(), 2, "{text}");
    assert!(f.read("out.set-aside.csv").contains("6,"));
    assert!(f.ok(&["at", "geo:46.2,-123.8", "--to", "EPSG:32610"]).contains("438277.80"));
    f.ok(&["convert", "out.geojson", "--notation", "geo-uri", "--keep", "id", "-o", "geo.csv", "-q"]);
    assert!(f.read("geo.csv").contains("\"geo:46.2000000,-123.8000000\""), "{}", f.read("geo.csv"));
}

#[test]
fn systems_by_other_words_where_one_fits() {
    let f = Folder::new();
    f.write("p.csv", "id,easting,northing\n1,438277.7983,5116580.2723\n");
    let out = f.ok(&["convert", "p.csv", "--from", "utm 10n", "--to", "WGS84", "-o", "out.csv"]);
    assert!(out.contains("\"utm 10n\" is taken as WGS 84 / UTM zone 10N (EPSG:32610); it could also be"), "{out}");
    assert!(out.contains("\"WGS84\" is taken as WGS 84 (EPSG:4326)"), "{out}");
    assert!(f.read("out.csv").contains("-123.80000000"), "{}", f.read("out.csv"));
    let message = f.refusal(&["convert", "p.csv", "--from", "oregon north", "-o", "x.csv"]);
    assert!(message.contains("nearest: NAD27 / Oregon North (EPSG:32026)"), "{message}");
}

#[test]
fn numbers_whose_rest_stands_in_the_header() {
    let f = Folder::new();
    f.write("cut.csv", "id,Easting (+400000),Northing (+5 100 000)\n1,38278,16580.25\n2,123.4,81\n");
    let out = f.ok(&["convert", "cut.csv", "--from", "EPSG:32610", "-o", "out.csv", "--no-progress"]);
    assert!(out.contains("\"Northing (+5 100 000)\" are cut to their last digits: 5100000 is added"), "{out}");
    let text = f.read("out.csv");
    assert!(text.contains("1,38278,16580.25,438278.0000,5116580.2500"), "{text}");
    assert!(text.contains("2,123.4,81,400123.4000,5100081.0000"), "{text}");
    // A year is no rest, and degrees have none.
    f.write("year.csv", "id,easting -1958,northing -1958\n1,438278,5116580\n");
    f.ok(&["convert", "year.csv", "--from", "EPSG:32610", "-o", "year.geojson", "--no-progress"]);
    assert!(f.read("year.geojson").contains("[-123.79999"), "{}", f.read("year.geojson"));
}

#[test]
fn rows_of_another_grid_zone_are_set_aside() {
    let f = Folder::new();
    f.write(
        "zones.csv",
        "id,zone,easting,northing\n1,10T,438277.80,5116580.27\n2,11T,438277.80,5116580.27\n3,10,438277.80,5116580.27\n4,,438277.80,5116580.27\n5,10K,438277.80,5116580.27\n",
    );
    let out = f.ok(&["convert", "zones.csv", "--from", "EPSG:32610", "--to", "EPSG:4326", "-o", "out.csv"]);
    assert!(out.contains("zones from column \"zone\": rows of another than 10 are set aside"), "{out}");
    assert!(out.contains("5 rows in = 3 out + 2 set aside (2 another zone)"), "{out}");
    let aside = f.read("out.set-aside.csv");
    assert!(aside.contains("the row is in zone 11T, and the system is WGS 84 / UTM zone 10N"), "{aside}");
    // With all three columns each row is placed in its own zone.
    f.write("each.csv", "id,zone,easting,northing\n1,10T,438277.80,5116580.27\n2,11T,438277.80,5116580.27\n");
    let all = ["--coordinates", "zone,easting,northing", "--from", "EPSG:4326"];
    f.ok(&[&["convert", "each.csv", "-o", "each.geojson", "-q"], &all[..]].concat());
    let text = f.read("each.geojson");
    assert!(text.contains("[-123.79999") && text.contains("[-117.79999"), "{text}");
    // A zone of something else is a column like any other.
    f.write("district.csv", "id,zone,easting,northing\n1,3,438277.80,5116580.27\n2,4,438277.80,5116580.27\n");
    let out = f.ok(&["convert", "district.csv", "--from", "EPSG:32610", "-o", "district.geojson"]);
    assert!(out.contains("2 rows in = 2 out"), "{out}");
}
