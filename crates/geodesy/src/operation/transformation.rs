//! Which transformation to take between two datums.
//!
//! Candidates come from the registry's one shift per datum and from `transformations.tsv` (regional and national
//! parameters as their agencies publish them). Direct ways and ways over WGS 84 are compared: first whether the
//! area of use holds the data, then accuracy.

use crate::crs::{Area, Catalogue, Datum, Shift};
use crate::datum::{Helmert, RotationConvention};
use crate::error::Error;

static TABLE: &str = include_str!("transformations.tsv");
const WGS84: &str = "WGS 1984";

/// A transformation as an agency publishes it.
#[derive(Debug, Clone, PartialEq)]
pub struct Transformation {
    /// Name of the operation.
    pub name: String,
    /// Name of the source datum.
    pub source_datum: String,
    /// Name of the target datum.
    pub target_datum: String,
    /// The parameters; `None` for the methods that are not implemented (grids, time-dependent).
    pub helmert: Option<Helmert>,
    /// Method as the table names it.
    pub method: String,
    /// Accuracy in metres.
    pub accuracy_m: f64,
    /// Area of use.
    pub area: Area,
    /// Name of the grid file, where the method needs one.
    pub grid: Option<String>,
}

impl Transformation {
    /// The published transformations that touch either datum.
    pub fn published(datums: &[&str]) -> Vec<Transformation> {
        let catalogue = Catalogue::embedded();
        let datum_name = |text: &str| catalogue.find_one(text).ok().and_then(|c| c.datum().map(|d| d.name.clone()));
        TABLE
            .lines()
            .skip(1)
            .filter_map(|line| {
                let f: Vec<&str> = line.split('\t').collect();
                let number = |i: usize| f.get(i).and_then(|t| t.parse::<f64>().ok());
                let (source_datum, target_datum) = (datum_name(f.first()?)?, datum_name(f.get(1)?)?);
                if !datums.contains(&source_datum.as_str()) && !datums.contains(&target_datum.as_str()) {
                    return None;
                }
                let method = (*f.get(3)?).to_string();
                let zero = |i: usize| number(i).unwrap_or(0.0);
                let helmert = match method.as_str() {
                    "geocentric_translation" | "position_vector" => Some(RotationConvention::PositionVector),
                    "coordinate_frame" => Some(RotationConvention::CoordinateFrame),
                    _ => None,
                }
                .map(|convention| Helmert {
                    translation_m: [zero(5), zero(6), zero(7)],
                    rotation_arcsec: [zero(8), zero(9), zero(10)],
                    scale_ppm: zero(11),
                    convention,
                });
                Some(Transformation {
                    name: (*f.get(2)?).to_string(),
                    source_datum,
                    target_datum,
                    helmert,
                    method,
                    accuracy_m: number(19)?,
                    area: Area {
                        west_deg: number(20).unwrap_or(-180.0),
                        south_deg: number(21).unwrap_or(-90.0),
                        east_deg: number(22).unwrap_or(180.0),
                        north_deg: number(23).unwrap_or(90.0),
                        description: String::new(),
                    },
                    grid: f.get(24).filter(|g| !g.is_empty()).map(|g| g.to_string()),
                })
            })
            .collect()
    }
}

/// The chosen way.
pub(super) struct Way {
    pub name: String,
    pub steps: Vec<(Helmert, bool)>,
    pub accuracy_m: f64,
    pub notes: Vec<String>,
}

#[derive(Clone)]
struct Candidate {
    name: String,
    steps: Vec<(Helmert, bool)>,
    accuracy_m: f64,
    holds_area: bool,
    notes: Vec<String>,
}

