//! The most that a place is trusted, whatever the sum of its costs is worth: by what kind of difference it is.
//!
//! A sum says how rare a difference is among right matches. Where an address may be outside the reference, what counts is
//! whether another street could be called so: letters that change places or are doubled make no other name, another
//! letter does as often as not, and a name that streets have elsewhere is rarely a slip.

use super::difference::without_glued_types;
use super::place::{Note, Placed};
use super::{Level, Tried, confidence, score, unit};
use crate::grammar::{Grammar, TypePlace};
use crate::nearest::metres;
use crate::normal;
use crate::parse::Thoroughfare;
use crate::reference::{KeyKind, Reference, StreetView};

/// A slip that makes no other name: letters turned or doubled.
const OF_A_TURN: u8 = 99;
/// A letter missing or too many.
const OF_A_LETTER_MISSING: u8 = 97;
/// Two slips, as names that are made alike have them too.
pub(super) const OF_TWO_SLIPS: u8 = 79;
/// Differences that another street has as often as a slip: used, and to be looked at; only offered in tables that have
/// many addresses outside the reference.
const OF_ANOTHER_NAME: u8 = 75;
/// What is only offered.
const OFFERED: u8 = 40;
/// Another thoroughfare type: a slip as often as another street.
const OF_ANOTHER_TYPE: u8 = 79;
/// Where the type or direction that was asked for is there too, on a street of that name near by.
const OF_A_NEIGHBOUR: u8 = 70;
/// The house, of which the reference has other units than the one that was asked for.
const OF_ANOTHER_UNIT: u8 = 95;
/// A house of the number with another letter or fraction than the one that was asked for: a neighbour, not a slip.
const OF_ANOTHER_SUFFIX: u8 = 79;
/// The house of the number with a letter or fraction where none was asked for, or without the one that was: it is there, or
/// next to it.
const OF_A_SUFFIX_MORE: u8 = 95;
/// Another direction.
const OF_ANOTHER_DIRECTION: u8 = 78;
/// A direction that the street has not, or that was not given.
const OF_A_DIRECTION_MORE: u8 = 95;
/// The right name, of which two of type, direction and number are others.
const OF_TWO_DOUBTS: u8 = 75;

/// Streets of one name that are looked at.
const MOST_OF_NAME: usize = 400;

/// The most that a place is trusted. Where names that are nearly a street's are not trusted, they are only offered.
pub(super) fn of(reference: &Reference, tried: &Tried, p: &Placed, trusts_near_names: bool) -> u8 {
    // Another name, or another town or region than the one that was said and nothing that agrees.
    let is_another = [p.parts.name, p.parts.locality, p.parts.region].iter().any(|cost| *cost >= score::ANOTHER_NAME);
    if is_another {
        return OFFERED;
    }
    let of_unit = unit::is_missing(reference, &tried.a, p.unit.as_deref(), p.point);
    let most = if of_unit { OF_ANOTHER_UNIT } else { 100 };
    most.min(of_town(reference, tried, p, trusts_near_names)).min(of_street(reference, tried, p, trusts_near_names))
}

/// The most for a town that is called nearly so, where no postcode says the same.
fn of_town(reference: &Reference, tried: &Tried, p: &Placed, trusts_near_names: bool) -> u8 {
    let (a, context) = (&tried.a, &tried.context);
    let agrees = !a.postcode.is_empty() && p.parts.postcode == 0;
    if agrees || a.locality.is_empty() || p.parts.locality == 0 {
        return 100;
    }
    let place = p.place(reference);
    if !context.named.iter().any(|n| n.place == place && !n.exact) {
        return 100;
    }
    let there = normal::words(reference.place(place).name);
    let most = of_difference(&a.locality, &there, reference.grammar());
    let contradicts = p.parts.postcode >= score::POSTCODE_NEAR;
    if most <= OF_TWO_SLIPS && (contradicts || !trusts_near_names) { OFFERED } else { most }
}

