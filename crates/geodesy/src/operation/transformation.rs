//! Transformations between datums, as their agencies publish them.
//!
//! `transformations.tsv` holds regional, time-dependent and grid-based ones; the registry's one shift to WGS 84 of
//! each datum comes from the catalogue.

use crate::crs::{Area, Catalogue};
use crate::datum::{Helmert, RotationConvention, TimeDependent};
use std::sync::OnceLock;

static TABLE: &str = include_str!("transformations.tsv");

/// How a transformation is computed.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Shift {
    /// Three or seven parameters between geocentric coordinates.
    Helmert(Helmert),
    /// Parameters that change with time.
    TimeDependent(TimeDependent),
    /// An NTv2 grid file of this name.
    Grid(String),
    /// The frames are taken as equal.
    Equal,
}

/// A transformation from one datum to another.
#[derive(Debug, Clone, PartialEq)]
pub struct Transformation {
    /// Name of the operation.
    pub name: String,
    /// Name of the source datum.
    pub source_datum: String,
    /// Name of the target datum.
    pub target_datum: String,
    /// How it is computed.
    pub shift: Shift,
    /// Accuracy in metres; infinite where nobody states one.
    pub accuracy_m: f64,
    /// Area of use; `None` for the whole Earth.
    pub area: Option<Area>,
    /// What a careful user should know.
    pub note: Option<String>,
}

impl Transformation {
    /// All published transformations of the table, read once.
    pub fn published() -> &'static [Transformation] {
        static READ: OnceLock<Vec<Transformation>> = OnceLock::new();
        READ.get_or_init(|| TABLE.lines().skip(1).filter_map(read_line).collect())
    }

    /// Lines of the table, for the check that all of them were read.
    pub fn lines_in_table() -> usize {
        TABLE.lines().skip(1).filter(|l| !l.is_empty()).count()
    }
}

fn read_line(line: &str) -> Option<Transformation> {
    let f: Vec<&str> = line.split('\t').collect();
    let number = |i: usize| f.get(i).and_then(|t| t.parse::<f64>().ok());
    let zero = |i: usize| number(i).unwrap_or(0.0);
    let datum = |text: &str| Catalogue::embedded().find_one(text).ok().and_then(|c| c.datum().map(|d| d.name.clone()));
    let method = *f.get(3)?;
    let grid = f.get(24).filter(|g| !g.is_empty());
    let convention = match method.trim_start_matches("time_dependent_") {
        "geocentric_translation" | "position_vector" => Some(RotationConvention::PositionVector),
        "coordinate_frame" => Some(RotationConvention::CoordinateFrame),
        _ => None,
    };
    let shift = match (convention, grid) {
        (Some(convention), _) => {
            let helmert = Helmert {
                translation_m: [zero(5), zero(6), zero(7)],
                rotation_arcsec: [zero(8), zero(9), zero(10)],
                scale_ppm: zero(11),
                convention,
            };
            if method.starts_with("time_dependent") {
                Shift::TimeDependent(TimeDependent {
                    at_reference: helmert,
                    translation_rate_m: [zero(12), zero(13), zero(14)],
                    rotation_rate_arcsec: [zero(15), zero(16), zero(17)],
                    scale_rate_ppm: zero(18),
                    reference_epoch: number(4)?,
                })
            } else {
                Shift::Helmert(helmert)
            }
        }
        (None, Some(grid)) if method == "ntv2" => Shift::Grid((*grid).to_string()),
        _ => return None,
    };
    let area = match (number(20), number(21), number(22), number(23)) {
        (Some(west_deg), Some(south_deg), Some(east_deg), Some(north_deg)) => {
            Some(Area { west_deg, south_deg, east_deg, north_deg, description: String::new() })
        }
        _ => None,
    };
    Some(Transformation {
        name: (*f.get(2)?).to_string(),
        source_datum: datum(f.first()?)?,
        target_datum: datum(f.get(1)?)?,
        shift,
        accuracy_m: number(19)?,
        area,
        note: None,
    })
}
