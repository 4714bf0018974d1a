//! Identical addresses are matched once: what was found is kept, in bounded memory.

use super::work::Found;
use crate::Error;
use foldhash::fast::RandomState;
use std::collections::HashMap;
use std::hash::BuildHasher;
use std::sync::{Arc, Mutex, PoisonError};

const SHARDS: usize = 32;
/// Addresses that a shard keeps; then it begins anew. Less than 700 bytes each, 46 MB in all.
const MOST: usize = 2_048;

type Shard = Mutex<HashMap<Box<str>, Arc<Found>, RandomState>>;

/// What was found for addresses.
pub(super) struct Cache {
    shards: Vec<Shard>,
    hasher: RandomState,
}

impl Default for Cache {
    fn default() -> Self {
        Cache { shards: (0..SHARDS).map(|_| Mutex::default()).collect(), hasher: RandomState::default() }
    }
}

impl Cache {
    /// What is known of a key, found now if it is not.
    pub(super) fn get_or(&self, key: &str, find: impl FnOnce() -> Result<Found, Error>) -> Result<Arc<Found>, Error> {
        let shard = &self.shards[self.hasher.hash_one(key) as usize % SHARDS];
        let lock = || shard.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = lock().get(key) {
            return Ok(found.clone());
        }
        // Not under the lock: matching takes longer than a second search would.
        let found = Arc::new(find()?);
        let mut map = lock();
        if map.len() >= MOST {
            map.clear();
        }
        map.insert(key.into(), found.clone());
        Ok(found)
    }
}