/// The most for the street and number.
fn of_street(reference: &Reference, tried: &Tried, p: &Placed, trusts_near_names: bool) -> u8 {
    if p.note == Note::StreetByPostcode || p.parts.sum() == 0 {
        return 100;
    }
    if let Note::Landmark(place) = p.note {
        let most = of_landmark(reference, &tried.a.place, p.parts.name, place);
        return if most <= OF_TWO_SLIPS && !trusts_near_names { OFFERED } else { most };
    }
    let view = reference.street(p.street);
    let mut most = of_name(reference, &tried.a.street, p, &view);
    if let (Note::Crossing(other), Some(asked)) = (p.note, &tried.a.crossing) {
        most = most.min(of_name(reference, asked, p, &reference.street(other)));
    }
    if most == OF_ANOTHER_NAME && !trusts_near_names {
        return OFFERED;
    }
    match p.parts.number {
        score::SUFFIX_OTHER if p.level == Level::AddressPoint => most = most.min(OF_ANOTHER_SUFFIX),
        score::SUFFIX_ONE_SIDE if p.level == Level::AddressPoint => most = most.min(OF_A_SUFFIX_MORE),
        _ => {}
    }
    let other_type = p.parts.street_type == score::TYPE_OTHER;
    let other_direction = p.parts.direction >= score::DIRECTION_DOUBTED;
    let no_number = p.parts.number >= score::BETWEEN;
    if other_type {
        most = most.min(OF_ANOTHER_TYPE);
    }
    if other_direction {
        most = most.min(OF_ANOTHER_DIRECTION);
    } else if p.parts.direction > 0 && (p.parts.direction >= score::DIRECTION_MORE || no_number) {
        most = most.min(OF_A_DIRECTION_MORE);
    }
    if (other_type || other_direction) && is_there_too(reference, tried, &view) {
        most = most.min(OF_A_NEIGHBOUR);
    }
    let more_direction = p.parts.direction >= score::DIRECTION_MORE;
    if [other_type, more_direction, no_number].iter().filter(|d| **d).count() > 1 {
        most = most.min(OF_TWO_DOUBTS);
    }
    let lacks_number = p.level == Level::Street && p.note == Note::NumberNotThere;
    // Of streets that are bounded and have not the number either fewer than half were right.
    if lacks_number && most < confidence::BOUND { OFFERED } else { most }
}

/// The most for what the name of a landmark differs in; where it was found by another name than its first, the kind of a slip in
/// that is not known.
fn of_landmark(reference: &Reference, asked: &str, cost: i32, place: u32) -> u8 {
    if cost <= score::WORD_ORDER {
        return 100;
    }
    of_difference(asked, &normal::words(reference.place(place).name), reference.grammar())
}

/// Whether the type and directions that were asked for are on a street of the name near by.
fn is_there_too(reference: &Reference, tried: &Tried, view: &StreetView) -> bool {
    let here = reference.position_of(view.place);
    let is_near = |place: u32| {
        place == view.place
            || here.zip(reference.position_of(place)).is_some_and(|(x, y)| metres(x, y) < score::TYPE_NEAR_M)
    };
    let asked = &tried.a.street;
    let others = reference.streets_of_name(view.name).take(MOST_OF_NAME).map(|id| reference.street(id));
    let is_asked = |o: &StreetView| {
        if view.kind == asked.street_type {
            (o.pre, o.post) == (asked.pre_direction, asked.post_direction)
        } else {
            o.kind == asked.street_type
        }
    };
    others.into_iter().any(|o| is_asked(&o) && is_near(o.place))
}

/// The most for what the name of a street differs in.
fn of_name(reference: &Reference, asked: &Thoroughfare, p: &Placed, view: &StreetView) -> u8 {
    // Small words, their order, and figures with or without their ending make no other name.
    if p.parts.name <= score::WORD_ORDER {
        return 100;
    }
    let asked = asked.name.as_str();
    let there = reference.name_text(view.name);
    let kind = of_difference(asked, there, reference.grammar());
    let known = || {
        let is_in = |word: &str, name: &str| name.split([' ', '-']).any(|w| w == word);
        let mut others = asked.split([' ', '-']).filter(|w| !is_in(w, there)).peekable();
        others.peek().is_some() && others.all(|word| is_a_name(reference, word))
    };
    if kind == OF_ANOTHER_NAME || !known() { kind } else { OF_ANOTHER_NAME }
}

