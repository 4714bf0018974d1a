//! The short way for clean rows: an address that is a house of the reference in normal form, part for part, needs no search.
//!
//! The index has houses without a rival alone (see `reference/build/houses.rs`), so that the long way would find the same
//! house, and nothing else that costs little enough to count.

use super::{Candidate, Level, Matcher, Parts, confidence, words};
use crate::grammar::NumberPlace;
use crate::normal;
use crate::parse::AddressInput;
use crate::reference::{PlaceView, PointView, Reference};

/// Texts of addresses are no longer.
const LONGEST: usize = 120;

/// The house whose address in standard form a row has.
pub(super) fn find(matcher: &Matcher, input: &AddressInput) -> Option<Candidate> {
    let options = &*matcher.options;
    let is_usual = options.finest == Level::AddressPoint
        && options.others == 0
        && options.near.is_none()
        && options.within.is_none();
    if !is_usual {
        return None;
    }
    let reference = matcher.reference;
    let text = standard_text(matcher, input)?;
    let mut found = None;
    let mut several = false;
    reference.houses_by(&text, &mut |id| {
        let house = House::of(reference, id);
        if has_words(&house.address, &text) {
            several |= found.replace(house).is_some();
        }
    });
    let house = found.filter(|_| !several)?;
    let best = Candidate {
        level: Level::AddressPoint,
        confidence: confidence::of(Level::AddressPoint, 0.0, 100),
        most: 100,
        parts: Parts::default(),
        raw: 0.0,
        lon: house.point.lon,
        lat: house.point.lat,
        radius_m: house.point.accuracy_m.ceil(),
        address: house.address,
        changes: Vec::new(),
        locality: house.place.name.into(),
        region: reference.as_written(house.place.region).into(),
        parent: house.place.parent.into(),
        postcode: reference.as_written(house.code).into(),
        extension: words::extension(reference, house.point.extension),
    };
    (best.confidence >= options.min_confidence).then_some(best)
}

/// A house with its address in standard form.
struct House<'a> {
    point: PointView,
    place: PlaceView<'a>,
    code: &'a str,
    address: String,
}

impl<'a> House<'a> {
    fn of(reference: &'a Reference, id: u32) -> Self {
        let point = reference.point(id);
        let view = reference.street(point.street);
        let place = reference.place(view.place);
        let code = point.postcode.map_or("", |c| reference.string(c));
        let address = words::standard_address(reference, &view, (point.number, point.suffix), &place, code);
        House { point, place, code, address }
    }
}

/// Whether an address in standard form has these words as its normal form.
fn has_words(address: &str, words: &str) -> bool {
    // Plain letters differ in their case alone, and standard forms have commas: no text need be made to see that.
    let mut wanted = words.bytes();
    for b in address.bytes().filter(|b| *b != b',') {
        if !b.is_ascii_alphanumeric() && b != b' ' {
            return normal::words(address) == words;
        }
        if wanted.next() != Some(b.to_ascii_uppercase()) {
            return false;
        }
    }
    wanted.next().is_none()
}

/// The text of a row in normal form, its columns in the order of a standard address; nothing where a part stands in
/// a column that a standard address has not.
fn standard_text(matcher: &Matcher, input: &AddressInput) -> Option<String> {
    let grammar = matcher.reference.grammar();
    let has = |fields: &[&str]| fields.iter().any(|f| !f.is_empty());
    let rare = [input.number_suffix, input.direction, input.street_type, input.direction_after, input.unit];
    if has(&rare) || has(&[input.second_line]) || input.length() > LONGEST {
        return None;
    }
    let (number, street) = (input.number, input.street);
    let line = if grammar.number == NumberPlace::Before { [number, street] } else { [street, number] };
    let tail = if grammar.postcode_first {
        [input.postcode, input.locality, input.region]
    } else {
        [input.locality, input.region, input.postcode]
    };
    let mut text = String::with_capacity(input.length() + 8);
    for field in [input.whole].iter().chain(&line).chain(&tail).filter(|f| !f.is_empty()) {
        if !text.is_empty() {
            text.push(' ');
        }
        normal::push_words(field, &mut text);
    }
    (!text.is_empty()).then_some(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::matching::{Outcome, find_standard};
    use crate::reference::{PointEntry, Reference};
    use crate::{Builder, Entry, MatchOptions, grammar};

    fn is_taken(houses: &[&str], text: &str) -> bool {
        let mut b = Builder::new(&grammar::us::GRAMMAR);
        for (i, house) in houses.iter().enumerate() {
            let [number, street, locality] = house.split('|').collect::<Vec<_>>()[..] else { panic!("{house}") };
            let point = PointEntry {
                number: number.into(),
                street: street.into(),
                locality: locality.into(),
                region: "KS".into(),
                postcode: format!("6780{}", locality.len()),
                lon: -98.0 + 0.01 * i as f64,
                lat: 38.0,
                ..Default::default()
            };
            b.add(&Entry::Point(point)).unwrap();
        }
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r");
        b.write(&path).unwrap();
        let reference = Reference::open(&path).unwrap();
        let (options, input) =
            (MatchOptions { others: 0, ..Default::default() }, AddressInput { whole: text, ..Default::default() });
        let standard = find_standard(std::slice::from_ref(&reference), &options, &input);
        if let Some(house) = &standard {
            let Outcome::Matched(m) = Matcher::new(&reference, options.clone()).long_way(&input) else {
                panic!("{text}")
            };
            assert_eq!((&m.best.address, m.best.lon, m.best.lat), (&house.address, house.lon, house.lat));
            // A word about the country is no part of what is looked up.
            let abroad = AddressInput { country: "Germany", ..input };
            assert!(find_standard(std::slice::from_ref(&reference), &options, &abroad).is_none());
        }
        let matcher = Matcher::new(&reference, options);
        assert_eq!(find(&matcher, &input), standard);
        standard.is_some()
    }

    #[test]
    fn houses_without_a_rival_are_found_at_once() {
        assert!(is_taken(&["12|Oak St|Ash"], "12 Oak St, Ash, KS 67803"));
        assert!(is_taken(&["12|Oak St|Ash", "12|Oak St|Harlow"], "12 OAK ST ASH KS 67803"));
        assert!(is_taken(&["12|Oak St|Ash", "80|Oak Ave|Ash"], "12 Oak St, Ash, KS 67803"));
        for (houses, text, why) in [
            (&["12|Oak St|Ash", "12|Oak Ave|Ash"][..], "12 Oak St, Ash, KS 67803", "the number is on the other street"),
            (&["12|Oak St|Ash", "30|Oak Ave|Ash"], "12 Oak St, Ash, KS 67803", "a number near it"),
            (&["12|Oak St|Ash", "80|N Oak St|Ash"], "12 Oak St, Ash, KS 67803", "a direction more costs little"),
            (&["12|Oak St|Ash", "12A|Oak St|Ash"], "12 Oak St, Ash, KS 67803", "a number with a letter"),
            (&["12|Oak St|Ash"], "12 Oak Street, Ash, KS 67803", "written in another way"),
            (&["12|Oak St|Ash"], "12 Oak St, Ash, KS", "no postcode"),
        ] {
            assert!(!is_taken(houses, text), "{why}");
        }
    }
}
