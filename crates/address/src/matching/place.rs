//! From a street to a position: address point, number range, or the street as a whole.

use super::candidates::Street;
use super::context::Context;
use super::score::{self, Parts};
use super::{Level, Matcher, extent, unit};
use crate::nearest::metres;
use crate::parse::ParsedAddress;
use crate::reference::{PointView, Reference, SegmentView, StreetView};
use crate::{Text, normal};

/// What else is to be told of a place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Note {
    /// Nothing.
    None,
    /// The number is not on the street.
    NumberNotThere,
    /// No number was asked for.
    NoNumber,
    /// The house was asked for by its name.
    HouseName,
    /// No street was asked for: it is the only one of the postcode.
    StreetByPostcode,
    /// The numbers of the side have the other parity; its lowest and highest.
    Parity(u32, u32),
    /// Placed between the points of two numbers.
    Between(u32, u32),
    /// The other street of the crossing.
    Crossing(u32),
    /// A landmark: the place.
    Landmark(u32),
}

/// A place of an address, not yet in words.
#[derive(Debug, Clone)]
pub(crate) struct Placed {
    /// Which reading of the address.
    pub reading: usize,
    pub street: u32,
    pub level: Level,
    pub parts: Parts,
    pub lon: f64,
    pub lat: f64,
    /// Strings of postcode and suffix.
    pub postcode: Option<u32>,
    pub suffix: u32,
    pub extension: Option<u32>,
    /// The address point.
    pub point: Option<u32>,
    /// The unit of the house that was asked for and found.
    pub unit: Option<Text>,
    /// How far the truth may be from there, metres; for what is coarser than a range it is found when it is told.
    pub radius_m: f64,
    pub note: Note,
}

impl Placed {
    /// Tells places apart: street, then suffix or the other street.
    pub(super) fn key(&self) -> (u32, u32, i64, i64) {
        let second = match self.note {
            Note::Crossing(other) | Note::Landmark(other) => other,
            _ => self.suffix,
        };
        ((self.street), second, (self.lon * 1e4) as i64, (self.lat * 1e4) as i64)
    }

    /// The locality, or the landmark itself.
    pub(super) fn place(&self, reference: &Reference) -> u32 {
        match self.note {
            Note::Landmark(place) => place,
            _ => reference.street(self.street).place,
        }
    }
}

/// The number of houses that have a name instead.
const NO_NUMBER: u32 = 0;

/// Neighbouring numbers between which a house is placed may differ by so much, and be so far apart.
const BETWEEN_NUMBERS: u32 = 24;
const BETWEEN_M: f64 = 200.0;

