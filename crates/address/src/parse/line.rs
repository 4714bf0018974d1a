//! The thoroughfare line: unit, number, directions, type, name, crossing.

use super::{ParsedAddress, Thoroughfare, name, number};
use crate::Text;
use crate::grammar::{Grammar, JoinedUnit, NumberPlace, TypePlace, Word};
use compact_str::format_compact;

/// The words of a text in normal form.
#[derive(Debug)]
pub(super) struct Tokens<'a> {
    text: &'a str,
    tokens: Vec<&'a str>,
    words: Vec<Word>,
    starts: Vec<usize>,
}

impl<'a> Tokens<'a> {
    pub(super) fn new(text: &'a str, grammar: &Grammar) -> Self {
        let mut starts = Vec::with_capacity(12);
        let mut tokens = Vec::with_capacity(12);
        let mut words = Vec::with_capacity(12);
        let mut at = 0;
        for token in blanks(text) {
            if !token.is_empty() {
                starts.push(at);
                tokens.push(token);
                words.push(grammar.word(token));
            }
            at += token.len() + 1;
        }
        Tokens { text, tokens, words, starts }
    }

    /// All of them.
    pub(super) fn line(&self) -> Line<'_> {
        Line { text: self.text, tokens: &self.tokens, words: &self.words, starts: &self.starts }
    }
}

/// A text at its blanks.
pub(super) fn blanks(text: &str) -> impl Iterator<Item = &str> {
    let mut rest = Some(text);
    std::iter::from_fn(move || {
        let text = rest?;
        match text.bytes().position(|b| b == b' ') {
            Some(at) => {
                rest = Some(&text[at + 1..]);
                Some(&text[..at])
            }
            None => rest.take(),
        }
    })
}

/// Words of a text in normal form, one after the other.
#[derive(Debug, Clone, Copy)]
pub(super) struct Line<'a> {
    text: &'a str,
    pub tokens: &'a [&'a str],
    /// What each word means.
    pub words: &'a [Word],
    starts: &'a [usize],
}

impl<'a> Line<'a> {
    /// Words `from..to` alone.
    pub(super) fn part(&self, from: usize, to: usize) -> Self {
        Line {
            text: self.text,
            tokens: &self.tokens[from..to],
            words: &self.words[from..to],
            starts: &self.starts[from..to],
        }
    }

    /// The words as they stand.
    pub(super) fn text(&self) -> &'a str {
        self.window(0, self.tokens.len())
    }

    /// What words `from..to` mean together.
    pub(super) fn word(&self, from: usize, to: usize, grammar: &Grammar) -> Word {
        match to.saturating_sub(from) {
            0 => Word::default(),
            1 => self.words[from],
            _ if self.words[from].begins_phrase => grammar.word(self.window(from, to)),
            _ => Word::default(),
        }
    }

    /// Words `from..to` as they stand.
    pub(super) fn window(&self, from: usize, to: usize) -> &'a str {
        if from >= to {
            return "";
        }
        &self.text[self.starts[from]..self.starts[to - 1] + self.tokens[to - 1].len()]
    }
}

/// A unit in standard form: `Apt 3`, `# 3`, `Unit 3`.
pub(crate) fn unit_text(words: &str, grammar: &Grammar) -> Text {
    let designator = |w: &str| grammar.unit(w);
    match words.split_once(' ') {
        Some((first, rest)) => match designator(first) {
            Some(d) => format_compact!("{d} {rest}"),
            None => match words.rsplit_once(' ') {
                // "4TH FLOOR"
                Some((before, last)) if designator(last).is_some() => {
                    format_compact!("{} {before}", designator(last).unwrap_or_default())
                }
                _ => format_compact!("Unit {words}"),
            },
        },
        None => match words.strip_prefix('#') {
            Some("") => Text::default(),
            Some(rest) => format_compact!("# {rest}"),
            None if words.is_empty() => Text::default(),
            None if designator(words).is_some() => designator(words).unwrap_or_default().into(),
            None => format_compact!("Unit {words}"),
        },
    }
}

/// Whether a token begins with figures.
pub(super) fn is_number(token: &str) -> bool {
    token.starts_with(|c: char| c.is_ascii_digit())
}

/// Whether a token can be the value of a unit: figures, a letter, or both.
fn is_unit_value(token: &str) -> bool {
    token.len() <= 5 && (token.len() <= 2 || token.bytes().any(|b| b.is_ascii_digit()))
}

