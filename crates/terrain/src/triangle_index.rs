//! Heights at positions of a surface of triangles.

use crate::triangulation::Triangulation;

/// The most places of triangles in squares, for each triangle: long thin ones lie in many.
const MOST_PLACES: usize = 16;

/// Corners that are so near to an edge, as a share of its length, are on it.
const ROUNDING: f64 = 1e-3;
/// The most triangles of a square that one is compared with.
const MOST_COMPARED: usize = 128;

/// A surface of triangles that is asked at positions: squares say which triangles touch them.
#[derive(Debug, Clone)]
pub struct TriangleIndex {
    surface: Triangulation,
    west: f64,
    south: f64,
    side: f64,
    columns: usize,
    rows: usize,
    /// Where the triangles of each square begin among `places`, and where the last ones end.
    starts: Vec<u32>,
    places: Vec<u32>,
}

impl TriangleIndex {
    /// Sorts the triangles of a surface.
    ///
    /// ```
    /// use basilocus_terrain::triangle_index::TriangleIndex;
    /// use basilocus_terrain::triangulation::triangulate;
    ///
    /// let corners = vec![[0.0, 0.0, 0.0], [10.0, 0.0, 10.0], [10.0, 10.0, 20.0], [0.0, 10.0, 10.0]];
    /// let slope = TriangleIndex::new(triangulate(corners, &[], None)?.surface);
    /// assert_eq!(slope.height_at(2.5, 4.0), Some(6.5));
    /// assert_eq!(slope.height_at(11.0, 4.0), None);
    /// # Ok::<(), basilocus_terrain::triangulation::TriangulationError>(())
    /// ```
    pub fn new(mut surface: Triangulation) -> Self {
        let ends = |axis: usize| {
            let values = surface.points.iter().map(|p| p[axis]);
            values.fold([f64::INFINITY, f64::NEG_INFINITY], |[low, high], v| [low.min(v), high.max(v)])
        };
        let ([west, east], [south, north]) = (ends(0), ends(1));
        let count = surface.triangles.len();
        // A square a triangle, more or less.
        let mut side = ((east - west) * (north - south) / count.max(1) as f64).sqrt();
        loop {
            if !(side > 0.0 && side.is_finite()) {
                side = 1.0;
            }
            let squares = |length: f64| ((length / side) as usize).min(1 << 15) + 1;
            let (columns, rows) = if count == 0 { (1, 1) } else { (squares(east - west), squares(north - south)) };
            let mut index =
                TriangleIndex { surface, west, south, side, columns, rows, starts: Vec::new(), places: Vec::new() };
            if index.sort(count.max(1024) * MOST_PLACES) {
                return index;
            }
            (surface, side) = (index.surface, side * 2.0);
        }
    }

    /// The surface that it is of.
    pub fn into_surface(self) -> Triangulation {
        self.surface
    }

    /// How many triangles lie over another one in the plane: a surface with such has two heights there. Edges that miss each
    /// other by a thousandth of their length, as rounded corners make them, do not count. Where very many triangles meet, as in the
    /// middle of a fan, each is compared with some hundred of them only.
    ///
    /// ```
    /// use basilocus_terrain::triangle_index::TriangleIndex;
    /// use basilocus_terrain::triangulation::Triangulation;
    ///
    /// let points = vec![[0.0, 0.0, 1.0], [4.0, 0.0, 1.0], [0.0, 4.0, 1.0], [1.0, 1.0, 5.0], [9.0, 1.0, 5.0], [1.0, 9.0, 5.0]];
    /// let surface = Triangulation { points, triangles: vec![[0, 1, 2], [3, 4, 5]] };
    /// assert_eq!(TriangleIndex::new(surface).overlapping(), 2);
    /// ```
    pub fn overlapping(&self) -> u64 {
        let mut is_over = vec![false; self.surface.triangles.len()];
        for square in self.starts.windows(2) {
            let here = &self.places[square[0] as usize..square[1] as usize];
            for (i, a) in here.iter().map(|a| *a as usize).enumerate() {
                for b in here[i.saturating_sub(MOST_COMPARED)..i].iter().map(|b| *b as usize) {
                    // Two that are known need no look.
                    if !(is_over[a] && is_over[b]) && self.overlap(a, b) {
                        (is_over[a], is_over[b]) = (true, true);
                    }
                }
            }
        }
        is_over.iter().filter(|over| **over).count() as u64
    }

