//! What locality, region and postcode of an address say about where it is.

use super::{score, similar};
use crate::nearest::metres;
use crate::parse::ParsedAddress;
use crate::reference::{KeyKind, PlaceKind, Reference};
use crate::{Text, normal};
use std::cell::Cell;

/// Most places of one name that are looked at.
const MOST_PLACES: usize = 64;

/// A place that the address may name.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Named {
    pub place: u32,
    pub cost: i32,
    /// Whether its name is the one that was given, letter by letter.
    pub exact: bool,
}

/// What locality, region and postcode of an address say.
pub(super) struct Context {
    /// Places that the locality may name, cheapest first.
    pub named: Vec<Named>,
    /// Localities of the postcode.
    pub of_postcode: Vec<u32>,
    /// Whether the postcode is in the reference.
    pub postcode_known: bool,
    /// Region of the postcode.
    pub region_of_postcode: Option<Text>,
    parents: Memory,
    other_regions: Memory,
}

/// What was found of the last strings: a name of many streets leads to many localities, which lie in few counties and
/// regions.
#[derive(Default)]
struct Memory([Cell<Option<(u32, bool)>>; 4]);

impl Memory {
    fn get(&self, string: u32, find: impl FnOnce() -> bool) -> bool {
        let slot = &self.0[string as usize % self.0.len()];
        match slot.get() {
            Some((there, found)) if there == string => found,
            _ => {
                let found = find();
                slot.set(Some((string, found)));
                found
            }
        }
    }
}

impl Context {
    pub(super) fn new(reference: &Reference, a: &ParsedAddress) -> Self {
        let mut named: Vec<Named> = Vec::new();
        if !a.locality.is_empty() {
            find(reference, &a.locality, 0, &mut named);
        }
        if !a.sub_locality.is_empty() && (named.is_empty() || !named[0].exact) {
            find(reference, &a.sub_locality, score::LOCALITY_PART, &mut named);
        }
        // A part of a locality stands for it too, and with the names of its streets.
        for i in 0..named.len() {
            if reference.kind_of(named[i].place) == PlaceKind::Neighbourhood
                && let Some(place) = reference.place(named[i].place).within
            {
                named.push(Named { place, cost: named[i].cost + score::LOCALITY_PART, exact: named[i].exact });
            }
        }
        // Names that a region tells apart.
        if !a.region.is_empty()
            && named.len() > 1
            && named.iter().any(|n| reference.is_in_region(n.place, &a.region) == Some(true))
        {
            named.retain(|n| reference.is_in_region(n.place, &a.region) != Some(false));
        }
        named.sort_by_key(|n| (n.cost, n.place));
        let mut seen: Vec<u32> = Vec::new();
        named.retain(|n| {
            let new = !seen.contains(&n.place);
            seen.push(n.place);
            new
        });
        let postcode = if a.postcode.is_empty() { None } else { reference.postcode(&a.postcode) };
        Context {
            named,
            of_postcode: postcode.map(|p| reference.places_of_postcode(&p).collect()).unwrap_or_default(),
            postcode_known: postcode.is_some(),
            region_of_postcode: postcode.map(|p| p.region.into()),
            parents: Memory::default(),
            other_regions: Memory::default(),
        }
    }

    /// Whether the name that was given is that of a place exactly.
    pub(super) fn locality_known(&self) -> bool {
        self.named.first().is_some_and(|n| n.exact)
    }

    /// Places where a street is looked for first.
    pub(super) fn places(&self) -> Vec<u32> {
        let mut out: Vec<u32> = self.named.iter().map(|n| n.place).collect();
        for p in &self.of_postcode {
            if !out.contains(p) {
                out.push(*p);
            }
        }
        out
    }

