//! A latitude or longitude in several columns: degrees, minutes and seconds each in one, the hemisphere in a column beside or
//! in the header.
//!
//! Such columns are taken where their headers say it and their values do not contradict: read as plain degrees they would be a
//! place that is wrong and looks right.

use crate::engine::{Columns, Rows};
use arrow_array::RecordBatch;
use basilocus_table::Role;
use basilocus_table::batch::cell_text;

/// Columns of one axis, whose texts together are an angle; and the letter of the hemisphere that a header says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Axis {
    pub columns: Vec<usize>,
    /// The column among them that says the hemisphere, where one was found to.
    pub beside: Option<usize>,
    pub hemisphere: Option<char>,
}

/// How headers begin that are of an axis.
const LATITUDE: [&str; 2] = ["latitude", "lat"];
const LONGITUDE: [&str; 4] = ["longitude", "long", "lon", "lng"];
/// What follows where a column holds a part of it.
const DEGREES: [&str; 6] = ["", "degrees", "degree", "degs", "deg", "d"];
const MINUTES: [&str; 5] = ["minutes", "minute", "mins", "min", "m"];
const SECONDS: [&str; 5] = ["seconds", "second", "secs", "sec", "s"];
const HEMISPHERE: [&str; 9] = ["hemisphere", "hemi", "hem", "direction", "dir", "reference", "ref", "cardinal", "h"];
/// Headers that say it alone.
const NORTH_SOUTH: [&str; 4] = ["ns", "nors", "northsouth", "nsindicator"];
const EAST_WEST: [&str; 4] = ["ew", "eorw", "eastwest", "ewindicator"];

impl Axis {
    /// Columns that were said; the one among them that holds letters says the hemisphere.
    pub(super) fn of(columns: Vec<usize>, sample: &Rows, is_latitude: bool) -> Self {
        let beside = columns.iter().copied().find(|at| are_hemispheres(sample, *at, is_latitude));
        Axis { columns, beside, hemisphere: None }
    }

    /// Whether one column with its own sign is all of it.
    fn is_plain(&self) -> bool {
        self.columns.len() == 1 && self.hemisphere.is_none()
    }

    /// The column that a row leaves empty although what is there makes no sense without it.
    pub(super) fn lacks(&self, rows: &RecordBatch, row: usize) -> Option<usize> {
        let is_empty = |at: &usize| cell_text(rows.column(*at), row).trim().is_empty();
        if self.columns.iter().all(is_empty) {
            return None;
        }
        let numbers: Vec<usize> = self.columns.iter().copied().filter(|at| Some(*at) != self.beside).collect();
        // Seconds that are not there are none; minutes in front of seconds are not.
        let last = numbers.iter().rposition(|at| !is_empty(at)).unwrap_or(0);
        numbers[..=last].iter().copied().find(is_empty).or(self.beside.filter(is_empty))
    }

    /// The angle of a row as one text.
    pub(super) fn text(&self, rows: &RecordBatch, row: usize) -> String {
        let mut out = String::new();
        for column in &self.columns {
            let text = cell_text(rows.column(*column), row);
            let text = text.trim();
            if !out.is_empty() && !text.is_empty() {
                out.push(' ');
            }
            out.push_str(text.strip_suffix(".0").unwrap_or(text));
        }
        if let (Some(letter), false) = (self.hemisphere, out.is_empty()) {
            out.push(' ');
            out.push(letter);
        }
        out
    }
}

/// Longitude and latitude, where one of them is in several columns or has its hemisphere beside.
pub(super) fn find(columns: &Columns, sample: &Rows) -> Option<(Axis, Axis)> {
    let table = Table { columns, sample };
    let ((x, parts_of_x), (y, parts_of_y)) = (table.axis(false)?, table.axis(true)?);
    // Minutes of one axis alone are those of something else.
    (parts_of_x == parts_of_y && !(x.is_plain() && y.is_plain())).then_some((x, y))
}

struct Table<'a> {
    columns: &'a Columns,
    sample: &'a Rows,
}

