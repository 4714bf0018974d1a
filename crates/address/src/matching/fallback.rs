//! When no street fits: the postcode, then the locality, then the region, and the contradictions that forbid even that.

use super::words::tail;
use super::{Candidate, Level, Matcher, Outcome, Parts, Tried, Unplaced, ceiling, confidence};
use crate::reference::PlaceKind;
use crate::{Text, normal};

/// A thoroughfare was asked for and not found.
pub(super) const STREET_NOT_FOUND: i32 = 20;
/// A locality of a name that is not in the reference, beside a postcode that is.
const LOCALITY_UNKNOWN: i32 = 6;
/// A postcode that is not in the reference, beside a locality that is.
const POSTCODE_UNKNOWN: i32 = 6;

/// The confidence of a place that is coarser than a street.
fn trusted(level: Level, parts: &Parts) -> u8 {
    let lost = parts.name >= STREET_NOT_FOUND;
    let table = confidence::of(level, f64::from(parts.sum() - if lost { STREET_NOT_FOUND } else { 0 }), 100);
    if lost { table.min(confidence::STREET_NOT_FOUND) } else { table }
}

/// A place as a candidate for a person to choose.
fn offered(matcher: &Matcher, place: u32) -> Option<Candidate> {
    let reference = matcher.reference;
    let l = reference.place(place);
    let (lon, lat) = l.position?;
    let level = if matches!(l.kind, PlaceKind::District | PlaceKind::Region) { Level::Region } else { Level::Locality };
    Some(Candidate {
        level,
        confidence: 0,
        most: 0,
        parts: Parts::default(),
        raw: 0.0,
        lon,
        lat,
        radius_m: l.radius_m,
        address: tail(matcher.reference, l.name, l.region, ""),
        changes: Vec::new(),
        locality: if level == Level::Region { Text::default() } else { l.name.into() },
        region: reference.as_written(l.region).into(),
        parent: l.parent.into(),
        postcode: Text::default(),
        extension: Text::default(),
    })
}

/// What a person may choose where locality, postcode and region contradict each other: the places of each.
fn offers(matcher: &Matcher, tried: &Tried) -> Vec<Candidate> {
    let context = &tried.context;
    let mut places: Vec<u32> = context.named.iter().take(2).map(|n| n.place).collect();
    places.extend(context.of_postcode.iter().take(2).filter(|p| !context.named.iter().any(|n| n.place == **p)));
    places.into_iter().filter_map(|p| offered(matcher, p)).collect()
}

/// The place of a postcode or locality, or why it is none.
pub(super) fn find(matcher: &Matcher, tried: &Tried) -> Result<Candidate, Outcome> {
    let reference = matcher.reference;
    let (a, context) = (&tried.a, &tried.context);
    let street_asked = !a.street.name.is_empty();
    let set_aside = |class: Unplaced, reason: String| {
        let candidates = offers(matcher, tried);
        Err(Outcome::SetAside { class, reason, candidates })
    };
    let mut changes: Vec<String> = a.read_as.clone();
    let mut parts = Parts::default();
    if a.post_box {
        changes.push("post box or rural route: placed no finer than the postcode".to_string());
    } else if street_asked && matcher.options.finest > Level::Street {
        changes.push(format!(
            "the street was not looked for: nothing finer than {} was asked for",
            matcher.options.finest.name()
        ));
    } else if street_asked {
        parts.name = STREET_NOT_FOUND;
        changes.push(street_not_found(matcher, tried));
    }
    let because = |changes: &[String]| {
        if changes.is_empty() { String::new() } else { format!("{}; ", changes.join("; ")) }
    };

    let postcode = if a.postcode.is_empty() { None } else { reference.postcode(&a.postcode) };
    if let Some(postcode) = postcode.filter(|_| matcher.options.finest <= Level::Postcode) {
        if !a.region.is_empty() && !postcode.region.is_empty() && postcode.region != a.region {
            return set_aside(
                Unplaced::PostcodeAndRegion,
                format!(
                    "{}postcode {} is not in region {} (it is in {}): correct one of them",
                    because(&changes),
                    a.postcode,
                    reference.as_written(&a.region),
                    reference.as_written(postcode.region)
                ),
            );
        }
        let agree = context.named.iter().find(|n| {
            let view = reference.place(n.place);
            context.of_postcode.contains(&n.place)
                || view.within.is_some_and(|w| context.of_postcode.contains(&w))
                || context
                    .of_postcode
                    .iter()
                    .any(|p| normal::words(reference.place(*p).parent) == normal::words(view.name))
        });
        let exact = context.locality_known();
        if exact && agree.is_none() && !context.of_postcode.is_empty() {
            let there: Vec<&str> = context.of_postcode.iter().take(4).map(|l| reference.place(*l).name).collect();
            return set_aside(
                Unplaced::PostcodeAndLocality,
                format!(
                    "{}postcode {} is not in {} (it is in {}): correct one of them",
                    because(&changes),
                    a.postcode,
                    reference.place(context.named[0].place).name,
                    there.join(", ")
                ),
            );
        }
        let place = match (agree, a.locality.is_empty()) {
            (Some(n), _) => {
                if !n.exact {
                    changes.push(format!(
                        "locality \"{}\" read as \"{}\"",
                        normal::title(&a.locality),
                        reference.place(n.place).name
                    ));
                }
                parts.locality = n.cost;
                Some(n.place)
            }
            (None, false) => {
                changes.push(format!("locality \"{}\" is not in the reference", normal::title(&a.locality)));
                parts.locality = LOCALITY_UNKNOWN;
                context.of_postcode.first().copied()
            }
            (None, true) => {
                if let [first, others @ ..] = context.of_postcode.as_slice()
                    && !others.is_empty()
                {
                    let name = |place: &u32| reference.place(*place).name;
                    changes.push(format!(
                        "{} is one of {} localities with the postcode {}",
                        name(first),
                        others.len() + 1,
                        a.postcode
                    ));
                }
                context.of_postcode.first().copied()
            }
        };
        let l = place.map(|l| reference.place(l));
        let (name, parent) = l.map_or(("", ""), |l| (l.name, l.parent));
        return Ok(Candidate {
            level: Level::Postcode,
            confidence: trusted(Level::Postcode, &parts),
            most: 100,
            parts,
            raw: f64::from(parts.sum()),
            lon: postcode.lon,
            lat: postcode.lat,
            radius_m: postcode.radius_m,
            address: tail(reference, name, postcode.region, &a.postcode),
            changes,
            locality: name.into(),
            region: reference.as_written(postcode.region).into(),
            parent: parent.into(),
            postcode: reference.as_written(&a.postcode).into(),
            extension: Text::default(),
        });
    }
    if !a.postcode.is_empty() && postcode.is_none() {
        changes.push(format!("postcode {} is not in the reference", a.postcode));
        parts.postcode = POSTCODE_UNKNOWN;
    }
    locality(matcher, tried, parts, changes, street_asked)
}

