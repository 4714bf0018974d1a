//! How alike two names are.

use super::{difference, score};
use crate::grammar::Grammar;
use crate::{Text, normal};
use std::cell::OnceCell;

/// A name that was asked for, ready to be compared with many.
pub(super) struct Asked<'a> {
    words: &'a str,
    /// Its words one by one, and whether each is a small one that does not count.
    parted: OnceCell<Vec<(&'a str, bool)>>,
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
            parted: OnceCell::new(),
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
        if self.is_another(there.as_bytes()) {
            return None;
        }
        self.cost_of_figures_alike(there)
    }

    /// The same for a name with the same figures.
    fn cost_of_figures_alike(&self, there: &str) -> Option<i32> {
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
        let most = slips_between(longer);
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
        if best > score::SOUND && self.sounds_like(key.as_bytes()) {
            best = best.min(score::SOUND);
        }
        if best > score::CUT_SHORT && shorter >= 4 && key.starts_with(self.key.as_str()) && self.figures.is_empty() {
            best = best.min(score::CUT_SHORT + i32::from(longer > 2 * shorter) * 6);
        }
        if best <= score::MOST && best > score::WORD_ORDER {
            let name = |words, key| difference::Name { words, key };
            if difference::is_another_name(name(self.words, &self.key), name(there, key), self.grammar) {
                best = best.max(score::ANOTHER_NAME);
            }
        }
        (best <= score::MOST).then_some(best)
    }

    fn parted(&self) -> &[(&'a str, bool)] {
        self.parted.get_or_init(|| self.words.split(' ').map(|word| (word, self.grammar.word(word).particle)).collect())
    }

    /// Whether a name of the reference is another one at first sight: what [`Asked::cost`] has no figure for.
    pub(super) fn is_another(&self, there: &[u8]) -> bool {
        let (mut set, mut length, mut parts, mut wanted) = (0u32, 0usize, false, self.figures.as_bytes());
        for b in there {
            match b {
                b'A'..=b'Z' => set |= 1 << (b - b'A'),
                b' ' | b'-' => {
                    parts = true;
                    continue;
                }
                b'0'..=b'9' => match wanted {
                    [first, rest @ ..] if first == b => wanted = rest,
                    _ => return true,
                },
                _ => {}
            }
            length += 1;
        }
        if !wanted.is_empty() {
            return true;
        }
        // Of several words each may be what was asked for; figures may lack their ending; where vowels are written with
        // two letters the key is another.
        if parts || self.words.len() != self.key.len() || !self.figures.is_empty() || self.grammar.umlauts {
            return false;
        }
        let (longer, shorter) = (length.max(self.key.len()), length.min(self.key.len()));
        let most = slips_between(longer);
        let near = longer - shorter <= most && (set ^ self.letters).count_ones() as usize <= 2 * most;
        let begins = shorter >= 4 && shorter == self.key.len() && there[0] == self.key.as_bytes()[0];
        !near && !begins && !self.sounds_like(there)
    }

    /// Whether a name sounds like this one; short ones say too little.
    fn sounds_like(&self, there: &[u8]) -> bool {
        let sound = self.sound();
        // Every letter gives at most one of the skeleton.
        sound.len() >= 3 && there.len() >= sound.len() && normal::sounds_like(there, sound)
    }

    /// Words in another order, missing or too many, small words that do not count.
    fn words_cost(&self, there: &str) -> i32 {
        const USUAL: usize = 12;
        let mut usual = [""; USUAL];
        let mut longer: Vec<&str>;
        let mut words = there.split(' ');
        let n = usual.iter_mut().zip(&mut words).map(|(slot, word)| *slot = word).count();
        let mut left: &mut [&str] = &mut usual[..n];
        if let Some(more) = words.next() {
            longer = left.to_vec();
            longer.push(more);
            longer.extend(words);
            left = &mut longer;
        }
        let (mut agreeing, mut others, mut slips) = (0, 0, 0);
        let mut in_order = true;
        let mut particles = false;
        let mut at = 0;
        for (word, particle) in self.parted() {
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
                    left.copy_within(i + 1.., i);
                    let n = left.len() - 1;
                    left = &mut left[..n];
                    if !particle {
                        agreeing += word.len();
                    }
                }
                None if *particle => particles = true,
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

/// Slips that two names may be apart, the longer of which has so many letters.
fn slips_between(letters: usize) -> usize {
    if letters >= 9 { 3 } else { slips_allowed(letters).max(1) }
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
    use crate::grammar::{de, fr, us};
    use proptest::prelude::*;

    proptest! {
        /// What is another name at first sight is one at a closer look.
        #[test]
        fn first_sight_is_no_error(
            a in "[ACEHNST]{1,9}( [A-E]{1,4})?|[1-3]{1,2}(ST|TH)?|[A-C]{2,4}",
            b in "[ACEHNST]{1,9}([ -][A-E]{1,4})?|[1-3]{1,2}(ST|TH)?|[A-C]{2,4}",
            slips in 0usize..3,
        ) {
            // Now and then two names that are close.
            let mut close = a.clone();
            for _ in 0..slips {
                close.truncate(close.len().saturating_sub(1));
                close.insert(close.len() / 2, 'E');
            }
            for grammar in [&us::GRAMMAR, &de::GRAMMAR] {
                for there in [&b, &close] {
                    let asked = Asked::new(&a, grammar);
                    let figures_differ = !figures(&a).eq(figures(there));
                    if asked.is_another(there.as_bytes()) && a != *there && !figures_differ {
                        prop_assert_eq!(asked.cost_of_figures_alike(there), None, "{} {}", a, there);
                    }
                    prop_assert!(asked.is_another(there.as_bytes()) || !figures_differ);
                }
            }
        }
    }

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