/// Letters and figures of a header, in small letters.
fn plain(header: &str) -> String {
    header.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

impl Table<'_> {
    /// An axis, and how many of its columns are numbers.
    fn axis(&self, is_latitude: bool) -> Option<(Axis, usize)> {
        let starts: &[&str] = if is_latitude { &LATITUDE } else { &LONGITUDE };
        let with = |ends: &[&str]| {
            self.headers().find_map(|(at, header)| {
                let rest = starts.iter().find_map(|s| header.strip_prefix(s))?;
                ends.contains(&rest).then_some(at)
            })
        };
        let minutes = with(&MINUTES).filter(|at| self.are_parts(*at));
        let seconds = with(&SECONDS).filter(|at| self.are_parts(*at) && minutes.is_some());
        let role = if is_latitude { Role::Latitude } else { Role::Longitude };
        let with_role = || self.columns.iter().position(|c| c.role == Some(role)).or_else(|| with(&[""]));
        let degrees = match minutes {
            // Minutes beside degrees with decimals are the same angle written twice.
            Some(_) => with(&DEGREES).filter(|at| self.are_whole(*at)).or_else(with_role)?,
            None => with_role()?,
        };
        let mut columns = vec![degrees];
        if minutes.is_some() && self.are_whole(degrees) {
            columns.extend(minutes);
            columns.extend(seconds);
        }
        let parts = columns.len();
        let beside = with(&HEMISPHERE).or_else(|| self.alone(is_latitude)).or_else(|| self.next_to(&columns));
        let beside = beside.filter(|at| are_hemispheres(self.sample, *at, is_latitude) && !columns.contains(at));
        columns.extend(beside);
        let hemisphere = if beside.is_some() { None } else { self.in_header(degrees, is_latitude) };
        Some((Axis { columns, beside, hemisphere }, parts))
    }

    fn headers(&self) -> impl Iterator<Item = (usize, String)> {
        self.columns.iter().enumerate().map(|(at, c)| (at, plain(c.name())))
    }

    fn alone(&self, is_latitude: bool) -> Option<usize> {
        let words: &[&str] = if is_latitude { &NORTH_SOUTH } else { &EAST_WEST };
        self.headers().find(|(_, header)| words.contains(&header.as_str())).map(|(at, _)| at)
    }

    /// A column right behind those of the axis that is called a direction or hemisphere; the second of a name has a number.
    fn next_to(&self, columns: &[usize]) -> Option<usize> {
        let at = columns.iter().max()? + 1;
        let header = plain(self.columns.get(at)?.name());
        HEMISPHERE.contains(&header.trim_end_matches(|c: char| c.is_ascii_digit())).then_some(at)
    }

    fn values(&self, at: usize) -> Vec<String> {
        values(self.sample, at)
    }

    fn numbers(&self, at: usize) -> Option<Vec<f64>> {
        let values = self.values(at);
        let numbers: Vec<f64> = values.iter().filter_map(|t| t.replace(',', ".").parse().ok()).collect();
        (!numbers.is_empty() && numbers.len() * 10 >= values.len() * 9).then_some(numbers)
    }

    /// Whether a column holds minutes or seconds; rows with others are told one by one.
    fn are_parts(&self, at: usize) -> bool {
        self.are_mostly(at, |v| (0.0..60.0).contains(&v))
    }

    fn are_whole(&self, at: usize) -> bool {
        self.are_mostly(at, |v| v.fract() == 0.0 && v.abs() <= 360.0)
    }

    fn are_mostly(&self, at: usize, is: impl Fn(f64) -> bool) -> bool {
        self.numbers(at).is_some_and(|list| list.iter().filter(|v| is(**v)).count() * 2 >= list.len())
    }

    /// The hemisphere that a header says of numbers without a sign: `Longitude (W)`.
    fn in_header(&self, at: usize, is_latitude: bool) -> Option<char> {
        let name = self.columns.get(at)?.name();
        let words = || name.split(|c: char| !c.is_alphanumeric()).map(str::to_uppercase);
        let says = |letter: &str, word: &str| words().any(|w| w == letter || w == word);
        let (positive, negative) = match is_latitude {
            true => (says("N", "NORTH"), says("S", "SOUTH")),
            false => (says("E", "EAST"), says("W", "WEST")),
        };
        // Whatever notation they are in.
        let has_no_sign = |t: &String| !t.contains(['-', '−', 'N', 'S', 'E', 'W', 'n', 's', 'e', 'w']);
        let is_unsigned = || self.values(at).iter().all(has_no_sign);
        (negative && !positive && is_unsigned()).then_some(if is_latitude { 'S' } else { 'W' })
    }
}

/// The texts of a column that are not empty.
fn values(sample: &Rows, at: usize) -> Vec<String> {
    let array = sample.records().column(at);
    let cells = (0..sample.len()).map(|row| cell_text(array, row).trim().to_string());
    cells.filter(|t| !t.is_empty()).collect()
}

