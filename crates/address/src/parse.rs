//! An address to its components.
//!
//! Columns that the table has parted stay parted; a whole address is cut from its end: country, postcode, region,
//! then locality, then the thoroughfare line. Where no comma parts locality and thoroughfare, the names of the
//! reference decide, and the thoroughfare type where they do not know the locality.

use crate::grammar::Grammar;
use crate::normal;

/// An address as the table has it; what is not there is empty.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct AddressInput<'a> {
    /// A whole address in one text.
    pub whole: &'a str,
    /// House number.
    pub number: &'a str,
    /// Thoroughfare, with or without the number.
    pub street: &'a str,
    /// Unit.
    pub unit: &'a str,
    /// Locality.
    pub locality: &'a str,
    /// Region.
    pub region: &'a str,
    /// Postcode.
    pub postcode: &'a str,
}

/// The components of an address, in normal form.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct ParsedAddress {
    /// House number; the first one of a range.
    pub number: Option<u32>,
    /// What follows the number: a letter or a fraction (`A`, `1/2`).
    pub number_suffix: String,
    /// Direction before the name, an index into the grammar.
    pub pre_direction: Option<u8>,
    /// Name of the thoroughfare.
    pub name: String,
    /// Thoroughfare type, an index into the grammar.
    pub street_type: Option<u8>,
    /// Direction after the name, an index into the grammar.
    pub post_direction: Option<u8>,
    /// Unit, floor or building in standard form (`Apt 3`).
    pub unit: String,
    /// Whether it is a post box.
    pub post_box: bool,
    /// Locality.
    pub locality: String,
    /// Code of the region where the words are known, else the words.
    pub region: String,
    /// Postcode without extension.
    pub postcode: String,
    /// Extension of the postcode.
    pub extension: String,
    /// What was changed before matching, in words.
    pub read_as: Vec<String>,
}

impl ParsedAddress {
    /// Whether nothing was found.
    pub fn is_empty(&self) -> bool {
        self.number.is_none()
            && self.name.is_empty()
            && !self.post_box
            && self.locality.is_empty()
            && self.region.is_empty()
            && self.postcode.is_empty()
    }
}

/// Reads an address. `is_locality` tells whether words are the name of a locality of the reference.
///
/// ```
/// use basilocus_address::{grammar::us, parse::{parse, AddressInput}};
/// let a = parse(&AddressInput { whole: "1427 NE Mpale Ave Apt 3, Ternport, OR 97981-0012", ..Default::default() }, &us::GRAMMAR, &|_| false);
/// assert_eq!((a.number, a.name.as_str(), a.locality.as_str()), (Some(1427), "MPALE", "TERNPORT"));
/// assert_eq!((a.region.as_str(), a.postcode.as_str(), a.unit.as_str()), ("OR", "97981", "Apt 3"));
/// ```
pub fn parse(input: &AddressInput, grammar: &Grammar, is_locality: &dyn Fn(&str) -> bool) -> ParsedAddress {
    let mut out = ParsedAddress::default();
    set_postcode(&mut out, input.postcode, grammar);
    let region = normal::words(input.region);
    out.region = grammar.region(&region).map_or(region, String::from);
    out.locality = normal::words(input.locality);
    // "Ternport OR" or "Ternport, OR 97981" in the locality column
    if !out.locality.is_empty() && (out.region.is_empty() || out.postcode.is_empty()) && !is_locality(&out.locality) {
        let mut words: Vec<String> = out.locality.split(' ').map(String::from).collect();
        take_tail(&mut out, &mut words, grammar, true);
        if !words.is_empty() {
            out.locality = words.join(" ");
        }
    }
    if input.street.is_empty() || !input.whole.is_empty() {
        whole(&mut out, input.whole, grammar, is_locality);
    }
    if !input.street.is_empty() {
        // A street column may hold the whole address after all ("12 Heron Ln, Ternport").
        if input.street.contains(',') && out.name.is_empty() {
            whole(&mut out, input.street, grammar, is_locality);
        } else {
            street_line(&mut out, &normal::words(input.street), grammar, input.number.trim().is_empty());
        }
    }
    if !input.number.trim().is_empty() {
        let words = normal::words(input.number);
        let mut tokens: Vec<&str> = words.split(' ').filter(|t| !t.is_empty()).collect();
        if let Some((number, suffix)) = take_number(&mut tokens) {
            out.number = Some(number);
            out.number_suffix = suffix;
        }
    }
    if !input.unit.trim().is_empty() {
        out.unit = unit_text(&normal::words(input.unit), grammar);
    }
    out
}

