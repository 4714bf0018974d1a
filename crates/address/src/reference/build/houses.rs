//! Houses by their whole address in normal form: those that no other place of the reference could be taken for.
//!
//! A house is in the index where its place is the only one of its name in the country's region and no other's county, its
//! postcode that of this place alone, and its street the only one of its name in the place; or one of two that differ
//! clearly, of which the other has no number near this one. Rivals of such a house lie in places that its address
//! contradicts, or on a street that it contradicts twice.

use super::super::file::{KeyKind, NO_CODE, Section, key_hash};
use super::super::spool::Sorter;
use super::IN_MEMORY;
use super::keys::bare;
use super::national::{National, StreetKey};
use crate::grammar::{Grammar, NumberPlace, TypePlace};
use crate::matching::streets_differ;
use crate::normal::{self, FastMap};
use crate::parse::roads_called_alike;
use crate::reference::PlaceKind;
use std::io;

/// Numbers so near each other may stand for one another.
const NEAR_NUMBERS: u32 = 24;

/// A street whose houses may be in the index.
struct Street {
    /// Its words in standard form.
    words: Box<str>,
    /// The other street of its name in the place, by its rank.
    other: Option<u32>,
}

/// A house on one of two streets of a name.
struct Pending {
    hash: u32,
    id: u32,
    number: u32,
    other: u32,
}

/// Collects the keys of houses.
pub(super) struct Houses {
    /// Streets by rank, none where they have rivals.
    streets: Vec<Option<Street>>,
    /// Houses on one of two streets of a name, and the numbers of such streets.
    pending: Vec<Pending>,
    numbers: FastMap<u32, Vec<u32>>,
    /// What stands behind the street, by place and string of the postcode.
    tails: FastMap<(u32, u32), Option<Box<str>>>,
    sorter: Sorter<[u32; 2]>,
}

impl Houses {
    /// For streets in the order of their ranks.
    pub(super) fn new(country: &National, order: &[u32]) -> Self {
        // Names that differ in small words alone are one to a search, and roads known by a number have several.
        let mut spellings: FastMap<u32, Option<crate::Text>> = FastMap::default();
        for id in order {
            let name = country.street_keys[*id as usize].name;
            spellings.entry(name).or_insert_with(|| spelling(country.strings.get(name), country.grammar));
        }
        let mut of_name: FastMap<(u32, &str), Vec<u32>> = FastMap::default();
        for (rank, id) in order.iter().enumerate() {
            let key = country.street_keys[*id as usize];
            if let Some(name) = &spellings[&key.name] {
                of_name.entry((key.place, name)).or_default().push(rank as u32);
            }
        }
        let is_alone = alone(country);
        let street = |(rank, id): (usize, &u32)| {
            let key = country.street_keys[*id as usize];
            let name = spellings[&key.name].as_deref()?;
            let other = match of_name[&(key.place, name)].as_slice() {
                [_] => None,
                [a, b] => Some(if *a == rank as u32 { *b } else { *a }),
                _ => return None,
            };
            let differs = |other: u32| differ_clearly(&key, &country.street_keys[order[other as usize] as usize]);
            // "PLEIN 1944": what follows may be read in two ways.
            let words = street_words(country, *id);
            let last = words.rsplit(' ').next().unwrap_or("");
            let is_clear = !last.starts_with(|c: char| c.is_ascii_digit());
            let is_fit = is_clear && is_alone[key.place as usize] && other.is_none_or(differs);
            is_fit.then(|| Street { words: words.into_boxed_str(), other })
        };
        Houses {
            streets: order.iter().enumerate().map(street).collect(),
            pending: Vec::new(),
            numbers: FastMap::default(),
            tails: FastMap::default(),
            sorter: Sorter::new(2 * IN_MEMORY),
        }
    }

    /// Notes that a number is on a street.
    pub(super) fn note(&mut self, street: u32, number: u32) {
        if self.streets[street as usize].as_ref().is_some_and(|s| s.other.is_some()) {
            self.numbers.entry(street).or_default().push(number);
        }
    }

    /// Adds a house.
    pub(super) fn add(
        &mut self,
        country: &National,
        (street, place): (u32, u32),
        (number, suffix): (u32, &str),
        postcode: u32,
        id: u32,
    ) -> io::Result<()> {
        let Some(Street { words: street, other }) = &self.streets[street as usize] else { return Ok(()) };
        let tail = self.tails.entry((place, postcode)).or_insert_with(|| tail_words(country, place, postcode));
        let Some(tail) = tail else { return Ok(()) };
        if !suffix.is_empty() {
            // Letters behind numbers are written in more than one way.
            return Ok(());
        }
        let figures = number.to_string();
        let (first, second) = match country.grammar.number {
            NumberPlace::Before => (figures.as_str(), &**street),
            NumberPlace::After => (&**street, figures.as_str()),
        };
        let blank = || std::iter::once(b' ');
        let text = first.bytes().chain(blank()).chain(second.bytes()).chain(blank()).chain(tail.bytes());
        let hash = key_hash(KeyKind::House, text);
        match other {
            None => self.sorter.push([hash, id]),
            Some(other) => {
                self.pending.push(Pending { hash, id, number, other: *other });
                Ok(())
            }
        }
    }

