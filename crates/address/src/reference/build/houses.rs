//! Houses by their whole address in normal form: those that no other place of the reference could be taken for.
//!
//! A house is in the index where its street is the only one of its name in the place, its place the only one of its name in
//! the country's region and no other's county, and its postcode that of this place alone. Rivals of such a house lie in
//! places that its address contradicts.

use super::super::file::{KeyKind, Section, key_hash};
use super::super::spool::Sorter;
use super::IN_MEMORY;
use super::keys::bare;
use super::national::National;
use crate::grammar::{Grammar, NumberPlace, TypePlace};
use crate::normal::{self, FastMap};
use crate::parse::roads_called_alike;
use crate::reference::PlaceKind;
use std::io;

/// Collects the keys of houses.
pub(super) struct Houses {
    /// Words of each street in standard form by its rank, none where it has a rival.
    streets: Vec<Option<Box<str>>>,
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
        let mut of_name: FastMap<(u32, &str), u32> = FastMap::default();
        for id in order {
            let key = country.street_keys[*id as usize];
            if let Some(name) = &spellings[&key.name] {
                *of_name.entry((key.place, name)).or_default() += 1;
            }
        }
        let is_alone = alone(country);
        let words = |id: &u32| {
            let key = country.street_keys[*id as usize];
            let name = spellings[&key.name].as_deref()?;
            let is_only = of_name[&(key.place, name)] == 1 && is_alone[key.place as usize];
            // "PLEIN 1944": what follows may be read in two ways.
            let words = street_words(country, *id);
            let last = words.rsplit(' ').next().unwrap_or("");
            let is_clear = !last.starts_with(|c: char| c.is_ascii_digit());
            (is_only && is_clear).then(|| words.into_boxed_str())
        };
        Houses {
            streets: order.iter().map(words).collect(),
            tails: FastMap::default(),
            sorter: Sorter::new(2 * IN_MEMORY),
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
        let Some(street) = &self.streets[street as usize] else { return Ok(()) };
        let tail = self.tails.entry((place, postcode)).or_insert_with(|| tail_words(country, place, postcode));
        let Some(tail) = tail else { return Ok(()) };
        if !suffix.is_empty() {
            // Letters behind numbers are written in more than one way.
            return Ok(());
        }
        let number = number.to_string();
        let (first, second) = match country.grammar.number {
            NumberPlace::Before => (number.as_str(), &**street),
            NumberPlace::After => (&**street, number.as_str()),
        };
        let blank = || std::iter::once(b' ');
        let text = first.bytes().chain(blank()).chain(second.bytes()).chain(blank()).chain(tail.bytes());
        self.sorter.push([key_hash(KeyKind::House, text), id])
    }

    pub(super) fn finish(self) -> Sorter<[u32; 2]> {
        self.sorter
    }

    /// The sections of the index.
    pub(super) const SECTIONS: (Section, Section) = (Section::HouseKeys, Section::HouseKeyDirectory);
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