fn unit_text(words: &str, grammar: &Grammar) -> String {
    match words.split_once(' ') {
        Some((first, rest)) => match grammar.unit(first) {
            Some(designator) => format!("{designator} {rest}"),
            None => format!("Unit {words}"),
        },
        None => match words.strip_prefix('#') {
            Some(rest) => format!("# {rest}"),
            None if words.is_empty() => String::new(),
            None => format!("Unit {words}"),
        },
    }
}

fn set_postcode(out: &mut ParsedAddress, text: &str, grammar: &Grammar) {
    let text = text.trim();
    if text.is_empty() {
        return;
    }
    match postcode(&normal::words(text), grammar) {
        Some((code, extension)) => {
            out.postcode = code;
            out.extension = extension;
        }
        None => out.postcode = normal::words(text),
    }
}

/// `97981`, `97981-0012`, `979810012`; four digits are a leading zero that a spreadsheet took away.
fn postcode(word: &str, grammar: &Grammar) -> Option<(String, String)> {
    let (digits, extension) = grammar.postcode_digits;
    let (code, rest) = match word.split_once('-') {
        Some((code, rest)) => (code.trim(), rest.trim()),
        None if word.len() == digits + extension => word.split_at_checked(digits)?,
        None => (word, ""),
    };
    let whole = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    if whole(code) && code.len() == digits && (rest.is_empty() || whole(rest) && rest.len() <= extension) {
        return Some((code.to_string(), rest.to_string()));
    }
    None
}

/// Takes country, postcode and region from the end of words.
fn take_tail(out: &mut ParsedAddress, words: &mut Vec<String>, grammar: &Grammar, keep_one: bool) {
    let least = usize::from(keep_one);
    for n in [4, 3, 2, 1] {
        if words.len() >= n + least && grammar.country_names.contains(&words[words.len() - n..].join(" ").as_str()) {
            words.truncate(words.len() - n);
            break;
        }
    }
    if words.len() > least
        && let Some((code, extension)) = words.last().and_then(|w| postcode(w, grammar))
        && (words.len() > 1 || !keep_one)
    {
        if out.postcode.is_empty() {
            (out.postcode, out.extension) = (code, extension);
        }
        words.pop();
    } else if words.len() >= 2 + least {
        // "97981 0012"
        let (extension, code) = (words[words.len() - 1].clone(), words[words.len() - 2].clone());
        if extension.len() == grammar.postcode_digits.1
            && let Some((code, extension)) = postcode(&format!("{code}-{extension}"), grammar)
        {
            if out.postcode.is_empty() {
                (out.postcode, out.extension) = (code, extension);
            }
            words.truncate(words.len() - 2);
        } else if extension.len() + 1 == grammar.postcode_digits.0
            && extension.bytes().all(|b| b.is_ascii_digit())
            && grammar.region(&code).is_some()
        {
            // "WA 9817": a postcode whose leading zero was taken off; the reference decides.
            if out.postcode.is_empty() {
                out.postcode = extension;
            }
            words.pop();
        }
    }
    for n in [3, 2, 1] {
        if words.len() >= n + least
            && let Some(code) = grammar.region(&words[words.len() - n..].join(" "))
        {
            // "100 Old Dike Ct 97981": a word that is a thoroughfare type or a direction as well closes the street
            // line, unless a locality stands between an earlier type and it ("12 Alder St Graywater CT").
            let doubtful = n == 1
                && words.last().is_some_and(|w| grammar.street_type(w).is_some() || grammar.direction(w).is_some());
            let street_line = words[0].starts_with(|c: char| c.is_ascii_digit());
            let before = words.len().saturating_sub(2);
            if doubtful && street_line && !words[..before].iter().skip(1).any(|w| grammar.street_type(w).is_some()) {
                break;
            }
            // A lone "NE" after a street name is a direction as well as a region: with a postcode before or a
            // comma it was cut off already, so a direction wins only where nothing else of the tail was found.
            if grammar.direction(code).is_some() && out.postcode.is_empty() {
                break;
            }
            if out.region.is_empty() {
                out.region = code.to_string();
            }
            words.truncate(words.len() - n);
            break;
        }
    }
}

