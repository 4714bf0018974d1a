//! A grid made of points.

use crate::lattice::Lattice;
use crate::triangulation::Triangulation;
use crate::{Grid, RectifiedGrid};

/// How the cells of a grid were filled.
#[derive(Debug, Clone, PartialEq)]
pub struct Filled {
    /// The grid.
    pub grid: Grid,
    /// Points that gave no height: off the grid, or outside of it.
    pub unused: Vec<usize>,
    /// Points at a cell that has a height already, the same one.
    pub repeated: u64,
    /// Points at a cell that has another height already; the first one counts.
    pub contradicting: Vec<usize>,
}

impl Filled {
    fn new(frame: RectifiedGrid) -> Self {
        Filled { grid: Grid::empty(frame), unused: Vec::new(), repeated: 0, contradicting: Vec::new() }
    }
}

/// Puts the points of a lattice to their cells, exactly.
pub fn by_lattice(lattice: &Lattice, x: &[f64], y: &[f64], z: &[f64]) -> Filled {
    let mut filled = Filled::new(lattice.frame);
    for (i, ((x, y), z)) in x.iter().zip(y).zip(z).enumerate() {
        let Some((column, row)) = lattice.place(*x, *y).filter(|_| z.is_finite()) else {
            filled.unused.push(i);
            continue;
        };
        let cell = &mut filled.grid.heights[row * lattice.frame.columns + column];
        if cell.is_nan() {
            *cell = *z;
        } else if *cell == *z {
            filled.repeated += 1;
        } else {
            filled.contradicting.push(i);
        }
    }
    filled
}

/// Gives each cell the mean of the points in it; cells without one stay unknown.
pub fn by_mean(frame: RectifiedGrid, x: &[f64], y: &[f64], z: &[f64]) -> Filled {
    let mut filled = Filled::new(frame);
    let mut sums = vec![(0.0f64, 0u32); frame.cells()];
    for (i, ((x, y), z)) in x.iter().zip(y).zip(z).enumerate() {
        match crate::interpolate::Spot::nearest(&frame, *x, *y).filter(|_| z.is_finite()) {
            Some((column, row)) => {
                let (sum, count) = &mut sums[row * frame.columns + column];
                *sum += z;
                *count += 1;
            }
            None => filled.unused.push(i),
        }
    }
    for (height, (sum, count)) in filled.grid.heights.iter_mut().zip(sums) {
        if count > 0 {
            *height = sum / f64::from(count);
        }
    }
    filled
}

/// Gives each position of a grid within a triangle the height of its plane there; positions outside of all stay unknown.
pub fn by_triangles(frame: RectifiedGrid, surface: &Triangulation) -> Grid {
    let mut grid = Grid::empty(frame);
    for triangle in &surface.triangles {
        let [a, b, c] = surface.corners(triangle);
        let twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
        if !(twice > 0.0) {
            continue;
        }
        let places = [a, b, c].map(|p| frame.place(p[0], p[1]));
        let range = |axis: fn(&(f64, f64)) -> f64, count: usize| {
            let low = places.iter().map(axis).fold(f64::INFINITY, f64::min).ceil().max(0.0);
            let high = places.iter().map(axis).fold(f64::NEG_INFINITY, f64::max).floor().min(count as f64 - 1.0);
            (low <= high).then_some(low as usize..=high as usize)
        };
        let (Some(columns), Some(rows)) = (range(|p| p.0, frame.columns), range(|p| p.1, frame.rows)) else { continue };
        for row in rows {
            let y = frame.y(row);
            for column in columns.clone() {
                let x = frame.x(column);
                // The shares of the corners: sizes of the triangles on the other side. Rounding must leave no gap
                // between triangles that share an edge.
                let of_b = ((x - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (y - a[1])) / twice;
                let of_c = ((b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])) / twice;
                if of_b >= -1e-12 && of_c >= -1e-12 && of_b + of_c <= 1.0 + 1e-12 {
                    grid.heights[row * frame.columns + column] = a[2] + of_b * (b[2] - a[2]) + of_c * (c[2] - a[2]);
                }
            }
        }
    }
    grid
}

/// The grid of a cell size around scattered points: its positions are whole numbers of cells, so that grids of several
/// tiles fit together. `None` where there is no point, or the cells would be more than `most`.
pub fn frame_around(x: &[f64], y: &[f64], cell: f64, most: usize) -> Option<RectifiedGrid> {
    frame(x, y, cell, most, [f64::ceil, f64::floor])
}

/// The same for cells that points lie in: every point lies in one.
pub fn frame_of_cells(x: &[f64], y: &[f64], cell: f64, most: usize) -> Option<RectifiedGrid> {
    frame(x, y, cell, most, [f64::round; 2])
}

