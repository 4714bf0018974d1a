//! Brings positions to the target systems and writes their columns.

use super::free_name;
use crate::Error;
use crate::finder::Finder;
use crate::plan::WritePlan;
use crate::report::OperationReport;
use arrow_array::{ArrayRef, Float64Array, StringArray};
use arrow_schema::{DataType, Field};
use basilocus_formats::ColumnStyle;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::notation::{self, Notation};
use basilocus_geodesy::operation::Operation;
use std::sync::Arc;

/// A target system with the way there.
pub(crate) struct Target {
    pub crs: Crs,
    pub operation: Operation,
    /// Names of the columns it writes; none for a target that only a format needs.
    pub columns: Vec<String>,
    form: Form,
    /// To the geographic system that the notation is defined on, where that is another one.
    to_notation: Option<Operation>,
    digits: usize,
    digits_said: bool,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Form {
    /// Numbers.
    Numbers { with_z: bool },
    /// Two columns of text.
    Angles(Notation),
    /// One column of text, of a notation that names a whole position.
    Whole(Notation),
}

/// Which columns a target writes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum ColumnsWanted {
    /// Those of the first target, which `--columns` may name.
    First,
    /// Those of a further target, named after its system.
    Further,
    /// None: the coordinates are needed, or are there already.
    None,
}

/// Decimals that show a tenth of a millimetre.
fn usual_digits(crs: &Crs) -> usize {
    if crs.is_geographic() { 9 } else { 4 }
}

impl Target {
    /// A target whose columns are named as the plan says, or after the system; `taken` are names in use.
    pub(crate) fn new(
        source: &Crs,
        crs: Crs,
        finder: &Finder,
        write: &WritePlan,
        columns_wanted: ColumnsWanted,
        taken: &mut Vec<String>,
        told: &mut Vec<String>,
    ) -> Result<Self, Error> {
        let operation = finder.find(source, &crs)?;
        let notation = match write.notation.as_deref() {
            None => None,
            Some(name) => Some(Notation::from_name(name).ok_or_else(|| {
                Error::Plan(format!(
                    "--notation {name} is not known; one of {} is expected",
                    notation::NOTATIONS.iter().map(|(_, n)| *n).collect::<Vec<_>>().join(", ")
                ))
            })?),
        };
        if let Some(digits) = write.digits {
            if let Some(n) = notation.filter(|n| !n.takes_digits(digits)) {
                return Err(Error::Plan(format!("--digits {digits}: for {} they are {}", n.name(), n.digits_are())));
            }
            if digits > 12 {
                return Err(Error::Plan(format!("--digits {digits}: 0 to 12 decimals are written")));
            }
        }
        let mut to_notation = None;
        if let (Some(n), true) = (notation, crs.is_geographic()) {
            if matches!(n, Notation::Utm | Notation::Mgrs) && !super::position::is_like_wgs84(&crs) {
                return Err(Error::Plan(format!(
                    "--notation {} is a grid on the WGS 84 ellipsoid, and {} is on another one: choose --to EPSG:4326, or the projected system of that zone",
                    n.name(),
                    crs.title()
                )));
            }
            if let Some(code) = n.crs_code().filter(|c| crs.code != Some(*c)) {
                let op = finder.find(&crs, &Catalogue::embedded().get(code)?)?;
                told.push(format!(
                    "{} is a grid on {}: positions are brought there by {} (accuracy {})",
                    n.words(),
                    Catalogue::embedded().get(code)?.title(),
                    op.name(),
                    op.accuracy_m().map_or("not stated".into(), |a| format!("{a} m"))
                ));
                to_notation = Some(op);
            }
        }
        let form = match (notation, crs.is_geographic()) {
            (Some(n), true) if n.is_whole() => Form::Whole(n),
            (Some(Notation::DecimalDegrees), true) | (None, _) => Form::Numbers { with_z: operation.moves_heights() },
            (Some(n), true) => Form::Angles(n),
            (Some(n), false) if columns_wanted == ColumnsWanted::First => {
                return Err(Error::Plan(format!(
                    "--notation {} is for longitude and latitude; {} has {}: choose a geographic --to, such as EPSG:4326",
                    n.name(),
                    crs.title(),
                    crs.unit_words()
                )));
            }
            (Some(_), false) => Form::Numbers { with_z: operation.moves_heights() },
        };
        let digits = write.digits.unwrap_or_else(|| match form {
            Form::Numbers { .. } => usual_digits(&crs),
            Form::Angles(n) | Form::Whole(n) => n.usual_digits(),
        });
        let wanted: Vec<&str> = match form {
            Form::Numbers { with_z: true } => crs.column_names().to_vec(),
            Form::Whole(n) => vec![n.name()],
            _ => crs.column_names()[..2].to_vec(),
        };
        let mut columns = Vec::new();
        if columns_wanted != ColumnsWanted::None {
            if columns_wanted == ColumnsWanted::First && !write.columns.is_empty() {
                if write.columns.len() < wanted.len() || write.columns.len() > 3 {
                    return Err(Error::Plan(format!(
                        "--columns names {} columns; {} are written: {}",
                        write.columns.len(),
                        wanted.len(),
                        wanted.join(", ")
                    )));
                }
                for name in write.columns.iter().take(wanted.len()) {
                    if taken.iter().any(|t| t.eq_ignore_ascii_case(name)) {
                        return Err(Error::Plan(format!(
                            "--columns {name}: there is a column of that name already, and it stays; choose another name, or --drop it"
                        )));
                    }
                    columns.push(name.clone());
                }
            } else {
                for name in wanted {
                    let free = free_name(name, taken);
                    if free != name {
                        told.push(format!(
                            "the coordinates in {} are in the column \"{free}\": \"{name}\" is there already and stays",
                            crs.title()
                        ));
                    }
                    columns.push(free);
                }
            }
            taken.extend(columns.iter().cloned());
        }
        Ok(Target { crs, operation, columns, form, to_notation, digits, digits_said: write.digits.is_some() })
    }

