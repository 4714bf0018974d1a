//! Where nearly all positions of a layer lie, and the few that lie far away from there.

use super::empty_point::stands_for_none;
use super::explained::Numbers;
use basilocus_draw::scene::united;
use basilocus_geodesy::crs::Area;
use std::collections::{HashMap, HashSet};

/// Numbers that are kept of a cell of one degree.
const KEPT: usize = 16;
/// With fewer positions nobody can say where most of them lie.
const LEAST: u64 = 20;
/// Of the positions so many lie together.
const MOST: f64 = 0.9;
/// Cells that are not farther apart lie together, degrees.
const GAP: i32 = 3;
/// A crowd is no larger than that, degrees: a country, not a continent.
const WIDEST: f64 = 30.0;
/// From there on somebody lies far away, degrees.
const FAR: f64 = 20.0;

/// Positions by cells of one degree.
#[derive(Debug, Default)]
pub(crate) struct Crowd {
    cells: HashMap<(i32, i32), Cell>,
}

#[derive(Debug, Default)]
struct Cell {
    count: u64,
    /// West, south, east, north of its positions.
    bounds: Option<[f64; 4]>,
    numbers: Vec<Numbers>,
}

/// Where a layer lies.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Lying {
    /// West, south, east, north of nearly all positions, degrees.
    pub bounds: [f64; 4],
    /// Positions in all.
    pub positions: u64,
    /// Numbers of those within, up to a limit for each cell.
    pub numbers: Vec<Numbers>,
}

/// Where nearly all positions lie, and the others.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Gathered {
    /// Where nearly all lie, with a degree around.
    pub area: Area,
    /// Positions in all.
    pub positions: u64,
    /// Numbers of those far away, up to a limit for each cell.
    pub strays: Vec<Numbers>,
}

impl Cell {
    fn include(&mut self, bounds: [f64; 4]) {
        self.bounds = Some(self.bounds.map_or(bounds, |own| united(own, bounds)));
    }
}

impl Crowd {
    /// Sees positions (degrees) and the numbers that they came from; those at nought were never filled in.
    pub(super) fn of(lon_deg: &[f64], lat_deg: &[f64], [x, y]: [&[f64]; 2]) -> Self {
        let mut crowd = Crowd::default();
        let (mut at, mut cell) = ((i32::MIN, i32::MIN), Cell::default());
        for row in 0..lon_deg.len() {
            let (lon, lat) = (lon_deg[row], lat_deg[row]);
            let numbers = [x[row], y[row]];
            if !(lon.is_finite() && lat.is_finite()) || stands_for_none(numbers) {
                continue;
            }
            // Rows often follow each other in one cell: only another one is looked up.
            let here = (lon.floor() as i32, lat.floor() as i32);
            if here != at {
                crowd.join(at, std::mem::take(&mut cell));
                at = here;
            }
            cell.count += 1;
            cell.include([lon, lat, lon, lat]);
            if cell.numbers.len() < KEPT {
                cell.numbers.push(numbers);
            }
        }
        crowd.join(at, cell);
        crowd
    }

    fn join(&mut self, at: (i32, i32), more: Cell) {
        if more.count > 0 {
            let cell = self.cells.entry(at).or_default();
            cell.count += more.count;
            more.bounds.into_iter().for_each(|bounds| cell.include(bounds));
            let room = KEPT - cell.numbers.len();
            cell.numbers.extend(more.numbers.into_iter().take(room));
        }
    }

    /// Adds what another one saw.
    pub(super) fn merge(&mut self, other: Crowd) {
        other.cells.into_iter().for_each(|(at, cell)| self.join(at, cell));
    }

    /// Where nearly all lie together; `None` where they do not, or around the 180th meridian.
    pub(super) fn lying(&self) -> Option<Lying> {
        let positions: u64 = self.cells.values().map(|c| c.count).sum();
        let group = self.groups().into_iter().max_by_key(|g| (self.count(g), g.len()))?;
        let mut cells: Vec<(&(i32, i32), &Cell)> = group.iter().filter_map(|at| self.cells.get_key_value(at)).collect();
        cells.sort_by_key(|(at, _)| **at);
        let bounds = cells.iter().filter_map(|(_, c)| c.bounds).reduce(united)?;
        let is_one = self.count(&group) as f64 >= MOST * positions as f64 && bounds[2] - bounds[0] < 180.0;
        let numbers = cells.iter().flat_map(|(_, c)| c.numbers.clone()).collect();
        is_one.then_some(Lying { bounds, positions, numbers })
    }