fn locality(
    matcher: &Matcher,
    tried: &Tried,
    mut parts: Parts,
    mut changes: Vec<String>,
    street_asked: bool,
) -> Result<Candidate, Outcome> {
    let reference = matcher.reference;
    let (a, context) = (&tried.a, &tried.context);
    let because = if changes.is_empty() { String::new() } else { format!("{}; ", changes.join("; ")) };
    let set_aside = |class: Unplaced, reason: String| {
        let candidates = offers(matcher, tried);
        Err(Outcome::SetAside { class, reason, candidates })
    };
    let coarser = |kind: PlaceKind| matches!(kind, PlaceKind::District | PlaceKind::Region);
    // A locality comes before what it lies in.
    let mut with_position: Vec<(u32, i32, PlaceKind, bool)> = context
        .named
        .iter()
        .map(|n| (n, reference.place(n.place)))
        .filter(|(_, v)| v.position.is_some() && (matcher.options.finest <= Level::Locality || coarser(v.kind)))
        .map(|(n, v)| (n.place, n.cost, v.kind, n.exact))
        .collect();
    with_position.sort_by_key(|(place, cost, kind, _)| (*cost, coarser(*kind), *place));
    let Some(&(_, cost, kind, exact)) = with_position.first() else {
        if !a.region.is_empty()
            && matcher.options.coarsest == Level::Region
            && let Some(c) = region(matcher, a, parts, &changes)
        {
            return Ok(c);
        }
        return match (a.locality.is_empty(), street_asked) {
            (true, true) => {
                set_aside(Unplaced::StreetNotFound, format!("{because}no locality or postcode to fall back to"))
            }
            (true, false) => {
                set_aside(Unplaced::NothingToPlaceBy, format!("{because}no street, locality or known postcode"))
            }
            (false, _) => set_aside(
                Unplaced::LocalityNotFound,
                format!("{because}locality \"{}\" is not in the reference", normal::title(&a.locality)),
            ),
        };
    };
    let mut best: Vec<u32> = with_position
        .iter()
        .filter(|(_, c, k, _)| *c == cost && coarser(*k) == coarser(kind))
        .map(|(place, ..)| *place)
        .collect();
    if best.len() > 1
        && let Some(near) = matcher.options.near
    {
        let far = |place: &u32| reference.place(*place).position.map_or(f64::MAX, |p| crate::nearest::metres(near, p));
        best.sort_by(|x, y| far(x).total_cmp(&far(y)));
        // As between houses: where the data is said to be decides, if it says it clearly.
        if far(&best[1]) >= 2.0 * far(&best[0]) {
            changes.push(format!("the nearest of {} equal candidates", best.len()));
            best.truncate(1);
        }
    }
    match best.as_slice() {
        [only] => {
            let l = reference.place(*only);
            if !a.region.is_empty() && !l.region.is_empty() && l.region != a.region {
                return set_aside(
                    Unplaced::LocalityAndRegion,
                    format!(
                        "{because}{} is not in region {} (it is in {}): correct one of them",
                        l.name,
                        reference.as_written(&a.region),
                        reference.as_written(l.region)
                    ),
                );
            }
            if cost > 0 {
                changes.push(format!("locality \"{}\" read as \"{}\"", normal::title(&a.locality), l.name));
            }
            // "FERNPORT" may be a slip, or a town that the reference does not have: nothing else says which.
            let there = normal::words(l.name);
            let said = [&a.locality, &a.sub_locality].into_iter().filter(|words| !words.is_empty());
            let kinds = said.map(|words| ceiling::of_difference(words, &there, reference.grammar()));
            let most = if exact { 100 } else { kinds.max().unwrap_or(100) };
            if most <= ceiling::OF_TWO_SLIPS && !matcher.options.trusts_near_names {
                return set_aside(
                    Unplaced::LocalityNotFound,
                    format!("{because}locality \"{}\" is not in the reference", normal::title(&a.locality)),
                );
            }
            parts.locality = cost;
            let level = if coarser(kind) { Level::Region } else { Level::Locality };
            let (lon, lat) = l.position.unwrap_or_default();
            Ok(Candidate {
                level,
                confidence: trusted(level, &parts).min(most),
                most,
                parts,
                raw: f64::from(parts.sum()),
                lon,
                lat,
                radius_m: l.radius_m,
                address: tail(reference, l.name, if l.name == l.region { "" } else { l.region }, ""),
                changes,
                locality: if coarser(kind) { Text::default() } else { l.name.into() },
                region: reference.as_written(l.region).into(),
                parent: l.parent.into(),
                postcode: Text::default(),
                extension: Text::default(),
            })
        }
        several => {
            let list: Vec<String> = several
                .iter()
                .take(5)
                .map(|l| reference.place(*l))
                .map(|l| {
                    let text = tail(reference, l.name, l.region, "");
                    if l.parent.is_empty() { text } else { format!("{text} ({})", l.parent) }
                })
                .collect();
            let candidates = several.iter().take(4).filter_map(|l| offered(matcher, *l)).collect();
            aside(
                candidates,
                Unplaced::SeveralEqual,
                format!("{because}several localities fit: {}; say the region or the postcode", list.join(" | ")),
            )
        }
    }
}

