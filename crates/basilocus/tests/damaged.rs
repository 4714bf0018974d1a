//! Damaged plans, mappings, references, reviews and stores of answers: an error with words, or what is left of them; never a
//! panic, and never an output that nobody asked for.
//!
//! `BASILOCUS_DAMAGED_SECONDS=600 cargo test --release -p basilocus --all-features --test damaged` goes on for ten minutes each.

use basilocus::addresses::reference::{BuildPlan, SourcesPlan, build};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::{Geocode, Nearest, Positions};
use basilocus::{Cancel, Error, Report, RunOptions, run};
use basilocus_tools::damage::{self, Numbers};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::time::Instant;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn write(&self, name: &str, text: &str) -> PathBuf {
        std::fs::write(self.path(name), text).unwrap();
        self.path(name)
    }

    /// A reference with points, a street by its numbers, places, a postcode and areas.
    fn reference(&self) -> PathBuf {
        let sources = vec![
            self.write(
                "points.csv",
                "number,unit,street,city,state,zip,lon,lat\n12,,Heron Ln,Ternport,OR,97981,-123.8,46.2\n14,3,Heron Ln,Ternport,OR,97981,-123.801,46.2\n14,4,Heron Ln,Ternport,OR,97981,-123.801,46.2\n18,,Mill Rd,Graywater,OR,97990,-123.7,46.1\n",
            ),
            self.write(
                "streets.csv",
                "street,left_from,left_to,right_from,right_to,city,state,geometry\nNE Levee Rd,1,99,2,98,Ternport,OR,\"LINESTRING (-123.8 46.2, -123.79 46.21)\"\n",
            ),
            self.write(
                "places.csv",
                "name,kind,locality,state,county,lon,lat\nTernport,city,,OR,Tern County,-123.8,46.2\nGraywater,town,,OR,Tern County,-123.7,46.1\nTern Mill,mill,Ternport,OR,,-123.82,46.21\n",
            ),
            self.write("districts.geojson", AREAS),
        ];
        let output = self.path("towns.reference");
        let reading = SourcesPlan { overwrite: true, ..Default::default() };
        build(&BuildPlan { sources, output: output.clone(), reading, ..Default::default() }, &Cancel::default(), &())
            .unwrap();
        output
    }

    fn run(&self, layer: LayerPlan) -> Result<Report, Error> {
        let (date, outputs) = (Some("2026-11-27".into()), vec![OutputPlan::new(self.path("out.csv"))]);
        let plan = Plan { date, layers: vec![layer], outputs, ..Default::default() };
        run(&plan, &RunOptions { overwrite: true, ..Default::default() })
    }
}

const AREAS: &str = r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"district":"West"},"geometry":{"type":"Polygon","coordinates":[[[-123.9,46.1],[-123.75,46.1],[-123.75,46.3],[-123.9,46.3],[-123.9,46.1]]]}}]}"#;
const ASKED: &str = "who,address\nA,\"12 Heron Ln, Ternport, OR 97981\"\nB,\"14 Hreon Lane #3, Ternport\"\nC,\"51 NE Levee Rd, Ternport\"\nD,\"Tern Mill, Ternport\"\nE,97990\nF,\"5 Nowhere Rd, Atlantis\"\nG,18 Mill Road\n";

/// A message of an error says something.
fn has_words<T>(outcome: &Result<T, Error>) {
    if let Err(e) = outcome {
        assert!(e.to_string().len() > 10, "{e:?}");
    }
}

/// Writes damaged copies of a file and looks what is made of each. One that panics or lasts is kept and named.
fn harm(path: &Path, good: &[u8], look: impl Fn(&Path)) {
    for number in damage::numbers() {
        let bytes = damage::damaged(good, &mut Numbers::new(number));
        std::fs::write(path, &bytes).unwrap();
        let start = Instant::now();
        let outcome = catch_unwind(AssertUnwindSafe(|| look(path)));
        if outcome.is_err() || start.elapsed() > damage::LONGEST {
            let kept = std::env::temp_dir().join(format!("damaged-{number}-{}", path.file_name().unwrap().display()));
            std::fs::write(&kept, &bytes).unwrap();
            panic!("file {number} is kept as {}: {outcome:?}", kept.display());
        }
    }
}

