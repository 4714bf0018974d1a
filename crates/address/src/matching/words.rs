//! Candidates as people read them: the address in standard form, and what was changed to match it.

use super::place::{Note, Placed, nearest_numbers};
use super::{Candidate, Level, Matcher, Tried, ceiling, confidence, extent, unit};
use crate::grammar::{NumberPlace, TypePlace};
use crate::parse::{ParsedAddress, Thoroughfare};
use crate::reference::{PlaceKind, PlaceView, Reference, StreetView};
use crate::{Text, normal};
use compact_str::format_compact;

/// A candidate of a place.
pub(super) fn candidate(matcher: &Matcher, tried: &Tried, p: &Placed, raw: f64) -> Candidate {
    let reference = matcher.reference;
    let a = &tried.a;
    let extent = extent::of(matcher, a, p);
    let mut changes = a.read_as.clone();
    let code = p.postcode.map_or("", |c| reference.string(c));
    let extension = self::extension(reference, p.extension);
    let (address, l) = match p.note {
        Note::Landmark(place) => {
            let view = reference.place(place);
            if normal::words(view.name) != a.place {
                changes.push(format!("\"{}\" read as \"{}\"", normal::title(&a.place), view.name));
            }
            let within = view.within.map(|w| reference.place(w));
            let locality = within.map_or("", |w| w.name);
            (format!("{}, {}", view.name, tail(reference, locality, view.region, "")), within.unwrap_or(view))
        }
        _ => {
            let view = reference.street(p.street);
            let l = reference.place(view.place);
            if p.note != Note::StreetByPostcode {
                self::changes(reference, tried, &a.street, &view, &l, &mut changes);
            }
            let number = number_text(reference, a, p);
            let mut street = street_text(reference, &view);
            if let Note::Crossing(other) = p.note {
                let other_view = reference.street(other);
                if let Some(wanted) = &a.crossing {
                    self::name_changes(reference, wanted, &other_view, &mut changes);
                }
                street = format!("{street} & {}", street_text(reference, &other_view));
            }
            note_changes(reference, a, p, &view, extent.between, &mut changes);
            let before = reference.grammar().number == NumberPlace::Before;
            // The name of a house stands in front, in a part of its own.
            let is_named = p.note == Note::HouseName;
            let (first, second) = if before || is_named { (&number, &street) } else { (&street, &number) };
            let mut line = String::with_capacity(80);
            line.push_str(first);
            if !number.is_empty() {
                line.push_str(if is_named { ", " } else { " " });
            }
            line.push_str(second);
            if p.level <= Level::StreetRange {
                let unit = unit::text(reference, a, p.unit.as_deref(), p.point);
                if !unit.is_empty() {
                    line.push(' ');
                    line.push_str(&unit);
                }
                unit::changes(reference, a, p.unit.as_deref(), p.point, &mut changes);
            }
            line.push_str(", ");
            push_tail(reference, [l.name, l.region, code], &mut line);
            (line, l)
        }
    };
    postcode_changes(reference, tried, p, code, &mut changes);
    let region = reference.as_written(l.region);
    let most = ceiling::of(reference, tried, p, matcher.options.trusts_near_names);
    Candidate {
        level: p.level,
        confidence: confidence::of(p.level, raw, most),
        most,
        parts: p.parts,
        raw,
        lon: extent.position.0,
        lat: extent.position.1,
        radius_m: extent.radius_m.ceil(),
        address,
        changes,
        locality: l.name.into(),
        region: region.into(),
        parent: l.parent.into(),
        postcode: reference.as_written(code).into(),
        extension,
    }
}

fn number_text(reference: &Reference, a: &ParsedAddress, p: &Placed) -> String {
    let number = match p.note {
        Note::HouseName => Some(0),
        _ => a.number.filter(|_| p.level <= Level::StreetRange),
    };
    match number {
        None => String::new(),
        Some(number) if p.level == Level::AddressPoint => reference.number_text(number, p.suffix),
        Some(number) => number.to_string(),
    }
}

/// An extension of a postcode with its zeros.
pub(super) fn extension(reference: &Reference, extension: Option<u32>) -> Text {
    let width = reference.grammar().postcode_extension;
    extension.map_or(Text::default(), |e| format_compact!("{e:0width$}"))
}

/// The address of a house in standard form; its number and suffix.
pub(super) fn standard_address(
    reference: &Reference,
    view: &StreetView,
    (number, suffix): (u32, u32),
    place: &PlaceView,
    code: &str,
) -> String {
    let before = reference.grammar().number == NumberPlace::Before;
    let mut line = String::with_capacity(80);
    if !before {
        push_street_text(reference, view, &mut line);
        line.push(' ');
    }
    reference.push_number_text(number, suffix, &mut line);
    if before {
        line.push(' ');
        push_street_text(reference, view, &mut line);
    }
    line.push_str(", ");
    push_tail(reference, [place.name, place.region, code], &mut line);
    line
}

