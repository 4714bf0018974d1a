//! The real binary: what a user types, reads and gets, on good and on bad input.

mod common;

use common::Folder;
use serde_json::Value;
use std::path::Path;

#[test]
fn convert_accounts_for_every_row() {
    let f = Folder::new();
    let r = f.json(&["convert", "gates.csv", "-o", "out.csv", "--from", "EPSG:4326", "--to", "EPSG:32610", "--json"]);
    assert_eq!((r["rows_in"].as_u64(), r["rows_out"].as_u64()), (Some(8), Some(3)));
    assert_eq!(
        r["set_aside"],
        serde_json::json!({"blank row": 1, "latitude out of range": 1, "not a coordinate": 1, "ragged row": 2})
    );
    assert_eq!(r["operation"]["accuracy_m"], 0.0);
    assert_eq!(r["outputs"], serde_json::json!(["out.csv"]));
    assert!(r["seconds"].is_number() && r["doubts"].is_array());
    insta::assert_snapshot!(f.read("out.csv"), @r#"
    id,lon,lat,easting,northing
    1,-123.8,46.2,438277.7983,5116580.2723
    6,"-123,5","46,1",461353.6670,5105279.7810
    7,123° 48' W,N46.2,438277.7983,5116580.2723
    "#);
    insta::assert_snapshot!(f.read("out.set-aside.csv"), @r#"
    source_row,reason,id,lon,lat
    3,"column ""lat"": latitude 95 is outside −90…90; check the value, or the system that was said",2,-123.7,95
    4,"column ""lon"": ""abc"" has the word ""abc"", which is no part of a position in degrees (at character 1: ""a""); a number, or degrees (and minutes, seconds) are expected",3,abc,46
    5,ragged row: 2 fields where the header has 3; a field is missing; `fill_short_rows` takes those at the end as empty,4,-123.5,
    6,ragged row: 4 fields where the header has 3; a delimiter inside a field must be quoted,5,-123.5,"46.1,7"
    7,blank row,,,
    "#);
}

/// A definition with a method that nobody knows.
fn odd_projection() -> &'static str {
    r#"PROJCS["Odd",GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Sideways_Unrolled"],UNIT["metre",1]]"#
}

#[test]
fn bad_input_is_named_with_what_to_do() {
    let f = Folder::new();
    f.write("empty.csv", "");
    f.write("quote.csv", "id,lon,lat\n1,\"2,3\n4,5,6\n");
    f.write("odd.prj", odd_projection());
    f.write("junk.csv", [0u8, 159, 146, 150, 0, 1, 2, 3]);
    std::fs::create_dir(f.path("folder")).unwrap();
    let r = |line: &str| f.refusal(&line.split(' ').collect::<Vec<_>>());
    insta::assert_snapshot!(r("convert gate.csv -o out.csv"), @"[1] basilocus: gate.csv: no such file; did you mean gates.csv?");
    insta::assert_snapshot!(r("convert folder -o out.csv"), @"[1] basilocus: folder: is a folder; name a file in it");
    insta::assert_snapshot!(r("convert empty.csv -o out.csv"), @"[1] basilocus: empty.csv: the file is empty; a table with a header is expected");
    insta::assert_snapshot!(r("convert quote.csv -o out.csv"), @r#"[1] basilocus: quote.csv, line 2: a quote (") is opened here and never closed; close it, or double it where it is part of the text"#);
    insta::assert_snapshot!(r("look junk.csv"), @"[1] basilocus: junk.csv: holds binary data, not text; GeoTIFF, ASCII grid, GTX grid, PLY, GeoPackage, shapefile, DBF table, OpenDocument workbook, XLSX workbook, Parquet, DXF drawing, GeoJSON, KML, GPX, GML, web page, XML, XYZ text, text in fixed columns, delimited text are read");
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --to EPSG:32610"), @r#"[1] basilocus: gates.csv: no reference system is said for columns "lon" and "lat"; say it with --from, such as --from EPSG:4326 (WGS 84 longitude and latitude); the values look like degrees"#);
    insta::assert_snapshot!(r("convert gates.csv -o out.geojson"), @r#"[1] basilocus: gates.csv: no reference system is said for columns "lon" and "lat"; say it with --from, such as --from EPSG:4326 (WGS 84 longitude and latitude); the values look like degrees"#);
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --from EPSG:43260"), @"[1] basilocus: no reference system \"EPSG:43260\" in the catalogue (EPSG Geodetic Parameter Dataset, kept by the IOGP); nearest: WGS 84 / SCAR IMW ST01-04 (EPSG:3260); WGS 84 (EPSG:4326)");
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --from EPSG:4326 --to odd.prj"), @r#"[1] basilocus: Odd (a system of your own) uses the method "Sideways Unrolled", which is not implemented; choose a system with another projection"#);
    insta::assert_snapshot!(r("convert gates.csv -o no/out.csv --from EPSG:4326"), @"[1] basilocus: no/out.csv: the folder no does not exist; make it first");
    insta::assert_snapshot!(r("convert gates.csv -o out.xyz --from EPSG:4326"), @"[1] basilocus: out.xyz: the ending says no format that is written; use one of .gpkg, .shp, .dbf, .xlsx, .parquet, .geoparquet, .dxf, .geojson, .json, .geojsonl, .ndjson, .kml, .kmz, .gpx, .gml, .csv, .tsv, .tab, .txt");
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --x lonn --y lat --from EPSG:4326"), @r#"[1] basilocus: gates.csv: there is no column "lonn" (did you mean "lon"?); it has: id, lon, lat"#);
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --x lon --y lon --from EPSG:4326"), @r#"[2] basilocus: --x and --y name the same column "lon"; all points would lie on a diagonal line (same-column)"#);
    insta::assert_snapshot!(r("convert gates.csv --from EPSG:4326"), @"[2] basilocus: no output is said; name one with -o FILE");
    insta::assert_snapshot!(r("convert gates.csv -o gates.csv --from EPSG:4326 --overwrite"), @"[2] basilocus: gates.csv: one file would be a source and an output in one run; name another file");
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --from EPSG:4326 --to EPSG:32610 --notation degrees-minutes"), @"[2] basilocus: --notation degrees-minutes is for longitude and latitude; WGS 84 / UTM zone 10N (EPSG:32610) has metres: choose a geographic --to, such as EPSG:4326");
    insta::assert_snapshot!(r("convert gates.csv -o out.csv --sheet One"), @"[1] basilocus: gates.csv: --sheet is for workbooks; this is delimited text");
    insta::assert_snapshot!(r("geocode gates.csv -o out.csv --reference gates.csv"), @"[1] basilocus: gates.csv: is not an address reference; make one with `reference build`");
    insta::assert_snapshot!(r("reference build gates.csv -o x.reference"), @"[2] basilocus: gates.csv: the columns do not tell what it holds: address points have a street and a number, segments have left and right from and to numbers and a line, postcodes have a postcode, places have a name, areas have polygons; it has: id, lon, lat. A file for --mapping can say it");
    insta::assert_snapshot!(r("run gates.csv"), @"
    [1] basilocus: gates.csv: is not a plan: TOML parse error at line 1, column 3
      |
    1 | id,lon,lat
      |   ^
    key with no value, expected `=`
    ");
    assert!(f.run(&["convert", "--nonsense"]).0 == 2);
    // Nothing of all that left a file behind.
    assert_eq!(f.names(), ["empty.csv", "folder", "gates.csv", "junk.csv", "odd.prj", "quote.csv"]);
}

#[test]
fn an_output_is_replaced_only_when_asked() {
    let f = Folder::new();
    let line = ["convert", "gates.csv", "-o", "out.csv", "--from", "EPSG:4326", "-q"];
    f.ok(&line);
    let before = f.read("out.csv");
    insta::assert_snapshot!(f.refusal(&line), @"[1] basilocus: out.csv: exists already and is not replaced; add --overwrite, or name another file");
    f.write("gates.csv", "id,lon,lat\n1,-123.8,46.2\n");
    f.ok(&[&line[..], &["--overwrite"]].concat());
    assert_ne!(f.read("out.csv"), before);
    assert!(!f.path("out.set-aside.csv").exists(), "rows set aside by the earlier run would be taken for this one's");
}

#[test]
fn standard_input_and_output_and_packed_files() {
    let f = Folder::new();
    let table = "id,lon,lat\n1,-123.8,46.2\n2,-123.7,95\n";
    let line = ["convert", "-", "-o", "-", "--from", "EPSG:4326", "--to", "EPSG:32610", "--overwrite"];
    let o = f.command(&line).write_stdin(table).output().unwrap();
    let (out, err) = (String::from_utf8(o.stdout).unwrap(), String::from_utf8(o.stderr).unwrap());
    insta::assert_snapshot!(out, @r#"
    id	lon	lat	easting	northing
    1	-123.8	46.2	438277.7983	5116580.2723
    "#);
    assert!(err.contains("from standard input") && err.contains("2 rows in = 1 out + 1 set aside"), "{err}");
    assert!(err.contains("  set aside  row 3: ") && err.contains("latitude 95"), "{err}");
    assert!(!f.path("standard_input.set-aside.csv").exists(), "it would be in the way of the next run");
    let said = [&line[..], &["--set-aside", "aside.csv"]].concat();
    let o = f.command(&said).write_stdin(table).output().unwrap();
    assert!(String::from_utf8_lossy(&o.stderr).contains("  set aside  aside.csv"));
    assert!(f.read("aside.csv").contains("latitude 95"));
    let wrong = |file: &str| f.refusal(&["convert", "gates.csv", "-o", "x.csv", "--set-aside", file]);
    assert!(wrong("aside.xlsx").contains("name a file that ends in .csv"));
    assert!(wrong("x.csv").contains("name another file") && wrong("gates.csv").contains("name another file"));
    assert!(f.refusal(&["convert", "gates.csv", "-o", "-", "--json"]).contains("both want standard output"));
    let o = f.command(&["look", "-"]).write_stdin("").output().unwrap();
    assert!(String::from_utf8_lossy(&o.stderr).contains("standard input is empty"));
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    std::io::Write::write_all(&mut packed, table.as_bytes()).unwrap();
    let packed = packed.finish().unwrap();
    f.write("gates.csv.gz", &packed);
    let r =
        f.json(&["convert", "gates.csv.gz", "-o", "out.csv", "--from", "EPSG:4326", "--to", "EPSG:32610", "--json"]);
    assert_eq!((r["rows_in"].as_u64(), r["rows_out"].as_u64()), (Some(2), Some(1)));
    assert!(f.ok(&["look", "gates.csv.gz"]).contains("gzip"));
    let o = f.command(&line).write_stdin(packed).output().unwrap();
    assert_eq!(String::from_utf8(o.stdout).unwrap(), out, "packed on standard input");
}

#[test]
fn strict_is_an_exit_status_of_its_own() {
    let f = Folder::new();
    assert_eq!(f.run(&["convert", "gates.csv", "-o", "out.csv", "--from", "EPSG:4326", "--strict", "-q"]).0, 3);
    f.write("clean.csv", "id,lon,lat\n1,-123.8,46.2\n");
    assert_eq!(
        f.run(&[
            "convert",
            "clean.csv",
            "-o",
            "clean-out.csv",
            "--from",
            "EPSG:4326",
            "--to",
            "EPSG:2269",
            "--strict",
            "-q"
        ])
        .0,
        0
    );
    // Longitude and latitude the wrong way round: inside the area only when exchanged.
    f.write("swapped.csv", "id,lon,lat\n1,46.2,-73.8\n");
    let (status, out, _) = f.run(&[
        "convert",
        "swapped.csv",
        "-o",
        "s.csv",
        "--from",
        "EPSG:4326",
        "--to",
        "EPSG:4269",
        "--strict",
        "--json",
    ]);
    assert_eq!((status, out.contains("swapped-axes")), (3, true), "{out}");
}

#[test]
fn a_full_disk_leaves_nothing_behind() {
    let f = Folder::new();
    let rows: String = (0..20_000).map(|i| format!("{i},-123.8,46.2\n")).collect();
    f.write("many.csv", format!("id,lon,lat\n{rows}"));
    let binary = assert_cmd::cargo::cargo_bin("basilocus");
    for output in ["out.csv", "out.geojson", "out.gpkg", "out.xlsx"] {
        // A limit on the size of files (in blocks of 512 bytes or 1 kB) stands for a disk without room.
        let script = format!(
            "trap '' XFSZ; ulimit -f 8; exec '{}' convert many.csv -o {output} --from EPSG:4326 --to EPSG:32610 -q",
            binary.display()
        );
        let o = std::process::Command::new("sh")
            .args(["-c", &script])
            .current_dir(f.0.path())
            .env("TMPDIR", f.0.path())
            .output()
            .unwrap();
        let message = String::from_utf8_lossy(&o.stderr).into_owned();
        assert_eq!(o.status.code(), Some(1), "{output}: {message}");
        assert!(message.contains("cannot be written") && message.contains(output), "{output}: {message}");
        assert_eq!(f.names(), ["gates.csv", "many.csv"], "{output}");
    }
}

#[cfg(unix)]
#[test]
fn an_interrupt_leaves_nothing_behind() {
    let f = Folder::new();
    let mut text = String::from("id,lon,lat\n");
    for i in 0..3_000_000u32 {
        text.push_str(&format!("{i},-123.8,46.2\n"));
    }
    f.write("many.csv", text);
    let mut child = std::process::Command::new(assert_cmd::cargo::cargo_bin("basilocus"))
        .args(["convert", "many.csv", "-o", "out.csv", "--from", "EPSG:4326", "--to", "EPSG:32610"])
        .current_dir(f.0.path())
        .stdout(std::process::Stdio::null())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    // Interrupted while it writes: the temporary file is there.
    for _ in 0..2000 {
        if f.names().iter().any(|n| n.ends_with(".partial")) || child.try_wait().unwrap().is_some() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(2));
    }
    std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    let o = child.wait_with_output().unwrap();
    assert_eq!(o.status.code(), Some(1), "{}", String::from_utf8_lossy(&o.stderr));
    assert!(String::from_utf8_lossy(&o.stderr).contains("stopped; no output was written"));
    assert_eq!(f.names(), ["gates.csv", "many.csv"]);
}

#[test]
fn at_reads_and_gives_the_same_spot() {
    let f = Folder::new();
    let v = f.json(&["at", "46.2 -123.8", "--json"]);
    assert_eq!((v["lon"].as_f64(), v["lat"].as_f64()), (Some(-123.8), Some(46.2)));
    assert_eq!(v["crs"], "EPSG:4326");
    assert_eq!(v["notations"]["degrees-minutes-seconds"], "46° 12' 00.00\" N, 123° 48' 00.00\" W");
    assert_eq!(v["sheet"]["number"], "NL-10");
    let v = f.json(&["at", "--json", "--", "-123.8 46.2"]);
    assert_eq!(v["lat"].as_f64(), Some(46.2), "a longitude beyond 90 settles the order");
    let v = f.json(&["at", "438277.8 5116580.3", "--from", "EPSG:32610", "--json"]);
    assert!((v["lon"].as_f64().unwrap() + 123.8).abs() < 1e-6);
    let v = f.json(&["at", "46.2 -123.8", "--to", "EPSG:2269", "--json"]);
    assert_eq!(v["systems"][0]["unit"], "international feet");
    insta::assert_snapshot!(f.refusal(&["at", "10 20"]), @r#"[1] basilocus: "10 20" has 2 readings: latitude 10° N, longitude 20° E (decimal degrees), or latitude 20° N, longitude 10° E (decimal degrees); write hemisphere letters, or say the order"#);
    insta::assert_snapshot!(f.refusal(&["at", "46 71.2 N 123 48 W"]), @r#"[1] basilocus: "46 71.2 N 123 48 W" has 71.2 minutes; they end below 60 (at character 4: "7")"#);
    insta::assert_snapshot!(f.ok(&["at", "46 12 N 123 48 W", "--to", "EPSG:2269"]), @r#"
    read as      latitude 46.2° N, longitude 123.8° W (degrees and decimal minutes)
    in           WGS 84 (EPSG:4326), because --from says nothing else

    the same spot in WGS 84
      decimal degrees                             46.200000, -123.800000                     last digit: 11.1 cm
      degrees and decimal minutes                 46° 12.0000' N, 123° 48.0000' W            last digit: 18.5 cm
      degrees, minutes and seconds                46° 12' 00.00" N, 123° 48' 00.00" W        last digit: 30.9 cm
      UTM                                         10T 438277.8 5116580.3                     last digit: 10.0 cm
      degrees, minutes and seconds in one number  461200.00N 1234800.00W                     last digit: 30.9 cm
      ISO 6709                                    +46.200000-123.800000/                     last digit: 11.1 cm
      military grid reference                     10TDS3827716580                            last digit: 1.0 m
      geohash                                     c0pyyf7wdb                                 cell: 59.6 cm
      open location code                          84RR6622+222                               cell: 2.8 m
      world geographic reference system           DKMB1200012000                             cell: 1.9 m
      global area reference system                113MJ33                                    cell: 9.3 km
      Maidenhead locator                          CN86ce48aa                                 cell: 19.3 m
      well-known text                             POINT (-123.800000 46.200000)              last digit: 11.1 cm
      geo address                                 geo:46.2000000,-123.8000000                last digit: 1.1 cm
      zone 10T, central meridian -123°, from -126° to -120°
      international map sheet 1:1,000,000 NL-10

    in other systems (easting or longitude first)
     code        name                                 x           y   unit                 accuracy
    ────────────────────────────────────────────────────────────────────────────────────────────────
     EPSG:2269   NAD83 / Oregon North (ft)   7366633.86   940706.86   international feet   4 m
      EPSG:2269 by inverse of North American Datum 1983 to WGS 84 (zero shift)
    "#);
}

#[test]
fn crs_is_found_and_shown() {
    let f = Folder::new();
    for (words, code) in [
        ("utm 10 north wgs", "EPSG:32610"),
        ("oregon north ft", "EPSG:2269"),
        ("FT North OREGON", "EPSG:2269"),
        ("2269", "EPSG:2269"),
    ] {
        let mut line = vec!["crs", "find", "--json"];
        line.extend(words.split(' '));
        assert_eq!(f.json(&line)["systems"][0]["code"], code, "{words}");
    }
    let v = f.json(&["crs", "show", "EPSG:32026", "--json"]);
    assert_eq!(v["unit"], "US survey feet");
    assert_eq!(v["projection"]["implemented"], true);
    f.write("odd.prj", odd_projection());
    assert!(
        f.ok(&["crs", "show", "odd.prj"]).contains("not implemented"),
        "a system that cannot be computed is described all the same"
    );
    assert!(f.ok(&["crs", "show", "5703"]).contains("vertical"));
    assert!(f.ok(&["crs", "show", "2269", "--wkt"]).starts_with("PROJCS["));
    assert!(f.refusal(&["crs", "find", "zzzz"]).contains("no reference system \"zzzz\""));
}

#[test]
fn a_saved_plan_gives_the_same_bytes_and_runs_on_another_table() {
    let f = Folder::new();
    f.ok(&[
        "convert",
        "gates.csv",
        "-o",
        "a.xlsx",
        "-o",
        "a.gpkg",
        "-o",
        "a.csv",
        "--from",
        "EPSG:4326",
        "--to",
        "EPSG:2269",
        "--to",
        "EPSG:4269",
        "--rename",
        "id=gate",
        "--set",
        "state=OR",
        "--save-plan",
        "gates.plan.toml",
        "-q",
    ]);
    let plan = f.read("gates.plan.toml");
    assert!(plan.contains("source = \"gates.csv\"") && plan.contains("date = \"20"), "{plan}");
    let outputs: Vec<_> =
        ["a.xlsx", "a.gpkg", "a.csv", "a.set-aside.csv"].iter().map(|n| std::fs::read(f.path(n)).unwrap()).collect();
    f.ok(&["run", "gates.plan.toml", "--overwrite", "-q"]);
    for (name, before) in ["a.xlsx", "a.gpkg", "a.csv", "a.set-aside.csv"].iter().zip(&outputs) {
        assert!(std::fs::read(f.path(name)).unwrap() == *before, "{name} differs");
    }
    f.write("june.csv", "id,lon,lat\n9,-123.7,46.1\n");
    f.ok(&["run", "gates.plan.toml", "--input", "june.csv", "-o", "june-out.csv", "-q"]);
    insta::assert_snapshot!(f.read("june-out.csv"), @r"
    gate,lon,lat,state,easting_2269,northing_2269,lon_4269,lat_4269
    9,-123.7,46.1,OR,7390493.4365,903247.5673,-123.700000000,46.100000000
    ");
}

#[test]
fn formats_go_round() {
    let f = Folder::new();
    f.write("p.csv", "id,code,width,lon,lat\n1,007,1.5,-123.8,46.2\n2,010,2,-123.75,46.25\n");
    f.ok(&["convert", "p.csv", "-o", "p.gpkg", "--from", "EPSG:4326", "--to", "EPSG:32610", "-q"]);
    f.ok(&["convert", "p.gpkg", "-o", "p.geojson", "-q"]);
    f.ok(&["convert", "p.geojson", "-o", "p.xlsx", "-q"]);
    f.ok(&["convert", "p.xlsx", "-o", "back.csv", "--keep", "id,code,width,lon,lat", "-q"]);
    insta::assert_snapshot!(f.read("back.csv"), @"
    id,code,width,lon,lat
    1,007,1.5,-123.8,46.2
    2,010,2,-123.75,46.25
    ");
    let told = f.json(&["convert", "p.gpkg", "-o", "q.geojson", "--json"])["notices"].to_string();
    assert!(told.contains("GeoJSON is always WGS 84"), "{told}");
    let (status, _, err) = f.run(&[
        "convert",
        "p.csv",
        "-o",
        "dm.csv",
        "--from",
        "EPSG:4326",
        "--notation",
        "degrees-minutes",
        "--digits",
        "2",
        "--columns",
        "east,north",
        "-q",
    ]);
    assert_eq!(status, 0, "{err}");
    assert!(f.read("dm.csv").contains("123° 48.00' W,46° 12.00' N"), "{}", f.read("dm.csv"));
}

#[test]
fn a_reference_is_mapped_and_updated() {
    let f = Folder::new();
    f.write("points.csv", "number,street,city,state,zip,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.81,46.21\n");
    let template = f.ok(&["reference", "build", "points.csv", "--mapping-template", "-"]);
    assert!(template.contains("kind = \"address points\"") && template.contains("number = \"number\""), "{template}");
    f.ok(&["reference", "build", "points.csv", "--mapping-template", "mapping.toml"]);
    let message = f.refusal(&["reference", "build", "points.csv"]);
    assert!(message.contains("say the reference to write with --output FILE"), "{message}");
    f.ok(&["reference", "build", "points.csv", "--mapping", "mapping.toml", "-o", "t.reference"]);
    f.write("more.csv", "number,street,city,state,zip,lon,lat\n14,Heron Ln,Ternport,OR,97981,-123.82,46.22\n");
    let r = f.json(&["reference", "update", "t.reference", "more.csv", "-o", "u.reference", "--json"]);
    assert_eq!((r["kept"].as_u64(), r["rows_out"].as_u64()), (Some(1), Some(1)));
    let text = f.ok(&["reference", "update", "t.reference", "more.csv", "-o", "u.reference", "--overwrite"]);
    assert!(text.contains("older      1 addresses and stretches kept, 0 replaced, 0 withdrawn"), "{text}");
}

#[test]
fn geocode_from_sources_to_points() {
    let f = Folder::new();
    f.write("points.csv", "number,street,city,state,zip,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.81,46.21\n14,Heron Ln,Ternport,OR,97981,-123.82,46.22\n");
    f.write("places.csv", "name,state,county,lon,lat\nTernport,OR,Lower Tern County,-123.8,46.2\n");
    f.write("owners.csv", "who,address,town\nA,12 Herron Lane,Ternport\nB,,Ternport\nC,9 Far Rd,Atlantis\n");
    let r = f.json(&["reference", "build", "points.csv", "places.csv", "-o", "t.reference", "--json"]);
    assert_eq!((r["rows_in"].as_u64(), r["rows_out"].as_u64()), (Some(3), Some(3)));
    let d = f.json(&["reference", "describe", "t.reference", "--json"]);
    assert_eq!((d["address_points"].as_u64(), d["localities"][0]["in"].as_str()), (Some(2), Some("Lower Tern County")));
    insta::assert_snapshot!(f.ok(&["reference", "describe", "t.reference"]).lines().filter(|l| !l.contains("size")).collect::<Vec<_>>().join("\n"), @r"
    t.reference: address reference, country US
      holds      2 address points, 0 street segments, 1 streets with 1 names, 1 postcodes, 1 localities
     locality   region   in                  streets   address points   segments
    ─────────────────────────────────────────────────────────────────────────────
     Ternport   OR       Lower Tern County         1                2          0
    ");
    let r = f.json(&[
        "geocode",
        "owners.csv",
        "-o",
        "owners.geojson",
        "-o",
        "owners-out.csv",
        "--reference",
        "t.reference",
        "--extras",
        "postcode,parent",
        "--candidates",
        "2",
        "--json",
    ]);
    assert_eq!((r["rows_out"].as_u64(), r["set_aside"]["locality not found"].as_u64()), (Some(2), Some(1)));
    assert_eq!(r["layers"][0]["levels"], serde_json::json!({"address point": 1, "locality": 1}));
    insta::assert_snapshot!(f.read("owners-out.csv"), @r#"
    who,address,town,lon,lat,level,confidence,radius_m,matched_address,changes,matched_postcode,matched_parent,candidates
    A,12 Herron Lane,Ternport,-123.8100000,46.2100000,address point,99,30,"12 Heron Ln, Ternport, OR 97981","""Herron"" read as ""Heron""",97981,Lower Tern County,"99: 12 Heron Ln, Ternport, OR 97981 (address point; name 6)"
    B,,Ternport,-123.8000000,46.2000000,locality,100,4508,"Ternport, OR",,,Lower Tern County,"100: Ternport, OR (locality; nothing differs)"
    "#);
    assert!(f.read("owners.set-aside.csv").contains("locality \"\"Atlantis\"\" is not in the reference"));
    let r = f.json(&[
        "geocode",
        "owners.csv",
        "-o",
        "fine.csv",
        "--reference",
        "t.reference",
        "--coarsest",
        "street",
        "--min-confidence",
        "100",
        "--json",
    ]);
    assert_eq!(r["rows_out"].as_u64(), Some(0));
    assert_eq!(r["doubts"][0]["id"], "empty-result", "an empty result does not look like success");
    insta::assert_snapshot!(f.refusal(&["geocode", "owners.csv", "-o", "x.csv", "--reference", "t.reference", "--coarsest", "house"]), @r#"
    [2] error: invalid value 'house' for '--coarsest <LEVEL>': "house" is no level; one of address-point, street-range, crossing, landmark, street, postcode, locality, region is expected

    For more information, try '--help'.
    "#);
    insta::assert_snapshot!(f.refusal(&["geocode", "gates.csv", "-o", "x.csv", "--reference", "t.reference"]), @"[1] basilocus: gates.csv: no columns of an address were found among id, lon, lat; say them with --address, or --street, --locality, --postcode …");
    insta::assert_snapshot!(f.refusal(&["geocode", "owners.csv", "-o", "x.csv", "--reference", "t.reference", "--street", "adress"]), @r#"[1] basilocus: owners.csv: there is no column "adress" (did you mean "address"?); it has: who, address, town"#);
}

#[test]
fn look_shows_what_will_be_read() {
    let f = Folder::new();
    insta::assert_snapshot!(f.ok(&["look", "gates.csv", "--rows", "2"]), @r#"
    gates.csv: delimited text
      found      encoding UTF-8 (found)
      found      delimiter comma (found)
      header     row 1
      rows       5, columns 3; 3 that cannot be used as they stand: 1 blank row, 2 ragged row
      system     not said by the file; say it with --from
         column   seems to be   type           filled   empty   range, remarks
    ───────────────────────────────────────────────────────────────────────────
     1   id       identifier    whole number        5       0   1 … 7
     2   lon      longitude     text                5       0
     3   lat      latitude      text                5       0

     row   id      lon    lat
    ──────────────────────────
       2    1   -123.8   46.2
       3    2   -123.7     95
    "#);
    let v = f.json(&["look", "gates.csv", "--json"]);
    assert_eq!((v["rows"].as_u64(), v["columns"][1]["role"].as_str()), (Some(5), Some("longitude")));
}

#[test]
fn completions_and_help() {
    let f = Folder::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        assert!(f.ok(&["completions", shell]).contains("basilocus"), "{shell}");
    }
    let help = f.ok(&["--help"]);
    for command in ["look", "geocode", "convert", "at", "crs", "reference", "run", "demo"] {
        assert!(help.contains(command), "{command}");
    }
    assert!(f.ok(&["--version"]).starts_with("basilocus 0."));
}

/// The demonstration, read by programs that are not ours.
#[test]
fn the_demonstration() {
    use calamine::{Data, Reader, Xlsx, open_workbook};
    let f = Folder::new();
    let out = f.ok(&["demo"]);
    for part in [
        "shifted-header",
        "34 address point, 3 locality, 4 postcode, 12 street range",
        "\"Mpale\" read as \"Maple\"",
        "accuracy 12 m",
        "131 rows in = 120 out + 11 set aside",
        "the same bytes",
        "\"ferry-slip\": without it the others agree far better",
        "24 rows in = 24 out",
        "culverts.xlsx",
        "59 addresses were asked of http://127.0.0.1:",
        "rows by \"gauge\": 6 new, 0 changed, 0 as before",
    ] {
        assert!(out.contains(part), "{part} is missing in\n{out}");
    }
    let folder = f.path("tern-estuary");
    workbook(&folder);
    let c = rusqlite::Connection::open(folder.join("culverts.gpkg")).unwrap();
    let count = |t: &str| c.query_row(&format!("SELECT count(*) FROM {t}"), [], |r| r.get::<_, i64>(0)).unwrap();
    assert_eq!((count("landowners"), count("field_notes"), count("survey_1958")), (53, 38, 29));
    assert_eq!(
        c.query_row("SELECT typeof(easting_1958) FROM survey_1958", [], |r| { r.get::<_, String>(0) }).unwrap(),
        "real"
    );
    let geojson: Value =
        serde_json::from_str(&std::fs::read_to_string(folder.join("culverts.geojson")).unwrap()).unwrap();
    assert_eq!(geojson["features"].as_array().unwrap().len(), 120);
    // Run again over an existing folder: refused, then replaced.
    assert!(f.refusal(&["demo"]).contains("--overwrite"));
    f.ok(&["demo", "--overwrite"]);

    fn workbook(folder: &Path) {
        let mut workbook: Xlsx<_> = open_workbook(folder.join("culverts.xlsx")).unwrap();
        assert_eq!(workbook.sheet_names(), ["landowners", "field_notes", "survey_1958", "Set aside", "About"]);
        let points = workbook.worksheet_range("landowners").unwrap();
        let header: Vec<String> = points.rows().next().unwrap().iter().map(|c| c.to_string()).collect();
        let column = |name: &str| header.iter().position(|h| h == name).unwrap();
        let first = points.rows().nth(1).unwrap();
        assert!(matches!(first[column("Zip")], Data::String(_)), "postcodes are text");
        assert!(matches!(first[column("easting_2269")], Data::Float(_)), "coordinates are numbers");
        assert_eq!(workbook.worksheet_range("Set aside").unwrap().height(), 12);
        let about = workbook.worksheet_range("About").unwrap();
        let text: String =
            about.rows().map(|r| r.iter().map(|c| c.to_string()).collect::<Vec<_>>().join("\t") + "\n").collect();
        for part in [
            "NAD83 / Oregon North (ft) (EPSG:2269), in international feet",
            "NAD27 to WGS 84, western states",
            "8 m",
            "Rows set aside\t11",
            "survey_1958.txt",
        ] {
            assert!(text.contains(part), "{part} is missing in\n{text}");
        }
    }
}

#[test]
fn rows_that_are_there_twice_are_told() {
    let f = Folder::new();
    f.write(
        "visits.csv",
        "gate,street,locality,lon,lat\nG1,12 Heron Lane,Ternport,-123.801,46.201\nG2,14 Heron Lane,Ternport,-123.802,46.202\nG1,12 Heron Lane,Ternport,-123.801,46.201\nG3,12 HERON LANE,Ternport,-123.852,46.231\n",
    );
    let doubt = "1 row repeats an earlier one in all columns, the first of them row 4 (as row 2)";
    let out = f.ok(&["convert", "visits.csv", "-o", "visits.gpkg", "--from", "EPSG:4326", "--no-progress"]);
    assert!(out.contains(doubt) && out.contains("4 rows in = 4 out"), "{out}");
    assert!(out.contains("1 address has places more than 100 m apart, the first of them in rows 2 and 4"), "{out}");
    assert!(f.ok(&["look", "visits.csv"]).contains(doubt));
    assert_eq!(
        f.run(&["convert", "visits.csv", "-o", "s.csv", "--from", "EPSG:4326", "--strict", "-q"]).0,
        3,
        "a doubt counts with --strict"
    );
}

/// Sentences of the library name options in backquotes, which become flags; data that look like that stay.
#[test]
fn data_are_shown_as_they_are() {
    let f = Folder::new();
    std::fs::write(f.path("quoted.csv"), "gate,remark\n1,`from`\n2,see `header_row`\n").unwrap();
    let look = f.ok(&["look", "quoted.csv"]);
    assert!(look.contains("`from`") && look.contains("see `header_row`"), "{look}");
    let json = f.ok(&["look", "quoted.csv", "--json"]);
    assert!(json.contains("see `header_row`"), "{json}");
}

#[test]
fn a_table_without_rows_is_a_layer_without_rows_and_a_doubt() {
    let f = Folder::new();
    f.write("header.csv", "id,lon,lat\n");
    for ending in ["csv", "xlsx", "gpkg", "shp", "dbf", "geojson"] {
        let to = format!("empty-{ending}.{ending}");
        let r = f.json(&["convert", "header.csv", "--from", "EPSG:4326", "-o", &to, "--json"]);
        assert_eq!((&r["rows_in"], &r["rows_out"]), (&Value::from(0), &Value::from(0)));
        assert_eq!(r["doubts"][0]["id"], "empty-result");
        f.ok(&["convert", &to, "-o", "again.csv", "--overwrite", "-q"]);
        let header = f.read("again.csv");
        assert!(header.contains("lon,lat") && header.lines().count() == 1, "{ending}: {header}");
        std::fs::remove_file(f.path("again.csv")).unwrap();
    }
    let (status, _, _) = f.run(&["convert", "header.csv", "-o", "strict.csv", "--strict"]);
    assert_eq!(status, 3);
}

#[test]
fn a_saved_plan_says_what_was_found() {
    let f = Folder::new();
    f.write(
        "gates.csv",
        "Gates of 2026\ngate;Länge;Breite;height\nA;-123,80001;46,20001;3,5\nB;-123,70001;46,10001;4,5\n".as_bytes(),
    );
    f.ok(&["convert", "gates.csv", "--from", "EPSG:4326", "-o", "out.gpkg", "--save-plan", "p.toml"]);
    let plan = f.read("p.toml");
    for part in [
        "[layer.found]",
        "encoding = \"utf-8\"",
        "delimiter = \";\"",
        "header_row = 2",
        "x = \"Länge\"",
        "y = \"Breite\"",
        "from = \"EPSG:4326\"",
    ] {
        assert!(plan.contains(part), "{part} is missing in {plan}");
    }
    let before = std::fs::read(f.path("out.gpkg")).unwrap();
    f.ok(&["run", "p.toml", "--overwrite"]);
    assert_eq!(std::fs::read(f.path("out.gpkg")).unwrap(), before);
    // A table that is otherwise is refused: nothing else is found in it.
    for (table, part) in [
        (
            "Gates of 2027\ngate;lon;lat\nA;-123,8;46,2\n",
            "the column of longitudes, eastings or x is \"lon\" here, and was \"Länge\" when the plan was saved",
        ),
        (
            "gate,Länge,Breite\nA,-123.80001,46.20001\nB,-123.70001,46.20001\n",
            "the delimiter is \",\" here, and was \";\" when the plan was saved",
        ),
    ] {
        f.write("july.csv", table.as_bytes());
        let message = f.refusal(&["run", "p.toml", "--input", "july.csv", "-o", "july.gpkg"]);
        assert!(message.contains(part), "{message}");
        assert!(!f.path("july.gpkg").exists());
    }
    // A workbook's sheet, and a step that the engine added.
    f.ok(&["convert", "out.gpkg", "-o", "book.xlsx"]);
    f.ok(&["convert", "book.xlsx", "--from", "EPSG:4326", "-o", "b.geojson", "--save-plan", "b.toml"]);
    let plan = f.read("b.toml");
    assert!(plan.contains("sheet = ") && plan.contains("x = \"lon\""), "{plan}");
}

#[test]
fn text_as_other_programs_leave_it() {
    let f = Folder::new();
    let read = |name: &str, bytes: &[u8], more: &[&str]| {
        f.write(name, bytes);
        let line = ["convert", name, "--from", "EPSG:4326", "-o", "out.csv", "--overwrite"];
        let out = f.ok(&[&line[..], more].concat());
        (out, f.read("out.csv"))
    };
    let table = "id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.1\n";
    let (out, _) = read("sep.csv", b"sep=;\r\nid;lon;lat\r\n1;-123,8;46,2\r\n", &[]);
    assert!(out.contains("delimiter semicolon (the file says so") && out.contains("1 row in = 1 out"), "{out}");
    let (out, text) = read("cr.csv", table.replace('\n', "\r").as_bytes(), &[]);
    assert!(out.contains("line ends of old systems") && text == table, "{out}{text}");
    let wide: Vec<u8> = table.encode_utf16().flat_map(u16::to_le_bytes).collect();
    let (out, text) = read("wide.csv", &wide, &[]);
    assert!(out.contains("UTF-16LE (found, without its mark)") && text == table, "{out}{text}");
    let (_, text) = read("said.csv", &wide, &["--encoding", "utf-16le"]);
    assert_eq!(text, table);
    // One bad byte is a fault of its cell, not another code page for all the others.
    let good = "id,name,lon,lat\n1,Café,-123.8,46.2\n2,état,-123.7,46.1\n";
    let bad = [good.as_bytes(), b"3,Caf\xE9,-123.7,46.3\n"].concat();
    let (out, text) = read("bad.csv", &bad, &[]);
    assert!(out.contains("1 not in the encoding") && text == good, "{out}{text}");
    let aside = f.read("out.set-aside.csv");
    assert!(aside.contains(r#"4,"column ""name"": behind ""Caf"" stands the byte 0xE9"#), "{aside}");
    // Fields that a program leaves out at the end are asked for.
    let short = b"id,lon,lat,note,more\n1,-123.8,46.2,a,b\n2,-123.7,46.1\n3,-123.6,46.1,c,d\n";
    let (out, _) = read("short.csv", short, &[]);
    assert!(out.contains("1 ragged row"), "{out}");
    let (out, text) = read("short.csv", short, &["--fill-short-rows"]);
    assert!(out.contains("3 rows in = 3 out") && text.contains("2,-123.7,46.1,,\n"), "{out}{text}");
    // Also where most rows leave out several, so that the header is wider than what is usual.
    let shorter = b"id,lon,lat,note,more,last\n1,-123.8,46.2\n2,-123.7,46.1\n3,-123.6,46.1,c,d,e\n4,-123.5,46.1\n";
    let (out, text) = read("shorter.csv", shorter, &["--fill-short-rows"]);
    assert!(
        out.contains("4 rows in = 4 out") && text.starts_with("id,lon,lat,note,more,last\n1,-123.8,46.2,,,\n"),
        "{out}{text}"
    );
    // A name without a column, and a delimiter behind the last name.
    f.write("long.csv", "id,name,lon,lat,more\n1,a,-123.8,46.2\n2,b,-123.7,46.1\n");
    let message = f.refusal(&["convert", "long.csv", "--from", "EPSG:4326", "-o", "x.csv"]);
    assert!(message.contains("line 1: the header has 5 names and the rows have 4 fields"), "{message}");
    // A title with as many commas is none of it: below it stand the names.
    let title = b"Gates, culverts, weirs, ditches\nid,lon,lat\n1,-123.8,46.2\n2,-123.7,46.1\n";
    let (out, text) = read("title.csv", title, &[]);
    assert!(out.contains("1 line above the header is passed over") && text.starts_with("id,lon,lat\n"), "{out}{text}");
    let (_, text) = read("trail.csv", b"id,name,lon,lat,\n1,a,-123.8,46.2\n2,b,-123.7,46.1\n", &[]);
    assert!(text.starts_with("id,name,lon,lat\n"), "{text}");
}