    /// Why a position of the source cannot be brought to this system.
    pub(crate) fn refused(&self, x: f64, y: f64, z: f64) -> String {
        let why = self.operation.refusal(x, y, z).unwrap_or_else(|| "outside the domain of the projection".into());
        format!(
            "{x}, {y} cannot be brought to {}: the position is {why}; check the value and the systems said with --from and --to",
            self.crs.title()
        )
    }

    /// The operation in words.
    pub(crate) fn report(&self, source: &Crs) -> OperationReport {
        OperationReport {
            source: source.title(),
            target: self.crs.title(),
            name: self.operation.name().to_string(),
            accuracy_m: self.operation.accuracy_m(),
            grids: self.operation.grids().to_vec(),
            steps: self.operation.steps().iter().map(|s| s.to_string()).collect(),
            notes: self.operation.notes().to_vec(),
        }
    }

    /// Fields and styles of the columns.
    pub(crate) fn fields(&self) -> Vec<(Field, ColumnStyle)> {
        self.columns
            .iter()
            .map(|name| match self.form {
                Form::Numbers { .. } => (
                    Field::new(name, DataType::Float64, true),
                    ColumnStyle { digits: Some(self.digits), longest: None },
                ),
                _ => (
                    Field::new(name, DataType::Utf8, true),
                    ColumnStyle { digits: None, longest: Some(18 + self.digits) },
                ),
            })
            .collect()
    }

    /// Decimals that a workbook shows: a centimetre, where nobody asked for others. Its cells hold the full number.
    pub(crate) fn shown_digits(&self) -> usize {
        match (self.digits_said, self.form, self.crs.is_geographic()) {
            (false, Form::Numbers { .. }, true) => 7,
            (false, Form::Numbers { .. }, false) => 2,
            _ => self.digits,
        }
    }

    /// What the digits that a workbook shows are worth, in words.
    pub(crate) fn worth(&self, lat_deg: f64) -> Option<String> {
        let digits = self.shown_digits();
        let unit = match &self.crs.horizontal().kind {
            Kind::Projected { unit, .. } => unit.metres * 10f64.powi(-(digits as i32)),
            Kind::Geographic { .. } => {
                let n = match self.form {
                    Form::Angles(n) | Form::Whole(n) => n,
                    Form::Numbers { .. } => Notation::DecimalDegrees,
                };
                n.last_digit_m(digits, lat_deg).0
            }
            _ => return None,
        };
        let hold = if matches!(self.form, Form::Numbers { .. }) { "; the cells hold the full number" } else { "" };
        Some(format!("{digits} decimals are shown, the last is worth {} on the ground{hold}", length(unit)))
    }

    /// The notation of whole positions that is written, which not every place has.
    pub(crate) fn whole_notation(&self) -> Option<Notation> {
        match self.form {
            Form::Whole(n) if !self.columns.is_empty() => Some(n),
            _ => None,
        }
    }

    /// Columns from positions that are in this system already.
    pub(crate) fn columns(&self, x: &[f64], y: &[f64], z: &[f64]) -> Vec<(Field, ArrayRef)> {
        if self.columns.is_empty() {
            return Vec::new();
        }
        let text =
            |f: &dyn Fn(usize) -> Option<String>| Arc::new((0..x.len()).map(f).collect::<StringArray>()) as ArrayRef;
        let arrays: Vec<ArrayRef> = match self.form {
            Form::Numbers { with_z } => {
                let mut out: Vec<ArrayRef> =
                    vec![Arc::new(Float64Array::from(x.to_vec())), Arc::new(Float64Array::from(y.to_vec()))];
                if with_z {
                    out.push(Arc::new(Float64Array::from(z.to_vec())));
                }
                out
            }
            Form::Angles(n) => vec![
                text(&|i| notation::print_angle(x[i], false, n, self.digits)),
                text(&|i| notation::print_angle(y[i], true, n, self.digits)),
            ],
            Form::Whole(n) => match &self.to_notation {
                None => vec![text(&|i| notation::print(x[i], y[i], n, self.digits))],
                Some(op) => {
                    let (mut u, mut v, mut w) = (x.to_vec(), y.to_vec(), vec![0.0; x.len()]);
                    op.apply(&mut u, &mut v, &mut w);
                    vec![text(&|i| notation::print(u[i], v[i], n, self.digits))]
                }
            },
        };
        self.fields().into_iter().map(|(f, _)| f).zip(arrays).collect()
    }
}

/// A length with a unit that suits its size.
pub(crate) fn length(metres: f64) -> String {
    let (value, unit) = if metres >= 1000.0 {
        (metres / 1000.0, "km")
    } else if metres >= 1.0 {
        (metres, "m")
    } else if metres >= 0.01 {
        (metres * 100.0, "cm")
    } else {
        (metres * 1000.0, "mm")
    };
    let rounded = if value >= 100.0 {
        format!("{value:.0}")
    } else if value >= 10.0 {
        format!("{value:.1}")
    } else {
        format!("{value:.2}")
    };
    format!("{rounded} {unit}")
}
