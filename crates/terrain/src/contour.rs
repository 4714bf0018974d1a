//! Lines of one height, of a grid or of triangles.
//!
//! A line runs with the higher ground on its left. It ends where the surface ends and closes where it can. A height that
//! is exactly that of a line counts as above it, so that a line never branches; level ground at that height lies beside
//! it, on its left. In a cell that a line crosses twice the surface's own saddle decides which two crossings belong
//! together.

use crate::HeightRows;
use crate::grid::each_pair;
use crate::triangulation::Triangulation;
use std::collections::{HashMap, VecDeque};
use std::hash::Hash;

/// Which heights have lines.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Levels {
    base: f64,
    every: f64,
}

impl Levels {
    /// `base` and every height that is a whole number of steps from it; `None` where the step is not above zero.
    pub fn new(base: f64, every: f64) -> Option<Self> {
        (every > 0.0 && every.is_finite() && base.is_finite()).then_some(Levels { base, every })
    }

    /// The height of a level by its number, counted from the base.
    pub fn height(&self, number: i64) -> f64 {
        self.base + number as f64 * self.every
    }

    /// The levels above the lowest and up to the highest of some heights: those that have points on both sides.
    fn between(&self, low: f64, high: f64) -> std::ops::RangeInclusive<i64> {
        if !(self.can_count(low) && self.can_count(high)) {
            return std::ops::RangeInclusive::new(1, 0);
        }
        let mut first = ((low - self.base) / self.every).floor() as i64;
        while self.height(first) <= low {
            first += 1;
        }
        let mut last = ((high - self.base) / self.every).ceil() as i64;
        while self.height(last) > high {
            last -= 1;
        }
        first..=last
    }

    /// Whether a height is so few steps from the base that they can be told apart.
    fn can_count(&self, height: f64) -> bool {
        ((height - self.base) / self.every).abs() < (1u64 << 40) as f64
    }

    /// In which step from level to level heights lie; NaN for those so near to a level that rounding could take them for the
    /// other side, and for those that are not known. NaN equals nothing, itself neither.
    fn steps(&self, heights: &[f64], into: &mut Vec<f64>) {
        into.clear();
        into.extend(heights.iter().map(|z| {
            let at = (z - self.base) / self.every;
            let step = at.floor();
            if (1e-6..1.0 - 1e-6).contains(&(at - step)) && step.abs() < 1e9 { step } else { f64::NAN }
        }));
    }

    /// How many levels lie between two heights; more than anybody counts where their numbers have no end.
    pub fn count(&self, low: f64, high: f64) -> u64 {
        if !(self.can_count(low) && self.can_count(high)) {
            return u64::MAX;
        }
        let range = self.between(low, high);
        u64::try_from(range.end() - range.start() + 1).unwrap_or(0)
    }
}

/// A line of one height.
#[derive(Debug, Clone, PartialEq)]
pub struct ContourLine {
    /// The number of its level, counted from the base.
    pub level: i64,
    /// Its height.
    pub height: f64,
    /// Easting and northing of its points; the first once more at the end where it closes.
    pub points: Vec<[f64; 2]>,
}

impl ContourLine {
    /// Whether it ends where it begins.
    pub fn is_closed(&self) -> bool {
        self.points.len() > 2 && self.points.first() == self.points.last()
    }