/// Whether what seems a second line of a part ("12 HWY 5 OAK ST") is the number of a road and what follows it.
pub(super) fn is_route_part(part: &Line, at: usize, rest: &Line, grammar: &Grammar) -> bool {
    let before = at.saturating_sub(3);
    (before..at).any(|i| name::route(part, i, part.tokens.len(), grammar).is_some_and(|(n, _)| i + n > at))
        || rest.tokens.len() < 2
}

/// More than any address costs that is taken without looking on.
const BOTH_ARE_TRIED: i32 = 5;

/// Gives the readings of a line to `each`. `number` is what a column of its own says.
pub(super) fn readings(
    line: &Line,
    number_column: &str,
    base: ParsedAddress,
    grammar: &Grammar,
    each: &mut dyn FnMut(ParsedAddress) -> bool,
) -> bool {
    let mut out = base;
    let (mut from, mut to) = (0, line.tokens.len());
    // A line that names a person, then the address.
    for n in (1..=2).rev() {
        if to > n && line.word(0, n, grammar).care_of {
            from = (n..to).find(|i| is_number(line.tokens[*i])).unwrap_or(to);
            out.pass_over(line.window(0, from));
            break;
        }
    }
    if let Some(at) = post_box(line, from, to, grammar) {
        if at == from {
            out.post_box = true;
            return each(out);
        }
        out.pass_over(line.window(at, to));
        to = at;
    }
    if !number_column.is_empty() {
        let column = Tokens::new(number_column, grammar);
        if let Some(found) = number::take_whole(&column.line(), grammar) {
            // The number again in front of the street, or behind it.
            if let Some(again) = number::take(line, from, grammar)
                && again.number == found.number
                && from + again.used < to
            {
                from += again.used;
            } else if to > from + 1 && line.tokens[to - 1] == number_column {
                to -= 1;
            }
            out.number = Some(found.number);
            out.number_suffix = found.suffix;
            out.number_to = found.to;
            if out.unit.is_empty() && !found.unit.is_empty() {
                out.unit = format_compact!("Unit {}", found.unit);
            }
        } else if out.house_name.is_empty() {
            out.house_name = number_column.into();
        }
    }
    // "ACME & CO 12 HERON LN": a firm in front of the number.
    if out.number.is_none()
        && grammar.number == NumberPlace::Before
        && let Some(at) = number_behind_a_firm(line, from, to, grammar)
    {
        out.pass_over(line.window(from, at));
        from = at;
    }
    // A unit in front of the number: "FLAT 3 12 HIGH STREET".
    if out.number.is_none() && to > from + 2 {
        let hash = line.tokens[from].strip_prefix('#').filter(|r| !r.is_empty() && is_number(line.tokens[from + 1]));
        if let Some(value) = hash {
            set_unit(&mut out, &format!("# {value}"));
            from += 1;
        } else if line.words[from].unit.is_some()
            && is_unit_value(line.tokens[from + 1])
            && (is_number(line.tokens[from + 2]) || grammar.number == NumberPlace::After)
        {
            set_unit(&mut out, &unit_text(line.window(from, from + 2), grammar));
            from += 2;
        }
    }
    let name_with_number =
        if out.number.is_none() { number_behind_number(line, from, to, &out, grammar) } else { None };
    if out.number.is_none() {
        match grammar.number {
            NumberPlace::Before => number_before(line, &mut from, &mut to, &mut out, grammar),
            NumberPlace::After => number_after(line, &mut from, &mut to, &mut out, grammar),
        }
    }
    trailing_unit(line, from, &mut to, &mut out, grammar);
    // A letter after the number is its suffix ("12 A HERON LN") unless it is a direction.
    if out.number.is_some()
        && out.number_suffix.is_empty()
        && grammar.number == NumberPlace::Before
        && to > from + 2
        && line.tokens[from].len() == 1
        && line.tokens[from].as_bytes()[0].is_ascii_uppercase()
        && line.words[from].direction.is_none()
        && line.words[from].street_type.is_none()
        && line.words[from].name_word.is_none()
        && line.words[from].route.is_none()
    {
        out.number_suffix = line.tokens[from].into();
        from += 1;
    }
    // "12, NO" and the like: a mark that nothing follows.
    while to > from + 1 && line.words[to - 1].number_mark && line.tokens[to - 1].len() > 1 {
        to -= 1;
    }
    if out.number.is_none() && !crossing(line, from, to, &out, grammar, each) {
        return false;
    }
    if out.number.is_none() {
        out.place = line.window(from, to).into();
    }
    out.street = thoroughfare(line, from, to, grammar);
    // "2/14 MILL LANE": a flat of number 14, or a part of number 2; what tells them apart is whether they are there.
    if let Some(second) = out.number_suffix.strip_prefix('/').and_then(|s| s.parse::<u32>().ok()) {
        let first = out.number.unwrap_or_default();
        out.prior += BOTH_ARE_TRIED;
        out.number_suffix = Text::default();
        for (number, unit) in [(second, first), (first, second)] {
            let mut one = out.clone();
            one.number = Some(number);
            set_unit(&mut one, &format!("Unit {unit}"));
            one.read_as.push(format!("{first}/{second} read as unit {unit} of number {number}"));
            if !each(one) {
                return false;
            }
        }
        return true;
    }
    // "3-27 HERON ST": a unit and a number, or a range. Both are tried.
    if grammar.joined_unit == JoinedUnit::Hyphen
        && let Some(second) = out.number_suffix.strip_prefix('-').and_then(|s| s.parse::<u32>().ok())
    {
        let mut other = out.clone();
        let unit = format!("Unit {}", out.number.unwrap_or_default());
        set_unit(&mut other, &unit);
        (other.number, other.number_suffix, other.number_to) = (Some(second), Text::default(), None);
        if !each(other) {
            return false;
        }
        out.prior += 1;
    }
    each(out) && name_with_number.is_none_or(each)
}

