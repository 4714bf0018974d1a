//! How alike two names are.

use super::score;
use crate::grammar::Grammar;
use crate::{Text, normal};
use std::cell::OnceCell;

/// A name that was asked for, ready to be compared with many.
pub(super) struct Asked<'a> {
    words: &'a str,
    key: Text,
    bare: Option<Text>,
    sound: OnceCell<Text>,
    figures: Text,
    letters: u32,
    grammar: &'a Grammar,
}

/// Slips of the finger that a name of so many letters may have.
pub fn slips_allowed(letters: usize) -> usize {
    match letters {
        0..4 => 0,
        4..6 => 1,
        _ => 2,
    }
}

impl<'a> Asked<'a> {
    pub(super) fn new(words: &'a str, grammar: &'a Grammar) -> Self {
        let key = normal::key(words, grammar.umlauts);
        Asked {
            words,
            bare: crate::reference::bare(words, grammar).map(|b| normal::key(&b, grammar.umlauts)),
            sound: OnceCell::new(),
            figures: figures(words).collect(),
            letters: letters(&key),
            key,
            grammar,
        }
    }

    pub(super) fn key(&self) -> &str {
        &self.key
    }

    pub(super) fn bare_key(&self) -> Option<&str> {
        self.bare.as_deref()
    }

    pub(super) fn sound(&self) -> &str {
        self.sound.get_or_init(|| normal::sound(&self.key))
    }

    /// What a name of the reference costs; none where it is another name. Figures are right or another street:
    /// "11TH" is no misspelling of "1TH".
    pub(super) fn cost(&self, there: &str) -> Option<i32> {
        if there == self.words {
            return Some(0);
        }
        if !figures(there).eq(self.figures.chars()) {
            return None;
        }
        let mut buffer = [0u8; 64];
        let owned;
        let key: &str = if self.grammar.umlauts || there.len() > buffer.len() {
            owned = normal::key(there, self.grammar.umlauts);
            &owned
        } else {
            let mut n = 0;
            for b in there.bytes().filter(|b| !matches!(b, b' ' | b'-')) {
                buffer[n] = b;
                n += 1;
            }
            std::str::from_utf8(&buffer[..n]).unwrap_or(there)
        };
        if key == self.key {
            return Some(0);
        }
        let (longer, shorter) = (key.len().max(self.key.len()), key.len().min(self.key.len()));
        let most = if longer >= 9 { 3 } else { slips_allowed(longer).max(1) };
        let mut best = i32::MAX;
        // Each slip changes at most two of the letters that occur.
        let (long, short) =
            if key.len() >= self.key.len() { (key, self.key.as_str()) } else { (self.key.as_str(), key) };
        if !self.figures.is_empty()
            && short == self.figures
            && matches!(&long[short.len()..], "ST" | "ND" | "RD" | "TH")
        {
            return Some(score::ENDING);
        }
        if longer - shorter <= most
            && (letters(key) ^ self.letters).count_ones() as usize <= 2 * most
            && let Some(d) = normal::distance(self.key.as_bytes(), key.as_bytes(), most)
        {
            best = score::slips(d, longer);
        }
        if best > score::WORD_ORDER && (there.contains(' ') || self.words.contains(' ')) {
            best = best.min(self.words_cost(there));
        }
        if best > score::SOUND && self.sound().len() >= 3 && sounds_alike(key, self.sound()) {
            best = best.min(score::SOUND);
        }
        if best > score::CUT_SHORT && shorter >= 4 && key.starts_with(self.key.as_str()) && self.figures.is_empty() {
            best = best.min(score::CUT_SHORT + i32::from(longer > 2 * shorter) * 6);
        }
        (best <= score::MOST).then_some(best)
    }

    /// Words in another order, missing or too many, small words that do not count.
    fn words_cost(&self, there: &str) -> i32 {
        let asked: Vec<&str> = self.words.split(' ').collect();
        let mut left: Vec<&str> = there.split(' ').collect();
        let (mut agreeing, mut others, mut slips) = (0, 0, 0);
        let mut in_order = true;
        let mut particles = false;
        let mut at = 0;
        for word in &asked {
            let exact = left.iter().position(|w| w == word);
            let near = exact.or_else(|| {
                (word.len() >= 5)
                    .then(|| left.iter().position(|w| normal::distance(word.as_bytes(), w.as_bytes(), 1).is_some()))
                    .flatten()
            });
            match near {
                Some(i) => {
                    if exact.is_none() {
                        slips += score::slips(1, word.len());
                    }
                    in_order &= i >= at.min(left.len());
                    at = i;
                    left.remove(i);
                    if self.grammar.word(word).particle {
                        continue;
                    }
                    agreeing += word.len();
                }
                None if self.grammar.word(word).particle => particles = true,
                None => others += word.len(),
            }
        }
        for word in left {
            if self.grammar.word(word).particle {
                particles = true;
            } else {
                others += word.len();
            }
        }
        let mut cost =
            slips + if in_order { 0 } else { score::WORD_ORDER } + if particles { score::PARTICLES } else { 0 };
        if others > 0 {
            cost += score::words_differ(agreeing, others);
        } else if agreeing == 0 {
            cost += 40;
        }
        cost
    }
}

/// Whether a name sounds like a skeleton.
fn sounds_alike(key: &str, sound: &str) -> bool {
    // Every letter gives at most one of the skeleton.
    key.len() >= sound.len() && normal::sound(key) == sound
}

fn figures(text: &str) -> impl Iterator<Item = char> + '_ {
    text.chars().filter(char::is_ascii_digit)
}

/// Which letters occur, a bit each.
fn letters(key: &str) -> u32 {
    key.bytes().filter(u8::is_ascii_uppercase).fold(0, |set, b| set | 1 << (b - b'A'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grammar::{fr, us};

    #[test]
    fn costs_of_names() {
        let cost = |a: &str, b: &str| Asked::new(a, &us::GRAMMAR).cost(b);
        assert_eq!(cost("MAPLE", "MAPLE"), Some(0));
        assert_eq!(cost("MAPLE LEAF", "MAPLELEAF"), Some(0));
        assert_eq!(cost("MPALE", "MAPLE"), Some(6));
        assert_eq!(cost("MAPLE", "ALDER"), None);
        assert_eq!(cost("11TH", "1ST"), None, "figures are right or another street");
        assert_eq!(cost("5", "5TH"), Some(score::ENDING));
        assert_eq!(cost("GROVE MAPLE", "MAPLE GROVE"), Some(score::WORD_ORDER));
        assert!(cost("MAPLE", "MAPLE GROVE").is_some_and(|c| c > 8));
        assert!(cost("NITE HAVEN", "KNIGHT HAVEN").is_some());
        assert_eq!(Asked::new("PAIX", &fr::GRAMMAR).cost("DE LA PAIX"), Some(score::PARTICLES));
        assert_eq!(cost("ELM", "OAK"), None);
    }
}