/// A street in standard form.
pub(crate) fn street_text(reference: &Reference, view: &StreetView) -> String {
    let mut out = String::with_capacity(48);
    push_street_text(reference, view, &mut out);
    out
}

/// Appends a street in standard form.
fn push_street_text(reference: &Reference, view: &StreetView, out: &mut String) {
    let grammar = reference.grammar();
    if let Some(display) = view.display {
        return out.push_str(reference.string(display));
    }
    let pre = view.pre.map_or("", |d| grammar.direction_name(d));
    let kind = view.kind.map_or("", |t| grammar.street_type_name(t));
    let post = view.post.map_or("", |d| grammar.direction_name(d));
    let (first, last) =
        if grammar.type_place == TypePlace::Before { ([kind, pre], [post, ""]) } else { ([pre, ""], [kind, post]) };
    for part in first.into_iter().filter(|p| !p.is_empty()) {
        out.push_str(part);
        out.push(' ');
    }
    normal::push_title(reference.name_text(view.name), out);
    for part in last.into_iter().filter(|p| !p.is_empty()) {
        out.push(' ');
        out.push_str(part);
    }
}

/// What of the street and its locality differs from what was asked for.
fn changes(
    reference: &Reference,
    tried: &Tried,
    wanted: &Thoroughfare,
    view: &StreetView,
    l: &PlaceView,
    out: &mut Vec<String>,
) {
    let (a, context) = (&tried.a, &tried.context);
    name_changes(reference, wanted, view, out);
    let named = context.named.iter().find(|n| n.place == view.place);
    let same = named.is_some_and(|n| n.cost == 0);
    if !a.locality.is_empty() && !same {
        let asked = || normal::title(&a.locality);
        let part = context
            .named
            .iter()
            .find(|n| n.exact && reference.place(n.place).within == Some(view.place))
            .map(|n| reference.place(n.place));
        out.push(match (part, named) {
            (Some(part), _) if part.kind == PlaceKind::Neighbourhood => {
                format!("locality \"{}\" is a part of {}", asked(), l.name)
            }
            (_, Some(_)) => {
                let mut text = read_as("locality ", &a.locality);
                text.push_str(l.name);
                text.push('"');
                text
            }
            _ if normal::is_words(l.parent, &a.locality) => {
                format!("locality \"{}\" read as \"{}\", which lies in it", asked(), l.name)
            }
            _ if context.of_postcode.contains(&view.place) => {
                format!("locality \"{}\" read as \"{}\", by the postcode", asked(), l.name)
            }
            _ if context.named.is_empty() => {
                format!("locality \"{}\" is not in the reference, read as \"{}\"", asked(), l.name)
            }
            _ => format!("locality \"{}\" read as \"{}\"", asked(), l.name),
        });
    }
    if !a.region.is_empty() && !l.region.is_empty() && l.region != a.region {
        let written = |region| reference.as_written(region);
        out.push(format!("region {} read as {}", written(&a.region), written(l.region)));
    }
}

/// `locality "Mpale" read as "`: what follows is for the caller to add.
fn read_as(what: &str, words: &str) -> String {
    let mut text = String::with_capacity(64);
    text.push_str(what);
    text.push('"');
    normal::push_title(words, &mut text);
    text.push_str("\" read as \"");
    text
}

fn name_changes(reference: &Reference, wanted: &Thoroughfare, view: &StreetView, out: &mut Vec<String>) {
    let grammar = reference.grammar();
    let name = reference.name_text(view.name);
    if !normal::same_key(name, &wanted.name, grammar.umlauts) {
        let mut text = read_as("", wanted.typed_name());
        normal::push_title(name, &mut text);
        text.push('"');
        out.push(text);
    }
    let words = |c: Option<u8>| c.map_or("none", |i| grammar.street_type_name(i));
    match (wanted.street_type, view.kind) {
        (x, y) if x == y => {}
        (None, y) => out.push(format!("type {} added", words(y))),
        (x, None) => out.push(format!("type {} left out", words(x))),
        (x, y) => out.push(format!("type {} read as {}", words(x), words(y))),
    }
    let dir = |c: Option<u8>| c.map_or("", |i| grammar.direction_name(i));
    let (asked, there) = ((dir(wanted.pre_direction), dir(wanted.post_direction)), (dir(view.pre), dir(view.post)));
    if asked != there {
        let text = |(p, q): (&str, &str)| match (p, q) {
            ("", "") => String::new(),
            (p, "") => format!("{p} before"),
            ("", q) => format!("{q} after"),
            (p, q) => format!("{p} before, {q} after"),
        };
        out.push(match (text(asked), text(there)) {
            (x, y) if x.is_empty() => format!("direction {y} the name added"),
            (x, y) if y.is_empty() => format!("direction {x} the name left out"),
            (x, y) => format!("direction {x} the name read as {y}"),
        });
    }
}

