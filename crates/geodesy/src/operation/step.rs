//! One step of an operation, over columns.

use crate::datum::fit::PlaneTransformation;
use crate::datum::{GeoidGrid, GridShift, Helmert, geocentric};
use crate::ellipsoid::Ellipsoid;
use crate::projection::{Projection, wrap_deg};
use std::sync::Arc;

/// What is done to x, y and z.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Step {
    /// Multiply longitude and latitude, then add to the longitude: unit and prime meridian to degrees and Greenwich.
    ToDegrees {
        degrees_per_unit: f64,
        prime_meridian_deg: f64,
    },
    /// The inverse of `ToDegrees`.
    FromDegrees {
        degrees_per_unit: f64,
        prime_meridian_deg: f64,
    },
    Multiply(f64),
    MultiplyHeight(f64),
    Unproject(Projection),
    Project(Projection),
    ToGeocentric(Ellipsoid),
    FromGeocentric(Ellipsoid),
    Helmert {
        helmert: Helmert,
        inverse: bool,
    },
    /// Degrees to degrees by an NTv2 grid.
    Grid {
        name: String,
        grid: Arc<GridShift>,
        inverse: bool,
    },
    /// Height above the level surface to height above the ellipsoid (`inverse`: back).
    Geoid {
        name: String,
        grid: Arc<GeoidGrid>,
        inverse: bool,
    },
    /// A fitted map of the plane.
    Plane {
        plane: PlaneTransformation,
        inverse: bool,
    },
    /// Positions outside −90…90 latitude become NaN; longitudes are brought into −180…180.
    CheckDegrees,
}

impl Step {
    /// Applies the step in place; a position that it cannot take becomes NaN in x and y.
    pub(super) fn apply(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
        match self {
            Step::ToDegrees { degrees_per_unit, prime_meridian_deg } => {
                for x in x.iter_mut() {
                    *x = wrap_deg(*x * degrees_per_unit + prime_meridian_deg);
                }
                y.iter_mut().for_each(|y| *y *= degrees_per_unit);
            }
            Step::FromDegrees { degrees_per_unit, prime_meridian_deg } => {
                for x in x.iter_mut() {
                    *x = wrap_deg(*x - prime_meridian_deg) / degrees_per_unit;
                }
                y.iter_mut().for_each(|y| *y /= degrees_per_unit);
            }
            Step::Multiply(factor) => x.iter_mut().chain(y.iter_mut()).for_each(|v| *v *= factor),
            Step::MultiplyHeight(factor) => z.iter_mut().for_each(|v| *v *= factor),
            Step::Unproject(p) => p.inverse_batch(x, y),
            Step::Project(p) => p.forward_batch(x, y),
            Step::ToGeocentric(e) => geocentric::from_geographic_batch(e, x, y, z),
            Step::FromGeocentric(e) => geocentric::to_geographic_batch(e, x, y, z),
            Step::Helmert { helmert, inverse: false } => helmert.forward_batch(x, y, z),
            Step::Helmert { helmert, inverse: true } => helmert.inverse_batch(x, y, z),
            Step::Grid { grid, inverse: false, .. } => grid.forward_batch(x, y),
            Step::Grid { grid, inverse: true, .. } => grid.inverse_batch(x, y),
            Step::Geoid { grid, inverse, .. } => {
                for ((x, y), z) in x.iter_mut().zip(y.iter_mut()).zip(z.iter_mut()) {
                    match grid.at(*x, *y) {
                        Some(n) if *inverse => *z -= n,
                        Some(n) => *z += n,
                        None => (*x, *y, *z) = (f64::NAN, f64::NAN, f64::NAN),
                    }
                }
            }
            Step::Plane { plane, inverse } => {
                for (x, y) in x.iter_mut().zip(y.iter_mut()) {
                    (*x, *y) = if *inverse { plane.inverse(*x, *y) } else { plane.forward(*x, *y) };
                }
            }
            Step::CheckDegrees => {
                for (x, y) in x.iter_mut().zip(y.iter_mut()) {
                    if y.abs() <= 90.0 && x.abs() <= 360.0 {
                        *x = wrap_deg(*x);
                    } else {
                        (*x, *y) = (f64::NAN, f64::NAN);
                    }
                }
            }
        }
    }

    /// Why the step did not take a position, to follow "the position is".
    pub(super) fn refusal(&self) -> String {
        match self {
            Step::Unproject(p) | Step::Project(p) => {
                format!("outside the domain of the projection ({})", p.about().names[0])
            }
            Step::Grid { name, grid, .. } => {
                let [w, s, e, n] = grid.extent_deg();
                format!("outside the grid {name} ({w} to {e}° longitude, {s} to {n}° latitude)")
            }
            Step::Geoid { name, .. } => format!("outside the grid {name}"),
            Step::CheckDegrees => "not on the Earth: latitude is beyond ±90° or longitude beyond ±360°".into(),
            Step::Plane { .. } => "outside the reach of the fitted transformation".into(),
            _ => "not a number".into(),
        }
    }

    /// Whether two steps one after the other change nothing.
    pub(super) fn is_undone_by(&self, next: &Step) -> bool {
        match (self, next) {
            (Step::Unproject(p), Step::Project(q)) => p == q,
            (Step::ToGeocentric(p), Step::FromGeocentric(q)) => p == q,
            (Step::FromGeocentric(p), Step::ToGeocentric(q)) => p == q,
            (
                Step::ToDegrees { degrees_per_unit: d, prime_meridian_deg: m },
                Step::FromDegrees { degrees_per_unit: e, prime_meridian_deg: n },
            ) => d == e && m == n,
            (Step::Multiply(a), Step::Multiply(b)) => a * b == 1.0 || *b == 1.0 / a,
            (Step::MultiplyHeight(a), Step::MultiplyHeight(b)) => a * b == 1.0 || *b == 1.0 / a,
            (Step::Geoid { grid: a, inverse: false, .. }, Step::Geoid { grid: b, inverse: true, .. }) => {
                Arc::ptr_eq(a, b)
            }
            _ => false,
        }
    }
}
