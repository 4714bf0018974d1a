//! What every command prints with `--json` keeps to its published schema, which allows no field that it does not name.
#![allow(missing_docs)]

mod common;

use common::Folder;
use serde_json::Value;
use std::path::Path;

struct Checked {
    folder: Folder,
    schemas: Vec<String>,
}

impl Checked {
    /// Runs a command and holds each object that it prints to a schema.
    #[track_caller]
    fn holds(&mut self, schema: &str, line: &[&str]) -> Value {
        let (status, out, err) = self.folder.run(line);
        assert_eq!(status, i32::from(schema == "error"), "{line:?}: {err}");
        let value: Value = serde_json::from_str(&out).unwrap();
        let errors = problems(schema, &value);
        assert!(errors.is_empty(), "{line:?}: {}", errors.join("\n"));
        self.schemas.push(schema.to_string());
        value
    }
}

fn published(schema: &str) -> Value {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../../docs/schemas/{schema}.json"));
    serde_json::from_str(&std::fs::read_to_string(file).unwrap()).unwrap()
}

fn problems(schema: &str, value: &Value) -> Vec<String> {
    let validator = jsonschema::validator_for(&published(schema)).unwrap();
    validator.iter_errors(value).map(|e| format!("{} at {}", e, e.instance_path)).collect()
}

