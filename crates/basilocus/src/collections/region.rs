//! A shape in any system, and which features meet it. Features are brought to the system of the shape: an extent in
//! degrees has edges along meridians and parallels, whatever system the features are kept in.

use super::Unusable;
use super::system_name::SystemName;
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::engine::is_in_degrees;
use crate::steps::to::bring_shapes;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::operation::Operation;
use basilocus_table::geometry::intersection::intersects;
use basilocus_table::geometry::{Geometry, Position};

/// A shape in a system.
#[derive(Debug, Clone, PartialEq)]
pub struct Region {
    /// The shape; easting or longitude first.
    pub shape: Geometry,
    /// Its system.
    pub system: SystemName,
    /// Lowest and highest height that counts, where any is said. What has no height is not asked for one.
    pub heights: Option<[f64; 2]>,
}

impl Region {
    /// An extent of four numbers, or six with heights, in the order of the system's axes. In degrees its western edge may be
    /// east of its eastern one: then it lies across the 180° meridian.
    ///
    /// # Errors
    /// [`Unusable`], what is wrong with the numbers.
    pub fn extent(numbers: &[f64], system: SystemName) -> Result<Self, Unusable> {
        let (low, high, heights) = match numbers {
            [a, b, c, d] => ([*a, *b], [*c, *d], None),
            [a, b, low, c, d, high] => ([*a, *b], [*c, *d], Some([*low, *high])),
            _ => return Err(format!("{} numbers; four, or six with heights, are expected", numbers.len()).into()),
        };
        if numbers.iter().any(|n| !n.is_finite()) {
            return Err("numbers that are finite are expected".to_string().into());
        }
        let ([west, south], [east, north]) = (system.turned(low), system.turned(high));
        let axes = if system.north_first { "south,west,north,east" } else { "west,south,east,north" };
        if south > north || heights.is_some_and(|[low, high]| low > high) {
            return Err(format!("the lower corner lies above the upper one; {axes} is the order of this system").into());
        }
        let in_degrees = is_in_degrees(&system.crs);
        if in_degrees && (west.abs() > 180.0 || east.abs() > 180.0 || south < -90.0 || north > 90.0) {
            return Err(format!(
                "longitudes lie from -180 to 180 and latitudes from -90 to 90; {axes} is the order of this system"
            )
            .into());
        }
        let shape = match west <= east {
            // What lies on the 180° meridian is on both of its sides.
            true if in_degrees && west == -180.0 && east < 180.0 => Geometry::MultiPolygon(vec![
                vec![rectangle(west, south, east, north)],
                vec![rectangle(180.0, south, 180.0, north)],
            ]),
            true if in_degrees && east == 180.0 && west > -180.0 => Geometry::MultiPolygon(vec![
                vec![rectangle(west, south, east, north)],
                vec![rectangle(-180.0, south, -180.0, north)],
            ]),
            true => Geometry::Polygon(vec![rectangle(west, south, east, north)]),
            false if in_degrees => Geometry::MultiPolygon(vec![
                vec![rectangle(west, south, 180.0, north)],
                vec![rectangle(-180.0, south, east, north)],
            ]),
            false => {
                return Err(format!(
                    "the western edge lies east of the eastern one; {axes} is the order of this system"
                )
                .into());
            }
        };
        Ok(Region { shape, system, heights })
    }

    /// The region as features of a system are tried against it.
    pub(super) fn bound(self, storage: &Crs, finder: &Finder) -> Result<BoundRegion, Error> {
        let to_region = finder.find(storage, &self.system.crs)?;
        let to_storage = finder.find(&self.system.crs, storage)?;
        let near = bounds_near(&self.shape, &to_storage, storage.is_geographic());
        let is_moved = !storage.is_same(&self.system.crs);
        let is_rectangle = |b: &[f64; 4]| self.shape == Geometry::Polygon(vec![rectangle(b[0], b[1], b[2], b[3])]);
        let rectangle = self.shape.bounds().filter(is_rectangle);
        Ok(BoundRegion { rectangle, region: self, to_region: is_moved.then_some(to_region), near })
    }
}

fn rectangle(west: f64, south: f64, east: f64, north: f64) -> Vec<Position> {
    [(west, south), (east, south), (east, north), (west, north), (west, south)]
        .map(|(x, y)| Position::xy(x, y))
        .to_vec()
}