fn whole(out: &mut ParsedAddress, text: &str, grammar: &Grammar, is_locality: &dyn Fn(&str) -> bool) {
    let mut parts: Vec<Vec<String>> = text
        .split([',', ';', '\n'])
        .map(|p| normal::words(p).split(' ').filter(|w| !w.is_empty()).map(String::from).collect::<Vec<_>>())
        .filter(|p| !p.is_empty())
        .collect();
    // The tail may take several parts: "…, OR, 97981, USA".
    while let Some(last) = parts.last_mut() {
        take_tail(out, last, grammar, false);
        if !last.is_empty() {
            break;
        }
        parts.pop();
    }
    let Some(first) = parts.first().cloned() else {
        return;
    };
    if parts.len() > 1 && out.locality.is_empty() {
        // The last part is the locality, unless it is a unit.
        let last = parts[parts.len() - 1].clone();
        if grammar.unit(&last[0]).is_none() && !last[0].starts_with('#') {
            out.locality = last.join(" ");
            parts.pop();
        }
    }
    for middle in parts.iter().skip(1) {
        if grammar.unit(&middle[0]).is_some() || middle[0].starts_with('#') {
            out.unit = unit_text(&middle.join(" "), grammar);
        }
    }
    let starts_with_number = first[0].starts_with(|c: char| c.is_ascii_digit());
    if !out.locality.is_empty() || parts.len() > 1 {
        // Care-of lines and building names come before the line that has the number.
        let line = parts.iter().find(|p| p[0].starts_with(|c: char| c.is_ascii_digit())).unwrap_or(&first);
        street_line(out, &line.join(" "), grammar, true);
        return;
    }
    // No comma: known names of localities at the end decide, the longest first.
    let longest = first.len().min(4);
    for n in (1..=longest).rev() {
        let tail = first[first.len() - n..].join(" ");
        if is_locality(&tail) && (first.len() > n || !starts_with_number) {
            out.locality = tail;
            if first.len() > n {
                street_line(out, &first[..first.len() - n].join(" "), grammar, true);
            }
            return;
        }
    }
    // Else what follows the thoroughfare type, and a direction and a unit after it.
    if starts_with_number {
        let kind =
            first.iter().enumerate().skip(2).rev().find(|(_, w)| grammar.street_type(w).is_some()).map(|(i, _)| i);
        if let Some(mut end) = kind {
            end += 1;
            if first.get(end).is_some_and(|w| grammar.direction(w).is_some()) {
                end += 1;
            }
            if first.get(end).is_some_and(|w| grammar.unit(w).is_some()) {
                end = (end + 2).min(first.len());
            } else if first.get(end).is_some_and(|w| w.starts_with('#')) {
                end += 1;
            }
            if end < first.len() {
                out.locality = first[end..].join(" ");
            }
            street_line(out, &first[..end.min(first.len())].join(" "), grammar, true);
            return;
        }
        street_line(out, &first.join(" "), grammar, true);
    } else if out.postcode.is_empty()
        && out.region.is_empty()
        && first.iter().any(|w| grammar.street_type(w).is_some())
        && first.len() > 1
    {
        street_line(out, &first.join(" "), grammar, true);
    } else {
        out.locality = first.join(" ");
    }
}

