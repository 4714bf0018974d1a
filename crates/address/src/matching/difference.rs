//! What kind of difference two names have: a slip of the finger, or another name of the same shape.
//!
//! Names of streets near each other are often made alike (Northgate and Southgate, Upper Mill and Lower Mill, D Street and
//! B Street, Tannenallee and Lindenallee), so that few letters between two names say little. What counts is which letters
//! they are: a slip changes letters inside a word, another street has another word, or another part of a compound.

use crate::grammar::{Grammar, TypePlace, language};
use crate::normal;

/// Letters that a part of a compound has at least.
const PART: usize = 3;
/// A shared beginning or end of so many letters is a part of its own.
const SHARED: usize = 4;
/// Letters that a number word or a word of the compass has at most.
const LONGEST: usize = 12;
/// Names of so few letters that another first letter makes another name.
const SHORT: usize = 5;

/// A name in normal form, and its letters without blanks ([`normal::key`]).
#[derive(Clone, Copy)]
pub(super) struct Name<'a> {
    pub words: &'a str,
    pub key: &'a str,
}

/// Whether two names of streets or places are different ones rather than one misspelt.
pub(super) fn is_another_name(asked: Name, there: Name, grammar: &Grammar) -> bool {
    let several = asked.words.contains([' ', '-']) || there.words.contains([' ', '-']);
    if !several {
        if is_slip_inside(asked.key, there.key, grammar) {
            return false;
        }
        return other_word(asked.words, there.words, grammar) || one_word_apart(asked.key, there.key, grammar);
    }
    let (n, m) = (words(asked.words).count(), words(there.words).count());
    if n.abs_diff(m) == 1 {
        // "OLD HERON" for "HERON": a compass word more is another street.
        let (longer, shorter) = if n > m { (asked, there) } else { (there, asked) };
        let mut more = words(longer.words).filter(|w| !words(shorter.words).any(|x| x == *w));
        if more.next().is_some_and(language::is_compass) && more.next().is_none() {
            return true;
        }
    }
    if n != m {
        // One word written as two, or one too many: the words alone do not say.
        return one_word_apart(asked.key, there.key, grammar);
    }
    // The same words in another order are one name.
    let is_missing = |word: &str, name: &str| !words(name).any(|w| w == word);
    let mut differing = words(asked.words).zip(words(there.words)).filter(|(a, b)| a != b);
    differing.any(|(a, b)| {
        is_missing(a, there.words)
            && is_missing(b, asked.words)
            && (other_word(a, b, grammar) || is_replaced(a.as_bytes(), b.as_bytes()))
    })
}

/// Whether two words differ by a letter or two inside, which no word that tells streets apart does: most near names are such.
fn is_slip_inside(a: &str, b: &str, grammar: &Grammar) -> bool {
    let (a, b) = (a.as_bytes(), b.as_bytes());
    let begins = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let ends = a.iter().rev().zip(b.iter().rev()).take_while(|(x, y)| x == y).count();
    grammar.type_place != TypePlace::Glued && begins > 0 && ends > 0 && a.len().max(b.len()) <= begins + ends + 2
}

fn words(name: &str) -> impl Iterator<Item = &str> {
    name.split([' ', '-']).filter(|w| !w.is_empty())
}

/// Whether two words that stand in the same place are different words, whatever their letters.
fn other_word(a: &str, b: &str, grammar: &Grammar) -> bool {
    // "D" and "B".
    if a.len() == 1 && b.len() == 1 {
        return true;
    }
    if a.len().max(b.len()) > LONGEST {
        return false;
    }
    // "THIRD" and "FOURTH", "NORTH" and "SOUTH".
    let (x, y) = (grammar.word(a), grammar.word(b));
    if (x.ordinal.is_some() || x.direction.is_some()) && (y.ordinal.is_some() || y.direction.is_some()) {
        return (x.ordinal, x.direction) != (y.ordinal, y.direction);
    }
    [a, b].into_iter().all(language::is_compass) && language::are_two_sides(a, b)
}

