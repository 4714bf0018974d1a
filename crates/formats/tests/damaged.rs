//! Damaged files of every format: an error, or rows that are left, in bounded time; never a panic.
//!
//! A thousand files each in an ordinary run; `BASILOCUS_DAMAGED_SECONDS=600 cargo test --release -p basilocus-formats
//! --all-features --test damaged` goes on for ten minutes a format. A file that fails is kept and named.

mod common;

use basilocus_formats::{InputOptions, Presentation, layers, open};
use basilocus_tools::damage::{self, Numbers};
use common::{layer, system, write};
use std::io::Write;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::time::Instant;

fn read_all(path: &Path) {
    let named = layers(path).unwrap_or_default();
    let all = std::iter::once(None).chain(named.into_iter().take(3).map(Some));
    for layer in all {
        let options = InputOptions { layer, ..Default::default() };
        let Ok(mut reader) = open(path, &options) else { continue };
        let decoder = reader.decoder();
        let mut rows = 0;
        let _ = reader.read(&mut |block| match decoder.decode(block) {
            Ok(decoded) => {
                rows += decoded.batch.len() + decoded.set_aside.len();
                // Rows out of nothing would fill a disk.
                assert!(rows < 3_000_000, "{rows} rows of a small file");
                (0..decoded.batch.len().min(3)).for_each(|row| drop(decoded.batch.row_texts(row)));
                true
            }
            Err(_) => false,
        });
    }
}

/// Damages a file, `beside` being those that belong to it, each in turn.
fn harm(good: &Path, beside: &[&str]) {
    let folder = tempfile::tempdir().unwrap();
    let name = good.file_name().unwrap();
    let parts: Vec<(PathBuf, Vec<u8>)> = std::iter::once(good.to_path_buf())
        .chain(beside.iter().map(|ending| good.with_extension(ending)))
        .map(|path| (folder.path().join(path.file_name().unwrap()), std::fs::read(&path).unwrap()))
        .collect();
    let path = folder.path().join(name);
    for number in damage::numbers() {
        let mut numbers = Numbers::new(number);
        let harmed = numbers.below(parts.len());
        for (i, (part, bytes)) in parts.iter().enumerate() {
            let bytes = if i == harmed { damage::damaged(bytes, &mut numbers) } else { bytes.clone() };
            std::fs::write(part, bytes).unwrap();
        }
        let start = Instant::now();
        let outcome = catch_unwind(AssertUnwindSafe(|| read_all(&path)));
        if outcome.is_err() || start.elapsed() > damage::LONGEST {
            let kept = std::env::temp_dir().join(format!("damaged-{number}-{}", name.to_string_lossy()));
            std::fs::copy(&parts[harmed].0, &kept).unwrap();
            panic!(
                "file {number} of {} (its part {harmed} is kept as {}): {outcome:?}",
                path.display(),
                kept.display()
            );
        }
    }
}

/// A good file of our own writing.
fn own(folder: &Path, name: &str, shapes: &[&str], code: u32) -> PathBuf {
    let rows: Vec<common::Row> = (0..12)
        .map(|i| {
            (
                Some(["gate", "état", "\"a, b\""][i % 3]),
                Some(i as f64 / 3.0),
                Some(i as i64),
                Some(shapes[i % shapes.len()]),
            )
        })
        .collect();
    let (out, batch) = layer(&rows, system(code, code == 4326), Presentation::default());
    let path = folder.join(name);
    write(&path, &out, &batch).unwrap();
    path
}

