//! The way from one reference system to another: found once, applied to whole columns.
//!
//! | file | what |
//! |---|---|
//! | [`transformation`] | what agencies publish |
//! | [`way`] | the ways between two datums, ranked |
//! | `step` | one step over columns |
//! | `build` | from a way to steps, heights included |
//! | [`grids`] | where grid files come from |

mod build;
pub mod grids;
mod step;
pub mod transformation;
pub mod way;

pub use grids::GridSource;
pub use transformation::{Shift, Transformation};
pub use way::{Leg, Way};

use crate::crs::{Area, Crs};
use crate::error::Error;
use step::Step;

/// Rows that go through all steps before the next rows start: three columns of this length fit the first cache.
const CHUNK: usize = 1024;

/// Frames whose shift is taken as zero because both follow the international frame agree to this many metres.
pub const ASSUMED_ACCURACY_M: f64 = 2.0;

/// Which way the user wants.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Via {
    /// A part of the operation's name, or the system or datum in between.
    Named(String),
    /// A datum transformation of the user's own.
    Own(Box<Transformation>),
}

/// What the search for an operation goes by.
#[derive(Clone)]
pub struct Search<'a> {
    /// Where the data is; without it the overlap of the two areas of use decides which regional transformation is
    /// best.
    pub near: Option<&'a Area>,
    /// When the positions were measured, as a decimal year.
    pub epoch: Option<f64>,
    /// Grid files.
    pub grids: &'a dyn GridSource,
    /// Which way the user wants.
    pub via: Option<&'a Via>,
    /// Less accurate ways are refused.
    pub require_accuracy_m: Option<f64>,
    /// Whether a better way whose grid file is missing is an error rather than a note.
    pub strict: bool,
}

impl Default for Search<'_> {
    fn default() -> Self {
        Search { near: None, epoch: None, grids: &(), via: None, require_accuracy_m: None, strict: false }
    }
}

/// What would be better, and why it was not taken.
#[derive(Debug, Clone, PartialEq)]
pub struct MissedWay {
    /// Name of the operation.
    pub name: String,
    /// Its accuracy in metres.
    pub accuracy_m: f64,
    /// The grid files that are missing.
    pub grids: Vec<String>,
}

/// A coordinate operation (ISO 19111), ready to apply.
#[derive(Debug, Clone, PartialEq)]
pub struct Operation {
    name: String,
    accuracy_m: f64,
    steps: Vec<(Step, String)>,
    notes: Vec<String>,
    heights: HeightRule,
    grids: Vec<String>,
    area: Option<Area>,
    missed: Option<MissedWay>,
    assumed: bool,
}

/// What happens to the third column.
#[derive(Debug, Clone, Copy, PartialEq)]
enum HeightRule {
    /// Left alone: a system without heights takes part.
    Untouched,
    /// Only its unit changes: the surface that heights are counted from is the same.
    Scaled(f64),
    /// Computed with the position.
    Moved,
}

impl Operation {
    /// The best operation from one system to another, without grid files; [`Operation::find`] has all choices.
    ///
    /// # Errors
    /// Those of [`Operation::find`].
    ///
    /// ```
    /// use basilocus_geodesy::{crs::Catalogue, operation::Operation};
    /// let catalogue = Catalogue::embedded();
    /// let way = Operation::between(&catalogue.get(32026)?, &catalogue.get(2269)?, None)?;
    /// assert_eq!(way.accuracy_m(), Some(12.0));
    /// assert!(way.name().contains("western states"));
    /// # Ok::<(), basilocus_geodesy::Error>(())
    /// ```
    pub fn between(source: &Crs, target: &Crs, near: Option<&Area>) -> Result<Self, Error> {
        Operation::find(source, target, &Search { near, ..Default::default() })
    }