/// "PLEIN 1944 19": the last of two numbers is the house's, and the one before belongs to the name.
fn number_behind_number(
    line: &Line,
    from: usize,
    to: usize,
    base: &ParsedAddress,
    grammar: &Grammar,
) -> Option<ParsedAddress> {
    let figures = |i: usize| line.tokens[i].bytes().all(|b| b.is_ascii_digit());
    if grammar.number != NumberPlace::After {
        return None;
    }
    let at = (from + 2..to).rev().find(|i| is_number(line.tokens[*i]) && figures(*i - 1))?;
    let found = number::take(line, at, grammar)?;
    let mut out = base.clone();
    out.prior += 1;
    if at + found.used < to {
        set_unit(&mut out, &unit_text(line.window(at + found.used, to), grammar));
    }
    put_number(&mut out, found);
    out.street = thoroughfare(line, from, at, grammar);
    Some(out)
}

/// Where the number stands behind the name of a firm: two words or more, one of them "&", none of them a street's.
fn number_behind_a_firm(line: &Line, from: usize, to: usize, grammar: &Grammar) -> Option<usize> {
    if is_number(line.tokens.get(from).filter(|_| from < to)?) {
        return None;
    }
    let at = (from + 2..to).find(|i| is_number(line.tokens[*i]))?;
    let firm = from..at;
    let is_firm = line.tokens[firm.clone()].contains(&"&")
        && !line.words[firm.clone()].iter().any(|w| w.street_type.is_some() || w.unit.is_some() || w.corner)
        && !firm.into_iter().any(|i| name::route(line, i, to, grammar).is_some());
    let rest = line.part(at, to);
    (is_firm && rest.tokens.len() > 2 && has_type(&rest, grammar)).then_some(at)
}

fn set_unit(out: &mut ParsedAddress, unit: &str) {
    if out.unit.is_empty() {
        out.unit = unit.into();
    }
}

/// The word that opens a post box, where there is one; a street may stand in front of it.
fn post_box(line: &Line, from: usize, to: usize, grammar: &Grammar) -> Option<usize> {
    for i in from..to {
        for n in (1..=3.min(to - i)).rev() {
            let words = line.window(i, i + n);
            if !line.word(i, i + n, grammar).post_box {
                continue;
            }
            let after = line.tokens.get(i + n).filter(|_| i + n < to);
            let numbered = after.is_some_and(|t| is_number(t) || t.starts_with('#'));
            let alone = i == from && after.is_none() && words.len() > 2;
            if numbered || alone {
                // "12 HERON RD 3": the opening may be the type of the street.
                if i > from && n == 1 && line.words[i].street_type.is_some() {
                    let typed = line.words[from..i].iter().any(|w| w.street_type.is_some());
                    return Some(if typed { i } else { i + 1 });
                }
                // "12 MAPLE 4" is no box: a short opening needs a line of its own or a type before it.
                if i > from && words.len() <= 2 && !line.words[from..i].iter().any(|w| w.street_type.is_some()) {
                    continue;
                }
                return Some(i);
            }
        }
    }
    None
}

