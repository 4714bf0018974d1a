//! A second pass: what the first one set aside is placed at a coarser level, where that much is certain.

use super::{Candidate, Level, Match, Matcher, Outcome, Tried, Unplaced, fallback};

/// Places what was set aside with a reason, at `level` or a finer one; else it stays set aside.
pub(super) fn place(
    matcher: &Matcher,
    tried: &[Tried],
    level: Level,
    class: Unplaced,
    reason: String,
    candidates: Vec<Candidate>,
) -> Outcome {
    let note = |mut c: Candidate, why: &str| {
        c.changes.insert(0, format!("second pass, because {why}"));
        Outcome::Matched(Box::new(Match { best: c, others: candidates.clone() }))
    };
    match class {
        // What the first pass found but was not to use.
        Unplaced::CoarserThanAsked => match candidates.first() {
            Some(best) if best.level <= level => return note(best.clone(), "nothing finer was found"),
            _ => {}
        },
        // Too unsure, or equal to others: what they share.
        Unplaced::ConfidenceTooLow | Unplaced::SeveralEqual => {
            let rivals: Vec<&Candidate> = match candidates.first() {
                Some(best) if class == Unplaced::SeveralEqual => {
                    candidates.iter().filter(|c| c.parts.sum() <= best.parts.sum() + super::score::EQUAL).collect()
                }
                Some(best) => vec![best],
                None => Vec::new(),
            };
            if let Some(shared) = shared(matcher, tried, level, &rivals) {
                let why = if class == Unplaced::ConfidenceTooLow {
                    "the confidence was too low"
                } else {
                    "several places fit equally well"
                };
                return note(shared, why);
            }
        }
        _ => {}
    }
    Outcome::SetAside { class, reason, candidates }
}

/// The postcode that candidates have in common, else their locality, at the level or a finer one.
fn shared(matcher: &Matcher, tried: &[Tried], level: Level, rivals: &[&Candidate]) -> Option<Candidate> {
    let first = rivals.first()?;
    let t = tried.first()?;
    let same = |f: fn(&Candidate) -> &str| !f(first).is_empty() && rivals.iter().all(|c| f(c) == f(first));
    let mut a = t.a.clone();
    (a.number, a.street, a.crossing, a.place) = (None, Default::default(), None, Default::default());
    (a.locality, a.region) = (crate::normal::short_words(&first.locality), first.region.clone());
    a.sub_locality.clear();
    a.postcode.clear();
    if same(|c| &c.postcode) && level >= Level::Postcode {
        let words = crate::normal::short_words(&first.postcode);
        a.postcode = matcher.reference.grammar().postcode(&words).map_or(words, |(code, _)| code);
    } else if !(same(|c| &c.locality) && rivals.iter().all(|c| c.region == first.region) && level >= Level::Locality) {
        // Towns of one name in two regions are two.
        return None;
    }
    let context = std::rc::Rc::new(super::Context::new(matcher.reference, &a));
    let coarse = Tried { a, context, same_name_elsewhere: Vec::new() };
    fallback::find(matcher, &coarse).ok().filter(|c| c.level <= level)
}
