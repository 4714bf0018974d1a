//! The library as a program uses it: layers call by call, steps of one's own, rows as they come, and that all ways to the
//! same steps give the same bytes.

use basilocus::arrow::array::{ArrayRef, Float64Array, Int64Array, RecordBatch, StringArray};
use basilocus::arrow::schema::DataType;
use basilocus::engine::{Account, Column, Columns, Rows, Setting};
use basilocus::formats::Format;
use basilocus::plan::{Flags, OutputPlan};
use basilocus::steps::{Bound, Inside, Positions, Step, StepPlan, To, Work};
use basilocus::table::Reason;
use basilocus::{Error, Layer, Plan, RunOptions, run};
use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};
use std::sync::Arc;

const DISTRICTS: &str = r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"district":"West"},"geometry":{"type":"Polygon","coordinates":[[[-124,46],[-123.5,46],[-123.5,46.5],[-124,46.5],[-124,46]]]}}]}"#;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        let folder = Folder(tempfile::tempdir().unwrap());
        let mut gates = String::from("gate,lon,lat,remark\n");
        for i in 0..3000 {
            let (lon, lat) = (-124.0 + f64::from(i % 977) / 1000.0, 45.9 + f64::from(i % 613) / 1000.0);
            let lat = if i % 101 == 7 { "unknown".to_string() } else { format!("{lat:.6}") };
            gates.push_str(&format!("gate {i},{lon:.6},{lat},\"seen, at low water\"\n"));
        }
        std::fs::write(folder.path("gates.csv"), gates).unwrap();
        std::fs::write(folder.path("districts.geojson"), DISTRICTS).unwrap();
        folder
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn bytes(&self, name: &str) -> Vec<u8> {
        std::fs::read(self.path(name)).unwrap_or_else(|e| panic!("{name}: {e}"))
    }
}

fn layer(f: &Folder, out: &str) -> Layer {
    Layer::open(f.path("gates.csv"))
        .unwrap()
        .dated("2026-11-26")
        .unwrap()
        .positions(Positions::in_system("EPSG:4326").unwrap())
        .inside(f.path("districts.geojson"))
        .unwrap()
        .drop(["lon", "lat"])
        .to("EPSG:2269")
        .unwrap()
        .write(f.path(&format!("{out}.gpkg")))
        .unwrap()
        .write(f.path(&format!("{out}.csv")))
        .unwrap()
}

/// Calls of the library, what the command's options build, a plan in memory and a plan from a file.
#[test]
fn every_way_to_the_same_steps_gives_the_same_bytes() {
    let f = Folder::new();
    let report = layer(&f, "calls").run().unwrap();
    assert_eq!(report.rows_in, 3000);
    assert!(report.rows_out > 500 && report.left_out["outside the areas"] > 500, "{report:?}");
    let flags = Flags {
        source: f.path("gates.csv"),
        positions: Some(Positions::in_system("EPSG:4326").unwrap()),
        inside: Some(Inside { areas: f.path("districts.geojson"), ..Default::default() }),
        drop: vec!["lon".into(), "lat".into()],
        to: Some(To::system("EPSG:2269").unwrap()),
        ..Default::default()
    };
    let outputs = |name: &str| {
        vec![OutputPlan::new(f.path(&format!("{name}.gpkg"))), OutputPlan::new(f.path(&format!("{name}.csv")))]
    };
    let date = Some("2026-11-26".to_string());
    let plan = Plan { layers: vec![flags.layer()], outputs: outputs("flags"), date, ..Default::default() };
    assert_eq!(plan.layers, layer(&f, "x").plan().layers, "the same list of steps");
    run(&plan, &RunOptions::default()).unwrap();
    let file = f.path("saved.toml");
    std::fs::write(&file, Plan { outputs: outputs("file"), ..plan }.to_text(&file).unwrap()).unwrap();
    run(&Plan::load(&file).unwrap(), &RunOptions::default()).unwrap();
    std::fs::write(
        f.path("typed.toml"),
        "basilocus_plan = 2\ndate = \"2026-11-26\"\n[[layer]]\nsource = \"gates.csv\"\n\
         [[layer.step]]\npositions = { from = \"EPSG:4326\" }\n\
         [[layer.step]]\ninside = { areas = \"districts.geojson\" }\n\
         [[layer.step]]\ndrop = [\"lon\", \"lat\"]\n\
         [[layer.step]]\nto = { systems = [\"EPSG:2269\"] }\n\
         [[output]]\nfile = \"typed.gpkg\"\n[[output]]\nfile = \"typed.csv\"\n",
    )
    .unwrap();
    run(&Plan::load(&f.path("typed.toml")).unwrap(), &RunOptions::default()).unwrap();
    for way in ["flags", "file", "typed"] {
        for ending in ["gpkg", "csv", "set-aside.csv"] {
            assert!(f.bytes(&format!("calls.{ending}")) == f.bytes(&format!("{way}.{ending}")), "{way}.{ending}");
        }
    }
    let table = String::from_utf8(f.bytes("calls.csv")).unwrap();
    assert_eq!(table.lines().next(), Some("gate,remark,easting,northing"), "what is read from is not written");
}

