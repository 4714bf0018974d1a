//! The ways between two datums: direct, or through one datum in between.
//!
//! Edges are the published transformations in both directions, the registry's shift of a datum to WGS 84, and frames
//! that are taken as equal to WGS 84. Ways whose area of use holds the data come first, then the more accurate.

use super::transformation::{Shift, Transformation};
use super::{ASSUMED_ACCURACY_M, GridSource, Via};
use crate::crs::{Area, Catalogue, Datum};
use crate::ellipsoid::Ellipsoid;

const WGS84: &str = "WGS 1984";

/// A step of a way: a transformation in one of its directions.
#[derive(Debug, Clone, PartialEq)]
pub struct Leg {
    /// The transformation.
    pub transformation: Transformation,
    /// Whether it is taken from its target to its source.
    pub inverse: bool,
}

/// A way from one datum to another.
#[derive(Debug, Clone, PartialEq)]
pub struct Way {
    /// What it is called; empty where the datums are the same.
    pub name: String,
    /// Its transformations, in order.
    pub legs: Vec<Leg>,
    /// Accuracy in metres: the sum of the legs'; infinite where one has none.
    pub accuracy_m: f64,
    /// Whether the areas of use hold the data.
    pub holds_area: bool,
    /// Whether it depends on when the positions were measured.
    pub needs_epoch: bool,
    /// Grid files that it needs, and whether each is there.
    pub grids: Vec<(String, bool)>,
}

impl Way {
    /// Whether all its grids are there.
    pub fn has_its_grids(&self) -> bool {
        self.grids.iter().all(|(_, there)| *there)
    }

    /// The datum in between, where there is one.
    pub fn through(&self) -> Option<&str> {
        (self.legs.len() > 1).then(|| self.legs[0].target())
    }

    /// What a careful user should know.
    pub fn notes(&self) -> Vec<String> {
        let mut notes: Vec<String> = self.legs.iter().filter_map(|l| l.transformation.note.clone()).collect();
        if !self.holds_area {
            notes.push("the area of use of this transformation does not hold the whole area of the data".into());
        }
        notes.dedup();
        notes
    }

    fn of(legs: Vec<Leg>, area: &Area, grids: &dyn GridSource) -> Self {
        let names: Vec<String> = legs.iter().map(Leg::name).filter(|n| !n.is_empty()).collect();
        Way {
            name: names.join(", then "),
            // Accuracies have a few figures; their sum has no more.
            accuracy_m: (legs.iter().map(|l| l.transformation.accuracy_m).sum::<f64>() * 1e6).round() / 1e6,
            holds_area: legs.iter().all(|l| l.transformation.area.as_ref().is_none_or(|a| a.contains_area(area))),
            needs_epoch: legs.iter().any(|l| matches!(l.transformation.shift, Shift::TimeDependent(_))),
            grids: legs
                .iter()
                .filter_map(|l| match &l.transformation.shift {
                    Shift::Grid(name) => Some((name.clone(), grids.has(name))),
                    _ => None,
                })
                .collect(),
            legs,
        }
    }
}

impl Leg {
    /// Name with its direction.
    pub fn name(&self) -> String {
        if self.inverse && !self.transformation.name.is_empty() {
            format!("inverse of {}", self.transformation.name)
        } else {
            self.transformation.name.clone()
        }
    }

    /// The datum it starts from.
    pub fn source(&self) -> &str {
        if self.inverse { &self.transformation.target_datum } else { &self.transformation.source_datum }
    }

    /// The datum it leads to.
    pub fn target(&self) -> &str {
        if self.inverse { &self.transformation.source_datum } else { &self.transformation.target_datum }
    }

    fn reversed(&self) -> Leg {
        Leg { transformation: self.transformation.clone(), inverse: !self.inverse }
    }
}

/// The datum without the prime meridian in its name: the registry counts `Voirol 1879 Paris` as a datum of its own,
/// but only its longitudes are counted from elsewhere.
pub(super) fn on_greenwich(datum: &Datum) -> Datum {
    let base =
        datum.name.strip_suffix(&format!(" {}", datum.prime_meridian)).filter(|_| datum.prime_meridian_deg != 0.0);
    let Some(base) = base else {
        return datum.clone();
    };
    let shift = datum.shift.clone().or_else(|| {
        Catalogue::embedded().geographic_of_datum(base).and_then(|c| c.datum().and_then(|d| d.shift.clone()))
    });
    Datum { name: base.to_string(), shift, ..datum.clone() }
}