/// A number in front; else one behind, which is then less sure.
fn number_before(line: &Line, from: &mut usize, to: &mut usize, out: &mut ParsedAddress, grammar: &Grammar) {
    let mut at = *from;
    if at + 1 < *to && line.words[at].number_mark && is_number(line.tokens[at + 1]) {
        at += 1;
    }
    // "105 105 OAK ST"
    if at + 2 < *to && line.tokens[at] == line.tokens[at + 1] && line.tokens[at].bytes().all(|b| b.is_ascii_digit()) {
        out.pass_over(line.tokens[at]);
        at += 1;
    }
    // "#111 FERRY ST"
    if let Some(figures) = line.tokens.get(at).filter(|_| at + 1 < *to).and_then(|t| t.strip_prefix('#'))
        && let Ok(number) = figures.parse()
    {
        (out.number, *from) = (Some(number), at + 1);
        return;
    }
    if let Some(found) = number::take(line, at, grammar).filter(|f| at + f.used < *to) {
        *from = at + found.used;
        put_number(out, found);
        return;
    }
    // "HERON LANE 12"
    let last = *to - (*to > *from) as usize;
    if *to > *from + 1
        && name::route(line, last - 1, *to, grammar).is_none()
        && !is_route_end(line, *from, *to, grammar)
    {
        let last_token = line.tokens[last];
        if is_number(last_token)
            && let Some(found) = number::take(line, last, grammar)
            && line.words[last - 1].unit.is_none()
        {
            *to = last;
            if *to > *from + 1 && line.words[*to - 1].number_mark {
                *to -= 1;
            }
            out.prior += 2;
            put_number(out, found);
        }
    }
}

/// Whether the words end with a road and its number.
fn is_route_end(line: &Line, from: usize, to: usize, grammar: &Grammar) -> bool {
    (from..to).any(|i| name::route(line, i, to, grammar).is_some_and(|(n, _)| i + n == to))
}

/// A number behind the name: the first after which only what belongs to it or to a unit comes.
fn number_after(line: &Line, from: &mut usize, to: &mut usize, out: &mut ParsedAddress, grammar: &Grammar) {
    let unit_like = |t: &str| {
        is_number(t)
            || t.len() <= 2
            || grammar.unit(t).is_some()
            || grammar.word(t).number_suffix
            || grammar.word(t).number_mark
            || matches!(t, "1/2" | "1/4" | "3/4")
    };
    for i in *from + 1..*to {
        if !is_number(line.tokens[i]) || !line.tokens[i + 1..*to].iter().all(|t| unit_like(t)) {
            continue;
        }
        if line.words[i - 1].unit.is_some() && i > *from + 1 {
            continue;
        }
        if i == *from + 1 && name::route(line, *from, *to, grammar).is_some() {
            continue;
        }
        let Some(mut found) = number::take(line, i, grammar) else { continue };
        // "12 A" is the house, "12 3O B" the third floor.
        let mut end = i + found.used;
        if found.suffix.is_empty()
            && end < *to
            && line.tokens[end].len() == 1
            && line.tokens[end].as_bytes()[0].is_ascii_uppercase()
            && line.words[end].unit.is_none()
        {
            found.suffix = line.tokens[end].into();
            end += 1;
        }
        if end < *to {
            set_unit(out, &unit_text(line.window(end, *to), grammar));
        }
        *to = i;
        if *to > *from + 1 && line.words[*to - 1].number_mark {
            *to -= 1;
        }
        put_number(out, found);
        return;
    }
    // "12 HAUPTSTRASSE"
    if let Some(found) = number::take(line, *from, grammar).filter(|f| *from + f.used < *to)
        && !is_route_end(line, *from, *to, grammar)
    {
        *from += found.used;
        out.prior += 1;
        put_number(out, found);
    }
}

fn put_number(out: &mut ParsedAddress, found: number::Found) {
    if let Some(typed) = &found.corrected {
        out.read_as.push(format!("number {typed} read as {}", found.number));
    }
    out.number = Some(found.number);
    out.number_suffix = found.suffix;
    out.number_to = found.to;
    if !found.unit.is_empty() {
        set_unit(out, &format!("Unit {}", found.unit));
    }
}

