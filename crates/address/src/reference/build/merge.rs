//! What is the same under two names is made one, before the file is written.

use super::super::entry::PlaceKind;
use super::national::{National, Place, StreetKey};
use crate::normal::FastMap;

/// New numbers of places and streets.
pub(super) struct Renumbered {
    /// Streets by their old number.
    pub street: Vec<u32>,
}

impl National {
    /// A locality that one source gives without its region is the one of that name that another gives with it, where
    /// there is only one; two of them would tie with each other for ever.
    pub(super) fn merge_places(&mut self) -> Renumbered {
        let mut target: Vec<u32> = (0..self.places.len() as u32).collect();
        let mut by_name: FastMap<(u32, PlaceKind), Vec<(u32, u32)>> = FastMap::default();
        for ((name, region, kind), ids) in &self.place_ids {
            for id in ids {
                by_name.entry((*name, *kind)).or_default().push((*region, *id));
            }
        }
        for list in by_name.values() {
            let named: Vec<u32> =
                list.iter().filter(|(region, _)| !self.strings.get(*region).is_empty()).map(|(_, id)| *id).collect();
            if let [only] = named.as_slice() {
                for (_, id) in list.iter().filter(|(_, id)| id != only) {
                    target[*id as usize] = *only;
                }
            }
        }
        if target.iter().enumerate().all(|(i, t)| i as u32 == *t) {
            return Renumbered { street: (0..self.street_keys.len() as u32).collect() };
        }
        // New numbers without gaps, in the old order.
        let mut number = vec![u32::MAX; target.len()];
        let mut kept: Vec<Place> = Vec::new();
        let mut merged: Vec<(u32, Place)> = Vec::new();
        for (i, place) in std::mem::take(&mut self.places).into_iter().enumerate() {
            if target[i] == i as u32 {
                number[i] = kept.len() as u32;
                kept.push(place);
            } else {
                merged.push((target[i], place));
            }
        }
        for (into, from) in merged {
            let l = &mut kept[number[into as usize] as usize];
            l.sum = (l.sum.0 + from.sum.0, l.sum.1 + from.sum.1, l.sum.2 + from.sum.2);
            l.position = l.position.or(from.position);
            if l.parent == 0 {
                l.parent = from.parent;
            }
            if l.within == 0 {
                l.within = from.within;
            }
        }
        let renumber = |id: u32| number[target[id as usize] as usize];
        let mut streets = FastMap::default();
        let (mut keys, mut displays) = (Vec::new(), Vec::new());
        let street = self
            .street_keys
            .iter()
            .zip(&self.street_displays)
            .map(|(key, display)| {
                let key = StreetKey { place: renumber(key.place), ..*key };
                *streets.entry(key).or_insert_with(|| {
                    keys.push(key);
                    displays.push(*display);
                    keys.len() as u32 - 1
                })
            })
            .collect();
        for p in self.postcodes.values_mut() {
            p.places = p.places.iter().map(|l| renumber(*l)).collect();
            if p.region == 0
                && let Some(l) = p.places.first()
            {
                p.region = kept[*l as usize].region;
            }
        }
        self.names.iter_mut().for_each(|(_, id)| *id = renumber(*id));
        self.place_ids.values_mut().flatten().for_each(|id| *id = renumber(*id));
        (self.streets, self.street_keys, self.places) = (streets, keys, kept);
        self.street_displays = displays;
        Renumbered { street }
    }
}