#[test]
fn reports_keep_to_their_schemas() {
    let folder = Folder::new();
    folder.write("points.csv", "Number,Street,City,State,Zip,lon,lat\n7,Dock Street,Ternhaven,OR,97900,-123.8,46.2\n9,Dock Street,Ternhaven,OR,97900,-123.801,46.2\n");
    folder.write(
        "places.csv",
        "name,region,kind,lon,lat\nTernhaven,OR,town,-123.8,46.2\nOld Light,OR,lighthouse,-123.81,46.21\n",
    );
    folder.write(
        "owners.csv",
        "owner,address\nA,\"7 Dock Street, Ternhaven OR 97900\"\nB,nowhere at all\nC,\"Ternhaven, OR\"\n",
    );
    folder.write("pairs.csv", "point,x,y,e,n\nA,0,0,500000,5000000\nB,100,0,500100,5000000\nC,100,100,500100,5000100\nD,0,100,500000,5000100\nE,50,50,500050,5000050.01\n");
    folder.write("utm.csv", "id,easting,northing\n1,438278,5116580\n2,438300,5116600\n3,438400,5116700\n");
    folder.write("sheets.csv", "sheet,west,south,east,north\nMouth,-124.1,46.1,-123.7,46.4\n");
    folder.write("areas.geojson", r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"district":"North"},"geometry":{"type":"Polygon","coordinates":[[[-124,46],[-123,46],[-123,47],[-124,47],[-124,46]]]}}]}"#);
    folder.write("feed.xml", "<feed><gauge><name>A</name><lon>-123.8</lon><lat>46.2</lat></gauge><gauge><name>B</name><lon>-123.7</lon><lat>46.3</lat></gauge></feed>");
    let mut c = Checked { folder, schemas: Vec::new() };

    c.holds(
        "turn",
        &["convert", "gates.csv", "-o", "turn.csv", "--from", "EPSG:4326", "--every", "1s", "--turns", "1", "--json"],
    );
    c.holds("look", &["look", "gates.csv", "--json"]);
    c.holds("look", &["look", "areas.geojson", "--json"]);
    c.holds("look", &["look", "feed.xml", "--json"]);
    c.holds(
        "run",
        &[
            "convert",
            "gates.csv",
            "-o",
            "a.csv",
            "--from",
            "EPSG:4326",
            "--to",
            "EPSG:32610",
            "--save-plan",
            "p.toml",
            "--json",
        ],
    );
    c.holds("run", &["run", "p.toml", "--overwrite", "--json"]);
    c.holds(
        "run",
        &[
            "convert",
            "utm.csv",
            "-o",
            "line.geojson",
            "--from",
            "EPSG:32610",
            "--gather",
            "lines",
            "--measure",
            "--json",
        ],
    );
    c.holds(
        "run",
        &[
            "select",
            "gates.csv",
            "-o",
            "s.csv",
            "--from",
            "EPSG:4326",
            "--inside",
            "areas.geojson",
            "--take",
            "district",
            "--json",
        ],
    );
    c.holds("reference-build", &["reference", "build", "points.csv", "places.csv", "-o", "t.reference", "--json"]);
    c.holds("reference-describe", &["reference", "describe", "t.reference", "--json"]);
    c.holds("run", &["geocode", "owners.csv", "--reference", "t.reference", "-o", "o.xlsx", "--json"]);
    c.holds(
        "run",
        &["nearest", "gates.csv", "--reference", "t.reference", "--from", "EPSG:4326", "-o", "n.csv", "--json"],
    );
    c.holds(
        "compare",
        &["compare", "gates.csv", "gates.csv", "--key", "id", "--from", "EPSG:4326", "-o", "c.csv", "--json"],
    );
    c.holds("at", &["at", "10TDS3827716579", "--json"]);
    c.holds("at", &["at", "46.2 -123.8", "--to", "EPSG:2269", "--to", "EPSG:4267", "--json"]);
    c.holds("at", &["at", "85 N 3 E", "--json"]);
    c.holds("crs-find", &["crs", "find", "oregon", "north", "--json"]);
    for crs in ["EPSG:4326", "EPSG:2269", "EPSG:4978", "EPSG:5773", "EPSG:4326+5773", "local"] {
        c.holds("crs-show", &["crs", "show", crs, "--json"]);
    }
    c.holds("crs-between", &["crs", "between", "EPSG:4326", "EPSG:32610", "--json"]);
    c.holds("crs-between", &["crs", "between", "EPSG:4267", "EPSG:4269", "--near", "-123.8,46.2", "--json"]);
    c.holds("crs-between", &["crs", "between", "EPSG:7844", "EPSG:4326", "--epoch", "2020.5", "--json"]);
    c.holds("crs-advise", &["crs", "advise", "Oregon", "--json"]);
    c.holds("crs-advise", &["crs", "advise", "gates.csv", "--from", "EPSG:4326", "--for", "area", "--json"]);
    c.holds("crs-detect", &["crs", "detect", "utm.csv", "--near", "-123.8,46.2", "--json"]);
    c.holds("fit", &["fit", "pairs.csv", "--to", "EPSG:32610", "-o", "fit.toml", "--json"]);
    for what in ["10", "10T", "-123.8", "46.2 N 123.8 W"] {
        c.holds("calc-zone", &["calc", "zone", "--json", "--", what]);
    }
    c.holds("calc-units", &["calc", "units", "12", "ft", "--json"]);
    c.holds("calc-units", &["calc", "units", "12", "grad", "--to", "degree", "--json"]);
    c.holds("calc-distance", &["calc", "distance", "46.2 N 123.8 W", "46.3 N 123.7 W", "--json"]);
    c.holds("calc-area", &["calc", "area", "utm.csv", "--from", "EPSG:32610", "--json"]);
    c.holds(
        "calc-sheet",
        &["calc", "sheet", "46.2 N 123.8 W", "--index", "sheets.csv", "-o", "limits.geojson", "--json"],
    );
    c.holds("calc-sheet", &["calc", "sheet", "NL-10", "--json"]);
    c.holds(
        "calc-distortion",
        &["calc", "distortion", "utm.csv", "--from", "EPSG:32610", "--on", "EPSG:3857", "--json"],
    );
    let text: String =
        (0..40).map(|i| format!("{} {} {}\n", 438_000 + i % 8 * 2, 5_116_000 + i / 8 * 2, i % 8)).collect();
    c.folder.write("bank.xyz", &(text + "438001 5116001 4\n"));
    c.folder.write("levee.csv", "name;geometry\nlevee;\"LINESTRING (438000 5116002, 438012 5116004)\"\n");
    c.folder.write(
        "reach.csv",
        "name;geometry\nA;\"POLYGON ((438000 5116000, 438007 5116000, 438007 5116008, 438000 5116000))\"\n",
    );
    c.holds("look", &["look", "bank.xyz", "--json"]);
    c.holds("terrain-grid", &["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "bank.tif", "--json"]);
    c.holds("look", &["look", "bank.tif", "--json"]);
    c.holds(
        "terrain-triangulate",
        &["terrain", "triangulate", "bank.xyz", "--from", "EPSG:32610", "-o", "t.gpkg", "--json"],
    );
    c.holds("terrain-shade", &["terrain", "shade", "bank.tif", "-o", "relief.png", "--json"]);
    c.holds(
        "terrain-slope",
        &["terrain", "slope", "bank.tif", "-o", "slope.asc", "--direction", "falls.tif", "--json"],
    );
    c.holds("terrain-contour", &["terrain", "contour", "bank.tif", "--every", "2", "-o", "lines.gpkg", "--json"]);
    c.holds(
        "terrain-profile",
        &["terrain", "profile", "bank.tif", "levee.csv", "--lines-from", "EPSG:32610", "-o", "p.csv", "--json"],
    );
    let in_reach = ["--inside", "reach.csv", "--inside-from", "EPSG:32610", "--name", "name", "--json"];
    c.holds("terrain-volume", &[&["terrain", "volume", "bank.tif", "--above", "3"][..], &in_reach].concat());
    c.holds(
        "terrain-change",
        &[&["terrain", "change", "bank.tif", "bank.tif", "-o", "d.tif", "--height-error", "0.1"][..], &in_reach]
            .concat(),
    );
    c.holds("draw", &["draw", "bank.tif", "areas.geojson", "--in", "EPSG:32610", "-o", "map.svg", "--json"]);
    c.holds("doubts", &["doubts", "--json"]);
    c.holds("doubts", &["doubts", "lattice", "--json"]);
    c.holds("error", &["convert", "nowhere.csv", "-o", "out.csv", "--json"]);

    // Arguments that cannot be taken apart are an error like others, in words without the help.
    let (status, out, err) = c.folder.run(&["convert", "survey.csv", "--nonsense", "--json"]);
    let value: Value = serde_json::from_str(&out).unwrap();
    assert_eq!((status, problems("error", &value)), (2, Vec::new()));
    assert_eq!(value, serde_json::json!({ "error": "unexpected argument '--nonsense' found", "kind": "usage" }));
    assert!(err.contains("--help"), "{err}");
    assert_eq!(c.folder.run(&["convert", "survey.csv", "--nonsense"]).1, "");

    // No schema is published that nothing was held to.
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
    let mut all: Vec<String> = std::fs::read_dir(folder)
        .unwrap()
        .map(|e| e.unwrap().path().file_stem().unwrap().to_string_lossy().into_owned())
        .collect();
    all.sort();
    c.schemas.sort();
    c.schemas.dedup();
    assert_eq!(c.schemas, all);
}

#[test]
fn a_schema_allows_nothing_else() {
    let f = Folder::new();
    let good = f.json(&["calc", "zone", "10", "--json"]);
    assert!(problems("calc-zone", &good).is_empty());
    let mut more = good.clone();
    more["hemisphere"] = "N".into();
    let mut less = good.clone();
    less.as_object_mut().unwrap().remove("zone");
    let mut other = good;
    other["west"] = "126 W".into();
    for wrong in [more, less, other] {
        assert!(!problems("calc-zone", &wrong).is_empty(), "{wrong}");
    }
}
