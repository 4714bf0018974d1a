//! Positions of a grid along the axes.
//!
//! Along each axis the values of a grid lie in narrow heaps, and the heaps a whole number of steps apart. How narrow is not
//! known beforehand (coordinates are rounded, or carry noise), so that wider and wider gaps are tried to part the heaps,
//! until steps appear. Rounded coordinates of scattered points have steps too, but their cells are empty and points have
//! no neighbours a step away: that tells them apart.

use crate::RectifiedGrid;
use std::collections::HashMap;

/// A grid that positions are.
#[derive(Debug, Clone, PartialEq)]
pub struct Lattice {
    /// Where its heights stand.
    pub frame: RectifiedGrid,
    /// Positions farther than this share of a step from the nearest one of the grid are off it.
    pub tolerance: f64,
    /// The farthest that one on it is, as a share of a step.
    pub farthest: f64,
    /// How many are off it.
    pub off: u64,
    /// Positions of the grid at which none stands.
    pub empty: u64,
    /// Positions beyond the first at one of the grid.
    pub repeated: u64,
}

impl Lattice {
    /// Column and row of a position, where it is on the grid.
    pub fn place(&self, x: f64, y: f64) -> Option<(usize, usize)> {
        let (column, row) = self.frame.place(x, y);
        let on = |at: f64, count: usize| {
            let near = at.round();
            ((at - near).abs() <= self.tolerance && near >= 0.0 && near < count as f64).then_some(near as usize)
        };
        Some((on(column, self.frame.columns)?, on(row, self.frame.rows)?))
    }
}

/// Positions farther than this share of a step from the grid are off it unless said.
pub const TOLERANCE: f64 = 0.1;
/// The share of positions that have to be on the grid.
const MOST: f64 = 0.9;
/// The largest grid that is taken for one: steps that some points have by chance make grids of no end.
pub(crate) const LARGEST: f64 = 4e9;
/// The share of positions that have a neighbour a step away, where many cells are empty.
const WITH_NEIGHBOUR: f64 = 0.6;
/// Cells as full as this need no such look.
const FULL: f64 = 0.5;

/// The grid whose steps the values along both axes are; or why there is none, in words.
///
/// # Errors
/// Why the values are no steps.
pub fn frame_of_steps(x: &Different, y: &Different, tolerance: Option<f64>) -> Result<RectifiedGrid, String> {
    let tolerance = tolerance.unwrap_or(TOLERANCE);
    let axis = |values: &Different| (!values.is_too_many).then(|| Axis::of(&values.sorted(), tolerance)).flatten();
    frame_of(axis(x), axis(y))
}

/// The grid whose steps both axes have.
pub(crate) fn frame_of(along_x: Option<Axis>, along_y: Option<Axis>) -> Result<RectifiedGrid, String> {
    let (Some(along_x), Some(along_y)) = (along_x, along_y) else {
        return Err("along an axis, positions have no common step".into());
    };
    let (columns, rows) = (along_x.count(), along_y.count());
    if columns * rows > LARGEST {
        return Err(format!(
            "their steps of {} and {} would make {columns} columns and {rows} rows",
            along_x.step, along_y.step
        ));
    }
    Ok(RectifiedGrid {
        west: along_x.first,
        north: along_y.first + along_y.step * (rows - 1.0),
        step_x: along_x.step,
        step_y: along_y.step,
        columns: columns as usize,
        rows: rows as usize,
    })
}

/// How positions lie on a grid, counted one by one.
#[derive(Debug, Clone)]
pub struct Tally {
    lattice: Lattice,
    positions: u64,
    on: u64,
}

impl Tally {
    /// For a grid; `tolerance` is the share of a step that a position may be off.
    pub fn new(frame: RectifiedGrid, tolerance: f64) -> Self {
        let lattice = Lattice { frame, tolerance, farthest: 0.0, off: 0, empty: 0, repeated: 0 };
        Tally { lattice, positions: 0, on: 0 }
    }

    /// Counts a position: its column and row, where it is on the grid. One that is not finite has no part in it.
    pub fn place(&mut self, x: f64, y: f64) -> Option<(usize, usize)> {
        if !(x.is_finite() && y.is_finite()) {
            return None;
        }
        self.positions += 1;
        let Some((column, row)) = self.lattice.place(x, y) else {
            self.lattice.off += 1;
            return None;
        };
        let at = self.lattice.frame.place(x, y);
        let off = (at.0 - column as f64).abs().max((at.1 - row as f64).abs());
        self.lattice.farthest = self.lattice.farthest.max(off);
        self.on += 1;
        Some((column, row))
    }