/// The datum without the prime meridian in its name: the registry counts `Voirol 1879 Paris` as a datum of its own,
/// but only its longitudes are counted from elsewhere.
fn on_greenwich(datum: &Datum) -> Datum {
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

pub(super) fn best(from: &Datum, to: &Datum, area: &Area) -> Result<Way, Error> {
    // Grads and longitudes from other meridians are steps of their own; the datum itself is what counts here.
    let (from, to) = (&on_greenwich(from), &on_greenwich(to));
    if from.name == to.name {
        return Ok(Way { name: String::new(), steps: Vec::new(), accuracy_m: 0.0, notes: Vec::new() });
    }
    let published = Transformation::published(&[&from.name, &to.name]);
    let mut candidates: Vec<Candidate> =
        published.iter().filter_map(|t| directed(t, &from.name, &to.name, area)).collect();
    for a in to_hub(from, &published, area) {
        for b in to_hub(to, &published, area) {
            let mut steps = a.steps.clone();
            steps.extend(b.steps.iter().rev().map(|(h, inverse)| (h.clone(), !inverse)));
            let mut names: Vec<String> = Vec::new();
            if !a.name.is_empty() {
                names.push(a.name.clone());
            }
            if !b.name.is_empty() {
                names.push(format!("inverse of {}", b.name));
            }
            candidates.push(Candidate {
                name: names.join(", then "),
                steps,
                accuracy_m: a.accuracy_m + b.accuracy_m,
                holds_area: a.holds_area && b.holds_area,
                notes: a.notes.iter().chain(&b.notes).cloned().collect(),
            });
        }
    }
    let Some(chosen) = candidates
        .into_iter()
        .min_by(|a, b| b.holds_area.cmp(&a.holds_area).then(a.accuracy_m.total_cmp(&b.accuracy_m)))
    else {
        return Err(Error::NoTransformation { from_datum: from.name.clone(), to_datum: to.name.clone() });
    };
    let mut notes = chosen.notes;
    if !chosen.holds_area {
        notes.push("the area of use of this transformation does not hold the whole area of both systems".into());
    }
    for t in &published {
        let joins = (t.source_datum == from.name && t.target_datum == to.name)
            || (t.source_datum == to.name && t.target_datum == from.name);
        if joins && t.helmert.is_none() && t.accuracy_m < chosen.accuracy_m {
            notes.push(match &t.grid {
                Some(grid) => format!("a grid file ({grid}) would give {} m; grid files are not read by this version", t.accuracy_m),
                None => format!("the time-dependent transformation \"{}\" would give {} m at a known epoch; it is not applied by this version", t.name, t.accuracy_m),
            });
        }
    }
    notes.dedup();
    Ok(Way { name: chosen.name, steps: chosen.steps, accuracy_m: chosen.accuracy_m, notes })
}

/// A published transformation as a candidate from one datum to another, if it joins the two.
fn directed(t: &Transformation, from: &str, to: &str, area: &Area) -> Option<Candidate> {
    let helmert = t.helmert.clone()?;
    let inverse = if t.source_datum == from && t.target_datum == to {
        false
    } else if t.source_datum == to && t.target_datum == from {
        true
    } else {
        return None;
    };
    let name = if inverse { format!("inverse of {}", t.name) } else { t.name.clone() };
    Some(Candidate {
        name,
        steps: vec![(helmert, inverse)],
        accuracy_m: t.accuracy_m,
        holds_area: t.area.contains_area(area),
        notes: Vec::new(),
    })
}

/// Ways from a datum to WGS 84.
fn to_hub(datum: &Datum, published: &[Transformation], area: &Area) -> Vec<Candidate> {
    if datum.name == WGS84 {
        return vec![Candidate {
            name: String::new(),
            steps: Vec::new(),
            accuracy_m: 0.0,
            holds_area: true,
            notes: Vec::new(),
        }];
    }
    let mut ways: Vec<Candidate> = published.iter().filter_map(|t| directed(t, &datum.name, WGS84, area)).collect();
    if let Some(Shift { helmert, accuracy_m }) = &datum.shift {
        let null = helmert.is_null();
        ways.push(Candidate {
            name: format!("{} to WGS 84{}", datum.name, if null { " (zero shift)" } else { ", registry's shift" }),
            steps: vec![(helmert.clone(), false)],
            accuracy_m: accuracy_m.unwrap_or(if null { ASSUMED } else { f64::INFINITY }),
            holds_area: true,
            notes: if accuracy_m.is_none() && !null {
                vec![format!("the registry gives no accuracy for the shift of {}", datum.name)]
            } else {
                Vec::new()
            },
        });
    } else if ["GRS 1980", "WGS 84"].contains(&datum.ellipsoid.name.as_str()) {
        ways.push(Candidate {
            name: format!("{} to WGS 84 (assumed equal)", datum.name),
            steps: Vec::new(),
            accuracy_m: ASSUMED,
            holds_area: true,
            notes: vec![format!(
                "{} and WGS 84 are taken as equal: frames on this ellipsoid agree to a metre or two",
                datum.name
            )],
        });
    }
    ways
}

const ASSUMED: f64 = super::ASSUMED_ACCURACY_M;
