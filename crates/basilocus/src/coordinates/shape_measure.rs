//! Lengths, areas and distances of single shapes: on the ellipsoid where a system is in degrees, in its plane and unit else.

use crate::Error;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::{Geodesic, area};
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::projection::Projection;
use basilocus_table::geometry::{Geometry, Position, ring_turn, separation};

/// Halvings that find where an edge is nearest, by the golden section: below a ten-millionth of an edge.
const HALVINGS: usize = 40;

/// How the shapes of a system are measured.
///
/// ```
/// use basilocus::coordinates::{shape_measure::ShapeMeasure, system};
/// use basilocus::table::geometry::wkt;
///
/// let degree = wkt::read("LINESTRING (0 0, 1 0)")?;
/// // A degree of the equator of WGS 84.
/// let metres = ShapeMeasure::of(&system::find("EPSG:4326")?.crs)?.length(&degree).unwrap();
/// assert!((metres - 111_319.490_793).abs() < 1e-6);
/// // Lengths on the web's map of the world are not those of the ground.
/// assert!(ShapeMeasure::of(&system::find("EPSG:3857")?.crs).is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct ShapeMeasure {
    ground: Ground,
    unit: String,
}

#[derive(Debug, Clone)]
enum Ground {
    Curved(Box<Curved>),
    Plane,
}

/// An ellipsoid, and the way to degrees on it.
#[derive(Debug, Clone)]
struct Curved {
    to_degrees: Operation,
    geodesic: Geodesic,
    ellipsoid: Ellipsoid,
}

impl ShapeMeasure {
    /// For the shapes of a system.
    ///
    /// # Errors
    /// [`Error::Usage`] for pseudo-Mercator, whose lengths are not those of the ground, and for geocentric and vertical systems;
    /// [`Error::Geodesy`] for a system that is not known well enough.
    pub fn of(crs: &Crs) -> Result<Self, Error> {
        if matches!(crs.projection()?, Some(Projection::PseudoMercator(_))) {
            return Err(Error::Usage(format!(
                "lengths and areas in {} are stretched by nearly a half at 48° and only at the equator those of the ground: bring the shapes to another system first, such as EPSG:4326, whose lengths are geodesic",
                crs.title()
            )));
        }
        match &crs.horizontal().kind {
            Kind::Geographic { .. } => {
                let Some(datum) = crs.datum() else {
                    return Err(Error::Usage(format!("{} has no datum, so nobody knows how large it is", crs.title())));
                };
                let curved = Curved {
                    to_degrees: Operation::to_degrees(crs)?,
                    geodesic: Geodesic::new(&datum.ellipsoid),
                    ellipsoid: datum.ellipsoid.clone(),
                };
                Ok(ShapeMeasure { ground: Ground::Curved(Box::new(curved)), unit: "metre".into() })
            }
            Kind::Projected { unit, .. } => Ok(ShapeMeasure { ground: Ground::Plane, unit: unit.name.clone() }),
            Kind::Engineering { .. } => Ok(ShapeMeasure { ground: Ground::Plane, unit: crs.unit_words() }),
            _ => Err(Error::Usage(format!("{} has no plane to measure in", crs.title()))),
        }
    }

    /// For numbers of which nobody says what they are: their plane.
    pub fn of_numbers() -> Self {
        ShapeMeasure { ground: Ground::Plane, unit: String::new() }
    }

    /// What lengths are counted in; areas in its square.
    pub fn unit(&self) -> &str {
        &self.unit
    }

    /// Length of the lines of a geometry; `None` where it has none, or a position has no place.
    pub fn length(&self, geometry: &Geometry) -> Option<f64> {
        match geometry {
            Geometry::LineString(line) => self.path(line),
            Geometry::MultiLineString(lines) => lines.iter().map(|line| self.path(line)).sum(),
            Geometry::Collection(list) => self.sum(list, Self::length),
            _ => None,
        }
    }

