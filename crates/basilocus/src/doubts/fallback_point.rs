//! Many rows at one same point: where a program puts what it does not find.

use super::empty_point::stands_for_none;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use foldhash::fast::RandomState;
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "fallback-point",
    looks_for: "one position that many rows have, where nearly all others are different from each other",
    example: "412 of 5,000 addresses at the middle of their county, which stands for \"not found\"",
    mend: "look at these rows; where the point stands for no position, take it out",
    watch: |scene| scene.numbers_in.is_some().then(|| Box::new(Watching::default()) as Box<dyn Watch>),
};

/// Rows at one point, fewer may be a house with many flats.
const LEAST: u64 = 10;
/// A share of all rows.
const SHARE: f64 = 0.02;
/// Rows at the point, over those at the next one.
const TIMES: u64 = 8;
/// Rows that have a position of their own, a share.
const DIFFERENT: f64 = 0.5;

/// Positions with how many rows have them: of the first rows all, of the others a part that their numbers decide.
#[derive(Default)]
struct Watching(Mutex<Counts>);

type Counts = HashMap<[u64; 2], u64, RandomState>;

/// Whether a row is looked at: all of the first hundred thousand, then one of 64, then one of 4096.
fn is_looked_at(row: u64) -> bool {
    let mixed = row.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 40;
    match row {
        0..=100_000 => true,
        100_001..=10_000_000 => mixed.is_multiple_of(64),
        _ => mixed.is_multiple_of(4096),
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let [x, y, _] = seen.placed();
        let numbers = seen.rows.source_rows().iter().enumerate().filter(|(_, row)| is_looked_at(**row));
        let places =
            numbers.map(|(i, _)| [x[i], y[i]]).filter(|p| p.iter().all(|v| v.is_finite()) && !stands_for_none(*p));
        let keys: Vec<[u64; 2]> = places.map(|p| p.map(f64::to_bits)).collect();
        let mut counts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        keys.into_iter().for_each(|key| *counts.entry(key).or_default() += 1);
    }

    fn finding(&self, scene: &Scene, end: &Ending) -> Option<Finding> {
        let counts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (rows, [x, y]) = heap(&counts)?;
        let about = if end.ledger.rows_in > 100_000 { ", of a part of the rows," } else { "" };
        Some(Finding {
            column: scene.columns_of_positions(),
            rows,
            message: format!(
                "{rows} rows{about} are at one point, {x}, {y}, and nearly all others at points of their own: it may stand for positions that were not found"
            ),
            mend: DOUBT.mend.into(),
        })
    }
}

/// The point that stands out, and how many rows it has.
fn heap(counts: &Counts) -> Option<(u64, [f64; 2])> {
    let all: u64 = counts.values().sum();
    let (point, most) = counts.iter().max_by_key(|(key, n)| (**n, **key))?;
    let next = counts.iter().filter(|(key, _)| *key != point).map(|(_, n)| *n).max()?;
    let others = all - most;
    let stands_out = *most >= LEAST && *most as f64 >= SHARE * all as f64 && *most >= TIMES * next;
    let are_different = (counts.len() - 1) as f64 >= DIFFERENT * others as f64 && others >= LEAST;
    (stands_out && are_different).then(|| (*most, point.map(f64::from_bits)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(places: impl IntoIterator<Item = (f64, f64)>) -> Option<u64> {
        let mut counts = Counts::default();
        places.into_iter().for_each(|(x, y)| *counts.entry([x.to_bits(), y.to_bits()]).or_default() += 1);
        heap(&counts).map(|h| h.0)
    }

    #[test]
    fn a_heap_stands_out_among_points_of_their_own() {
        let spread = |n: u32| (0..n).map(|i| (f64::from(i) * 0.01, f64::from(i * 7 % 13)));
        let heap = |n: usize| std::iter::repeat_n((-98.5, 39.8), n);
        assert_eq!(of(spread(300).chain(heap(20))), Some(20));
        assert_eq!(of(spread(300)), None);
        assert_eq!(of(spread(3000).chain(heap(20))), None, "too few of so many");
        // Postcodes, of which many towns share one.
        let towns = (0..300).map(|i| (f64::from(i / 6), 1.0));
        assert_eq!(of(towns.chain(heap(20))), None);
        // Events at stations; all at one place.
        assert_eq!(of((0..300).map(|i| (f64::from(i % 9), 2.0))), None);
        assert_eq!(of(heap(40)), None);
    }

    #[test]
    fn of_very_many_rows_a_part_is_looked_at() {
        let share =
            |from: u64, rows: u64| (from..from + rows).filter(|r| is_looked_at(*r)).count() as f64 / rows as f64;
        assert_eq!(share(0, 100_000), 1.0);
        assert!((share(1_000_000, 640_000) * 64.0 - 1.0).abs() < 0.05);
        assert!((share(20_000_000, 4_096_000) * 4096.0 - 1.0).abs() < 0.2);
    }
}
