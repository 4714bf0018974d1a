//! Is the spacing uniform? Positions that somebody wrote as a list are found to be a grid along the axes ([`lattice`]) or turned
//! against them ([`turned_lattice`]); scattered ones are told with how far they are apart, for the cell that suits them.
//!
//! Positions are gone through several times and not kept, so that a file of any length can be asked: [`in_passes`].

use crate::RectifiedGrid;
use crate::lattice::{self, Axis, Different, Lattice, TOLERANCE, Tally};
use crate::occupied::Occupied;
use crate::turned_lattice::{self, TurnedLattice};
use std::convert::Infallible;

/// How positions are spaced.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Spacing {
    /// They are a grid along the axes.
    Uniform(Lattice),
    /// They are a grid whose rows do not run along the axes.
    Turned(TurnedLattice),
    /// They are none.
    Scattered {
        /// The mean distance to a neighbour: the side of a square that a position has for itself.
        mean: f64,
        /// Why they are no grid, in words.
        why: String,
    },
}

/// Gives all positions once, some at a time: their eastings and their northings.
pub type Each<'a, E> = &'a mut dyn FnMut(&mut dyn FnMut(&[f64], &[f64])) -> Result<(), E>;

/// Finds out how positions are spaced. Those that are not finite have no part in it. `tolerance` is the share of a step
/// that a position may be off, [`TOLERANCE`] unless said.
///
/// ```
/// use basilocus_terrain::spacing::{Spacing, spacing};
///
/// let (x, y): (Vec<f64>, Vec<f64>) = (0..12).map(|i| (f64::from(i % 4) * 2.0, f64::from(i / 4) * 2.0)).unzip();
/// let Spacing::Uniform(lattice) = spacing(&x, &y, None) else { panic!() };
/// assert_eq!((lattice.frame.columns, lattice.frame.rows, lattice.frame.step_x), (4, 3, 2.0));
/// ```
pub fn spacing(x: &[f64], y: &[f64], tolerance: Option<f64>) -> Spacing {
    let tolerance = tolerance.unwrap_or(TOLERANCE);
    // Both axes at once.
    let (along_x, along_y) = std::thread::scope(|scope| {
        let along_x = scope.spawn(|| Axis::of(&lattice::different(x), tolerance));
        let along_y = Axis::of(&lattice::different(y), tolerance);
        (along_x.join(), along_y)
    });
    let along_x = along_x.unwrap_or_else(|panic| std::panic::resume_unwind(panic));
    let mut reach = Reach::default();
    reach.add(x, y);
    let mut each = |give: &mut dyn FnMut(&[f64], &[f64])| {
        give(x, y);
        Ok::<(), Infallible>(())
    };
    match judged(lattice::frame_of(along_x, along_y), &reach, tolerance, &mut each) {
        Ok(spacing) => spacing,
        Err(never) => match never {},
    }
}

/// What a first pass over positions shows, in parts that may come from several threads.
#[derive(Debug, Default)]
pub struct FirstPass {
    along: [Different; 2],
    reach: Reach,
}

impl FirstPass {
    /// Counts positions.
    pub fn add(&mut self, x: &[f64], y: &[f64]) {
        self.along[0].add(x);
        self.along[1].add(y);
        self.reach.add(x, y);
    }

    /// Adds what another part has.
    pub fn merge(&mut self, other: FirstPass) {
        let [x, y] = other.along;
        self.along[0].merge(x);
        self.along[1].merge(y);
        self.reach.merge(other.reach);
    }
}

/// The same as [`spacing`] of positions that are not kept, after a first pass over them: `each` gives all of them again as often
/// as it is called, which is up to four times.
///
/// # Errors
/// Those of `each`.
pub fn in_passes<E>(first: &FirstPass, tolerance: Option<f64>, each: Each<E>) -> Result<Spacing, E> {
    let [along_x, along_y] = &first.along;
    let frame = lattice::frame_of_steps(along_x, along_y, tolerance);
    judged(frame, &first.reach, tolerance.unwrap_or(TOLERANCE), each)
}

/// How positions are spaced, by the grid along the axes that their values seem to be.
fn judged<E>(frame: Result<RectifiedGrid, String>, reach: &Reach, tolerance: f64, each: Each<E>) -> Result<Spacing, E> {
    let found = match frame {
        Ok(frame) => along_the_axes(frame, reach, tolerance, each)?,
        Err(why) => Err(why),
    };
    let why = match found {
        Ok(lattice) => return Ok(Spacing::Uniform(lattice)),
        Err(why) => why,
    };
    let mean = reach.mean_distance(each)?;
    Ok(match turned_lattice::find(reach, mean, tolerance, each)? {
        Some(turned) => Spacing::Turned(turned),
        None => Spacing::Scattered { mean, why },
    })
}