/// Takes a house number from the front: `12`, `12A`, `12-A`, `12 1/2`, `12-16`, `12 - 16`.
fn take_number(tokens: &mut Vec<&str>) -> Option<(u32, String)> {
    let first = *tokens.first()?;
    let digits = first.bytes().take_while(u8::is_ascii_digit).count();
    if digits == 0 || digits > 9 {
        return None;
    }
    let number = first[..digits].parse().ok()?;
    let rest = first[digits..].trim_start_matches('-');
    // "5TH" is a name, "5A" a number.
    if rest.len() > 1 && !rest.bytes().all(|b| b.is_ascii_digit()) && rest != "1/2" && rest != "1/4" && rest != "3/4" {
        return None;
    }
    let mut suffix = rest.to_string();
    if rest.bytes().all(|b| b.is_ascii_digit()) {
        // A range: its first number places it.
        suffix.clear();
    }
    tokens.remove(0);
    if tokens.len() > 1 && matches!(tokens[0], "1/2" | "1/4" | "3/4") {
        suffix = tokens.remove(0).to_string();
    } else if tokens.len() > 2
        && (tokens[0] == "-" || tokens[0] == "TO")
        && tokens[1].bytes().all(|b| b.is_ascii_digit())
    {
        tokens.drain(..2);
    }
    Some((number, suffix))
}

/// The thoroughfare line: number, directions, name, type, unit.
fn street_line(out: &mut ParsedAddress, line: &str, grammar: &Grammar, with_number: bool) {
    for opening in grammar.post_boxes {
        if line == *opening
            || line
                .strip_prefix(opening)
                .is_some_and(|r| r.starts_with(' ') && r.trim().starts_with(|c: char| c.is_ascii_digit() || c == '#'))
        {
            out.post_box = true;
            return;
        }
    }
    let mut tokens: Vec<&str> = line.split(' ').filter(|t| !t.is_empty()).collect();
    if with_number && let Some((number, suffix)) = take_number(&mut tokens) {
        out.number = Some(number);
        out.number_suffix = suffix;
    }
    // Unit: from its designator to the end, or "#3".
    for i in 1..tokens.len() {
        let designator = grammar.unit(tokens[i]);
        let hash = tokens[i].starts_with('#');
        if hash
            || designator.is_some()
                && (i + 1 < tokens.len() && tokens[i + 1].len() <= 5 || matches!(tokens[i], "FLOOR"))
        {
            if out.unit.is_empty() {
                out.unit = unit_text(&tokens[i..].join(" "), grammar);
            }
            // "4TH FLOOR": the number stands before.
            tokens.truncate(i);
            break;
        }
    }
    // A designator without its number says nothing.
    if tokens.len() > 2 && tokens.last().is_some_and(|t| grammar.unit(t).is_some() && *t != "LOT") {
        tokens.pop();
    }
    // A single letter after the number is its suffix ("12 A Heron Ln") unless it is a direction.
    if out.number.is_some()
        && out.number_suffix.is_empty()
        && tokens.len() > 2
        && tokens[0].len() == 1
        && grammar.direction(tokens[0]).is_none()
        && tokens[0].as_bytes()[0].is_ascii_uppercase()
    {
        out.number_suffix = tokens.remove(0).to_string();
    }
    if let Some(route) = route(&tokens, grammar) {
        let (pre, name, post) = route;
        out.pre_direction = pre;
        out.name = name;
        out.post_direction = post;
        return;
    }
    let is_type = |t: &str| grammar.street_type(t).is_some();
    // Direction in front, when a name is left after it: "N ST" is the street N.
    if tokens.len() > 1 && !(tokens.len() == 2 && is_type(tokens[1])) {
        if tokens.len() > 2
            && let Some(d) = grammar.direction(&format!("{} {}", tokens[0], tokens[1]))
        {
            out.pre_direction = Some(d);
            tokens.drain(..2);
        } else if let Some(d) = grammar.direction(tokens[0]) {
            out.pre_direction = Some(d);
            tokens.remove(0);
        }
    }
    if tokens.len() > 1
        && let Some(d) = grammar.direction(tokens[tokens.len() - 1])
        && (tokens.len() > 2 || !is_type(tokens[0]))
    {
        out.post_direction = Some(d);
        tokens.pop();
    }
    if tokens.len() > 1
        && let Some(t) = grammar
            .street_type(tokens[tokens.len() - 1])
            .or_else(|| grammar.misspelt_street_type(tokens[tokens.len() - 1]))
    {
        out.street_type = Some(t);
        tokens.pop();
    }
    out.name = street_name(&tokens, grammar);
}

