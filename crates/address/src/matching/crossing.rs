//! The crossing of two streets.

use super::candidates::Search;
use super::context::Context;
use super::place::{Note, Placed};
use super::score::{self, Parts};
use super::{Level, Matcher};
use crate::nearest::{metres, nearest_on_line};
use crate::parse::{ParsedAddress, Thoroughfare};
use crate::reference::{Reference, StreetView};

/// Lines of streets that cross come so near, metres.
const LINES_M: f64 = 30.0;
/// The houses at a corner are so near, where no line is known.
const HOUSES_M: f64 = 90.0;
/// Points of a street that are compared.
const MOST_POINTS: u32 = 2_000;

/// Adds the crossings of two streets.
pub(super) fn place(
    matcher: &Matcher,
    a: &ParsedAddress,
    other: &Thoroughfare,
    context: &Context,
    reading: usize,
    out: &mut Vec<Placed>,
) {
    let reference = matcher.reference;
    let find = |wanted: &Thoroughfare| {
        let mut search = Search::new(reference, a, wanted, context);
        search.exact();
        if search.best().first().is_none_or(|s| s.parts.sum() > 7) {
            search.misspelt(1..=2);
            search.by_words();
            search.by_sound();
        }
        search.best().to_vec()
    };
    let (first, second) = (find(&a.street), find(other));
    for x in &first {
        let view = reference.street(x.id);
        for y in &second {
            let there = reference.street(y.id);
            if x.id == y.id
                || view.place != there.place
                    && reference.place(view.place).region != reference.place(there.place).region
            {
                continue;
            }
            let Some((lon, lat)) = meeting(reference, &view, &there) else { continue };
            let mut parts = Parts {
                name: x.parts.name + y.parts.name,
                street_type: x.parts.street_type + y.parts.street_type,
                direction: x.parts.direction + y.parts.direction,
                ..x.parts
            };
            parts.postcode = if a.postcode.is_empty() || context.of_postcode.contains(&view.place) {
                0
            } else {
                score::POSTCODE_NEAR
            };
            out.push(Placed {
                reading,
                street: x.id,
                level: Level::Crossing,
                parts,
                lon,
                lat,
                postcode: None,
                suffix: 0,
                extension: None,
                point: None,
                unit: None,
                radius_m: 0.0,
                note: Note::Crossing(y.id),
            });
        }
    }
    // Two streets of the right names that do not meet: each is worth knowing, none is the place.
}

/// Where two streets meet, if they do.
fn meeting(reference: &Reference, a: &StreetView, b: &StreetView) -> Option<(f64, f64)> {
    let lines = |s: &StreetView| -> Vec<Vec<(f64, f64)>> {
        (s.segments.0..s.segments.0 + s.segments.1).map(|i| reference.line(&reference.segment(i))).collect()
    };
    let (la, lb) = (lines(a), lines(b));
    let mut best: Option<(f64, (f64, f64))> = None;
    let mut add = |d: f64, at: (f64, f64)| {
        if best.is_none_or(|(x, _)| d < x) {
            best = Some((d, at));
        }
    };
    if !la.is_empty() && !lb.is_empty() {
        // The nearest approach of two lines that do not cross is at an end or corner of one of them.
        for (from, to) in [(&la, &lb), (&lb, &la)] {
            for vertex in from.iter().flatten() {
                for line in to {
                    let (d, at, _) = nearest_on_line(vertex.0, vertex.1, line);
                    add(d, at);
                }
            }
        }
        for (x, y) in
            la.iter().flat_map(|l| l.windows(2)).flat_map(|s| lb.iter().flat_map(|l| l.windows(2)).map(move |t| (s, t)))
        {
            if let Some(at) = crossing_of(x[0], x[1], y[0], y[1]) {
                add(0.0, at);
            }
        }
        return best.filter(|(d, _)| *d <= LINES_M).map(|(_, at)| at);
    }
    for i in (a.points.0..a.points.0 + a.points.1).take(MOST_POINTS as usize) {
        let p = reference.point(i);
        for j in (b.points.0..b.points.0 + b.points.1).take(MOST_POINTS as usize) {
            let q = reference.point(j);
            if (p.lat - q.lat).abs() > 0.002 {
                continue;
            }
            add(metres((p.lon, p.lat), (q.lon, q.lat)), ((p.lon + q.lon) / 2.0, (p.lat + q.lat) / 2.0));
        }
    }
    best.filter(|(d, _)| *d <= HOUSES_M).map(|(_, at)| at)
}

/// Where two stretches cross.
fn crossing_of(a: (f64, f64), b: (f64, f64), c: (f64, f64), d: (f64, f64)) -> Option<(f64, f64)> {
    let (rx, ry, sx, sy) = (b.0 - a.0, b.1 - a.1, d.0 - c.0, d.1 - c.1);
    let cross = rx * sy - ry * sx;
    if cross == 0.0 {
        return None;
    }
    let t = ((c.0 - a.0) * sy - (c.1 - a.1) * sx) / cross;
    let u = ((c.0 - a.0) * ry - (c.1 - a.1) * rx) / cross;
    ((0.0..=1.0).contains(&t) && (0.0..=1.0).contains(&u)).then_some((a.0 + t * rx, a.1 + t * ry))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stretches_cross_or_do_not() {
        assert_eq!(crossing_of((0.0, 0.0), (2.0, 2.0), (0.0, 2.0), (2.0, 0.0)), Some((1.0, 1.0)));
        assert_eq!(crossing_of((0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)), None);
        assert_eq!(crossing_of((0.0, 0.0), (1.0, 0.0), (2.0, -1.0), (2.0, 1.0)), None);
    }
}
