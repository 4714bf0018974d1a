//! What a displacement is: a constant shift, a turn and scale, and what would give just that.

use super::causes::{self, Cause};
use super::{Pair, Side};
use crate::Error;
use crate::drawing::comparison::SAME_M;
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::Geodesic;
use serde::Serialize;

/// Pairs that are looked at.
const SAMPLE: usize = 500;
/// Below that many rows a shift may be chance.
const LEAST_ROWS: usize = 3;
/// A shift is constant where what remains of most rows is no more than that share of it.
const CONSTANT: f64 = 0.2;
/// A cause explains rows of which no more than that share of the displacement remains.
const EXPLAINED: f64 = 0.08;
/// Causes that leave as much, within that factor, are named together.
const EQUAL: f64 = 1.3;
/// As many are named.
const NAMED: usize = 3;

/// What the rows that moved have in common.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Displacement {
    /// Rows that are not at the same place.
    pub moved: u64,
    /// The shift that they have in common, if there is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub shift: Option<Shift>,
    /// A turn and scale that they have in common, if there is no shift alone.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turned: Option<Turned>,
    /// What would give just that displacement, what leaves least first.
    pub explained_by: Vec<Explained>,
}

/// A constant shift, from the first to the second.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Shift {
    /// How far, metres.
    pub distance_m: f64,
    /// Which way, degrees clockwise from north.
    pub azimuth_deg: f64,
    /// 68 % of the rows are within so many metres of it.
    pub spread_m: f64,
}

/// A similarity between both, around the middle of the rows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Turned {
    /// Turn from the first to the second, degrees clockwise.
    pub turn_deg: f64,
    /// Lengths in the second over lengths in the first.
    pub scale: f64,
    /// Median of what remains, metres.
    pub remains_m: f64,
}

/// What would give a displacement.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Explained {
    /// What seems to have happened.
    pub what: String,
    /// What to do.
    pub mend: String,
    /// Rows of those looked at that it brings to their other place.
    pub share: f64,
    /// Median of what remains, metres.
    pub remains_m: f64,
}

/// Looks for what rows that moved have in common; `None` where too few did.
///
/// # Errors
/// Where a system has no way to degrees.
pub(super) fn of(pairs: &[Pair], sides: &[Side; 2]) -> Result<Option<Displacement>, Error> {
    let moved: Vec<&Pair> = pairs.iter().filter(|p| p.distance_m >= SAME_M).collect();
    if moved.len() < LEAST_ROWS {
        return Ok(None);
    }
    let sample: Vec<&Pair> = moved.iter().step_by(moved.len().div_ceil(SAMPLE)).copied().collect();
    let geodesic = Geodesic::new(&Ellipsoid::wgs84());
    let vectors: Vec<[f64; 2]> = sample.iter().map(|p| vector(&geodesic, p.a, p.b)).collect();
    let middle = [0, 1].map(|i| median(vectors.iter().map(|v| v[i])));
    let rest: Vec<f64> = vectors.iter().map(|v| (v[0] - middle[0]).hypot(v[1] - middle[1])).collect();
    let distance = middle[0].hypot(middle[1]);
    let is_constant = quantile(rest.clone(), 0.68) <= CONSTANT * distance;
    let shift = is_constant.then(|| Shift {
        distance_m: distance,
        azimuth_deg: middle[0].atan2(middle[1]).to_degrees().rem_euclid(360.0),
        spread_m: quantile(rest, 0.68),
    });
    let usual = median(sample.iter().map(|p| p.distance_m));
    let explained_by = explained(&causes::all(&sample, sides, is_constant)?, &sample, &geodesic, usual);
    let turned = if shift.is_none() && explained_by.is_empty() { turned(&geodesic, &sample, usual) } else { None };
    let told = shift.is_some() || turned.is_some() || !explained_by.is_empty();
    Ok(told.then_some(Displacement { moved: moved.len() as u64, shift, turned, explained_by }))
}