/// Whether one word stands in the place of the other: most letters differ, and those of the one are not those of the other in
/// disorder.
fn is_replaced(a: &[u8], b: &[u8]) -> bool {
    let longer = a.len().max(b.len());
    let mut counts = [0i16; 256];
    a.iter().for_each(|c| counts[usize::from(*c)] += 1);
    let mut shared = 0;
    for c in b {
        let count = &mut counts[usize::from(*c)];
        shared += usize::from(*count > 0);
        *count -= 1;
    }
    let most = longer.div_ceil(2).saturating_sub(1);
    longer >= PART && shared * 2 <= longer && normal::distance(a, b, most).is_none()
}

/// The same for single words, whose letters are folded.
fn one_word_apart(a: &str, b: &str, grammar: &Grammar) -> bool {
    if a == b {
        return false;
    }
    let (a, b, types) = without_glued_types(a, b, grammar);
    // "KIRCHGASSE" for "KIRCHSTRASSE".
    if types.is_some_and(|(x, y)| x != y) {
        return true;
    }
    let (first, second) = (a.as_bytes(), b.as_bytes());
    let ends = first.iter().rev().zip(second.iter().rev()).take_while(|(x, y)| x == y).count();
    let begins = first.iter().zip(second).take_while(|(x, y)| x == y).count();
    if types.is_some() && [a, b].into_iter().all(language::is_compass) && language::are_two_sides(a, b)
        || ends >= PART && begins < PART && compound_of_compass(a, b)
    {
        return true;
    }
    // "PERRY" for "FERRY"; but "EERRY" is a letter left out and one doubled.
    if first.len() == second.len() && first.len() <= SHORT && !first.is_empty() && first[0] != second[0] {
        let doubled = |word: &[u8]| word.len() > 1 && word[0] == word[1];
        if first[1..] == second[1..] && !doubled(first) && !doubled(second) {
            return true;
        }
    }
    let (longer, shorter) = if a.len() >= b.len() { (a, b) } else { (b, a) };
    // "BIRCH" for "BIRCHWOOD": the name of another street is the beginning or end of it.
    let rest = longer.len() - shorter.len();
    if rest > PART && shorter.len() >= SHARED && (longer.starts_with(shorter) || longer.ends_with(shorter)) {
        return true;
    }
    // "GARTNER" for "GARTEN", before a type that is glued on: a word made of another.
    if types.is_some() && is_derived(a, b) {
        return true;
    }
    // "TANNEN" for "LINDEN", "IRON" for "BIRCH": one part of a compound is another word.
    let part = if ends >= SHARED {
        Some((&first[..first.len() - ends], &second[..second.len() - ends]))
    } else if begins >= SHARED {
        Some((&first[begins..], &second[begins..]))
    } else if types.is_some() {
        Some((first, second))
    } else {
        None
    };
    part.is_some_and(|(x, y)| x.len().min(y.len()) >= SHARED && is_replaced(x, y))
}

/// Two words without the types that are glued to them, and the types where both have one.
pub(super) fn without_glued_types<'a>(
    a: &'a str,
    b: &'a str,
    grammar: &Grammar,
) -> (&'a str, &'a str, Option<(usize, usize)>) {
    if grammar.type_place != TypePlace::Glued {
        return (a, b, None);
    }
    let types: Vec<String> = grammar.street_types.iter().map(|(name, _)| normal::words(name)).collect();
    let glued = |word: &'a str| {
        let found = types
            .iter()
            .enumerate()
            .filter(|(_, t)| !t.is_empty() && word.len() > t.len() && word.ends_with(t.as_str()));
        found.max_by_key(|(_, t)| t.len()).map(|(i, t)| (&word[..word.len() - t.len()], i))
    };
    match (glued(a), glued(b)) {
        (Some((x, i)), Some((y, j))) => (x, y, Some((i, j))),
        _ => (a, b, None),
    }
}

