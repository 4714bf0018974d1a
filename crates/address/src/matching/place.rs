//! From a street to a position: address point, number range, or the street as a whole.

use super::candidates::{Context, Street};
use super::{Candidate, Level, score};
use crate::normal;
use crate::parse::ParsedAddress;
use crate::reference::{Reference, SegmentView, StreetView};

/// Adds the candidates of a street.
pub(super) fn place(
    reference: &Reference,
    a: &ParsedAddress,
    context: &Context,
    street: &Street,
    set_back_m: f64,
    out: &mut Vec<Candidate>,
) {
    let view = reference.street(street.id);
    let Some(number) = a.number else {
        let mut changes = changes(reference, a, context, &view);
        changes.push("no house number: placed on the street".into());
        push(
            reference,
            a,
            &view,
            Level::Street,
            street.cost + score::STREET_NO_NUMBER,
            (view.lon, view.lat),
            None,
            "",
            changes,
            out,
        );
        return;
    };
    let mut any = false;
    for id in reference.points_with(&view, number) {
        let point = reference.point(id);
        let suffix = reference.string(point.suffix);
        let mut cost = street.cost;
        let mut changes = changes(reference, a, context, &view);
        if suffix != a.number_suffix {
            cost += score::SUFFIX;
            changes.push(match (a.number_suffix.as_str(), suffix) {
                ("", there) => format!("number {number} read as {number}{there}"),
                (asked, "") => format!("number {number}{asked} placed at {number}"),
                (asked, there) => format!("number {number}{asked} read as {number}{there}"),
            });
        }
        any = true;
        push(
            reference,
            a,
            &view,
            Level::AddressPoint,
            cost,
            (point.lon, point.lat),
            point.postcode,
            suffix,
            changes,
            out,
        );
    }
    if any {
        return;
    }
    let mut best: Option<(i32, SegmentView, usize)> = None;
    let mut nearest: Vec<(u32, u32, u32)> = Vec::new();
    for id in view.segments.0..view.segments.0 + view.segments.1 {
        let segment = reference.segment(id);
        for (side, range) in segment.ranges.iter().enumerate() {
            let Some((from, to)) = *range else { continue };
            let (low, high) = (from.min(to), from.max(to));
            if (low..=high).contains(&number) {
                // Both ends odd or both even: the side has that parity only.
                let parity = from % 2 == to % 2 && number % 2 != from % 2;
                let cost = score::RANGE + if parity { score::RANGE_PARITY } else { 0 };
                if best.as_ref().is_none_or(|(c, ..)| cost < *c) {
                    best = Some((cost, segment, side));
                }
            } else {
                nearest.push((number.abs_diff(low).min(number.abs_diff(high)), low, high));
            }
        }
    }
    let mut changes = changes(reference, a, context, &view);
    if let Some((cost, segment, side)) = best {
        let (from, to) = segment.ranges[side].unwrap_or_default();
        let position = along(&reference.line(&segment), from, to, number, side == 0, set_back_m);
        if cost > score::RANGE {
            changes.push(format!(
                "number {number} is on the side of {}–{}, whose numbers are {}",
                from.min(to),
                from.max(to),
                if from % 2 == 0 { "even" } else { "odd" }
            ));
        }
        push(
            reference,
            a,
            &view,
            Level::StreetRange,
            street.cost + cost,
            position,
            segment.postcodes[side],
            "",
            changes,
            out,
        );
        return;
    }
    nearest.sort_unstable();
    nearest.dedup();
    let list: Vec<String> = if nearest.is_empty() {
        neighbours(reference, &view, number)
    } else {
        nearest.iter().take(2).map(|(_, low, high)| format!("{low}–{high}")).collect()
    };
    changes.push(format!("number {number} is not on this street (nearest: {}); placed on the street", list.join(", ")));
    push(
        reference,
        a,
        &view,
        Level::Street,
        street.cost + score::STREET_NUMBER_OUTSIDE,
        (view.lon, view.lat),
        None,
        "",
        changes,
        out,
    );
}

