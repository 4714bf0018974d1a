//! House numbers: `12`, `12A`, `12-A`, `12 1/2`, `12 BIS`, `12-16`, `12 - 16`, `37-12`, `N6W23001`.

use super::line::Line;
use crate::Text;
use crate::grammar::{Grammar, JoinedUnit, NumberPlace};
use compact_str::format_compact;

/// A house number in a line.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Found {
    pub number: u32,
    pub suffix: Text,
    pub to: Option<u32>,
    /// Words used.
    pub used: usize,
    /// What was typed, where a letter was taken for a figure.
    pub corrected: Option<String>,
    /// The unit in front of a slash or hyphen.
    pub unit: Text,
}

/// Two numbers of one building ("12/14") are no farther apart.
const NEXT_DOOR: u32 = 10;

/// "1O5": the letter O among figures is a zero.
fn zeros_for_letters(token: &str) -> Option<String> {
    let b = token.as_bytes();
    let between = |i: usize| i > 0 && i + 1 < b.len() && b[i - 1].is_ascii_digit() && b[i + 1].is_ascii_digit();
    let letters = b.iter().enumerate().filter(|(_, c)| !c.is_ascii_digit());
    let all_are = b.contains(&b'O') && letters.clone().all(|(i, c)| *c == b'O' && between(i));
    all_are.then(|| token.replace('O', "0"))
}

/// Reads a house number that stands in a column of its own: what follows it there belongs to it.
pub(super) fn take_whole(line: &Line, grammar: &Grammar) -> Option<Found> {
    let mut found = take(line, 0, grammar)?;
    if found.suffix.is_empty() && line.tokens.len() == found.used + 1 && line.words[found.used].unit.is_none() {
        found.suffix = line.tokens[found.used].into();
    }
    Some(found)
}

/// Reads a house number from word `at` on.
pub(super) fn take(line: &Line, at: usize, grammar: &Grammar) -> Option<Found> {
    let tokens = line.tokens.get(at..)?;
    let first = *tokens.first()?;
    if let Some(found) = grid(first) {
        return Some(found);
    }
    let corrected = zeros_for_letters(first);
    let first = corrected.as_deref().unwrap_or(first);
    let digits = first.bytes().take_while(u8::is_ascii_digit).count();
    if digits == 0 || digits > 9 {
        return None;
    }
    let number: u32 = first[..digits].parse().ok()?;
    let rest = &first[digits..];
    let mut found = Found { number, used: 1, ..Default::default() };
    found.corrected = corrected.is_some().then(|| tokens[0].to_string());
    match rest.as_bytes() {
        [] => {}
        [b'-' | b'/', after @ ..] if !after.is_empty() => {
            let joined = &rest[1..];
            let other = joined.bytes().take_while(u8::is_ascii_digit).count();
            if other == joined.len() {
                let second: u32 = joined.parse().ok()?;
                let unit_sign = match grammar.joined_unit {
                    JoinedUnit::Slash => b'/',
                    JoinedUnit::Hyphen => b'-',
                    JoinedUnit::Never => 0,
                };
                if rest.as_bytes()[0] == b'/' && matches!(joined, "2" | "4" | "3") && digits == 1 && unit_sign != b'/' {
                    // "1/2" alone is no number of a house.
                    return None;
                }
                if rest.as_bytes()[0] == unit_sign && unit_sign == b'/' {
                    found.unit = first[..digits].into();
                    found.number = second;
                } else if rest.as_bytes()[0] == b'/' && grammar.number == NumberPlace::Before {
                    // "581/583" is two houses; "2/14" may be flat 2 of number 14, or a part of number 2.
                    let are_two = second > number && second - number <= NEXT_DOOR && number >= NEXT_DOOR * 10;
                    found.to = are_two.then_some(second);
                    found.suffix = format_compact!("{}{joined}", if are_two { '-' } else { '/' });
                } else if second > number && (second - number) < 200 {
                    found.to = Some(second);
                    found.suffix = format_compact!("-{joined}");
                } else {
                    found.suffix = format_compact!("-{joined}");
                }
            } else if other == 0 && joined.len() <= 2 {
                found.suffix = joined.into();
            } else if other > 0 && joined.len() - other <= 2 && joined.is_char_boundary(other) {
                // "3/27A"
                if grammar.joined_unit == JoinedUnit::Slash && rest.as_bytes()[0] == b'/' {
                    found.unit = first[..digits].into();
                    found.number = joined[..other].parse().ok()?;
                    found.suffix = joined[other..].into();
                } else {
                    found.suffix = format_compact!("-{joined}");
                }
            } else {
                return None;
            }
        }
        // "5TH" is a name, "5A" a number.
        [_] if rest.bytes().all(|b| b.is_ascii_alphabetic()) => found.suffix = rest.into(),
        _ if grammar.word(rest).number_suffix => found.suffix = rest.into(),
        // A hyphen that nothing follows.
        [b'-' | b'/'] => {}
        _ => return None,
    }
    // What stands in words of its own.
    let word = |i: usize| tokens.get(i).copied().unwrap_or("");
    let whole = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    let fraction = |t: &str| matches!(t, "1/2" | "1/4" | "3/4" | "1/3" | "2/3");
    if fraction(word(1)) {
        found.suffix.push_str(word(1));
        found.used = 2;
    } else if (matches!(word(1), "-" | "TO" | "A") || grammar.word(word(1)).crossing)
        && whole(word(2))
        && found.suffix.is_empty()
        && tokens.len() > 3
    {
        if let Some(to) = word(2).parse().ok().filter(|to| *to > number && to - number < 200) {
            found.to = Some(to);
            found.suffix = format_compact!("-{to}");
            found.used = 3;
        }
    } else if grammar.word(word(1)).number_suffix && found.suffix.is_empty() {
        found.suffix = word(1).into();
        found.used = 2;
    }
    Some(found)
}

/// Numbers of a grid of roads: `N6W23001`, `W180N8085`: the last figures are the house's.
fn grid(token: &str) -> Option<Found> {
    let b = token.as_bytes();
    if !matches!(b.first(), Some(b'N' | b'S' | b'E' | b'W')) || b.len() < 4 || !token.is_ascii() {
        return None;
    }
    // "W6543": the road's letter and the house's number.
    let Some(second) = (1..b.len()).find(|i| !b[*i].is_ascii_digit()) else {
        let figures = &token[1..];
        let number = figures.parse().ok().filter(|_| figures.len() <= 6)?;
        return Some(Found { number, suffix: format_compact!("{}-", &token[..1]), used: 1, ..Default::default() });
    };
    if second == 1 || !matches!(b[second], b'N' | b'S' | b'E' | b'W') {
        return None;
    }
    let figures = &token[second + 1..];
    if figures.is_empty() || figures.len() > 6 || !figures.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    Some(Found {
        number: figures.parse().ok()?,
        suffix: format_compact!("{}-", &token[..=second]),
        used: 1,
        ..Default::default()
    })
}
