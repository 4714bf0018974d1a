//! Too few digits were kept, so that points fall on a lattice.
//!
//! Degrees with three decimals or fewer stand 111 m apart. A grid that is meant has a point at most of its places; what
//! was rounded has points at few of them.

use super::minutes_as_decimals::Axes;
use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "lattice",
    looks_for: "degrees all of which have three decimals or fewer, scattered over more places than a grid that is meant",
    example: "46.183, -123.804: the last digit is worth a hundred metres",
    mend: "ask for the coordinates with more digits",
    watch: |scene| scene.from_columns.then(|| Box::<Watching>::default() as Box<dyn Watch>),
};

/// Fewer positions may lie on round numbers by themselves.
const POSITIONS: u64 = 30;
/// Metres of a degree of latitude.
const DEGREE_M: f64 = 111_200.0;

#[derive(Default)]
struct Watching(Mutex<Axes>);

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).add(seen);
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let axes = *self.0.lock().unwrap_or_else(PoisonError::into_inner);
        // Minutes behind a point have two decimals for another reason.
        if axes.look_like_minutes() || axes.positions < POSITIONS {
            return None;
        }
        let ((dx, wide), (dy, high)) = (axes.x.decimals_and_span(), axes.y.decimals_and_span());
        let decimals = dx.max(dy);
        if decimals > 3 || !(wide.is_finite() && high.is_finite()) {
            return None;
        }
        let step = 0.1f64.powi(i32::from(decimals));
        let places = (wide / step + 1.0) * (high / step + 1.0);
        if axes.positions as f64 * 2.0 > places {
            return None;
        }
        Some(Finding {
            column: scene.columns_of_positions(),
            rows: axes.positions,
            message: format!(
                "no value of {} has more than {decimals} decimals, so the points fall on a lattice of {:.0} m",
                scene.columns_of_positions().unwrap_or_else(|| "the coordinates".into()),
                step * DEGREE_M
            ),
            mend: DOUBT.mend.into(),
        })
    }
}
