//! Which words of a text are the locality and which the thoroughfare line.

use super::line::{self, Line, Tokens};
use super::{KnownNames, ParsedAddress, tail};
use crate::grammar::{Grammar, NumberPlace, TypePlace};
use crate::normal;
use std::hash::{Hash, Hasher};

/// Most readings of one text.
const MOST: usize = 6;
/// Most words of a locality.
const LOCALITY_WORDS: usize = 5;

/// Gives the readings of a text to `each`.
pub(super) fn readings(
    text: &str,
    number: &str,
    base: ParsedAddress,
    grammar: &Grammar,
    names: &dyn KnownNames,
    each: &mut dyn FnMut(ParsedAddress) -> bool,
) {
    let (text, ends) = normal_parts(text, grammar);
    let tokens = Tokens::new(&text, grammar);
    let again = tail::ends_with_direction_or_region(&tokens.line()).then(|| base.clone());
    let mut go_on = true;
    let mut counted = |a| {
        go_on = each(a);
        go_on
    };
    let rules = Rules { grammar, names, number, keeps_direction: false };
    parts_readings(&tokens, &ends, base, &rules, &mut counted);
    // "194 AVENUE A NE": what spells a region may be the direction of the street.
    if let Some(mut base) = again.filter(|_| go_on) {
        base.prior += 1;
        parts_readings(&tokens, &ends, base, &Rules { keeps_direction: true, ..rules }, each);
    }
}

/// What a text is read by.
#[derive(Clone, Copy)]
struct Rules<'a> {
    grammar: &'a Grammar,
    names: &'a dyn KnownNames,
    /// What the column of the number says.
    number: &'a str,
    /// Whether a word at the end that spells a direction and a region is the direction.
    keeps_direction: bool,
}

/// Gives the readings of a text in parts.
fn parts_readings(
    tokens: &Tokens,
    ends: &[usize],
    mut base: ParsedAddress,
    rules: &Rules,
    each: &mut dyn FnMut(ParsedAddress) -> bool,
) {
    let (grammar, number) = (rules.grammar, rules.number);
    let mut parts = parted(tokens, ends);
    parts.retain(|p| !is_passed_over(p, &mut base));
    take_ends(&mut parts, &mut base, rules);
    let locality_first = take_postcode(&mut parts, &mut base, grammar);
    parts.retain(|p| !p.tokens.is_empty());
    take_persons_and_units(&mut parts, &mut base, grammar);
    let again: String;
    let again_tokens: Tokens;
    if let Some(sizes) = number_joins(&parts, grammar) {
        let words: Vec<&str> = parts.iter().flat_map(|p| p.tokens.iter().copied()).collect();
        again = words.join(" ");
        again_tokens = Tokens::new(&again, grammar);
        parts = parted(&again_tokens, &sizes);
    }
    if parts.is_empty() {
        line_of_columns(base, number, grammar, each);
        return;
    }
    // "10, TW2 3DY": a number and a postcode alone.
    if let [only] = parts.as_slice()
        && !base.postcode.is_empty()
        && number.is_empty()
        && super::number::take(only, 0, grammar).is_some_and(|found| found.used == only.tokens.len())
    {
        line_of_columns(base, only.text(), grammar, each);
        return;
    }
    town_first(&mut base, &mut parts, grammar, rules.names);
    let mut sink = Sink { left: MOST, each, number, grammar, seen: Vec::new() };
    let lines = if number.is_empty() { whole_lines(&mut parts, grammar) } else { Vec::new() };
    if lines.len() < 2 {
        let at = street_part(&parts, grammar);
        street_readings(base, &parts, at, locality_first, rules, &mut sink);
        return;
    }
    // Two addresses in one text: each is tried, and none is taken alone for both.
    for (i, at) in lines.iter().enumerate() {
        let mut b = base.clone();
        (b.line_of_several, b.prior) = (Some(i as u8), b.prior + NOT_THE_ONLY_ONE);
        let others: Vec<usize> = lines.iter().copied().filter(|other| other != at).collect();
        others.iter().for_each(|other| b.pass_over(parts[*other].text()));
        let kept = |i: &usize| !others.contains(i);
        let rest: Vec<Line> = (0..parts.len()).filter(kept).map(|i| parts[i]).collect();
        let at = at - others.iter().filter(|other| *other < at).count();
        sink.left = MOST;
        street_readings(b, &rest, at, locality_first, rules, &mut sink);
    }
}