    /// Length of the rings of all polygons; `None` where there are none.
    pub fn perimeter(&self, geometry: &Geometry) -> Option<f64> {
        let around = |rings: &[Vec<Position>]| rings.iter().map(|ring| self.path(ring)).sum::<Option<f64>>();
        match geometry {
            Geometry::Polygon(rings) => around(rings),
            Geometry::MultiPolygon(list) => list.iter().map(|rings| around(rings)).sum(),
            Geometry::Collection(list) => self.sum(list, Self::perimeter),
            _ => None,
        }
    }

    /// Area of all polygons, without their holes; `None` where there are none.
    pub fn area(&self, geometry: &Geometry) -> Option<f64> {
        match geometry {
            Geometry::Polygon(rings) => self.polygon(rings),
            Geometry::MultiPolygon(list) => list.iter().map(|rings| self.polygon(rings)).sum(),
            Geometry::Collection(list) => self.sum(list, Self::area),
            _ => None,
        }
    }

    fn sum(&self, list: &[Geometry], of: fn(&Self, &Geometry) -> Option<f64>) -> Option<f64> {
        list.iter().filter_map(|g| of(self, g)).reduce(|a, b| a + b)
    }

    fn path(&self, line: &[Position]) -> Option<f64> {
        match &self.ground {
            Ground::Plane => Some(line.windows(2).map(|w| (w[1].x - w[0].x).hypot(w[1].y - w[0].y)).sum()),
            Ground::Curved(c) => Some(area::path_length_m(&c.ellipsoid, &degrees(&c.to_degrees, line)?)),
        }
    }

    fn polygon(&self, rings: &[Vec<Position>]) -> Option<f64> {
        let one = |ring: &Vec<Position>| match &self.ground {
            Ground::Plane => Some((ring_turn(ring) / 2.0).abs()),
            Ground::Curved(c) => {
                let mut points = degrees(&c.to_degrees, ring)?;
                // The last position says the first again.
                points.pop();
                Some(area::ring(&c.ellipsoid, &points).area_m2.abs())
            }
        };
        let (outer, holes) = rings.split_first()?;
        holes.iter().try_fold(one(outer)?, |left, hole| Some(left - one(hole)?))
    }

    /// The shortest distance between two geometries, 0 where they meet; `None` where one is empty. Edges are straight in the
    /// coordinates, across the 180° meridian too.
    ///
    /// On the ellipsoid the edges that are tried are those that are nearest in a plane true to scale between both: shapes that are
    /// thousands of kilometres apart or long may be nearer elsewhere, points never.
    pub fn distance(&self, a: &Geometry, b: &Geometry) -> Option<f64> {
        let Ground::Curved(curved) = &self.ground else {
            let [p, q] = separation::nearest(a, b, [1.0, 1.0])?;
            return Some((p.x - q.x).hypot(p.y - q.y));
        };
        let geodesic = &curved.geodesic;
        let (a, b) = (in_degrees(&curved.to_degrees, a)?, in_degrees(&curved.to_degrees, b)?);
        if let (Geometry::Point(p), Geometry::Point(q)) = (&a, &b) {
            return Some(geodesic.inverse(p.x, p.y, q.x, q.y).distance_m);
        }
        let turns = [-360.0, 0.0, 360.0].into_iter();
        turns.filter_map(|turn| nearest_on_ellipsoid(geodesic, &a, &turned(&b, turn))).reduce(f64::min)
    }
}

/// Positions in degrees; none where one has no place there.
fn degrees(to_degrees: &Operation, line: &[Position]) -> Option<Vec<(f64, f64)>> {
    let (mut x, mut y): (Vec<f64>, Vec<f64>) = line.iter().map(|p| (p.x, p.y)).unzip();
    let mut z = vec![f64::NAN; x.len()];
    to_degrees.apply(&mut x, &mut y, &mut z);
    let all = x.iter().chain(&y).all(|v| v.is_finite());
    all.then(|| x.into_iter().zip(y).collect())
}