/// Whether streets of the reference are called by a word, alone or among others.
fn is_a_name(reference: &Reference, word: &str) -> bool {
    let mut found = false;
    let key = normal::key(word, reference.grammar().umlauts);
    reference.similar_names(&key, 0..=0, &mut |name| found |= reference.name_is(name, word));
    if !found {
        reference.names_by(KeyKind::Word, word, &mut |name| {
            found |= reference.name_text(name).split(' ').any(|w| w == word);
        });
    }
    found
}

/// What a difference of two names in normal form is worth.
pub(super) fn of_difference(asked: &str, there: &str, grammar: &Grammar) -> u8 {
    let key = |name| normal::key(name, grammar.umlauts);
    let (a, b) = (key(asked), key(there));
    if a == b {
        return 100;
    }
    let whole = slip(a.as_bytes(), b.as_bytes());
    // Compounds are joined with an S or without.
    if whole == OF_A_LETTER_MISSING && grammar.type_place == TypePlace::Glued && is_an_s_more(&a, &b) {
        return OF_ANOTHER_NAME;
    }
    // Where one word differs, what stands at its end counts, and a type that is glued on is no part of it.
    let differing: Vec<(&str, &str)> = match asked.split(' ').count() == there.split(' ').count() {
        true => asked.split(' ').zip(there.split(' ')).filter(|(x, y)| x != y).collect(),
        false => Vec::new(),
    };
    let [(x, y)] = differing[..] else { return whole };
    let (x, y, _) = without_glued_types(x, y, grammar);
    // "Daet" and "Dait" seem a letter apart where AE is folded, and have another letter.
    whole.min(slip(x.as_bytes(), y.as_bytes()))
}

/// Whether one key is the other with an S more.
fn is_an_s_more(a: &str, b: &str) -> bool {
    let (longer, shorter) = if a.len() > b.len() { (a, b) } else { (b, a) };
    let begins = longer.bytes().zip(shorter.bytes()).take_while(|(x, y)| x == y).count();
    longer.as_bytes().get(begins) == Some(&b'S')
}