/// The numbers of points on both sides of one that is not there.
fn neighbours(reference: &Reference, view: &StreetView, number: u32) -> Vec<String> {
    let after = reference.points_with(view, number).start;
    let (first, end) = (view.points.0, view.points.0 + view.points.1);
    let mut out = Vec::new();
    if after > first {
        out.push(reference.point(after - 1).number.to_string());
    }
    if after < end {
        out.push(reference.point(after).number.to_string());
    }
    out
}

/// A position along a line, set back to a side. Ends are kept clear by a tenth of the length, at most ten metres,
/// because the first house does not stand in the crossing.
pub(super) fn along(line: &[(f64, f64)], from: u32, to: u32, number: u32, left: bool, set_back_m: f64) -> (f64, f64) {
    const METRES: f64 = 111_320.0;
    let Some(&(lon0, lat0)) = line.first() else {
        return (0.0, 0.0);
    };
    let shrink = lat0.to_radians().cos();
    let plane: Vec<(f64, f64)> =
        line.iter().map(|(x, y)| ((x - lon0) * shrink * METRES, (y - lat0) * METRES)).collect();
    let lengths: Vec<f64> = plane.windows(2).map(|w| (w[1].0 - w[0].0).hypot(w[1].1 - w[0].1)).collect();
    let whole: f64 = lengths.iter().sum();
    let share =
        if from == to { 0.5 } else { (f64::from(number) - f64::from(from)) / (f64::from(to) - f64::from(from)) };
    let clear = (whole / 10.0).min(10.0);
    let mut rest = clear + share.clamp(0.0, 1.0) * (whole - 2.0 * clear);
    for (w, length) in plane.windows(2).zip(&lengths) {
        if rest <= *length || std::ptr::eq(length, &lengths[lengths.len() - 1]) {
            let (dx, dy) =
                if *length > 0.0 { ((w[1].0 - w[0].0) / length, (w[1].1 - w[0].1) / length) } else { (0.0, 0.0) };
            let side = if left { set_back_m } else { -set_back_m };
            let (x, y) = (w[0].0 + dx * rest - dy * side, w[0].1 + dy * rest + dx * side);
            return (lon0 + x / METRES / shrink, lat0 + y / METRES);
        }
        rest -= length;
    }
    (lon0, lat0)
}

/// What of the street differs from what was asked for.
fn changes(reference: &Reference, a: &ParsedAddress, context: &Context, view: &StreetView) -> Vec<String> {
    let grammar = reference.grammar();
    let mut out = a.read_as.clone();
    let name = reference.name_text(view.name);
    if name != a.name {
        out.push(format!("\"{}\" read as \"{}\"", normal::title(&a.name), normal::title(name)));
    }
    let words = |c: Option<u8>| c.map_or("none", |i| grammar.street_type_name(i));
    match (a.street_type, view.kind) {
        (x, y) if x == y => {}
        (None, y) => out.push(format!("type {} added", words(y))),
        (x, None) => out.push(format!("type {} left out", words(x))),
        (x, y) => out.push(format!("type {} read as {}", words(x), words(y))),
    }
    let dir = |c: Option<u8>| c.map_or("", |i| grammar.direction_name(i));
    let (asked, there) = ((dir(a.pre_direction), dir(a.post_direction)), (dir(view.pre), dir(view.post)));
    if asked != there {
        let text = |(p, q): (&str, &str)| match (p, q) {
            ("", "") => String::new(),
            (p, "") => format!("{p} before"),
            ("", q) => format!("{q} after"),
            (p, q) => format!("{p} before, {q} after"),
        };
        out.push(match (text(asked), text(there)) {
            (x, y) if x.is_empty() => format!("direction {y} the name added"),
            (x, y) if y.is_empty() => format!("direction {x} the name left out"),
            (x, y) => format!("direction {x} the name read as {y}"),
        });
    }
    let l = reference.locality(view.locality);
    if !a.locality.is_empty() && !context.localities.contains(&(view.locality, 0)) {
        let misspelt = context.localities.iter().any(|(id, _)| *id == view.locality);
        let why = if misspelt {
            ""
        } else if context.of_postcode.contains(&view.locality) {
            ", by the postcode"
        } else if !context.locality_known {
            ", which is not in the reference"
        } else {
            ""
        };
        out.push(format!("locality \"{}\" read as \"{}\"{why}", normal::title(&a.locality), l.name));
    }
    if !a.region.is_empty() && l.region != a.region {
        out.push(format!("region {} read as {}", a.region, l.region));
    }
    out
}