/// Whether a column says north or south, or east or west, and nothing else.
fn are_hemispheres(sample: &Rows, at: usize, is_latitude: bool) -> bool {
    let words: [&str; 4] = if is_latitude { ["N", "S", "NORTH", "SOUTH"] } else { ["E", "W", "EAST", "WEST"] };
    let values = values(sample, at);
    !values.is_empty() && values.iter().all(|v| words.contains(&v.to_uppercase().as_str()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::engine::roles_of;
    use arrow_array::{ArrayRef, StringArray};
    use basilocus_table::Batch;
    use std::sync::Arc;

    /// The angles of the first row, as texts: longitude, latitude.
    fn found(header: &str, rows: &[&str]) -> Option<(String, String)> {
        let names: Vec<&str> = header.split(',').collect();
        let rows: Vec<Vec<&str>> = rows.iter().map(|r| r.split(',').collect()).collect();
        let column = |c: usize| Arc::new(rows.iter().map(|r| Some(r[c])).collect::<StringArray>()) as ArrayRef;
        let records =
            RecordBatch::try_from_iter(names.iter().enumerate().map(|(c, n)| (n.to_string(), column(c)))).unwrap();
        let rows = Rows::read(Batch::of(records, (2..2 + rows.len() as u64).collect()).unwrap());
        let mut columns = Columns::of_source(&rows.records().schema(), false);
        roles_of(&rows).iter().enumerate().for_each(|(at, role)| columns.set_role(at, *role));
        let (x, y) = find(&columns, &rows)?;
        Some((x.text(rows.records(), 0), y.text(rows.records(), 0)))
    }

    fn pair(x: &str, y: &str) -> Option<(String, String)> {
        Some((x.into(), y.into()))
    }

    #[test]
    fn degrees_minutes_and_seconds_each_in_a_column() {
        let row = ["1,46,7,24,9,7,24", "2,46,8,0,9,10,59"];
        assert_eq!(found("id,lat_deg,lat_min,lat_sec,lon_deg,lon_min,lon_sec", &row), pair("9 7 24", "46 7 24"));
        assert_eq!(found("id,LatD,LatM,LatS,LongD,LongM,LongS", &row), pair("9 7 24", "46 7 24"));
        assert_eq!(found("id,Lat,Lat Min,Lat Sec,Lon,Lon Min,Lon Sec", &row), pair("9 7 24", "46 7 24"));
        let row = ["1,46,7.4,N,9,7.4,W"];
        assert_eq!(found("id,lat_deg,lat_min,lat_dir,lon_deg,lon_min,lon_dir", &row), pair("9 7.4 W", "46 7.4 N"));
        let row = ["1,46,7,24,9,7,24", "2,46,8,61,9,10,59"];
        assert!(found("id,lat_deg,lat_min,lat_sec,lon_deg,lon_min,lon_sec", &row).is_some(), "a row may be wrong");
    }

    #[test]
    fn a_hemisphere_beside() {
        let row = ["1,46.5,N,123.5,W", "2,46.6,N,123.6,W"];
        for header in
            ["id,lat,ns,lon,ew", "id,lat,lat_dir,lon,lon_dir", "id,lat,dir,lon,dir_2", "id,Latitude,N/S,Longitude,E/W"]
        {
            assert_eq!(found(header, &row), pair("123.5 W", "46.5 N"), "{header}");
        }
        assert_eq!(found("id,lat,side,lon,bank", &row), None, "a side of the road is no hemisphere");
        assert_eq!(found("id,lat,lat_dir,lon,lon_dir", &["1,46.5,up,123.5,down"]), None);
    }

    #[test]
    fn a_hemisphere_in_the_header() {
        assert_eq!(found("id,Latitude (N),Longitude (W)", &["1,46.5,123.5"]), pair("123.5 W", "46.5"));
        assert_eq!(found("id,Latitude (N),Longitude (W)", &["1,46.5,-123.5"]), None, "the numbers have their sign");
        assert_eq!(found("id,Latitude (N),Longitude (W)", &["1,46 30 0,123 30 0"]), pair("123 30 0 W", "46 30 0"));
        assert_eq!(found("id,Latitude (N),Longitude (W)", &["1,46 30 0 N,123 30 0 W"]), None, "they say it themselves");
        assert_eq!(found("id,Latitude (N/S),Longitude (E/W)", &["1,46.5,123.5"]), None);
    }

    #[test]
    fn what_only_looks_like_parts_is_none() {
        assert_eq!(found("id,lat,lon", &["1,46.5,-123.5"]), None);
        assert_eq!(found("id,lat,lat_min,lon,lon_min", &["1,46.5,30,-123.5,30"]), None, "degrees with decimals");
        assert_eq!(found("id,lat,lat_min,lon,lon_min", &["1,46,4650,-123,9"]), None, "the least of something");
    }
}
