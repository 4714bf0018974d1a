//! Every doubt on a file that raises it, with what it says; and on the nearest file that should raise none.

use basilocus::addresses::reference::{BuildPlan, build};
use basilocus::coordinates::fit::{FitPlan, fit_to_file};
use basilocus::doubts::DOUBTS;
use basilocus::geodesy::crs::Catalogue;
use basilocus::geodesy::operation::Operation;
use basilocus::plan::{Flags, LayerPlan, OperationPlan, OutputPlan, Plan};
use basilocus::steps::{Positions, To, Values};
use basilocus::{Cancel, DoubtReport, Layer, Report, RunOptions, look, run};
use std::collections::BTreeSet;
use std::path::PathBuf;

mod positions;
mod tables;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn write(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        let path = self.0.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        path
    }

    fn layer(&self, table: &str, from: &str) -> Layer {
        Layer::open(self.write("in.csv", table)).unwrap().positions(Positions::in_system(from).unwrap())
    }

    /// The doubts of a run of a layer to a table.
    fn run(&self, layer: Layer) -> Vec<DoubtReport> {
        let out = self.0.path().join("out.csv");
        let _ = std::fs::remove_file(&out);
        let _ = std::fs::remove_file(self.0.path().join("out.set-aside.csv"));
        layer.write(&out).unwrap().run().unwrap().doubts
    }

    /// The doubts of bringing a table of a system to another one.
    fn converted(&self, table: &str, from: &str, to: &str) -> Vec<DoubtReport> {
        self.run(self.layer(table, from).to(to).unwrap())
    }

    fn looked_at(&self, name: &str, bytes: impl AsRef<[u8]>) -> Vec<DoubtReport> {
        look(&LayerPlan::new(self.write(name, bytes)), 3, &Cancel::default(), &()).unwrap().doubts
    }
}

/// The way between two systems of the catalogue.
fn way(from: u32, to: u32) -> Operation {
    let catalogue = Catalogue::embedded();
    Operation::between(&catalogue.get(from).unwrap(), &catalogue.get(to).unwrap(), None).unwrap()
}

fn ids(doubts: &[DoubtReport]) -> Vec<&str> {
    doubts.iter().map(|d| d.id.as_str()).collect()
}

/// The one doubt that there is.
#[track_caller]
fn only<'a>(doubts: &'a [DoubtReport], id: &str) -> &'a DoubtReport {
    assert_eq!(ids(doubts), [id], "{doubts:?}");
    &doubts[0]
}

fn table(header: &str, rows: impl IntoIterator<Item = String>) -> String {
    let rows: Vec<String> = rows.into_iter().collect();
    format!("{header}\n{}\n", rows.join("\n"))
}

impl Folder {
    /// The doubts of bringing a table of a system to another one, of which it is said where it should be.
    fn expected(&self, table: &str, [from, to]: [&str; 2], place: &str) -> Vec<DoubtReport> {
        self.run(self.layer(table, from).expect(place).to(to).unwrap())
    }
}

