//! Positions far from the control pairs of a fitted transformation.

use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use crate::coordinates::fitted::Fitted;
use basilocus_geodesy::operation::Operation;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

pub static DOUBT: Doubt = Doubt {
    name: "beyond-control",
    looks_for: "positions far from the control pairs of a fitted transformation",
    example: "a gate at 900000, 500 by a transformation whose pairs lie between 0 and 1000",
    mend: "check these coordinates and their unit, or fit with control pairs around them",
    watch: |scene| {
        let (fitted, operation) = scene.fitted.clone()?;
        Some(Box::new(BeyondControl { fitted, operation, far: AtomicU64::new(0) }))
    },
};

struct BeyondControl {
    fitted: Arc<Fitted>,
    operation: Arc<Operation>,
    far: AtomicU64,
}

impl Watch for BeyondControl {
    fn rows(&self, seen: &Seen) {
        let [mut x, mut y, mut z] = seen.placed().clone();
        if self.fitted.of_target {
            self.operation.apply(&mut x, &mut y, &mut z);
        }
        self.far.fetch_add(self.fitted.see(x, y), Ordering::Relaxed);
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let rows = self.far.load(Ordering::Relaxed);
        self.fitted.far_words(rows).map(|message| Finding {
            column: scene.columns_of_positions(),
            rows,
            message,
            mend: DOUBT.mend.into(),
        })
    }
}
