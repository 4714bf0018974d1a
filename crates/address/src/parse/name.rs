//! Names in the spelling that they are compared in.

use super::line::Line;
use crate::Text;
use crate::grammar::{Grammar, TypePlace};
use compact_str::format_compact;

/// The name of words `from..to` with its long words and figures for ordinals.
pub(super) fn spelled(line: &Line, from: usize, to: usize, grammar: &Grammar) -> Text {
    let mut out = Text::default();
    let mut i = from;
    while i < to {
        if !out.is_empty() {
            out.push(' ');
        }
        let word = line.tokens[i];
        let meaning = line.words[i];
        let last = i + 1 == to;
        // "TWENTY FIRST"
        if let Some(tens) = meaning.tens
            && let Some(unit) = line.words.get(i + 1).filter(|_| !last).and_then(|w| w.ordinal)
            && unit < 9
        {
            let figure = grammar.ordinals[usize::from(unit)].0;
            out.push_str(&(tens + 2).to_string());
            out.push_str(figure);
            i += 2;
            continue;
        }
        if let Some(ordinal) = meaning.ordinal {
            out.push_str(grammar.ordinals[usize::from(ordinal)].0);
            i += 1;
            continue;
        }
        // Words of a name of up to three words ("M L KING").
        let long = (1..=3.min(to - i)).rev().find_map(|n| {
            let found = line.word(i, i + n, grammar).name_word?;
            // "ST" is Saint in front of a name, the long form of a word elsewhere only where it is no type.
            (i + n < to || meaning.street_type.is_none() || grammar.type_place != TypePlace::After)
                .then(|| (n, grammar.name_words[usize::from(found)].0))
        });
        match long {
            Some((n, long)) => {
                out.push_str(long);
                i += n;
            }
            None => {
                match (last, ordinal_figures(word, grammar)) {
                    (_, Some(figures)) => out.push_str(&figures),
                    (true, None) => out.push_str(&grammar.glued(word)),
                    (false, None) => out.push_str(word),
                }
                i += 1;
            }
        }
    }
    out
}

/// Figures with the ending that belongs to them in English: `5RD` to `5TH`.
fn ordinal_figures(word: &str, grammar: &Grammar) -> Option<String> {
    if grammar.tens.is_empty() || word.len() < 3 {
        return None;
    }
    let (figures, ending) = word.split_at_checked(word.len() - 2)?;
    let known = matches!(ending, "ST" | "ND" | "RD" | "TH") && figures.bytes().all(|b| b.is_ascii_digit());
    known.then(|| format!("{figures}{}", ordinal_ending(figures)))
}

/// `TH` for 5, `ST` for 21.
pub(crate) fn ordinal_ending(figures: &str) -> &'static str {
    let b = figures.as_bytes();
    match b {
        [.., b'1', _] => "TH",
        [.., b'1'] => "ST",
        [.., b'2'] => "ND",
        [.., b'3'] => "RD",
        _ => "TH",
    }
}

/// A road known by its number ("US HWY 101", "HIGHWAY 30 E", "N STATE ROUTE 4"): the words that it has, its name.
pub(super) fn route(line: &Line, from: usize, to: usize, grammar: &Grammar) -> Option<(usize, Text)> {
    if grammar.route_types.is_empty() {
        return None;
    }
    for n in (1..=3).rev() {
        if from + n >= to {
            continue;
        }
        let number = line.tokens[from + n];
        let figures = number.bytes().take_while(u8::is_ascii_digit).count();
        if figures == 0 || number.len() > figures + 1 {
            continue;
        }
        if let Some(i) = line.word(from, from + n, grammar).route {
            return Some((n + 1, format_compact!("{} {number}", grammar.route_types[usize::from(i)].0)));
        }
    }
    // "HWY101", "SR4"
    let word = line.tokens.get(from).filter(|_| from < to)?;
    let letters = word.bytes().take_while(u8::is_ascii_alphabetic).count();
    let figures = &word[letters..];
    if letters >= 1 && !figures.is_empty() && figures.bytes().all(|b| b.is_ascii_digit()) {
        let i = grammar.word(&word[..letters]).route?;
        return Some((1, format_compact!("{} {figures}", grammar.route_types[usize::from(i)].0)));
    }
    None
}