/// Takes a unit from its designator to the end, or `#3`.
fn trailing_unit(line: &Line, from: usize, to: &mut usize, out: &mut ParsedAddress, grammar: &Grammar) {
    for i in from + 1..*to {
        let token = line.tokens[i];
        if token.starts_with('#') && (token.len() > 1 || i + 1 < *to) {
            set_unit(out, &unit_text(&line.window(i, *to).replacen("# ", "#", 1), grammar));
            *to = i;
            return;
        }
        if line.words[i].unit.is_none() {
            continue;
        }
        // "APARTMENT NUMBER 4"
        let mark = usize::from(i + 2 < *to && line.words[i + 1].number_mark);
        let value = line.tokens.get(i + 1 + mark).filter(|_| i + 1 + mark < *to);
        // "APT 3", at the end; a designator may be a word of a name too ("PLACE LOT").
        // "WHARF HOUSE LANE" ends in the type of the street.
        let is_type = value.is_some_and(|v| v.len() > 1 && line.words[i + 1 + mark].street_type.is_some());
        let is_last = i + 2 + mark == *to;
        if value.is_some_and(|v| !is_type && (is_unit_value(v) || is_last && v.len() <= 5))
            && (i > from + 1 || out.number.is_none())
        {
            let value = line.window(i + 1 + mark, *to);
            set_unit(out, &unit_text(&format!("{token} {value}"), grammar));
            *to = i;
            return;
        }
        // "4TH FLOOR": the number stands before.
        if value.is_none()
            && i > from + 1
            && is_number(line.tokens[i - 1])
            && name::route(line, i - 2, i, grammar).is_none()
        {
            set_unit(out, &unit_text(line.window(i - 1, i + 1), grammar));
            *to = i - 1;
            return;
        }
        // A designator without its number says nothing.
        if value.is_none() && i > from + 1 && line.words[i].street_type.is_none() {
            set_unit(out, grammar.unit(token).unwrap_or_default());
            *to = i;
            return;
        }
    }
}

/// Gives a crossing of two streets, where the line is or may be one.
fn crossing(
    line: &Line,
    from: usize,
    to: usize,
    base: &ParsedAddress,
    grammar: &Grammar,
    each: &mut dyn FnMut(ParsedAddress) -> bool,
) -> bool {
    let mut start = from;
    let mut sure = false;
    for n in (1..=2).rev() {
        if start + n < to && line.word(start, start + n, grammar).corner {
            start += n;
            sure = true;
            break;
        }
    }
    for i in start + 1..to.saturating_sub(1) {
        let token = line.tokens[i];
        let typed = |a: usize, b: usize| {
            line.words[a..b].iter().any(|w| w.street_type.is_some() || w.ordinal.is_some())
                || name::route(line, a, b, grammar).is_some()
        };
        if !line.words[i].crossing && !line.words[i].corner {
            continue;
        }
        if !(sure || matches!(token, "&" | "/" | "X") || typed(start, i) && typed(i + 1, to)) {
            continue;
        }
        let mut out = base.clone();
        out.street = thoroughfare(line, start, i, grammar);
        let other = thoroughfare(line, i + 1, to, grammar);
        if out.street.name.is_empty() || other.name.is_empty() {
            continue;
        }
        out.crossing = Some(other);
        // "A X B": the letter may be a word of a name.
        let go_on = each(out);
        return go_on && token == "X";
    }
    true
}

