//! Which words of a text are the locality and which the thoroughfare line.

use super::line::{self, Line};
use super::{KnownNames, ParsedAddress, tail};
use crate::grammar::{Grammar, NumberPlace, TypePlace};
use crate::normal;
use std::borrow::Cow;
use std::hash::{Hash, Hasher};

/// Most readings of one text.
const MOST: usize = 6;
/// Most words of a locality.
const LOCALITY_WORDS: usize = 5;

/// Gives the readings of a text to `each`.
pub(super) fn readings(
    text: &str,
    number: &str,
    mut base: ParsedAddress,
    grammar: &Grammar,
    names: &dyn KnownNames,
    each: &mut dyn FnMut(ParsedAddress) -> bool,
) {
    let normal: Vec<String> =
        text.split([',', ';', '\n', '\t', '|']).map(|p| part_words(p, grammar)).filter(|p| !p.is_empty()).collect();
    let mut parts: Vec<Vec<&str>> = normal
        .iter()
        .map(|p| {
            let mut words = Vec::with_capacity(8);
            words.extend(p.split(' '));
            words
        })
        .collect();
    // The tail may take several parts: "…, OR, 97981, USA".
    while let Some(last) = parts.last_mut() {
        let single = normal.len() == 1;
        // A word alone that names a region may be a locality too; then it stays.
        let keep = single && last.len() <= 2 && names.is_locality(&last.join(" "));
        if !keep {
            tail::take(&mut base, last, grammar, false);
        }
        if !last.is_empty() {
            break;
        }
        parts.pop();
    }
    // "…, 97981 Ternport, OR": a postcode in front of the locality, in a part before the last.
    let mut locality_first = false;
    if base.postcode.is_empty() {
        let first = usize::from(parts.len() < 2 || !grammar.postcode_first);
        for (i, part) in parts.iter_mut().enumerate().skip(first) {
            if let Some((n, code, extension)) = tail::at_front(part, grammar)
                && (part.len() > n || grammar.postcode_first)
            {
                (base.postcode, base.extension) = (code, extension);
                part.drain(..n);
                locality_first = i == 0 && !part.is_empty();
                break;
            }
        }
    }
    // "VIA ROMA, 3 19999 ROCCA MARINA": a number, then the postcode and the locality.
    if grammar.number == NumberPlace::After && base.postcode.is_empty() {
        for i in 1..parts.len() {
            let words = parts[i].clone();
            if let Some((n, code, extension)) = words.get(1..).and_then(|rest| tail::at_front(rest, grammar))
                && words[0].starts_with(|c: char| c.is_ascii_digit())
                && words.len() > n + 1
            {
                (base.postcode, base.extension) = (code, extension);
                parts[i].truncate(1);
                parts.insert(i + 1, words[n + 1..].to_vec());
                break;
            }
        }
    }
    parts.retain(|p| !p.is_empty());
    // Care-of lines.
    if parts.len() > 1 {
        parts.retain(|p| {
            let named = grammar.word(p[0]).care_of
                || p.len() > 1 && grammar.word(p[0]).begins_phrase && grammar.word(&p[..2].join(" ")).care_of;
            !named || p.iter().any(|w| w.starts_with(|c: char| c.is_ascii_digit()))
        });
    }
    let mut parts: Vec<Cow<str>> = parts.iter().map(|words| Cow::Borrowed(stretch(words, &normal))).collect();
    parts.retain(|p| {
        let unit = line::is_unit(p, grammar);
        if unit && base.unit.is_empty() {
            base.unit = line::unit_text(p, grammar);
        }
        !unit
    });
    join_numbers(&mut parts, grammar);
    if parts.is_empty() {
        line_of_columns(base, number, grammar, each);
        return;
    }
    let (at, street_line) = street_part(&parts, grammar);
    let mut sink = Sink { left: MOST, each, number, grammar, seen: Vec::new() };
    if !base.locality.is_empty() {
        // The column says the locality; the text may say it again, or another.
        if at + 1 < parts.len() {
            base.sub_locality = parts[parts.len() - 1].to_string();
        }
        let street: &str = &parts[at];
        let stripped = street.strip_suffix(base.locality.as_str()).and_then(|s| s.strip_suffix(' '));
        let go_on = match stripped.filter(|s| !s.is_empty()) {
            Some(line) => sink.give(&base, line, 0),
            None => sink.give_line(&base, &street_line, 0),
        };
        if go_on {
            // "12 HERON LN GRAYWATER" beside another locality
            merged(&base, &street_line, names, grammar, &mut sink);
        }
        return;
    }
    if at + 1 < parts.len() {
        let mut b = base.clone();
        b.locality = parts[parts.len() - 1].to_string();
        if parts.len() - at > 2 {
            b.sub_locality = parts[parts.len() - 2].to_string();
        }
        if parts.len() - at > 2 && !names.is_locality(&b.locality) && names.is_locality(&b.sub_locality) {
            std::mem::swap(&mut b.locality, &mut b.sub_locality);
        }
        if !sink.give_line(&b, &street_line, 0) {
            return;
        }
        let known = names.is_locality(&b.locality) || names.is_nearly_locality(&b.locality);
        if !known {
            // "HERON LANE TERNPORT, ESTUARY COUNTY": the last part may be what the locality lies in.
            let mut b = base.clone();
            b.sub_locality = parts[parts.len() - 1].to_string();
            splits(&b, &street_line, names, grammar, &mut sink);
        }
        return;
    }
    // "12345 Musterstadt, Reiherweg 3"
    if at > 0 && (locality_first || names.is_locality(&parts[at - 1])) {
        let mut b = base.clone();
        b.locality = parts[if locality_first { 0 } else { at - 1 }].to_string();
        if !sink.give(&b, &parts[at], 0) {
            return;
        }
    }
    splits(&base, &street_line, names, grammar, &mut sink);
}