const PLAN: &str = r#"basilocus_plan = 2
date = "2026-11-27"

[[layer]]
source = "in.csv"

[layer.input]
delimiter = ";"
header_row = 1

[[layer.step]]
values = ["name=gate|weir"]

[[layer.step]]
[layer.step.positions]
from = "EPSG:4326"
x = "lon"
y = "lat"

[[layer.step]]
[layer.step.inside]
areas = "districts.geojson"
take = ["district"]

[[layer.step]]
[layer.step.to]
systems = ["EPSG:4269"]
notation = "degrees-minutes"
digits = 3

[[layer.step]]
drop = ["day"]

[[output]]
file = "out.geojson"
"#;

#[test]
fn plan() {
    let f = Folder::new();
    f.write(
        "in.csv",
        "id;name;day;lon;lat\n1;gate;2026-11-01;-123.8;46.2\n2;weir;2026-11-02;-123.7;46.1\n3;;;x;46.1\n",
    );
    f.write("districts.geojson", AREAS);
    let path = f.write("a.toml", PLAN);
    // The plan as it is can be run; so those that are damaged fail for what is damaged.
    let good = Plan::load(&path).unwrap();
    assert_eq!(run(&good, &RunOptions { overwrite: true, ..Default::default() }).unwrap().rows_out, 1);
    harm(&path, PLAN.as_bytes(), |path| {
        let plan = Plan::load(path);
        has_words(&plan);
        let Ok(plan) = plan else { return };
        // What was read is written and read again.
        let text = plan.to_text(path).unwrap();
        std::fs::write(f.path("again.toml"), text).unwrap();
        Plan::load(&f.path("again.toml")).unwrap();
        if plan.outputs.iter().all(|o| o.file.starts_with(f.0.path())) {
            has_words(&run(&plan, &RunOptions { overwrite: true, ..Default::default() }));
        }
    });
}

#[test]
fn mapping_of_a_reference() {
    const MAPPING: &str = "[[source]]\nfile = \"points.csv\"\nkind = \"address points\"\nfrom = \"EPSG:4326\"\nset = { region = \"OR\" }\n[source.input]\ndelimiter = \",\"\n[source.columns]\nnumber = \"number\"\nstreet = [\"street\"]\nlocality = \"city\"\nlon = \"lon\"\nlat = \"lat\"\n";
    let f = Folder::new();
    f.reference();
    let path = f.write("mapping.toml", MAPPING);
    let built = |mapping: &Path| {
        let reading = SourcesPlan { overwrite: true, mapping: Some(mapping.into()), ..Default::default() };
        let (sources, output) = (vec![f.path("points.csv")], f.path("again.reference"));
        build(&BuildPlan { sources, output, reading, ..Default::default() }, &Cancel::default(), &())
    };
    assert_eq!(built(&path).unwrap().rows_out, 4);
    harm(&path, MAPPING.as_bytes(), |path| has_words(&built(path)));
}

#[test]
fn reference() {
    let f = Folder::new();
    let path = f.reference();
    let good = std::fs::read(&path).unwrap();
    f.write("asked.csv", ASKED);
    f.write("points.csv", "id,lon,lat\n1,-123.8,46.2\n2,-123.795,46.205\n3,-123.7,46.1\n4,0,0\n");
    let reference = || vec![path.clone()];
    let geocoded =
        || f.run(LayerPlan::new(f.path("asked.csv")).with(Geocode { reference: reference(), ..Default::default() }));
    let nearest = || {
        let positions = Positions { from: Some("EPSG:4326".into()), ..Default::default() };
        let nearest = Nearest { reference: reference(), ..Default::default() };
        f.run(LayerPlan::new(f.path("points.csv")).with(positions).with(nearest))
    };
    assert_eq!((geocoded().unwrap().rows_out, nearest().unwrap().rows_out), (6, 4));
    harm(&path, &good, |path| {
        for outcome in [geocoded(), nearest()] {
            has_words(&outcome);
            // Nothing is lost, whatever the reference says.
            if let Ok(report) = outcome {
                let aside: u64 = report.set_aside.values().sum();
                assert_eq!(report.rows_in, report.rows_out + aside, "{report:?}");
            }
        }
        for reference in basilocus::address::Reference::open_all(path).into_iter().flatten() {
            let _ = (reference.describe(), reference.attributes_at(-123.8, 46.2));
        }
    });
}

