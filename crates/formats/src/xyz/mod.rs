//! XYZ text: a point a line, its numbers parted by any runs of blanks, tabs, commas or semicolons; `#` and `//` begin
//! remarks. Columns are `x`, `y`, `z` and further ones by their number, or named by a first line of words.

mod reader;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
pub use reader::XyzReader;

/// What parts fields. All of it is ASCII, so that fields end where letters do.
const PARTS: [bool; 256] = {
    let mut table = [false; 256];
    let mut i = 0;
    while i < 128 {
        let b = i as u8;
        table[i] = b.is_ascii_whitespace() || matches!(b, b',' | b';');
        i += 1;
    }
    table
};

/// The fields of a line.
pub(crate) fn fields(line: &str) -> impl Iterator<Item = &str> {
    let bytes = line.as_bytes();
    let mut at = 0;
    std::iter::from_fn(move || {
        while PARTS[usize::from(*bytes.get(at)?)] {
            at += 1;
        }
        let from = at;
        while bytes.get(at).is_some_and(|b| !PARTS[usize::from(*b)]) {
            at += 1;
        }
        line.get(from..at)
    })
}

/// Whether a line is a remark.
pub(crate) fn is_remark(line: &str) -> bool {
    let line = line.trim_start();
    line.starts_with('#') || line.starts_with("//")
}

/// Whether a text has the form: its lines of two numbers or more, as many in each, parted by runs of blanks that would make a
/// table of one sign a time have empty fields; where the file is `named` so, by any signs. Two commas, or one at the begin of
/// a line, are an empty field of a table.
pub(crate) fn is_xyz(sample: &str, named: bool) -> bool {
    let mut lines = sample.lines().filter(|l| !l.trim().is_empty() && !is_remark(l)).take(200).peekable();
    let numbers = |l: &str| fields(l).all(|f| f.parse::<f64>().is_ok());
    let is_sign = |b: u8| b.is_ascii_whitespace() || b == b',' || b == b';';
    let parts = |b: u8| matches!(b, b',' | b';' | b'\t');
    // Names of columns may stand in front; names that are parted as in a table are as many as the numbers.
    let header = lines.next_if(|l| !numbers(l));
    let names = header.filter(|l| l.bytes().any(parts)).map(|l| fields(l).count());
    let (mut width, mut runs, mut count, mut odd) = (0, false, 0, 0);
    for line in lines {
        let n = fields(line).count();
        let fits = (2..=64).contains(&n) && numbers(line) && (width == 0 || n == width);
        let bytes = line.trim_end_matches(['\r', ' ']).as_bytes();
        let has_empty_field = bytes.first().is_some_and(|b| parts(*b))
            || bytes.last().is_some_and(|b| parts(*b))
            || bytes.windows(2).any(|w| w[0] == w[1] && parts(w[0]));
        if !named && (!fits || has_empty_field || names.is_some_and(|names| names != n)) {
            return false;
        }
        // A file that is named so may have lines that are not.
        odd += u32::from(!fits);
        if fits {
            width = n;
            count += 1;
        }
        runs |= bytes.first().is_some_and(|b| is_sign(*b)) || bytes.windows(2).any(|w| w.iter().all(|b| is_sign(*b)));
    }
    // A comma and a blank between numbers are a table with blanks in it.
    named && count > odd || count > 1 && runs && !sample.contains(", ")
}

/// How it is read and written.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Xyz,
    name: "XYZ text",
    endings: &["xyz"],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[],
    recognises: |head| {
        let named = head.path.extension().is_some_and(|e| e.eq_ignore_ascii_case("xyz"));
        !head.is_xml() && head.lines().is_some_and(|text| is_xyz(&text, named))
    },
    open: |path, options| Ok(Box::new(XyzReader::open(path, options)?)),
    layers: None,
    create: None,
};