fn in_degrees(to_degrees: &Operation, geometry: &Geometry) -> Option<Geometry> {
    let (mut out, mut placed) = (geometry.clone(), true);
    out.each_position_mut(&mut |p| match to_degrees.apply_one(p.x, p.y, f64::NAN) {
        Some((lon, lat, _)) => *p = Position::xy(lon, lat),
        None => placed = false,
    });
    placed.then_some(out)
}

fn turned(geometry: &Geometry, degrees: f64) -> Geometry {
    let mut out = geometry.clone();
    out.each_position_mut(&mut |p| p.x += degrees);
    out
}

/// The shortest distance on the ellipsoid: of the positions that are nearest in a plane that is true to scale between both, and
/// of those near them along their edges.
fn nearest_on_ellipsoid(geodesic: &Geodesic, a: &Geometry, b: &Geometry) -> Option<f64> {
    let ([_, s, _, n], [_, t, _, m]) = (a.bounds()?, b.bounds()?);
    let between = (s + n + t + m) / 4.0;
    let scale = [between.to_radians().cos().max(1e-9), 1.0];
    let [p, q] = separation::nearest(a, b, scale)?;
    if (p.x, p.y) == (q.x, q.y) {
        return Some(0.0);
    }
    // The plane is not the ellipsoid: what is a little farther in it may be nearer on the ground.
    let reach = ((p.x - q.x) * scale[0]).hypot(p.y - q.y) * 1.05 + 1e-9;
    let forth = along_edges(geodesic, a, b, reach, scale);
    let back = along_edges(geodesic, b, a, reach, scale);
    let start = geodesic.inverse(p.x, p.y, q.x, q.y).distance_m;
    Some([forth, back].into_iter().flatten().fold(start, f64::min))
}

/// The shortest distance from a position of the first to an edge of the second, of those that may be the nearest.
fn along_edges(geodesic: &Geodesic, a: &Geometry, b: &Geometry, reach: f64, scale: [f64; 2]) -> Option<f64> {
    let mut edges: Vec<[Position; 2]> = Vec::new();
    each_edge(b, &mut |edge| edges.push(edge));
    let mut least: Option<f64> = None;
    a.each_position(&mut |p| {
        for [u, v] in &edges {
            let edge = Geometry::LineString(vec![*u, *v]);
            let Some([_, foot]) = separation::nearest(&Geometry::Point(*p), &edge, scale) else { continue };
            if ((p.x - foot.x) * scale[0]).hypot(p.y - foot.y) > reach {
                continue;
            }
            let at = |t: f64| geodesic.inverse(p.x, p.y, u.x + t * (v.x - u.x), u.y + t * (v.y - u.y)).distance_m;
            let found = smallest(&at).min(at(0.0)).min(at(1.0));
            least = Some(least.map_or(found, |l| l.min(found)));
        }
    });
    least
}

fn each_edge(geometry: &Geometry, f: &mut dyn FnMut([Position; 2])) {
    let mut line = |list: &[Position]| match list {
        [alone] => f([*alone, *alone]),
        _ => list.windows(2).for_each(|w| f([w[0], w[1]])),
    };
    match geometry {
        Geometry::Point(p) => line(&[*p]),
        Geometry::MultiPoint(points) => points.iter().for_each(|p| line(&[*p])),
        Geometry::LineString(list) => line(list),
        Geometry::MultiLineString(lists) | Geometry::Polygon(lists) => lists.iter().for_each(|l| line(l)),
        Geometry::MultiPolygon(polygons) => polygons.iter().flatten().for_each(|l| line(l)),
        Geometry::Collection(list) => list.iter().for_each(|g| each_edge(g, f)),
    }
}

