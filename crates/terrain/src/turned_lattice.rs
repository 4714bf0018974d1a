//! Positions of a grid whose rows do not run along the axes: staked out along a levee, or carried over from another system.
//!
//! Two steps make such a grid (ISO 19123 calls them its offset vectors). They are found as the two shortest differences that
//! many neighbours have in common, and made exact by least squares: first over the neighbours of one position, then over
//! positions twice as far from it, and so on, as a step that is off by little puts far positions off by much.

use crate::RectifiedGrid;
use crate::lattice::{Lattice, is_most, is_of_rounded_numbers};
use crate::occupied::Occupied;
use crate::spacing::{Each, Reach};
use std::collections::HashMap;

/// A grid that is turned against the axes.
#[derive(Debug, Clone, PartialEq)]
pub struct TurnedLattice {
    /// The corner from which columns and rows are counted: the first of the first row.
    pub origin: [f64; 2],
    /// From a column to the next one, within 45 degrees of east unless the rows are far from square to the columns.
    pub along: [f64; 2],
    /// From a row to the next one; anticlockwise of `along`.
    pub across: [f64; 2],
    /// Columns.
    pub columns: usize,
    /// Rows.
    pub rows: usize,
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

impl TurnedLattice {
    /// How far its rows are turned from east, in degrees, anticlockwise.
    pub fn turn_deg(&self) -> f64 {
        self.along[1].atan2(self.along[0]).to_degrees()
    }

    /// The angle from a row to a column, in degrees: 90 where they are square.
    pub fn between_deg(&self) -> f64 {
        let between = cross(self.along, self.across).atan2(dot(self.along, self.across));
        between.to_degrees()
    }

    /// The grid along the axes that it would be if it were not turned: the same places, as far apart and as full.
    pub fn unturned(&self) -> Lattice {
        let [step_x, step_y] = self.steps();
        let TurnedLattice { columns, rows, tolerance, farthest, off, empty, repeated, .. } = *self;
        let north = self.origin[1] + step_y * (rows - 1) as f64;
        let frame = RectifiedGrid { west: self.origin[0], north, step_x, step_y, columns, rows };
        Lattice { frame, tolerance, farthest, off, empty, repeated }
    }

