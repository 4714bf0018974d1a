//! Which way and how steeply the ground rises, at each height of a grid.
//!
//! The gradient at a height is the mean of those of the four bilinear surfaces that meet in it, each taken over its whole
//! cell: neighbours beside it count twice as much as those across a corner. At the rim, and beside heights that are not
//! known, it is the mean over the cells that are there.

use crate::{Ground, HeightRows, RectifiedGrid};
use basilocus_arithmetic::vectors::{Loop, widest};
use std::num::NonZeroUsize;

/// The rise of the ground per metre; both NaN where it is not known.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Gradient {
    /// Towards the east.
    pub east: f64,
    /// Towards the north.
    pub north: f64,
}

impl Gradient {
    const UNKNOWN: Gradient = Gradient { east: f64::NAN, north: f64::NAN };

    /// The rise per metre in the steepest direction.
    #[inline(always)]
    pub fn steepest(&self) -> f64 {
        // Slopes are nowhere near the ends of what numbers hold, so that nothing is lost by squares.
        (self.east * self.east + self.north * self.north).sqrt()
    }
}

/// The gradients at a row of heights, from west to east.
#[derive(Debug, Clone, Copy)]
pub struct GradientRow<'a> {
    /// Rises per metre towards the east.
    pub east: &'a [f64],
    /// Rises per metre towards the north; as many.
    pub north: &'a [f64],
}

impl GradientRow<'_> {
    /// One after the other.
    #[inline(always)]
    pub fn each(&self) -> impl Iterator<Item = Gradient> + '_ {
        self.east.iter().zip(self.north).map(|(east, north)| Gradient { east: *east, north: *north })
    }
}

/// How heights become metres, and what works on them.
#[derive(Debug, Clone)]
pub struct Measure<'a> {
    /// How long a unit of the plane is.
    pub ground: &'a Ground,
    /// Metres that a unit of height is.
    pub metres_per_height: f64,
    /// Threads that work on rows.
    pub threads: NonZeroUsize,
}

/// Rows that are worked on together: as many as make their reading small beside their work, and their memory beside a
/// grid's.
const BAND: usize = 64;

/// Gives `sink` `K` values for each height, row by row from the north: `make` makes them of the gradients of a row, a
/// slice for each of the `K`.
///
/// # Errors
/// Where a row cannot be read, and what `sink` says.
pub fn each_row<const K: usize, H: HeightRows>(
    heights: &mut H,
    measure: &Measure,
    make: impl Fn(&GradientRow, [&mut [f64]; K]) + Sync,
    mut sink: impl FnMut(usize, [&[f64]; K]) -> Result<(), H::Error>,
) -> Result<(), H::Error> {
    let frame = heights.frame();
    if frame.cells() == 0 {
        return Ok(());
    }
    let width = frame.columns;
    // The band with a row above and one below; rows that are not there are unknown.
    let mut band = vec![f64::NAN; (BAND + 2) * width];
    let mut out = vec![0.0; BAND * K * width];
    for first in (0..frame.rows).step_by(BAND) {
        let count = BAND.min(frame.rows - first);
        if first == 0 {
            heights.row(0, &mut band[width..2 * width])?;
        } else {
            // The last two rows of the band before are the first two of this one.
            band.copy_within(BAND * width..(BAND + 2) * width, 0);
        }
        for row in 2..count + 2 {
            let into = &mut band[row * width..(row + 1) * width];
            match first + row - 1 {
                below if below < frame.rows => heights.row(below, into)?,
                _ => into.fill(f64::NAN),
            }
        }
        let out = &mut out[..count * K * width];
        work(&band, out, first, &frame, measure, &make);
        for (i, values) in out.chunks_exact(K * width).enumerate() {
            sink(first + i, std::array::from_fn(|k| &values[k * width..(k + 1) * width]))?;
        }
    }
    Ok(())
}

/// Works on a band, each thread on a part of its rows.
fn work<const K: usize>(
    band: &[f64],
    out: &mut [f64],
    first: usize,
    frame: &RectifiedGrid,
    measure: &Measure,
    make: &(impl Fn(&GradientRow, [&mut [f64]; K]) + Sync),
) {
    let width = frame.columns;
    let rows = out.len() / (K * width);
    let each = rows.div_ceil(measure.threads.get()).max(1);
    let part = |from: usize, out: &mut [f64]| {
        let (mut lengths, mut east, mut north) = (Vec::new(), vec![0.0; width], vec![0.0; width]);
        for (i, values) in out.chunks_exact_mut(K * width).enumerate() {
            let row = from + i;
            let rows: [&[f64]; 3] = std::array::from_fn(|k| &band[(row + k) * width..(row + k + 1) * width]);
            measure.ground.along(frame.west, frame.step_x, width, frame.y(first + row), &mut lengths);
            let metres_per_height = measure.metres_per_height;
            let of_row = OfRow { rows, frame, metres_per_height, lengths: &lengths };
            of_row.write(&mut east, &mut north);
            let mut slices = values.chunks_exact_mut(width);
            let slices = std::array::from_fn(|_| slices.next().unwrap_or_default());
            make(&GradientRow { east: &east, north: &north }, slices);
        }
    };
    if each >= rows {
        return part(0, out);
    }
    std::thread::scope(|scope| {
        for (i, out) in out.chunks_mut(each * K * width).enumerate() {
            let part = &part;
            scope.spawn(move || part(i * each, out));
        }
    });
}

