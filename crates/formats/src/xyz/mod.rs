//! XYZ text: a point a line, its numbers parted by any runs of blanks, tabs, commas or semicolons; `#` and `//` begin
//! remarks. Columns are `x`, `y`, `z` and further ones by their number, or named by a first line of words.

mod reader;

use crate::Format;
use crate::driver::{Driver, GeometryPlace};
pub use reader::XyzReader;

/// The fields of a line.
pub(crate) fn fields(line: &str) -> impl Iterator<Item = &str> {
    line.split(|c: char| c.is_ascii_whitespace() || c == ',' || c == ';').filter(|f| !f.is_empty())
}

/// Whether a line is a remark.
pub(crate) fn is_remark(line: &str) -> bool {
    let line = line.trim_start();
    line.starts_with('#') || line.starts_with("//")
}

/// Whether a text has the form: its lines of two numbers or more, as many in each, parted by runs of signs that would
/// make a table of one sign a time have empty fields; where the file is `named` so, by any signs.
pub(crate) fn is_xyz(sample: &str, named: bool) -> bool {
    let mut lines = sample.lines().filter(|l| !l.trim().is_empty() && !is_remark(l)).take(200).peekable();
    let numbers = |l: &str| fields(l).all(|f| f.parse::<f64>().is_ok());
    // Names of columns may stand in front.
    if lines.peek().is_some_and(|l| !numbers(l)) {
        lines.next();
    }
    let (mut width, mut runs, mut count, mut odd) = (0, false, 0, 0);
    for line in lines {
        let n = fields(line).count();
        let fits = (2..=64).contains(&n) && numbers(line) && (width == 0 || n == width);
        if !fits && !named {
            return false;
        }
        // A file that is named so may have lines that are not.
        odd += u32::from(!fits);
        if fits {
            width = n;
            count += 1;
        }
        let bytes = line.trim_end().as_bytes();
        let is_sign = |b: u8| b.is_ascii_whitespace() || b == b',' || b == b';';
        runs |= bytes.first().is_some_and(|b| is_sign(*b))
            || bytes.windows(2).any(|w| is_sign(w[0]) && is_sign(w[1]) && w != b",," && w != b";;" && w != b"\t\t");
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