/// "NORTHGATE" and "SOUTHGATE": the same behind different compass words.
fn compound_of_compass(a: &str, b: &str) -> bool {
    language::compass_prefixes(a)
        .any(|(x, rest)| language::compass_prefixes(b).any(|(y, other)| rest == other && language::are_two_sides(x, y)))
}

/// One word of at least four letters, and the same with another ending of two letters or more.
fn is_derived(a: &str, b: &str) -> bool {
    let (a, b) = (a.as_bytes(), b.as_bytes());
    let shared = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let (x, y) = (&a[shared..], &b[shared..]);
    let is_slip = normal::distance(x, y, 1).is_some();
    shared >= SHARED && x.len().max(y.len()) >= 2 && x.len().min(y.len()) <= PART && !is_slip
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grammar::{de, us};
    use proptest::prelude::*;

    proptest! {
        /// Letters of any script, and names of any length.
        #[test]
        fn any_two_names_are_compared(a in "\\PC{0,12}|[ab]{0,3}x{0,300}|[А-я]{1,9}", b in "\\PC{0,12}|x{0,300}[ab]{0,3}|[А-я]{1,9}") {
            let (a, b) = (normal::words(&a), normal::words(&b));
            for grammar in [&us::GRAMMAR, &de::GRAMMAR] {
                // Both ways alike.
                prop_assert_eq!(is_another(&a, &b, grammar), is_another(&b, &a, grammar), "{} {}", a, b);
            }
        }
    }

    fn is_another(a: &str, b: &str, grammar: &Grammar) -> bool {
        let keys = [a, b].map(|name| normal::key(name, grammar.umlauts));
        let name = |words, key| Name { words, key };
        is_another_name(name(a, &keys[0]), name(b, &keys[1]), grammar)
    }

    #[test]
    fn another_street_of_the_same_shape() {
        for (a, b) in [
            ("SUDSTRASSE", "WESTSTRASSE"),
            ("OSTSTRASSE", "WESTSTRASSE"),
            ("NORDRING", "OSTRING"),
            ("TANNENALLEE", "LINDENALLEE"),
            ("GARTNERSTRASSE", "GARTENSTRASSE"),
            ("KIRCHSTRASSE", "KIRCHGASSE"),
        ] {
            assert!(is_another(a, b, &de::GRAMMAR), "{a} {b}");
            assert!(is_another(b, a, &de::GRAMMAR), "{b} {a}");
        }
        for (a, b) in [
            ("NORTHGATE", "SOUTHGATE"),
            ("EASTGATE", "WESTGATE"),
            ("LOWER MILL", "UPPER MILL"),
            ("D", "B"),
            ("AVENUE A", "AVENUE B"),
            ("THIRD", "FOURTH"),
            ("IRONWOOD", "BIRCHWOOD"),
            ("BIRCH", "BIRCHWOOD"),
            ("PERRY", "FERRY"),
            ("BERRY", "FERRY"),
            ("TERRY", "FERRY"),
            ("MAPLE GROVE", "CEDAR GROVE"),
            ("OLD HERON", "HERON"),
            ("LOWER MAPLE GROVE", "MAPLE GROVE"),
        ] {
            assert!(is_another(a, b, &us::GRAMMAR), "{a} {b}");
            assert!(is_another(b, a, &us::GRAMMAR), "{b} {a}");
        }
    }

    #[test]
    fn one_street_misspelt() {
        for (a, b) in [
            ("HAUPTSTRASE", "HAUPTSTRASSE"),
            ("REIHERWEG", "REIHREWEG"),
            ("LINDENALEE", "LINDENALLEE"),
            ("GARTENSTRASSE", "GATRENSTRASSE"),
            ("BAHNHOFSTRASSE", "BANHOFSTRASSE"),
        ] {
            assert!(!is_another(a, b, &de::GRAMMAR), "{a} {b}");
        }
        for (a, b) in [
            ("MPALE", "MAPLE"),
            ("MAPEL", "MAPLE"),
            ("MAPLLE", "MAPLE"),
            ("FERY", "FERRY"),
            ("EFRRY", "FERRY"),
            ("GROVE MAPLE", "MAPLE GROVE"),
            ("MAPLE LEAF", "MAPLELEAF"),
            ("WASHIGNTON", "WASHINGTON"),
            ("WASHINTGN", "WASHINGTON"),
            ("SOTUHGATE", "SOUTHGATE"),
            ("NORTHGAT", "NORTHGATE"),
            ("UPER MILL", "UPPER MILL"),
            ("MILLS", "MILL"),
            ("BIRCHWOD", "BIRCHWOOD"),
        ] {
            assert!(!is_another(a, b, &us::GRAMMAR), "{a} {b}");
        }
    }

    #[test]
    fn words_in_the_same_place_are_others_by_what_they_mean() {
        for (a, b, grammar, is) in [
            ("D", "B", &us::GRAMMAR, true),
            ("D", "BE", &us::GRAMMAR, false),
            ("THIRD", "FOURTH", &us::GRAMMAR, true),
            ("THIRD", "3RD", &us::GRAMMAR, false),
            ("NORTH", "SOUTH", &us::GRAMMAR, true),
            ("NORTH", "N", &us::GRAMMAR, false),
            ("NORTH", "FORTH", &us::GRAMMAR, false),
            ("UPPER", "LOWER", &us::GRAMMAR, true),
            ("UPPER", "UPPER", &us::GRAMMAR, false),
            ("MAPLE", "CEDAR", &us::GRAMMAR, false),
            ("NORD", "SUD", &de::GRAMMAR, true),
        ] {
            assert_eq!((other_word(a, b, grammar), other_word(b, a, grammar)), (is, is), "{a} {b}");
        }
    }

    #[test]
    fn a_word_is_replaced_where_most_letters_are_others_not_where_they_are_in_disorder() {
        for (a, b, is) in [
            ("TANNEN", "LINDEN", true),
            ("MAPLE", "CEDAR", true),
            ("IRON", "BIRCH", true),
            ("MAPLE", "ELPAM", false),
            ("MAPLE", "MABLE", false),
            ("AB", "CD", false),
            ("ABC", "XYZ", true),
        ] {
            let (x, y) = (a.as_bytes(), b.as_bytes());
            assert_eq!((is_replaced(x, y), is_replaced(y, x)), (is, is), "{a} {b}");
        }
    }

    #[test]
    fn a_word_made_of_another_has_its_beginning_and_another_end() {
        for (a, b, is) in [
            ("GARTNER", "GARTEN", true),
            ("MULLER", "MULLERIN", true),
            ("GART", "GARTE", false),
            ("GARTEN", "GARTEN", false),
            ("GAR", "GARTEN", false),
            ("GARTENHAUS", "GARTNEREI", false),
        ] {
            assert_eq!((is_derived(a, b), is_derived(b, a)), (is, is), "{a} {b}");
        }
    }

    #[test]
    fn glued_types_are_taken_off_both_or_none_the_longest_first() {
        let parted = |a: &'static str, b: &'static str| {
            let (x, y, types) = without_glued_types(a, b, &de::GRAMMAR);
            (x, y, types.map(|(i, j)| i == j))
        };
        assert_eq!(parted("REIHERWEG", "TANNENWEG"), ("REIHER", "TANNEN", Some(true)));
        assert_eq!(parted("KIRCHGASSE", "KIRCHSTRASSE"), ("KIRCH", "KIRCH", Some(false)));
        assert_eq!(parted("REIHERWEG", "REIHER"), ("REIHERWEG", "REIHER", None));
        assert_eq!(parted("WEG", "REIHERWEG"), ("WEG", "REIHERWEG", None), "a type alone is glued to nothing");
        assert_eq!(without_glued_types("REIHERWEG", "TANNENWEG", &us::GRAMMAR), ("REIHERWEG", "TANNENWEG", None));
    }
}