    /// The line with its corners cut: each point gives way to two, at a quarter and at three quarters of the way, and that
    /// `times` over. It no longer lies on the surface, but never leaves the corridor of its neighbours' chords; ends stay.
    pub fn smoothed(&self, times: usize) -> Vec<[f64; 2]> {
        let mut points = self.points.clone();
        let is_closed = self.is_closed();
        for _ in 0..times {
            let mut next = Vec::with_capacity(2 * points.len());
            let at = |a: [f64; 2], b: [f64; 2], t: f64| [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
            for pair in points.windows(2) {
                next.extend([at(pair[0], pair[1], 0.25), at(pair[0], pair[1], 0.75)]);
            }
            match (is_closed, next.first().copied(), points.first(), points.last()) {
                (true, Some(first), ..) => next.push(first),
                (false, _, Some(first), Some(last)) => {
                    next.insert(0, *first);
                    next.push(*last);
                }
                _ => {}
            }
            points = next;
        }
        points
    }
}

/// The lines of a grid, each given once it is whole.
///
/// # Errors
/// Where a row cannot be read, and what `sink` says.
///
/// ```
/// use basilocus_terrain::contour::{Levels, contours};
/// use basilocus_terrain::{Grid, RectifiedGrid};
///
/// let frame = RectifiedGrid { west: -2.0, north: 2.0, step_x: 1.0, step_y: 1.0, columns: 5, rows: 5 };
/// let mut hill = Grid::from_function(frame, |x, y| 10.0 - x.abs() - y.abs());
/// let mut lines = Vec::new();
/// contours(&mut hill, &Levels::new(0.0, 4.5).unwrap(), |line| Ok(lines.push(line)))?;
/// assert_eq!((lines.len(), lines[0].height, lines[0].is_closed()), (1, 9.0, true));
/// # Ok::<(), std::convert::Infallible>(())
/// ```
pub fn contours<H: HeightRows>(
    heights: &mut H,
    levels: &Levels,
    mut sink: impl FnMut(ContourLine) -> Result<(), H::Error>,
) -> Result<(), H::Error> {
    let frame = heights.frame();
    let mut lines = Stitcher::new(*levels);
    // Most cells lie between two levels: they are passed over by the steps that their corners lie in.
    let (mut north_steps, mut south_steps) = (Vec::new(), Vec::new());
    each_pair(heights, |row, north, south| {
        let (y_north, y_south) = (frame.y(row), frame.y(row + 1));
        if row == 0 {
            levels.steps(north, &mut north_steps);
        }
        levels.steps(south, &mut south_steps);
        for column in 0..frame.columns.saturating_sub(1) {
            let step = north_steps[column];
            if step == north_steps[column + 1] && step == south_steps[column] && step == south_steps[column + 1] {
                continue;
            }
            let (x_west, x_east) = (frame.x(column), frame.x(column + 1));
            let corner = |x, y, z, side, row, column| Corner { at: [x, y], z, edge: Edge { side, row, column } };
            // Counter-clockwise from the south-west; each with the edge to the next one.
            lines.cell(&[
                corner(x_west, y_south, south[column], Side::Row, row + 1, column),
                corner(x_east, y_south, south[column + 1], Side::Column, row, column + 1),
                corner(x_east, y_north, north[column + 1], Side::Row, row, column),
                corner(x_west, y_north, north[column], Side::Column, row, column),
            ]);
        }
        std::mem::swap(&mut north_steps, &mut south_steps);
        // Only edges on the row below have cells to come.
        lines.settle(|edge| edge.side == Side::Row && edge.row == row + 1).into_iter().try_for_each(&mut sink)
    })?;
    lines.settle(|_| false).into_iter().try_for_each(sink)
}

/// The lines of triangles.
///
/// ```
/// use basilocus_terrain::contour::{Levels, contours_of_triangles};
/// use basilocus_terrain::triangulation::Triangulation;
///
/// let slope = Triangulation { points: vec![[0.0, 0.0, 0.0], [4.0, 0.0, 4.0], [0.0, 4.0, 0.0]], triangles: vec![[0, 1, 2]] };
/// let lines = contours_of_triangles(&slope, &Levels::new(0.0, 2.0).unwrap());
/// assert_eq!(lines[0].points, [[2.0, 2.0], [2.0, 0.0]]);
/// ```
pub fn contours_of_triangles(surface: &Triangulation, levels: &Levels) -> Vec<ContourLine> {
    let mut lines = Stitcher::new(*levels);
    for triangle in &surface.triangles {
        let corner = |i: usize| {
            let (from, to) = (triangle[i], triangle[(i + 1) % 3]);
            let [x, y, z] = surface.points[from as usize];
            Corner { at: [x, y], z, edge: (from.min(to), from.max(to)) }
        };
        lines.cell(&[corner(0), corner(1), corner(2)]);
    }
    lines.settle(|_| false)
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Side {
    /// Along a row.
    Row,
    /// Along a column.
    Column,
    /// Across a cell of which one corner is not known.
    Diagonal,
}

/// An edge between two heights of a grid, by its north-western end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
struct Edge {
    row: usize,
    column: usize,
    side: Side,
}

/// Edges that two cells share: both come to the same crossing on them.
trait Shared: Copy + Eq + Hash + Ord {
    /// The edge across the cell that is left where the corner between this edge and the next one is cut away.
    fn across(self) -> Self;
}

impl Shared for Edge {
    fn across(self) -> Self {
        Edge { side: Side::Diagonal, ..self }
    }
}

impl Shared for (u32, u32) {
    fn across(self) -> Self {
        self
    }
}

/// A corner of a cell, with the edge to the next one.
#[derive(Debug, Clone, Copy)]
struct Corner<K> {
    at: [f64; 2],
    z: f64,
    edge: K,
}

/// Puts pieces of lines together.
struct Stitcher<K> {
    levels: Levels,
    lines: Vec<Option<Open<K>>>,
    /// Lines by the edge on which they begin, and on which they end.
    begins: HashMap<(i64, K), usize>,
    ends: HashMap<(i64, K), usize>,
}

struct Open<K> {
    level: i64,
    points: VecDeque<[f64; 2]>,
    /// The edges on which it begins and ends.
    begin: K,
    end: K,
    /// Ends that may still be continued.
    alive: u8,
}

impl<K: Shared> Stitcher<K> {
    fn new(levels: Levels) -> Self {
        Stitcher { levels, lines: Vec::new(), begins: HashMap::new(), ends: HashMap::new() }
    }

    /// The pieces of lines in a cell whose corners run counter-clockwise.
    fn cell(&mut self, corners: &[Corner<K>]) {
        match corners.iter().filter(|c| c.z.is_nan()).count() {
            0 => self.known(corners),
            // Three corners of four: a triangle.
            1 if corners.len() == 4 => {
                let Some(gap) = corners.iter().position(|c| c.z.is_nan()) else { return };
                let mut three: [Corner<K>; 3] = std::array::from_fn(|i| corners[(gap + 1 + i) % 4]);
                three[2].edge = corners[gap].edge.across();
                self.known(&three);
            }
            _ => {}
        }
    }

    fn known(&mut self, corners: &[Corner<K>]) {
        let heights = corners.iter().map(|c| c.z);
        let (low, high) = (heights.clone().fold(f64::INFINITY, f64::min), heights.fold(f64::NEG_INFINITY, f64::max));
        let n = corners.len();
        for level in self.levels.between(low, high) {
            let height = self.levels.height(level);
            let is_high = |i: usize| corners[i % n].z >= height;
            // Where the ring of corners goes down through the level a piece begins, with the higher ground on its left.
            let falls = (0..n).filter(|i| is_high(*i) && !is_high(i + 1));
            let is_saddle = n == 4 && is_high(0) == is_high(2) && is_high(1) == is_high(3);
            for fall in falls {
                let rises = |i: &usize| !is_high(*i) && is_high(i + 1);
                let end = if is_saddle && !is_high_between(corners, height) {
                    // The higher corners are alone: the piece goes around the one before.
                    (1..n).map(|k| fall + n - k).find(rises)
                } else {
                    (1..n).map(|k| fall + k).find(rises)
                };
                if let Some(end) = end {
                    let crossing =
                        |i: usize| (corners[i % n].edge, crossing(&corners[i % n], &corners[(i + 1) % n], height));
                    self.piece(level, crossing(fall), crossing(end));
                }
            }
        }
    }

    /// A piece from one edge to another.
    fn piece(&mut self, level: i64, (from, start): (K, [f64; 2]), (to, end): (K, [f64; 2])) {
        let before = self.ends.remove(&(level, from));
        let behind = self.begins.remove(&(level, to));
        let line = match (before, behind) {
            (Some(line), None) => {
                if let Some(open) = &mut self.lines[line] {
                    open.points.push_back(end);
                    open.end = to;
                }
                line
            }
            (None, Some(line)) => {
                if let Some(open) = &mut self.lines[line] {
                    open.points.push_front(start);
                    open.begin = from;
                }
                self.begins.insert((level, from), line);
                return;
            }
            (None, None) => {
                let line = self.lines.len();
                self.lines.push(Some(Open {
                    level,
                    points: VecDeque::from([start, end]),
                    begin: from,
                    end: to,
                    alive: 2,
                }));
                self.begins.insert((level, from), line);
                line
            }
            (Some(first), Some(second)) if first == second => {
                // It closes: the first point stands at the end as well.
                if let Some(open) = &mut self.lines[first] {
                    open.points.push_back(end);
                    open.alive = 0;
                }
                return;
            }
            (Some(first), Some(second)) => return self.join(first, second),
        };
        self.ends.insert((level, to), line);
    }

    /// Joins two lines, the shorter one moved to the longer one.
    fn join(&mut self, first: usize, second: usize) {
        let (Some(mut a), Some(mut b)) = (self.lines[first].take(), self.lines[second].take()) else { return };
        let (level, alive) = (a.level, a.alive + b.alive - 2);
        if a.points.len() >= b.points.len() {
            a.points.extend(b.points);
            if let Some(line) = self.ends.get_mut(&(level, b.end)) {
                *line = first;
            }
            self.lines[first] = Some(Open { alive, end: b.end, ..a });
        } else {
            while let Some(point) = a.points.pop_back() {
                b.points.push_front(point);
            }
            if let Some(line) = self.begins.get_mut(&(level, a.begin)) {
                *line = second;
            }
            self.lines[second] = Some(Open { alive, begin: a.begin, ..b });
        }
    }

    /// The lines that no cell to come can continue, in the order in which they began: `is_open` says on which edges that
    /// can still be.
    fn settle(&mut self, is_open: impl Fn(&K) -> bool) -> Vec<ContourLine> {
        let lines = &mut self.lines;
        for map in [&mut self.begins, &mut self.ends] {
            map.retain(|(_, edge), line| {
                let stays = is_open(edge);
                if let Some(open) = &mut lines[*line]
                    && !stays
                {
                    open.alive -= 1;
                }
                stays
            });
        }
        let mut done = Vec::new();
        for line in lines.iter_mut() {
            if line.as_ref().is_some_and(|open| open.alive == 0)
                && let Some(open) = line.take()
            {
                let height = self.levels.height(open.level);
                let mut points: Vec<[f64; 2]> = open.points.into();
                points.dedup();
                // A line around one height that is exactly that of the level is no more than a point.
                if points.len() > 1 {
                    done.push(ContourLine { level: open.level, height, points });
                }
            }
        }
        self.compact();
        done
    }

    /// Forgets the places of lines that are gone.
    fn compact(&mut self) {
        let mut places = vec![usize::MAX; self.lines.len()];
        let mut kept = 0;
        for (place, line) in places.iter_mut().zip(&self.lines) {
            if line.is_some() {
                *place = kept;
                kept += 1;
            }
        }
        if kept < self.lines.len() {
            self.lines.retain(Option::is_some);
            for map in [&mut self.begins, &mut self.ends] {
                map.values_mut().for_each(|line| *line = places[*line]);
            }
        }
    }
}

/// Where the level crosses between two corners; the same from both sides.
fn crossing<K>(a: &Corner<K>, b: &Corner<K>, height: f64) -> [f64; 2] {
    let (a, b) = if (a.at[0], a.at[1]) <= (b.at[0], b.at[1]) { (a, b) } else { (b, a) };
    let t = (height - a.z) / (b.z - a.z);
    std::array::from_fn(|axis| a.at[axis] + (b.at[axis] - a.at[axis]) * t)
}

/// Whether the saddle of the surface between four corners, of which those opposite are on the same side of a level, is
/// above it.
fn is_high_between<K>(corners: &[Corner<K>], height: f64) -> bool {
    let [a, b, c, d]: [f64; 4] = std::array::from_fn(|i| corners[i].z - height);
    (a * c - b * d) / (a + c - b - d) >= 0.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Grid, RectifiedGrid};
    use proptest::prelude::*;

    fn frame(columns: usize, rows: usize) -> RectifiedGrid {
        RectifiedGrid { west: 0.0, north: (rows - 1) as f64, step_x: 1.0, step_y: 1.0, columns, rows }
    }

    fn lines(grid: &mut Grid, base: f64, every: f64) -> Vec<ContourLine> {
        let mut lines = Vec::new();
        contours(grid, &Levels::new(base, every).unwrap(), |line| {
            lines.push(line);
            Ok(())
        })
        .unwrap();
        lines
    }

    #[test]
    fn lines_of_a_plane_run_straight_with_the_higher_ground_on_their_left() {
        let mut plane = Grid::from_function(frame(9, 5), |x, _| x);
        let lines = lines(&mut plane, 0.5, 3.0);
        assert_eq!(lines.iter().map(|l| l.height).collect::<Vec<_>>(), [0.5, 3.5, 6.5]);
        for line in &lines {
            // Higher to the east: they run to the south.
            assert!(!line.is_closed());
            assert_eq!((line.points[0], line.points[4]), ([line.height, 4.0], [line.height, 0.0]));
        }
    }

    #[test]
    fn a_hill_has_closed_lines_that_run_counter_clockwise_and_a_hollow_clockwise() {
        let twice_size =
            |points: &[[f64; 2]]| -> f64 { points.windows(2).map(|w| w[0][0] * w[1][1] - w[1][0] * w[0][1]).sum() };
        for sign in [1.0, -1.0] {
            let mut hill = Grid::from_function(frame(41, 41), |x, y| -sign * (x - 20.0).hypot(y - 20.0));
            let rings: Vec<ContourLine> = lines(&mut hill, 2.25, 4.0).into_iter().filter(|l| l.is_closed()).collect();
            assert_eq!(rings.len(), 5);
            for ring in rings {
                let size = sign * twice_size(&ring.points) / 2.0;
                let radius = ring.height.abs();
                let circle = std::f64::consts::PI * radius * radius;
                assert!((size / circle - 1.0).abs() < 0.2 / radius, "{radius}: {size} {circle}");
            }
        }
    }

    #[test]
    fn the_saddle_of_the_surface_says_which_crossings_belong_together() {
        // High in the north-west and south-east; its saddle is at 0.5.
        let saddle = |level: f64| {
            let mut grid = Grid { frame: frame(2, 2), heights: vec![1.0, 0.0, 0.0, 1.0] };
            lines(&mut grid, level, 10.0)
        };
        let corner_of = |line: &ContourLine| {
            let (a, b) = (line.points[0], line.points[1]);
            [(a[0] + b[0] > 1.0), (a[1] + b[1] > 1.0)]
        };
        // Above the saddle the high corners are cut off, below it the low ones.
        for (level, expected) in [(0.75, [[false, true], [true, false]]), (0.25, [[true, true], [false, false]])] {
            let mut corners: Vec<[bool; 2]> = saddle(level).iter().map(corner_of).collect();
            corners.sort();
            let mut expected = expected.to_vec();
            expected.sort();
            assert_eq!(corners, expected, "{level}");
        }
    }

    #[test]
    fn level_ground_at_the_height_of_a_line_is_beside_it() {
        // A terrace at 10 above a slope: one line along its edge, none across it.
        let mut terrace = Grid::from_function(frame(9, 4), |x, _| (x * 2.5).min(10.0));
        let at_ten: Vec<ContourLine> = lines(&mut terrace, 0.0, 5.0).into_iter().filter(|l| l.height == 10.0).collect();
        assert_eq!(at_ten.len(), 1);
        assert!(at_ten[0].points.iter().all(|p| p[0] == 4.0));
        let mut level = Grid::from_function(frame(9, 4), |_, _| 10.0);
        assert!(lines(&mut level, 0.0, 5.0).is_empty());
    }

    #[test]
    fn heights_without_end_have_no_lines_and_take_no_time() {
        let levels = Levels::new(0.0, 0.5).unwrap();
        assert_eq!(
            (levels.count(0.0, 1e300), levels.count(-1e19, 3.0), levels.count(0.2, 1.7)),
            (u64::MAX, u64::MAX, 3)
        );
        let mut spike = Grid { frame: frame(2, 2), heights: vec![0.0, 1e300, 0.0, 1.0] };
        assert!(lines(&mut spike, 0.0, 0.5).is_empty());
    }

    #[test]
    fn a_line_ends_where_the_surface_ends() {
        let mut plane = Grid::from_function(frame(5, 5), |x, _| x);
        plane.heights[2 * 5 + 2] = f64::NAN;
        let lines = lines(&mut plane, 1.5, 10.0);
        // The cells beside the hole carry three heights: the line runs on to the diagonal.
        let mut points: Vec<[f64; 2]> = lines.iter().flat_map(|l| l.points.clone()).collect();
        points.sort_by(|a, b| b[1].total_cmp(&a[1]));
        assert_eq!(points, [[1.5, 4.0], [1.5, 3.0], [1.5, 2.5], [1.5, 1.5], [1.5, 1.0], [1.5, 0.0]]);
    }

    #[test]
    fn smoothing_keeps_ends_and_closes_rings() {
        let open = ContourLine { level: 0, height: 0.0, points: vec![[0.0, 0.0], [4.0, 0.0], [4.0, 4.0]] };
        let smooth = open.smoothed(2);
        assert_eq!((smooth[0], smooth[smooth.len() - 1]), ([0.0, 0.0], [4.0, 4.0]));
        let ring = ContourLine { points: vec![[0.0, 0.0], [4.0, 0.0], [4.0, 4.0], [0.0, 0.0]], ..open.clone() };
        let smooth = ring.smoothed(1);
        assert_eq!((smooth.len(), smooth[0], smooth[6]), (7, [1.0, 0.0], [1.0, 0.0]));
        assert_eq!(open.smoothed(0), open.points);
    }

    proptest! {
        #[test]
        fn every_line_closes_or_ends_at_the_rim_and_none_crosses_an_edge_twice(
            z in prop::collection::vec(0i8..6, 64), every in 1u8..3
        ) {
            let mut grid = Grid { frame: frame(8, 8), heights: z.iter().map(|v| f64::from(*v)).collect() };
            // Also at heights that stand in the grid.
            for base in [0.0, 0.5] {
                let lines = lines(&mut grid, base, f64::from(every));
                let mut seen = std::collections::HashSet::new();
                for line in &lines {
                    let on_rim = |p: &[f64; 2]| p.iter().any(|v| *v == 0.0 || *v == 7.0);
                    let (first, last) = (line.points[0], line.points[line.points.len() - 1]);
                    prop_assert!(line.is_closed() || on_rim(&first) && on_rim(&last), "{:?}", line);
                    if base == 0.5 {
                        let own = &line.points[..line.points.len() - usize::from(line.is_closed())];
                        for p in own {
                            let key = (line.level, p.map(f64::to_bits));
                            prop_assert!(seen.insert(key), "{:?} is crossed twice", p);
                        }
                    }
                }
                // As many crossings as there are edges with one height on each side of a level.
                if base == 0.5 {
                    let levels = Levels::new(base, f64::from(every)).unwrap();
                    let count = |a: f64, b: f64| levels.count(a.min(b), a.max(b));
                    let mut crossings = 0;
                    for row in 0..8 {
                        for column in 0..8 {
                            let here = grid.at(column, row);
                            if column < 7 { crossings += count(here, grid.at(column + 1, row)); }
                            if row < 7 { crossings += count(here, grid.at(column, row + 1)); }
                        }
                    }
                    prop_assert_eq!(seen.len() as u64, crossings);
                }
            }
        }
    }
}