    /// The lengths of both steps: along a row, and from row to row.
    pub fn steps(&self) -> [f64; 2] {
        [length(self.along), length(self.across)]
    }
}

/// Differences are looked for among positions within so many mean distances of one.
const WINDOW: f64 = 6.0;
/// The longest difference that may be a step, in mean distances: columns may be closer than rows.
const LONGEST_STEP: f64 = 3.0;
/// Of so many positions the neighbours are looked at.
const WINDOWS: usize = 9;
/// The share of positions that have to have a neighbour at a step.
const IN_COMMON: f64 = 0.3;
/// Differences less than this share of the distance to the nearest neighbour apart are the same.
const SAME: f64 = 0.15;
/// The sine of the angle between two steps: the shortest two of a grid have at least that of 60 degrees.
const APART: f64 = 0.5;
/// Fewer positions show no turned grid.
const FEWEST: u64 = 9;

/// The turned grid that positions are, which have `mean` distance between them; none where they are not one.
///
/// # Errors
/// Those of `each`.
pub(crate) fn find<E>(reach: &Reach, mean: f64, tolerance: f64, each: Each<E>) -> Result<Option<TurnedLattice>, E> {
    if reach.count < FEWEST || !(mean > 0.0) {
        return Ok(None);
    }
    let sample = reach.sample();
    let windows = windows_around(&sample, WINDOW * mean, each)?;
    let Some(steps) = shortest_steps(&windows, LONGEST_STEP * mean) else { return Ok(None) };
    let Some(fit) = fitted(&windows, &sample, steps, tolerance) else { return Ok(None) };
    counted(&fit.with_rows_nearest_east(), reach, tolerance, each)
}

/// All positions in the squares around some of the sample, `half` their side to each direction.
fn windows_around<E>(sample: &[[f64; 2]], half: f64, each: Each<E>) -> Result<Vec<Vec<[f64; 2]>>, E> {
    let middles = &sample[..sample.len().min(WINDOWS)];
    let mut windows = vec![Vec::new(); middles.len()];
    each(&mut |x, y| {
        for (x, y) in x.iter().zip(y) {
            for (window, middle) in windows.iter_mut().zip(middles) {
                if (x - middle[0]).abs() <= half && (y - middle[1]).abs() <= half && window.len() < MOST_IN_WINDOW {
                    window.push([*x, *y]);
                }
            }
        }
    })?;
    Ok(windows)
}

/// Many positions in one place are no reason to compare all with all.
const MOST_IN_WINDOW: usize = 1000;

/// The two shortest differences that many of the positions have to a neighbour.
fn shortest_steps(windows: &[Vec<[f64; 2]>], longest: f64) -> Option<[[f64; 2]; 2]> {
    let positions: usize = windows.iter().map(Vec::len).sum();
    let mut nearest = Vec::with_capacity(positions);
    let mut differences = Vec::new();
    for window in windows {
        for a in window {
            let others = window.iter().map(|b| [b[0] - a[0], b[1] - a[1]]);
            let near = others.filter(|d| *d != [0.0, 0.0] && length(*d) <= longest);
            let before = differences.len();
            differences.extend(near);
            nearest.extend(differences[before..].iter().map(|d| length(*d)).min_by(f64::total_cmp));
        }
    }
    nearest.sort_unstable_by(f64::total_cmp);
    let side = SAME * nearest.get(nearest.len() / 2)?;
    let cell = |d: [f64; 2]| [(d[0] / side).round() as i64, (d[1] / side).round() as i64];
    let mut heaps: HashMap<[i64; 2], (usize, [f64; 2])> = HashMap::new();
    for d in &differences {
        let (count, sum) = heaps.entry(cell(*d)).or_default();
        *count += 1;
        *sum = [sum[0] + d[0], sum[1] + d[1]];
    }
    // A heap may lie across the edges of cells.
    let around = |[i, j]: [i64; 2]| {
        let near = (-1..=1).flat_map(|di| (-1..=1).map(move |dj| [i + di, j + dj]));
        near.filter_map(|c| heaps.get(&c))
            .fold((0, [0.0, 0.0]), |(n, s), (count, sum)| (n + count, [s[0] + sum[0], s[1] + sum[1]]))
    };
    let many = heaps.keys().map(|c| around(*c)).filter(|(n, _)| *n as f64 >= IN_COMMON * positions as f64);
    let mut steps: Vec<[f64; 2]> = many.map(|(n, sum)| [sum[0] / n as f64, sum[1] / n as f64]).collect();
    steps.sort_unstable_by(|a, b| length(*a).total_cmp(&length(*b)).then(a[0].total_cmp(&b[0])));
    let first = *steps.first()?;
    let is_apart = |d: &&[f64; 2]| cross(first, **d).abs() >= APART * length(first) * length(**d);
    Some([first, *steps.iter().find(is_apart)?])
}

/// A position of a grid and its two steps.
#[derive(Debug, Clone, Copy)]
struct Fit {
    origin: [f64; 2],
    steps: [[f64; 2]; 2],
}

impl Fit {
    /// How many steps a position is from the origin, with their fractions.
    fn place(&self, p: [f64; 2]) -> [f64; 2] {
        let d = [p[0] - self.origin[0], p[1] - self.origin[1]];
        let [a, b] = self.steps;
        let size = cross(a, b);
        [cross(d, b) / size, cross(a, d) / size]
    }

    /// How far that is from whole steps.
    fn off(at: [f64; 2]) -> f64 {
        (at[0] - at[0].round()).abs().max((at[1] - at[1].round()).abs())
    }