/// Directions, type and name.
pub(super) fn thoroughfare(line: &Line, start: usize, end: usize, grammar: &Grammar) -> Thoroughfare {
    let mut out = Thoroughfare::default();
    let (mut from, mut to) = (start, end);
    let direction = |a: usize, b: usize| line.word(a, b, grammar).direction;
    let has_directions = !grammar.directions.is_empty();
    // A road with a number, with a direction in front or behind.
    let lead = from + usize::from(has_directions && to > from + 2 && direction(from, from + 1).is_some());
    if let Some((n, name)) = name::route(line, lead, to, grammar) {
        let after = lead + n;
        let rest = to - after;
        if rest == 0 || rest == 1 && (direction(after, to).is_some() || line.words[after].street_type.is_some()) {
            out.pre_direction = (lead > from).then(|| direction(from, lead)).flatten();
            out.post_direction = if rest == 1 { direction(after, to) } else { None };
            out.name = name;
            return out;
        }
    }
    let is_type = |i: usize| line.words[i].street_type.is_some();
    if has_directions {
        // Direction in front, when a name is left after it: "N ST" is the street N.
        if to > from + 1 && !(to == from + 2 && is_type(from + 1)) {
            if to > from + 2
                && line.tokens[from].len() == 1
                && direction(from, from + 2).is_some()
                && !(to == from + 3 && is_type(from + 2))
            {
                out.pre_direction = direction(from, from + 2);
                from += 2;
            } else if let Some(d) = direction(from, from + 1) {
                out.pre_direction = Some(d);
                from += 1;
            }
        }
        if to > from + 1 {
            let two = to > from + 2 && line.tokens[to - 2].len() == 1 && direction(to - 2, to).is_some();
            let n = if two { 2 } else { 1 };
            if let Some(d) = direction(to - n, to)
                && (to - n > from + 1 || !is_type(from))
            {
                out.post_direction = Some(d);
                to -= n;
            }
        }
    }
    let before = grammar.type_place == TypePlace::Before || grammar.type_both_sides;
    let after = grammar.type_place == TypePlace::After;
    if after && to > from + 1 {
        let last = line.tokens[to - 1];
        let known = line.words[to - 1].street_type;
        let front = grammar.type_both_sides && is_type(from);
        // "RUE HERON": where a type stands in front, a word behind is a type only if it is spelt right.
        if let Some(t) = known.or_else(|| if front { None } else { grammar.misspelt_street_type(last) }) {
            out.street_type = Some(t);
            to -= 1;
        }
    }
    if before && out.street_type.is_none() && to > from + 1 {
        for n in (1..=2).rev() {
            if to > from + n
                && let Some(t) = line.word(from, from + n, grammar).street_type
            {
                out.street_type = Some(t);
                from += n;
                break;
            }
        }
        if out.street_type.is_none()
            && !after
            && let Some(t) = grammar.misspelt_street_type(line.tokens[from])
        {
            out.street_type = Some(t);
            from += 1;
        }
    }
    out.name = name::spelled(line, from, to, grammar);
    let typed = line.window(from, to);
    if typed != out.name {
        out.typed = typed.into();
    }
    out
}

/// Whether words look like a line with a number and a street.
pub(super) fn has_number(line: &Line, grammar: &Grammar) -> bool {
    match grammar.number {
        NumberPlace::Before => {
            line.tokens.first().is_some_and(|t| is_number(t) || t.starts_with('#') && t.len() > 1)
                || line.tokens.len() > 2
                    && line.words[0].unit.is_some()
                    && line.tokens[2..].iter().any(|t| is_number(t))
        }
        NumberPlace::After => line.tokens.iter().skip(1).any(|t| is_number(t)),
    }
}

/// Whether a part is a unit and nothing else.
pub(super) fn is_unit(line: &Line) -> bool {
    let units = |i: usize| line.words[i].unit.is_some();
    let n = line.tokens.len();
    match line.tokens {
        [] => false,
        [one] => one.strip_prefix('#').is_some_and(|r| !r.is_empty()) || units(0) && *one != "#",
        [_, rest @ ..] if rest.len() <= 2 => {
            units(0) && rest.iter().all(|t| is_unit_value(t))
                || units(n - 1) && line.tokens[..n - 1].iter().all(|t| is_unit_value(t))
        }
        _ => false,
    }
}

/// Whether words have a type of a thoroughfare, or are a road with a number.
pub(super) fn has_type(line: &Line, grammar: &Grammar) -> bool {
    let n = line.tokens.len();
    match grammar.type_place {
        TypePlace::After => n > 1 && line.words.iter().skip(1).any(|w| w.street_type.is_some()),
        TypePlace::Before => n > 1 && line.words[0].street_type.is_some(),
        TypePlace::Glued => line.tokens.iter().any(|t| {
            grammar
                .street_types
                .iter()
                .any(|(_, list)| crate::grammar::spellings(list).any(|s| t.len() > s.len() + 2 && t.ends_with(s)))
        }),
    }
    .then_some(())
    .or_else(|| (0..n).any(|i| name::route(line, i, n, grammar).is_some()).then_some(()))
    .is_some()
}
