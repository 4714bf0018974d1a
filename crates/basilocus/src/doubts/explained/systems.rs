//! Any other system of the catalogue, where nothing simpler explains the numbers.

use super::{Case, Hypothesis, Numbers};
use basilocus_geodesy::crs::detect;
use basilocus_geodesy::operation::Operation;

/// Rows that the systems are found by.
const SAMPLE: usize = 60;
/// Systems that are tried.
const MOST: usize = 3;
/// Middles of the positions that are nearer to each other, in degrees, are one place.
const SAME_DEG: f64 = 0.01;

/// Adds systems in which most rows fall into the place; whether there is one.
pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) -> bool {
    let step = case.suspects.len().div_ceil(SAMPLE).max(1);
    let points: Vec<(f64, f64)> = case.suspects.iter().step_by(step).map(|p| (p[0], p[1])).collect();
    let found = detect(&points, case.area);
    // Numbers in the unit and order of the system, inside of its own area of use: others are no explanation, but a chance.
    let plain =
        found.into_iter().filter(|d| d.unit_m.is_none() && d.in_area_of_use > 0.5 && d.crs.code != case.crs.code);
    let before = out.len();
    let are_lengths = case.suspects.iter().filter(|p| p[0].abs().max(p[1].abs()) > 400.0).count() * 2 > points.len();
    // Systems that put the numbers at one place are one explanation.
    let mut middles: Vec<(f64, f64)> = Vec::new();
    for detected in plain {
        let is_new = |(lon, lat): &(f64, f64)| {
            (lon - detected.middle.0).abs() > SAME_DEG || (lat - detected.middle.1).abs() > SAME_DEG
        };
        let is_length = !detected.crs.is_geographic();
        if middles.len() == MOST || !middles.iter().all(is_new) || is_length != are_lengths {
            continue;
        }
        let Ok(way) = Operation::to_degrees(&detected.crs) else { continue };
        middles.push(detected.middle);
        let (swapped, title) = (detected.swapped, detected.crs.title());
        let order = if swapped { ", northing first" } else { "" };
        let (doubt, kind) = match case.is_geographic() && is_length {
            true => ("degrees-or-metres", "eastings and northings"),
            false => ("wrong-system", "those"),
        };
        let list = format!("`crs detect` lists those that are possible, {} among them", detected.crs.identifier());
        out.push(Hypothesis {
            doubt,
            tier: 4,
            claim: format!("the numbers look like {kind} of {title}{order}"),
            then: format!("in {title}"),
            mend: format!("say the right system with `from`; {list}"),
            place: Box::new(move |[x, y]: Numbers| {
                let [x, y] = if swapped { [y, x] } else { [x, y] };
                way.apply_one(x, y, 0.0).map(|(lon, lat, _)| [lon, lat])
            }),
        });
    }
    out.len() > before
}
