//! Country, postcode and region, which stand at the end of an address, the postcode also in front of the locality.

use super::ParsedAddress;
use crate::grammar::Grammar;

/// Takes country, postcode and region from the end of words, and a postcode from their front where the country
/// writes it there. With `keep_one`, a word is left.
pub(super) fn take(out: &mut ParsedAddress, words: &mut Vec<&str>, grammar: &Grammar, keep_one: bool) {
    let least = usize::from(keep_one);
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
        if !region && take_region(out, words, grammar, least) {
            region = true;
            continue;
        }
        break;
    }
    if !postcode
        && grammar.postcode_first
        && let Some((n, code, extension)) = at_front(words, grammar)
        && words.len() >= n + least
    {
        set_postcode(out, code, extension);
        words.drain(..n);
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
fn longest_phrase(words: &[&str], grammar: &Grammar, most: usize, least: usize) -> usize {
    let all = words.len().saturating_sub(least);
    let phrase = words.last().is_some_and(|w| grammar.word(w).ends_phrase);
    all.min(if phrase { most } else { 1 })
}

fn take_country(out: &mut ParsedAddress, words: &mut Vec<&str>, grammar: &Grammar, least: usize) -> bool {
    for n in (1..=longest_phrase(words, grammar, 5, least)).rev() {
        let text = joined(&words[words.len() - n..]);
        // One or two letters are too often something else ("DE", "E") to be a country in the middle of an address.
        if grammar.word(&text).country && (text.len() > 2 || grammar.word(&text).region.is_none() && words.len() > 3) {
            if out.country.is_empty() {
                out.country = grammar.country.to_string();
            }
            words.truncate(words.len() - n);
            return true;
        }
    }
    false
}

fn take_postcode(out: &mut ParsedAddress, words: &mut Vec<&str>, grammar: &Grammar, least: usize) -> bool {
    let most = grammar.postcode_words().min(words.len().saturating_sub(least));
    for n in (1..=most).rev() {
        let from = words.len() - n;
        // The front of a line is its number, whatever it looks like.
        if from == 0 && n > 1 && words[0].len() < 4 && words[0].starts_with(|c: char| c.is_ascii_digit()) {
            continue;
        }
        if !words[words.len() - 1].bytes().any(|b| b.is_ascii_digit()) && grammar.postcode_words() == 1 {
            break;
        }
        if let Some((code, extension)) = grammar.postcode(&joined(&words[from..])) {
            set_postcode(out, code, extension);
            words.truncate(from);
            return true;
        }
    }
    // "WA 9817": a postcode whose leading zero was taken off; the reference decides.
    if let Some(digits) = grammar.digits_of_postcode()
        && words.len() >= 2 + least
        && let [.., before, last] = words.as_slice()
        && last.len() + 1 == digits
        && last.bytes().all(|b| b.is_ascii_digit())
        && grammar.word(before).region.is_some()
    {
        set_postcode(out, last.to_string(), String::new());
        words.pop();
        return true;
    }
    false
}

fn take_region(out: &mut ParsedAddress, words: &mut Vec<&str>, grammar: &Grammar, least: usize) -> bool {
    for n in (1..=longest_phrase(words, grammar, 4, least)).rev() {
        let text = joined(&words[words.len() - n..]);
        if n == 1 && is_street_end(words, grammar) {
            return false;
        }
        if let Some(code) = grammar.region(&text) {
            // A column says another one: then these words are of the street.
            if !out.region.is_empty() && out.region != code {
                return false;
            }
            out.region = code.to_string();
            words.truncate(words.len() - n);
            return true;
        }
    }
    if let Some(last) = words.last()
        && grammar.short_region > 0
        && last.len() == grammar.short_region
        && words.len() > 1 + least
        && last.bytes().all(|b| b.is_ascii_uppercase())
        && !grammar.word(last).particle
    {
        if out.region.is_empty() {
            out.region = last.to_string();
        }
        words.pop();
        return true;
    }
    false
}

/// Whether the last word of a line that has a number is the type of its street, or a direction behind the type, though
/// it spells a region too ("100 OLD DIKE CT", "100 HERON LN NE").
fn is_street_end(words: &[&str], grammar: &Grammar) -> bool {
    let [first, middle @ .., last] = words else { return false };
    if !first.starts_with(|c: char| c.is_ascii_digit()) || middle.is_empty() {
        return false;
    }
    let meaning = grammar.word(last);
    let typed = |w: &&str| grammar.word(w).street_type.is_some();
    let typed_before = middle.last().is_some_and(&typed);
    meaning.street_type.is_some() && (typed_before || !middle.iter().skip(1).any(typed))
        || meaning.direction.is_some() && typed_before
}

/// A postcode at the front of words: how many words it has, the code and its extension.
pub(super) fn at_front(words: &[&str], grammar: &Grammar) -> Option<(usize, String, String)> {
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

fn set_postcode(out: &mut ParsedAddress, code: String, extension: String) {
    if out.postcode.is_empty() {
        (out.postcode, out.extension) = (code, extension);
    }
}
