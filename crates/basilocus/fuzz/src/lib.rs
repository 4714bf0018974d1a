//! What the fuzz targets do with bytes: they are a file of some kind, which is read.

use basilocus::address::{AddressInput, MatchOptions, Matcher, Reference};
use basilocus::addresses::review::answers_of;
use basilocus::formats::{InputOptions, layers, open};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::Geocode;
use basilocus::{RunOptions, run};
use std::cell::OnceCell;
use std::path::Path;
use tempfile::TempDir;

/// Endings of files; the first byte of the data chooses.
const ENDINGS: [&str; 16] = [
    "csv", "tsv", "txt", "xyz", "geojson", "geojsonl", "kml", "kmz", "gml", "gpx", "dxf", "dbf", "html", "xlsx",
    "gpkg", "parquet",
];

thread_local! {
    static FOLDER: OnceCell<TempDir> = const { OnceCell::new() };
}

/// Writes data to a file and does something with it.
fn as_file(name: &str, data: &[u8], look: impl FnOnce(&Path)) {
    FOLDER.with(|cell| {
        let folder = cell.get_or_init(|| tempfile::tempdir().expect("a temporary folder"));
        let path = folder.path().join(name);
        std::fs::write(&path, data).expect("written");
        look(&path);
        let _ = std::fs::remove_file(&path);
    });
}

/// A file of a format: all rows of its first layers.
pub fn format(data: &[u8]) {
    let Some((first, rest)) = data.split_first() else { return };
    let ending = ENDINGS[usize::from(*first) % ENDINGS.len()];
    as_file(&format!("a.{ending}"), rest, |path| {
        let named = layers(path).unwrap_or_default();
        for layer in std::iter::once(None).chain(named.into_iter().take(2).map(Some)) {
            let Ok(mut reader) = open(path, &InputOptions { layer, ..Default::default() }) else { continue };
            let decoder = reader.decoder();
            let mut rows = 0;
            let _ = reader.read(&mut |block| match decoder.decode(block) {
                Ok(decoded) => {
                    rows += decoded.batch.len();
                    (0..decoded.batch.len().min(2)).for_each(|row| drop(decoded.batch.row_texts(row)));
                    rows < 100_000
                }
                Err(_) => false,
            });
        }
    });
}

/// A plan: what is read can be written and read again.
pub fn plan(data: &[u8]) {
    as_file("plan.toml", data, |path| {
        let Ok(plan) = Plan::load(path) else { return };
        let text = plan.to_text(path).expect("a plan that was read can be written");
        std::fs::write(path, text).expect("written");
        Plan::load(path).expect("what was written can be read");
    });
}

/// A reference: addresses are looked for in it.
pub fn reference(data: &[u8]) {
    as_file("a.reference", data, |path| {
        for reference in Reference::open_all(path).into_iter().flatten() {
            let matcher = Matcher::new(&reference, MatchOptions::default());
            for whole in
                ["12 Heron Ln, Ternport, OR 97981", "14 Hreon Lane #3, Ternport", "97990", "Tern Mill, Ternport"]
            {
                let _ = matcher.find(&AddressInput { whole, ..Default::default() });
            }
            let _ =
                (reference.nearest(-123.8, 46.2, 1000.0), reference.attributes_at(-123.8, 46.2), reference.describe());
        }
    });
}

/// A review with its answers.
pub fn review(data: &[u8]) {
    as_file("review.xlsx", data, |path| {
        let folder = path.parent().expect("a folder");
        let asked = folder.join("asked.csv");
        std::fs::write(&asked, "address\n12 Heron Ln\n").expect("written");
        let geocode = Geocode { answers: Some(path.into()), ..Default::default() };
        let outputs = vec![OutputPlan::new(folder.join("out.csv"))];
        let plan = Plan { layers: vec![LayerPlan::new(asked).with(geocode)], outputs, ..Default::default() };
        let _ = run(&plan, &RunOptions { overwrite: true, ..Default::default() });
    });
}

/// A store of answers.
pub fn answers(data: &[u8]) {
    as_file("answers.sqlite", data, |path| {
        for beside in ["answers.sqlite-wal", "answers.sqlite-shm", "answers.sqlite-journal"] {
            let _ = std::fs::remove_file(path.with_file_name(beside));
        }
        let _ = answers_of(path);
    });
}
