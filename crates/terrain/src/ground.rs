//! How long a unit of the plane is on the ground. Degrees are of different lengths along meridians and parallels, and a
//! map projection changes lengths from place to place: what is measured is the ground, not the map.

use crate::RectifiedGrid;
use std::sync::Arc;

/// Metres on the ground that one unit of easting and one of northing are, by easting and northing.
pub type MetresPerUnit = dyn Fn(f64, f64) -> [f64; 2] + Send + Sync;

/// How long units are.
#[derive(Clone)]
pub struct Ground(Kind);

#[derive(Clone)]
enum Kind {
    Everywhere([f64; 2]),
    ByPlace(Arc<MetresPerUnit>),
}

impl std::fmt::Debug for Ground {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.0 {
            Kind::Everywhere(metres) => write!(f, "Ground({metres:?} metres a unit)"),
            Kind::ByPlace(_) => write!(f, "Ground(by place)"),
        }
    }
}

/// Columns between two places at which lengths are worked out; between them they are straight. A cell of a grid is so
/// small that the rest is below what numbers hold.
const EVERY: usize = 32;

impl Ground {
    /// A plane in metres.
    pub fn plane() -> Self {
        Ground::of_unit(1.0)
    }

    /// A plane in a unit of so many metres.
    pub fn of_unit(metres: f64) -> Self {
        Ground(Kind::Everywhere([metres; 2]))
    }

    /// Lengths that differ from place to place.
    pub fn by_place(metres_per_unit: Arc<MetresPerUnit>) -> Self {
        Ground(Kind::ByPlace(metres_per_unit))
    }

    /// Metres per unit of easting and northing at a place.
    pub fn at(&self, x: f64, y: f64) -> [f64; 2] {
        match &self.0 {
            Kind::Everywhere(metres) => *metres,
            Kind::ByPlace(of) => of(x, y),
        }
    }

    /// The same at `count` places eastwards of `west`, `step` apart, on one northing.
    pub fn along(&self, west: f64, step: f64, count: usize, y: f64, into: &mut Vec<[f64; 2]>) {
        into.clear();
        let of = match &self.0 {
            Kind::Everywhere(metres) => return into.resize(count, *metres),
            Kind::ByPlace(of) => of,
        };
        let mut here = of(west, y);
        for from in (0..count).step_by(EVERY) {
            let to = (from + EVERY).min(count - 1).max(from);
            let next = of(west + to as f64 * step, y);
            let span = (to - from).max(1) as f64;
            for i in from..(from + EVERY).min(count) {
                let share = (i - from) as f64 / span;
                into.push(std::array::from_fn(|axis| here[axis] + (next[axis] - here[axis]) * share));
            }
            here = next;
        }
    }

    /// Square metres on the ground of each cell between two neighbouring rows, the first of them given.
    pub(crate) fn cell_areas(
        &self,
        frame: &RectifiedGrid,
        row: usize,
        scratch: &mut Vec<[f64; 2]>,
        into: &mut Vec<f64>,
    ) {
        let cells = frame.columns.saturating_sub(1);
        let middle = frame.y(row) - frame.step_y / 2.0;
        self.along(frame.west + frame.step_x / 2.0, frame.step_x, cells, middle, scratch);
        into.clear();
        into.extend(scratch.iter().map(|[x, y]| x * y * frame.step_x * frame.step_y));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_along_a_row_are_those_at_its_places() {
        // A parallel whose metres shrink towards the east.
        let ground = Ground::by_place(Arc::new(|x, y| [100.0 - x / 1000.0, 110.0 + y]));
        for count in [1, 2, 31, 32, 33, 64, 65, 100] {
            let mut lengths = Vec::new();
            ground.along(5.0, 2.0, count, 3.0, &mut lengths);
            assert_eq!(lengths.len(), count);
            for (i, [x, y]) in lengths.iter().enumerate() {
                let expected = ground.at(5.0 + 2.0 * i as f64, 3.0);
                assert!((x - expected[0]).abs() < 1e-12 && (y - expected[1]).abs() < 1e-12, "{count} {i}");
            }
        }
    }

    #[test]
    fn a_unit_is_the_same_everywhere_in_a_plane() {
        let mut lengths = Vec::new();
        Ground::of_unit(0.3048).along(0.0, 1.0, 3, 0.0, &mut lengths);
        assert_eq!(lengths, [[0.3048; 2]; 3]);
    }
}
