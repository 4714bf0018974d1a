//! What lies above and below a level, and what was lost and gained between two dates; of all that is known, and within
//! areas. The integrals are those of the surface itself: cells that the level or the edge of an area cuts are cut there.

use crate::area::{Area, ByRows, Covered};
use crate::grid::each_pair;
use crate::patch::{Above, Patch};
use crate::{Ground, HeightRows};

/// A level, or a plane that rises.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Level {
    /// Its height at easting and northing 0, in the unit of the heights.
    height: f64,
    /// How much it rises with a unit of easting and with one of northing.
    rise: [f64; 2],
    origin: [f64; 2],
}

impl Level {
    /// One height everywhere.
    pub fn flat(height: f64) -> Self {
        Level { height, rise: [0.0; 2], origin: [0.0; 2] }
    }

    /// A plane that has a height at a position, and rises from there with each unit of easting and northing.
    pub fn plane(height: f64, at: [f64; 2], rise: [f64; 2]) -> Self {
        Level { height, rise, origin: at }
    }

    /// Its height at a position.
    pub fn at(&self, x: f64, y: f64) -> f64 {
        self.height + (x - self.origin[0]) * self.rise[0] + (y - self.origin[1]) * self.rise[1]
    }
}

/// What lies above and below.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Part {
    /// Cubic metres between the level and the ground above it; what was gained.
    pub above: f64,
    /// Cubic metres between the level and the ground below it; what was lost.
    pub below: f64,
    /// Square metres where the ground is above.
    pub area_above: f64,
    /// Square metres where it is below.
    pub area_below: f64,
    /// Square metres where the ground is known.
    pub area: f64,
}

impl Part {
    pub(crate) fn add(&mut self, other: &Part, times: f64) {
        self.above += other.above * times;
        self.below += other.below * times;
        self.area_above += other.area_above * times;
        self.area_below += other.area_below * times;
        self.area += other.area * times;
    }
}

/// The same of all and of each area.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Parts {
    /// Everywhere where the surface is known.
    pub whole: Part,
    /// In each area, in their order.
    pub areas: Vec<Part>,
}

/// What lies above and below a level.
///
/// # Errors
/// Where a row cannot be read.
pub fn volume<H: HeightRows>(
    heights: &mut H,
    ground: &Ground,
    metres_per_height: f64,
    level: Level,
    areas: &[Area],
) -> Result<Parts, H::Error> {
    let frame = heights.frame();
    let above = |row: usize, column: usize, height: f64| height - level.at(frame.x(column), frame.y(row));
    integrate(heights, ground, metres_per_height, 0.0, above, areas)
}

/// What was lost and gained, from differences of heights (later less earlier). Differences of up to `threshold`, in the
/// unit of heights, are noise: where the surface of differences is below it, nothing counts, and elsewhere all of it.
///
/// # Errors
/// Where a row cannot be read.
pub fn change<H: HeightRows>(
    differences: &mut H,
    ground: &Ground,
    metres_per_height: f64,
    threshold: f64,
    areas: &[Area],
) -> Result<Parts, H::Error> {
    integrate(differences, ground, metres_per_height, threshold, |_, _, difference| difference, areas)
}

