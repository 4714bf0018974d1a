//! What looks wrong in a reference, worst first.
//!
//! How bad a doubt is: metres that addresses may be off, times how many addresses that is.

use super::cells::Near;
use super::entry::PlaceKind;
use super::open::{PointView, Reference, StreetView};
use crate::nearest::{distance_to_line, metres};

/// Doubts that are told; of more, how many.
const MOST: usize = 20;
/// A point so far from the line of its street is told.
const FAR_FROM_STREET_M: f64 = 500.0;
/// Points of one number so far apart are told.
const APART_M: f64 = 50.0;
/// A house is out of order where the way over it from the number before to the one behind is so much longer, and so many
/// times.
const DETOUR_M: f64 = 400.0;
const DETOUR_TIMES: f64 = 4.0;
/// So many addresses on one point are told: nobody measured them.
const MANY_ON_ONE_POINT: usize = 10;
/// How far addresses on one point may be off.
const ON_ONE_POINT_M: f64 = 500.0;
/// A locality or postcode whose parts reach so far is told.
const FAR_REACHING_M: f64 = 60_000.0;
/// How far a number in two ranges may be off, where neither is long.
const TWO_RANGES_M: f64 = 100.0;

/// Doubts and how bad they are.
#[derive(Default)]
pub(super) struct Doubts {
    worst: Vec<(f64, String)>,
    all: usize,
}

impl Doubts {
    /// Addresses that may be off by so many metres; the text is made only where it may be told.
    fn add(&mut self, addresses: usize, metres: f64, text: impl FnOnce() -> String) {
        self.all += 1;
        if self.worst.len() >= 4 * MOST {
            self.shorten();
        }
        let badness = addresses as f64 * metres;
        if self.worst.len() < MOST || self.worst.iter().any(|(b, _)| *b < badness) {
            self.worst.push((badness, text()));
        }
    }

    fn shorten(&mut self) {
        self.worst.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
        self.worst.truncate(MOST);
    }

    /// Those that are told, worst first, and how many more there are.
    pub(super) fn worst_first(mut self) -> (Vec<String>, usize) {
        self.shorten();
        let more = self.all - self.worst.len();
        (self.worst.into_iter().map(|(_, text)| text).collect(), more)
    }
}

impl Reference {
    /// What looks wrong on a street.
    pub(super) fn doubt_street(&self, street: &StreetView, doubts: &mut Doubts) {
        self.doubt_ranges(street, doubts);
        let lines: Vec<Vec<(f64, f64)>> =
            (street.segments.0..street.segments.0 + street.segments.1).map(|s| self.line(&self.segment(s))).collect();
        if lines.is_empty() {
            self.doubt_order(street, doubts);
        } else {
            self.doubt_distance(street, &lines, doubts);
        }
        self.doubt_numbers(street, doubts);
    }

    fn street_words(&self, street: &StreetView) -> String {
        format!("{} in {}", crate::matching::street_text(self, street), self.place(street.place).name)
    }

    fn house_words(&self, street: &StreetView, p: &PointView) -> String {
        format!("number {} of {}", self.number_text(p.number, p.suffix), self.street_words(street))
    }

    /// Ranges of one street that overlap on the same side parity.
    fn doubt_ranges(&self, street: &StreetView, doubts: &mut Doubts) {
        let mut ranges: Vec<(u32, u32, u32, u32)> = Vec::new();
        for s in street.segments.0..street.segments.0 + street.segments.1 {
            for (a, b) in self.segment(s).ranges.into_iter().flatten() {
                ranges.push((a % 2, a.min(b), a.max(b), s));
            }
        }
        ranges.sort_unstable();
        for pair in ranges.windows(2) {
            let [(parity, low, high, first), (other, low2, high2, second)] = [pair[0], pair[1]];
            if parity != other || low2 >= high || low % 2 != high % 2 || low2 % 2 != high2 % 2 {
                continue;
            }
            let middle = |id: u32| {
                let line = self.line(&self.segment(id));
                line.get(line.len() / 2).copied().unwrap_or_default()
            };
            let apart = metres(middle(first), middle(second)).max(TWO_RANGES_M);
            let shared = (high.min(high2) - low2) / 2 + 1;
            doubts.add(shared as usize, apart, || {
                format!("ranges overlap on {}: {low}–{high} and {low2}–{high2}", self.street_words(street))
            });
        }
    }