/// Adds the places of a street.
pub(super) fn place(
    matcher: &Matcher,
    a: &ParsedAddress,
    context: &Context,
    street: &Street,
    reading: usize,
    out: &mut Vec<Placed>,
) {
    let reference = matcher.reference;
    if out.iter().any(|p| p.reading == reading && p.street == street.id && !matches!(p.note, Note::Crossing(_))) {
        return;
    }
    let view = reference.street(street.id);
    // Another region than the one that was given is believed where the postcode is that of the place.
    let in_region = |parts: Parts| match parts.region > 0 && (a.postcode.is_empty() || parts.postcode > 0) {
        true => Parts { region: score::REGION_CONTRADICTED, ..parts },
        false => parts,
    };
    let new = |level: Level, parts: Parts, (lon, lat): (f64, f64), note: Note| Placed {
        reading,
        street: street.id,
        level,
        parts: in_region(parts),
        lon,
        lat,
        postcode: None,
        suffix: 0,
        extension: None,
        point: None,
        unit: None,
        radius_m: 0.0,
        note,
    };
    // The street's own postcode is known by its points; what the locality has is known at once.
    let street_postcode = || {
        if a.postcode.is_empty() || context.of_postcode.contains(&view.place) { 0 } else { score::POSTCODE_NEAR }
    };
    let whole = |number: i32, note: Note, out: &mut Vec<Placed>| {
        let parts = Parts { number, postcode: street_postcode(), ..street.parts };
        out.push(new(Level::Street, parts, reference.middle_of(&view), note));
    };
    let finest = matcher.options.finest;
    let Some(number) = a.number else {
        let is_it = |id: &u32| reference.string_is(reference.point(*id).suffix, &a.house_name);
        let mut named = reference.points_with(&view, NO_NUMBER).filter(is_it).peekable();
        if finest > Level::AddressPoint || a.house_name.is_empty() || named.peek().is_none() {
            return whole(score::NO_NUMBER, Note::NoNumber, out);
        }
        for point in named.map(|id| reference.point(id)) {
            let parts = Parts { postcode: postcode_cost(reference, a, point.postcode), ..street.parts };
            let mut placed = new(Level::AddressPoint, parts, (point.lon, point.lat), Note::HouseName);
            (placed.postcode, placed.suffix, placed.extension) = (point.postcode, point.suffix, point.extension);
            placed.radius_m = point.accuracy_m;
            out.push(placed);
        }
        return;
    };
    if finest > Level::StreetRange {
        let there = !reference.points_with(&view, number).is_empty()
            || range_of(reference, &view, number).is_some_and(|(cost, ..)| cost <= score::RANGE);
        let (cost, note) = if there { (0, Note::None) } else { (score::NUMBER_NOT_THERE, Note::NumberNotThere) };
        return whole(cost, note, out);
    }
    let mut any = false;
    // Where houses have numbers such as 37-10, 37-14 is not 37, nor 37-10.
    let is_hyphenated = is_hyphenated(a, number)
        && reference.points_with(&view, number).any(|id| reference.string(reference.point(id).suffix).starts_with('-'));
    if finest == Level::AddressPoint {
        let is_asked = |id: &u32| !is_hyphenated || reference.string_is(reference.point(*id).suffix, &a.number_suffix);
        for house in unit::choose(reference, a, reference.points_with(&view, number).filter(is_asked)) {
            let point = reference.point(house.point);
            let parts = Parts {
                number: suffix_cost(reference, a, point.suffix),
                postcode: postcode_cost(reference, a, point.postcode),
                ..street.parts
            };
            let position = house.unit.map_or((point.lon, point.lat), |u| (u.lon, u.lat));
            let mut placed = new(Level::AddressPoint, parts, position, Note::None);
            (placed.postcode, placed.suffix, placed.extension) = (point.postcode, point.suffix, point.extension);
            (placed.point, placed.unit) = (Some(house.point), house.unit.map(|u| u.text.into()));
            placed.radius_m = extent::of_point(reference, a, &point);
            out.push(placed);
            any = true;
        }
    }
    if any {
        return;
    }
    if is_hyphenated {
        return whole(score::NUMBER_NOT_THERE, Note::NumberNotThere, out);
    }
    if let Some((cost, segment, side)) = range_of(reference, &view, number) {
        let (from, to) = segment.ranges[side].unwrap_or_default();
        let line = reference.line(&segment);
        let position = along(&line, from, to, number, side == 0, matcher.options.set_back_m);
        let parts =
            Parts { number: cost, postcode: postcode_cost(reference, a, segment.postcodes[side]), ..street.parts };
        let note = if cost > score::RANGE { Note::Parity(from.min(to), from.max(to)) } else { Note::None };
        let mut placed = new(Level::StreetRange, parts, position, note);
        placed.postcode = segment.postcodes[side];
        let length: f64 = line.windows(2).map(|w| metres(w[0], w[1])).sum();
        placed.radius_m = extent::of_stretch(length, matcher.options.set_back_m);
        out.push(placed);
        return;
    }
    if let Some((low, high)) = neighbours(reference, &view, number) {
        let (from, to) = ((low.lon, low.lat), (high.lon, high.lat));
        let t = f64::from(number - low.number) / f64::from(high.number - low.number);
        let position = (from.0 + t * (to.0 - from.0), from.1 + t * (to.1 - from.1));
        let postcode = low.postcode.filter(|p| high.postcode == Some(*p));
        let parts = Parts { number: score::BETWEEN, postcode: postcode_cost(reference, a, postcode), ..street.parts };
        let mut placed = new(Level::StreetRange, parts, position, Note::Between(low.number, high.number));
        placed.postcode = postcode;
        let accuracy_m = low.accuracy_m.max(high.accuracy_m);
        placed.radius_m = extent::of_stretch(metres(from, to), matcher.options.set_back_m.max(accuracy_m));
        out.push(placed);
        return;
    }
    whole(score::NUMBER_NOT_THERE, Note::NumberNotThere, out);
}

