//! Buildings, parks, stations and the like, by their names.

use super::context::Context;
use super::place::{Note, Placed};
use super::score::Parts;
use super::similar::{Asked, slips_allowed};
use super::{Level, Matcher};
use crate::normal;
use crate::parse::ParsedAddress;
use crate::reference::{KeyKind, PlaceKind};

/// Adds the landmarks that an address without a number may name.
pub(super) fn place(matcher: &Matcher, a: &ParsedAddress, context: &Context, reading: usize, out: &mut Vec<Placed>) {
    let reference = matcher.reference;
    let asked = Asked::new(&a.place, reference.grammar());
    let mut found: Vec<(u32, i32)> = Vec::new();
    let mut consider = |index: u32| {
        let (name, place) = reference.place_name(index);
        if reference.place(place).kind == PlaceKind::Landmark
            && let Some(cost) = asked.cost(name)
        {
            match found.iter_mut().find(|(p, _)| *p == place) {
                Some((_, c)) => *c = cost.min(*c),
                None => found.push((place, cost)),
            }
        }
    };
    let key = normal::key(&a.place, reference.grammar().umlauts);
    reference.similar_places(&key, 0..=slips_allowed(key.len()), &mut consider);
    for word in a.place.split(' ').filter(|w| w.len() >= 4 && a.place.contains(' ')) {
        reference.places_by(KeyKind::Word, word, &mut consider);
    }
    for (place, name) in found {
        let view = reference.place(place);
        let Some((lon, lat)) = view.position else { continue };
        let locality = match view.within {
            Some(within) => context.locality_cost(reference, a, within),
            None if a.locality.is_empty() => 0,
            None => 3,
        };
        let parts = Parts {
            reading: a.prior,
            name,
            locality,
            region: context.region_cost(reference, a, place),
            ..Default::default()
        };
        out.push(Placed {
            reading,
            street: u32::MAX,
            level: Level::Landmark,
            parts,
            lon,
            lat,
            postcode: None,
            suffix: 0,
            extension: None,
            point: None,
            unit: None,
            radius_m: 0.0,
            note: Note::Landmark(place),
        });
    }
}