/// A workbook as damaged as a file, and as a workbook whose sheets are damaged inside.
#[cfg(feature = "reviews")]
#[test]
fn review() {
    use std::io::{Read, Write};
    let f = Folder::new();
    let reference = vec![f.reference()];
    f.write("asked.csv", ASKED);
    let plain = Geocode { reference, ..Default::default() };
    let source = f.path("asked.csv");
    let path = f.path("review.xlsx");
    f.run(LayerPlan::new(&source).with(Geocode { review: Some(path.clone()), ..plain.clone() })).unwrap();
    let good = std::fs::read(&path).unwrap();
    let look = |path: &Path| {
        // A store of answers stands beside a review: each is as if it were the first.
        let _ = std::fs::remove_file(f.path("damaged.answers.sqlite"));
        has_words(&f.run(LayerPlan::new(&source).with(Geocode { answers: Some(path.into()), ..plain.clone() })));
    };
    harm(&f.path("damaged.xlsx"), &good, look);
    let mut parts: Vec<(String, Vec<u8>)> = Vec::new();
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(&good)).unwrap();
    for i in 0..archive.len() {
        let mut file = archive.by_index(i).unwrap();
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).unwrap();
        parts.push((file.name().unwrap().to_string(), bytes));
    }
    let inner: Vec<usize> =
        (0..parts.len()).filter(|i| parts[*i].0.contains("sheet") || parts[*i].0.contains("shared")).collect();
    assert!(inner.len() >= 2, "{parts:?}");
    for number in damage::numbers() {
        let mut numbers = Numbers::new(number);
        let harmed = inner[numbers.below(inner.len())];
        let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        for (i, (name, bytes)) in parts.iter().enumerate() {
            out.start_file(name.as_str(), zip::write::SimpleFileOptions::default()).unwrap();
            let bytes = if i == harmed { damage::damaged(bytes, &mut numbers) } else { bytes.clone() };
            out.write_all(&bytes).unwrap();
        }
        let path = f.path("damaged.xlsx");
        std::fs::write(&path, out.finish().unwrap().into_inner()).unwrap();
        let outcome = catch_unwind(AssertUnwindSafe(|| look(&path)));
        assert!(outcome.is_ok(), "file {number}: {outcome:?}");
    }
}

#[cfg(feature = "reviews")]
#[test]
fn answers() {
    use basilocus::addresses::review::answers_of;
    let f = Folder::new();
    let reference = vec![f.reference()];
    f.write("asked.csv", ASKED);
    let plain = Geocode { reference, ..Default::default() };
    let layer = |geocode: Geocode| f.run(LayerPlan::new(f.path("asked.csv")).with(geocode));
    let review = f.path("review.xlsx");
    layer(Geocode { review: Some(review.clone()), ..plain.clone() }).unwrap();
    let store = f.path("answers.sqlite");
    let asked = Geocode { answers: Some(review), remember: Some(store.clone()), ..plain };
    layer(asked.clone()).unwrap();
    // One file, without what SQLite keeps beside it.
    rusqlite::Connection::open(&store).unwrap().execute_batch("PRAGMA journal_mode = DELETE; VACUUM").unwrap();
    let good = std::fs::read(&store).unwrap();
    harm(&store, &good, |path| {
        for beside in ["answers.sqlite-wal", "answers.sqlite-shm", "answers.sqlite-journal"] {
            let _ = std::fs::remove_file(f.path(beside));
        }
        has_words(&answers_of(path));
        has_words(&layer(asked.clone()));
    });
}