#[test]
fn the_number_of_threads_changes_no_byte() {
    let f = Folder::new();
    // Many blocks, so that several threads have work.
    let mut gates = String::from("gate,lon,lat\n");
    for i in 0..60_000 {
        gates.push_str(&format!(
            "{i},{:.6},{:.6}\n",
            -124.0 + f64::from(i % 977) / 1000.0,
            if i % 1009 == 3 { 95.0 } else { 46.1 }
        ));
    }
    std::fs::write(f.path("many.csv"), gates).unwrap();
    for threads in [1, 2, 16] {
        let layer = Layer::open(f.path("many.csv")).unwrap().dated("2026-11-26").unwrap();
        let layer = layer.positions(Positions::in_system("EPSG:4326").unwrap()).to("EPSG:32610").unwrap();
        let layer = layer.write(f.path(&format!("{threads}.gpkg"))).unwrap();
        let layer = layer.write(f.path(&format!("{threads}.csv"))).unwrap();
        let options = RunOptions { threads: NonZeroUsize::new(threads), ..Default::default() };
        let report = layer.run_with(&options).unwrap();
        assert_eq!(report.set_aside["latitude out of range"], 60);
    }
    for threads in [2, 16] {
        for ending in ["gpkg", "csv", "set-aside.csv"] {
            let (one, more) = (f.bytes(&format!("1.{ending}")), f.bytes(&format!("{threads}.{ending}")));
            assert!(one == more, "{threads} threads, {ending}");
        }
    }
}

/// Adds how far a place is from a gauge, and sets aside what is too far.
#[derive(Debug, Clone)]
struct Reach {
    lon: f64,
    lat: f64,
    degrees: f64,
    /// Whether it gives what it said.
    honest: bool,
}

struct Reaching(Reach, basilocus::arrow::schema::SchemaRef);

impl Step for Reach {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let name = columns.free_name("from_gauge", None);
        columns.push(Column::added(name, DataType::Float64).with_digits(3));
        setting.note("distances from the gauge are in degrees");
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Reaching(self.clone(), schema)))
    }

    fn name(&self) -> &str {
        "reach"
    }

    fn wish(&self) -> basilocus::steps::Wish {
        basilocus::steps::Wish::Positions
    }
}

impl Work for Reaching {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let Reaching(Reach { lon, lat, degrees, honest }, schema) = self;
        let [x, y, _] = rows.positions();
        let distances: Vec<f64> = x.iter().zip(&y).map(|(x, y)| (x - lon).hypot(y - lat)).collect();
        for (row, d) in distances.iter().enumerate().filter(|(_, d)| *d > degrees) {
            account.set_aside(row, Reason::new("out of reach"), format!("{d:.3}° from the gauge"));
        }
        if !honest {
            return Ok(rows);
        }
        rows.with_added(schema, [Arc::new(Float64Array::from(distances)) as ArrayRef])
    }
}

#[test]
fn a_step_of_ones_own_stands_among_the_others() {
    let f = Folder::new();
    let reach = |honest| Reach { lon: -123.8, lat: 46.2, degrees: 0.1, honest };
    let gates = || {
        Layer::open(f.path("gates.csv")).unwrap().positions(Positions::in_system("EPSG:4326").unwrap()).keep(["gate"])
    };
    let report = gates().step(reach(true)).to("EPSG:2269").unwrap().write(f.path("near.csv")).unwrap().run().unwrap();
    assert!(report.set_aside["out of reach"] > 1000 && report.rows_out > 10);
    assert_eq!(report.rows_in, report.rows_out + report.set_aside.values().sum::<u64>());
    assert!(report.notices.iter().any(|n| n.contains("in degrees")));
    let near = String::from_utf8(f.bytes("near.csv")).unwrap();
    assert_eq!(near.lines().next(), Some("gate,from_gauge,easting,northing"));
    let aside = String::from_utf8(f.bytes("near.set-aside.csv")).unwrap();
    assert!(aside.lines().nth(1).unwrap().contains("from the gauge"), "with its values as they were read");
    assert!(aside.starts_with("source_row,reason,gate,lon,lat,remark\n"));
    // One that gives other columns than it said writes nothing.
    let broken = gates().step(reach(false)).write(f.path("broken.csv")).unwrap().run().unwrap_err();
    assert_eq!(broken.kind(), basilocus::ErrorKind::Defect);
    assert!(broken.to_string().contains("\"reach\"") && !f.path("broken.csv").exists(), "{broken}");
    // No file can hold it.
    let plan = gates().step(reach(true)).write(f.path("x.csv")).unwrap().plan();
    assert!(plan.to_text(Path::new("x.toml")).unwrap_err().to_string().contains("the caller's own"));
}

