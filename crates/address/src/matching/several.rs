//! An address and several references: those of its country, and which of their matches counts.

use super::{Candidate, Level, Match, MatchOptions, Matcher, Outcome, Unplaced, short_way};
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
    if found.is_empty() {
        return no_reference(&said);
    }
    let best = (1..found.len()).fold(0, |best, i| if is_better(&found[i].1, &found[best].1) { i } else { best });
    // Whichever of the others says something else: a third one that agrees with one of two does not settle it.
    let mut others = found.iter().enumerate().filter(|(i, _)| *i != best);
    let contradicted = others.find_map(|(_, other)| apart(&found[best], other));
    contradicted.unwrap_or_else(|| found.swap_remove(best).1)
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

/// Whether an outcome is surer than another one: a match before none.
fn is_better(new: &Outcome, known: &Outcome) -> bool {
    match (new, known) {
        (Outcome::Matched(new), Outcome::Matched(known)) => {
            let rank = |m: &Match| (m.best.level, std::cmp::Reverse(m.best.confidence));
            rank(new) < rank(known) && new.best.confidence + 10 >= known.best.confidence
        }
        (Outcome::Matched(_), Outcome::SetAside { .. }) => true,
        _ => false,
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
