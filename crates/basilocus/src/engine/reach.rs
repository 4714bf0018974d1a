//! How far the positions of rows reach, also where they lie on both sides of the 180° meridian.

use super::Rows;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_table::batch::spatial_index;
use basilocus_table::geometry::{Geometry, antimeridian};

/// The edges of rows, gathered block by block.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Reach {
    /// West, south, east, north.
    bounds: Option<[f64; 4]>,
    /// Smallest and largest x below zero, and the others.
    halves: [Option<[f64; 2]>; 2],
}

/// Whether a system is in degrees.
pub(crate) fn is_in_degrees(crs: &Crs) -> bool {
    matches!(&crs.horizontal().kind, Kind::Geographic { unit, .. } if unit.degrees == 1.0)
}

fn widen(slot: &mut Option<[f64; 2]>, [low, high]: [f64; 2]) {
    let there = slot.get_or_insert([low, high]);
    *there = [there[0].min(low), there[1].max(high)];
}

impl Reach {
    /// The middle of the bounds.
    pub(crate) fn middle(&self) -> Option<[f64; 2]> {
        self.bounds.map(|[w, s, e, n]| [(w + e) / 2.0, (s + n) / 2.0])
    }

    /// Of the geometry of rows.
    pub(crate) fn of(rows: &Rows) -> Self {
        let mut reach = Reach::default();
        match rows.shapes() {
            Some(shapes) => (0..rows.len()).filter_map(|r| shapes.get(r)).for_each(|g| reach.add(&g)),
            None if spatial_index(rows.records().schema_ref()).is_some() => {
                let [x, y, _] = rows.positions();
                for (x, y) in x.iter().zip(&y).filter(|(x, _)| x.is_finite()) {
                    reach.add_bounds([*x, *y, *x, *y]);
                    widen(&mut reach.halves[usize::from(*x >= 0.0)], [*x, *x]);
                }
            }
            None => {}
        }
        reach
    }

    fn add_bounds(&mut self, b: [f64; 4]) {
        let e = self.bounds.get_or_insert(b);
        *e = [e[0].min(b[0]), e[1].min(b[1]), e[2].max(b[2]), e[3].max(b[3])];
    }

    fn add(&mut self, g: &Geometry) {
        let Some(b) = g.bounds() else { return };
        self.add_bounds(b);
        // What could be degrees and is wide enough may lie across the meridian.
        let wide = b[0] >= -360.0 && b[2] <= 360.0 && (b[2] - b[0] > 180.0 || b[0] < -180.0 || b[2] > 180.0);
        let [w, _, e, _] = if wide { antimeridian::bounds(g).unwrap_or(b) } else { b };
        let parts = if e > 180.0 { [[w, 180.0], [-180.0, e - 360.0]] } else { [[w, e], [w, e]] };
        for [low, high] in parts {
            if low < 0.0 {
                widen(&mut self.halves[0], [low, high.min(0.0)]);
            }
            if high >= 0.0 {
                widen(&mut self.halves[1], [low.max(0.0), high]);
            }
        }
    }

    pub(crate) fn merge(&mut self, other: Reach) {
        other.bounds.into_iter().for_each(|b| self.add_bounds(b));
        for (half, more) in self.halves.iter_mut().zip(other.halves) {
            more.into_iter().for_each(|m| widen(half, m));
        }
    }

    /// West, south, east, north. In degrees the west is larger than the east where the rows lie nearer together across the
    /// 180° meridian.
    pub(crate) fn extent(&self, in_degrees: bool) -> Option<[f64; 4]> {
        let [w, s, e, n] = self.bounds?;
        if let (true, [Some([west_low, west_high]), Some([east_low, east_high])]) = (in_degrees, self.halves) {
            let (across_zero, across_180) = (east_low - west_high, west_low + 360.0 - east_high);
            if across_zero > 180.0 && across_180 < across_zero {
                return Some([east_low, s, west_high, n]);
            }
        }
        Some([w, s, e, n])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::wkt;

    fn reach(texts: &[&str]) -> Reach {
        let mut all = Reach::default();
        for text in texts {
            let mut one = Reach::default();
            one.add(&wkt::read(text).unwrap());
            all.merge(one);
        }
        all
    }

    #[test]
    fn the_meridian_is_crossed_where_that_is_the_shorter_way() {
        let fiji = reach(&["POINT (178 -18)", "POINT (-179 -17)", "LINESTRING (179.5 -16, -179.5 -16)"]);
        assert_eq!(fiji.extent(true), Some([178.0, -18.0, -179.0, -16.0]));
        assert_eq!(fiji.extent(false), Some([-179.5, -18.0, 179.5, -16.0]), "metres have no meridian");
        let counted_on = reach(&["POLYGON ((179 0, 181 0, 181 1, 179 1, 179 0))"]);
        assert_eq!(counted_on.extent(true), Some([179.0, 0.0, -179.0, 1.0]));
        let atlantic = reach(&["POINT (-60 10)", "POINT (10 50)"]);
        assert_eq!(atlantic.extent(true), Some([-60.0, 10.0, 10.0, 50.0]));
        let world = reach(&["POINT (-170 0)", "POINT (170 0)", "POINT (0 0)", "POINT (-80 1)", "POINT (90 2)"]);
        assert_eq!(world.extent(true), Some([-170.0, 0.0, 170.0, 2.0]));
    }
}