fn integrate<H: HeightRows>(
    heights: &mut H,
    ground: &Ground,
    metres_per_height: f64,
    threshold: f64,
    above: impl Fn(usize, usize, f64) -> f64,
    areas: &[Area],
) -> Result<Parts, H::Error> {
    let frame = heights.frame();
    let cells = frame.columns.saturating_sub(1);
    let rows: Vec<ByRows> = areas.iter().map(|a| a.by_rows(&frame)).collect();
    let mut parts = Parts { whole: Part::default(), areas: vec![Part::default(); areas.len()] };
    let (mut sizes, mut scratch, mut covered) = (Vec::new(), Vec::new(), Covered::default());
    let mut patches: Vec<Option<Cell>> = vec![None; if areas.is_empty() { 0 } else { cells }];
    let mut values: Vec<Part> = vec![Part::default(); patches.len()];
    let bring = |row: usize, heights: &[f64], out: &mut Vec<f64>| {
        out.clear();
        out.extend(heights.iter().enumerate().map(|(column, z)| above(row, column, *z)));
    };
    let (mut upper, mut lower): (Vec<f64>, Vec<f64>) = Default::default();
    each_pair(heights, |row, north, south| {
        ground.cell_areas(&frame, row, &mut scratch, &mut sizes);
        // What was the lower row of a pair is the upper one of the next.
        std::mem::swap(&mut upper, &mut lower);
        if row == 0 {
            bring(0, north, &mut upper);
        }
        bring(row + 1, south, &mut lower);
        for (column, ((north, south), size)) in upper.windows(2).zip(lower.windows(2)).zip(&sizes).enumerate() {
            // South-west, south-east, north-west, north-east.
            let corners = [south[0], south[1], north[0], north[1]];
            let value = Cell::value(corners, threshold, *size, metres_per_height);
            parts.whole.add(&value, 1.0);
            if let (Some(patch), Some(kept)) = (patches.get_mut(column), values.get_mut(column)) {
                (*patch, *kept) = (Cell::of(corners), value);
            }
        }
        for (area, sum) in rows.iter().zip(&mut parts.areas) {
            area.row(row, cells, &mut covered);
            for (from, to, times) in &covered.inside {
                values[*from..*to].iter().for_each(|value| sum.add(value, *times));
            }
            for column in &covered.cut {
                let Some(cell) = &patches[*column] else { continue };
                let inside = |patch: &Patch| cell.inside(patch, &covered.edges, *column as f64);
                sum.add(&cell.part(threshold, sizes[*column], metres_per_height, inside), 1.0);
            }
        }
        Ok(())
    })?;
    Ok(parts)
}

/// The surface over a cell, mirrored so that a half of it lies at its first corner.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Cell {
    /// The heights at the first corner, along x, along y, and opposite.
    heights: [f64; 4],
    is_half: bool,
    mirrored: [bool; 2],
}

impl Cell {
    /// From the heights in the south-west, south-east, north-west and north-east; `None` where less than three are known.
    fn of([sw, se, nw, ne]: [f64; 4]) -> Option<Self> {
        let half = |heights: [f64; 3], mirrored| {
            let [corner, x, y] = heights;
            Some(Cell { heights: [corner, x, y, f64::NAN], is_half: true, mirrored })
        };
        match [sw, se, nw, ne].map(f64::is_nan) {
            [false, false, false, false] => {
                Some(Cell { heights: [sw, se, nw, ne], is_half: false, mirrored: [false; 2] })
            }
            [false, false, false, true] => half([sw, se, nw], [false, false]),
            [false, false, true, false] => half([se, sw, ne], [true, false]),
            [false, true, false, false] => half([nw, ne, sw], [false, true]),
            [true, false, false, false] => half([ne, nw, se], [true, true]),
            _ => None,
        }
    }

    /// What lies above and below of the cell with these corners; nothing where less than three are known.
    ///
    /// Most cells are whole and lie on one side of all that is asked for. That is seen without making anything of them.
    fn value(corners: [f64; 4], threshold: f64, size: f64, metres: f64) -> Part {
        let volume = || size * metres * corners.iter().sum::<f64>() / 4.0;
        // No comparison holds for what is not known.
        if corners.iter().all(|z| *z > threshold) {
            return Part { above: volume(), area_above: size, area: size, ..Default::default() };
        }
        if corners.iter().all(|z| *z < -threshold) {
            return Part { below: -volume(), area_below: size, area: size, ..Default::default() };
        }
        Cell::of(corners).map_or_else(Part::default, |cell| cell.whole(threshold, size, metres))
    }

    /// From the heights at the corners of a triangle, counter-clockwise.
    pub(crate) fn triangle([a, b, c]: [f64; 3]) -> Self {
        Cell { heights: [a, b, c, f64::NAN], is_half: true, mirrored: [false; 2] }
    }

    fn patch(&self, of: impl Fn(f64) -> f64) -> Patch {
        let [a, b, c, d] = self.heights.map(of);
        if self.is_half { Patch::half([a, b, c]) } else { Patch::whole([a, b, c, d]) }
    }

