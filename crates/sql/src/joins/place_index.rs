//! Where the geometries of rows are: the rectangles around them, searched by rectangles.

use crate::Error;
use crate::functions::geometry_column::GeometryColumn;
use datafusion::arrow::array::ArrayRef;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

/// West, south, east, north; nothing for a row without a geometry.
pub(super) type Bounds = Option<[f64; 4]>;

/// The bounds of the geometries of a column.
///
/// # Errors
/// [`Error::Call`] for bytes that are no geometry.
pub(super) fn bounds_of(column: &ArrayRef) -> Result<Vec<Bounds>, Error> {
    let broken = |what: String| Error::Call { function: "JOIN", what };
    let geometries = GeometryColumn::of(column).map_err(broken)?;
    (0..column.len())
        .map(|row| match geometries.plain_point(row) {
            Some(point) => Ok(point.map(|[x, y]| [x, y, x, y])),
            None => Ok(geometries.get(row).map_err(broken)?.and_then(|g| g.bounds())),
        })
        .collect()
}

/// Metres of a degree of latitude where it is shortest, on all ellipsoids of the Earth.
const DEGREE_M: f64 = 110_000.0;

/// The rectangles in which everything lies that is within a distance of a rectangle; in degrees the distance is metres, and what
/// lies across the 180° meridian is there too.
pub(super) fn within_reach([west, south, east, north]: [f64; 4], most: f64, in_degrees: bool) -> Vec<[f64; 4]> {
    if !in_degrees {
        return vec![[west - most, south - most, east + most, north + most]];
    }
    let up = most / DEGREE_M;
    let (south, north) = (south - up, north + up);
    let farthest = south.abs().max(north.abs());
    // Around a pole all longitudes are near.
    if farthest >= 89.9 {
        return vec![[-540.0, south, 540.0, north]];
    }
    let aside = up / farthest.to_radians().cos();
    [-360.0, 0.0, 360.0].map(|turn| [west - aside + turn, south, east + aside + turn, north]).to_vec()
}

/// Rows by where they are.
pub(super) struct PlaceIndex(RTree<GeomWithData<Rectangle<[f64; 2]>, u32>>);

impl PlaceIndex {
    pub(super) fn of(bounds: &[Bounds]) -> Self {
        let known = bounds.iter().enumerate().filter_map(|(row, b)| Some((row, (*b)?)));
        let rectangles = known.map(|(row, [west, south, east, north])| {
            let rectangle = Rectangle::from_corners([west, south], [east, north]);
            GeomWithData::new(rectangle, row as u32)
        });
        PlaceIndex(RTree::bulk_load(rectangles.collect()))
    }

    /// The rows whose bounds meet a rectangle, in their order.
    pub(super) fn meeting(&self, [west, south, east, north]: [f64; 4], out: &mut Vec<u32>) {
        out.clear();
        let around = AABB::from_corners([west, south], [east, north]);
        out.extend(self.0.locate_in_envelope_intersecting(&around).map(|found| found.data));
        out.sort_unstable();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reach_holds_what_is_near() {
        let [around] = within_reach([1.0, 2.0, 3.0, 4.0], 10.0, false)[..] else { panic!() };
        assert_eq!(around, [-9.0, -8.0, 13.0, 14.0]);
        // 100 km at 60° north are 1.8 degrees of longitude.
        let around = within_reach([179.5, 60.0, 179.5, 60.0], 100_000.0, true);
        assert!(around[1][2] > 181.29 && around[0][0] < -182.2 && around[0][2] > -178.71, "{around:?}");
        assert_eq!(within_reach([0.0, 89.5, 0.0, 89.5], 100_000.0, true)[0][2], 540.0);
    }

    #[test]
    fn rectangles_that_touch_meet() {
        let index = PlaceIndex::of(&[Some([0.0, 0.0, 1.0, 1.0]), None, Some([1.0, 1.0, 2.0, 2.0]), Some([5.0; 4])]);
        let mut found = vec![99];
        index.meeting([1.0, 1.0, 1.0, 1.0], &mut found);
        assert_eq!(found, [0, 2]);
        index.meeting([3.0, 3.0, 5.0, 5.0], &mut found);
        assert_eq!(found, [3]);
        index.meeting([-2.0, -2.0, -1.0, 9.0], &mut found);
        assert!(found.is_empty());
    }
}