#[allow(clippy::too_many_arguments)]
fn push(
    reference: &Reference,
    a: &ParsedAddress,
    view: &StreetView,
    level: Level,
    cost: i32,
    position: (f64, f64),
    postcode: Option<u32>,
    suffix: &str,
    mut changes: Vec<String>,
    out: &mut Vec<Candidate>,
) {
    let l = reference.locality(view.locality);
    let code = postcode.map_or("", |p| reference.string(p));
    let mut cost = cost;
    if !a.postcode.is_empty() && !code.is_empty() && code != a.postcode {
        let one_digit = normal::distance(code.as_bytes(), a.postcode.as_bytes(), 1).is_some();
        cost += if one_digit { score::POSTCODE_ONE_DIGIT } else { score::POSTCODE_OTHER };
        changes.push(format!("postcode {} read as {code}", a.postcode));
    }
    let grammar = reference.grammar();
    let mut street = String::new();
    for part in [
        view.pre.map_or("", |d| grammar.direction_name(d)),
        &normal::title(reference.name_text(view.name)),
        view.kind.map_or("", |t| grammar.street_type_name(t)),
        view.post.map_or("", |d| grammar.direction_name(d)),
    ] {
        if !part.is_empty() {
            if !street.is_empty() {
                street.push(' ');
            }
            street.push_str(part);
        }
    }
    let number = match (level, a.number) {
        (Level::Street, _) | (_, None) => String::new(),
        (Level::AddressPoint, Some(n)) => format!("{n}{}{suffix} ", if suffix.contains('/') { " " } else { "" }),
        (_, Some(n)) => format!("{n} "),
    };
    let unit = if a.unit.is_empty() || level == Level::Street {
        String::new()
    } else {
        format!(" {}", normal::title(&a.unit))
    };
    let address = format!("{number}{street}{unit}, {}", tail(l.name, l.region, code));
    out.push(Candidate {
        level,
        confidence: (100 - cost).clamp(0, 100) as u8,
        lon: position.0,
        lat: position.1,
        address,
        changes,
        locality: l.name.to_string(),
        region: l.region.to_string(),
        parent: l.parent.to_string(),
        postcode: code.to_string(),
    });
}

/// `Ternport, OR 97981`, without what is empty.
pub(super) fn tail(locality: &str, region: &str, postcode: &str) -> String {
    let end = [region, postcode].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(" ");
    [locality.to_string(), end].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn along_a_street_and_off_to_its_side() {
        // A street due north along the meridian, 1000 m long: 100 at the south end, 200 at the north end.
        let north = 1000.0 / 111_320.0;
        let line = [(-123.8, 46.0), (-123.8, 46.0 + north / 2.0), (-123.8, 46.0 + north)];
        let (lon, lat) = along(&line, 100, 200, 150, true, 10.0);
        assert!((lat - (46.0 + north / 2.0)).abs() < 1e-9, "half way");
        let west = (lon + 123.8) * 46f64.to_radians().cos() * 111_320.0;
        assert!((west + 10.0).abs() < 1e-6, "left of a street going north is west: {west}");
        let (lon, _) = along(&line, 100, 200, 150, false, 10.0);
        assert!(lon > -123.8, "right is east");
        // The ends are kept clear by ten metres.
        let (_, lat) = along(&line, 100, 200, 100, true, 0.0);
        assert!(((lat - 46.0) * 111_320.0 - 10.0).abs() < 1e-6);
        // Ranges may run against the line.
        let (_, lat) = along(&line, 200, 100, 200, true, 0.0);
        assert!(((lat - 46.0) * 111_320.0 - 10.0).abs() < 1e-6);
    }
}
