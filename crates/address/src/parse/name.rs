//! Names in the spelling that they are compared in.

use super::line::Line;
use crate::Text;
use crate::grammar::{Grammar, TypePlace};
use compact_str::format_compact;
use std::borrow::Cow;

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
                    (_, None) => {
                        let word = with_long_parts(word, grammar);
                        out.push_str(&if last { grammar.glued(&word) } else { Cow::Borrowed(&*word) });
                    }
                }
                i += 1;
            }
        }
    }
    out
}

/// "PROF-DR-MULLER-STR": the parts of a word with hyphens in their long forms.
fn with_long_parts<'a>(word: &'a str, grammar: &Grammar) -> Cow<'a, str> {
    let long = |part: &str| grammar.word(part).name_word.map(|i| grammar.name_words[usize::from(i)].0);
    if !word.contains('-') || !word.split('-').any(|p| long(p).is_some()) {
        return Cow::Borrowed(word);
    }
    let parts: Vec<&str> = word.split('-').map(|part| long(part).unwrap_or(part)).collect();
    Cow::Owned(parts.join("-"))
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

/// Roads that may be called by this name too: "HIGHWAY 7" may be a state route or a federal one, and either is called a
/// highway. A general word is one that ends the names of others.
pub(crate) fn roads_called_alike(name: &str, grammar: &Grammar) -> Vec<Text> {
    let types = || grammar.route_types.iter().map(|(long, _)| *long);
    let is_general = |t: &str| types().any(|other| other.rsplit_once(' ').is_some_and(|(_, last)| last == t));
    let Some((kind, number)) = name.rsplit_once(' ').filter(|(kind, _)| types().any(|t| t == *kind)) else {
        return Vec::new();
    };
    let alike = types().filter(|other| *other != kind && (is_general(kind) || is_general(other)));
    alike.map(|other| format_compact!("{other} {number}")).collect()
}

/// A road known by its number ("US HWY 101", "HIGHWAY 30 E", "N STATE ROUTE 4"): the words that it has, its name.
pub(super) fn route(line: &Line, from: usize, to: usize, grammar: &Grammar) -> Option<(usize, Text)> {
    if grammar.route_types.is_empty() {
        return None;
    }
    // "KS HWY 7", "KS 7": a road of the state; its number has no more figures than that.
    let general =
        ["STATE ROUTE", "HIGHWAY"].into_iter().find(|r| grammar.route_types.iter().any(|(long, _)| long == r));
    if let Some(general) = general
        && line.words.get(from).is_some_and(|w| w.region.is_some() && w.direction.is_none() && w.route.is_none())
        && line.tokens[from].len() == 2
    {
        let has_word = line.words.get(from + 1).filter(|_| from + 2 < to).is_some_and(|w| w.route.is_some());
        let number =
            line.tokens.get(from + 1 + usize::from(has_word)).filter(|_| from + 1 + usize::from(has_word) < to);
        if let Some(number) = number.filter(|n| n.len() <= 3 && n.bytes().all(|b| b.is_ascii_digit())) {
            return Some((2 + usize::from(has_word), format_compact!("{general} {number}")));
        }
    }
    for n in (1..=5).rev() {
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
