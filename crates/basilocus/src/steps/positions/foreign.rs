//! Positions that say a system of their own, such as the references of a national grid, in the system of their table.

use super::Search;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};

/// Operations from the systems that single positions say they are in.
#[derive(Debug)]
pub(super) struct Foreign {
    finder: Search,
    target: Crs,
    known: RwLock<HashMap<u32, Result<Arc<Operation>, String>>>,
}

impl Foreign {
    pub(super) fn new(finder: Search, target: Crs) -> Self {
        Foreign { finder, target, known: RwLock::default() }
    }

    /// A position of another geographic system in this one.
    pub(super) fn bring(&self, code: u32, lon: f64, lat: f64) -> Result<(f64, f64), String> {
        // No lock is held while the point is transformed.
        let op = self.operation(code)?;
        op.apply_one(lon, lat, 0.0).map(|(x, y, _)| (x, y)).ok_or_else(|| {
            format!("the position is {}", op.refusal(lon, lat, 0.0).unwrap_or_else(|| "outside the domain".into()))
        })
    }

    fn operation(&self, code: u32) -> Result<Arc<Operation>, String> {
        if let Some(known) = self.known.read().unwrap_or_else(PoisonError::into_inner).get(&code) {
            return known.clone();
        }
        let found = Catalogue::embedded()
            .get(code)
            .map_err(|e| e.to_string())
            .and_then(|source| self.finder.find(&source, &self.target).map(Arc::new).map_err(|e| e.to_string()));
        let mut known = self.known.write().unwrap_or_else(PoisonError::into_inner);
        known.entry(code).or_insert(found).clone()
    }
}