fn frame(x: &[f64], y: &[f64], cell: f64, most: usize, [first, last]: [fn(f64) -> f64; 2]) -> Option<RectifiedGrid> {
    let ends = |values: &[f64]| {
        let finite = values.iter().filter(|v| v.is_finite());
        let [low, high] = finite.fold([f64::INFINITY, f64::NEG_INFINITY], |[a, b], v| [a.min(*v), b.max(*v)]);
        (low <= high).then(|| [first(low / cell), last(high / cell)])
    };
    let ([west, east], [south, north]) = (ends(x)?, ends(y)?);
    let (columns, rows) = ((east - west).max(0.0) + 1.0, (north - south).max(0.0) + 1.0);
    (columns * rows <= most as f64).then(|| RectifiedGrid {
        west: west * cell,
        north: north.max(south) * cell,
        step_x: cell,
        step_y: cell,
        columns: columns as usize,
        rows: rows as usize,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spacing::{Spacing, spacing};
    use crate::triangulation::triangulate;
    use proptest::prelude::*;

    #[test]
    fn points_of_a_lattice_stand_exactly_where_they_are() {
        let (x, y): (Vec<f64>, Vec<f64>) = (0..20).map(|i| (f64::from(i % 5) * 0.5, f64::from(i / 5) * 0.5)).unzip();
        let mut z: Vec<f64> = (0..20).map(f64::from).collect();
        let Spacing::Uniform(lattice) = spacing(&x, &y, None) else { panic!() };
        z[3] = f64::NAN;
        let (mut x, mut y) = (x, y);
        // The same again, another height at a place that has one, one off the lattice.
        x.extend([0.0, 0.5, 0.72]);
        y.extend([0.0, 0.0, 0.0]);
        z.extend([0.0, 9.0, 1.0]);
        let filled = by_lattice(&lattice, &x, &y, &z);
        assert_eq!((&filled.unused[..], filled.repeated, &filled.contradicting[..]), (&[3, 22][..], 1, &[21][..]));
        assert_eq!((filled.grid.at(1, 3), filled.grid.at(4, 0)), (1.0, 19.0));
        assert!(filled.grid.at(3, 3).is_nan(), "its height is not known");
    }

    #[test]
    fn a_cell_has_the_mean_of_its_points_or_nothing() {
        let frame = RectifiedGrid { west: 0.0, north: 10.0, step_x: 10.0, step_y: 10.0, columns: 2, rows: 2 };
        let filled = by_mean(frame, &[1.0, -4.0, 12.0, 40.0], &[1.0, 3.0, 8.0, 0.0], &[1.0, 2.0, 7.0, 9.0]);
        assert_eq!((filled.grid.at(0, 1), filled.grid.at(1, 0), &filled.unused[..]), (1.5, 7.0, &[3][..]));
        assert!(filled.grid.at(0, 0).is_nan() && filled.grid.at(1, 1).is_nan());
    }

    #[test]
    fn grids_around_points_stand_on_whole_cells() {
        let frame = frame_around(&[3.0, 27.0], &[101.0, 118.0], 5.0, 100).unwrap();
        assert_eq!((frame.west, frame.north, frame.columns, frame.rows), (5.0, 115.0, 5, 3));
        assert_eq!(frame_around(&[0.0, 1e6], &[0.0, 1e6], 0.5, 1000), None);
        assert_eq!(frame_around(&[], &[], 0.5, 1000), None);
        let (x, y) = ([3.0, 27.6], [101.0, 118.0]);
        let frame = frame_of_cells(&x, &y, 5.0, 100).unwrap();
        assert_eq!((frame.west, frame.north, frame.columns, frame.rows), (5.0, 120.0, 6, 5));
        assert!(by_mean(frame, &x, &y, &[1.0, 2.0]).unused.is_empty(), "none is outside");
    }

    proptest! {
        #[test]
        fn triangles_of_a_plane_give_the_plane_without_gaps(
            points in prop::collection::vec((0.0..100.0f64, 0.0..100.0f64), 3..50), a in -2.0..2.0f64, b in -2.0..2.0f64
        ) {
            // The corners, so that the hull is the whole square.
            let plane = |x: f64, y: f64| 10.0 + a * x + b * y;
            let corners = [(0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0)];
            let points = points.iter().chain(&corners).map(|(x, y)| [*x, *y, plane(*x, *y)]).collect();
            let surface = triangulate(points, &[], None).unwrap().surface;
            let frame = RectifiedGrid { west: -10.0, north: 110.0, step_x: 5.0, step_y: 5.0, columns: 25, rows: 25 };
            let grid = by_triangles(frame, &surface);
            for row in 0..25 {
                for column in 0..25 {
                    let (x, y, z) = (frame.x(column), frame.y(row), grid.at(column, row));
                    let inside = (0.0..=100.0).contains(&x) && (0.0..=100.0).contains(&y);
                    prop_assert_eq!(z.is_finite(), inside, "{} {}", x, y);
                    prop_assert!(!inside || (z - plane(x, y)).abs() < 1e-7);
                }
            }
        }
    }
}