    /// Where nearly all lie; `None` where they do not lie together, or where nobody lies far away.
    pub(super) fn gathered(&self) -> Option<Gathered> {
        let positions: u64 = self.cells.values().map(|c| c.count).sum();
        if positions < LEAST || self.cells.len() < 2 {
            return None;
        }
        let group = self.groups().into_iter().max_by_key(|g| (self.count(g), g.len()))?;
        let (west, east) = (group.iter().map(|c| c.0).min()?, group.iter().map(|c| c.0).max()? + 1);
        let (south, north) = (group.iter().map(|c| c.1).min()?, group.iter().map(|c| c.1).max()? + 1);
        let size = f64::from((east - west).max(north - south));
        if (self.count(&group) as f64) < MOST * positions as f64 || size > WIDEST {
            return None;
        }
        let [w, s, e, n] = [west, south, east, north].map(f64::from);
        let far = FAR.max(size);
        let is_far = |(x, y): &(i32, i32)| {
            let (x, y) = (f64::from(*x) + 0.5, f64::from(*y) + 0.5);
            // Around the globe, so that who lies across the 180th meridian lies near.
            let beside = |x: f64| (w - x).max(x - e).max(0.0);
            let wide = beside(x).min(beside(x + 360.0)).min(beside(x - 360.0));
            wide.max((s - y).max(y - n)) > far
        };
        let mut strays: Vec<(&(i32, i32), &Cell)> = self.cells.iter().filter(|(at, _)| is_far(at)).collect();
        strays.sort_by_key(|(at, _)| **at);
        let strays: Vec<Numbers> = strays.into_iter().flat_map(|(_, c)| c.numbers.clone()).collect();
        let area = Area {
            west_deg: w - 1.0,
            south_deg: (s - 1.0).max(-90.0),
            east_deg: e + 1.0,
            north_deg: (n + 1.0).min(90.0),
            description: String::new(),
        };
        (!strays.is_empty()).then_some(Gathered { area, positions, strays })
    }

    fn count(&self, cells: &[(i32, i32)]) -> u64 {
        cells.iter().filter_map(|at| self.cells.get(at)).map(|c| c.count).sum()
    }

    /// Cells that lie together.
    fn groups(&self) -> Vec<Vec<(i32, i32)>> {
        let mut left: HashSet<(i32, i32)> = self.cells.keys().copied().collect();
        let mut groups = Vec::new();
        while let Some(first) = left.iter().next().copied() {
            left.remove(&first);
            let (mut group, mut next) = (Vec::new(), vec![first]);
            while let Some((x, y)) = next.pop() {
                group.push((x, y));
                for dx in -GAP..=GAP {
                    for dy in -GAP..=GAP {
                        if left.remove(&(x + dx, y + dy)) {
                            next.push((x + dx, y + dy));
                        }
                    }
                }
            }
            groups.push(group);
        }
        groups
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn crowd(places: impl IntoIterator<Item = [f64; 2]>) -> Crowd {
        let (x, y): (Vec<f64>, Vec<f64>) = places.into_iter().map(|[x, y]| (x, y)).unzip();
        Crowd::of(&x, &y, [&x, &y])
    }

    fn country(lon: f64, lat: f64) -> impl Iterator<Item = [f64; 2]> {
        (0..100).map(move |i| [lon + f64::from(i % 10) * 0.7, lat + f64::from(i / 10) * 0.4])
    }

    #[test]
    fn those_far_away_are_found() {
        let found = crowd(country(-123.0, 44.0).chain([[122.5, 45.0], [45.0, -122.0]])).gathered().unwrap();
        assert_eq!(found.strays, [[45.0, -122.0], [122.5, 45.0]]);
        assert!(found.area.contains(-122.5, 45.0) && !found.area.contains(122.5, 45.0) && found.positions == 102);
    }

    #[test]
    fn neighbours_islands_and_the_world_are_not() {
        assert_eq!(crowd(country(-123.0, 44.0)).gathered(), None);
        // Islands across the 180th meridian, and some a few degrees off.
        assert_eq!(crowd(country(170.0, -44.0).chain([[-176.5, -44.0], [-177.9, -30.0]])).gathered(), None);
        // Stations of the world, and two countries.
        assert_eq!(
            crowd((0..300).map(|i| [f64::from(i * 37 % 360) - 180.0, f64::from(i * 17 % 170) - 85.0])).gathered(),
            None
        );
        assert_eq!(crowd(country(-123.0, 44.0).chain(country(10.0, 50.0))).gathered(), None);
        assert_eq!(crowd([[1.0, 1.0], [100.0, 1.0]]).gathered(), None, "too few");
    }

    #[test]
    fn a_layer_lies_where_nearly_all_of_it_does() {
        let lying = crowd(country(-123.0, 44.0).chain([[122.5, 45.0], [0.0, 0.0]])).lying().unwrap();
        let [w, s, e, n] = lying.bounds;
        assert_eq!(([w, s, n], lying.positions), ([-123.0, 44.0, 47.6], 101), "nought is none");
        assert!((e + 116.7).abs() < 1e-9 && lying.numbers.iter().all(|p| p[0] < 0.0));
        assert_eq!(crowd(country(-123.0, 44.0).chain(country(10.0, 50.0))).lying(), None, "in two places");
        assert_eq!(crowd([]).lying(), None);
    }

    #[test]
    fn the_order_of_parts_does_not_matter() {
        let mut parts = crowd(country(-123.0, 44.0));
        parts.merge(crowd([[122.5, 45.0]]));
        let mut other = crowd([[122.5, 45.0]]);
        other.merge(crowd(country(-123.0, 44.0)));
        assert_eq!(parts.gathered(), other.gathered());
    }
}