    /// From a system to longitude and latitude in degrees from Greenwich on its own datum: what areas of use are in.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`], [`Error::Parameter`], [`Error::NoPositions`], [`Error::LocalGrid`].
    ///
    /// ```
    /// use basilocus_geodesy::{crs::Catalogue, operation::Operation};
    /// // 50 grad on the meridian of Paris.
    /// let (lon, lat, _) = Operation::to_degrees(&Catalogue::embedded().get(4821)?)?.apply_one(0.0, 50.0, 0.0).unwrap();
    /// assert!((lon - 2.337_229_17).abs() < 1e-12 && (lat - 45.0).abs() < 1e-12);
    /// # Ok::<(), basilocus_geodesy::Error>(())
    /// ```
    pub fn to_degrees(crs: &Crs) -> Result<Self, Error> {
        build::to_degrees(crs)
    }

    /// The ways between the datums of two systems, best first; what [`Operation::find`] chooses from.
    ///
    /// # Errors
    /// [`Error::NoPositions`] and [`Error::LocalGrid`] for systems without a datum.
    pub fn ways(source: &Crs, target: &Crs, search: &Search) -> Result<Vec<Way>, Error> {
        build::ways_between(source, target, search)
    }

    /// The operation that a search leads to: the best way whose grid files are there and whose epoch is known, or the
    /// one that `via` names.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`], [`Error::NoPositions`], [`Error::LocalGrid`] for systems that cannot be
    /// computed; [`Error::NoTransformation`] where no way between the datums is known; [`Error::EpochNeeded`],
    /// [`Error::GridMissing`], [`Error::GridUnusable`], [`Error::NotAccurateEnough`], [`Error::NoSuchWay`].
    pub fn find(source: &Crs, target: &Crs, search: &Search) -> Result<Self, Error> {
        build::find(source, target, search)
    }

    /// The operation followed by another one.
    pub fn then(mut self, next: Operation) -> Operation {
        let names: Vec<String> =
            [&self, &next].iter().filter(|o| !o.steps.is_empty()).map(|o| o.name.clone()).collect();
        self.name = if names.is_empty() { self.name } else { names.join(", then ") };
        self.accuracy_m += next.accuracy_m;
        self.steps.extend(next.steps);
        self.notes.extend(next.notes);
        self.grids.extend(next.grids);
        self.assumed |= next.assumed;
        self.missed = self.missed.or(next.missed);
        self.heights = match (self.heights, next.heights) {
            (HeightRule::Untouched, other) => other,
            (other, HeightRule::Untouched) => other,
            (HeightRule::Scaled(a), HeightRule::Scaled(b)) => HeightRule::Scaled(a * b),
            _ => HeightRule::Moved,
        };
        self.cancel();
        self
    }

    /// A fitted map of the plane as an operation.
    pub fn plane(
        name: &str,
        accuracy_m: Option<f64>,
        plane: crate::datum::fit::PlaneTransformation,
        inverse: bool,
    ) -> Self {
        let words = if inverse { format!("inverse of {name}") } else { name.to_string() };
        let steps = vec![(Step::Plane { plane, inverse }, words.clone())];
        Operation { steps, ..Operation::empty(words, accuracy_m.unwrap_or(f64::INFINITY)) }
    }

    /// An operation without steps.
    fn empty(name: String, accuracy_m: f64) -> Self {
        Operation {
            name,
            accuracy_m,
            steps: Vec::new(),
            notes: Vec::new(),
            heights: HeightRule::Untouched,
            grids: Vec::new(),
            area: None,
            missed: None,
            assumed: false,
        }
    }

    /// Takes out pairs of steps that undo each other, so that a system to itself changes no bit.
    fn cancel(&mut self) {
        let mut i = 0;
        while i + 1 < self.steps.len() {
            if self.steps[i].0.is_undone_by(&self.steps[i + 1].0) {
                self.steps.drain(i..i + 2);
                i = i.saturating_sub(1);
            } else {
                i += 1;
            }
        }
    }

    /// What the operation is called: the transformation's name, or that it is a conversion only.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Accuracy in metres; 0 for a conversion, which is exact by definition; `None` where nobody states one.
    pub fn accuracy_m(&self) -> Option<f64> {
        // The sum of no accuracies is minus zero.
        Some(self.accuracy_m + 0.0).filter(|a| a.is_finite())
    }