/// "US HWY 101", "HIGHWAY 30 E", "N STATE ROUTE 4".
fn route(tokens: &[&str], grammar: &Grammar) -> Option<(Option<u8>, String, Option<u8>)> {
    let (pre, body) = match tokens.first().and_then(|t| grammar.direction(t)) {
        Some(d) if tokens.len() > 2 => (Some(d), &tokens[1..]),
        _ => (None, tokens),
    };
    for n in [3, 2, 1] {
        let Some(number) = body.get(n) else { continue };
        if !number.starts_with(|c: char| c.is_ascii_digit())
            || number.ends_with("TH")
            || number.ends_with("ST")
            || number.ends_with("ND")
            || number.ends_with("RD")
        {
            continue;
        }
        let words = body[..n].join(" ");
        if let Some((long, _)) = grammar.route_types.iter().find(|(_, s)| s.contains(&words.as_str())) {
            let post = body.get(n + 1).and_then(|t| grammar.direction(t));
            return Some((pre, format!("{long} {number}"), post));
        }
    }
    None
}

/// The name with its long words and figures for ordinals.
fn street_name(tokens: &[&str], grammar: &Grammar) -> String {
    let mut out = String::new();
    let mut i = 0;
    while i < tokens.len() {
        let word = tokens[i];
        // "TWENTY FIRST"
        let tens = ["TWENTY", "THIRTY", "FORTY", "FIFTY", "SIXTY", "SEVENTY", "EIGHTY", "NINETY"]
            .iter()
            .position(|t| *t == word);
        let figure = match (tens, tokens.get(i + 1).and_then(|w| grammar.ordinal(w))) {
            (Some(t), Some(unit)) if unit.len() == 3 => {
                i += 1;
                Some(format!("{}{unit}", t + 2))
            }
            _ => grammar.ordinal(word).map(String::from),
        };
        if !out.is_empty() {
            out.push(' ');
        }
        match figure {
            Some(f) => out.push_str(&f),
            // "ST" is Saint in front of a name, the long form of a word elsewhere only where it is no type.
            None if i + 1 < tokens.len() || grammar.street_type(word).is_none() => {
                out.push_str(grammar.name_word(word))
            }
            None => out.push_str(word),
        }
        i += 1;
    }
    out
}