/// An address without a street: a number alone says nothing.
fn line_of_columns(base: ParsedAddress, number: &str, grammar: &Grammar, each: &mut dyn FnMut(ParsedAddress) -> bool) {
    let mut out = base;
    if let Some(found) = super::number::take(&Line::new(number, grammar), 0, grammar) {
        (out.number, out.number_suffix, out.number_to) = (Some(found.number), found.suffix, found.to);
    }
    each(out);
}

struct Sink<'a> {
    left: usize,
    each: &'a mut dyn FnMut(ParsedAddress) -> bool,
    number: &'a str,
    grammar: &'a Grammar,
    seen: Vec<u64>,
}

impl Sink<'_> {
    /// Reads a line that is parted already.
    fn give_line(&mut self, base: &ParsedAddress, line: &Line, prior: i32) -> bool {
        self.left -= 1;
        let mut b = base.clone();
        b.prior += prior;
        line::readings(line, self.number, b, self.grammar, self.each)
    }

    /// Reads a line with what is known; false where no more is wanted.
    fn give(&mut self, base: &ParsedAddress, line: &str, prior: i32) -> bool {
        if self.left == 0 {
            return false;
        }
        let mut hasher = normal::Fast::default();
        (line, &base.locality).hash(&mut hasher);
        let key = hasher.finish();
        if self.seen.contains(&key) {
            return true;
        }
        self.seen.push(key);
        self.left -= 1;
        let mut b = base.clone();
        b.prior += prior;
        if line.is_empty() {
            return (self.each)(b);
        }
        line::readings(&Line::new(line, self.grammar), self.number, b, self.grammar, self.each)
    }
}

/// The text from the first to the last of words that follow each other in one of the texts.
fn stretch<'a>(words: &[&'a str], texts: &'a [String]) -> &'a str {
    let (Some(first), Some(last)) = (words.first(), words.last()) else { return "" };
    let (from, to) = (first.as_ptr() as usize, last.as_ptr() as usize + last.len());
    texts
        .iter()
        .find_map(|t| {
            let start = from.checked_sub(t.as_ptr() as usize)?;
            t.get(start..to - t.as_ptr() as usize)
        })
        .unwrap_or("")
}

/// A part in normal form, without dashes that stand alone.
fn part_words(part: &str, grammar: &Grammar) -> String {
    let words = normal::words(part);
    if !words.split(' ').any(|w| w == "-") {
        return words;
    }
    let tokens: Vec<&str> = words.split(' ').collect();
    let figures =
        |i: Option<usize>| i.and_then(|i| tokens.get(i)).is_some_and(|t| t.starts_with(|c: char| c.is_ascii_digit()));
    let kept: Vec<&str> = tokens
        .iter()
        .enumerate()
        .filter(|(i, t)| {
            let range = figures(i.checked_sub(1)) && figures(Some(i + 1));
            **t != "-" || range && tail::at_front(&tokens[i + 1..], grammar).is_none()
        })
        .map(|(_, t)| *t)
        .collect();
    kept.join(" ")
}

/// "RUE DU HERON | 12", "12 | RUE DU HERON", "CALLE MAYOR | 12 | 3O B": a number in a part of its own belongs to the
/// street.
fn join_numbers(parts: &mut Vec<Cow<str>>, grammar: &Grammar) {
    let numeric = |p: &str| {
        p.split(' ').count() <= 3
            && p.split(' ').next().is_some_and(|w| {
                let w = if grammar.word(w).number_mark { p.split(' ').nth(1).unwrap_or("") } else { w };
                w.starts_with(|c: char| c.is_ascii_digit())
            })
            && p.split(' ').all(|w| {
                w.len() <= 2
                    || w.starts_with(|c: char| c.is_ascii_digit())
                    || grammar.unit(w).is_some()
                    || grammar.word(w).number_suffix
                    || grammar.word(w).number_mark
            })
    };
    if parts.len() > 1 && numeric(&parts[0]) && grammar.number == NumberPlace::Before {
        let number = parts.remove(0);
        parts[0] = format!("{number} {}", parts[0]).into();
    }
    if grammar.number == NumberPlace::After || grammar.type_place == TypePlace::Before {
        let mut i = 1;
        while i < parts.len() {
            if numeric(&parts[i]) {
                let number = parts.remove(i);
                let part = parts[i - 1].to_mut();
                part.push(' ');
                part.push_str(&number);
            } else {
                i += 1;
            }
        }
    }
}

