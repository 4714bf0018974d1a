//! Streets that may be meant.

use super::context::Context;
use super::score::{self, Parts};
use super::similar::Asked;
use crate::Text;
use crate::normal;
use crate::parse::{ParsedAddress, Thoroughfare, roads_called_alike};
use crate::reference::{KeyKind, Reference};

/// Streets that are looked at closely.
const MOST: usize = 12;
/// Streets of one name that are looked at where no locality leads to them.
const MOST_OF_NAME: usize = 400;
/// Places whose streets are all compared, and how many streets.
const MOST_PLACES: usize = 4;
const MOST_COMPARED: usize = 6_000;

/// A street with what it costs so far.
#[derive(Debug, Clone, Copy)]
pub(super) struct Street {
    pub id: u32,
    pub parts: Parts,
}

/// Looks for the streets of an address.
pub(super) struct Search<'a> {
    reference: &'a Reference,
    a: &'a ParsedAddress,
    wanted: &'a Thoroughfare,
    context: &'a Context,
    places: Vec<u32>,
    asked: Asked<'a>,
    /// Names that a road known by its number may have too.
    called_alike: Vec<Text>,
    seen: Vec<u32>,
    /// The streets found, cheapest first once [`Search::best`] has sorted them.
    found: Vec<Street>,
    /// Localities that have a street of exactly the name that was asked for.
    pub same_name_elsewhere: Vec<u32>,
}

impl<'a> Search<'a> {
    pub(super) fn new(
        reference: &'a Reference,
        a: &'a ParsedAddress,
        wanted: &'a Thoroughfare,
        context: &'a Context,
    ) -> Self {
        Search {
            reference,
            a,
            wanted,
            context,
            places: context.places(),
            asked: Asked::new(&wanted.name, reference.grammar()),
            called_alike: roads_called_alike(&wanted.name, reference.grammar()),
            seen: Vec::new(),
            found: Vec::new(),
            same_name_elsewhere: Vec::new(),
        }
    }

    /// Streets of exactly the name.
    pub(super) fn exact(&mut self) {
        let mut names = Vec::new();
        self.reference.similar_names(self.asked.key(), 0..=0, &mut |name| names.push(name));
        if let Some(bare) = self.asked.bare_key() {
            self.reference.similar_names(bare, 0..=0, &mut |name| names.push(name));
        }
        for road in &self.called_alike {
            self.reference.similar_names(&normal::key(road, false), 0..=0, &mut |name| names.push(name));
        }
        for name in names {
            if !self.new_name(name) {
                continue;
            }
            self.consider(name, MOST_OF_NAME, true);
            let streets = self.reference.streets_of_name(name);
            for id in streets.take(64) {
                let place = self.reference.place_of_street(id);
                if self.same_name_elsewhere.len() < 4 && !self.same_name_elsewhere.contains(&place) {
                    self.same_name_elsewhere.push(place);
                }
            }
        }
    }

    /// Streets whose names are a slip, or two, away.
    pub(super) fn misspelt(&mut self, slips: std::ops::RangeInclusive<usize>) {
        let mut names = Vec::new();
        // A name with a letter too many is found whole among the spellings with one left out.
        let from = if *slips.start() == 1 { 0 } else { *slips.start() };
        self.reference.similar_names(self.asked.key(), from..=*slips.end(), &mut |name| names.push(name));
        if *slips.start() == 1
            && let Some(bare) = self.asked.bare_key()
        {
            self.reference.similar_names(bare, 0..=1, &mut |name| names.push(name));
        }
        self.consider_all(names);
    }

    /// Streets that sound alike.
    pub(super) fn by_sound(&mut self) {
        let mut names = Vec::new();
        if self.asked.sound().len() >= 3 {
            self.reference.names_by(KeyKind::Sound, self.asked.sound(), &mut |name| names.push(name));
        }
        self.consider_all(names);
    }