    /// What lies above and below of the whole cell. Most cells lie on one side of all that is asked for: they need no
    /// integral.
    pub(crate) fn whole(&self, threshold: f64, size: f64, metres: f64) -> Part {
        let known = &self.heights[..if self.is_half { 3 } else { 4 }];
        let area = if self.is_half { size / 2.0 } else { size };
        let low = known.iter().copied().fold(f64::INFINITY, f64::min);
        let high = known.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let volume = || area * metres * known.iter().sum::<f64>() / known.len() as f64;
        if low > threshold {
            Part { above: volume(), area_above: area, area, ..Default::default() }
        } else if high < -threshold {
            Part { below: -volume(), area_below: area, area, ..Default::default() }
        } else if low >= -threshold && high <= threshold && threshold > 0.0 {
            Part { area, ..Default::default() }
        } else {
            self.part(threshold, size, metres, Patch::above)
        }
    }

    /// What lies above and below, where `measure` gives what of a surface lies above zero.
    pub(crate) fn part(&self, threshold: f64, size: f64, metres: f64, measure: impl Fn(&Patch) -> Above) -> Part {
        let beyond = |sign: f64| {
            let above = measure(&self.patch(|z| sign * z - threshold));
            (size * metres * (above.volume + threshold * above.area), size * above.area)
        };
        let ((above, area_above), (below, area_below)) = (beyond(1.0), beyond(-1.0));
        Part { above, below, area_above, area_below, area: size * measure(&self.patch(|_| 1.0)).area }
    }

    /// What of a surface over this cell lies above zero inside of edges, which are counted from the south-west corner of
    /// the first cell of the row.
    fn inside(&self, patch: &Patch, edges: &[[[f64; 2]; 2]], column: f64) -> Above {
        let [mirrored_x, mirrored_y] = self.mirrored;
        let own = |[x, y]: [f64; 2]| {
            let x = x - column;
            [if mirrored_x { 1.0 - x } else { x }, if mirrored_y { 1.0 - y } else { y }]
        };
        let mut sum = Above::default();
        let sign = if mirrored_x == mirrored_y { 1.0 } else { -1.0 };
        for [a, b] in edges {
            sum.add(patch.left_of_edge(own(*a), own(*b)), sign);
        }
        sum
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Grid, RectifiedGrid};
    use proptest::prelude::*;
    use std::f64::consts::PI;
    use std::sync::Arc;

    fn frame(size: f64, cells: usize) -> RectifiedGrid {
        let step = size / cells as f64;
        RectifiedGrid {
            west: -size / 2.0,
            north: size / 2.0,
            step_x: step,
            step_y: step,
            columns: cells + 1,
            rows: cells + 1,
        }
    }

    fn above(height: impl Fn(f64, f64) -> f64, cells: usize, level: f64) -> Part {
        let mut grid = Grid::from_function(frame(20.0, cells), height);
        volume(&mut grid, &Ground::plane(), 1.0, Level::flat(level), &[]).unwrap().whole
    }

    #[test]
    fn surfaces_whose_volume_is_known() {
        // A plane through the level in the middle: two wedges of 10 m · 20 m · 10 m / 2.
        let plane = above(|x, _| x, 7, 0.0);
        assert!((plane.above - 1000.0).abs() < 1e-9 && (plane.below - 1000.0).abs() < 1e-9, "{plane:?}");
        assert!((plane.area_above - 200.0).abs() < 1e-9 && (plane.area - 400.0).abs() < 1e-9);
        // A saddle xy is bilinear itself: exact, whatever the cells: four quarters of 10² · 10² / 4.
        let saddle = above(|x, y| x * y, 3, 0.0);
        assert!((saddle.above - 5000.0).abs() < 1e-8 && (saddle.below - 5000.0).abs() < 1e-8, "{saddle:?}");
        // What is curved is met the better the smaller the cells are: with the square of the step.
        let cone = PI * 8.0 * 8.0 * 8.0 / 3.0;
        let dome = PI * 64.0 * 64.0 / 2.0;
        for (cells, share) in [(40, 4e-3), (160, 3e-4), (640, 2e-5)] {
            let of_cone = above(|x, y| 8.0 - x.hypot(y), cells, 0.0).above;
            let of_dome = above(|x, y| 64.0 - x * x - y * y, cells, 0.0).above;
            assert!((of_cone / cone - 1.0).abs() < share, "{cells}: {of_cone} {cone}");
            assert!((of_dome / dome - 1.0).abs() < share, "{cells}: {of_dome} {dome}");
        }
    }

