//! Geometry for formats whose longitudes end at 180°: what crosses that meridian is cut there, and that is told.

use basilocus_table::geometry::{Geometry, antimeridian};
use std::sync::atomic::{AtomicU64, Ordering};

/// What was brought within the limits, counted on any thread.
#[derive(Debug, Default)]
pub(crate) struct Crossing {
    cut: AtomicU64,
    turned: AtomicU64,
    round_a_pole: AtomicU64,
}

impl Crossing {
    /// A longitude within −180…180.
    pub(crate) fn longitude(&self, lon_deg: f64) -> f64 {
        if lon_deg.abs() > 180.0 {
            self.turned.fetch_add(1, Ordering::Relaxed);
        }
        antimeridian::turned(lon_deg)
    }

    /// A geometry with longitudes within −180…180, in parts where it crosses the meridian.
    pub(crate) fn within(&self, geometry: Geometry) -> Geometry {
        if !antimeridian::crosses(&geometry) {
            return geometry;
        }
        let is_points = matches!(geometry, Geometry::Point(_) | Geometry::MultiPoint(_));
        let (counter, geometry) = match antimeridian::cut(&geometry) {
            Some(parts) if is_points => (&self.turned, parts),
            Some(parts) => (&self.cut, parts),
            None => (&self.round_a_pole, geometry),
        };
        counter.fetch_add(1, Ordering::Relaxed);
        geometry
    }

    /// What to tell of it, for a format with a rule of its own or the usual one.
    pub(crate) fn told(&self, format: &str, rule: &str) -> Vec<String> {
        let count = |counter: &AtomicU64| Some(counter.load(Ordering::Relaxed)).filter(|n| *n > 0);
        let words = |n: u64, one: &'static str, several: &'static str| if n == 1 { one } else { several };
        let cut = count(&self.cut).map(|n| {
            let what = words(n, "line or polygon lies", "lines or polygons lie");
            format!("{n} {what} across or beyond the 180° meridian: cut there, as {rule}")
        });
        let turned = count(&self.turned).map(|n| {
            let what = words(n, "point lies", "points lie");
            format!("{n} {what} beyond the 180° meridian: written with longitudes within −180…180, as {rule}")
        });
        let round = count(&self.round_a_pole).map(|n| {
            let what = words(n, "polygon goes", "polygons go");
            format!("{n} {what} round a pole, which {format} has no form for: written as it is in the source")
        });
        [cut, turned, round].into_iter().flatten().collect()
    }
}