    /// The lattice that the positions are, once all were counted, by how many of its cells have one and which share of these
    /// has a neighbour in its row.
    ///
    /// # Errors
    /// Why they are none, in words.
    pub fn judged(mut self, filled: u64, with_neighbour: impl FnOnce() -> f64) -> Result<Lattice, String> {
        let frame = self.lattice.frame;
        self.lattice.repeated = self.on - filled;
        self.lattice.empty = frame.cells() as u64 - filled;
        if !is_most(self.on, self.positions) {
            return Err(format!(
                "{} of {} positions are off the steps of the others",
                self.lattice.off, self.positions
            ));
        }
        if is_of_rounded_numbers(filled, frame.cells() as u64, with_neighbour) {
            let share = 100.0 * filled as f64 / frame.cells() as f64;
            return Err(format!(
                "their steps of {} and {} are those of rounded numbers: {share:.1} % of such cells have a position, and few have a neighbour",
                frame.step_x, frame.step_y
            ));
        }
        Ok(self.lattice)
    }
}

/// Whether enough of the positions are on a grid.
pub(crate) fn is_most(on: u64, positions: u64) -> bool {
    on as f64 >= MOST * positions as f64
}

/// Whether the steps are those of rounded numbers, by how many cells have a position and which share of these has a neighbour.
pub(crate) fn is_of_rounded_numbers(filled: u64, cells: u64, with_neighbour: impl FnOnce() -> f64) -> bool {
    (filled as f64) < FULL * cells as f64 && with_neighbour() < WITH_NEIGHBOUR
}

/// The steps of the values along an axis.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Axis {
    first: f64,
    last: f64,
    step: f64,
}

impl Axis {
    fn count(&self) -> f64 {
        ((self.last - self.first) / self.step).round() + 1.0
    }

    /// The steps of values in their order, each with how often it is there; `None` where they have none.
    pub(crate) fn of(sorted: &[(f64, usize)], tolerance: f64) -> Option<Self> {
        let (first, last) = (sorted.first()?.0, sorted.last()?.0);
        let count = sorted.iter().map(|(_, count)| count).sum();
        let range = last - first;
        if !(range > 0.0) {
            return None;
        }
        // The gap that parts heaps: from what rounding costs up to a quarter of the whole.
        let smallest = (range * 1e-12).max(last.abs().max(first.abs()) * 1e-14);
        let mut gap = smallest;
        while gap < range / 4.0 {
            let heaps = heaps(sorted, gap);
            if let Some(axis) = Axis::of_heaps(&heaps, count, tolerance) {
                return Some(axis);
            }
            gap *= 4.0;
        }
        // Two columns alone.
        let heaps = heaps(sorted, range / 2.0);
        let width = heaps.iter().map(|h| h.high - h.low).fold(0.0, f64::max);
        let [a, b] = heaps[..] else { return None };
        (width <= tolerance * (b.mean - a.mean)).then_some(Axis { first: a.mean, last: b.mean, step: b.mean - a.mean })
    }

    fn of_heaps(heaps: &[Heap], values: usize, tolerance: f64) -> Option<Self> {
        if heaps.len() < 3 {
            return None;
        }
        // Most gaps are one step; empty columns make some larger, positions off the grid some smaller. These stand alone,
        // so that a gap counts as many times as the smaller of its heaps has values.
        let gap = |w: &[Heap]| (w[1].mean - w[0].mean, w[0].count.min(w[1].count));
        let mut gaps: Vec<(f64, usize)> = heaps.windows(2).map(gap).collect();
        gaps.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        let half = gaps.iter().map(|g| g.1).sum::<usize>() / 2;
        let mut passed = 0;
        let step = gaps.iter().find(|g| {
            passed += g.1;
            passed > half
        })?;
        let step = step.0;
        let origin = heaps.iter().max_by_key(|h| h.count)?.mean;
        let (step, origin) = fitted(heaps, step, origin, tolerance)?;
        let on = |h: &&Heap| {
            let at = (h.mean - origin) / step;
            let half = (h.high - h.low) / 2.0 / step;
            (at - at.round()).abs() + half <= tolerance
        };
        let good: Vec<&Heap> = heaps.iter().filter(on).collect();
        let count: usize = good.iter().map(|h| h.count).sum();
        if (count as f64) < MOST * values as f64 || good.len() < 2 {
            return None;
        }
        let at = |h: &Heap| origin + ((h.mean - origin) / step).round() * step;
        Some(Axis { first: at(good[0]), last: at(good[good.len() - 1]), step })
    }
}