    fn houses<'a>(&'a self, street: &StreetView) -> impl Iterator<Item = (u32, PointView)> + use<'a> {
        let (first, n) = street.points;
        (first..first + n).map(|id| (id, self.point(id)))
    }

    /// Points far from the line of their street.
    fn doubt_distance(&self, street: &StreetView, lines: &[Vec<(f64, f64)>], doubts: &mut Doubts) {
        for (_, p) in self.houses(street) {
            let far = lines.iter().map(|l| distance_to_line(p.lon, p.lat, l)).fold(f64::MAX, f64::min);
            if far > FAR_FROM_STREET_M {
                doubts.add(1, far, || {
                    format!("{} is {far:.0} m from the line of its street", self.house_words(street, &p))
                });
            }
        }
    }

    /// Houses far off the way from the number before to the one behind, where no line says where the street is.
    fn doubt_order(&self, street: &StreetView, doubts: &mut Doubts) {
        for parity in [0, 1] {
            let mut side: Vec<PointView> = Vec::new();
            for (_, p) in self.houses(street).filter(|(_, p)| p.number > 0 && p.number % 2 == parity) {
                if side.last().is_none_or(|last| last.number != p.number) {
                    side.push(p);
                }
            }
            for three in side.windows(3) {
                let [before, p, behind] = [0, 1, 2].map(|i| (three[i].lon, three[i].lat));
                let (to, from, straight) = (metres(before, p), metres(p, behind), metres(before, behind));
                let detour = to + from - straight;
                if detour > DETOUR_M && detour > DETOUR_TIMES * straight {
                    doubts.add(1, detour / 2.0, || {
                        format!(
                            "{} is out of order: {:.0} m from number {} and {:.0} m from number {}, which are {:.0} m apart",
                            self.house_words(street, &three[1]),
                            to,
                            three[0].number,
                            from,
                            three[2].number,
                            straight
                        )
                    });
                }
            }
        }
    }

    /// One number at two places, without units that would tell them apart.
    fn doubt_numbers(&self, street: &StreetView, doubts: &mut Doubts) {
        let mut last: Option<(u32, PointView)> = None;
        for (id, p) in self.houses(street) {
            if let Some((before, q)) = last.filter(|(_, q)| (q.number, q.suffix) == (p.number, p.suffix)) {
                let apart = metres((q.lon, q.lat), (p.lon, p.lat));
                let has_units = |id: u32| !self.units_of(id).is_empty();
                if apart > APART_M && !(has_units(id) || has_units(before)) {
                    doubts.add(2, apart, || {
                        format!("{} is at two places, {apart:.0} m apart", self.house_words(street, &p))
                    });
                }
            }
            last = Some((id, p));
        }
    }

    /// Localities and postcodes whose parts lie far apart: two of one name, or one that is wrong.
    pub(super) fn doubt_places(&self, doubts: &mut Doubts) {
        let is_far = |radius_m: f64| radius_m > FAR_REACHING_M;
        for id in 0..self.places() {
            let place = self.place(id);
            if place.kind == PlaceKind::Locality && is_far(place.radius_m) {
                let streets = self.streets_of_place(id).count().max(1);
                doubts.add(streets, place.radius_m, || {
                    let km = place.radius_m / 1000.0;
                    let region = self.as_written(place.region);
                    let comma = if region.is_empty() { "" } else { ", " };
                    format!("what belongs to {}{comma}{region} lies up to {km:.0} km from its middle: two places of one name, or a wrong one in it", place.name)
                });
            }
        }
        for index in 0..self.postcodes() {
            let (code, view) = self.postcode_at(index);
            if is_far(view.radius_m) {
                doubts.add(1, view.radius_m, || {
                    let km = view.radius_m / 1000.0;
                    format!("what has the postcode {} lies up to {km:.0} km from its middle", self.as_written(code))
                });
            }
        }
    }

    /// Many addresses on one point: the middle of a street or a town that was taken for want of something better.
    pub(super) fn doubt_positions(&self, doubts: &mut Doubts) {
        let mut here: Vec<((u64, u64), u32)> = Vec::new();
        self.each_cell(&mut |cell| {
            here.clear();
            for near in cell {
                if let Near::Point(id) = near {
                    let p = self.point(*id);
                    here.push(((p.lon.to_bits(), p.lat.to_bits()), *id));
                }
            }
            here.sort_unstable();
            for same in here.chunk_by(|a, b| a.0 == b.0).filter(|same| same.len() >= MANY_ON_ONE_POINT) {
                let p = self.point(same[0].1);
                doubts.add(same.len(), ON_ONE_POINT_M, || {
                    let street = self.street(p.street);
                    format!(
                        "{} addresses are on one point, longitude {} latitude {}, {} among them",
                        same.len(),
                        p.lon,
                        p.lat,
                        self.house_words(&street, &p)
                    )
                });
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_worst_are_told_and_all_are_counted() {
        let mut doubts = Doubts::default();
        for i in 0..1000u32 {
            let metres = f64::from(i * 7 % 1000);
            doubts.add(1, metres, || format!("{metres}"));
        }
        let (told, more) = doubts.worst_first();
        assert_eq!((told.len(), more), (MOST, 1000 - MOST));
        assert_eq!(told[..3], ["999", "998", "997"]);
    }
}