/// What is to be told of the number.
fn note_changes(
    reference: &Reference,
    a: &ParsedAddress,
    p: &Placed,
    view: &StreetView,
    between: Option<(u32, u32)>,
    out: &mut Vec<String>,
) {
    let number = a.number.unwrap_or_default();
    if let (Note::NumberNotThere, Some((low, high))) = (p.note, between) {
        out.push(format!("number {number} is not on this street; placed on it between {low} and {high}"));
    }
    match p.note {
        Note::NumberNotThere if between.is_some() => {}
        Note::NoNumber => out.push("no house number: placed on the street".into()),
        Note::NumberNotThere => out.push(format!(
            "number {number} is not on this street (nearest: {}); placed on the street",
            nearest_numbers(reference, view, number).join(", ")
        )),
        Note::Parity(low, high) => out.push(format!(
            "number {number} is on the side of {low}–{high}, whose numbers are {}",
            if number.is_multiple_of(2) { "odd" } else { "even" }
        )),
        Note::Between(low, high) => {
            out.push(format!("number {number} is not in the reference; placed between {low} and {high}"))
        }
        Note::StreetByPostcode => out.push("the street is the only one of its postcode".into()),
        Note::None | Note::Crossing(_) | Note::Landmark(_) | Note::HouseName => {}
    }
    if p.note != Note::HouseName && !a.house_name.is_empty() {
        out.push(format!("\"{}\" not used", normal::title(&a.house_name)));
    }
    if p.level == Level::AddressPoint && p.note != Note::HouseName {
        let there = reference.string(p.suffix);
        if there != a.number_suffix {
            // A fraction stands apart, a letter does not.
            let with = |suffix: &str| format!("{number}{}{suffix}", if suffix.contains('/') { " " } else { "" });
            let asked = match a.number_to {
                Some(to) => format!("{number}–{to}"),
                None => with(&a.number_suffix),
            };
            out.push(match there {
                "" if a.number_to.is_some() => format!("numbers {asked} placed at {number}"),
                "" => format!("number {asked} placed at {number}"),
                there => format!("number {asked} read as {}", with(there)),
            });
        }
    }
}

/// A postcode that is another one, and why.
fn postcode_changes(reference: &Reference, tried: &Tried, p: &Placed, code: &str, out: &mut Vec<String>) {
    let (a, context) = (&tried.a, &tried.context);
    if a.postcode.is_empty() || code == a.postcode {
        return;
    }
    if code.is_empty() {
        if p.parts.postcode > super::score::POSTCODE_NOT_THERE || !context.postcode_known {
            out.push(contradiction(reference, tried));
        }
        return;
    }
    let why = if context.postcode_known { format!(" ({})", contradiction(reference, tried)) } else { String::new() };
    out.push(format!("postcode {} read as {code}{why}", a.postcode));
}

/// Where a postcode is that does not fit.
pub(super) fn contradiction(reference: &Reference, tried: &Tried) -> String {
    let (a, context) = (&tried.a, &tried.context);
    if !context.postcode_known {
        return format!("postcode {} is not in the reference", a.postcode);
    }
    let region = context.region_of_postcode.as_deref().unwrap_or("");
    if !a.region.is_empty() && !region.is_empty() && region != a.region {
        return format!("postcode {} is not in region {}, it is in {region}", a.postcode, a.region);
    }
    let there: Vec<&str> = context.of_postcode.iter().take(4).map(|l| reference.place(*l).name).collect();
    format!("postcode {} is that of {}", a.postcode, there.join(", "))
}

/// `Ternport, OR 97981`, `97981 Ternport`, without what is empty.
pub(crate) fn tail(reference: &Reference, locality: &str, region: &str, postcode: &str) -> String {
    let mut out = String::with_capacity(locality.len() + region.len() + postcode.len() + 4);
    push_tail(reference, [locality, region, postcode], &mut out);
    out
}

/// Appends locality, region and postcode.
fn push_tail(reference: &Reference, [locality, region, postcode]: [&str; 3], out: &mut String) {
    let [region, postcode] = [region, postcode].map(|text| reference.as_written(text));
    let parts = if reference.grammar().postcode_first {
        [(postcode, ""), (locality, " "), (region, ", ")]
    } else {
        // Without a region a comma parts locality and postcode too.
        [(locality, ""), (region, ", "), (postcode, if region.is_empty() { ", " } else { " " })]
    };
    let start = out.len();
    for (part, sign) in parts.into_iter().filter(|(p, _)| !p.is_empty()) {
        if out.len() > start {
            out.push_str(sign);
        }
        out.push_str(part);
    }
}