/// Step and origin that fit the heaps best, weighted by their values, from a first guess: twice, as the guess may put far
/// heaps a step aside.
fn fitted(heaps: &[Heap], step: f64, origin: f64, tolerance: f64) -> Option<(f64, f64)> {
    let (mut step, mut origin) = (step, origin);
    let mut reach = 16.0;
    let farthest = heaps.iter().map(|h| ((h.mean - origin) / step).abs()).fold(0.0, f64::max);
    loop {
        let (mut n, mut sk, mut sx, mut skk, mut skx) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for heap in heaps {
            let at = (heap.mean - origin) / step;
            let k = at.round();
            // A step that is off by little puts far heaps off by much: they join once near ones have mended it.
            if k.abs() > reach || (at - k).abs() > 2.0 * tolerance {
                continue;
            }
            let w = heap.count as f64;
            let x = heap.mean - origin;
            n += w;
            sk += w * k;
            sx += w * x;
            skk += w * k * k;
            skx += w * k * x;
        }
        let spread = n * skk - sk * sk;
        if !(spread > 0.0) {
            return None;
        }
        let mended = (n * skx - sk * sx) / spread;
        let shift = (sx - mended * sk) / n;
        if !(mended > 0.0) {
            return None;
        }
        step = mended;
        origin += shift;
        if reach > farthest {
            // Steps are round numbers far more often than not; one that fits as well is the one that is meant.
            return Some(rounded(step, origin, farthest));
        }
        reach *= 4.0;
    }
}

/// The roundest step that moves no heap by more than rounding would, with the origin on a multiple where that is so too.
fn rounded(step: f64, origin: f64, farthest: f64) -> (f64, f64) {
    let may_move = 1e-3 * step / (farthest + 1.0);
    for digits in 0..15 {
        let unit = 10f64.powi(step.log10().floor() as i32 - digits);
        let round = (step / unit).round() * unit;
        // 0.3 is not three times 0.1 in binary.
        let round: f64 = format!("{round:.15e}").parse().unwrap_or(round);
        let shown: f64 = format!("{:.*}", 15, round).parse().unwrap_or(round);
        if (shown - step).abs() <= may_move {
            return (shown, snapped(origin, shown));
        }
    }
    (step, origin)
}

/// The origin, on a whole number of tenths of a step where it is one but for what the mean of many values costs.
fn snapped(origin: f64, step: f64) -> f64 {
    let tenth = step / 10.0;
    let near = (origin / tenth).round() * tenth;
    if (near - origin).abs() <= 1e-6 * step { near } else { origin }
}

/// Values that lie together.
#[derive(Debug, Clone, Copy)]
struct Heap {
    low: f64,
    high: f64,
    mean: f64,
    count: usize,
}

/// Values that are kept apart: with more, they are no columns and rows, and are sorted one by one.
const MOST_DIFFERENT: usize = 1 << 20;

/// The different values of a coordinate with how often each is there, as they come by. A grid of millions of positions has
/// thousands of them.
#[derive(Debug, Default)]
pub struct Different {
    counts: HashMap<u64, usize, foldhash::fast::FixedState>,
    is_too_many: bool,
}

impl Different {
    /// Counts values; those that are not finite have no part in it.
    pub fn add(&mut self, values: &[f64]) {
        for run in values.chunk_by(|a, b| a == b).filter(|run| run[0].is_finite()) {
            if self.is_too_many {
                return;
            }
            // Nought has two forms.
            self.join((run[0] + 0.0).to_bits(), run.len());
        }
    }

    /// Adds what another part has.
    pub fn merge(&mut self, other: Different) {
        self.is_too_many |= other.is_too_many;
        for (bits, count) in other.counts {
            if self.is_too_many {
                return;
            }
            self.join(bits, count);
        }
    }

    fn join(&mut self, bits: u64, count: usize) {
        *self.counts.entry(bits).or_default() += count;
        if self.counts.len() > MOST_DIFFERENT {
            self.is_too_many = true;
            self.counts = HashMap::default();
        }
    }