    #[test]
    fn a_hill_of_gauss_above_half_its_height() {
        // h·exp(−r²/2s²) above h/2: π 2s² h (1 − 1/2 − ln 2 / 2).
        let (h, s) = (30.0, 2.0f64);
        let expected = 2.0 * PI * s * s * h * (0.5 - 2f64.ln() / 2.0);
        let hill = above(|x, y| h * (-(x * x + y * y) / (2.0 * s * s)).exp(), 800, h / 2.0);
        assert!((hill.above / expected - 1.0).abs() < 1e-4, "{} {expected}", hill.above);
        assert!((hill.area_above / (2.0 * PI * s * s * 2f64.ln()) - 1.0).abs() < 1e-4);
    }

    #[test]
    fn a_plane_may_rise() {
        let mut grid = Grid::from_function(frame(20.0, 5), |x, y| 3.0 + 0.5 * x - 0.25 * y);
        let level = Level::plane(1.0, [2.0, 4.0], [0.5, -0.25]);
        // On the plane's own slope: everywhere 3 + 0.5·2 − 0.25·4 − 1 above it.
        let part = volume(&mut grid, &Ground::plane(), 1.0, level, &[]).unwrap().whole;
        assert!((part.above - 400.0 * 2.0).abs() < 1e-9 && part.below == 0.0, "{part:?}");
    }

    #[test]
    fn units_and_the_ground_count() {
        let mut grid = Grid::from_function(frame(20.0, 4), |_, _| 10.0);
        let ground = Ground::by_place(Arc::new(|_, _| [2.0, 3.0]));
        let part = volume(&mut grid, &ground, 0.3048, Level::flat(0.0), &[]).unwrap().whole;
        assert!((part.area - 2400.0).abs() < 1e-9 && (part.above - 7315.2).abs() < 1e-9, "{part:?}");
    }

    #[test]
    fn three_known_heights_carry_half_a_cell_and_two_carry_nothing() {
        for hole in [0, 1, 2, 3] {
            let mut cell = Grid::from_function(frame(2.0, 1), |x, y| 5.0 + x + 2.0 * y);
            cell.heights[hole] = f64::NAN;
            let part = volume(&mut cell, &Ground::plane(), 1.0, Level::flat(0.0), &[]).unwrap().whole;
            let corners: f64 = cell.heights.iter().filter(|z| z.is_finite()).sum();
            assert!((part.area - 2.0).abs() < 1e-12 && (part.above - 2.0 * corners / 3.0).abs() < 1e-12, "{hole}");
            cell.heights[(hole + 1) % 4] = f64::NAN;
            let part = volume(&mut cell, &Ground::plane(), 1.0, Level::flat(0.0), &[]).unwrap().whole;
            assert_eq!(part, Part::default());
        }
    }

    #[test]
    fn change_is_noise_below_the_threshold_and_whole_above_it() {
        // Differences from −1 to 1 over 20 m: beyond 0.5 there are 5 m on each side, 0.75 m thick in the mean.
        let mut ramp = Grid::from_function(frame(20.0, 10), |x, _| x / 10.0);
        let parts = change(&mut ramp, &Ground::plane(), 1.0, 0.5, &[]).unwrap().whole;
        assert!((parts.above - 75.0).abs() < 1e-9 && (parts.below - 75.0).abs() < 1e-9, "{parts:?}");
        assert!((parts.area_above - 100.0).abs() < 1e-9);
    }

    fn square(from: [f64; 2], size: [f64; 2]) -> Vec<[f64; 2]> {
        let [x, y] = from;
        vec![[x, y], [x + size[0], y], [x + size[0], y + size[1]], [x, y + size[1]]]
    }