/// Moves every place; whatever was known of the places before must not be used again.
#[derive(Debug, Clone)]
struct Shift(f64);

impl Step for Shift {
    fn bind(&self, columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
        Ok(Bound::blocks(columns, self.clone()))
    }

    fn wish(&self) -> basilocus::steps::Wish {
        basilocus::steps::Wish::Positions
    }
}

impl Work for Shift {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let [x, y, _] = rows.positions();
        let moved =
            |v: Vec<f64>| Arc::new(Float64Array::from(v.iter().map(|v| v + self.0).collect::<Vec<_>>())) as ArrayRef;
        let schema = rows.records().schema();
        let at = schema.index_of("geometry").unwrap();
        let DataType::Struct(fields) = schema.field(at).data_type() else { panic!("points are a struct") };
        let mut columns = rows.records().columns().to_vec();
        columns[at] =
            Arc::new(basilocus::arrow::array::StructArray::new(fields.clone(), vec![moved(x), moved(y)], None));
        rows.with_columns(&schema, columns)
    }
}

#[test]
fn places_that_a_step_moved_are_written_where_they_are() {
    let f = Folder::new();
    std::fs::write(f.path("one.csv"), "id,e,n\n1,438277.7983,5116580.2723\n").unwrap();
    let layer = |name: &str| {
        Layer::open(f.path("one.csv"))
            .unwrap()
            .positions(Positions::in_system("EPSG:32610").unwrap().in_columns("e", "n"))
            .write(f.path(name))
            .unwrap()
    };
    let place = |name: &str| {
        let text = String::from_utf8(f.bytes(name)).unwrap();
        let (_, rest) = text.split_once("\"coordinates\":[").unwrap();
        let numbers = rest.split_once(']').unwrap().0.split(',').map(|v| v.parse::<f64>().unwrap()).collect::<Vec<_>>();
        (numbers[0], numbers[1])
    };
    layer("stays.geojson").run().unwrap();
    layer("moves.geojson").step(Shift(1000.0)).run().unwrap();
    let ((x0, y0), (x1, y1)) = (place("stays.geojson"), place("moves.geojson"));
    assert!((x0 + 123.8).abs() < 1e-6 && (y0 - 46.2).abs() < 1e-6, "{x0} {y0}");
    // A kilometre to the east and to the north.
    assert!((x1 - x0 - 0.0129).abs() < 2e-4 && (y1 - y0 - 0.0091).abs() < 2e-4, "{x1} {y1}");
}

#[test]
fn rows_as_they_come() {
    let f = Folder::new();
    let layer = Layer::open(f.path("gates.csv")).unwrap().positions(Positions::in_system("EPSG:4326").unwrap());
    let (mut rows, mut aside) = (0, 0);
    for block in layer.to("EPSG:32610").unwrap().drop(["remark"]).rows().unwrap() {
        let block = block.unwrap();
        assert_eq!(block.records.num_rows(), block.source_rows.len());
        let names: Vec<String> = block.records.schema().fields().iter().map(|f| f.name().clone()).collect();
        assert_eq!(names, ["gate", "lon", "lat", "geometry", "easting", "northing"]);
        rows += block.records.num_rows();
        aside += block.set_aside.len();
    }
    assert_eq!((rows + aside, aside), (3000, 30));
    // An iterator that is dropped ends its thread; errors come through it.
    let layer = Layer::open(f.path("gates.csv")).unwrap();
    drop(layer.rows().unwrap());
    let bad = layer.positions(Positions::default());
    assert!(bad.rows().is_err_and(|e| e.to_string().contains("no reference system is said")));
}

