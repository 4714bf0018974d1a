//! A second pair of coordinates in a table, or beside a geometry, that says another place near the first one.

use super::first_rows::FirstRows;
use super::second_system;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use crate::compare::displacement_of;
use arrow_array::RecordBatch;
use basilocus_address::nearest::metres;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::operation::Operation;
use basilocus_table::batch::cell_text;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "other-position",
    looks_for: "a second pair of columns, of longitude and latitude or of easting and northing, that says another place, near enough to be meant as the same, or the same numbers with other signs or exchanged",
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
/// Half of the rows are moved by no less, where feet of the one kind were read as those of the other, metres.
const FEET_M: f64 = 0.3;

/// A pair of columns beside the positions.
struct Pair {
    names: [String; 2],
    places: [usize; 2],
    is_projected: bool,
    rows: Mutex<FirstRows<Row>>,
}

/// A row that was looked at.
pub(super) struct Row {
    /// The position, longitude and latitude in degrees from Greenwich.
    here: (f64, f64),
    /// The position in the numbers that it was read in.
    pub own: [f64; 2],
    /// The numbers of the other pair.
    pub other: [f64; 2],
    /// What the last digit of the finer one of them is worth.
    pub step: f64,
    /// The same of the position.
    pub own_step: f64,
}

impl Row {
    fn new(here: (f64, f64), own: [f64; 2], (other, step): ([f64; 2], f64)) -> Self {
        // The shortest texts of numbers are those that were written, or have as many digits as there can be.
        let decimals = own.map(|v| v.to_string().split_once('.').map_or(0, |(_, d)| d.len()));
        let own_step = 10f64.powi(-(decimals[0].max(decimals[1]).min(15) as i32));
        Row { here, own, other, step, own_step }
    }
}

/// What the last digits of positions are worth, metres: a few have fewer by themselves.
fn own_step_m(scene: &Scene, rows: &[&Row]) -> f64 {
    let step = second_system::step(rows.iter().map(|r| (r.own, r.own_step)));
    match scene.numbers_in.as_ref().map(|crs| &crs.horizontal().kind) {
        Some(Kind::Geographic { unit, .. }) => metres((0.0, 0.0), (0.0, step * unit.degrees)),
        Some(Kind::Projected { unit, .. }) => step * unit.metres,
        _ => 0.0,
    }
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
    let pairs_by = |axis: &dyn Fn(&str) -> Option<(bool, String)>, is_projected: bool| -> Vec<Pair> {
        let axes: Vec<(usize, &str, bool, String)> = columns
            .iter()
            .filter_map(|(at, name)| axis(name).map(|(is_northing, rest)| (*at, name.as_str(), is_northing, rest)))
            .collect();
        let eastings = axes.iter().filter(|(_, _, is_northing, _)| !is_northing);
        eastings
            .filter_map(|(x, x_name, _, rest)| {
                let (y, y_name, ..) = axes.iter().find(|(_, _, is_northing, r)| *is_northing && r == rest)?;
                Some(Pair {
                    names: [x_name.to_string(), y_name.to_string()],
                    places: [*x, *y],
                    is_projected,
                    rows: Mutex::new(FirstRows::of(LOOKED_AT)),
                })
            })
            .collect()
    };
    let mut pairs = pairs_by(&axis_of, false);
    pairs.extend(pairs_by(&projected_axis_of, true));
    (!pairs.is_empty()).then(|| Box::new(Watching(pairs)) as Box<dyn Watch>)
}

/// Whether a name says an easting or a northing, and what is left of it.
fn projected_axis_of(name: &str) -> Option<(bool, String)> {
    const WORDS: [(&str, bool); 8] = [
        ("easting", false),
        ("northing", true),
        ("rechtswert", false),
        ("hochwert", true),
        ("east", false),
        ("north", true),
        ("x", false),
        ("y", true),
    ];
    axis_by(&WORDS, name)
}

/// Whether a name says a latitude or a longitude, and what is left of it: `gps_lat` is a latitude of `gps_`.
fn axis_of(name: &str) -> Option<(bool, String)> {
    const WORDS: [(&str, bool); 6] =
        [("latitude", true), ("longitude", false), ("lat", true), ("lng", false), ("lon", false), ("long", false)];
    axis_by(&WORDS, name)
}