    /// Streets that share words.
    pub(super) fn by_words(&mut self) {
        let mut names = Vec::new();
        for word in self.wanted.name.split(' ').filter(|w| w.len() >= 3) {
            self.reference.names_by(KeyKind::Word, word, &mut |name| names.push(name));
            // "MAPLE" for "MAPLE GROVE": the name is a word of another.
            if names.len() > 2_000 {
                names.truncate(2_000);
                break;
            }
        }
        self.consider_all(names);
    }

    /// All streets of the likeliest places, compared one by one: finds what three slips or a cut word hide. Where no
    /// place is known, streets that share words.
    pub(super) fn in_its_places(&mut self) {
        if self.places.is_empty() {
            return self.by_words();
        }
        let places: Vec<u32> = self.places.iter().take(MOST_PLACES).copied().collect();
        let mut left = MOST_COMPARED;
        for place in places {
            let mut last = u32::MAX;
            for id in self.reference.streets_of_place(place) {
                if left == 0 {
                    return;
                }
                left -= 1;
                let name = self.reference.street(id).name;
                if name == last || self.seen.contains(&name) {
                    continue;
                }
                last = name;
                if let Some(cost) = self.name_cost(name) {
                    for id in self.reference.streets_of_name_in(name, place) {
                        self.street(id, cost);
                    }
                }
            }
        }
    }

    /// The cheapest streets.
    pub(super) fn best(&mut self) -> &[Street] {
        self.shorten(MOST);
        &self.found
    }

    fn shorten(&mut self, most: usize) {
        self.found.sort_by_key(|s| (s.parts.sum(), s.id));
        self.found.dedup_by_key(|s| s.id);
        self.found.truncate(most);
    }

    fn name_cost(&self, name: u32) -> Option<i32> {
        if self.reference.name_is(name, &self.wanted.name) {
            return Some(0);
        }
        if self.called_alike.iter().any(|road| self.reference.name_is(name, road)) {
            return Some(score::ROAD_KIND);
        }
        // Most are another name at first sight, which needs no look at whether their text is valid.
        if self.asked.is_another(self.reference.name_bytes(name)) {
            return None;
        }
        self.asked.cost(self.reference.name_text(name))
    }

    fn new_name(&mut self, name: u32) -> bool {
        let new = !self.seen.contains(&name);
        if new {
            self.seen.push(name);
        }
        new
    }

    fn consider_all(&mut self, mut names: Vec<u32>) {
        names.sort_unstable();
        names.dedup();
        for name in names {
            if self.new_name(name) {
                self.consider(name, MOST_OF_NAME / 8, false);
            }
        }
    }

    /// Streets of a name: those of the places of the address, else all of them, if they are not too many.
    fn consider(&mut self, name: u32, most: usize, exact: bool) {
        let Some(cost) = self.name_cost(name) else { return };
        let all = self.reference.streets_of_name(name);
        if all.len() <= 2 || exact && all.len() <= 24 {
            all.for_each(|id| self.street(id, cost));
            return;
        }
        let before = self.found.len();
        for i in 0..self.places.len() {
            for id in self.reference.streets_of_name_in(name, self.places[i]) {
                self.street(id, cost);
            }
        }
        // A name that is no slip's distance away is looked for where the address says, if it says where.
        if self.found.len() == before && (exact || self.places.is_empty()) {
            all.take(most).for_each(|id| self.street(id, cost));
        }
    }

    fn street(&mut self, id: u32, name: i32) {
        let view = self.reference.street(id);
        let mut parts = Parts {
            reading: self.a.prior,
            name,
            street_type: score::street_type(self.wanted.street_type, view.kind),
            direction: score::direction((self.wanted.pre_direction, self.wanted.post_direction), (view.pre, view.post)),
            ..Default::default()
        };
        if parts.sum() > score::MOST {
            return;
        }
        parts.locality = self.context.locality_cost(self.reference, self.a, view.place);
        parts.region = self.context.region_cost(self.reference, self.a, view.place);
        if parts.sum() <= score::MOST {
            self.found.push(Street { id, parts });
            // Keeping the list short while it grows keeps common names cheap.
            if self.found.len() > 4 * MOST {
                self.shorten(MOST);
            }
        }
    }
}