/// A good file by hand.
fn by_hand(folder: &Path, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

const ANY: [&str; 4] = [
    "POINT (-123.8 46.2)",
    "LINESTRING (-123.8 46.2, -123.7 46.1, -123.6 46.15)",
    "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))",
    "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((2 2, 3 2, 3 3, 2 2)))",
];

macro_rules! formats {
    ($($test:ident: $folder:ident => $good:expr, $beside:expr;)+) => {
        $(#[test]
        fn $test() {
            let folder = tempfile::tempdir().unwrap();
            let $folder = folder.path();
            harm(&$good, $beside);
        })+
    };
}

formats! {
    delimited: f => by_hand(f, "a.csv", "id;name;lon;lat\n1;\"a\nb\";-123,8;46,2\n2;état;-123,7;46,1\n3;c;1;2\n".as_bytes()), &[];
    fixed: f => by_hand(f, "a.txt", b"id  name    lon       lat\n--- ------- --------- --------\n1   gate    -123.8    46.2\n2   weir    -123.7    46.1\n"), &[];
    xyz: f => by_hand(f, "a.xyz", b"# survey\n7366633.86 940706.86 12.4\n7366634.86 940707.86 13.4\n7366635.86 940708.86 14.4\n"), &[];
    ply_of_text: f => by_hand(f, "a.ply", b"ply\nformat ascii 1.0\ncomment a scan\nelement edge 1\nproperty int v\nelement vertex 3\nproperty double x\nproperty float y\nproperty float z\nproperty list uchar int near\nend_header\n7\n1.5 2 3 2 8 9\n2.5 3 4 0\n3.5 4 5 1 6\n"), &[];
    ply_of_bytes: f => by_hand(f, "b.ply", &[&b"ply\nformat binary_little_endian 1.0\nelement edge 2\nproperty uchar v\nelement vertex 3\nproperty float x\nproperty float y\nproperty list uchar short near\nend_header\n"[..], &[1, 2], &[0, 0, 128, 63, 0, 0, 0, 64, 1, 5, 0].repeat(3)].concat()), &[];
    geojson: f => own(f, "a.geojson", &ANY, 4326), &[];
    geojson_sequence: f => own(f, "a.geojsonl", &ANY, 4326), &[];
    kml: f => own(f, "a.kml", &ANY, 4326), &[];
    gml: f => own(f, "a.gml", &ANY, 32610), &[];
    gpx: f => own(f, "a.gpx", &ANY[..2], 4326), &[];
    dxf: f => own(f, "a.dxf", &ANY, 32610), &[];
    shapefile_of_polygons: f => own(f, "a.shp", &ANY[2..], 32610), &["shx", "dbf"];
    shapefile_of_points: f => own(f, "a.shp", &ANY[..1], 4326), &["shx", "dbf"];
    dbf: f => own(f, "a.dbf", &ANY[..1], 4326), &[];
    feed: f => by_hand(f, "a.xml", b"<?xml version=\"1.0\"?><feed><entry><title>a</title><point>46.2 -123.8</point></entry><entry><title>b &amp; c</title><point>46.1 -123.7</point></entry></feed>"), &[];
}

#[cfg(feature = "pages")]
#[test]
fn page() {
    let folder = tempfile::tempdir().unwrap();
    let text = b"<!DOCTYPE html><table><caption>Gates</caption><tr><th rowspan=2>id<th colspan=2>place<tr><th>lon<th>lat<tr><td>1<td>-123.8<td>46.2<tr><td>2<td rowspan=\"2\">-123.7<td>46.1<tr><td>3<td>46.3</table>";
    harm(&by_hand(folder.path(), "a.html", text), &[]);
}

#[cfg(feature = "geopackage")]
#[test]
fn geopackage() {
    let folder = tempfile::tempdir().unwrap();
    harm(&own(folder.path(), "a.gpkg", &ANY, 4326), &[]);
}

#[cfg(feature = "workbooks")]
#[test]
fn workbook() {
    let folder = tempfile::tempdir().unwrap();
    harm(&own(folder.path(), "a.xlsx", &ANY[..1], 4326), &[]);
}

#[cfg(feature = "archives")]
#[test]
fn kmz() {
    let folder = tempfile::tempdir().unwrap();
    harm(&own(folder.path(), "a.kmz", &ANY, 4326), &[]);
}

#[cfg(feature = "parquet")]
#[test]
fn parquet() {
    let folder = tempfile::tempdir().unwrap();
    harm(&own(folder.path(), "a.parquet", &ANY, 4326), &[]);
}

#[test]
fn gzip() {
    let folder = tempfile::tempdir().unwrap();
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(b"id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.1\n").unwrap();
    harm(&by_hand(folder.path(), "a.csv.gz", &packed.finish().unwrap()), &[]);
}
