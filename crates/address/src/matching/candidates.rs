//! Streets that may be meant.

use super::score;
use crate::normal::distance;
use crate::parse::ParsedAddress;
use crate::reference::Reference;

/// Streets that are looked at closely.
const MOST: usize = 12;

/// What locality, region and postcode of an address say.
pub(super) struct Context {
    /// Localities of the name that was given, with the distance of their names.
    pub localities: Vec<(u32, usize)>,
    /// Whether the name that was given is that of a locality exactly.
    pub locality_known: bool,
    /// Localities of the postcode.
    pub of_postcode: Vec<u32>,
    /// Whether the postcode is in the reference.
    pub postcode_known: bool,
}

impl Context {
    pub(super) fn new(reference: &Reference, a: &ParsedAddress) -> Self {
        let mut localities: Vec<(u32, usize)> = Vec::new();
        let mut locality_known = false;
        if !a.locality.is_empty() {
            localities.extend(reference.localities_named(&a.locality).into_iter().map(|l| (l, 0)));
            locality_known = !localities.is_empty();
            if !locality_known {
                let letters = a.locality.len();
                let most = if letters < 4 {
                    0
                } else if letters < 8 {
                    1
                } else {
                    2
                };
                let mut seen = Vec::new();
                let wanted: Vec<u8> = a.locality.bytes().filter(|b| *b != b' ').collect();
                reference.similar_localities(&a.locality, &mut |index| {
                    if seen.contains(&index) {
                        return;
                    }
                    seen.push(index);
                    let (name, id) = reference.locality_name(index);
                    let there: Vec<u8> = name.bytes().filter(|b| *b != b' ').collect();
                    if let Some(d) = distance(&wanted, &there, most) {
                        localities.push((id, d));
                    }
                });
                localities.sort_by_key(|(id, d)| (*d, *id));
                localities.dedup_by_key(|(id, _)| *id);
            }
            // Names that a region tells apart.
            if !a.region.is_empty() && localities.iter().any(|(l, _)| reference.locality(*l).region == a.region) {
                localities.retain(|(l, _)| reference.locality(*l).region == a.region);
            }
        }
        let postcode = if a.postcode.is_empty() { None } else { reference.postcode(&a.postcode) };
        Context {
            localities,
            locality_known,
            of_postcode: postcode.map(|p| reference.localities_of_postcode(&p).collect()).unwrap_or_default(),
            postcode_known: postcode.is_some(),
        }
    }

    /// What a street of another or the same locality costs, and the change to tell.
    pub(super) fn locality_cost(&self, reference: &Reference, a: &ParsedAddress, locality: u32) -> i32 {
        let by_postcode = self.of_postcode.contains(&locality);
        if a.locality.is_empty() {
            return if by_postcode {
                0
            } else if self.postcode_known {
                score::LOCALITY_MISSING_POSTCODE_OTHER
            } else {
                score::LOCALITY_MISSING
            };
        }
        if let Some((_, d)) = self.localities.iter().find(|(l, _)| *l == locality) {
            return score::locality_misspelt(*d);
        }
        // A place that the reference knows by another locality's name or as part of it.
        if a.locality == crate::normal::words(reference.locality(locality).parent) {
            return 6;
        }
        match (by_postcode, self.localities.is_empty()) {
            (true, _) => score::LOCALITY_BY_POSTCODE + if self.locality_known { 4 } else { 0 },
            (false, true) => score::LOCALITY_UNKNOWN,
            (false, false) => score::LOCALITY_OTHER,
        }
    }
}

/// A street with what it costs so far.
pub(super) struct Street {
    pub id: u32,
    pub cost: i32,
}

/// The streets, and candidates that were too far off to use but worth naming.
#[derive(Default)]
pub(super) struct Found {
    pub best: Vec<Street>,
    pub rejected: Vec<super::Candidate>,
    /// Localities that have a street of exactly the name that was asked for.
    pub same_name_elsewhere: Vec<u32>,
}

/// Streets whose name is, or nearly is, the one that was asked for, cheapest first.
pub(super) fn streets(reference: &Reference, a: &ParsedAddress, context: &Context) -> Found {
    let mut found = Found::default();
    let mut exact_cost = i32::MAX;
    if let Some(name) = reference.name(&a.name) {
        consider(reference, a, context, name, 0, &mut found);
        exact_cost = found.best.iter().map(|s| s.cost).min().unwrap_or(i32::MAX);
        for id in reference.streets_of_name(name).take(200) {
            let locality = reference.street(id).locality;
            if found.same_name_elsewhere.len() < 4 && !found.same_name_elsewhere.contains(&locality) {
                found.same_name_elsewhere.push(locality);
            }
        }
    }
    // The name as it is, in the place that was said: no misspelling can beat that.
    if exact_cost > 12 {
        let wanted: Vec<u8> = a.name.bytes().filter(|b| *b != b' ').collect();
        let figures = |name: &str| name.bytes().filter(u8::is_ascii_digit).collect::<Vec<_>>();
        let wanted_figures = figures(&a.name);
        let most = match wanted.len() {
            0..4 => 0,
            4 => 1,
            _ => 2,
        };
        let mut seen: Vec<u32> = Vec::new();
        // One letter left out first; two, which are many spellings, only where that finds nothing near.
        for left_out in [0..=1, 2..=2] {
            if *left_out.start() == 2 && found.best.iter().any(|s| s.cost <= 18) {
                break;
            }
            reference.similar_names(&a.name, left_out, &mut |name| {
                if seen.contains(&name) {
                    return;
                }
                seen.push(name);
                let text = reference.name_text(name);
                let there: Vec<u8> = text.bytes().filter(|b| *b != b' ').collect();
                // "11TH" is no misspelling of "1TH": figures are right or another street.
                if let Some(d) = distance(&wanted, &there, most)
                    && (d > 0 || text != a.name)
                    && figures(text) == wanted_figures
                {
                    consider(reference, a, context, name, d.max(1), &mut found);
                }
            });
        }
    }
    found.best.sort_by_key(|s| (s.cost, s.id));
    found.best.truncate(MOST);
    found
}

fn consider(reference: &Reference, a: &ParsedAddress, context: &Context, name: u32, d: usize, found: &mut Found) {
    let name_cost = score::name(d, reference.name_text(name).len());
    for id in reference.streets_of_name(name) {
        let street = reference.street(id);
        let mut cost = name_cost + score::street_type(a.street_type, street.kind);
        // A direction on the other side of the name ("Maple St N" for "N Maple St") is the same street.
        let straight = score::direction(a.pre_direction, street.pre) + score::direction(a.post_direction, street.post);
        let turned =
            3 + score::direction(a.pre_direction, street.post) + score::direction(a.post_direction, street.pre);
        cost += straight.min(turned);
        if cost > 40 {
            continue;
        }
        cost += context.locality_cost(reference, a, street.locality);
        if !a.region.is_empty() && reference.locality(street.locality).region != a.region {
            cost += score::REGION_OTHER;
        }
        if cost <= 100 - i32::from(score::LEAST) {
            found.best.push(Street { id, cost });
            // Keeping the list short while it grows keeps common names cheap.
            if found.best.len() > 4 * MOST {
                found.best.sort_by_key(|s| (s.cost, s.id));
                found.best.truncate(MOST);
            }
        }
    }
}