/// Takes country, postcode and region from the end of a text.
fn take_ends(parts: &mut Vec<Line>, base: &mut ParsedAddress, rules: &Rules) {
    let (grammar, names) = (rules.grammar, rules.names);
    let single = parts.len() == 1;
    // The tail may take several parts: "…, OR, 97981, USA".
    while let Some(last) = parts.last_mut() {
        // A word alone that names a region may be a locality too; then it stays.
        let keep = single && last.tokens.len() <= 2 && names.is_locality(last.text());
        if !keep {
            tail::take(base, last, grammar, tail::Keep { one: false, direction: rules.keeps_direction });
        }
        if !last.tokens.is_empty() {
            break;
        }
        parts.pop();
    }
    // "PARAKAR, ARMAVIR": a region that is known by its name alone.
    if base.region.is_empty()
        && let [.., before, last] = parts.as_slice()
        && names.is_region(last.text())
        && (names.is_locality(before.text())
            || !names.is_locality(last.text())
            || names.is_nearly_locality(before.text()))
    {
        base.region = last.text().into();
        parts.pop();
    }
    // "67802 ASH NORD": the same without a comma.
    if base.region.is_empty()
        && let Some(last) = parts.last_mut()
        && let Some(at) = region_behind_locality(last, names)
    {
        base.region = last.window(at, last.tokens.len()).into();
        *last = last.part(0, at);
    }
}

/// Takes a postcode that stands in front of the locality. Gives the locality where it begins the text.
fn take_postcode<'a>(parts: &mut Vec<Line<'a>>, base: &mut ParsedAddress, grammar: &Grammar) -> Option<&'a str> {
    if !base.postcode.is_empty() {
        return None;
    }
    // "…, 97981 Ternport, OR": in a part before the last.
    let first = usize::from(parts.len() < 2 || !grammar.postcode_first);
    for (i, part) in parts.iter_mut().enumerate().skip(first) {
        if let Some((n, code, extension)) = tail::at_front(part.tokens, grammar)
            && (part.tokens.len() > n || grammar.postcode_first)
        {
            (base.postcode, base.extension) = (code, extension);
            *part = part.part(n, part.tokens.len());
            return (i == 0 && !part.tokens.is_empty()).then(|| part.text());
        }
    }
    // "VIA ROMA, 3 19999 ROCCA MARINA": a number, then the postcode and the locality.
    for i in (1..parts.len()).filter(|_| grammar.number == NumberPlace::After) {
        let part = parts[i];
        if let Some((n, code, extension)) = part.tokens.get(1..).and_then(|rest| tail::at_front(rest, grammar))
            && line::is_number(part.tokens[0])
            && part.tokens.len() > n + 1
        {
            (base.postcode, base.extension) = (code, extension);
            parts[i] = part.part(0, 1);
            parts.insert(i + 1, part.part(n + 1, part.tokens.len()));
            break;
        }
    }
    None
}

/// Takes out parts that name a person, and units.
fn take_persons_and_units(parts: &mut Vec<Line>, base: &mut ParsedAddress, grammar: &Grammar) {
    if parts.len() > 1 {
        parts.retain(|p| {
            let named = p.words[0].care_of || p.tokens.len() > 1 && p.word(0, 2, grammar).care_of;
            let stays = !named || p.tokens.iter().any(|t| line::is_number(t));
            if !stays {
                base.pass_over(p.text());
            }
            stays
        });
    }
    parts.retain(|p| {
        let unit = line::is_unit(p);
        if unit && base.unit.is_empty() {
            base.unit = line::unit_text(p.text(), grammar);
        }
        !unit
    });
}

