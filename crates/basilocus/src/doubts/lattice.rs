//! Too few digits were kept, so that points fall on a lattice.
//!
//! Degrees with three decimals or fewer stand 111 m apart, eastings that all end in two noughts a hundred metres. A grid that
//! is meant has a point at most of its places; what was rounded has points at few of them.

use super::minutes_as_decimals::Axes;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use basilocus_geodesy::crs::Kind;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "lattice",
    looks_for: "degrees all of which have three decimals or fewer, or eastings and northings that all end in two noughts or more, on both axes or on one, scattered over more places than a grid that is meant",
    example: "46.183, -123.804: the last digit is worth a hundred metres; 438300, 5116600",
    mend: "ask for the coordinates with more digits",
    watch: |scene| scene.from_columns.then(|| Box::<Watching>::default() as Box<dyn Watch>),
};

/// Fewer positions may lie on round numbers by themselves.
const POSITIONS: u64 = 30;
/// Metres of a degree of latitude.
const DEGREE_M: f64 = 111_200.0;
/// Decimals of degrees that are few.
const FEW_DECIMALS: u8 = 3;
/// Steps of numbers that end in noughts: tens are what people write who pace.
const ROUND: [f64; 3] = [10_000.0, 1_000.0, 100.0];

#[derive(Default)]
struct Watching(Mutex<Digits>);

#[derive(Default, Clone, Copy)]
struct Digits {
    degrees: Axes,
    x: RoundAxis,
    y: RoundAxis,
    positions: u64,
}

/// Eastings or northings as they go by.
#[derive(Debug, Clone, Copy)]
struct RoundAxis {
    smallest: f64,
    largest: f64,
    /// Which of the steps all of them are multiples of, from that one on in the list.
    at: usize,
}

impl Default for RoundAxis {
    fn default() -> Self {
        RoundAxis { smallest: f64::INFINITY, largest: f64::NEG_INFINITY, at: 0 }
    }
}

impl RoundAxis {
    #[inline]
    fn add(&mut self, v: f64) {
        if v.is_finite() {
            self.smallest = self.smallest.min(v);
            self.largest = self.largest.max(v);
            while ROUND.get(self.at).is_some_and(|step| v % step != 0.0) {
                self.at += 1;
            }
        }
    }

    fn merge(&mut self, other: &RoundAxis) {
        self.smallest = self.smallest.min(other.smallest);
        self.largest = self.largest.max(other.largest);
        self.at = self.at.max(other.at);
    }

    /// The step that all are multiples of, where there is one, and how far they reach.
    fn step_and_span(&self) -> (Option<f64>, f64) {
        (ROUND.get(self.at).copied(), self.largest - self.smallest)
    }
}

/// The steps of both axes, where values were rounded; of one axis alone, none for the other.
fn rounded(x: (Option<f64>, f64), y: (Option<f64>, f64), positions: u64) -> Option<[Option<f64>; 2]> {
    let places = |(step, span): (Option<f64>, f64)| step.map(|step| span / step + 1.0).filter(|p| p.is_finite());
    let positions = positions as f64;
    match (places(x), places(y)) {
        (Some(wide), Some(high)) => (positions * 2.0 <= wide * high).then_some([x.0, y.0]),
        // Lines that are meant, such as meridians, have many points each.
        (Some(places), None) => (positions < 3.0 * places).then_some([x.0, None]),
        (None, Some(places)) => (positions < 3.0 * places).then_some([None, y.0]),
        (None, None) => None,
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let is_projected =
            seen.scene().numbers_in.as_ref().is_some_and(|c| matches!(c.horizontal().kind, Kind::Projected { .. }));
        let mut part = Digits::default();
        if is_projected {
            let [x, y, _] = seen.placed();
            x.iter().for_each(|v| part.x.add(*v));
            y.iter().for_each(|v| part.y.add(*v));
            part.positions = x.iter().filter(|v| v.is_finite()).count() as u64;
        }
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.degrees.add(seen);
        all.x.merge(&part.x);
        all.y.merge(&part.y);
        all.positions += part.positions;
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let all = *self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (names, words, positions) = if all.positions >= POSITIONS {
            let steps = rounded(all.x.step_and_span(), all.y.step_and_span(), all.positions)?;
            let Kind::Projected { unit, .. } = &scene.numbers_in.as_ref()?.horizontal().kind else { return None };
            let step = steps.into_iter().flatten().fold(f64::INFINITY, f64::min);
            let words =
                format!("are multiples of {step:.0}, so the points fall on a lattice of {step:.0} {}", unit.plural());
            (columns(scene, steps), words, all.positions)
        } else {
            let axes = all.degrees;
            // Minutes behind a point have two decimals for another reason.
            if axes.look_like_minutes() || axes.positions < POSITIONS {
                return None;
            }
            let step = |(decimals, span): (u8, f64)| {
                ((decimals <= FEW_DECIMALS).then(|| 0.1f64.powi(i32::from(decimals))), span)
            };
            let mut on = [axes.x, axes.y].map(|axis| step(axis.decimals_and_span()));
            // Of two that are rounded the finer one says it: a value may end in nought by itself.
            if let [(Some(x), _), (Some(y), _)] = on {
                on.iter_mut().for_each(|(step, _)| *step = Some(x.min(y)));
            }
            let steps = rounded(on[0], on[1], axes.positions)?;
            let step = steps.into_iter().flatten().fold(f64::INFINITY, f64::min);
            let decimals = -step.log10().round() as i32;
            let words = format!(
                "have {decimals} decimals at most, so the points fall on a lattice of {:.0} m",
                step * DEGREE_M
            );
            (columns(scene, steps), words, axes.positions)
        };
        let told = names.clone().unwrap_or_else(|| "the coordinates".into());
        Some(Finding {
            column: names,
            rows: positions,
            message: format!("all values of {told} {words}"),
            mend: DOUBT.mend.into(),
        })
    }
}

/// The columns of the axes that were rounded.
fn columns(scene: &Scene, steps: [Option<f64>; 2]) -> Option<String> {
    let (x, y) = scene.position_columns.as_ref()?;
    match steps {
        [Some(_), None] => Some(x.clone()),
        [None, Some(_)] => Some(y.clone()),
        _ => scene.columns_of_positions(),
    }
}