    fn sorted(&self) -> Vec<(f64, usize)> {
        let mut sorted: Vec<(f64, usize)> = self.counts.iter().map(|(b, n)| (f64::from_bits(*b), *n)).collect();
        sorted.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        sorted
    }
}

/// The values that are numbers in their order, each once with how often it is there; of too many different ones each by
/// itself.
pub(crate) fn different(values: &[f64]) -> Vec<(f64, usize)> {
    let mut different = Different::default();
    different.add(values);
    if !different.is_too_many {
        return different.sorted();
    }
    let mut sorted: Vec<(f64, usize)> = values.iter().filter(|v| v.is_finite()).map(|v| (*v, 1)).collect();
    sorted.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
    sorted
}

/// Parts sorted values, each with how often it is there, where two are farther apart than `gap`.
fn heaps(sorted: &[(f64, usize)], gap: f64) -> Vec<Heap> {
    let heap = |values: &[(f64, usize)]| {
        let (low, high) = (values[0].0, values[values.len() - 1].0);
        let count = values.iter().map(|(_, count)| count).sum();
        let mean = low + values.iter().map(|(v, n)| (v - low) * *n as f64).sum::<f64>() / count as f64;
        Heap { low, high, mean, count }
    };
    sorted.chunk_by(|a, b| b.0 - a.0 <= gap).map(heap).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spacing::{Spacing, spacing};
    use proptest::prelude::*;

    /// Numbers that look scattered and are the same every time.
    fn noise(i: usize) -> f64 {
        ((i as f64 * 12.9898).sin() * 43758.5453).rem_euclid(1.0)
    }

    fn grid(columns: usize, rows: usize, step: f64, west: f64, south: f64) -> (Vec<f64>, Vec<f64>) {
        (0..columns * rows).map(|i| (west + (i % columns) as f64 * step, south + (i / columns) as f64 * step)).unzip()
    }

    #[test]
    fn values_are_counted_as_sorting_would() {
        let values = [2.0, 2.0, -0.0, f64::NAN, 0.0, 1.5, 2.0, f64::INFINITY, -7.0];
        assert_eq!(different(&values), [(-7.0, 1), (0.0, 2), (1.5, 1), (2.0, 3)]);
        assert!(different(&[]).is_empty() && different(&[f64::NAN]).is_empty());
        let many: Vec<f64> = (0..MOST_DIFFERENT + 2).rev().map(|i| i as f64 * 0.1).chain([0.1, 0.1]).collect();
        let sorted = different(&many);
        assert_eq!(sorted.iter().map(|(_, n)| n).sum::<usize>(), many.len());
        assert!(sorted.windows(2).all(|w| w[0].0 <= w[1].0));
    }

    fn uniform(x: &[f64], y: &[f64]) -> Lattice {
        match spacing(x, y, None) {
            Spacing::Uniform(lattice) => lattice,
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn holes_and_positions_off_the_grid_are_counted() {
        let (mut x, mut y) = grid(100, 80, 2.0, 438_000.0, 5_116_000.0);
        for _ in 0..312 {
            x.remove(1000);
            y.remove(1000);
        }
        for i in [5, 500, 5000, 7000] {
            x[i] += 0.7;
        }
        let lattice = uniform(&x, &y);
        assert_eq!((lattice.frame.columns, lattice.frame.rows), (100, 80));
        assert_eq!((lattice.frame.west, lattice.frame.north), (438_000.0, 5_116_158.0));
        assert_eq!((lattice.frame.step_x, lattice.frame.step_y), (2.0, 2.0));
        assert_eq!((lattice.off, lattice.empty, lattice.repeated), (4, 316, 0));
    }

    #[test]
    fn a_few_positions_off_a_small_grid_do_not_hide_it() {
        let (mut x, mut y) = grid(8, 5, 2.0, 438_000.0, 5_116_000.0);
        x.extend([438_001.0, 438_004.7, 438_010.9]);
        y.extend([5_116_001.0, 5_116_004.0, 5_116_007.1]);
        let lattice = uniform(&x, &y);
        assert_eq!((lattice.frame.columns, lattice.frame.rows, lattice.off, lattice.empty), (8, 5, 3, 0));
    }

    #[test]
    fn noise_of_a_few_hundredths_of_a_step_is_no_scatter() {
        let (mut x, mut y) = grid(60, 50, 2.0, 438_000.0, 5_116_000.0);
        for i in 0..x.len() {
            x[i] += (noise(i) - 0.5) * 0.1;
            y[i] += (noise(i + 7777) - 0.5) * 0.1;
        }
        let lattice = uniform(&x, &y);
        assert_eq!((lattice.frame.columns, lattice.frame.rows, lattice.off), (60, 50, 0));
        assert!((lattice.frame.step_x - 2.0).abs() < 1e-3 && lattice.farthest < 0.03, "{lattice:?}");
    }

    #[test]
    fn thirds_of_a_second_with_rounded_digits_are_a_grid() {
        let step = 1.0 / 10_800.0;
        let (x, y) = grid(300, 200, step, -123.85, 46.2);
        let round = |v: f64| format!("{v:.7}").parse::<f64>().unwrap();
        let (x, y): (Vec<f64>, Vec<f64>) = x.iter().zip(&y).map(|(x, y)| (round(*x), round(*y))).unzip();
        let lattice = uniform(&x, &y);
        assert_eq!((lattice.frame.columns, lattice.frame.rows, lattice.off), (300, 200, 0));
        assert!((lattice.frame.step_x / step - 1.0).abs() < 1e-5, "{}", lattice.frame.step_x);
    }

    #[test]
    fn scattered_positions_are_scattered_rounded_or_not() {
        let n = 5000;
        let (x, y): (Vec<f64>, Vec<f64>) = (0..n).map(|i| (noise(i) * 400.0, noise(i + 99_991) * 200.0)).unzip();
        let Spacing::Scattered { mean, .. } = spacing(&x, &y, None) else { panic!("no grid") };
        assert!((mean - 4.0).abs() < 0.5, "a point for each 16 m²: {mean}");
        let round = |v: &Vec<f64>, to: f64| v.iter().map(|v| (v / to).round() * to).collect::<Vec<f64>>();
        for to in [0.01, 0.1, 1.0] {
            let spaced = spacing(&round(&x, to), &round(&y, to), None);
            assert!(matches!(spaced, Spacing::Scattered { .. }), "rounded to {to}: {spaced:?}");
        }
    }

    #[test]
    fn a_corridor_of_a_grid_is_a_grid() {
        let (x, y) = grid(400, 400, 1.0, 0.0, 0.0);
        let near: Vec<usize> = (0..x.len()).filter(|i| (x[*i] - y[*i]).abs() < 8.0).collect();
        let (x, y): (Vec<f64>, Vec<f64>) = near.iter().map(|i| (x[*i], y[*i])).unzip();
        let lattice = uniform(&x, &y);
        assert!((lattice.empty as f64) > 0.9 * lattice.frame.cells() as f64 && lattice.off == 0);
    }

    #[test]
    fn too_few_positions_are_scattered() {
        for (x, y) in
            [(vec![], vec![]), (vec![1.0], vec![2.0]), (vec![1.0, 2.0], vec![3.0, 3.0]), (vec![f64::NAN], vec![0.0])]
        {
            assert!(matches!(spacing(&x, &y, None), Spacing::Scattered { .. }), "{x:?}");
        }
    }

    proptest! {
        #[test]
        fn a_grid_is_found_whatever_its_order_steps_and_place(
            columns in 3usize..40, rows in 3usize..40, step_x in 0.001..900.0f64, ratio in 0.2..5.0f64,
            west in -1e6..1e6f64, south in -1e7..1e7f64, swap in 0usize..1000
        ) {
            let step_y = step_x * ratio;
            let mut cells: Vec<(f64, f64)> = (0..columns * rows)
                .map(|i| (west + (i % columns) as f64 * step_x, south + (i / columns) as f64 * step_y))
                .collect();
            let n = cells.len();
            (0..n).for_each(|i| cells.swap(i, (i * 7919 + swap) % n));
            let (x, y): (Vec<f64>, Vec<f64>) = cells.into_iter().unzip();
            let lattice = uniform(&x, &y);
            prop_assert_eq!((lattice.frame.columns, lattice.frame.rows), (columns, rows));
            prop_assert_eq!((lattice.off, lattice.empty, lattice.repeated), (0, 0, 0));
            prop_assert!((lattice.frame.step_x / step_x - 1.0).abs() < 1e-3);
            prop_assert!((lattice.frame.west - west).abs() < 0.01 * step_x);
        }
    }
}