/// Metres to the east and to the north.
fn vector(geodesic: &Geodesic, from: [f64; 2], to: [f64; 2]) -> [f64; 2] {
    let line = geodesic.inverse(from[0], from[1], to[0], to[1]);
    let (sin, cos) = line.azimuth_deg.to_radians().sin_cos();
    [line.distance_m * sin, line.distance_m * cos]
}

fn explained(causes: &[Cause], sample: &[&Pair], geodesic: &Geodesic, usual: f64) -> Vec<Explained> {
    let mut found: Vec<(f64, Explained)> = Vec::new();
    for cause in causes {
        let remains = sample.iter().enumerate().map(|(i, pair)| {
            let there = if cause.side == 0 { pair.b } else { pair.a };
            match (cause.place)(cause.numbers[i]) {
                Some(p) => geodesic.inverse(p[0], p[1], there[0], there[1]).distance_m,
                None => f64::INFINITY,
            }
        });
        let remains: Vec<f64> = remains.collect();
        let limits = sample.iter().map(|p| p.distance_m * EXPLAINED);
        let within = remains.iter().zip(limits).filter(|(r, limit)| *r <= limit).count();
        let share = within as f64 / sample.len() as f64;
        let remains_m = median(remains.iter().copied());
        // Most rows, and the usual one of them: a cause of a few is none of the displacement.
        if share >= 0.75 && remains_m <= usual * EXPLAINED {
            let explained = Explained { what: cause.what.clone(), mend: cause.mend.clone(), share, remains_m };
            found.push((remains_m, explained));
        }
    }
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    // What leaves a millimetre is as good as what leaves none.
    let best = found.first().map_or(0.0, |f| f.0).max(SAME_M);
    found.into_iter().filter(|f| f.0 <= best * EQUAL).take(NAMED).map(|f| f.1).collect()
}

/// A turn and scale in the plane of metres around the middle, where these leave much less than a shift.
fn turned(geodesic: &Geodesic, sample: &[&Pair], usual: f64) -> Option<Turned> {
    if sample.len() < 4 {
        return None;
    }
    let origin = [0, 1].map(|i| median(sample.iter().map(|p| p.a[i])));
    let plane = |p: [f64; 2]| vector(geodesic, origin, p);
    let pairs: Vec<([f64; 2], [f64; 2])> = sample.iter().map(|p| (plane(p.a), plane(p.b))).collect();
    let n = pairs.len() as f64;
    let sums = pairs.iter().fold([0.0; 4], |s, (a, b)| [s[0] + a[0], s[1] + a[1], s[2] + b[0], s[3] + b[1]]);
    let [ax, ay, bx, by] = sums.map(|s| s / n);
    // Least squares of b = (c, d; -d, c) a about the means.
    let (mut c, mut d, mut size) = (0.0, 0.0, 0.0);
    for (a, b) in &pairs {
        let (x, y, u, v) = (a[0] - ax, a[1] - ay, b[0] - bx, b[1] - by);
        c += x * u + y * v;
        d += y * u - x * v;
        size += x * x + y * y;
    }
    if size <= 0.0 {
        return None;
    }
    let (c, d) = (c / size, d / size);
    let remains = pairs.iter().map(|(a, b)| {
        let (x, y) = (a[0] - ax, a[1] - ay);
        (c * x + d * y + bx - b[0]).hypot(c * y - d * x + by - b[1])
    });
    let remains_m = median(remains);
    let turned = Turned { turn_deg: d.atan2(c).to_degrees(), scale: c.hypot(d), remains_m };
    (remains_m <= usual * EXPLAINED).then_some(turned)
}

fn median(numbers: impl Iterator<Item = f64>) -> f64 {
    quantile(numbers.collect(), 0.5)
}

fn quantile(mut numbers: Vec<f64>, share: f64) -> f64 {
    numbers.sort_by(f64::total_cmp);
    numbers.get(((numbers.len() as f64 - 1.0) * share).round() as usize).copied().unwrap_or(f64::NAN)
}

#[cfg(test)]
mod tests;
