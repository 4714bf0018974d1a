//! A fitted transformation in use: how far beyond its control pairs, and what its coordinates are worth there.

use crate::coordinates::accuracy::accuracy_words;
use crate::coordinates::transformation::OwnTransformation;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::datum::control::Control;
use basilocus_geodesy::operation::Operation;
use basilocus_table::counted::{counted, is_or_are};
use std::sync::atomic::{AtomicU64, Ordering};

/// A fitted transformation between two systems, with what is seen of its use.
#[derive(Debug)]
pub(crate) struct Fitted {
    /// Its name.
    name: String,
    /// Title of its old system.
    old: String,
    /// Unit of the old coordinates.
    unit: String,
    /// Control pairs that it was fitted to.
    pairs: usize,
    control: Control,
    /// Accuracy at the pairs, metres.
    accuracy_m: Option<f64>,
    /// From the coordinates at hand to the old ones; `None` where they are those.
    way: Option<Operation>,
    /// Whether the coordinates at hand are those that come out of the operation.
    pub of_target: bool,
    /// The largest growth of the error that was seen, as bits: what is larger has larger bits.
    growth: AtomicU64,
    /// The largest distance from the pairs, likewise.
    distance: AtomicU64,
}

impl Fitted {
    /// The transformation in an operation between two systems; `None` where its file has no pairs, or it is not used.
    pub(crate) fn of(own: &OwnTransformation, source: &Crs, target: &Crs) -> Option<Self> {
        let control = own.control.clone()?;
        let same_datum = |c: &Crs| match (c.datum(), own.from.datum()) {
            (Some(a), Some(b)) => a.name == b.name,
            _ => own.starts_from(c),
        };
        let of_target = !same_datum(source);
        let at_hand = if of_target { target } else { source };
        if !same_datum(at_hand) || source.is_same(target) {
            return None;
        }
        let way = match own.starts_from(at_hand) {
            true => None,
            false => Some(Operation::between(at_hand, &own.from, None).ok()?),
        };
        Some(Fitted {
            name: own.name.clone(),
            old: own.from.title(),
            unit: own.from.unit_words(),
            pairs: own.pairs,
            control,
            accuracy_m: own.accuracy_m,
            way,
            of_target,
            growth: AtomicU64::new(1f64.to_bits()),
            distance: AtomicU64::new(0),
        })
    }

    /// Looks at positions. Gives how many are far from the pairs.
    pub(crate) fn see(&self, mut x: Vec<f64>, mut y: Vec<f64>) -> u64 {
        if let Some(way) = &self.way {
            let mut z = vec![0.0; x.len()];
            way.apply(&mut x, &mut y, &mut z);
        }
        let (mut far, mut growth, mut distance) = (0, 1f64, 0f64);
        for (x, y) in x.into_iter().zip(y).filter(|(x, y)| x.is_finite() && y.is_finite()) {
            // Between the pairs the error is theirs.
            let beyond = self.control.distance(x, y);
            if beyond > 0.0 {
                growth = growth.max(self.control.growth(x, y));
            }
            if self.control.is_far(x, y) {
                far += 1;
                distance = distance.max(beyond);
            }
        }
        self.growth.fetch_max(growth.to_bits(), Ordering::Relaxed);
        self.distance.fetch_max(distance.to_bits(), Ordering::Relaxed);
        far
    }

    /// What there is to tell of so many positions far from the pairs.
    pub(crate) fn far_words(&self, far: u64) -> Option<String> {
        let distance = f64::from_bits(self.distance.load(Ordering::Relaxed));
        (far > 0).then(|| {
            format!(
                "{} {} far from the {} control pairs of \"{}\", up to {distance:.0} {} away in {}: nothing tells whether it holds there",
                counted(far, "position"),
                is_or_are(far),
                self.pairs,
                self.name,
                self.unit,
                self.old,
            )
        })
    }

    /// The accuracy of an operation that it is a part of, at the position that was worst; none where a position is far from the
    /// pairs, as nothing tells it there. And, where that is another than at the pairs, what there is to tell.
    pub(crate) fn accuracy(&self, of_operation: Option<f64>) -> (Option<f64>, Option<String>) {
        let growth = f64::from_bits(self.growth.load(Ordering::Relaxed));
        let (Some(all), Some(own)) = (of_operation, self.accuracy_m) else { return (of_operation, None) };
        if growth < 1.05 {
            return (of_operation, None);
        }
        if f64::from_bits(self.distance.load(Ordering::Relaxed)) > 0.0 {
            let told = format!(
                "\"{}\" is good to {} at its {} control pairs; by these alone the error would be {} at the farthest position, which is too far from them to tell: its accuracy there is not known",
                self.name,
                accuracy_words(Some(own)),
                self.pairs,
                accuracy_words(Some(own * growth))
            );
            return (None, Some(told));
        }
        let grown = all + own * (growth - 1.0);
        let told = format!(
            "beyond its {} control pairs the error of \"{}\" grows: {} at the pairs, {} at the farthest position",
            self.pairs,
            self.name,
            accuracy_words(Some(own)),
            accuracy_words(Some(own * growth))
        );
        (Some(grown), Some(told))
    }
}
