//! PLY: the same points as text and as bytes in either order, and files that are cut, hold more, or say something else.

use basilocus_formats::{InputOptions, open};
use std::path::Path;

mod common;
use common::read;

const HEADER: &str = "comment made by hand\nelement vertex 4\nproperty double x\nproperty double y\nproperty float z\n\
    property uchar class\nproperty float quality\nproperty list uchar short echoes\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n";

/// A point of a scan.
struct Point {
    place: [f64; 2],
    z: f32,
    class: u8,
    quality: f32,
    echoes: &'static [i16],
}

const POINTS: [Point; 4] = [
    Point { place: [438_000.25, 5_116_000.5], z: 1.5, class: 2, quality: 0.1, echoes: &[3, -4] },
    Point { place: [438_001.25, 5_116_000.5], z: -0.25, class: 9, quality: 0.25, echoes: &[] },
    Point { place: [f64::NAN, f64::NAN], z: 0.0, class: 0, quality: 0.0, echoes: &[7] },
    Point { place: [438_002.25, 5_116_001.5], z: 2.0, class: 255, quality: 1e-7, echoes: &[1, 2, 3] },
];

fn text() -> Vec<u8> {
    let mut out = format!("ply\nformat ascii 1.0\n{HEADER}");
    for Point { place: [x, y], z, class, quality, echoes } in POINTS {
        let echoes: Vec<String> = echoes.iter().map(|e| format!(" {e}")).collect();
        out += &format!("{x} {y} {z} {class} {quality} {}{}\n", echoes.len(), echoes.concat());
    }
    (out + "3 0 1 3\n").into_bytes()
}

fn binary(is_big: bool) -> Vec<u8> {
    let name = if is_big { "binary_big_endian" } else { "binary_little_endian" };
    let mut out = format!("ply\nformat {name} 1.0\n{HEADER}").into_bytes();
    let mut put = |bytes: &[u8]| {
        let mut bytes = bytes.to_vec();
        if is_big {
            bytes.reverse();
        }
        out.extend(bytes);
    };
    for Point { place: [x, y], z, class, quality, echoes } in POINTS {
        put(&x.to_le_bytes());
        put(&y.to_le_bytes());
        put(&z.to_le_bytes());
        put(&[class]);
        put(&quality.to_le_bytes());
        put(&[echoes.len() as u8]);
        echoes.iter().for_each(|e| put(&e.to_le_bytes()));
    }
    put(&[3]);
    [0i32, 1, 3].iter().for_each(|i| put(&i.to_le_bytes()));
    out
}

fn of(folder: &Path, bytes: impl AsRef<[u8]>) -> Result<common::Read, String> {
    let path = folder.join("scan.ply");
    std::fs::write(&path, bytes).unwrap();
    read(&path, &InputOptions::default())
}

#[test]
fn points_are_the_same_as_text_and_as_bytes() {
    let folder = tempfile::tempdir().unwrap();
    for (bytes, first) in [(text(), 14), (binary(false), 1), (binary(true), 1)] {
        let found = of(folder.path(), bytes).unwrap();
        assert_eq!(found.names[..2], ["class", "quality"]);
        assert_eq!(found.column("class"), ["2", "9", "0", "255"]);
        assert_eq!(found.column("quality"), ["0.1", "0.25", "0", "0.0000001"]);
        let places = found.column(&found.names[2]);
        assert_eq!(places[0], "438000.25 5116000.5 1.5");
        assert_eq!((places[1], places[2]), ("438001.25 5116000.5 -0.25", ""));
        assert_eq!(found.numbers, [first, first + 1, first + 2, first + 3]);
        for note in [
            "4 points",
            "comment: made by hand",
            "1 of element face are not read",
            "lists of points are not read: echoes",
        ] {
            assert!(found.notes.iter().any(|n| n.contains(note)), "{note}: {:?}", found.notes);
        }
    }
}

#[test]
fn a_file_that_is_cut_or_holds_more_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let whole = binary(false);
    let message = of(folder.path(), &whole[..whole.len() - 45]).unwrap_err();
    assert!(message.contains("ends in point 4 of 4"), "{message}");
    let less = String::from_utf8(text()).unwrap();
    let message = of(folder.path(), less.replace("vertex 4", "vertex 3").replace("face 1", "face 0")).unwrap_err();
    assert!(message.contains("has 3 points, and has more"), "{message}");
    let none = less.replace("element vertex", "element corner");
    assert!(of(folder.path(), none).unwrap_err().contains("no element vertex, but: corner, face"));
    let other = less.replace("double x", "double east");
    assert!(of(folder.path(), other).unwrap_err().contains("no x and y, but: east, y, z"));
}

#[test]
fn a_line_that_is_no_point_is_set_aside() {
    let folder = tempfile::tempdir().unwrap();
    let header =
        "ply\nformat ascii 1.0\nelement vertex 4\nproperty double x\nproperty double y\nproperty int n\nend_header\n";
    let found = of(folder.path(), format!("{header}1 2 3\n\n1 2\n1 2 3.5\n1 2 3 4\n")).unwrap();
    assert_eq!(found.numbers, [8]);
    let reasons: Vec<(u64, &str)> = found.aside.iter().map(|row| (row.source_row, row.reason.as_str())).collect();
    assert_eq!(reasons[0], (10, "3 values are expected; the property n has none"));
    assert_eq!(reasons[1], (11, "n: \"3.5\" is no whole number"));
    assert_eq!(reasons[2], (12, "\"4\" is one value more than the 3 that are expected"));
}

#[test]
fn large_coordinates_in_short_floats_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("scan.ply");
    let header =
        "ply\nformat binary_little_endian 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n";
    let mut bytes = header.as_bytes().to_vec();
    bytes.extend(438_000.3f32.to_le_bytes());
    bytes.extend(5_116_000.3f32.to_le_bytes());
    std::fs::write(&path, bytes).unwrap();
    let reader = open(&path, &InputOptions::default()).unwrap();
    let notes = reader.about().notes.join("\n");
    assert!(notes.contains("rounded to steps of 0.5"), "{notes}");
}