    #[test]
    fn an_area_takes_its_part_of_cells_that_it_cuts() {
        let mut grid = Grid::from_function(frame(20.0, 8), |x, y| 50.0 + x + 3.0 * y);
        // From (−1.3, 2.1), 4.4 by 3.2, with a hole of 1 by 1: the volume of a plane is its height in the middle times
        // the area.
        let (outer, hole) = (square([-1.3, 2.1], [4.4, 3.2]), square([0.0, 3.0], [1.0, 1.0]));
        let area = Area::of_polygons(&[vec![outer, hole]]);
        let parts = volume(&mut grid, &Ground::plane(), 1.0, Level::flat(0.0), &[area]).unwrap();
        let of = |from: [f64; 2], size: [f64; 2]| {
            let middle = [from[0] + size[0] / 2.0, from[1] + size[1] / 2.0];
            (50.0 + middle[0] + 3.0 * middle[1]) * size[0] * size[1]
        };
        let expected = of([-1.3, 2.1], [4.4, 3.2]) - of([0.0, 3.0], [1.0, 1.0]);
        assert!((parts.areas[0].above - expected).abs() < 1e-9, "{parts:?} {expected}");
        assert!((parts.areas[0].area - (4.4 * 3.2 - 1.0)).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn cells_on_one_side_are_what_their_integral_is(
            z in prop::array::uniform4(-3i8..4), missing in 0usize..8, threshold in 0u8..3
        ) {
            let mut z = z.map(f64::from);
            if let Some(z) = z.get_mut(missing) {
                *z = f64::NAN;
            }
            let of_corners = Cell::value(z, threshold.into(), 8.0, 0.5);
            let Some(cell) = Cell::of(z) else {
                prop_assert_eq!(of_corners, Part::default());
                return Ok(());
            };
            prop_assert_eq!(of_corners, cell.whole(threshold.into(), 8.0, 0.5), "the same to the bit");
            let (quick, slow) = (cell.whole(threshold.into(), 8.0, 0.5), cell.part(threshold.into(), 8.0, 0.5, Patch::above));
            for (a, b) in [(quick.above, slow.above), (quick.below, slow.below), (quick.area, slow.area)] {
                prop_assert!((a - b).abs() < 1e-12, "{quick:?} {slow:?}");
            }
            let both = |p: &Part| [p.area_above, p.area_below];
            // Ground that lies on the level itself is on neither side of it, or on both: its volume is none.
            if z.iter().all(|z| z.abs() != f64::from(threshold)) {
                prop_assert!(both(&quick).iter().zip(both(&slow)).all(|(a, b)| (a - b).abs() < 1e-9), "{quick:?} {slow:?}");
            }
        }

        #[test]
        fn two_parts_of_a_ground_make_the_whole(
            cut in prop::array::uniform4(-10.0..10.0f64), holes in prop::collection::vec(0usize..81, 0..12), seed in 0u64..999
        ) {
            let mut grid = Grid::from_function(frame(20.0, 8), |x, y| {
                ((x * 12.9898 + y * 78.233 + seed as f64).sin() * 43758.5).fract()
            });
            holes.iter().for_each(|i| grid.heights[*i] = f64::NAN);
            // The square cut by a crooked line from south to north.
            let line = [[cut[0], -11.0], [cut[1], -3.0], [cut[2], 4.0], [cut[3], 11.0]];
            let mut west = vec![[-12.0, 11.0], [-12.0, -11.0]];
            west.extend(line);
            let mut east = vec![[12.0, -11.0], [12.0, 11.0]];
            east.extend(line.iter().rev());
            let areas = [west, east].map(|ring| Area::of_polygons(&[vec![ring]]));
            let parts = volume(&mut grid, &Ground::plane(), 1.0, Level::flat(0.1), &areas).unwrap();
            let [a, b] = [parts.areas[0], parts.areas[1]];
            for (whole, sum) in [
                (parts.whole.above, a.above + b.above),
                (parts.whole.below, a.below + b.below),
                (parts.whole.area, a.area + b.area),
            ] {
                prop_assert!((whole - sum).abs() < 1e-7, "{whole} {sum}");
            }
        }
    }
}
