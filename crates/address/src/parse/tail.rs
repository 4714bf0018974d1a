//! Country, postcode and region, which stand at the end of an address, the postcode also in front of the locality.

use super::ParsedAddress;
use super::line::Line;
use crate::Text;
use crate::grammar::{Grammar, Word};

/// What stays.
#[derive(Debug, Clone, Copy)]
pub(super) struct Keep {
    /// One word at least.
    pub one: bool,
    /// A word that is a direction, though it spells a region too.
    pub direction: bool,
}

/// Takes country, postcode and region from the end of words, and a postcode from their front where the country
/// writes it there.
pub(super) fn take(out: &mut ParsedAddress, words: &mut Line, grammar: &Grammar, keep: Keep) {
    let least = usize::from(keep.one);
    // "OR 97981 USA", "97981 OR", "OR, USA 97981": what is there, in any order, each once.
    let (mut country, mut postcode, mut region) = (false, false, false);
    loop {
        if !country && take_country(out, words, grammar, least) {
            country = true;
            continue;
        }
        if !postcode && take_postcode(out, words, grammar, least) {
            postcode = true;
            continue;
        }
        let is_kept = keep.direction && words.words.last().is_some_and(|w| w.direction.is_some());
        if !region && !is_kept && take_region(out, words, grammar, least) {
            region = true;
            continue;
        }
        break;
    }
    if !postcode
        && grammar.postcode_first
        && let Some((n, code, extension)) = at_front(words.tokens, grammar)
        && words.tokens.len() >= n + least
    {
        set_postcode(out, code, extension);
        *words = words.part(n, words.tokens.len());
    }
}

/// Words with blanks between them.
fn joined<'a>(words: &[&'a str]) -> std::borrow::Cow<'a, str> {
    match words {
        [one] => (*one).into(),
        several => several.join(" ").into(),
    }
}

/// How many words at the end may be one name: one, unless the last word ends a longer one.
fn longest_phrase(words: &Line, most: usize, least: usize) -> usize {
    let all = words.tokens.len().saturating_sub(least);
    let phrase = words.words.last().is_some_and(|w| w.ends_phrase);
    all.min(if phrase { most } else { 1 })
}

fn take_country(out: &mut ParsedAddress, words: &mut Line, grammar: &Grammar, least: usize) -> bool {
    let all = words.tokens.len();
    for n in (1..=longest_phrase(words, 5, least)).rev() {
        let meaning = words.word(all - n, all, grammar);
        // One or two letters are too often something else ("DE", "E") to be a country in the middle of an address.
        if meaning.country && (words.window(all - n, all).len() > 2 || meaning.region.is_none() && all > 3) {
            if out.country.is_empty() {
                out.country = grammar.country.into();
            }
            *words = words.part(0, all - n);
            return true;
        }
    }
    false
}

fn take_postcode(out: &mut ParsedAddress, words: &mut Line, grammar: &Grammar, least: usize) -> bool {
    let all = words.tokens.len();
    let most = grammar.postcode_words().min(all.saturating_sub(least));
    let digit = |b: u8| b.is_ascii_digit();
    for n in (1..=most).rev() {
        let from = all - n;
        // The front of a line is its number, whatever it looks like.
        if from == 0 && n > 1 && words.tokens[0].len() < 4 && words.tokens[0].bytes().next().is_some_and(digit) {
            continue;
        }
        if !words.tokens[all - 1].bytes().any(digit) && grammar.postcode_words() == 1 {
            break;
        }
        if let Some((code, extension)) = grammar.postcode(words.window(from, all)) {
            set_postcode(out, code, extension);
            *words = words.part(0, from);
            return true;
        }
    }
    // "WA 9817": a postcode whose leading zero was taken off; the reference decides.
    if let Some(digits) = grammar.digits_of_postcode()
        && all >= 2 + least
        && let last = words.tokens[all - 1]
        && last.len() + 1 == digits
        && last.bytes().all(digit)
        && words.words[all - 2].region.is_some()
    {
        set_postcode(out, last.into(), Text::default());
        *words = words.part(0, all - 1);
        return true;
    }
    false
}

fn take_region(out: &mut ParsedAddress, words: &mut Line, grammar: &Grammar, least: usize) -> bool {
    let all = words.tokens.len();
    for n in (1..=longest_phrase(words, 4, least)).rev() {
        if n == 1 && is_street_end(words) {
            return false;
        }
        if let Some(region) = words.word(all - n, all, grammar).region {
            let code = grammar.regions[usize::from(region)].0;
            // A column says another one: then these words are of the street.
            if !out.region.is_empty() && out.region != code {
                return false;
            }
            out.region = code.into();
            *words = words.part(0, all - n);
            return true;
        }
    }
    if let Some(last) = words.tokens.last()
        && grammar.short_region > 0
        && last.len() == grammar.short_region
        && all > 1 + least
        && last.bytes().all(|b| b.is_ascii_uppercase())
        && !words.words[all - 1].particle
    {
        if out.region.is_empty() {
            out.region = (*last).into();
        }
        *words = words.part(0, all - 1);
        return true;
    }
    false
}

/// Whether the last word of a line that has a number is the type of its street, or a direction behind the type, though
/// it spells a region too ("100 OLD DIKE CT", "100 HERON LN NE").
fn is_street_end(words: &Line) -> bool {
    let [_, middle @ .., last] = words.words else { return false };
    if !words.tokens[0].starts_with(|c: char| c.is_ascii_digit()) || middle.is_empty() {
        return false;
    }
    let typed = |w: &Word| w.street_type.is_some();
    let typed_before = middle.last().is_some_and(typed);
    last.street_type.is_some() && (typed_before || !middle.iter().skip(1).any(typed))
        || last.direction.is_some() && typed_before
}

/// Whether the last word of a numbered line, but for postcode and country, spells a direction and a region.
pub(super) fn ends_with_direction_or_region(words: &Line) -> bool {
    let is_number = |t: &str| t.starts_with(|c: char| c.is_ascii_digit());
    let last = words.words.iter().zip(words.tokens).rposition(|(w, t)| !is_number(t) && !w.country);
    last.is_some_and(|i| {
        let w = words.words[i];
        i > 1 && w.direction.is_some() && w.region.is_some() && is_number(words.tokens[0])
    })
}

/// A postcode at the front of words: how many words it has, the code and its extension.
pub(super) fn at_front(words: &[&str], grammar: &Grammar) -> Option<(usize, Text, Text)> {
    // "D-12345", "F 75999": a letter of the country in front.
    let skip = usize::from(words.len() > 1 && words[0].len() <= 2 && grammar.word(words[0]).country);
    for n in (1..=grammar.postcode_words().min(words.len() - skip)).rev() {
        if let Some((code, extension)) = grammar.postcode(&joined(&words[skip..skip + n])) {
            return Some((skip + n, code, extension));
        }
    }
    let (country, code) = words.first()?.split_once('-')?;
    let (code, extension) = grammar.word(country).country.then(|| grammar.postcode(code)).flatten()?;
    Some((1, code, extension))
}

fn set_postcode(out: &mut ParsedAddress, code: Text, extension: Text) {
    if out.postcode.is_empty() {
        (out.postcode, out.extension) = (code, extension);
    }
}