    /// What a street of a locality costs.
    pub(super) fn locality_cost(&self, reference: &Reference, a: &ParsedAddress, place: u32) -> i32 {
        let by_postcode = self.of_postcode.contains(&place);
        // A part that may be the locality and is none that the reference knows was said all the same.
        if a.locality.is_empty() && a.sub_locality.is_empty() {
            return match (by_postcode, a.postcode.is_empty() || !self.postcode_known) {
                (true, _) => score::LOCALITY_MISSING,
                (false, true) => score::LOCALITY_AND_POSTCODE_MISSING,
                (false, false) => score::LOCALITY_MISSING_POSTCODE_OTHER,
            };
        }
        if let Some(n) = self.named.iter().find(|n| n.place == place) {
            return n.cost;
        }
        let parent = reference.parent_id(place);
        if self.parents.get(parent, || normal::is_words(reference.string(parent), &a.locality)) {
            return score::LOCALITY_PARENT;
        }
        if self.named.is_empty() {
            return match by_postcode {
                true => score::LOCALITY_UNKNOWN_BY_POSTCODE,
                false => score::LOCALITY_UNKNOWN,
            };
        }
        let near = reference.position_of(place).is_some_and(|here| {
            self.named
                .iter()
                .take(4)
                .any(|n| reference.position_of(n.place).is_some_and(|there| metres(here, there) < score::NEIGHBOUR_M))
        });
        match (by_postcode, near) {
            (true, true) => score::NEIGHBOUR_BY_POSTCODE,
            (true, false) => score::FAR_BY_POSTCODE,
            (false, true) => score::NEIGHBOUR,
            (false, false) => score::FAR,
        }
    }

    /// What another region than the one that was given costs.
    pub(super) fn region_cost(&self, reference: &Reference, a: &ParsedAddress, place: u32) -> i32 {
        if a.region.is_empty() {
            return 0;
        }
        let region = reference.region_id(place);
        let other = self.other_regions.get(region, || reference.is_region(region, &a.region) == Some(false));
        if other { score::REGION_OTHER } else { 0 }
    }
}

/// Adds the places of a name: exact ones, else nearly so, else those that sound alike.
fn find(reference: &Reference, words: &str, more: i32, out: &mut Vec<Named>) {
    let grammar = reference.grammar();
    let usable = |place: u32| reference.kind_of(place) != PlaceKind::Landmark;
    let key = normal::key(words, grammar.umlauts);
    let before = out.len();
    reference.similar_places(&key, 0..=0, &mut |index| {
        let place = reference.place_of_name(index);
        if out.len() < before + MOST_PLACES && usable(place) && reference.place_name_is(index, words) {
            out.push(Named { place, cost: more, exact: true });
        }
    });
    if out.len() > before {
        return;
    }
    let asked = similar::Asked::new(words, grammar);
    let add = |index: u32, out: &mut Vec<Named>| {
        let (name, place) = reference.place_name(index);
        if out.len() < before + MOST_PLACES
            && usable(place)
            && let Some(cost) = asked.cost(name)
            && cost < score::ANOTHER_NAME
        {
            // A locality has fewer names near it than a street: a slip tells less against it.
            let cost = (cost * 3 / 4).min(score::LOCALITY_SOUND) + more;
            match out[before..].iter_mut().find(|n| n.place == place) {
                Some(n) => n.cost = n.cost.min(cost),
                None => out.push(Named { place, cost, exact: false }),
            }
        }
    };
    // A name shares many spellings with another: each is looked at once.
    let mut indexes: Vec<u32> = Vec::new();
    let look = |indexes: &mut Vec<u32>, out: &mut Vec<Named>| {
        indexes.sort_unstable();
        indexes.dedup();
        indexes.drain(..).for_each(|index| add(index, out));
    };
    reference.similar_places(&key, 0..=1, &mut |index| indexes.push(index));
    if let Some(bare) = asked.bare_key() {
        reference.similar_places(bare, 0..=1, &mut |index| indexes.push(index));
    }
    look(&mut indexes, out);
    if out.len() == before && similar::slips_allowed(key.len()) > 1 {
        reference.similar_places(&key, 2..=2, &mut |index| indexes.push(index));
        look(&mut indexes, out);
    }
    if out.len() == before && asked.sound().len() >= 3 {
        reference.places_by(KeyKind::Sound, asked.sound(), &mut |index| indexes.push(index));
        for word in words.split(' ').filter(|w| w.len() >= 3 && words.contains(' ')) {
            reference.places_by(KeyKind::Word, word, &mut |index| indexes.push(index));
        }
        look(&mut indexes, out);
    }
}