/// The ellipsoid of a datum that is only known by name.
pub(super) fn ellipsoid_of(datum_name: &str) -> Ellipsoid {
    Catalogue::embedded()
        .geographic_of_datum(datum_name)
        .and_then(|c| c.datum().map(|d| d.ellipsoid.clone()))
        .unwrap_or_else(Ellipsoid::wgs84)
}

/// All ways between two datums, best first. Empty where none is known; one without legs where they are the same.
pub(super) fn ways(from: &Datum, to: &Datum, area: &Area, grids: &dyn GridSource, via: Option<&Via>) -> Vec<Way> {
    if from.name == to.name && !matches!(via, Some(Via::Own(_))) {
        return vec![Way::of(Vec::new(), area, grids)];
    }
    let own = match via {
        Some(Via::Own(t)) => Some(&**t),
        _ => None,
    };
    let out = legs_of(from, own);
    let back = legs_of(to, own);
    let mut found: Vec<Way> = Vec::new();
    let mut add = |legs: Vec<Leg>| {
        if !found.iter().any(|w| w.legs == legs) {
            found.push(Way::of(legs, area, grids));
        }
    };
    for a in &out {
        if a.target() == to.name {
            add(vec![a.clone()]);
            continue;
        }
        for b in &back {
            if b.target() == a.target() && b.target() != from.name {
                add(vec![a.clone(), b.reversed()]);
            }
        }
    }
    for b in &back {
        if b.target() == from.name {
            add(vec![b.reversed()]);
        }
    }
    found.sort_by(|a, b| {
        b.holds_area
            .cmp(&a.holds_area)
            .then(a.accuracy_m.total_cmp(&b.accuracy_m))
            .then(a.legs.len().cmp(&b.legs.len()))
            // Of equal ways the smaller area of use is the more particular one.
            .then(size(a).total_cmp(&size(b)))
    });
    found
}

fn size(way: &Way) -> f64 {
    way.legs.iter().map(|l| l.transformation.area.as_ref().map_or(1.0, Area::share_of_earth)).fold(1.0, f64::min)
}

/// The transformations that start or end at a datum, directed away from it.
fn legs_of(datum: &Datum, own: Option<&Transformation>) -> Vec<Leg> {
    let mut legs: Vec<Leg> = Transformation::published()
        .iter()
        .chain(own)
        .filter_map(|t| {
            let inverse = t.target_datum == datum.name;
            (inverse || t.source_datum == datum.name).then(|| Leg { transformation: t.clone(), inverse })
        })
        .collect();
    legs.extend(to_wgs84(datum));
    legs
}

/// The registry's shift to WGS 84, or that the frames are taken as equal.
fn to_wgs84(datum: &Datum) -> Option<Leg> {
    if datum.name == WGS84 {
        return None;
    }
    let leg = |name: String, shift: Shift, accuracy_m: f64, note: Option<String>| {
        Some(Leg {
            transformation: Transformation {
                name,
                source_datum: datum.name.clone(),
                target_datum: WGS84.into(),
                shift,
                accuracy_m,
                area: None,
                note,
            },
            inverse: false,
        })
    };
    match &datum.shift {
        Some(s) => {
            let null = s.helmert.is_null();
            leg(
                format!("{} to WGS 84{}", datum.name, if null { " (zero shift)" } else { ", registry's shift" }),
                Shift::Helmert(s.helmert.clone()),
                s.accuracy_m.unwrap_or(if null { ASSUMED_ACCURACY_M } else { f64::INFINITY }),
                (s.accuracy_m.is_none() && !null)
                    .then(|| format!("the registry gives no accuracy for the shift of {}", datum.name)),
            )
        }
        None if ["GRS 1980", "WGS 84"].contains(&datum.ellipsoid.name.as_str()) => leg(
            format!("{} to WGS 84 (assumed equal)", datum.name),
            Shift::Equal,
            ASSUMED_ACCURACY_M,
            Some(format!(
                "{} and WGS 84 are taken as equal: frames on this ellipsoid agree to a metre or two",
                datum.name
            )),
        ),
        None => None,
    }
}
