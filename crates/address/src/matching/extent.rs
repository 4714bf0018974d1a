//! Where a street as a whole is, and how far the truth may be from a place: a radius in metres for every level.

use super::place::{Note, Placed};
use super::{Level, Matcher};
use crate::nearest::{distance_to_line, metres, nearest_on_line};
use crate::parse::ParsedAddress;
use crate::reference::{PointView, Reference, StreetView};

/// A house without its suffix, or with another: next door, or the door beside.
const OTHER_SUFFIX_M: f64 = 30.0;
/// The corner of two streets, where their lines meet and where only houses near it are known.
const CORNER_M: f64 = 30.0;
const CORNER_BY_HOUSES_M: f64 = 150.0;
/// A street goes on beyond the last house that is known.
const BEYOND_M: f64 = 100.0;
/// Houses of a street that are looked at.
const MOST_HOUSES: u32 = 20_000;

/// A position and how far the truth may be from it, metres.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Extent {
    pub position: (f64, f64),
    pub radius_m: f64,
    /// The known numbers on both sides of the one that was asked for.
    pub between: Option<(u32, u32)>,
}

/// Where a place is and how far the truth may be from there.
pub(super) fn of(matcher: &Matcher, a: &ParsedAddress, p: &Placed) -> Extent {
    let reference = matcher.reference;
    let at = |radius_m: f64| Extent { position: (p.lon, p.lat), radius_m, between: None };
    match (p.level, p.note) {
        (_, Note::Landmark(place)) => at(reference.place(place).radius_m),
        (Level::Crossing, Note::Crossing(other)) => {
            let has_line = |street: u32| reference.street(street).segments.1 > 0;
            at(if has_line(p.street) && has_line(other) { CORNER_M } else { CORNER_BY_HOUSES_M })
        }
        (Level::AddressPoint | Level::StreetRange, _) => at(p.radius_m),
        _ => {
            let view = reference.street(p.street);
            let asked = a.number.filter(|_| p.note == Note::NumberNotThere);
            let known = asked.and_then(|number| beside(reference, &view, number, matcher.options.set_back_m));
            known.unwrap_or_else(|| whole(reference, &view, matcher.options.set_back_m))
        }
    }
}

/// The radius of an address point for a house with this suffix.
pub(super) fn of_point(reference: &Reference, a: &ParsedAddress, point: &PointView) -> f64 {
    let is_same = reference.string_is(point.suffix, &a.number_suffix);
    point.accuracy_m + if is_same { 0.0 } else { OTHER_SUFFIX_M }
}

/// The radius of a house that is placed between two known numbers so far apart.
pub(super) fn of_stretch(length_m: f64, set_back_m: f64) -> f64 {
    length_m / 2.0 + set_back_m.abs()
}

/// The houses of a street.
fn houses<'a>(reference: &'a Reference, view: &StreetView) -> impl Iterator<Item = PointView> + use<'a> {
    let (first, n) = view.points;
    (first..first + n.min(MOST_HOUSES)).map(|id| reference.point(id))
}

/// The lines of a street.
fn lines(reference: &Reference, view: &StreetView) -> Vec<Vec<(f64, f64)>> {
    (view.segments.0..view.segments.0 + view.segments.1).map(|s| reference.line(&reference.segment(s))).collect()
}

/// The middle of a street and what reaches from there to its ends.
fn whole(reference: &Reference, view: &StreetView, set_back_m: f64) -> Extent {
    let lines = lines(reference, view);
    let on_lines = middle_of_lines(&lines);
    let mean = reference.middle_of(view);
    let nearest = |p: &PointView| metres((p.lon, p.lat), mean);
    let position = on_lines.unwrap_or_else(|| {
        let house = houses(reference, view).min_by(|x, y| nearest(x).total_cmp(&nearest(y)));
        house.map_or(mean, |p| (p.lon, p.lat))
    });
    let farthest = |all: &mut dyn Iterator<Item = (f64, f64)>| all.map(|at| metres(at, position)).fold(0.0, f64::max);
    let to_ends = farthest(&mut lines.iter().flatten().copied());
    let to_houses = farthest(&mut houses(reference, view).map(|p| (p.lon, p.lat)));
    // The ends of a line are those of the street; the last house that is known need not be the last.
    let radius_m = if lines.is_empty() { to_houses + BEYOND_M } else { to_houses.max(to_ends) + set_back_m.abs() };
    Extent { position, radius_m, between: None }
}

