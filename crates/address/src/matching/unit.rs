//! Units, flats and floors: which of a house's the address asks for, and how they are told.

use crate::normal;
use crate::parse::ParsedAddress;
use crate::reference::{Reference, UnitView};

/// An address point, and its unit that was asked for.
#[derive(Debug, Clone, Copy)]
pub(super) struct House<'a> {
    pub point: u32,
    pub unit: Option<UnitView<'a>>,
}

/// Designators that any unit may be called by.
const ANY: [&str; 2] = ["#", "Unit"];
/// Units that are named where one was not found.
const MOST_NAMED: usize = 4;

/// Designator and value of a unit in standard form; a designator alone ("Rear") is a value.
fn parts(unit: &str) -> (&str, &str) {
    unit.split_once(' ').unwrap_or(("", unit))
}

/// The unit among others: the same one, else one of its value where the kind of unit is left open on one side.
fn find<'a>(units: &[UnitView<'a>], asked: &str) -> Option<UnitView<'a>> {
    let same = units.iter().find(|u| u.text.eq_ignore_ascii_case(asked));
    let (kind, value) = parts(asked);
    let is_open = |k: &str| k.is_empty() || ANY.contains(&k);
    let fits = |u: &&UnitView| {
        let (there, its) = parts(u.text);
        its.eq_ignore_ascii_case(value) && (is_open(kind) || is_open(there))
    };
    let mut alike = units.iter().filter(fits);
    same.or_else(|| alike.next().filter(|_| alike.next().is_none())).copied()
}

/// The unit of a house that was asked for.
pub(super) fn of_house<'a>(reference: &'a Reference, a: &ParsedAddress, point: u32) -> Option<UnitView<'a>> {
    if a.unit.is_empty() || !reference.has_units() { None } else { find(&reference.units_of(point), &a.unit) }
}

/// A unit as people read it: what has figures or is a letter stays as it is.
pub(super) fn written(unit: &str) -> String {
    let word = |w: &str| match w.strip_suffix('O') {
        // "3º" in normal form; nobody counts with a letter that looks like a zero.
        Some(figures) if !figures.is_empty() && figures.bytes().all(|b| b.is_ascii_digit()) => format!("{figures}o"),
        _ if w.len() < 2 || w.contains(|c: char| c.is_ascii_digit()) => w.to_string(),
        _ => normal::title(w),
    };
    unit.split(' ').map(word).collect::<Vec<_>>().join(" ")
}

/// Of address points with one number, those that have the unit that was asked for, if any has; where none was asked for,
/// those that stand for the building as a whole.
pub(super) fn choose<'a>(
    reference: &'a Reference,
    a: &ParsedAddress,
    points: impl Iterator<Item = u32>,
) -> Vec<House<'a>> {
    let mut houses: Vec<House> = points.map(|point| House { point, unit: None }).collect();
    if !reference.has_units() {
        return houses;
    }
    let suffix = |h: &House| reference.point(h.point).suffix;
    if a.unit.is_empty() {
        let whole: Vec<u32> = houses.iter().filter(|h| reference.units_of(h.point).is_empty()).map(suffix).collect();
        houses.retain(|h| !whole.contains(&suffix(h)) || reference.units_of(h.point).is_empty());
        return houses;
    }
    for h in &mut houses {
        h.unit = of_house(reference, a, h.point);
    }
    let found: Vec<u32> = houses.iter().filter(|h| h.unit.is_some()).map(suffix).collect();
    houses.retain(|h| h.unit.is_some() || !found.contains(&suffix(h)));
    houses
}

/// The unit that is written with an address: the one that was found; the one that was asked for where the reference has none
/// of the house; those of the point where nothing else tells it from others of its number.
pub(super) fn text(reference: &Reference, a: &ParsedAddress, unit: Option<&str>, point: Option<u32>) -> String {
    let Some(point) = point.filter(|_| reference.has_units()) else { return written(&a.unit) };
    let units = reference.units_of(point);
    match (unit, units.as_slice()) {
        (Some(unit), _) => written(unit),
        (None, []) => written(&a.unit),
        (None, [only]) if !is_alone(reference, point) => written(only.text),
        (None, [first, .., last]) if !is_alone(reference, point) => {
            format!("{} to {}", written(first.text), written(last.text))
        }
        (None, _) => String::new(),
    }
}

/// Whether the reference has units of the house, and not the one that was asked for.
pub(super) fn is_missing(reference: &Reference, a: &ParsedAddress, unit: Option<&str>, point: Option<u32>) -> bool {
    let has_others = |id: u32| reference.has_units() && !reference.units_of(id).is_empty();
    unit.is_none() && !a.unit.is_empty() && point.is_some_and(has_others)
}

/// Whether an address point is the only one of its number and suffix on its street.
fn is_alone(reference: &Reference, id: u32) -> bool {
    let point = reference.point(id);
    let street = reference.street(point.street);
    let same = |other: &u32| reference.point(*other).suffix == point.suffix;
    reference.points_with(&street, point.number).filter(same).count() == 1
}

/// What is to be told of a unit.
pub(super) fn changes(
    reference: &Reference,
    a: &ParsedAddress,
    unit: Option<&str>,
    point: Option<u32>,
    out: &mut Vec<String>,
) {
    let Some(point) = point.filter(|_| reference.has_units() && !a.unit.is_empty()) else { return };
    match unit {
        Some(there) if there.eq_ignore_ascii_case(&a.unit) => {}
        Some(there) => out.push(format!("\"{}\" read as \"{}\"", written(&a.unit), written(there))),
        None => {
            let units = reference.units_of(point);
            if units.is_empty() {
                return;
            }
            let named: Vec<String> = units.iter().take(MOST_NAMED).map(|u| written(u.text)).collect();
            let more = units.len() - named.len();
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            out.push(format!(
                "\"{}\" is not in the reference, which has {}{more} there",
                written(&a.unit),
                named.join(", ")
            ));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn units_are_found_by_value_where_the_kind_is_open() {
        let view = |text| UnitView { text, lon: 0.0, lat: 0.0 };
        let units = ["Apt 3", "Ste 3", "Fl 2", "Unit 7B", "Rear"].map(view);
        let found = |asked: &str| find(&units, asked).map(|u| u.text);
        assert_eq!(found("Apt 3"), Some("Apt 3"));
        assert_eq!(found("apt 3"), Some("Apt 3"));
        assert_eq!(found("# 3"), None, "there are two of that number");
        assert_eq!(found("# 2"), Some("Fl 2"));
        assert_eq!(found("Apt 2"), None, "a floor is no apartment");
        assert_eq!(found("Apt 7b"), Some("Unit 7B"));
        assert_eq!(found("Rear"), Some("Rear"));
        assert_eq!(found("Apt 9"), None);
    }
}
