//! Identical addresses are matched once: what was found is kept, in bounded memory.

use super::work::Found;
use crate::Error;
use std::collections::HashMap;
use std::hash::{BuildHasher, RandomState};
use std::sync::{Arc, Mutex, PoisonError};

const SHARDS: usize = 32;
/// Addresses that a shard keeps; then it begins anew.
const MOST: usize = 16_384;

type Shard = Mutex<HashMap<String, Arc<Found>>>;

/// What was found for addresses.
pub(super) struct Cache {
    shards: Vec<Shard>,
    hasher: RandomState,
}

impl Default for Cache {
    fn default() -> Self {
        Cache { shards: (0..SHARDS).map(|_| Mutex::default()).collect(), hasher: RandomState::new() }
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
        map.insert(key.to_string(), found.clone());
        Ok(found)
    }
}