/// Reads a thoroughfare alone, as references have it.
pub fn parse_street(street: &str, grammar: &Grammar) -> ParsedAddress {
    let mut out = ParsedAddress::default();
    street_line(&mut out, &normal::words(street), grammar, false);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grammar::us::GRAMMAR;
    use proptest::prelude::*;

    fn show(text: &str) -> String {
        let known = ["TERNPORT", "GRAY WATER", "NORTH SLOUGH"];
        let a = parse(&AddressInput { whole: text, ..Default::default() }, &GRAMMAR, &|t| known.contains(&t));
        let dir = |d: Option<u8>| d.map_or("", |d| GRAMMAR.directions[d as usize].0);
        format!(
            "{}{}|{}|{}|{}|{}|{}|{}|{}|{}{}",
            a.number.map_or(String::new(), |n| n.to_string()),
            a.number_suffix,
            dir(a.pre_direction),
            a.name,
            a.street_type.map_or("", |t| GRAMMAR.street_types[t as usize].0),
            dir(a.post_direction),
            a.unit,
            a.locality,
            a.region,
            a.postcode,
            if a.post_box { "|box" } else { "" }
        )
    }

    #[test]
    fn whole_addresses() {
        for (text, wanted) in [
            ("1427 NE Maple Ave Apt 3, Ternport, OR 97981-0012", "1427|NE|MAPLE|Ave||Apt 3|TERNPORT|OR|97981"),
            ("1427 N.E. Maple Avenue #3, Ternport OR 97981", "1427|NE|MAPLE|Ave||# 3|TERNPORT|OR|97981"),
            ("12 heron ln ternport or", "12||HERON|Ln|||TERNPORT|OR|"),
            ("12 heron ln ternport oregon 97981", "12||HERON|Ln|||TERNPORT|OR|97981"),
            ("12 Heron Ln Unknown Town OR 97981", "12||HERON|Ln|||UNKNOWN TOWN|OR|97981"),
            ("5 St Clair Street, North Slough, Washington, 98981, USA", "5||SAINT CLAIR|St|||NORTH SLOUGH|WA|98981"),
            ("200 Fifth St N, Gray Water, WA", "200||5TH|St|N||GRAY WATER|WA|"),
            ("200 Twenty First Ave, Gray Water, WA", "200||21ST|Ave|||GRAY WATER|WA|"),
            ("38402 US Hwy 101 S, Ternport, OR", "38402||US HIGHWAY 101||S||TERNPORT|OR|"),
            ("12 1/2 Heron Lane, Ternport", "121/2||HERON|Ln|||TERNPORT||"),
            ("12A Heron Lane, Ternport", "12A||HERON|Ln|||TERNPORT||"),
            ("12-16 Heron Lane, Ternport", "12||HERON|Ln|||TERNPORT||"),
            ("PO Box 12, Ternport, OR 97981", "|||||||TERNPORT|OR|97981|box"),
            ("Ternport, OR", "||||||TERNPORT|OR|"),
            ("Ternport OR 97981", "||||||TERNPORT|OR|97981"),
            ("97981", "|||||||97981"),
            ("c/o Ada Finch, 9 Alder Court, Ternport, OR 97981", "9||ALDER|Ct|||TERNPORT|OR|97981"),
            ("77 N St, Ternport", "77||N|St|||TERNPORT||"),
            ("77 Heron Srteet, Ternport", "77||HERON|St|||TERNPORT||"),
            ("77 Heron Ln Apt, Ternport", "77||HERON|Ln|||TERNPORT||"),
            ("77 Heron Ln, Unit B, Ternport, OR", "77||HERON|Ln||Unit B|TERNPORT|OR|"),
        ] {
            let got = show(text);
            let trimmed = |s: &str| s.trim_start_matches('|').to_string();
            assert_eq!(trimmed(&got), trimmed(wanted), "{text}");
        }
    }

    #[test]
    fn columns() {
        let a = parse(
            &AddressInput {
                number: "1427",
                street: "NE MAPLE AV",
                locality: "Ternport",
                region: "Oregon",
                postcode: "979810012",
                ..Default::default()
            },
            &GRAMMAR,
            &|_| true,
        );
        assert_eq!(
            (a.number, a.name.as_str(), a.region.as_str(), a.postcode.as_str(), a.extension.as_str()),
            (Some(1427), "MAPLE", "OR", "97981", "0012")
        );
        let a = parse(&AddressInput { street: "12 Heron Ln, Ternport, OR", ..Default::default() }, &GRAMMAR, &|_| true);
        assert_eq!((a.number, a.locality.as_str(), a.region.as_str()), (Some(12), "TERNPORT", "OR"));
        let a = parse(&AddressInput { street: "5th Street", number: "8", ..Default::default() }, &GRAMMAR, &|_| true);
        assert_eq!((a.number, a.name.as_str()), (Some(8), "5TH"));
        let a = parse(
            &AddressInput { locality: "Ternport OR 97981", street: "12 Heron", ..Default::default() },
            &GRAMMAR,
            &|t| t == "TERNPORT",
        );
        assert_eq!((a.locality.as_str(), a.region.as_str(), a.postcode.as_str()), ("TERNPORT", "OR", "97981"));
    }

    proptest! {
        #[test]
        fn no_text_panics(text in "\\PC{0,60}") {
            let _ = parse(&AddressInput { whole: &text, ..Default::default() }, &GRAMMAR, &|_| false);
            let _ = parse(&AddressInput { street: &text, number: &text, locality: &text, postcode: &text, unit: &text, region: &text, whole: "" }, &GRAMMAR, &|_| true);
        }

        #[test]
        fn no_address_like_text_panics(text in "([0-9]{1,4}|N|ST|HWY|#|APT|PO BOX|,|OR|-|1/2|TWENTY|FIRST|97981| ){0,12}") {
            let _ = parse(&AddressInput { whole: &text, ..Default::default() }, &GRAMMAR, &|t| t.len() == 2);
        }
    }
}
