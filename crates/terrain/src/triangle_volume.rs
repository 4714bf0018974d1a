//! What lies above and below a level under a surface of triangles: exactly, also where an area's edge cuts a triangle.

use crate::Ground;
use crate::area::Area;
use crate::patch::{Above, Patch};
use crate::triangulation::Triangulation;
use crate::volume::{Cell, Level, Part, Parts};

/// Bands that edges of areas are sorted into, from south to north.
const BANDS: usize = 1024;

/// What lies above and below a level.
///
/// ```
/// use basilocus_terrain::Ground;
/// use basilocus_terrain::triangle_volume::volume_of_triangles;
/// use basilocus_terrain::triangulation::triangulate;
/// use basilocus_terrain::volume::Level;
///
/// // A pyramid 3 m high on a square of 10 m.
/// let points = vec![[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [10.0, 10.0, 0.0], [0.0, 10.0, 0.0], [5.0, 5.0, 3.0]];
/// let surface = triangulate(points, &[], None)?.surface;
/// let parts = volume_of_triangles(&surface, &Ground::plane(), 1.0, Level::flat(0.0), &[]);
/// assert!((parts.whole.above - 100.0).abs() < 1e-9);
/// # Ok::<(), basilocus_terrain::triangulation::TriangulationError>(())
/// ```
pub fn volume_of_triangles(
    surface: &Triangulation,
    ground: &Ground,
    metres_per_height: f64,
    level: Level,
    areas: &[Area],
) -> Parts {
    let mut parts = Parts { whole: Part::default(), areas: vec![Part::default(); areas.len()] };
    let bands: Vec<Bands> = areas.iter().map(|area| Bands::of(area, surface)).collect();
    for triangle in &surface.triangles {
        let corners = surface.corners(triangle);
        let [a, b, c] = corners;
        let twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
        let middle = [0, 1].map(|axis| (a[axis] + b[axis] + c[axis]) / 3.0);
        let [metres_x, metres_y] = ground.at(middle[0], middle[1]);
        let size = twice * metres_x * metres_y;
        // A triangle is half a cell whose sides are two of its own.
        let cell = Cell::triangle(corners.map(|[x, y, z]| z - level.at(x, y)));
        let value = cell.whole(0.0, size, metres_per_height);
        parts.whole.add(&value, 1.0);
        for ((area, bands), sum) in areas.iter().zip(&bands).zip(&mut parts.areas) {
            if !bands.touch(area, &corners) {
                sum.add(&value, bands.times_inside(area, middle));
                continue;
            }
            let own = |[x, y]: [f64; 2]| {
                let (x, y) = (x - a[0], y - a[1]);
                let of_b = (x * (c[1] - a[1]) - (c[0] - a[0]) * y) / twice;
                let of_c = ((b[0] - a[0]) * y - x * (b[1] - a[1])) / twice;
                [of_b, of_c]
            };
            let inside = |patch: &Patch| {
                let mut sum = Above::default();
                area.edges.iter().for_each(|e| sum.add(patch.left_of_edge(own(e[0]), own(e[1])), 1.0));
                sum
            };
            sum.add(&cell.part(0.0, size, metres_per_height, inside), 1.0);
        }
    }
    parts
}

/// The edges of an area by the bands that they touch.
struct Bands {
    south: f64,
    height: f64,
    edges: Vec<Vec<u32>>,
}

impl Bands {
    fn of(area: &Area, surface: &Triangulation) -> Self {
        let ys = surface.points.iter().map(|p| p[1]);
        let [south, north] = ys.fold([f64::INFINITY, f64::NEG_INFINITY], |[s, n], y| [s.min(y), n.max(y)]);
        let height = ((north - south) / BANDS as f64).max(f64::MIN_POSITIVE);
        let mut bands = Bands { south, height, edges: vec![Vec::new(); BANDS] };
        for (number, [a, b]) in area.edges.iter().enumerate() {
            let (low, high) = (a[1].min(b[1]), a[1].max(b[1]));
            if high < south || low > north {
                continue;
            }
            let range = bands.band(low)..=bands.band(high);
            bands.edges[range].iter_mut().for_each(|band| band.push(number as u32));
        }
        bands
    }

    fn band(&self, y: f64) -> usize {
        (((y - self.south) / self.height).max(0.0) as usize).min(BANDS - 1)
    }

    /// Whether an edge comes near a triangle: into the rectangle around it.
    fn touch(&self, area: &Area, corners: &[[f64; 3]; 3]) -> bool {
        let ends =
            |values: [f64; 3]| [values[0].min(values[1]).min(values[2]), values[0].max(values[1]).max(values[2])];
        let ([west, east], [south, north]) = (ends(corners.map(|p| p[0])), ends(corners.map(|p| p[1])));
        let comes_in = |number: &u32| {
            let [a, b] = area.edges[*number as usize];
            a[0].max(b[0]) >= west && a[0].min(b[0]) <= east && a[1].max(b[1]) >= south && a[1].min(b[1]) <= north
        };
        self.edges[self.band(south)..=self.band(north)].iter().flatten().any(comes_in)
    }