/// Whether a number is one of two parts ("37-14"), not two numbers ("37-41") nor a short form of them ("105-7").
fn is_hyphenated(a: &ParsedAddress, number: u32) -> bool {
    let Some(second) = a.number_suffix.strip_prefix('-').filter(|_| a.number_to.is_none()) else { return false };
    let ends = |digits: usize| number % 10u32.pow(digits.min(9) as u32);
    match second.parse::<u32>() {
        Ok(n) => second.len() >= number.to_string().len() || n <= ends(second.len()),
        Err(_) => false,
    }
}

pub(super) fn suffix_cost(reference: &Reference, a: &ParsedAddress, there: u32) -> i32 {
    let asked = a.number_suffix.as_str();
    if reference.string_is(there, asked) {
        return 0;
    }
    let there = reference.string(there);
    if a.number_to.is_some() && there.is_empty() {
        score::RANGE_OF_NUMBERS
    } else if asked.is_empty() || there.is_empty() {
        score::SUFFIX_ONE_SIDE
    } else {
        score::SUFFIX_OTHER
    }
}

pub(super) fn postcode_cost(reference: &Reference, a: &ParsedAddress, there: Option<u32>) -> i32 {
    if a.postcode.is_empty() {
        return 0;
    }
    let Some(there) = there else { return score::POSTCODE_NOT_THERE };
    if reference.string_is(there, &a.postcode) {
        return 0;
    }
    let there = reference.string(there);
    let same_start = there.bytes().zip(a.postcode.bytes()).take_while(|(x, y)| x == y).count();
    if normal::distance(there.as_bytes(), a.postcode.as_bytes(), 1).is_some() {
        score::POSTCODE_ONE_SIGN
    } else if same_start >= 3 {
        score::POSTCODE_NEAR
    } else {
        score::POSTCODE_OTHER
    }
}

/// The range that holds a number: its cost, the segment and the side.
fn range_of(reference: &Reference, view: &StreetView, number: u32) -> Option<(i32, SegmentView, usize)> {
    let mut best: Option<(i32, SegmentView, usize)> = None;
    for id in view.segments.0..view.segments.0 + view.segments.1 {
        let segment = reference.segment(id);
        for (side, range) in segment.ranges.iter().enumerate() {
            let Some((from, to)) = *range else { continue };
            if !(from.min(to)..=from.max(to)).contains(&number) {
                continue;
            }
            let parity = segment.parity_differs(side, number);
            let cost = score::RANGE + if parity { score::RANGE_PARITY } else { 0 };
            if best.as_ref().is_none_or(|(c, ..)| cost < *c) {
                best = Some((cost, segment, side));
            }
        }
    }
    best
}

/// The points of the nearest numbers below and above on the same side, where they are near enough to place a house
/// between them.
fn neighbours(reference: &Reference, view: &StreetView, number: u32) -> Option<(PointView, PointView)> {
    let after = reference.points_with(view, number).start;
    let (first, end) = (view.points.0, view.points.0 + view.points.1);
    let same_side = |id: &u32| reference.point(*id).number % 2 == number % 2;
    let is_numbered = |id: &u32| reference.point(*id).number != NO_NUMBER;
    let low = (first..after).rev().take(12).filter(is_numbered).find(same_side).map(|id| reference.point(id))?;
    let high = (after..end).take(12).find(same_side).map(|id| reference.point(id))?;
    let is_near =
        high.number - low.number <= BETWEEN_NUMBERS && metres((low.lon, low.lat), (high.lon, high.lat)) <= BETWEEN_M;
    is_near.then_some((low, high))
}

/// The numbers and ranges nearest to one that is not there, in words.
pub(super) fn nearest_numbers(reference: &Reference, view: &StreetView, number: u32) -> Vec<String> {
    let mut ranges: Vec<(u32, u32, u32)> = Vec::new();
    for id in view.segments.0..view.segments.0 + view.segments.1 {
        for (from, to) in reference.segment(id).ranges.into_iter().flatten() {
            let (low, high) = (from.min(to), from.max(to));
            ranges.push((number.abs_diff(low).min(number.abs_diff(high)), low, high));
        }
    }
    ranges.sort_unstable();
    ranges.dedup();
    if !ranges.is_empty() {
        return ranges.iter().take(2).map(|(_, low, high)| format!("{low}–{high}")).collect();
    }
    let after = reference.points_with(view, number).start;
    let (first, end) = (view.points.0, view.points.0 + view.points.1);
    let mut out = Vec::new();
    if after > first && reference.point(after - 1).number != NO_NUMBER {
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
