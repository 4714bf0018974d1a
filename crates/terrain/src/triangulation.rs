//! Triangles made of points: those of Delaunay, in which the smallest angles are as large as can be, with edges that must
//! be there (break lines).

use spade::handles::FixedVertexHandle;
use spade::{ConstrainedDelaunayTriangulation, HasPosition, Point2, Triangulation as _};
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// A surface of triangles.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Triangulation {
    /// Easting, northing and height.
    pub points: Vec<[f64; 3]>,
    /// Places of their corners among the points, counter-clockwise.
    pub triangles: Vec<[u32; 3]>,
}

/// What was made of the points.
#[derive(Debug, Clone, PartialEq)]
pub struct Triangulated {
    /// The triangles.
    pub surface: Triangulation,
    /// Points at a position that an earlier one has, with another height; the first one counts. Those of break lines are
    /// counted behind the others.
    pub contradicting: Vec<usize>,
    /// Points that are there once more, heights too.
    pub repeated: u64,
    /// Triangles left out, as one of their edges is too long.
    pub too_long: u64,
    /// Places at which break lines cross each other; the height there is that of the later one.
    pub crossings: u64,
}

/// Why there are no triangles.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum TriangulationError {
    /// Less than three positions, or all on one line.
    #[error("{points} points at different positions make no triangle: three that are not on one line are expected")]
    NoTriangle {
        /// How many positions there are.
        points: usize,
    },
    /// A number that is too large, too small or none.
    #[error("a point has the position {x}, {y}, with which no triangles can be computed")]
    Position {
        /// Easting.
        x: f64,
        /// Northing.
        y: f64,
    },
}

#[derive(Debug, Clone, Copy)]
struct Vertex([f64; 3]);

impl HasPosition for Vertex {
    type Scalar = f64;

    fn position(&self) -> Point2<f64> {
        Point2::new(self.0[0], self.0[1])
    }
}

/// Makes triangles of points (easting, northing, height). Break lines are edges of triangles all along; their points belong
/// to the surface too. Triangles with an edge longer than `longest` are left out: they span bays that nobody measured.
///
/// # Errors
/// [`TriangulationError`].
///
/// ```
/// use basilocus_terrain::triangulation::triangulate;
///
/// let corners = vec![[0.0, 0.0, 1.0], [10.0, 0.0, 2.0], [10.0, 10.0, 3.0], [0.0, 10.0, 2.0]];
/// let made = triangulate(corners, &[], None)?;
/// assert_eq!((made.surface.triangles.len(), made.surface.size()), (2, 100.0));
/// # Ok::<(), basilocus_terrain::triangulation::TriangulationError>(())
/// ```
pub fn triangulate(
    mut points: Vec<[f64; 3]>,
    break_lines: &[Vec<[f64; 3]>],
    longest: Option<f64>,
) -> Result<Triangulated, TriangulationError> {
    let (mut contradicting, mut repeated) = (Vec::new(), 0);
    points.extend(break_lines.iter().flatten());
    // Positions are taken from the first one: large coordinates would cost the package's predicates digits.
    let origin = points.first().copied().unwrap_or_default();
    let local = |[x, y, z]: [f64; 3]| [x - origin[0], y - origin[1], z];
    let mut places: HashMap<[u64; 2], usize> = HashMap::with_capacity(points.len());
    let mut unique: Vec<Vertex> = Vec::with_capacity(points.len());
    for (i, point) in points.iter().copied().map(local).enumerate() {
        if spade::validate_vertex(&Vertex(point)).is_err() {
            return Err(TriangulationError::Position { x: point[0] + origin[0], y: point[1] + origin[1] });
        }
        match places.entry(key(&point)) {
            Entry::Vacant(free) => {
                free.insert(unique.len());
                unique.push(Vertex(point));
            }
            Entry::Occupied(taken) if unique[*taken.get()].0[2] == point[2] => repeated += 1,
            Entry::Occupied(_) => contradicting.push(i),
        }
    }
    let none = TriangulationError::NoTriangle { points: unique.len() };
    let mut mesh =
        ConstrainedDelaunayTriangulation::<Vertex>::bulk_load_cdt(unique, Vec::new()).map_err(|_| none.clone())?;
    // A closed break line says its first point again.
    repeated -=
        break_lines.iter().filter(|l| l.len() > 2 && l.first() == l.last()).count().min(repeated as usize) as u64;
    let before = mesh.num_vertices();
    for pair in break_lines.iter().flat_map(|line| line.windows(2)) {
        let [from, to] = [local(pair[0]), local(pair[1])];
        if let (Some(a), Some(b)) = (places.get(&key(&from)), places.get(&key(&to)))
            && a != b
        {
            add_edge(&mut mesh, [*a, *b].map(FixedVertexHandle::from_index));
        }
    }
    let crossings = (mesh.num_vertices() - before) as u64;
    let absolute = |v: &Vertex| [v.0[0] + origin[0], v.0[1] + origin[1], v.0[2]];
    let mut surface =
        Triangulation { points: mesh.vertices().map(|v| absolute(v.data())).collect(), triangles: Vec::new() };
    let mut too_long = 0;
    for face in mesh.inner_faces() {
        let corners = face.vertices();
        let at = |i: usize| corners[i].data().0;
        let length = |i: usize| (at(i)[0] - at((i + 1) % 3)[0]).hypot(at(i)[1] - at((i + 1) % 3)[1]);
        if longest.is_some_and(|longest| (0..3).any(|i| length(i) > longest)) {
            too_long += 1;
        } else {
            surface.triangles.push(corners.map(|v| v.index() as u32));
        }
    }
    if surface.triangles.is_empty() && too_long == 0 {
        return Err(none);
    }
    Ok(Triangulated { surface, contradicting, repeated, too_long, crossings })
}