/// A region that features are tried against.
pub(super) struct BoundRegion {
    region: Region,
    /// From the system of the features; none where they share it.
    to_region: Option<Operation>,
    /// The shape, where it is one rectangle along the axes.
    rectangle: Option<[f64; 4]>,
    /// Rectangles in the system of the features outside of which nothing meets it; none where it may be anywhere.
    pub near: Option<Vec<[f64; 4]>>,
}

impl BoundRegion {
    /// Whether a feature's shape meets it.
    pub fn meets(&self, shape: Geometry) -> bool {
        if let Some([low, high]) = self.region.heights {
            let (mut lowest, mut highest) = (f64::INFINITY, f64::NEG_INFINITY);
            shape.each_position(&mut |p| {
                if !p.z.is_nan() {
                    (lowest, highest) = (lowest.min(p.z), highest.max(p.z));
                }
            });
            if lowest <= highest && (highest < low || lowest > high) {
                return false;
            }
        }
        let shape = match (&self.to_region, shape) {
            (None, shape) => Some(shape),
            // Points are many, and need no lists of positions.
            (Some(operation), Geometry::Point(p)) => {
                operation.apply_one(p.x, p.y, p.z).map(|(x, y, _)| Geometry::Point(Position::xy(x, y)))
            }
            (Some(operation), shape) => moved(shape, operation),
        };
        let Some(shape) = shape else { return false };
        match (&self.rectangle, &shape) {
            (Some([west, south, east, north]), Geometry::Point(p)) => {
                *west <= p.x && p.x <= *east && *south <= p.y && p.y <= *north
            }
            _ => intersects(&self.region.shape, &shape),
        }
    }
}

/// A shape in another system; nothing where one of its positions has no place there.
pub(super) fn moved(shape: Geometry, operation: &Operation) -> Option<Geometry> {
    let mut one = [Some(shape)];
    let refused = bring_shapes(operation, &mut one);
    let [moved] = one;
    moved.filter(|_| refused.is_empty())
}

/// Steps along each side of a rectangle.
const STEPS: usize = 32;

/// Room for what bends between two steps, and for rounding.
fn with_room([west, south, east, north]: [f64; 4]) -> [f64; 4] {
    // A twentieth is more than what bends; the last term is for a point.
    let room = |low: f64, high: f64| (high - low) * 0.05 + low.abs().max(high.abs()) * 1e-9 + 1e-9;
    let (across, up) = (room(west, east), room(south, north));
    [west - across, south - up, east + across, north + up]
}

/// Rectangles around a shape in another system, with room for what bends between the positions that are tried; none where
/// the shape's edge has no place there or goes around, so that nothing can be said.
fn bounds_near(shape: &Geometry, operation: &Operation, to_degrees: bool) -> Option<Vec<[f64; 4]>> {
    let parts: Vec<Geometry> = match shape {
        Geometry::MultiPolygon(polygons) => polygons.iter().map(|p| Geometry::Polygon(p.clone())).collect(),
        other => vec![other.clone()],
    };
    parts.iter().map(|part| rectangle_near(part.bounds()?, operation, to_degrees).map(with_room)).collect()
}

/// The rectangle around another one in another system.
pub(super) fn rectangle_near(
    [west, south, east, north]: [f64; 4],
    operation: &Operation,
    to_degrees: bool,
) -> Option<[f64; 4]> {
    let along = |from: f64, to: f64, i: usize| from + (to - from) * i as f64 / STEPS as f64;
    let (mut x, mut y) = (Vec::new(), Vec::new());
    // The edge is the first and the last row and the ends of the others; what is inside is tried as well, so that a place in
    // the middle without an image is seen.
    for i in 0..=STEPS {
        for j in 0..=STEPS {
            x.push(along(west, east, j));
            y.push(along(south, north, i));
        }
    }
    let mut z = vec![f64::NAN; x.len()];
    operation.apply(&mut x, &mut y, &mut z);
    if x.iter().chain(&y).any(|v| !v.is_finite()) {
        return None;
    }
    // Neighbours whose longitudes are far apart have a pole or the 180° meridian between them.
    let has_jump = |a: usize, b: usize| to_degrees && (x[a] - x[b]).abs() > 90.0;
    let side = STEPS + 1;
    let neighbours = (0..side * side)
        .flat_map(|k| [(k % side + 1 < side).then_some((k, k + 1)), (k + side < side * side).then_some((k, k + side))]);
    if neighbours.flatten().any(|(a, b)| has_jump(a, b)) {
        return None;
    }
    let of = |v: &[f64]| v.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(*v), h.max(*v)));
    let ((west, east), (south, north)) = (of(&x), of(&y));
    Some([west, south, east, north])
}