/// The middle of a region.
fn region(matcher: &Matcher, a: &crate::parse::ParsedAddress, parts: Parts, changes: &[String]) -> Option<Candidate> {
    let reference = matcher.reference;
    let grammar = reference.grammar();
    let names = grammar.regions.iter().find(|(code, _)| *code == a.region).map(|(_, names)| *names).unwrap_or("");
    let place = std::iter::once(normal::words(&a.region))
        .chain(crate::grammar::spellings(names).map(String::from))
        .flat_map(|words| reference.places_named(&words))
        .find(|p| reference.place(*p).kind == PlaceKind::Region)?;
    let l = reference.place(place);
    let (confidence, raw) = (trusted(Level::Region, &parts), f64::from(parts.sum()));
    let (address, changes) = (l.name.to_string(), changes.to_vec());
    Some(Candidate { confidence, most: 100, raw, parts, address, changes, ..offered(matcher, place)? })
}

fn aside(candidates: Vec<Candidate>, class: Unplaced, reason: String) -> Result<Candidate, Outcome> {
    Err(Outcome::SetAside { class, reason, candidates })
}

fn street_not_found(matcher: &Matcher, tried: &Tried) -> String {
    let reference = matcher.reference;
    let (a, context) = (&tried.a, &tried.context);
    let mut name = normal::title(a.street.typed_name());
    if let Some(other) = &a.crossing {
        name = format!("{name} & {}", normal::title(other.typed_name()));
        return format!("no crossing of \"{name}\" is in the reference");
    }
    let place = match (context.named.first(), a.postcode.is_empty()) {
        (Some(n), _) => reference.place(n.place).name.into(),
        (None, false) if context.postcode_known => a.postcode.clone(),
        _ => "the reference".into(),
    };
    // A street of the name that was not taken for another reason: saying that it is not there would be false.
    let named = context.named.first().map(|n| n.place);
    if named.is_some_and(|here| tried.same_name_elsewhere.contains(&here)) {
        return format!("street \"{name}\" is in {place}, and something else that the address says contradicts it");
    }
    let elsewhere: Vec<&str> =
        tried.same_name_elsewhere.iter().map(|l| reference.place(*l).name).filter(|n| *n != place).take(3).collect();
    if elsewhere.is_empty() {
        format!("street \"{name}\" is not in {place}")
    } else {
        format!("street \"{name}\" is not in {place} (it is in {})", elsewhere.join(", "))
    }
}