fn axis_by(words: &[(&str, bool)], name: &str) -> Option<(bool, String)> {
    let name = name.to_lowercase();
    words.iter().find_map(|(word, is_second)| {
        let at = name.find(word)?;
        let (before, after) = (&name[..at], &name[at + word.len()..]);
        let is_word = !before.ends_with(char::is_alphabetic) && !after.starts_with(char::is_alphabetic);
        is_word.then(|| (*is_second, format!("{before}|{after}")))
    })
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let Some((lon, lat)) = seen.degrees() else { return };
        let [x, y, _] = seen.placed();
        let records = seen.rows.records();
        for pair in &self.0 {
            let mut rows = pair.rows.lock().unwrap_or_else(PoisonError::into_inner);
            for (row, number) in seen.rows.source_rows().iter().enumerate() {
                let here = (lon[row], lat[row]);
                let is_looked_at = rows.wants(*number) && here.0.is_finite() && here.1.is_finite();
                let Some(other) = is_looked_at.then(|| pair.numbers(records, row)).flatten() else { continue };
                rows.add(*number, Row::new(here, [x[row], y[row]], other));
            }
        }
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        self.0.iter().find_map(|pair| {
            let rows = pair.rows.lock().unwrap_or_else(PoisonError::into_inner);
            let rows: Vec<&Row> = rows.iter().collect();
            if rows.len() < LEAST {
                return None;
            }
            let (apart, words) =
                if pair.is_projected { pair.of_eastings(scene, &rows)? } else { pair.of_degrees(scene, &rows)? };
            let [x, y] = &pair.names;
            Some(Finding { column: Some(format!("{x}, {y}")), rows: apart, message: words, mend: DOUBT.mend.into() })
        })
    }
}

/// How many rows were looked at and are apart, and by how much half of them are.
fn apart_words(apart: usize, rows: usize, middle: f64) -> String {
    format!(
        "{apart} of {rows} rows that were looked at are farther from their position than their digits may be wrong, half of them by more than {middle:.0} m"
    )
}

fn middle_of(distances: impl Iterator<Item = f64>) -> f64 {
    let mut distances: Vec<f64> = distances.collect();
    distances.sort_by(f64::total_cmp);
    distances.get(distances.len() / 2).copied().unwrap_or_default()
}

impl Pair {
    /// The numbers of a row, where they are such as they may be, and what the last digit of the finer one is worth.
    fn numbers(&self, records: &RecordBatch, row: usize) -> Option<([f64; 2], f64)> {
        let [x_text, y_text] = self.places.map(|at| cell_text(records.column(at), row).trim().to_string());
        let [x, y] = [x_text.parse::<f64>().ok()?, y_text.parse::<f64>().ok()?];
        let decimals = |text: &str| text.split_once('.').map_or(0, |(_, d)| d.len());
        let step = 10f64.powi(-(decimals(&x_text).max(decimals(&y_text)).min(15) as i32));
        let may_be = match self.is_projected {
            true => x.is_finite() && y.is_finite() && (x.abs() > 1000.0 || y.abs() > 1000.0),
            false => x.abs() <= 180.0 && y.abs() <= 180.0,
        };
        (may_be && [x, y] != [0.0, 0.0]).then_some(([x, y], step))
    }

    /// What there is to tell of a pair in degrees: how many rows are apart, and the words.
    fn of_degrees(&self, scene: &Scene, rows: &[&Row]) -> Option<(u64, String)> {
        let [x, y] = &self.names;
        let distance = |r: &Row| metres(r.here, r.other.into());
        // Numbers of three decimals say no more than a hundred metres.
        let own_m = own_step_m(scene, rows);
        let is_apart = |r: &&&Row| distance(r) > SAME_M.max(metres((0.0, 0.0), (0.0, r.step)) + own_m);
        let apart: Vec<&&Row> = rows.iter().filter(is_apart).collect();
        let share = |count: usize| count as f64 / rows.len() as f64;
        if apart.is_empty() || share(apart.len()) < 1.0 - SHARE {
            let words = self.in_other_feet(scene, rows)?;
            return Some((rows.len() as u64, words));
        }
        let turned = apart.iter().filter(|r| is_turned(r.here, r.other.into())).count();
        if share(turned) >= SHARE {
            let words =
                format!("columns \"{x}\" and \"{y}\" have the numbers of the positions with other signs, or exchanged");
            return Some((apart.len() as u64, words));
        }
        let middle = middle_of(apart.iter().map(|r| distance(r)));
        if middle > NEAR_M {
            return None;
        }
        let mut words =
            format!("columns \"{x}\" and \"{y}\" say another place: {}", apart_words(apart.len(), rows.len(), middle));
        if let Some(cause) = self.cause(scene, &apart.iter().map(|r| **r).collect::<Vec<_>>()) {
            words.push_str(&format!("; {cause}"));
        }
        Some((apart.len() as u64, words))
    }