    /// Whether two triangles share more than an edge: no edge of either has the other one on its outer side.
    fn overlap(&self, a: usize, b: usize) -> bool {
        let [a, b] = [a, b].map(|at| self.surface.corners(&self.surface.triangles[at]));
        let parts = |of: &[[f64; 3]; 3], other: &[[f64; 3]; 3]| {
            (0..3).any(|i| {
                let (p, q) = (of[i], of[(i + 1) % 3]);
                let (dx, dy) = (q[0] - p[0], q[1] - p[1]);
                let rounding = ROUNDING * (dx * dx + dy * dy);
                other.iter().all(|c| dx * (c[1] - p[1]) - dy * (c[0] - p[0]) <= rounding)
            })
        };
        !parts(&a, &b) && !parts(&b, &a)
    }

    /// Puts the triangles into their squares; false where they would have more than `most` places.
    fn sort(&mut self, most: usize) -> bool {
        let mut counts = vec![0u32; self.columns * self.rows + 1];
        let mut sum = 0;
        for triangle in &self.surface.triangles {
            for square in self.touched(triangle) {
                counts[square + 1] += 1;
                sum += 1;
            }
            if sum > most && self.columns * self.rows > 1 {
                return false;
            }
        }
        for at in 1..counts.len() {
            counts[at] += counts[at - 1];
        }
        let mut next = counts.clone();
        let mut places = vec![0; sum];
        for (number, triangle) in self.surface.triangles.iter().enumerate() {
            for square in self.touched(triangle) {
                places[next[square] as usize] = number as u32;
                next[square] += 1;
            }
        }
        (self.starts, self.places) = (counts, places);
        true
    }

    /// The squares of the rectangle around a triangle.
    fn touched(&self, triangle: &[u32; 3]) -> impl Iterator<Item = usize> + use<> {
        let corners = self.surface.corners(triangle).map(|[x, y, _]| self.square(x, y));
        let range = |axis: fn(&(usize, usize)) -> usize| {
            let all = corners.iter().map(axis);
            all.clone().min().unwrap_or(0)..=all.max().unwrap_or(0)
        };
        let (across, up, columns) = (range(|s| s.0), range(|s| s.1), self.columns);
        up.flat_map(move |row| across.clone().map(move |column| row * columns + column))
    }

    fn square(&self, x: f64, y: f64) -> (usize, usize) {
        let at = |length: f64, count: usize| ((length / self.side).max(0.0) as usize).min(count - 1);
        (at(x - self.west, self.columns), at(y - self.south, self.rows))
    }

    /// The surface.
    pub fn surface(&self) -> &Triangulation {
        &self.surface
    }

    /// The height of the triangle that a position lies in; `None` outside of all.
    pub fn height_at(&self, x: f64, y: f64) -> Option<f64> {
        let (column, row) = self.square(x, y);
        let square = row * self.columns + column;
        let places = *self.starts.get(square)? as usize..*self.starts.get(square + 1)? as usize;
        self.places.get(places)?.iter().find_map(|number| {
            let [a, b, c] = self.surface.corners(self.surface.triangles.get(*number as usize)?);
            let twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
            let of_b = ((x - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (y - a[1])) / twice;
            let of_c = ((b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])) / twice;
            // Rounding must leave no gap between triangles that share an edge.
            let is_inside = of_b >= -1e-12 && of_c >= -1e-12 && of_b + of_c <= 1.0 + 1e-12;
            is_inside.then(|| a[2] + of_b * (b[2] - a[2]) + of_c * (c[2] - a[2]))
        })
    }