    /// The steps in words, in order.
    pub fn steps(&self) -> Vec<&str> {
        self.steps.iter().map(|(_, words)| words.as_str()).filter(|s| !s.is_empty()).collect()
    }

    /// What a careful user should know: assumed shifts, better ways whose grids are missing.
    pub fn notes(&self) -> &[String] {
        &self.notes
    }

    /// Grid files that it uses.
    pub fn grids(&self) -> &[String] {
        &self.grids
    }

    /// Area of use of the transformation, where it is narrower than the Earth.
    pub fn area(&self) -> Option<&Area> {
        self.area.as_ref()
    }

    /// The better way that could not be taken because its grid files are missing.
    pub fn missed(&self) -> Option<&MissedWay> {
        self.missed.as_ref()
    }

    /// Whether frames are taken as equal that nobody says are.
    pub fn assumes_equal(&self) -> bool {
        self.assumed
    }

    /// Whether heights are computed: both systems have heights, or one is geocentric. Otherwise the `z` column is
    /// not touched: heights of a two-dimensional system have no stated surface, so none is moved.
    pub fn moves_heights(&self) -> bool {
        self.heights != HeightRule::Untouched
    }

    /// Accuracy that the grid files state at a position of the source, metres; `None` where no grid takes part or it
    /// states none.
    pub fn grid_accuracy_m(&self, x: f64, y: f64, z: f64) -> Option<f64> {
        let (mut x, mut y, mut z) = ([x], [y], [z]);
        let mut found = None;
        for (step, _) in &self.steps {
            if let Step::Grid { grid, .. } = step
                && let Some(a) = grid.at(x[0], y[0]).and_then(|s| s.accuracy_m)
            {
                found = Some(found.unwrap_or(0.0) + a);
            }
            step.apply(&mut x, &mut y, &mut z);
        }
        found
    }

    /// Applies the operation in place to columns of easting/longitude, northing/latitude and height, in the
    /// units of the source; results are in the units of the target.
    ///
    /// A position that cannot be computed (NaN, latitude beyond ±90, outside a projection's domain or a grid) is NaN
    /// in `x` and `y` afterwards; [`Operation::refusal`] says why. `z` is used and changed only where
    /// [`Operation::moves_heights`] says so.
    ///
    /// # Panics
    /// If the three slices differ in length.
    pub fn apply(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
        assert!(x.len() == y.len() && y.len() == z.len(), "columns of different length");
        let mut surface = [0.0; CHUNK];
        for ((x, y), z) in x.chunks_mut(CHUNK).zip(y.chunks_mut(CHUNK)).zip(z.chunks_mut(CHUNK)) {
            if self.heights == HeightRule::Moved {
                for (step, _) in &self.steps {
                    step.apply(x, y, z);
                }
                continue;
            }
            // The surface of the ellipsoid: transformations between two-dimensional systems ignore height.
            let surface = &mut surface[..x.len()];
            surface.fill(0.0);
            for (step, _) in &self.steps {
                step.apply(x, y, surface);
            }
            if let HeightRule::Scaled(factor) = self.heights {
                z.iter_mut().for_each(|z| *z *= factor);
            }
        }
    }

    /// One position; `None` where it cannot be computed.
    pub fn apply_one(&self, x: f64, y: f64, z: f64) -> Option<(f64, f64, f64)> {
        let (mut x, mut y, mut z) = ([x], [y], [z]);
        self.apply(&mut x, &mut y, &mut z);
        (x[0].is_finite() && y[0].is_finite()).then_some((x[0], y[0], z[0]))
    }

    /// Why a position of the source cannot be computed, to follow "the position is"; `None` where it can.
    pub fn refusal(&self, x: f64, y: f64, z: f64) -> Option<String> {
        let (mut x, mut y, mut z) = ([x], [y], [if self.heights == HeightRule::Moved { z } else { 0.0 }]);
        if !(x[0].is_finite() && y[0].is_finite()) {
            return Some("not a number".into());
        }
        for (step, _) in &self.steps {
            step.apply(&mut x, &mut y, &mut z);
            if !(x[0].is_finite() && y[0].is_finite()) {
                return Some(step.refusal());
            }
        }
        None
    }
}