#[test]
fn areas_of_a_map_that_stretches_them() {
    let f = Folder::new();
    // Fields of a hundredth of a degree near 46.2° north, with areas by the sphere of the web's Mercator: 6378137 m · 0.01° wide,
    // and as high as its logarithm says. On the ground they are some 0.859 km².
    let web = |lat: f64| 6_378_137.0 * (lat.to_radians().tan() + 1.0 / lat.to_radians().cos()).ln();
    let field = |i: usize, area: f64| {
        let (w, s) = (-123.8 + 0.02 * i as f64, 46.2);
        let (e, n) = (w + 0.01, s + 0.01);
        format!("F{i},{area:.1},\"POLYGON (({w} {s}, {e} {s}, {e} {n}, {w} {n}, {w} {s}))\"\n")
    };
    let width = 6_378_137.0 * 0.01f64.to_radians();
    let of_web = |i: usize| field(i, width * (web(46.21) - web(46.2)));
    let table =
        |of: &dyn Fn(usize) -> String| format!("name,shape_area,geometry\n{}", (0..5).map(of).collect::<String>());
    let doubts = f.converted(&table(&of_web), "EPSG:4326", "EPSG:32610");
    let doubt = only(&doubts, "wrong-measure");
    assert!(
        doubt.message.contains(
            "\"shape_area\" holds measures of the plane of the web's Mercator, 2.087 times those on the ground"
        ),
        "{}",
        doubt.message
    );
    // Square degrees.
    let doubts = f.converted(&table(&|i| field(i, 0.0)).replace(",0.0,", ",0.0001,"), "EPSG:4326", "EPSG:32610");
    assert!(doubts.is_empty(), "brought to metres, they are no measure of anything that is known: {doubts:?}");
    let doubts = f.converted(&table(&|i| field(i, 0.0)).replace(",0.0,", ",0.0001,"), "EPSG:4326", "EPSG:4269");
    assert!(only(&doubts, "wrong-measure").message.contains("\"shape_area\" holds degrees, not metres"), "{doubts:?}");
    // True ones, and hectares; sent in the web's Mercator they are doubted too.
    let true_m2 = |i: usize| field(i, 858_868.6);
    assert!(f.converted(&table(&true_m2), "EPSG:4326", "EPSG:32610").is_empty());
    assert!(f.converted(&table(&true_m2).replace("858868.6", "85.88686"), "EPSG:4326", "EPSG:32610").is_empty());
    let doubts = f.converted(&table(&true_m2), "EPSG:4326", "EPSG:3857");
    assert!(only(&doubts, "wrong-measure").message.contains("gets 2.09 times what is on the ground"), "{doubts:?}");
}

#[test]
fn other_ending() {
    let f = Folder::new();
    let geojson = r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"a":1},"geometry":{"type":"Point","coordinates":[-123.81234,46.2]}}]}"#;
    let doubts = f.looked_at("gates.csv", geojson);
    let doubt = only(&doubts, "other-ending");
    assert!(doubt.message.contains("GeoJSON"), "{}", doubt.message);
    assert!(f.looked_at("gates.geojson", geojson).is_empty());
}

#[test]
fn local_drawing() {
    let f = Folder::new();
    let drawing = |x: f64, y: f64| {
        let line = format!("0\nLINE\n8\nlevee\n10\n{x}\n20\n{y}\n11\n{}\n21\n{}\n", x + 640.0, y + 380.0);
        format!("0\nSECTION\n2\nENTITIES\n{line}0\nENDSEC\n0\nEOF\n")
    };
    let doubts = f.looked_at("levee.dxf", drawing(0.0, 0.0));
    let doubt = only(&doubts, "local-drawing");
    assert!(doubt.message.contains("x from 0.0 to 640.0"), "{}", doubt.message);
    assert!(f.looked_at("levee.dxf", drawing(7_366_000.0, 940_000.0)).is_empty());
}

#[test]
fn wrong_measure() {
    use basilocus::lookup::AreaQuestion;
    let corners = ["60 N 5 E", "60 N 5.01 E", "60.01 N 5.01 E"].map(String::from).to_vec();
    let on = |crs: &str| {
        AreaQuestion { what: corners.clone(), on: Some(crs.into()), ..Default::default() }.report().unwrap()
    };
    assert_eq!(ids(&on("EPSG:3857").doubts), ["wrong-measure"]);
    assert!(on("EPSG:32632").doubts.is_empty(), "a zone next door stretches less than a hundredth");
}

/// An ASCII grid of three columns.
fn small_grid(f: &Folder, head: &str, heights: &str) -> std::path::PathBuf {
    f.write("bank.asc", format!("ncols 3\nnrows 3\nxllcorner 438000\nyllcorner 5116000\ncellsize 2\n{head}{heights}\n"))
}