/// What tells positions apart; zero and minus zero are one.
fn key([x, y, _]: &[f64; 3]) -> [u64; 2] {
    [x + 0.0, y + 0.0].map(f64::to_bits)
}

/// Makes an edge be there. Where it crosses another one that must be there, both get a point on it, with the height that
/// the new edge has there.
fn add_edge(mesh: &mut ConstrainedDelaunayTriangulation<Vertex>, [a, b]: [FixedVertexHandle; 2]) {
    if mesh.can_add_constraint(a, b) {
        mesh.add_constraint(a, b);
        return;
    }
    let [from, to] = [a, b].map(|v| mesh.vertex(v).data().0);
    mesh.add_constraint_and_split(a, b, |at| {
        let share = (at.x - from[0]).hypot(at.y - from[1]) / (to[0] - from[0]).hypot(to[1] - from[1]);
        Vertex([at.x, at.y, from[2] + (to[2] - from[2]) * share])
    });
}

impl Triangulation {
    /// The corners of a triangle.
    pub fn corners(&self, triangle: &[u32; 3]) -> [[f64; 3]; 3] {
        triangle.map(|i| self.points[i as usize])
    }

    /// Size of all triangles in the plane.
    pub fn size(&self) -> f64 {
        let of = |t: &[u32; 3]| {
            let [a, b, c] = self.corners(t);
            ((b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])) / 2.0
        };
        self.triangles.iter().map(of).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn points_on_one_line_make_no_triangle() {
        for points in [vec![], vec![[0.0; 3]], (0..5).map(|i| [f64::from(i), f64::from(i), 1.0]).collect::<Vec<_>>()] {
            let n = points.len();
            assert_eq!(triangulate(points, &[], None), Err(TriangulationError::NoTriangle { points: n }));
        }
        let bad = triangulate(vec![[0.0; 3], [f64::NAN, 1.0, 0.0], [1.0; 3]], &[], None);
        assert!(matches!(bad, Err(TriangulationError::Position { .. })), "{bad:?}");
    }

    #[test]
    fn points_that_come_twice_are_counted_and_the_first_height_counts() {
        let square = [[0.0, 0.0, 5.0], [10.0, 0.0, 5.0], [10.0, 10.0, 5.0], [0.0, 10.0, 5.0]];
        let mut points = square.to_vec();
        points.extend([[0.0, 0.0, 5.0], [-0.0, 0.0, 9.0], [10.0, 0.0, 6.0]]);
        let made = triangulate(points, &[], None).unwrap();
        assert_eq!((made.repeated, &made.contradicting[..]), (1, &[5, 6][..]));
        assert!(made.surface.points.iter().all(|p| p[2] == 5.0));
    }