/// Whether positions are a grid along the axes.
fn along_the_axes<E>(
    frame: RectifiedGrid,
    reach: &Reach,
    tolerance: f64,
    each: Each<E>,
) -> Result<Result<Lattice, String>, E> {
    let mut tally = Tally::new(frame, tolerance);
    let mut occupied = Occupied::new(frame.columns as u64, frame.rows as u64, reach.count);
    each(&mut |x, y| {
        for (x, y) in x.iter().zip(y) {
            if let Some((column, row)) = tally.place(*x, *y) {
                occupied.add(column as u64, row as u64);
            }
        }
    })?;
    let (filled, with_neighbour) = occupied.counts();
    Ok(tally.judged(filled, || with_neighbour as f64 / filled.max(1) as f64))
}

/// How far positions reach, how many there are, and some of them.
#[derive(Debug, Clone)]
pub(crate) struct Reach {
    pub(crate) count: u64,
    /// West, south, east, north.
    pub(crate) bounds: [f64; 4],
    /// Positions with the number that their coordinates are mixed to.
    sample: Vec<(u64, [f64; 2])>,
    /// So many leading bits of the number of a sampled position are nought.
    thinned: u32,
}

/// The most positions that are kept as a sample.
const SAMPLE: usize = 1 << 14;

impl Default for Reach {
    fn default() -> Self {
        let bounds = [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];
        Reach { count: 0, bounds, sample: Vec::new(), thinned: 0 }
    }
}

impl Reach {
    pub(crate) fn add(&mut self, x: &[f64], y: &[f64]) {
        for (x, y) in x.iter().zip(y) {
            if !(x.is_finite() && y.is_finite()) {
                continue;
            }
            self.count += 1;
            let [west, south, east, north] = self.bounds;
            self.bounds = [west.min(*x), south.min(*y), east.max(*x), north.max(*y)];
            self.take(mixed(*x, *y), [*x, *y]);
        }
    }

    /// The same whatever the parts and their order, but for the order of the sample.
    fn merge(&mut self, other: Reach) {
        self.count += other.count;
        let (a, b) = (self.bounds, other.bounds);
        self.bounds = [a[0].min(b[0]), a[1].min(b[1]), a[2].max(b[2]), a[3].max(b[3])];
        self.thin(other.thinned);
        other.sample.into_iter().for_each(|(number, position)| self.take(number, position));
    }

    fn take(&mut self, number: u64, position: [f64; 2]) {
        if number.leading_zeros() < self.thinned {
            return;
        }
        self.sample.push((number, position));
        // Positions that are all the same cannot be thinned.
        while self.sample.len() > SAMPLE && self.thinned < 64 {
            self.thin(self.thinned + 1);
        }
    }

    fn thin(&mut self, thinned: u32) {
        if thinned > self.thinned {
            self.thinned = thinned;
            self.sample.retain(|(number, _)| number.leading_zeros() >= thinned);
        }
    }

    /// Some of the positions, each of them as likely as any other, and in an order that has nothing to do with where they lie.
    pub(crate) fn sample(&self) -> Vec<[f64; 2]> {
        let mut sample = self.sample.clone();
        sample.sort_unstable_by_key(|(number, _)| *number);
        sample.into_iter().map(|(_, position)| position).collect()
    }

    /// The side of the square that each position has for itself: of the cells of a coarse grid those with a position count,
    /// so that a river's corridor is not taken for the rectangle around it.
    fn mean_distance<E>(&self, each: Each<E>) -> Result<f64, E> {
        let [west, south, east, north] = self.bounds;
        let (width, height) = (east - west, north - south);
        let count = self.count as f64;
        if self.count < 2 || !(width > 0.0 && height > 0.0) {
            return Ok(if self.count < 2 { f64::NAN } else { width.max(height) / (count - 1.0) });
        }
        // Some eight positions a cell where they are spread evenly.
        let side = (width * height * 8.0 / count).sqrt();
        let cells_along = |length: f64| (length / side).floor() as u64 + 1;
        let mut occupied = Occupied::new(cells_along(width), cells_along(height), self.count);
        each(&mut |x, y| {
            for (x, y) in x.iter().zip(y).filter(|(x, y)| x.is_finite() && y.is_finite()) {
                occupied.add(((x - west) / side).floor() as u64, ((y - south) / side).floor() as u64);
            }
        })?;
        let covered = (occupied.counts().0 as f64 * side * side).min(width * height);
        Ok((covered / count).sqrt())
    }
}

/// A number that has nothing to do with where a position lies, and is always the same for it.
fn mixed(x: f64, y: f64) -> u64 {
    use std::hash::BuildHasher;
    foldhash::quality::FixedState::with_seed(7).hash_one([x.to_bits(), y.to_bits()])
}