/// What the gradients of the middle one of three rows, north to south, are made of.
#[derive(Clone, Copy)]
struct OfRow<'a> {
    rows: [&'a [f64]; 3],
    frame: &'a RectifiedGrid,
    metres_per_height: f64,
    lengths: &'a [[f64; 2]],
}

impl OfRow<'_> {
    fn write(&self, east: &mut [f64], north: &mut [f64]) {
        let width = east.len();
        // Of the first and the last the cells on one side alone are there.
        let (first, last) = (0, width - 1);
        [first, last].into_iter().for_each(|i| (east[i], north[i]) = self.of_cells(i));
        if width < 3 {
            return;
        }
        let mut whole = true;
        widest(Inner { of: *self, east, north, whole: &mut whole });
        if !whole {
            for i in first + 1..last {
                if self.rows[1][i].is_nan() || east[i].is_nan() || north[i].is_nan() {
                    (east[i], north[i]) = self.of_cells(i);
                }
            }
        }
    }

    /// Of the cells around a height that are known; where the height is not, it is unknown.
    fn of_cells(&self, i: usize) -> (f64, f64) {
        let at = |row: &[f64], column: Option<usize>| column.and_then(|c| row.get(c)).copied().unwrap_or(f64::NAN);
        let is_known = !self.rows[1][i].is_nan();
        let mean = mean_of_cells(|row, column| at(self.rows[row], (i + column).checked_sub(1)));
        let Gradient { east, north } = mean.filter(|_| is_known).map_or(Gradient::UNKNOWN, |[east, north]| Gradient {
            east: east * self.metres_per_height / (self.frame.step_x * self.lengths[i][0]),
            north: north * self.metres_per_height / (self.frame.step_y * self.lengths[i][1]),
        });
        (east, north)
    }
}

/// The gradients of all heights but the first and the last of a row, as if their neighbours were known.
struct Inner<'a, 'b> {
    of: OfRow<'a>,
    east: &'b mut [f64],
    north: &'b mut [f64],
    /// Whether they were, all of them.
    whole: &'b mut bool,
}

impl Loop for Inner<'_, '_> {
    #[inline(always)]
    fn run(self) {
        let OfRow { rows, frame, metres_per_height, lengths } = self.of;
        let n = self.east.len() - 2;
        // Slices of one length, which the compiler sees.
        let [[nw, nn, ne], [ww, here, ee], [sw, ss, se]] = rows.map(|row| [0, 1, 2].map(|from| &row[from..from + n]));
        let (east, north, lengths) = (&mut self.east[1..1 + n], &mut self.north[1..1 + n], &lengths[1..1 + n]);
        let mut unknown = 0u64;
        for i in 0..n {
            let to_east = (ne[i] - nw[i]) + 2.0 * (ee[i] - ww[i]) + (se[i] - sw[i]);
            let to_north = (nw[i] - sw[i]) + 2.0 * (nn[i] - ss[i]) + (ne[i] - se[i]);
            east[i] = to_east * metres_per_height / (8.0 * frame.step_x * lengths[i][0]);
            north[i] = to_north * metres_per_height / (8.0 * frame.step_y * lengths[i][1]);
            // The height itself has no part in the sums above. One of nine that is not known is enough.
            let all = east[i] + north[i] + here[i];
            unknown |= u64::from(all.is_nan());
        }
        *self.whole = unknown == 0;
    }
}