/// What a difference of two keys is worth.
fn slip(a: &[u8], b: &[u8]) -> u8 {
    let begins = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let ends = a[begins..].iter().rev().zip(b[begins..].iter().rev()).take_while(|(x, y)| x == y).count();
    let (x, y) = (&a[begins..a.len() - ends], &b[begins..b.len() - ends]);
    match (x, y) {
        ([], []) => 100,
        ([p, q], [r, s]) if p == s && q == r => OF_A_TURN,
        ([letter], []) | ([], [letter]) => {
            let longer = if x.is_empty() { b } else { a };
            let is_doubled = begins > 0 && longer[begins - 1] == *letter || longer.get(begins + 1) == Some(letter);
            let is_plural = ends == 0 && *letter == b'S';
            match (is_doubled, is_plural) {
                (_, true) => OF_ANOTHER_NAME,
                (true, _) => OF_A_TURN,
                _ => OF_A_LETTER_MISSING,
            }
        }
        // Other letters side by side.
        _ if x.len() <= 2 && y.len() <= 2 && !x.iter().any(|l| y.contains(l)) => OF_ANOTHER_NAME,
        _ if normal::distance(a, b, 2).is_some() => OF_TWO_SLIPS,
        _ => OF_ANOTHER_NAME,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grammar::{de, us};

    #[test]
    fn what_slips_are_worth() {
        for (a, b, worth) in [
            ("MPALE", "MAPLE", OF_A_TURN),
            ("MAPLLE", "MAPLE", OF_A_TURN),
            ("FERY", "FERRY", OF_A_TURN),
            ("MAPE", "MAPLE", OF_A_LETTER_MISSING),
            ("MABLE", "MAPLE", OF_ANOTHER_NAME),
            ("HILL", "MILL", OF_ANOTHER_NAME),
            ("BROOKS", "BROOK", OF_ANOTHER_NAME),
            ("HERRINGTON", "HARRINGTON", OF_ANOTHER_NAME),
            ("WASHIGNTN", "WASHINGTON", OF_TWO_SLIPS),
            ("STONEGATE", "TIDEGATE", OF_ANOTHER_NAME),
            ("MAPLE", "MAPLE", 100),
        ] {
            assert_eq!((slip(a.as_bytes(), b.as_bytes()), slip(b.as_bytes(), a.as_bytes())), (worth, worth), "{a} {b}");
        }
    }

    /// Both ways round.
    fn worth(a: &str, b: &str, grammar: &Grammar) -> u8 {
        let there = of_difference(a, b, grammar);
        assert_eq!(of_difference(b, a, grammar), there, "{a} {b}");
        there
    }

    #[test]
    fn blanks_and_the_two_ways_to_write_a_vowel_make_no_difference() {
        assert_eq!(worth("MAPLE LEAF", "MAPLELEAF", &us::GRAMMAR), 100);
        assert_eq!(worth("MAPLE-LEAF", "MAPLE LEAF", &us::GRAMMAR), 100);
        assert_eq!(worth("MUEHLENWEG", "MUHLENWEG", &de::GRAMMAR), 100);
        // Where nobody writes vowels so, it is a letter more.
        assert_eq!(worth("MUEHLENWEG", "MUHLENWEG", &us::GRAMMAR), OF_A_LETTER_MISSING);
    }

    #[test]
    fn of_several_words_the_one_that_differs_counts_with_its_own_end() {
        // Inside of the whole name the letter looks like one left out; at the end of its word it makes another name.
        assert_eq!(worth("BROOKS MILL", "BROOK MILL", &us::GRAMMAR), OF_ANOTHER_NAME);
        assert_eq!(worth("BROKS MILL", "BROOKS MILL", &us::GRAMMAR), OF_A_TURN);
        assert_eq!(worth("BROOKS MLL", "BROOKS MILL", &us::GRAMMAR), OF_A_LETTER_MISSING);
        assert_eq!(worth("BROOKS MABLE", "BROOKS MAPLE", &us::GRAMMAR), OF_ANOTHER_NAME);
        // Two words that differ, or more words than there are, are compared as a whole.
        assert_eq!(worth("BROKS MLL", "BROOKS MILL", &us::GRAMMAR), OF_TWO_SLIPS);
        assert_eq!(worth("BROOKS M ILL", "BROOKS MLL", &us::GRAMMAR), OF_A_LETTER_MISSING);
    }

    #[test]
    fn compounds_are_joined_with_an_s_or_without_and_types_that_are_glued_on_are_no_part() {
        assert_eq!(worth("HEIDEWEG", "HEIDESWEG", &de::GRAMMAR), OF_ANOTHER_NAME);
        assert_eq!(worth("HEIDEWEG", "HEIDESWEG", &us::GRAMMAR), OF_A_LETTER_MISSING, "no compounds there");
        assert_eq!(worth("HEIDEWEG", "HEDEWEG", &de::GRAMMAR), OF_A_LETTER_MISSING, "no S");
        // The S stands at the end of what is left without the type.
        assert_eq!(worth("REIHERSWEG", "REIHERWEG", &de::GRAMMAR), OF_ANOTHER_NAME);
        assert_eq!(worth("REIHERSTRASE", "REIHERSTRASSE", &de::GRAMMAR), OF_A_TURN);
        assert_eq!(worth("DAETWEG", "DAITWEG", &de::GRAMMAR), OF_ANOTHER_NAME, "AE is folded, and E is another letter");
    }

    #[test]
    fn an_s_more_is_one_wherever_it_stands() {
        for (a, b, is) in [
            ("HEIDEWEG", "HEIDESWEG", true),
            ("MILL", "MILLS", true),
            ("MILL", "SMILL", true),
            ("MILL", "MILLE", false),
        ] {
            assert_eq!((is_an_s_more(a, b), is_an_s_more(b, a)), (is, is), "{a} {b}");
        }
    }
}