    /// The height of the point that is nearest to a position, of the triangle that it lies in; `None` outside of all.
    pub fn nearest(&self, x: f64, y: f64) -> Option<f64> {
        let (column, row) = self.square(x, y);
        let square = row * self.columns + column;
        let places = *self.starts.get(square)? as usize..*self.starts.get(square + 1)? as usize;
        self.height_at(x, y)?;
        let corners = self.places.get(places)?.iter();
        let corners = corners.flat_map(|number| self.surface.corners(&self.surface.triangles[*number as usize]));
        let distance = |p: &[f64; 3]| (p[0] - x).hypot(p[1] - y);
        corners.min_by(|a, b| distance(a).total_cmp(&distance(b))).map(|p| p[2])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::triangulation::triangulate;
    use proptest::prelude::*;

    #[test]
    fn a_surface_without_triangles_has_no_height() {
        let index = TriangleIndex::new(Triangulation::default());
        assert_eq!((index.height_at(0.0, 0.0), index.nearest(1.0, 1.0)), (None, None));
    }

    #[test]
    fn long_thin_triangles_make_squares_larger() {
        // A fan: all triangles reach from one point to a far line.
        let mut points = vec![[0.0, 0.0, 5.0]];
        points.extend((0..3000).map(|i| [1000.0, f64::from(i) / 3.0, 5.0]));
        let index = TriangleIndex::new(triangulate(points, &[], None).unwrap().surface);
        assert!(index.places.len() <= index.surface.triangles.len().max(1024) * MOST_PLACES);
        assert!((index.height_at(500.0, 250.0).unwrap() - 5.0).abs() < 1e-9);
    }

    #[test]
    fn triangles_over_others_are_counted() {
        let index = |triangles: Vec<[u32; 3]>| {
            let points = vec![[0.0, 0.0, 1.0], [4.0, 0.0, 1.0], [4.0, 4.0, 1.0], [0.0, 4.0, 1.0], [2.0, 1.0, 1.0]];
            TriangleIndex::new(Triangulation { points, triangles })
        };
        // Two halves of a square; one half twice; the square parted both ways; a small one within a half, on its edge.
        assert_eq!(index(vec![[0, 1, 2], [0, 2, 3]]).overlapping(), 0);
        assert_eq!(index(vec![[0, 1, 2], [0, 2, 3], [0, 1, 2]]).overlapping(), 2);
        assert_eq!(index(vec![[0, 1, 2], [0, 2, 3], [0, 1, 3], [1, 2, 3]]).overlapping(), 4);
        assert_eq!(index(vec![[0, 1, 2], [0, 2, 3], [0, 1, 4]]).overlapping(), 2);
        assert_eq!(index(vec![]).overlapping(), 0);
    }

    proptest! {
        /// No triangle of a triangulation lies over another one, rounded or not; one more lies over those that are there.
        #[test]
        fn triangles_of_a_triangulation_do_not_overlap(
            points in prop::collection::vec((0u32..1000, 0u32..1000), 8..80), again in 0usize..1000
        ) {
            let points = points.iter().map(|(x, y)| [f64::from(*x) * 0.1, f64::from(*y) * 0.1, 1.0]).collect();
            let Ok(made) = triangulate(points, &[], None) else { return Ok(()) };
            let mut surface = made.surface;
            prop_assert_eq!(TriangleIndex::new(surface.clone()).overlapping(), 0);
            let twice = |t: &[u32; 3]| {
                let [a, b, c] = surface.corners(t);
                (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
            };
            let fat: Vec<[u32; 3]> = surface.triangles.iter().filter(|t| twice(t) > 20.0).copied().collect();
            prop_assume!(!fat.is_empty());
            surface.triangles.push(fat[again % fat.len()]);
            prop_assert_eq!(TriangleIndex::new(surface).overlapping(), 2);
        }

        #[test]
        fn a_plane_has_its_height_everywhere_inside(
            points in prop::collection::vec((0.0..100.0f64, 0.0..100.0f64), 3..60), asked in prop::collection::vec((-20.0..120.0f64, -20.0..120.0f64), 1..40)
        ) {
            let plane = |x: f64, y: f64| 3.0 + 0.5 * x - 0.25 * y;
            let corners = [(0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0)];
            let points = points.iter().chain(&corners).map(|(x, y)| [*x, *y, plane(*x, *y)]).collect();
            let index = TriangleIndex::new(triangulate(points, &[], None).unwrap().surface);
            for (x, y) in asked {
                let inside = (0.0..=100.0).contains(&x) && (0.0..=100.0).contains(&y);
                match index.height_at(x, y) {
                    Some(z) => prop_assert!(inside && (z - plane(x, y)).abs() < 1e-7),
                    None => prop_assert!(!inside, "{} {}", x, y),
                }
                prop_assert_eq!(index.nearest(x, y).is_some(), inside);
            }
        }
    }
}