#[test]
fn bytes_of_a_reader_and_records_in_memory() {
    let text = "gate;x;y\nNorth;438277,8;5116580,3\n";
    let f = Folder::new();
    Layer::from_reader(text.as_bytes(), Format::Delimited)
        .unwrap()
        .positions(Positions::in_system("EPSG:32610").unwrap().in_columns("x", "y"))
        .write(f.path("read.geojson"))
        .unwrap()
        .run()
        .unwrap();
    assert!(String::from_utf8(f.bytes("read.geojson")).unwrap().contains("-123.79999"));
    let batch = |names: &[&str]| {
        let name: ArrayRef = Arc::new(StringArray::from(names.to_vec()));
        let lon: ArrayRef = Arc::new(Float64Array::from(vec![-123.8; names.len()]));
        let lat: ArrayRef = Arc::new(Float64Array::from(vec![46.2; names.len()]));
        RecordBatch::try_from_iter([("name", name), ("lon", lon), ("lat", lat)]).unwrap()
    };
    let report = Layer::from_records("gates", vec![batch(&["a", "b"]), batch(&["c"])])
        .unwrap()
        .positions(Positions::in_system("EPSG:4326").unwrap())
        .write(f.path("memory.csv"))
        .unwrap()
        .run()
        .unwrap();
    assert_eq!((report.rows_out, report.layers[0].name.as_str()), (3, "gates"));
    assert_eq!(String::from_utf8(f.bytes("memory.csv")).unwrap().lines().nth(3), Some("c,-123.8,46.2"));
    // What no format takes is refused by name, and so are batches that differ.
    let short: ArrayRef = Arc::new(basilocus::arrow::array::Int32Array::from(vec![1]));
    let odd = RecordBatch::try_from_iter([("n", short)]).unwrap();
    let message = Layer::from_records("odd", vec![odd]).unwrap_err().to_string();
    assert!(message.contains("column \"n\" is of the type Int32"), "{message}");
    let other: ArrayRef = Arc::new(Int64Array::from(vec![1]));
    let other = RecordBatch::try_from_iter([("n", other)]).unwrap();
    assert!(Layer::from_records("two", vec![batch(&["a"]), other]).is_err());
    assert!(Layer::from_records("none", vec![]).is_err());
}

#[test]
fn columns_go_and_new_ones_take_their_place() {
    let f = Folder::new();
    std::fs::write(f.path("one.csv"), "lon,id,lat\n-123.8,1,46.2\n").unwrap();
    let header = |step: To, drop: &[&str]| {
        let _ = std::fs::remove_file(f.path("o.csv"));
        Layer::open(f.path("one.csv"))
            .unwrap()
            .positions(Positions::in_system("EPSG:4326").unwrap())
            .drop(drop.iter().copied())
            .then(step)
            .write(f.path("o.csv"))
            .unwrap()
            .run()
            .unwrap();
        String::from_utf8(f.bytes("o.csv")).unwrap().lines().next().unwrap().to_string()
    };
    let to = |code: &str| To::system(code).unwrap();
    assert_eq!(header(to("EPSG:7844"), &[]), "lon,id,lat,lon_7844,lat_7844", "a name that is taken gets the code");
    assert_eq!(header(to("EPSG:7844"), &["lon", "lat"]), "id,lon,lat", "a name that goes is free");
    let replaced = |code: &str| To { replace: true, ..to(code) };
    assert_eq!(header(replaced("EPSG:7844"), &[]), "lon,lat,id", "the new numbers stand in the place of the old");
    assert_eq!(header(replaced("EPSG:32610"), &[]), "easting,northing,id");
}

#[test]
fn steps_follow_each_other_in_any_order() {
    let f = Folder::new();
    std::fs::write(f.path("three.csv"), "id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.3\n3,-120,40\n").unwrap();
    let report = Layer::open(f.path("three.csv"))
        .unwrap()
        .positions(Positions::in_system("EPSG:4326").unwrap())
        .to("EPSG:32610")
        .unwrap()
        // After the transformation: areas in degrees, columns that a step wrote, another system once more.
        .inside(f.path("districts.geojson"))
        .unwrap()
        .rename("easting", "e")
        .to("EPSG:2269")
        .unwrap()
        .extent([-123.75, 46.0, -123.0, 47.0])
        .unwrap()
        .write(f.path("o.csv"))
        .unwrap()
        .run()
        .unwrap();
    assert_eq!((report.rows_in, report.rows_out), (3, 1));
    let text = String::from_utf8(f.bytes("o.csv")).unwrap();
    assert_eq!(text.lines().next(), Some("id,lon,lat,e,northing,easting,northing_2269"));
    assert!(text.lines().nth(1).unwrap().starts_with("2,-123.7,46.3,446"), "{text}");
    assert_eq!(report.layers[0].operations.len(), 2);
    let names: Vec<&str> = basilocus::steps::NAMES.to_vec();
    assert!(names.contains(&"inside") && names.len() == 20, "{names:?}");
    let _: StepPlan = To::default().into();
}
