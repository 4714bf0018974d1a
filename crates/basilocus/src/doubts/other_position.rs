//! A second pair of coordinates in a table, or beside a geometry, that says another place near the first one.

use super::first_rows::FirstRows;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use arrow_array::RecordBatch;
use basilocus_address::nearest::metres;
use basilocus_table::batch::cell_text;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "other-position",
    looks_for: "a second pair of columns of longitude and latitude that says another place, near enough to be meant as the same, or the same numbers with other signs or exchanged",
    example: "`lat` and `lon` of the design beside `gps_lat` and `gps_lon` of the survey, 40 m apart; a layer that was moved with its old `LAT` and `LON` still in its table",
    mend: "find out which of both is right; say its columns with `x` and `y`, and leave the others out",
    watch,
};

/// Rows that are looked at.
const LOOKED_AT: usize = 2000;
/// Fewer may be an accident.
const LEAST: usize = 2;
/// Pairs that are no farther apart are one place, metres.
const SAME_M: f64 = 15.0;
/// Pairs that are farther apart are two places, such as where from and where to, metres.
const NEAR_M: f64 = 5000.0;
/// The share of rows that says something.
const SHARE: f64 = 0.9;

/// A pair of columns beside the positions.
struct Pair {
    names: [String; 2],
    places: [usize; 2],
    rows: Mutex<FirstRows<Row>>,
}

/// A row that was looked at.
struct Row {
    /// Metres from the position.
    metres: f64,
    /// Whether it is farther than its digits may be wrong.
    is_apart: bool,
    /// Whether the numbers are the same but for signs and order.
    is_turned: bool,
}

struct Watching(Vec<Pair>);

fn watch(scene: &Scene) -> Option<Box<dyn Watch>> {
    // Matched addresses are compared with what a table says by `compare`.
    scene.numbers_in.as_ref()?;
    let used = scene.position_columns.as_ref();
    let is_used = |name: &str| used.is_some_and(|(x, y)| x == name || y == name);
    let columns: Vec<(usize, String)> = scene
        .columns
        .iter()
        .enumerate()
        .filter(|(_, c)| !c.added && !c.is_geometry() && !is_used(c.name()))
        .map(|(at, c)| (at, c.name().to_string()))
        .collect();
    let axes: Vec<(usize, &str, bool, String)> = columns
        .iter()
        .filter_map(|(at, name)| axis_of(name).map(|(is_latitude, rest)| (*at, name.as_str(), is_latitude, rest)))
        .collect();
    let longitudes = axes.iter().filter(|(_, _, is_latitude, _)| !is_latitude);
    let pairs: Vec<Pair> = longitudes
        .filter_map(|(x, x_name, _, rest)| {
            let (y, y_name, ..) = axes.iter().find(|(_, _, is_latitude, r)| *is_latitude && r == rest)?;
            Some(Pair {
                names: [x_name.to_string(), y_name.to_string()],
                places: [*x, *y],
                rows: Mutex::new(FirstRows::of(LOOKED_AT)),
            })
        })
        .collect();
    (!pairs.is_empty()).then(|| Box::new(Watching(pairs)) as Box<dyn Watch>)
}