/// The mean rise per step, to the east and to the north, over those of the four cells around the middle one of nine
/// heights whose corners are all known.
fn mean_of_cells(at: impl Fn(usize, usize) -> f64) -> Option<[f64; 2]> {
    let (mut sum, mut cells) = ([0.0; 2], 0.0);
    for (row, column) in [(0, 0), (0, 1), (1, 0), (1, 1)] {
        let (nw, ne) = (at(row, column), at(row, column + 1));
        let (sw, se) = (at(row + 1, column), at(row + 1, column + 1));
        let of = [((ne - nw) + (se - sw)) / 2.0, ((nw - sw) + (ne - se)) / 2.0];
        if of.iter().all(|v| v.is_finite()) {
            sum = [sum[0] + of[0], sum[1] + of[1]];
            cells += 1.0;
        }
    }
    (cells > 0.0).then(|| sum.map(|v| v / cells))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Grid;
    use proptest::prelude::*;
    use std::sync::Arc;

    const FRAME: RectifiedGrid =
        RectifiedGrid { west: -30.0, north: 500.0, step_x: 2.0, step_y: 3.0, columns: 7, rows: 150 };

    fn gradients(grid: &mut Grid, ground: &Ground, metres_per_height: f64, threads: usize) -> [Vec<f64>; 2] {
        let threads = NonZeroUsize::new(threads).unwrap();
        let measure = Measure { ground, metres_per_height, threads };
        let mut all = [Vec::new(), Vec::new()];
        let copy = |row: &GradientRow, [east, north]: [&mut [f64]; 2]| {
            east.copy_from_slice(row.east);
            north.copy_from_slice(row.north);
        };
        each_row(grid, &measure, copy, |row, values: [&[f64]; 2]| {
            assert_eq!(row * values[0].len(), all[0].len());
            all.iter_mut().zip(values).for_each(|(all, values)| all.extend_from_slice(values));
            Ok(())
        })
        .unwrap();
        all
    }

    #[test]
    fn a_plane_rises_alike_everywhere_at_the_rim_and_beside_holes_too() {
        let mut plane = Grid::from_function(FRAME, |x, y| 0.25 * x - 0.5 * y);
        // In bands of their own, at the rim, and one that nothing known is beside.
        for hole in [0, 7 * 63 + 3, 7 * 64 + 3, 7 * 149 + 6] {
            plane.heights[hole] = f64::NAN;
        }
        let [east, north] = gradients(&mut plane, &Ground::plane(), 1.0, 2);
        for (i, (e, n)) in east.iter().zip(&north).enumerate() {
            assert_eq!(e.is_nan(), plane.heights[i].is_nan(), "{i}");
            assert!(e.is_nan() || (e - 0.25).abs() < 1e-12 && (n + 0.5).abs() < 1e-12, "{i}: {e} {n}");
        }
    }

    #[test]
    fn units_of_the_plane_and_of_heights_count() {
        let mut plane = Grid::from_function(FRAME, |x, y| x + y);
        let ground = Ground::by_place(Arc::new(|_, _| [0.5, 4.0]));
        let [east, north] = gradients(&mut plane, &ground, 0.3048, 1);
        assert!(east.iter().all(|e| (e - 0.6096).abs() < 1e-12) && north.iter().all(|n| (n - 0.0762).abs() < 1e-12));
    }

    #[test]
    fn a_paraboloid_has_the_gradient_of_its_middle_difference() {
        let mut bowl = Grid::from_function(FRAME, |x, y| x * x + 2.0 * y * y);
        let [east, north] = gradients(&mut bowl, &Ground::plane(), 1.0, 3);
        for row in 1..FRAME.rows - 1 {
            for column in 1..FRAME.columns - 1 {
                let i = row * FRAME.columns + column;
                assert!((east[i] - 2.0 * FRAME.x(column)).abs() < 1e-9);
                assert!((north[i] - 4.0 * FRAME.y(row)).abs() < 1e-9);
            }
        }
    }

    #[test]
    fn a_height_alone_has_no_gradient() {
        for (columns, rows) in [(1, 1), (1, 5), (5, 1)] {
            let mut line = Grid::from_function(RectifiedGrid { columns, rows, ..FRAME }, |x, _| x);
            let [east, _] = gradients(&mut line, &Ground::plane(), 1.0, 1);
            assert!(east.iter().all(|e| e.is_nan()));
        }
    }

    proptest! {
        #[test]
        fn threads_change_nothing(threads in 1usize..9, rows in 1usize..200, seed in 0u64..1000) {
            let frame = RectifiedGrid { rows, ..FRAME };
            let mut rough = Grid::from_function(frame, |x, y| {
                let v = ((x * 12.9898 + y * 78.233 + seed as f64).sin() * 43758.5).fract();
                if v.abs() < 0.05 { f64::NAN } else { v }
            });
            let bits = |v: [Vec<f64>; 2]| v.map(|v| v.iter().map(|f| f.to_bits()).collect::<Vec<_>>());
            let one = bits(gradients(&mut rough, &Ground::plane(), 1.0, 1));
            prop_assert_eq!(one, bits(gradients(&mut rough, &Ground::plane(), 1.0, threads)));
        }
    }
}