    /// What would move the positions to the other pair, in words.
    fn cause(&self, scene: &Scene, rows: &[&Row]) -> Option<String> {
        let crs = scene.numbers_in.as_ref()?;
        let wgs84 = Catalogue::embedded().get(4326).ok()?;
        let way = Operation::between(crs.horizontal(), &wgs84, None).ok()?;
        let pairs = rows.iter().filter_map(|r| {
            let (lon, lat, _) = way.apply_one(r.own[0], r.own[1], 0.0)?;
            Some([[lon, lat], r.other])
        });
        let found = displacement_of(&pairs.collect::<Vec<_>>(), [crs.horizontal(), &wgs84])?;
        let [x, y] = &self.names;
        let cause = found.explained_by.first()?;
        let what =
            cause.what.replace("the first", "the positions").replace("the second", &format!("\"{x}\" and \"{y}\""));
        Some(format!("that is what this gives: {what} ({:.2} m remain)", cause.remains_m))
    }

    /// Feet of one kind that were read as those of the other: some metres at most, and far more than the digits say.
    fn in_other_feet(&self, scene: &Scene, rows: &[&Row]) -> Option<String> {
        let crs: &Crs = scene.numbers_in.as_ref()?;
        let is_in_feet =
            matches!(&crs.horizontal().kind, Kind::Projected { unit, .. } if (0.3..0.31).contains(&unit.metres));
        let middle = middle_of(rows.iter().map(|r| metres(r.here, r.other.into())));
        let digits = middle_of(rows.iter().map(|r| metres((0.0, 0.0), (0.0, r.step)))) + own_step_m(scene, rows);
        if !is_in_feet || middle < FEET_M.max(2.0 * digits) {
            return None;
        }
        let cause = self.cause(scene, rows).filter(|cause| cause.contains("feet"))?;
        let [x, y] = &self.names;
        Some(format!("columns \"{x}\" and \"{y}\" say places {middle:.2} m beside the positions; {cause}"))
    }

    /// What there is to tell of a pair of eastings and northings: they are of the system that brings them nearest.
    fn of_eastings(&self, scene: &Scene, rows: &[&Row]) -> Option<(u64, String)> {
        let crs = scene.numbers_in.as_ref()?;
        let nearest = second_system::nearest(crs, rows, NEAR_M)?;
        let limit_m = SAME_M.max(nearest.step_m + own_step_m(scene, rows));
        let is_apart = |d: &&f64| **d > limit_m;
        let apart = nearest.distances_m.iter().filter(is_apart).count();
        if apart == 0 || (apart as f64) < (1.0 - SHARE) * nearest.distances_m.len() as f64 {
            return None;
        }
        let middle = middle_of(nearest.distances_m.iter().filter(is_apart).copied());
        let [x, y] = &self.names;
        let words = format!(
            "columns \"{x}\" and \"{y}\" say another place, read in {}, which brings them nearest: {}",
            nearest.crs.title(),
            apart_words(apart, nearest.distances_m.len(), middle)
        );
        (middle <= NEAR_M).then_some((apart as u64, words))
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
        assert_eq!(projected_axis_of("UTM_Northing"), Some((true, "utm_|".into())));
        assert_eq!(projected_axis_of("x_1958"), Some((false, "|_1958".into())));
        for name in ["max", "year", "least", "northern", "type"] {
            assert_eq!(projected_axis_of(name), None, "{name}");
        }
    }
}