    /// All keys, once it is known which streets have ranges of numbers.
    pub(super) fn finish(mut self, has_ranges: impl Fn(u32) -> bool) -> io::Result<Sorter<[u32; 2]>> {
        self.numbers.values_mut().for_each(|list| list.sort_unstable());
        for p in self.pending {
            let numbers = self.numbers.get(&p.other).map_or(&[][..], Vec::as_slice);
            let at = numbers.partition_point(|n| n + NEAR_NUMBERS < p.number);
            let is_far = numbers.get(at).is_none_or(|n| *n > p.number + NEAR_NUMBERS);
            if is_far && !has_ranges(p.other) {
                self.sorter.push([p.hash, p.id])?;
            }
        }
        Ok(self.sorter)
    }

    /// The sections of the index.
    pub(super) const SECTIONS: (Section, Section) = (Section::HouseKeys, Section::HouseKeyDirectory);
}

/// Whether two streets of one name are never taken for each other without a cost that counts.
fn differ_clearly(a: &StreetKey, b: &StreetKey) -> bool {
    let code = |c: u8| Some(c).filter(|c| *c != NO_CODE);
    let parts = |k: &StreetKey| (code(k.pre), code(k.kind), code(k.post));
    streets_differ(parts(a), parts(b)) && streets_differ(parts(b), parts(a))
}

/// What names are alike by; nothing for a road that may be called otherwise.
fn spelling(name: &str, grammar: &Grammar) -> Option<crate::Text> {
    let bare = bare(name, grammar);
    let is_road = !roads_called_alike(name, grammar).is_empty();
    (!is_road).then(|| normal::key(bare.as_deref().unwrap_or(name), grammar.umlauts))
}

/// Whether each place is the only one of its name in its region, and the county of none.
fn alone(country: &National) -> Vec<bool> {
    let mut of_name: FastMap<u32, Vec<u32>> = FastMap::default();
    for (name, id) in &country.names {
        let list = of_name.entry(*name).or_default();
        if country.places[*id as usize].kind != PlaceKind::Landmark && !list.contains(id) {
            list.push(*id);
        }
    }
    let region = |id: u32| country.places[id as usize].region;
    let is_said = |region: u32| !country.strings.get(region).is_empty();
    let mut out = vec![true; country.places.len()];
    for list in of_name.values().filter(|list| list.len() > 1) {
        for id in list {
            // Places of which one does not say its region may be in the same one.
            let is_other = |other: &u32| is_said(region(*other)) && region(*other) != region(*id);
            out[*id as usize] &= is_said(region(*id)) && list.iter().filter(|other| *other != id).all(is_other);
        }
    }
    let parents: std::collections::HashSet<String> =
        country.places.iter().map(|p| normal::words(country.strings.get(p.parent))).collect();
    for (name, id) in &country.names {
        if parents.contains(country.strings.get(*name)) {
            out[*id as usize] = false;
        }
    }
    for (place, alone) in country.places.iter().zip(&mut out) {
        *alone &= place.kind == PlaceKind::Locality;
    }
    out
}

/// A street in standard form, in normal form.
fn street_words(country: &National, id: u32) -> String {
    let grammar = country.grammar;
    let display = country.street_displays[id as usize];
    if display != super::super::file::NONE {
        return normal::words(country.strings.get(display));
    }
    let key = country.street_keys[id as usize];
    let (pre, post) = (grammar.direction_name(key.pre), grammar.direction_name(key.post));
    let (name, kind) = (country.strings.get(key.name), grammar.street_type_name(key.kind));
    let parts = if grammar.type_place == TypePlace::Before { [kind, pre, name, post] } else { [pre, name, kind, post] };
    let parts: Vec<String> = parts.iter().map(|p| normal::words(p)).filter(|p| !p.is_empty()).collect();
    parts.join(" ")
}

/// Locality, region and postcode in normal form, where the postcode is that of the place alone.
fn tail_words(country: &National, place: u32, postcode: u32) -> Option<Box<str>> {
    if postcode == super::super::file::NONE {
        return None;
    }
    let code = country.strings.get(postcode);
    let is_only = country.postcodes.get(code).is_some_and(|p| p.places.len() == 1 && p.places.contains(&place));
    let place = &country.places[place as usize];
    let region = country.strings.get(place.region);
    let as_written = |text| country.written.get(text).map_or(text, |written| country.strings.get(*written));
    let parts = [country.strings.get(place.display), as_written(region), as_written(code)];
    let [locality, region, code] = parts.map(normal::words);
    let parts = if country.grammar.postcode_first { [code, locality, region] } else { [locality, region, code] };
    is_only.then(|| parts.join(" ").into_boxed_str())
}