/// More than any address costs that is taken without looking on.
const NOT_THE_ONLY_ONE: i32 = 5;

/// Gives the readings of parts of which one is the thoroughfare line.
fn street_readings(
    mut base: ParsedAddress,
    parts: &[Line],
    at: usize,
    locality_first: Option<&str>,
    rules: &Rules,
    sink: &mut Sink,
) {
    let (grammar, names) = (rules.grammar, rules.names);
    let street_line = parts[at];
    // Firms, persons and buildings in front, and what stands between street and locality.
    let is_town = |part: &Line| Some(part.text()) == locality_first || names.is_locality(part.text());
    let named_before = if at + 1 < parts.len() { None } else { (0..at).rev().find(|i| is_town(&parts[*i])) };
    // "ROSE COTTAGE, MILL LANE": without a number, what stands in front may be the house; told where it is not.
    let house = at.checked_sub(1).filter(|i| Some(*i) != named_before && !line::has_number(&street_line, grammar));
    if let Some(i) = house {
        base.house_name = parts[i].text().into();
    }
    let is_told = |i: &usize| Some(*i) != named_before && Some(*i) != house;
    let before = parts[..at].iter().enumerate().filter(|(i, _)| is_told(i)).map(|(_, p)| p);
    let between = parts.get(at + 1..parts.len().saturating_sub(2)).unwrap_or_default();
    before.chain(between).for_each(|p| base.pass_over(p.text()));
    if !base.locality.is_empty() {
        // The column says the locality; the text may say it again, or another.
        if at + 1 < parts.len() {
            base.sub_locality = parts[parts.len() - 1].text().into();
        }
        let n = street_line.tokens.len();
        let before = n.saturating_sub(line::blanks(&base.locality).count());
        let line = if before > 0 && street_line.window(before, n) == base.locality {
            street_line.part(0, before)
        } else {
            street_line
        };
        let go_on = sink.give(&base, line, 0);
        if go_on {
            // "12 HERON LN GRAYWATER" beside another locality
            merged(&base, &street_line, names, grammar, sink);
        }
        return;
    }
    if at + 1 < parts.len() {
        let mut b = base.clone();
        b.locality = parts[parts.len() - 1].text().into();
        if parts.len() - at > 2 {
            b.sub_locality = parts[parts.len() - 2].text().into();
        }
        if parts.len() - at > 2 && !names.is_locality(&b.locality) && names.is_locality(&b.sub_locality) {
            std::mem::swap(&mut b.locality, &mut b.sub_locality);
        }
        if !sink.give(&b, street_line, 0) {
            return;
        }
        let known = names.is_locality(&b.locality) || names.is_nearly_locality(&b.locality);
        if !known {
            // "HERON LANE TERNPORT, ESTUARY COUNTY": the last part may be what the locality lies in.
            let mut b = base.clone();
            b.sub_locality = parts[parts.len() - 1].text().into();
            splits(&b, &street_line, names, grammar, sink);
        }
        return;
    }
    // "12345 Musterstadt, Reiherweg 3"
    if let Some(i) = named_before {
        let mut b = base.clone();
        b.locality = parts[i].text().into();
        if !sink.give(&b, street_line, 0) {
            return;
        }
        base.pass_over(parts[i].text());
    }
    splits(&base, &street_line, names, grammar, sink);
}

/// Words in front of a telephone number.
const TELEPHONE: &[&str] = &[
    "TEL",
    "TELEFON",
    "TELEPHONE",
    "PHONE",
    "FAX",
    "MOBIL",
    "MOBILE",
    "MOB",
    "HANDY",
    "TELEFOON",
    "TELEFONO",
    "TELEFONE",
    "TELEF",
    "PORTABLE",
    "CELL",
];

/// Whether a part says nothing about the place: a telephone number.
fn is_passed_over(part: &Line, base: &mut ParsedAddress) -> bool {
    let is_number = |t: &&str| t.bytes().any(|b| b.is_ascii_digit());
    let telephone = part.tokens.first().is_some_and(|t| TELEPHONE.contains(t)) && part.tokens.iter().any(is_number);
    if telephone {
        base.pass_over(part.text());
    }
    telephone
}