/// Whether a name says a latitude or a longitude, and what is left of it: `gps_lat` is a latitude of `gps_`.
fn axis_of(name: &str) -> Option<(bool, String)> {
    let name = name.to_lowercase();
    let words =
        [("latitude", true), ("longitude", false), ("lat", true), ("lng", false), ("lon", false), ("long", false)];
    words.into_iter().find_map(|(word, is_latitude)| {
        let at = name.find(word)?;
        let (before, after) = (&name[..at], &name[at + word.len()..]);
        let is_word = !before.ends_with(char::is_alphabetic) && !after.starts_with(char::is_alphabetic);
        is_word.then(|| (is_latitude, format!("{before}|{after}")))
    })
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let Some((lon, lat)) = seen.degrees() else { return };
        let records = seen.rows.records();
        for pair in &self.0 {
            let mut rows = pair.rows.lock().unwrap_or_else(PoisonError::into_inner);
            for (row, number) in seen.rows.source_rows().iter().enumerate() {
                let here = (lon[row], lat[row]);
                let is_looked_at = rows.wants(*number) && here.0.is_finite() && here.1.is_finite();
                let Some((there, step)) = is_looked_at.then(|| pair.at(records, row)).flatten() else { continue };
                let distance = metres(here, there);
                // Numbers of three decimals say no more than a hundred metres.
                let is_apart = distance > SAME_M.max(metres((0.0, 0.0), (0.0, step)));
                rows.add(*number, Row { metres: distance, is_apart, is_turned: is_turned(here, there) });
            }
        }
    }

    fn finding(&self, _: &Scene, _: &Ending) -> Option<Finding> {
        self.0.iter().find_map(|pair| {
            let rows = pair.rows.lock().unwrap_or_else(PoisonError::into_inner);
            if rows.len() < LEAST {
                return None;
            }
            let share = |count: usize| count as f64 / rows.len() as f64;
            let apart = rows.iter().filter(|r| r.is_apart).count();
            if apart == 0 || share(apart) < 1.0 - SHARE {
                return None;
            }
            let turned = rows.iter().filter(|r| r.is_turned && r.is_apart).count();
            let mut distances: Vec<f64> = rows.iter().filter(|r| r.is_apart).map(|r| r.metres).collect();
            distances.sort_by(f64::total_cmp);
            let middle = distances[distances.len() / 2];
            let [x, y] = &pair.names;
            let words = if share(turned) >= SHARE {
                format!("columns \"{x}\" and \"{y}\" have the numbers of the positions with other signs, or exchanged")
            } else if middle <= NEAR_M {
                format!(
                    "columns \"{x}\" and \"{y}\" say another place: {apart} of {} rows that were looked at are farther from their position than their digits may be wrong, half of them by more than {middle:.0} m",
                    rows.len()
                )
            } else {
                return None;
            };
            Some(Finding { column: Some(format!("{x}, {y}")), rows: apart as u64, message: words, mend: DOUBT.mend.into() })
        })
    }
}

impl Pair {
    /// Longitude and latitude of a row, where they are such, and what the last digit of the finer one is worth.
    fn at(&self, records: &RecordBatch, row: usize) -> Option<((f64, f64), f64)> {
        let [x_text, y_text] = self.places.map(|at| cell_text(records.column(at), row).trim().to_string());
        let [x, y] = [x_text.parse::<f64>().ok()?, y_text.parse::<f64>().ok()?];
        let decimals = |text: &str| text.split_once('.').map_or(0, |(_, d)| d.len());
        let step = 10f64.powi(-(decimals(&x_text).max(decimals(&y_text)).min(15) as i32));
        (x.abs() <= 180.0 && y.abs() <= 180.0 && (x, y) != (0.0, 0.0)).then_some(((x, y), step))
    }
}

/// Whether numbers are the same but for signs, or their order.
fn is_turned(a: (f64, f64), b: (f64, f64)) -> bool {
    let same = |p: f64, q: f64| (p.abs() - q.abs()).abs() < 1e-4;
    same(a.0, b.0) && same(a.1, b.1) || same(a.0, b.1) && same(a.1, b.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_an_axis_leave_what_they_are_of() {
        assert_eq!(axis_of("gps_lat"), Some((true, "gps_|".into())));
        assert_eq!(axis_of("Longitude (survey)"), Some((false, "| (survey)".into())));
        assert_eq!((axis_of("lat2"), axis_of("LNG2")), (Some((true, "|2".into())), Some((false, "|2".into()))));
        for name in ["plate", "length", "along", "flat", "belong_to"] {
            assert_eq!(axis_of(name), None, "{name}");
        }
    }
}