/// The smallest value of a function with one valley between 0 and 1, by the golden section.
fn smallest(f: &dyn Fn(f64) -> f64) -> f64 {
    let ratio = (5f64.sqrt() - 1.0) / 2.0;
    let (mut low, mut high) = (0.0, 1.0);
    let (mut a, mut b) = (high - ratio * (high - low), low + ratio * (high - low));
    let (mut at_a, mut at_b) = (f(a), f(b));
    for _ in 0..HALVINGS {
        if at_a <= at_b {
            (high, b, at_b) = (b, a, at_a);
            a = high - ratio * (high - low);
            at_a = f(a);
        } else {
            (low, a, at_a) = (a, b, at_b);
            b = low + ratio * (high - low);
            at_b = f(b);
        }
    }
    at_a.min(at_b)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::coordinates::system;
    use basilocus_table::geometry::wkt;

    fn of(code: &str) -> ShapeMeasure {
        ShapeMeasure::of(&system::find(code).unwrap().crs).unwrap()
    }

    fn read(text: &str) -> Geometry {
        wkt::read(text).unwrap()
    }

    #[test]
    fn a_plane_is_measured_in_its_unit() {
        let feet = of("EPSG:2269");
        assert_eq!(feet.unit(), "foot");
        let square = read("POLYGON ((0 0, 10 0, 10 10, 0 10, 0 0), (1 1, 1 2, 2 2, 2 1, 1 1))");
        assert_eq!((feet.area(&square), feet.perimeter(&square), feet.length(&square)), (Some(99.0), Some(44.0), None));
        let path = read("GEOMETRYCOLLECTION (LINESTRING (0 0, 3 4), MULTILINESTRING ((0 0, 1 0), (0 0, 0 1)))");
        assert_eq!((feet.length(&path), feet.area(&path)), (Some(7.0), None));
        assert_eq!(feet.distance(&path, &read("POINT (3 10)")), Some(6.0));
    }

    /// A quadrant of the meridian of WGS 84 is 10,001,965.729 m (NIMA TR8350.2); a degree of the equator is a·π/180.
    #[test]
    fn degrees_are_measured_on_the_ellipsoid() {
        let wgs84 = of("EPSG:4326");
        let quadrant = wgs84.length(&read("LINESTRING (10 0, 10 90)")).unwrap();
        assert!((quadrant - 10_001_965.729).abs() < 0.001, "{quadrant}");
        let degree = 6_378_137.0 * std::f64::consts::PI / 180.0;
        for (a, b) in [("POINT (179.5 0)", "POINT (-179.5 0)"), ("POINT (179.5 0)", "LINESTRING (-179.5 0, -170 0)")] {
            let found = wgs84.distance(&read(a), &read(b)).unwrap();
            assert!((found - degree).abs() < 1e-6, "{a} to {b}: {found}");
        }
        // From the pole to a parallel all ways are as long; from the equator to a meridian the shortest is along the equator.
        let to_meridian = wgs84.distance(&read("POINT (0 0)"), &read("LINESTRING (1 -5, 1 7)")).unwrap();
        assert!((to_meridian - degree).abs() < 1e-6, "{to_meridian}");
        // North of the equator the nearest place of a meridian lies a little farther north than the position.
        let point = read("POINT (0 60)");
        let found = wgs84.distance(&point, &read("LINESTRING (2 50, 2 70)")).unwrap();
        let g = Geodesic::new(&Ellipsoid::wgs84());
        let steps = (0..=200_000).map(|i| g.inverse(0.0, 60.0, 2.0, 59.9 + f64::from(i) * 1e-6).distance_m);
        let tried = steps.fold(f64::INFINITY, f64::min);
        assert!((found - tried).abs() < 1e-6, "{found} for {tried}");
        assert!(found < g.inverse(0.0, 60.0, 2.0, 60.0).distance_m - 1.0);
        // Inside of an area it is nothing.
        assert_eq!(wgs84.distance(&point, &read("POLYGON ((-1 59, 1 59, 1 61, -1 61, -1 59))")), Some(0.0));
    }

    #[test]
    fn the_map_of_the_web_is_refused() {
        let crs = system::find("EPSG:3857").unwrap().crs;
        let told = ShapeMeasure::of(&crs).unwrap_err().to_string();
        assert!(told.contains("stretched") && told.contains("EPSG:4326"), "{told}");
    }
}