    #[test]
    fn long_triangles_are_left_out() {
        // A row of squares with a gap of 20.
        let mut points = Vec::new();
        for x in [0.0, 1.0, 2.0, 22.0, 23.0] {
            points.extend([[x, 0.0, 0.0], [x, 1.0, 0.0]]);
        }
        let made = triangulate(points, &[], Some(3.0)).unwrap();
        assert_eq!((made.surface.size(), made.too_long), (3.0, 2));
    }

    #[test]
    fn a_break_line_is_an_edge_all_along() {
        // A levee across a flat: without its line the triangles would run across it.
        let mut points: Vec<[f64; 3]> = Vec::new();
        for i in 0..6 {
            for j in [0.0, 9.0] {
                points.push([f64::from(i) * 4.0 + 0.3 * j, j, 0.0]);
            }
        }
        let levee = vec![[1.0, 4.5, 8.0], [11.0, 4.5, 8.0], [22.0, 4.5, 8.0]];
        let made = triangulate(points, std::slice::from_ref(&levee), None).unwrap();
        assert_eq!((made.crossings, made.repeated), (0, 0));
        let edges: Vec<[[f64; 3]; 2]> = made
            .surface
            .triangles
            .iter()
            .flat_map(|t| {
                let [a, b, c] = made.surface.corners(t);
                [[a, b], [b, c], [c, a]]
            })
            .collect();
        for pair in levee.windows(2) {
            assert!(edges.contains(&[pair[0], pair[1]]) || edges.contains(&[pair[1], pair[0]]), "{pair:?}");
        }
    }

    #[test]
    fn crossing_break_lines_get_a_point_on_them() {
        let points = vec![[0.0, 0.0, 0.0], [10.0, 0.0, 0.0], [10.0, 10.0, 0.0], [0.0, 10.0, 0.0]];
        let lines = [vec![[1.0, 5.0, 4.0], [9.0, 5.0, 4.0]], vec![[5.0, 1.0, 2.0], [5.0, 9.0, 2.0]]];
        let made = triangulate(points, &lines, None).unwrap();
        assert_eq!(made.crossings, 1);
        assert!(made.surface.points.iter().any(|p| p[0] == 5.0 && p[1] == 5.0));
    }

    proptest! {
        #[test]
        fn triangles_fill_the_hull_and_none_has_a_point_within_its_circle(
            points in prop::collection::vec((0u16..200, 0u16..200), 3..60)
        ) {
            // Far from the origin, as eastings and northings are.
            let points: Vec<[f64; 3]> =
                points.iter().map(|(x, y)| [500_000.0 + f64::from(*x), 5_000_000.0 + f64::from(*y), 1.0]).collect();
            let Ok(made) = triangulate(points, &[], None) else { return Ok(()) };
            let surface = made.surface;
            let mut edges = std::collections::HashMap::new();
            for t in &surface.triangles {
                let [a, b, c] = surface.corners(t);
                let twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
                prop_assert!(twice > 0.0, "counter-clockwise");
                for i in 0..3 {
                    *edges.entry((t[i], t[(i + 1) % 3])).or_insert(0) += 1;
                }
                for p in &surface.points {
                    // The determinant of the circle through three points, above zero inside.
                    let d = [a, b, c].map(|v| {
                        let (x, y) = (v[0] - p[0], v[1] - p[1]);
                        [x, y, x * x + y * y]
                    });
                    let det = d[0][0] * (d[1][1] * d[2][2] - d[2][1] * d[1][2])
                        - d[0][1] * (d[1][0] * d[2][2] - d[2][0] * d[1][2])
                        + d[0][2] * (d[1][0] * d[2][1] - d[2][0] * d[1][1]);
                    prop_assert!(det <= 0.0, "whole numbers are exact");
                }
            }
            prop_assert!(edges.values().all(|n| *n == 1), "no triangle lies on another");
        }
    }
}
