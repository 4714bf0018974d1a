//! A number and a postcode alone: in countries whose postcodes are as fine as a street, they tell the house.

use super::context::Context;
use super::place::{Note, Placed, postcode_cost, suffix_cost};
use super::score::{self, Parts};
use super::{Level, Matcher, extent, unit};
use crate::parse::ParsedAddress;

/// Streets that are looked at.
const MOST: usize = 20_000;

/// Adds the houses with the number that have the postcode, where they are all on one street.
pub(super) fn place(matcher: &Matcher, a: &ParsedAddress, context: &Context, reading: usize, out: &mut Vec<Placed>) {
    let (reference, Some(number)) = (matcher.reference, a.number) else { return };
    if !reference.grammar().postcode_tells_the_street() {
        return;
    }
    let streets = context.of_postcode.iter().flat_map(|place| reference.streets_of_place(*place));
    let mut found: Vec<(u32, u32)> = Vec::new();
    let mut on: Vec<u32> = Vec::new();
    for id in streets.take(MOST) {
        let view = reference.street(id);
        // One house tells whether the street has the postcode; a street of several has it for some of them.
        let (first, n) = view.points;
        let has = |p: &u32| reference.point(*p).postcode.is_some_and(|c| reference.string_is(c, &a.postcode));
        if (first..first + n).any(|p| has(&p)) {
            on.push(id);
            found.extend(reference.points_with(&view, number).filter(has).map(|p| (id, p)));
        }
    }
    // Where the postcode is that of several streets, the number alone says nothing.
    let [_] = on[..] else { return };
    for (street, id) in found {
        let point = reference.point(id);
        let unit = unit::of_house(reference, a, id);
        let parts = Parts {
            reading: a.prior,
            name: score::STREET_BY_POSTCODE,
            number: suffix_cost(reference, a, point.suffix),
            postcode: postcode_cost(reference, a, point.postcode),
            ..Default::default()
        };
        out.push(Placed {
            reading,
            street,
            level: Level::AddressPoint,
            parts,
            lon: unit.map_or(point.lon, |u| u.lon),
            lat: unit.map_or(point.lat, |u| u.lat),
            postcode: point.postcode,
            suffix: point.suffix,
            extension: point.extension,
            point: Some(id),
            unit: unit.map(|u| u.text.into()),
            radius_m: extent::of_point(reference, a, &point),
            note: Note::StreetByPostcode,
        });
    }
}