    /// The same grid, the steps along a row those nearest to east, and those from row to row anticlockwise of them.
    fn with_rows_nearest_east(self) -> Self {
        let turned = |d: [f64; 2]| [-d[0], -d[1]];
        let [a, b] = self.steps;
        let choices = [[a, b], [b, turned(a)], [turned(a), turned(b)], [turned(b), a]];
        let east = |steps: &[[f64; 2]; 2]| steps[0][0] / length(steps[0]);
        let [along, across] = choices.into_iter().max_by(|s, t| east(s).total_cmp(&east(t))).unwrap_or(self.steps);
        let across = if cross(along, across) > 0.0 { across } else { turned(across) };
        Fit { steps: [along, across], ..self }
    }
}

/// Origin and steps that fit the positions best.
fn fitted(windows: &[Vec<[f64; 2]>], sample: &[[f64; 2]], steps: [[f64; 2]; 2], tolerance: f64) -> Option<Fit> {
    // A position that many others of its window are whole steps from: one that is off the grid is none.
    let candidates =
        windows.iter().flat_map(|w| w.iter().take(16).map(move |origin| (w, Fit { origin: *origin, steps })));
    let on = |(window, fit): &(&Vec<[f64; 2]>, Fit)| window.iter().filter(|p| Fit::off(fit.place(**p)) <= SAME).count();
    let (_, mut fit) = candidates.max_by_key(on)?;
    let positions: Vec<[f64; 2]> = windows.iter().flatten().chain(sample).copied().collect();
    let far = |fit: &Fit, p: [f64; 2]| fit.place(p).map(f64::abs).into_iter().fold(0.0, f64::max);
    let farthest = positions.iter().map(|p| far(&fit, *p)).fold(0.0, f64::max);
    // Until the steps are right, positions may be farther off than they are in the end.
    let near = SAME.max(2.0 * tolerance);
    let mut reach = WINDOW;
    loop {
        let within: Vec<[f64; 2]> = positions.iter().copied().filter(|p| far(&fit, *p) <= reach).collect();
        let on: Vec<[f64; 2]> = within.iter().copied().filter(|p| Fit::off(fit.place(*p)) <= near).collect();
        if !is_most(on.len() as u64, within.len() as u64) {
            return None;
        }
        fit = least_squares(&fit, &on)?;
        if reach > farthest {
            return Some(fit);
        }
        reach *= 2.0;
    }
}

/// Origin and steps with the least squares of distances, by the whole steps that each position is from the origin; the same ones
/// where the positions lie on one line.
fn least_squares(fit: &Fit, positions: &[[f64; 2]]) -> Option<Fit> {
    // Of the equations 1, i, j each; the unknowns are origin and steps, easting and northing alike.
    let (mut normal, mut right) = ([[0.0f64; 3]; 3], [[0.0f64; 3]; 2]);
    for p in positions {
        let [i, j] = fit.place(*p).map(f64::round);
        let row = [1.0, i, j];
        let d = [p[0] - fit.origin[0], p[1] - fit.origin[1]];
        for a in 0..3 {
            (0..3).for_each(|b| normal[a][b] += row[a] * row[b]);
            (0..2).for_each(|axis| right[axis][a] += row[a] * d[axis]);
        }
    }
    let determinant = |m: &[[f64; 3]; 3]| {
        let minor = |a: usize, b: usize| m[1][a] * m[2][b] - m[1][b] * m[2][a];
        m[0][0] * minor(1, 2) - m[0][1] * minor(0, 2) + m[0][2] * minor(0, 1)
    };
    let whole = determinant(&normal);
    if !(whole > 0.5) {
        // Whole numbers make a whole determinant: it is nought.
        return Some(*fit);
    }
    // Cramer's rule.
    let solved = |axis: usize| {
        [0, 1, 2].map(|unknown| {
            let mut with = normal;
            (0..3).for_each(|a| with[a][unknown] = right[axis][a]);
            determinant(&with) / whole
        })
    };
    let ([x, ax, bx], [y, ay, by]) = (solved(0), solved(1));
    let better = Fit { origin: [fit.origin[0] + x, fit.origin[1] + y], steps: [[ax, ay], [bx, by]] };
    (cross(better.steps[0], better.steps[1]) != 0.0).then_some(better)
}

/// The grid with all positions counted; none where too few are on it.
fn counted<E>(fit: &Fit, reach: &Reach, tolerance: f64, each: Each<E>) -> Result<Option<TurnedLattice>, E> {
    // No position is beyond the corners of the rectangle around all.
    let [west, south, east, north] = reach.bounds;
    let corners = [[west, south], [east, south], [west, north], [east, north]].map(|corner| fit.place(corner));
    let from = [0, 1].map(|axis| corners.iter().map(|c| c[axis]).fold(f64::INFINITY, f64::min).floor() - 1.0);
    let to = [0, 1].map(|axis| corners.iter().map(|c| c[axis]).fold(f64::NEG_INFINITY, f64::max).ceil() + 1.0);
    let size = [0, 1].map(|axis| (to[axis] - from[axis]) as u64 + 1);
    if (size[0] as f64) * (size[1] as f64) > crate::lattice::LARGEST {
        return Ok(None);
    }
    let mut occupied = Occupied::new(size[0], size[1], reach.count);
    let (mut on, mut farthest) = (0u64, 0.0f64);
    let (mut least, mut most) = ([f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
    each(&mut |x, y| {
        for (x, y) in x.iter().zip(y).filter(|(x, y)| x.is_finite() && y.is_finite()) {
            let at = fit.place([*x, *y]);
            let off = Fit::off(at);
            if off <= tolerance {
                let at = at.map(f64::round);
                on += 1;
                farthest = farthest.max(off);
                least = [least[0].min(at[0]), least[1].min(at[1])];
                most = [most[0].max(at[0]), most[1].max(at[1])];
                occupied.add((at[0] - from[0]) as u64, (at[1] - from[1]) as u64);
            }
        }
    })?;
    let [columns, rows] = [0, 1].map(|axis| (most[axis] - least[axis]).max(0.0) as usize + 1);
    let (filled, with_neighbour) = occupied.counts();
    let cells = columns as u64 * rows as u64;
    if !is_most(on, reach.count)
        || columns < 2
        || rows < 2
        || is_of_rounded_numbers(filled, cells, || with_neighbour as f64 / filled.max(1) as f64)
    {
        return Ok(None);
    }
    let [along, across] = fit.steps;
    let corner = |axis: usize| fit.origin[axis] + least[0] * along[axis] + least[1] * across[axis];
    Ok(Some(TurnedLattice {
        origin: [corner(0), corner(1)],
        along,
        across,
        columns,
        rows,
        tolerance,
        farthest,
        off: reach.count - on,
        empty: cells - filled,
        repeated: on - filled,
    }))
}

fn length(d: [f64; 2]) -> f64 {
    d[0].hypot(d[1])
}

fn dot(a: [f64; 2], b: [f64; 2]) -> f64 {
    a[0] * b[0] + a[1] * b[1]
}

fn cross(a: [f64; 2], b: [f64; 2]) -> f64 {
    a[0] * b[1] - a[1] * b[0]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spacing::{FirstPass, Spacing, in_passes, spacing};
    use proptest::prelude::*;
    use std::convert::Infallible;

    /// Numbers that look scattered and are the same every time.
    fn noise(i: usize) -> f64 {
        ((i as f64 * 12.9898).sin() * 43758.5453).rem_euclid(1.0)
    }

    /// The positions of a grid that is turned about its first corner.
    fn turned(columns: usize, rows: usize, steps: [f64; 2], turn_deg: f64, between_deg: f64) -> Vec<[f64; 2]> {
        let (turn, row) = (turn_deg.to_radians(), (turn_deg + between_deg).to_radians());
        let at = |i: usize| {
            let (along, across) = ((i % columns) as f64 * steps[0], (i / columns) as f64 * steps[1]);
            [438_000.0 + along * turn.cos() + across * row.cos(), 5_116_000.0 + along * turn.sin() + across * row.sin()]
        };
        (0..columns * rows).map(at).collect()
    }

    fn found(positions: &[[f64; 2]]) -> Spacing {
        let (x, y): (Vec<f64>, Vec<f64>) = positions.iter().map(|p| (p[0], p[1])).unzip();
        let in_memory = spacing(&x, &y, None);
        // In passes over parts it is the same.
        let mut first = FirstPass::default();
        for (x, y) in x.chunks(97).zip(y.chunks(97)) {
            let mut part = FirstPass::default();
            part.add(x, y);
            first.merge(part);
        }
        let mut each = |give: &mut dyn FnMut(&[f64], &[f64])| {
            x.chunks(41).zip(y.chunks(41)).for_each(|(x, y)| give(x, y));
            Ok::<(), Infallible>(())
        };
        let Ok(passed) = in_passes(&first, None, &mut each);
        assert_eq!(in_memory, passed);
        in_memory
    }

    fn lattice(positions: &[[f64; 2]]) -> TurnedLattice {
        match found(positions) {
            Spacing::Turned(lattice) => lattice,
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn a_turned_grid_is_found_with_its_holes_and_the_positions_off_it() {
        let mut positions = turned(120, 90, [2.0, 2.0], 12.3, 90.0);
        positions.drain(3000..3300);
        for i in [10, 2000, 9000] {
            positions[i][0] += 0.9;
        }
        positions.push(positions[77]);
        let lattice = lattice(&positions);
        assert_eq!((lattice.columns, lattice.rows), (120, 90));
        assert_eq!((lattice.off, lattice.empty, lattice.repeated), (3, 303, 1));
        assert!((lattice.turn_deg() - 12.3).abs() < 1e-6 && (lattice.between_deg() - 90.0).abs() < 1e-6);
        assert!(lattice.steps().iter().all(|s| (s - 2.0).abs() < 1e-6), "{:?}", lattice.steps());
        assert!((lattice.origin[0] - 438_000.0).abs() < 1e-5 && (lattice.origin[1] - 5_116_000.0).abs() < 1e-5);
    }

    #[test]
    fn rounded_coordinates_of_a_long_grid_keep_all_on_it() {
        let positions = turned(2000, 12, [1.0, 1.0], -33.3, 90.0);
        let rounded: Vec<[f64; 2]> = positions.iter().map(|p| p.map(|v| (v * 20.0).round() / 20.0)).collect();
        let lattice = lattice(&rounded);
        assert_eq!((lattice.columns, lattice.rows, lattice.off, lattice.empty), (2000, 12, 0, 0));
        assert!((lattice.turn_deg() + 33.3).abs() < 1e-3, "{}", lattice.turn_deg());
        assert!(lattice.farthest > 0.01 && lattice.farthest < 0.06, "{}", lattice.farthest);
    }

    #[test]
    fn rows_that_are_not_square_to_columns_are_told() {
        let lattice = lattice(&turned(40, 40, [3.0, 3.0], 0.0, 60.0));
        assert_eq!((lattice.off, lattice.repeated), (0, 0));
        let between = lattice.between_deg();
        assert!((between - 60.0).abs() < 1e-6 || (between - 120.0).abs() < 1e-6, "{between}");
    }

    #[test]
    fn a_square_cut_out_of_a_turned_grid_has_empty_corners() {
        let all = turned(200, 200, [1.0, 1.0], 30.0, 90.0);
        let middle = all[100 * 200 + 100];
        let inside = |p: &&[f64; 2]| (p[0] - middle[0]).abs() < 40.0 && (p[1] - middle[1]).abs() < 40.0;
        let cut: Vec<[f64; 2]> = all.iter().filter(inside).copied().collect();
        let lattice = lattice(&cut);
        assert_eq!((lattice.off, lattice.repeated), (0, 0));
        assert_eq!(lattice.empty as usize + cut.len(), lattice.columns * lattice.rows);
    }

    #[test]
    fn scattered_positions_are_no_turned_grid() {
        for n in [20, 300, 20_000] {
            let positions: Vec<[f64; 2]> = (0..n).map(|i| [noise(i) * 400.0, noise(i + 99_991) * 200.0]).collect();
            assert!(matches!(found(&positions), Spacing::Scattered { .. }), "{n}");
        }
        // Along lines that are equally far apart, at any place of them; and a line alone.
        let lines: Vec<[f64; 2]> = (0..3000)
            .map(|i| [noise(i) * 400.0, f64::from(i as u32 % 30)])
            .map(|[u, v]| [u * 0.8 - v * 0.6, u * 0.6 + v * 0.8])
            .collect();
        assert!(matches!(found(&lines), Spacing::Scattered { .. }));
        let line: Vec<[f64; 2]> = (0..300).map(|i| [f64::from(i), f64::from(i) * 0.3]).collect();
        assert!(!matches!(found(&line), Spacing::Turned(_)));
        // Half of a grid, and as many that are not on it.
        let mut half = turned(30, 30, [5.0, 5.0], 20.0, 90.0);
        half.extend((0..900).map(|i| [438_000.0 + noise(i) * 90.0, 5_116_000.0 + noise(i + 5000) * 150.0]));
        assert!(matches!(found(&half), Spacing::Scattered { .. }));
        assert!(matches!(found(&vec![[3.0, 4.0]; 40]), Spacing::Scattered { .. }));
    }

    proptest! {
        /// Whatever its order, its steps, its turn and its place, and whoever takes the parts.
        #[test]
        fn a_turned_grid_is_found(
            columns in 5usize..36, rows in 5usize..36, step in 0.01..500.0f64, ratio in 0.5..2.0f64,
            // A small grid that is turned by less is one along the axes, within the tolerance.
            turn in 8.0..44.0f64, skew in -8.0..15.0f64, swap in 0usize..1000, jitter in 0.0..0.02f64
        ) {
            let steps = [step, step * ratio];
            let mut positions = turned(columns, rows, steps, turn, 90.0 + skew);
            let n = positions.len();
            (0..n).for_each(|i| positions.swap(i, (i * 7919 + swap) % n));
            let least = steps[0].min(steps[1]);
            for (i, p) in positions.iter_mut().enumerate() {
                *p = [p[0] + (noise(i) - 0.5) * jitter * least, p[1] + (noise(i + 777) - 0.5) * jitter * least];
            }
            match found(&positions) {
                Spacing::Turned(lattice) => {
                    prop_assert_eq!((lattice.off, lattice.repeated), (0, 0));
                    // Of a skewed grid, a diagonal may be the shorter step.
                    let size = cross(lattice.along, lattice.across) / (steps[0] * steps[1]);
                    prop_assert!((size - skew.to_radians().cos()).abs() < 0.01, "{}", size);
                    prop_assert!(lattice.along[0] > 0.0);
                }
                other => prop_assert!(false, "{:?}", other),
            }
        }
    }
}