/// The middle of one line by its length; of several, the place on them that is nearest to the middle of all.
fn middle_of_lines(lines: &[Vec<(f64, f64)>]) -> Option<(f64, f64)> {
    let stretches = || lines.iter().flat_map(|l| l.windows(2)).map(|w| (w[0], w[1], metres(w[0], w[1])));
    let whole: f64 = stretches().map(|(.., length)| length).sum();
    if whole <= 0.0 {
        return lines.iter().flatten().next().copied();
    }
    if lines.len() == 1 {
        let mut left = whole / 2.0;
        for (a, b, length) in stretches() {
            if left <= length && length > 0.0 {
                let t = left / length;
                return Some((a.0 + t * (b.0 - a.0), a.1 + t * (b.1 - a.1)));
            }
            left -= length;
        }
    }
    let (mut x, mut y) = (0.0, 0.0);
    for (a, b, length) in stretches() {
        x += (a.0 + b.0) / 2.0 * length / whole;
        y += (a.1 + b.1) / 2.0 * length / whole;
    }
    let nearest = lines
        .iter()
        .filter(|l| l.len() > 1)
        .min_by(|l, m| distance_to_line(x, y, l).total_cmp(&distance_to_line(x, y, m)))?;
    Some(nearest_on_line(x, y, nearest).1)
}

/// Between the known numbers below and above one that is not there; at the last known one where it lies beyond.
fn beside(reference: &Reference, view: &StreetView, number: u32, set_back_m: f64) -> Option<Extent> {
    let mut known: Vec<(u32, (f64, f64))> =
        houses(reference, view).filter(|p| p.number > 0).map(|p| (p.number, (p.lon, p.lat))).collect();
    for id in view.segments.0..view.segments.0 + view.segments.1 {
        let segment = reference.segment(id);
        let line = reference.line(&segment);
        if let (Some(first), Some(last)) = (line.first(), line.last()) {
            for (from, to) in segment.ranges.into_iter().flatten() {
                known.extend([(from, *first), (to, *last)]);
            }
        }
    }
    let below = known.iter().filter(|(n, _)| *n <= number).max_by_key(|(n, _)| *n);
    let above = known.iter().filter(|(n, _)| *n >= number).min_by_key(|(n, _)| *n);
    match (below, above) {
        (Some((low, a)), Some((high, b))) => {
            let position = ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
            // The street may bend between them.
            let radius_m = of_stretch(metres(*a, *b) * 1.5, set_back_m) + BEYOND_M / 2.0;
            Some(Extent { position, radius_m, between: (low < high).then_some((*low, *high)) })
        }
        (Some((_, position)), None) | (None, Some((_, position))) => {
            let whole = whole(reference, view, set_back_m);
            let radius_m = whole.radius_m.max(2.0 * BEYOND_M);
            Some(Extent { position: *position, radius_m, between: None })
        }
        (None, None) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_middle_of_a_line_is_not_its_end() {
        let straight = vec![(-98.5, 38.9), (-98.4, 38.9)];
        let (x, y) = middle_of_lines(std::slice::from_ref(&straight)).unwrap();
        assert!((x + 98.45).abs() < 1e-9 && (y - 38.9).abs() < 1e-12);
        // Two stretches of one street, the second twice as long: the middle of both together.
        let onward = vec![(-98.4, 38.9), (-98.2, 38.9)];
        let (x, _) = middle_of_lines(&[straight, onward]).unwrap();
        assert!((x + 98.35).abs() < 1e-6, "{x}");
        // A horseshoe: on the street, not in the yard.
        let shoe = vec![(0.0, 0.0), (0.0, 0.02), (0.01, 0.02), (0.01, 0.0)];
        let (_, y) = middle_of_lines(&[shoe]).unwrap();
        assert!((y - 0.02).abs() < 1e-9, "{y}");
        assert_eq!(middle_of_lines(&[]), None);
        assert_eq!(middle_of_lines(&[vec![(1.0, 2.0), (1.0, 2.0)]]), Some((1.0, 2.0)));
    }
}
