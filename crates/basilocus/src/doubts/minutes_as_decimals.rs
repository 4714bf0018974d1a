//! Degrees and minutes written as decimal degrees, `46.12` for 46° 12′.
//!
//! Then no value has decimals above .5999…, however many there are. Only an axis that spans more than a degree can show
//! it: within a small area the decimals stay below .60 by themselves.

use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "minutes-as-decimals",
    looks_for: "degrees none of which has decimals above .59, over more than a degree of country",
    example: "46.12 for 46° 12′, which is 46.2°",
    mend: "ask where the coordinates come from; as degrees and minutes, write them with a blank or a sign between them",
    watch: |scene| scene.from_columns.then(|| Box::<WatchAxes>::default() as Box<dyn Watch>),
};

/// The chance that so many independent values all stay below .60 is below one in a million.
const VALUES: u64 = 30;

/// An axis as it goes by.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Axis {
    smallest: f64,
    largest: f64,
    /// Whether a value had decimals of .60 or above.
    above: bool,
    /// Which minutes occurred, a bit each.
    minutes: u64,
    /// Decimals of the value that has most; 4 stands for all that are more.
    decimals: u8,
}

impl Default for Axis {
    fn default() -> Self {
        Axis { smallest: f64::INFINITY, largest: f64::NEG_INFINITY, above: false, minutes: 0, decimals: 0 }
    }
}

impl Axis {
    /// Counts a value.
    #[inline]
    pub(crate) fn add(&mut self, v: f64) {
        let magnitude = v.abs();
        self.smallest = self.smallest.min(v);
        self.largest = self.largest.max(v);
        // A hair for the binary form of decimals such as .60.
        let hundredths = (magnitude.fract() * 100.0 + 1e-7) as u64;
        self.above |= hundredths >= 60;
        self.minutes |= 1 << hundredths.min(63);
        while self.decimals < 4 && !is_whole(magnitude * [1.0, 10.0, 100.0, 1000.0][usize::from(self.decimals)]) {
            self.decimals += 1;
        }
    }

    /// Adds another part's counts.
    pub(crate) fn merge(&mut self, other: &Axis) {
        self.smallest = self.smallest.min(other.smallest);
        self.largest = self.largest.max(other.largest);
        self.above |= other.above;
        self.minutes |= other.minutes;
        self.decimals = self.decimals.max(other.decimals);
    }

    /// Decimals of the value that has most, 4 for all that are more; and how far the values reach.
    pub(super) fn decimals_and_span(&self) -> (u8, f64) {
        (self.decimals, self.largest - self.smallest)
    }

    /// Whether it spans enough to show the slip.
    fn tells(&self) -> bool {
        self.largest - self.smallest > 1.5 && self.minutes.count_ones() >= 12
    }
}

/// Whether a value is a whole number, but for its binary form.
fn is_whole(v: f64) -> bool {
    (v - v.round()).abs() < 1e-7
}

/// The two axes of a layer.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Axes {
    pub x: Axis,
    pub y: Axis,
    pub positions: u64,
}

impl Axes {
    pub(super) fn add(&mut self, seen: &Seen) {
        if let Some((x, y)) = seen.axes() {
            self.x.merge(&x);
            self.y.merge(&y);
            self.positions += seen.rows.len() as u64;
        }
    }

    /// Whether decimals look like minutes.
    pub(super) fn look_like_minutes(&self) -> bool {
        self.positions >= VALUES && !self.x.above && !self.y.above && (self.x.tells() || self.y.tells())
    }
}

#[derive(Default)]
struct WatchAxes(Mutex<Axes>);

impl Watch for WatchAxes {
    fn rows(&self, seen: &Seen) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).add(seen);
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let axes = *self.0.lock().unwrap_or_else(PoisonError::into_inner);
        axes.look_like_minutes().then(|| Finding {
            column: scene.columns_of_positions(),
            rows: axes.positions,
            message: format!(
                "no value of {} has decimals above .59, as if degrees and minutes were written with a point between them (46.12 for 46° 12′)",
                scene.columns_of_positions().unwrap_or_else(|| "the coordinates".into())
            ),
            mend: "ask where they come from".into(),
        })
    }
}