/// The part that is the thoroughfare line: the first with a number and a type, else with a number, else with a type,
/// else the first.
fn street_part<'a>(parts: &'a [Cow<str>], grammar: &Grammar) -> (usize, Line<'a>) {
    let first = Line::new(&parts[0], grammar);
    if parts.len() == 1 || line::has_number(&first, grammar) && line::has_type(&first, grammar) {
        return (0, first);
    }
    let mut lines: Vec<Line> = parts.iter().map(|p| Line::new(p, grammar)).collect();
    let at = lines
        .iter()
        .position(|l| line::has_number(l, grammar) && line::has_type(l, grammar))
        .or_else(|| lines.iter().position(|l| line::has_number(l, grammar)))
        .or_else(|| lines.iter().position(|l| line::has_type(l, grammar)))
        .unwrap_or(0);
    (at, lines.swap_remove(at))
}

/// A line whose last words name another locality than the column says.
fn merged(base: &ParsedAddress, line: &Line, names: &dyn KnownNames, grammar: &Grammar, sink: &mut Sink) {
    let n = line.tokens.len();
    for k in (1..=LOCALITY_WORDS.min(n.saturating_sub(2))).rev() {
        let words = line.window(n - k, n);
        if names.is_locality(words) && grammar.word(words).street_type.is_none() {
            let mut b = base.clone();
            b.sub_locality = std::mem::replace(&mut b.locality, words.to_string());
            if !sink.give(&b, line.window(0, n - k), 1) {
                return;
            }
        }
    }
}

/// A line that may have a locality at its end.
fn splits(base: &ParsedAddress, line: &Line, names: &dyn KnownNames, grammar: &Grammar, sink: &mut Sink) {
    let n = line.tokens.len();
    let give = |sink: &mut Sink, at: usize, prior: i32| {
        let mut b = base.clone();
        if at < n {
            b.locality = line.window(at, n).to_string();
        }
        sink.give(&b, line.window(0, at), prior)
    };
    let numbered = line::has_number(line, grammar);
    // A postcode in the middle parts both ("HAUPTSTR 12 12345 MUSTERSTADT").
    if base.postcode.is_empty() {
        for i in 1..n {
            if let Some((words, code, extension)) = tail::at_front(&line.tokens[i..], grammar)
                && (numbered || i > 1)
                && i + words < n
                && grammar.postcode_first
            {
                let mut b = base.clone();
                (b.postcode, b.extension) = (code, extension);
                b.locality = line.window(i + words, n).to_string();
                if !sink.give(&b, line.window(0, i), 0) {
                    return;
                }
                break;
            }
        }
    }
    // The whole line names a locality.
    let whole = !numbered && names.is_locality(line.window(0, n));
    if whole && !give(sink, 0, 0) {
        return;
    }
    // Names of localities at the end, the longest first.
    let mut prior = 0;
    for k in (1..=LOCALITY_WORDS.min(n - 1)).rev() {
        if n - k == 1 && numbered && grammar.number == NumberPlace::Before {
            // "12 HERON": nothing would be left of the street.
            continue;
        }
        if names.is_locality(line.window(n - k, n)) {
            if !give(sink, n - k, prior) {
                return;
            }
            prior += 1;
        }
    }
    // What follows a type of thoroughfare, and a direction and a unit behind it.
    if grammar.type_place == TypePlace::After {
        let first = if numbered { 2 } else { 1 };
        for i in (first..n).rev() {
            if line.words[i].street_type.is_none() {
                continue;
            }
            let mut end = i + 1;
            if end < n && line.words[end].direction.is_some() {
                end += 1;
            }
            if end < n && line.words[end].unit.is_some() {
                end = (end + 2).min(n);
            } else if end < n && line.tokens[end].starts_with('#') {
                end += if line.tokens[end].len() > 1 { 1 } else { 2 };
            }
            if !give(sink, end.min(n), prior) {
                return;
            }
            prior += 1;
        }
    }
    // What follows the number.
    if grammar.number == NumberPlace::After {
        for i in (1..n).rev() {
            if line.tokens[i].starts_with(|c: char| c.is_ascii_digit()) {
                let letter = i + 1 < n && line.tokens[i + 1].len() == 1;
                for end in [i + 1 + usize::from(letter), i + 1] {
                    if end <= n && !give(sink, end, prior) {
                        return;
                    }
                }
                prior += 1;
            }
        }
    }
    // Words at the end that are nearly the name of a locality.
    for k in (1..=3.min(n.saturating_sub(if numbered { 2 } else { 1 }))).rev() {
        if names.is_nearly_locality(line.window(n - k, n)) && !give(sink, n - k, prior + 1) {
            return;
        }
    }
    // A street without a locality; or a locality that nobody knows.
    if numbered || line::has_type(line, grammar) || whole {
        give(sink, n, prior);
    } else if give(sink, 0, prior) {
        give(sink, n, prior + 1);
    }
}