/// "TERNPORT, OR 97981, 12 HERON LN": what stands in front of the thoroughfare line is read as if it stood behind.
fn town_first(base: &mut ParsedAddress, parts: &mut Vec<Line>, grammar: &Grammar, names: &dyn KnownNames) {
    let at = street_part(parts, grammar);
    if at == 0 || at + 1 < parts.len() || !line::has_number(&parts[at], grammar) || !base.locality.is_empty() {
        return;
    }
    let Some(town) = (0..at).find(|i| names.is_locality(parts[*i].text())) else {
        // "TERNPORT OR 97981, 12 HERON LN"
        let mut first = parts[at - 1];
        let mut b = base.clone();
        tail::take(&mut b, &mut first, grammar, tail::Keep { one: true, direction: false });
        if first.tokens.len() < parts[at - 1].tokens.len() && names.is_locality(first.text()) {
            *base = b;
            parts[at - 1] = first;
        }
        return;
    };
    for i in (town + 1..at).rev() {
        let mut part = parts[i];
        tail::take(base, &mut part, grammar, tail::Keep { one: false, direction: false });
        if part.tokens.is_empty() {
            parts.remove(i);
        }
    }
}

/// Parts that are a thoroughfare with its number; parts that have two of them are parted.
fn whole_lines(parts: &mut Vec<Line>, grammar: &Grammar) -> Vec<usize> {
    let is_whole = |l: &Line| l.tokens.len() > 1 && line::has_number(l, grammar) && line::has_type(l, grammar);
    let mut i = 0;
    while i < parts.len() {
        let part = parts[i];
        let n = part.tokens.len();
        let second = (2..n.saturating_sub(1)).find_map(|k| {
            let parts_them = part.words[k].crossing || part.tokens[k] == "/";
            let rest = part.part(k + usize::from(parts_them), n);
            let starts = match grammar.number {
                // "105 OAK ST 210 ELM ST": a number behind a type, and a type behind that.
                NumberPlace::Before => parts_them || part.words[k - 1].street_type.is_some(),
                NumberPlace::After => parts_them,
            };
            let number_leads = grammar.number == NumberPlace::After || line::is_number(rest.tokens[0]);
            (starts && number_leads && is_whole(&rest) && is_whole(&part.part(0, k)))
                .then_some((k, rest))
                .filter(|(k, rest)| !line::is_route_part(&part, *k, rest, grammar))
        });
        if let Some((k, rest)) = second {
            parts[i] = part.part(0, k);
            parts.insert(i + 1, rest);
        }
        i += 1;
    }
    (0..parts.len()).filter(|i| is_whole(&parts[*i])).collect()
}

/// Where the words of a region begin that stand at the end, behind those of a locality.
fn region_behind_locality(line: &Line, names: &dyn KnownNames) -> Option<usize> {
    let n = line.tokens.len();
    let longest = LOCALITY_WORDS.min(n.saturating_sub(1));
    let is_locality = |end: usize| (1..=LOCALITY_WORDS.min(end)).any(|k| names.is_locality(line.window(end - k, end)));
    let starts = (1..=longest).rev().map(|k| n - k);
    // "ASH NORD" may be a locality itself.
    let is_one = |at: usize| names.is_locality(line.window(at - 1, n));
    starts.into_iter().find(|at| names.is_region(line.window(*at, n)) && is_locality(*at) && !is_one(*at))
}

