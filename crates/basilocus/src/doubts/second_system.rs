//! The system in which a second pair of numbers lies nearest to positions that are known.

use super::other_position::Row;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::operation::Operation;

/// Rows that systems are tried on.
const SAMPLE: usize = 50;

/// The nearest one.
pub(super) struct Nearest {
    pub crs: Crs,
    /// Metres between each position and the other pair.
    pub distances_m: Vec<f64>,
    /// What the last digit of the numbers is worth, metres.
    pub step_m: f64,
}

/// The projected system of the catalogue that brings the other numbers of the rows nearest to their positions, which are in
/// numbers of `crs`; none where no system brings half of them nearer than a limit.
pub(super) fn nearest(crs: &Crs, rows: &[&Row], limit_m: f64) -> Option<Nearest> {
    let sample: Vec<&Row> = rows.iter().step_by(rows.len().div_ceil(SAMPLE)).copied().collect();
    let degrees = Operation::to_degrees(crs.horizontal()).ok()?;
    let [x, y] = sample.get(sample.len() / 2)?.own;
    let (lon, lat, _) = degrees.apply_one(x, y, 0.0)?;
    let catalogue = Catalogue::embedded();
    let all = catalogue.codes().filter_map(|code| catalogue.get(code).ok());
    let is_there = |c: &Crs| matches!(c.kind, Kind::Projected { .. }) && c.area.contains(lon, lat);
    let mut best: Option<(f64, Nearest)> = None;
    for other in all.filter(is_there) {
        let Kind::Projected { unit, .. } = &other.kind else { continue };
        let metres = unit.metres;
        let Ok(way) = Operation::between(crs.horizontal(), &other, None) else { continue };
        let distance = |row: &&Row| {
            let (x, y, _) = way.apply_one(row.own[0], row.own[1], 0.0)?;
            Some((x - row.other[0]).hypot(y - row.other[1]) * metres)
        };
        // Most systems are far off at the first row.
        if !sample.first().and_then(distance).is_some_and(|d| d <= limit_m * 4.0) {
            continue;
        }
        let distances_m: Vec<f64> = sample.iter().filter_map(distance).collect();
        let mut sorted = distances_m.clone();
        sorted.sort_by(f64::total_cmp);
        let Some(middle) = sorted.get(sorted.len() / 2).copied().filter(|m| *m <= limit_m) else { continue };
        if best.as_ref().is_none_or(|(least, _)| middle < *least) {
            let step_m = step(sample.iter().map(|r| (r.other, r.step))) * metres;
            best = Some((middle, Nearest { crs: other, distances_m, step_m }));
        }
    }
    best.map(|(_, nearest)| nearest)
}

/// What the last digit of pairs of numbers is worth, each with what its decimals say: of whole ones that all end in noughts,
/// what these are.
pub(super) fn step(pairs: impl Iterator<Item = ([f64; 2], f64)> + Clone) -> f64 {
    let finest = pairs.clone().map(|(_, step)| step).fold(1.0, f64::min);
    let rounded = |step: &f64| pairs.clone().flat_map(|(pair, _)| pair).all(|v| v % step == 0.0);
    [10_000.0, 1000.0, 100.0, 10.0].into_iter().find(rounded).filter(|_| finest >= 1.0).unwrap_or(finest)
}
