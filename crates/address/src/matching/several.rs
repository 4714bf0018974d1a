//! An address and several references: those of its country, and which of their matches counts.

use super::{Candidate, Level, MatchOptions, Matcher, Outcome, Unplaced, short_way};
use crate::country::{self, Said};
use crate::nearest::metres;
use crate::parse::AddressInput;
use crate::reference::Reference;

/// Places of one address in two references that are no farther apart are one, metres.
const ONE_PLACE_M: f64 = 1_000.0;
/// Scores no farther apart are equal.
const EQUALLY_SURE: f64 = 1.0;
/// Letters of a code that may be a region's as well.
const SHORT_CODE: usize = 2;

/// Finds the place of an address in references of any countries.
///
/// Only those count whose country the address may be in; where it names one, and that one has it, the others are not
/// asked. The surest match counts; two that are equally sure and far apart place nothing.
pub fn find(references: &[Reference], options: &MatchOptions, input: &AddressInput) -> Outcome {
    let said = country::said_by(input);
    let asked = |r: &Reference| {
        let mut input = *input;
        // What a text says behind the address is no part of it where it is this country.
        if let Said::Text { code, before, .. } = said
            && code == r.country()
        {
            (input.whole, input.country) = (before, code);
        }
        (r.country(), Matcher::borrowing(r, options).find(&input))
    };
    let may_be_in = || references.iter().filter(|r| said.may_be_in(r));
    let of_its_country = |r: &&Reference| said.code() == Some(r.country());
    let mut found: Vec<(&str, Outcome)> = may_be_in().filter(of_its_country).map(asked).collect();
    let is_sure = match said {
        Said::Text { part, .. } => part.chars().filter(|c| c.is_alphanumeric()).count() > SHORT_CODE,
        _ => true,
    };
    let is_found = found.iter().any(|(_, outcome)| matches!(outcome, Outcome::Matched(_)));
    if !(is_sure && is_found) {
        found.extend(may_be_in().filter(|r| !of_its_country(r)).map(asked));
    }
    let best =
        found.into_iter().reduce(|a, b| apart(&a, &b).map(|outcome| (a.0, outcome)).unwrap_or_else(|| better(a, b)));
    best.map_or_else(|| no_reference(&said), |(_, outcome)| outcome)
}

/// The house that [`find`] gives where that takes no search: there is one reference, which has the address as it stands, in
/// standard form. `None` says nothing of an address.
pub fn find_standard(references: &[Reference], options: &MatchOptions, input: &AddressInput) -> Option<Candidate> {
    let [reference] = references else { return None };
    let said = country::said_by(input);
    let is_plain = !matches!(said, Said::Text { .. }) && said.may_be_in(reference);
    is_plain.then(|| short_way::find(&Matcher::borrowing(reference, options), input)).flatten()
}

/// Two references that place an address equally surely and far apart: nothing says which of them is right.
fn apart((here, a): &(&str, Outcome), (there, b): &(&str, Outcome)) -> Option<Outcome> {
    let (Outcome::Matched(x), Outcome::Matched(y)) = (a, b) else { return None };
    let metres = metres((x.best.lon, x.best.lat), (y.best.lon, y.best.lat));
    let equal = (x.best.raw - y.best.raw).abs() <= EQUALLY_SURE && x.best.level == y.best.level;
    // The middles of a postcode or town may lie apart in two references of one country, as far as they are large.
    let one_place = match x.best.level < Level::Postcode {
        true => ONE_PLACE_M,
        false => ONE_PLACE_M.max(x.best.radius_m + y.best.radius_m),
    };
    if !equal || metres <= one_place {
        return None;
    }
    let shown =
        |c: &Candidate, code: &str| if here == there { c.address.clone() } else { format!("{}, {code}", c.address) };
    let (several, advice) = match here == there {
        true => ("two references place it", "say the locality or the postcode, or correct one of them"),
        false => ("two countries have it,", "say the country, or the region or postcode"),
    };
    let reason = format!(
        "{several} {:.1} km apart: {} | {}; {advice}",
        metres / 1000.0,
        shown(&x.best, here),
        shown(&y.best, there)
    );
    let candidates = [&x.best, &y.best].into_iter().chain(&x.others).chain(&y.others).cloned().collect();
    Some(Outcome::SetAside { class: Unplaced::SeveralEqual, reason, candidates })
}

/// The surer of two outcomes; a match before none, the first among equals.
fn better<'a>(a: (&'a str, Outcome), b: (&'a str, Outcome)) -> (&'a str, Outcome) {
    match (&a.1, &b.1) {
        (Outcome::Matched(x), Outcome::Matched(y))
            if (y.best.level, std::cmp::Reverse(y.best.confidence))
                < (x.best.level, std::cmp::Reverse(x.best.confidence))
                && y.best.confidence + 10 >= x.best.confidence =>
        {
            b
        }
        (Outcome::SetAside { .. }, Outcome::Matched(_)) => b,
        _ => a,
    }
}

/// Why an address is in none of the references.
fn no_reference(said: &Said) -> Outcome {
    let reason = match said {
        Said::Unknown(text) => {
            format!("the country \"{text}\" is not known: a code of ISO 3166 or the name of a country is expected")
        }
        other => {
            let code = other.code().unwrap_or_default();
            format!("the address is in {} ({code}), and no reference is of that country", country::name_of(code))
        }
    };
    Outcome::SetAside { class: Unplaced::NoReference, reason, candidates: Vec::new() }
}