/// An address without a street: a number alone says nothing.
fn line_of_columns(base: ParsedAddress, number: &str, grammar: &Grammar, each: &mut dyn FnMut(ParsedAddress) -> bool) {
    let mut out = base;
    if let Some(found) = super::number::take_whole(&Tokens::new(number, grammar).line(), grammar) {
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
    /// Reads a line with what is known; false where no more is wanted.
    fn give(&mut self, base: &ParsedAddress, line: Line, prior: i32) -> bool {
        self.give_in(base, &base.locality, line, prior)
    }

    /// The same in a locality.
    fn give_in(&mut self, base: &ParsedAddress, locality: &str, line: Line, prior: i32) -> bool {
        if self.left == 0 {
            return false;
        }
        let mut hasher = normal::Fast::default();
        (line.text(), locality).hash(&mut hasher);
        let key = hasher.finish();
        if self.seen.contains(&key) {
            return true;
        }
        self.seen.push(key);
        self.left -= 1;
        let mut b = base.clone();
        if b.locality != locality {
            b.locality = locality.into();
        }
        b.prior += prior;
        if line.tokens.is_empty() {
            return (self.each)(b);
        }
        line::readings(&line, self.number, b, self.grammar, self.each)
    }
}

/// The parts of a text in normal form, one after the other with a blank between them; and how many words each has. A
/// dash that stands alone parts too, but for one of a range of numbers.
fn normal_parts(text: &str, grammar: &Grammar) -> (String, Vec<usize>) {
    let mut out = String::with_capacity(text.len() + 1);
    let mut sizes = Vec::with_capacity(6);
    let mut rest = Some(text);
    while let Some(text) = rest {
        let (part, after) = match text.bytes().position(|b| matches!(b, b',' | b';' | b'\n' | b'\t' | b'|')) {
            Some(at) => (&text[..at], Some(&text[at + 1..])),
            None => (text, None),
        };
        rest = after;
        if !out.is_empty() {
            out.push(' ');
        }
        let from = out.len();
        normal::push_words(part, &mut out);
        part_number_and_name(&mut out, from, grammar);
        if out[from..].contains('-') {
            part_at_dashes(&mut out, from, &mut sizes, grammar);
        } else if out.len() > from {
            sizes.push(line::blanks(&out[from..]).count());
        }
        if out.len() == from {
            out.truncate(from.saturating_sub(1));
        }
    }
    (out, sizes)
}

/// "111FERRY ST": a number that runs into the name behind it.
fn part_number_and_name(out: &mut String, from: usize, grammar: &Grammar) {
    let word = out[from..].split(' ').next().unwrap_or("");
    let figures = word.bytes().take_while(u8::is_ascii_digit).count();
    let name = &word[figures..];
    let is_ending = matches!(name, "ST" | "ND" | "RD" | "TH") || grammar.word(name).number_suffix;
    if figures > 0 && name.len() >= 3 && !is_ending && name.bytes().all(|b| b.is_ascii_alphabetic()) {
        out.insert(from + figures, ' ');
    }
}

/// Takes out dashes that stand alone and counts the words between them, but for those of a range of numbers.
fn part_at_dashes(out: &mut String, from: usize, sizes: &mut Vec<usize>, grammar: &Grammar) {
    let words = out.split_off(from);
    let tokens: Vec<&str> = words.split(' ').collect();
    let figures =
        |i: Option<usize>| i.and_then(|i| tokens.get(i)).is_some_and(|t| t.starts_with(|c: char| c.is_ascii_digit()));
    let mut count = 0;
    for (i, t) in tokens.iter().enumerate() {
        // "12 - 16 HERON LN", but "UNIT 3B - 378 HERON LN".
        let is_unit = || i.checked_sub(2).is_some_and(|j| grammar.unit(tokens[j]).is_some());
        let range = || {
            figures(i.checked_sub(1))
                && figures(Some(i + 1))
                && !is_unit()
                && tail::at_front(&tokens[i + 1..], grammar).is_none()
        };
        if *t == "-" && !range() {
            sizes.extend((count > 0).then_some(count));
            count = 0;
            continue;
        }
        if out.len() > from {
            out.push(' ');
        }
        out.push_str(t);
        count += 1;
    }
    sizes.extend((count > 0).then_some(count));
}

/// Words in groups of these sizes.
fn parted<'a>(tokens: &'a Tokens, sizes: &[usize]) -> Vec<Line<'a>> {
    let line = tokens.line();
    let mut at = 0;
    sizes
        .iter()
        .map(|n| {
            at += n;
            line.part(at - n, at)
        })
        .collect()
}