#[test]
fn undeclared_no_data() {
    use basilocus::terrain::{GridReading, VolumePlan, volume};
    let f = Folder::new();
    let heights = "-9999 2 3\n4 5 6\n7 8 9";
    let measured = |grid: std::path::PathBuf, no_data| {
        let reading = GridReading { from: Some("EPSG:32610".into()), no_data, ..Default::default() };
        volume(&VolumePlan { reading, ..VolumePlan::new(grid, 0.0) }, &Cancel::default(), &()).unwrap()
    };
    let doubted = measured(small_grid(&f, "", heights), None);
    assert_eq!(ids(&doubted.doubts), ["undeclared-no-data"]);
    // What the doubt says mends it.
    let mended = measured(small_grid(&f, "", heights), Some(-9999.0));
    assert!(mended.doubts.is_empty() && mended.below_volume_m3 == 0.0 && doubted.below_volume_m3 > 1000.0);
    assert!(measured(small_grid(&f, "nodata_value -9999\n", heights), None).doubts.is_empty());
    assert!(measured(small_grid(&f, "", "-12 2 3\n4 5 6\n7 8 9"), None).doubts.is_empty());
}

#[test]
fn steep_ground() {
    use basilocus::terrain::{GridReading, SlopePlan, slope};
    let f = Folder::new();
    let measured = |heights: &str, unit: &str| {
        let grid = small_grid(&f, "", heights);
        let reading =
            GridReading { from: Some("EPSG:32610".into()), height_unit: Some(unit.into()), ..Default::default() };
        let plan = SlopePlan { reading, overwrite: true, ..SlopePlan::new(grid, f.0.path().join("slope.tif")) };
        slope(&plan, &Cancel::default(), &()).unwrap().doubts
    };
    let centimetres = "100 180 310\n140 220 330\n190 240 300";
    assert_eq!(ids(&measured(centimetres, "metre")), ["steep-ground"]);
    assert!(measured(centimetres, "centimetre").is_empty(), "what the doubt says mends it");
    assert!(measured("1 1.8 3.1\n1.4 2.2 3.3\n1.9 2.4 3", "metre").is_empty());
}

#[test]
fn height_unit() {
    let f = Folder::new();
    let table = |name: &str| format!("gate,lon,lat,{name}\nA,-123.8123,46.2,12.5\nB,-123.7234,46.1,40.2\n");
    let written = |name: &str, from: &str, out: &str| {
        let positions = Positions { z: Some(name.into()), ..Positions::in_system(from).unwrap() };
        let out = f.0.path().join(out);
        let layer = Layer::open(f.write("in.csv", table(name))).unwrap().positions(positions);
        let options = RunOptions { overwrite: true, ..Default::default() };
        layer.write(&out).unwrap().run_with(&options).unwrap().doubts
    };
    let found = written("elev_ft", "EPSG:4326+5773", "out.csv");
    assert!(only(&found, "height-unit").message.contains("are feet by its name, and are taken as metres"), "{found:?}");
    let found = written("elev_ft", "EPSG:4326", "out.kml");
    assert!(only(&found, "height-unit").message.contains("the format of the output"), "{found:?}");
    assert!(written("elev_ft", "EPSG:4326", "out.gpkg").is_empty(), "nobody says what they are");
    assert!(written("elev_m", "EPSG:4326+5773", "out.kml").is_empty());
    let found = written("elev_m", "EPSG:4326+6360", "out.csv");
    assert!(only(&found, "height-unit").message.contains("are metres by its name"), "{found:?}");
}

#[test]
fn every_doubt_is_tried_here() {
    let source = [include_str!("main.rs"), include_str!("positions.rs"), include_str!("tables.rs")].concat();
    let tried: BTreeSet<String> = DOUBTS.iter().map(|d| format!("fn {}()", d.name.replace('-', "_"))).collect();
    for test in tried {
        assert!(source.contains(&test), "{test} is missing");
    }
}

#[test]
fn a_table_of_all_slips_raises_one_doubt_each() {
    let f = Folder::new();
    // Two rows of zeros, one row far outside, one row twice.
    let mixed = "gate,lon,lat\nA,-123.81234,46.2\nB,0,0\nC,-96.7,40.81234\nA,-123.81234,46.2\n";
    let layer = f.layer(mixed, "EPSG:4326").then(To::system("EPSG:2269").unwrap());
    let doubts = f.run(layer);
    let found: BTreeSet<&str> = ids(&doubts).into_iter().collect();
    assert_eq!(found, BTreeSet::from(["empty-point", "outside-area", "repeated"]));
    assert_eq!(doubts.len(), found.len(), "each is told once");
}
