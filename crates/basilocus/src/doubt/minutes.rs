//! slip-11: degrees and minutes written as decimal degrees, `46.12` for 46° 12′.
//!
//! Then no value has decimals above .5999…, however many there are. Only an axis that spans more than a degree can show
//! it: within a small area the decimals stay below .60 by themselves.

use super::{Evidence, columns, report};
use crate::report::DoubtReport;

/// The chance that so many independent values all stay below .60 is below one in a million.
const VALUES: u64 = 30;

/// An axis as it goes by.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Axis {
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
    pub fn add(&mut self, v: f64) {
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
    pub fn merge(&mut self, other: &Axis) {
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

/// Positions whose decimals look like minutes.
pub fn doubt(e: &Evidence) -> Option<DoubtReport> {
    let (x, y) = (&e.tally.x, &e.tally.y);
    if e.tally.positions < VALUES || x.above || y.above || !(x.tells() || y.tells()) {
        return None;
    }
    report(
        e,
        "slip-11",
        columns(e),
        e.tally.positions,
        format!(
            "no value of {} has decimals above .59, as if degrees and minutes were written with a point between them (46.12 for 46° 12′); ask where they come from",
            columns(e).unwrap_or_else(|| "the coordinates".into())
        ),
    )
}