/// "RUE DU HERON | 12", "12 | RUE DU HERON", "CALLE MAYOR | 12 | 3O B": a number in a part of its own belongs to the
/// street. Gives the words of each part after they are joined, where any are.
fn number_joins(parts: &[Line], grammar: &Grammar) -> Option<Vec<usize>> {
    let digit = |t: &str| t.starts_with(|c: char| c.is_ascii_digit());
    let numeric = |p: &Line| {
        let first = usize::from(p.words[0].number_mark);
        p.tokens.len() <= 3
            && p.tokens.get(first).is_some_and(|t| digit(t))
            && p.tokens
                .iter()
                .zip(p.words)
                .all(|(t, w)| t.len() <= 2 || digit(t) || w.unit.is_some() || w.number_suffix || w.number_mark)
    };
    let mut sizes: Vec<usize> = Vec::new();
    let mut lead = 0;
    let mut rest = parts;
    if parts.len() > 1 && grammar.number == NumberPlace::Before && numeric(&parts[0]) {
        lead = parts[0].tokens.len();
        rest = &parts[1..];
    }
    let joins = grammar.number == NumberPlace::After || grammar.type_place == TypePlace::Before;
    for part in rest {
        match sizes.last_mut() {
            Some(last) if joins && numeric(part) => *last += part.tokens.len(),
            _ => sizes.push(part.tokens.len() + std::mem::take(&mut lead)),
        }
    }
    (sizes.len() < parts.len()).then_some(sizes)
}

/// The part that is the thoroughfare line: the first with a number and a type, else with a number, else with a type,
/// else the first.
fn street_part(parts: &[Line], grammar: &Grammar) -> usize {
    let find = |f: &dyn Fn(&Line) -> bool| parts.iter().position(f);
    if parts.len() == 1 {
        return 0;
    }
    find(&|l| line::has_number(l, grammar) && line::has_type(l, grammar))
        .or_else(|| find(&|l| line::has_number(l, grammar)))
        .or_else(|| find(&|l| line::has_type(l, grammar)))
        .unwrap_or(0)
}

/// A line whose last words name another locality than the column says.
fn merged(base: &ParsedAddress, line: &Line, names: &dyn KnownNames, grammar: &Grammar, sink: &mut Sink) {
    let n = line.tokens.len();
    for k in (1..=LOCALITY_WORDS.min(n.saturating_sub(2))).rev() {
        let words = line.window(n - k, n);
        if names.is_locality(words) && line.word(n - k, n, grammar).street_type.is_none() {
            let mut b = base.clone();
            b.sub_locality = std::mem::replace(&mut b.locality, words.into());
            if !sink.give(&b, line.part(0, n - k), 1) {
                return;
            }
        }
    }
}

/// A line that may have a locality at its end.
fn splits(base: &ParsedAddress, line: &Line, names: &dyn KnownNames, grammar: &Grammar, sink: &mut Sink) {
    let n = line.tokens.len();
    let give = |sink: &mut Sink, at: usize, prior: i32| {
        let locality = if at < n { line.window(at, n) } else { base.locality.as_str() };
        sink.give_in(base, locality, line.part(0, at), prior)
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
                b.locality = line.window(i + words, n).into();
                if !sink.give(&b, line.part(0, i), 0) {
                    return;
                }
                break;
            }
        }
    }
    // "TERNPORT 12 HERON LN"
    if !numbered && grammar.number == NumberPlace::Before && base.locality.is_empty() {
        for k in (1..=LOCALITY_WORDS.min(n.saturating_sub(3))).rev() {
            let rest = line.part(k, n);
            if line::is_number(rest.tokens[0])
                && line::has_type(&rest, grammar)
                && names.is_locality(line.window(0, k))
                && !sink.give_in(base, line.window(0, k), rest, 0)
            {
                return;
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
