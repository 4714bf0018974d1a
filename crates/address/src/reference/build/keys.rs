//! The keys by which names are found: spellings, words, sounds.

use super::super::file::{KeyKind, each_spelling, key_hash};
use super::super::spool::Sorter;
use crate::grammar::Grammar;
use crate::normal;
use std::io;

/// Adds the keys of a name: hash and number.
pub(super) fn add(sorter: &mut Sorter<[u32; 2]>, words: &str, number: u32, grammar: &Grammar) -> io::Result<()> {
    let key = normal::key(words, grammar.umlauts);
    let mut hashes: Vec<u32> = Vec::new();
    each_spelling(&key, 0..=2, &mut |hash| hashes.push(hash));
    // Without its small words too: "PAIX" for "DE LA PAIX".
    let bare = bare(words, grammar);
    if let Some(bare) = &bare {
        let key = normal::key(bare, grammar.umlauts);
        each_spelling(&key, 0..=1, &mut |hash| hashes.push(hash));
    }
    let mut several = bare.as_deref().unwrap_or(words).split(' ').filter(|w| w.len() >= 3).peekable();
    if words.contains(' ') && several.peek().is_some() {
        for word in several {
            hashes.push(key_hash(KeyKind::Word, word.bytes()));
        }
    }
    let sound = normal::sound(&key);
    if sound.len() >= 3 {
        hashes.push(key_hash(KeyKind::Sound, sound.bytes()));
    }
    hashes.sort_unstable();
    hashes.dedup();
    hashes.into_iter().try_for_each(|hash| sorter.push([hash, number]))
}

/// A name without its small words, where it has some and something is left.
pub(crate) fn bare(words: &str, grammar: &Grammar) -> Option<String> {
    if !words.contains(' ') || grammar.particles.is_empty() {
        return None;
    }
    let kept: Vec<&str> = words.split(' ').filter(|w| !grammar.word(w).particle).collect();
    (!kept.is_empty() && kept.len() < words.split(' ').count()).then(|| kept.join(" "))
}
