//! Which way and how steeply the ground rises, at each height of a grid.
//!
//! The gradient at a height is the mean of those of the four bilinear surfaces that meet in it, each taken over its whole
//! cell: neighbours beside it count twice as much as those across a corner. At the rim, and beside heights that are not
//! known, it is the mean over the cells that are there.

use crate::{Ground, HeightRows, RectifiedGrid};
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
    pub fn steepest(&self) -> f64 {
        // Slopes are nowhere near the ends of what numbers hold, so that nothing is lost by squares.
        (self.east * self.east + self.north * self.north).sqrt()
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

/// Gives `sink` a value for each height, row by row from the north: `value` makes them of the gradients of a row.
///
/// # Errors
/// Where a row cannot be read, and what `sink` says.
pub fn each_row<H: HeightRows, T: Copy + Default + Send>(
    heights: &mut H,
    measure: &Measure,
    value: impl Fn(&Gradient) -> T + Sync,
    mut sink: impl FnMut(usize, &[T]) -> Result<(), H::Error>,
) -> Result<(), H::Error> {
    let frame = heights.frame();
    if frame.cells() == 0 {
        return Ok(());
    }
    let width = frame.columns;
    // The band with a row above and one below; rows that are not there are unknown.
    let mut band = vec![f64::NAN; (BAND + 2) * width];
    let mut out = vec![T::default(); BAND * width];
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
        work(&band, &mut out[..count * width], first, &frame, measure, &value);
        for (i, values) in out[..count * width].chunks_exact(width).enumerate() {
            sink(first + i, values)?;
        }
    }
    Ok(())
}

/// Works on a band, each thread on a part of its rows.
fn work<T: Send>(
    band: &[f64],
    out: &mut [T],
    first: usize,
    frame: &RectifiedGrid,
    measure: &Measure,
    value: &(impl Fn(&Gradient) -> T + Sync),
) {
    let width = frame.columns;
    let rows = out.len() / width;
    let each = rows.div_ceil(measure.threads.get()).max(1);
    let part = |from: usize, out: &mut [T]| {
        let (mut lengths, mut gradients) = (Vec::new(), Vec::new());
        for (i, values) in out.chunks_exact_mut(width).enumerate() {
            let row = from + i;
            let three: [&[f64]; 3] = std::array::from_fn(|k| &band[(row + k) * width..(row + k + 1) * width]);
            measure.ground.along(frame.west, frame.step_x, width, frame.y(first + row), &mut lengths);
            gradients_of(three, frame, measure.metres_per_height, &lengths, &mut gradients);
            values.iter_mut().zip(&gradients).for_each(|(v, g)| *v = value(g));
        }
    };
    if each >= rows {
        return part(0, out);
    }
    std::thread::scope(|scope| {
        for (i, out) in out.chunks_mut(each * width).enumerate() {
            let part = &part;
            scope.spawn(move || part(i * each, out));
        }
    });
}

/// The gradients of the middle one of three rows, north to south.
fn gradients_of(
    rows: [&[f64]; 3],
    frame: &RectifiedGrid,
    metres_per_height: f64,
    lengths: &[[f64; 2]],
    into: &mut Vec<Gradient>,
) {
    let [above, here, below] = rows;
    let width = here.len();
    into.clear();
    into.resize(width, Gradient::UNKNOWN);
    let rise = |sum: f64, step: f64, metres: f64| sum * metres_per_height / (8.0 * step * metres);
    for i in 1..width.max(1) - 1 {
        let east = (above[i + 1] - above[i - 1]) + 2.0 * (here[i + 1] - here[i - 1]) + (below[i + 1] - below[i - 1]);
        let north = (above[i - 1] - below[i - 1]) + 2.0 * (above[i] - below[i]) + (above[i + 1] - below[i + 1]);
        into[i] =
            Gradient { east: rise(east, frame.step_x, lengths[i][0]), north: rise(north, frame.step_y, lengths[i][1]) };
    }
    for (i, gradient) in into.iter_mut().enumerate() {
        // A height that is not known has no part in the sums above.
        if here[i].is_nan() {
            *gradient = Gradient::UNKNOWN;
        } else if gradient.east.is_nan() || gradient.north.is_nan() {
            let at = |row: &[f64], column: Option<usize>| column.and_then(|c| row.get(c)).copied().unwrap_or(f64::NAN);
            *gradient = mean_of_cells(|row, column| at(rows[row], (i + column).checked_sub(1))).map_or(
                Gradient::UNKNOWN,
                |[east, north]| Gradient {
                    east: east * metres_per_height / (frame.step_x * lengths[i][0]),
                    north: north * metres_per_height / (frame.step_y * lengths[i][1]),
                },
            );
        }
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
        [|g: &Gradient| g.east, |g: &Gradient| g.north].map(|value| {
            let mut all = Vec::new();
            each_row(grid, &measure, value, |row, values| {
                assert_eq!(row * values.len(), all.len());
                all.extend_from_slice(values);
                Ok(())
            })
            .unwrap();
            all
        })
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