    /// How many times an area covers a position: its edges to the east of it that run north, less those that run south.
    fn times_inside(&self, area: &Area, [x, y]: [f64; 2]) -> f64 {
        let turn = |number: &u32| {
            let [a, b] = area.edges[*number as usize];
            let is_beside = (a[1] <= y) != (b[1] <= y);
            let east_of = || a[0] + (y - a[1]) / (b[1] - a[1]) * (b[0] - a[0]) > x;
            if is_beside && east_of() { (b[1] - a[1]).signum() } else { 0.0 }
        };
        self.edges[self.band(y)].iter().map(turn).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::triangulation::triangulate;
    use crate::volume::volume;
    use crate::{Grid, RectifiedGrid};
    use proptest::prelude::*;

    fn square(west: f64, south: f64, east: f64, north: f64) -> Area {
        Area::of_polygons(&[vec![vec![[west, south], [east, south], [east, north], [west, north]]]])
    }

    #[test]
    fn a_plane_above_a_sloping_level_is_a_prism() {
        let points = vec![[0.0, 0.0, 2.0], [10.0, 0.0, 2.0], [10.0, 10.0, 2.0], [0.0, 10.0, 2.0], [3.0, 7.0, 2.0]];
        let surface = triangulate(points, &[], None).unwrap().surface;
        // The level reaches the ground at x = 5: a wedge 5 m wide on each side.
        let level = Level::plane(2.0, [5.0, 0.0], [0.4, 0.0]);
        let parts = volume_of_triangles(&surface, &Ground::of_unit(2.0), 0.5, level, &[square(-5.0, 2.0, 5.0, 6.0)]);
        // 5 · 10 m² · 1 m on either side, of which an area's metre counts four times, a height's half.
        assert!((parts.whole.above - 50.0 * 4.0 * 0.5).abs() < 1e-9 && (parts.whole.below - 100.0).abs() < 1e-9);
        let [area] = parts.areas[..] else { panic!() };
        assert!((area.above - 40.0).abs() < 1e-9 && area.below.abs() < 1e-9, "{area:?}");
        assert!((area.area - 80.0).abs() < 1e-9, "{area:?}");
    }

    proptest! {
        #[test]
        fn areas_that_part_a_surface_share_its_volume(
            points in prop::collection::vec((0.0..100.0f64, 0.0..100.0f64, -5.0..5.0f64), 3..40),
            at in 1.0..99.0f64, lean in -30.0..30.0f64, level in -4.0..4.0f64
        ) {
            let points = points.iter().map(|(x, y, z)| [500_000.0 + x, 5_000_000.0 + y, *z]).collect();
            let Ok(made) = triangulate(points, &[], None) else { return Ok(()) };
            let [west, south] = [500_000.0, 5_000_000.0];
            let ring = |points: &[[f64; 2]]| Area::of_polygons(&[vec![points.iter().map(|[x, y]| [west + x, south + y]).collect()]]);
            let (low, high) = (at, at + lean);
            let left = ring(&[[-200.0, -1.0], [low, -1.0], [high, 101.0], [-200.0, 101.0]]);
            let right = ring(&[[low, -1.0], [300.0, -1.0], [300.0, 101.0], [high, 101.0]]);
            let parts = volume_of_triangles(&made.surface, &Ground::plane(), 1.0, Level::flat(level), &[left, right]);
            let (whole, [a, b]) = (parts.whole, &parts.areas[..] ) else { panic!() };
            for of in [|p: &Part| p.above, |p: &Part| p.below, |p: &Part| p.area, |p: &Part| p.area_above] {
                prop_assert!((of(&whole) - of(a) - of(b)).abs() < 1e-6 * (1.0 + of(&whole)), "{whole:?} {a:?} {b:?}");
            }
            prop_assert!((whole.area - made.surface.size()).abs() < 1e-6 * whole.area);
        }

        #[test]
        fn triangles_of_a_plane_hold_what_its_grid_holds(a in -1.0..1.0f64, b in -1.0..1.0f64, level in -3.0..3.0f64, edge in -2.0..12.0f64) {
            let plane = |x: f64, y: f64| a * (x - 4.0) + b * (y - 6.0);
            let frame = RectifiedGrid { west: 0.0, north: 10.0, step_x: 2.0, step_y: 2.0, columns: 6, rows: 6 };
            let mut grid = Grid::from_function(frame, plane);
            let points = (0..36).map(|i| (f64::from(i % 6) * 2.0, f64::from(i / 6) * 2.0)).map(|(x, y)| [x, y, plane(x, y)]);
            let surface = triangulate(points.collect(), &[], None).unwrap().surface;
            let areas = [square(-1.0, 1.3, edge, 7.7)];
            let of_grid = volume(&mut grid, &Ground::plane(), 1.0, Level::flat(level), &areas).unwrap();
            let ours = volume_of_triangles(&surface, &Ground::plane(), 1.0, Level::flat(level), &areas);
            for (x, y) in [(of_grid.whole, ours.whole), (of_grid.areas[0], ours.areas[0])] {
                prop_assert!((x.above - y.above).abs() < 1e-7 && (x.below - y.below).abs() < 1e-7, "{x:?} {y:?}");
                prop_assert!((x.area - y.area).abs() < 1e-7, "{x:?} {y:?}");
            }
        }
    }
}
