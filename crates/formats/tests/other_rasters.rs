//! GeoTIFF against general packages of another language: what they write is read, what we write they read.
//!
//! `BASILOCUS_PYTHON` names an interpreter that has them (`tools/python-rasters` makes one); without it the test says that it
//! did not run.

use basilocus_formats::raster::{RasterCrs, RasterOut, RasterPlace, RasterValues, create_raster, open_raster};
use basilocus_formats::{CrsText, FormatError};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::Command;

const PLACE: RasterPlace =
    RasterPlace { west: -123.75, north: 46.375, step_x: 0.5, step_y: 0.25, columns: 300, rows: 200 };

fn height(column: usize, row: usize) -> f64 {
    ((column * 7 + row * 3) % 100) as f64
}

/// Runs the script; gives what it prints.
fn python(interpreter: &str, arguments: [&str; 2]) -> String {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/other_rasters.py");
    let out = Command::new(interpreter).arg(script).args(arguments).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8_lossy(&out.stdout).trim().to_string()
}

fn interpreter() -> Option<String> {
    let found = std::env::var("BASILOCUS_PYTHON").ok().filter(|p| !p.is_empty());
    if found.is_none() {
        let told =
            "GEOTIFF WAS NOT TESTED AGAINST OTHERS: BASILOCUS_PYTHON names no interpreter; run tools/python-rasters\n";
        // Past the capture of the test harness: this has to be seen.
        std::io::stderr().write_all(told.as_bytes()).unwrap();
    }
    found
}

#[test]
fn what_others_write_is_read() {
    let Some(interpreter) = interpreter() else { return };
    let folder = tempfile::tempdir().unwrap();
    let count: usize = python(&interpreter, ["write", folder.path().to_str().unwrap()]).parse().unwrap();
    let mut files: Vec<PathBuf> = std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().path()).collect();
    files.sort();
    assert!(count > 200 && files.len() == count);
    let unread: Vec<String> = files.iter().filter_map(|path| check(path).err()).map(|e| e.to_string()).collect();
    assert!(unread.is_empty(), "{unread:#?}");
}

fn check(path: &Path) -> Result<(), FormatError> {
    let mut reader = open_raster(path)?;
    let about = reader.about().clone();
    assert_eq!((about.place, about.no_data), (PLACE, Some(99.0)), "{}", path.display());
    let RasterCrs::Keys(keys) = &about.crs else { panic!("{:?}", about.crs) };
    assert_eq!(keys.geodetic, Some(4269));
    let (width, length) = about.chunk;
    for down in 0..PLACE.rows.div_ceil(length) {
        for across in 0..PLACE.columns.div_ceil(width) {
            let wide = width.min(PLACE.columns - across * width);
            for (i, z) in reader.chunk(across, down)?.into_iter().enumerate() {
                let (column, row) = (across * width + i % wide, down * length + i / wide);
                let expected = Some(height(column, row)).filter(|z| *z != 99.0);
                assert_eq!(Some(z).filter(|z| !z.is_nan()), expected, "{}: {column} {row}", path.display());
            }
        }
    }
    Ok(())
}

#[test]
fn what_we_write_is_read_by_others() {
    let Some(interpreter) = interpreter() else { return };
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ours.tif");
    let crs = CrsText {
        code: Some(4269),
        name: "NAD83".into(),
        wkt: "GEOGCS[\"…\"]".into(),
        wkt2: None,
        geographic: true,
        north_first: Some(true),
    };
    let out = RasterOut { place: PLACE, crs: Some(crs), keys: None, vertical: None, values: RasterValues::Numbers };
    let mut writer = create_raster(&path, out, false).unwrap();
    for row in 0..PLACE.rows {
        let of = |column: usize| if (column + row) % 13 == 5 { f64::NAN } else { height(column, row) };
        writer.row(&(0..PLACE.columns).map(of).collect::<Vec<f64>>()).unwrap();
    }
    writer.finish().unwrap().0.publish().unwrap();
    assert_eq!(python(&interpreter, ["check", path.to_str().unwrap()]), "same");
}
