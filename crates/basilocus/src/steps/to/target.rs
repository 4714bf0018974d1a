//! A target system: the way there, and the columns that are written in it.

use super::{ColumnsWanted, To};
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::engine::{Account, Column, Columns, PlacedFrom, Setting};
use crate::report::OperationReport;
use crate::steps::positions::is_like_wgs84;
use arrow_array::{Array, ArrayRef, Float64Array, StringArray};
use arrow_schema::DataType;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::notation::{self, Notation};
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use std::sync::Arc;

/// A target system with the way there.
pub(crate) struct Target {
    pub crs: Crs,
    pub operation: Arc<Operation>,
    /// Names of the columns it writes; none for a target whose coordinates are there already.
    pub columns: Vec<String>,
    form: Form,
    /// To the geographic system that the notation is defined on, where that is another one.
    to_notation: Option<Operation>,
    digits: usize,
    digits_said: bool,
}

/// How coordinates are written.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Form {
    /// Numbers.
    Numbers { with_z: bool },
    /// Two columns of text.
    Angles(Notation),
    /// One column of text, of a notation that names a whole position.
    Whole(Notation),
}

/// Decimals that show a tenth of a millimetre.
pub(crate) fn usual_digits(crs: &Crs) -> usize {
    if crs.is_geographic() { 9 } else { 4 }
}

/// Decimals of a height.
const HEIGHT_DIGITS: usize = 4;

/// The notation that a plan names, and whether its digits are such as it takes.
fn notation(plan: &To) -> Result<Option<Notation>, Error> {
    let Some(found) = plan.notation else {
        if let Some(digits) = plan.digits.filter(|d| *d > 12) {
            return Err(Error::Usage(format!("`digits` {digits}: 0 to 12 decimals are written")));
        }
        return Ok(None);
    };
    match plan.digits {
        Some(digits) if !found.takes_digits(digits) => {
            Err(Error::Usage(format!("`digits` {digits}: for {} they are {}", found.name(), found.digits_are())))
        }
        Some(digits) if digits > 12 => Err(Error::Usage(format!("`digits` {digits}: 0 to 12 decimals are written"))),
        _ => Ok(Some(found)),
    }
}

/// The way to the system that a notation is defined on, where positions are in another one.
fn to_notation(n: Notation, crs: &Crs, finder: &Finder) -> Result<Option<(Operation, String)>, Error> {
    if n.is_wgs84_grid() && !is_like_wgs84(crs) {
        return Err(Error::Usage(format!(
            "`notation` {} is a grid on the WGS 84 ellipsoid, and {} is on another one: choose `to` EPSG:4326, or the projected system of that zone",
            n.name(),
            crs.title()
        )));
    }
    let Some(code) = n.crs_code().filter(|c| crs.code != Some(*c)) else { return Ok(None) };
    let own = Catalogue::embedded().get(code)?;
    let op = finder.find(crs, &own)?;
    let told = format!(
        "{} is a grid on {}: positions are brought there by {} (accuracy {})",
        n.words(),
        own.title(),
        op.name(),
        op.accuracy_m().map_or("not stated".into(), |a| format!("{a} m"))
    );
    Ok(Some((op, told)))
}

/// The form in which coordinates of a system are written.
fn form(notation: Option<Notation>, crs: &Crs, with_z: bool, wanted: ColumnsWanted) -> Result<Form, Error> {
    Ok(match (notation, crs.is_geographic()) {
        (Some(n), true) if n.is_whole() => Form::Whole(n),
        (Some(Notation::DecimalDegrees), true) | (None, _) => Form::Numbers { with_z },
        (Some(n), true) => Form::Angles(n),
        (Some(n), false) if wanted == ColumnsWanted::First => {
            return Err(Error::Usage(format!(
                "`notation` {} is for longitude and latitude; {} has {}: choose a geographic `to`, such as EPSG:4326",
                n.name(),
                crs.title(),
                crs.unit_words()
            )));
        }
        (Some(_), false) => Form::Numbers { with_z },
    })
}

/// Whether heights of the positions need a column: they stand in none yet, and an output would lose them.
fn writes_heights(plan: &To, there: &Columns, setting: &Setting) -> bool {
    let in_no_column = there.placed().is_some_and(|p| matches!(p.origin, PlacedFrom::Geometry | PlacedFrom::OneColumn));
    let is_lost = plan.columns.len() == 3 || setting.outputs.iter().any(|o| !o.holds_geometry());
    there.has_heights() && in_no_column && is_lost
}

impl Target {
    /// A target with the columns that it adds, named as the plan says, or after the system.
    pub(crate) fn new(
        source: &Crs,
        crs: Crs,
        plan: &To,
        (wanted, several): (ColumnsWanted, bool),
        said: &mut &[String],
        there: &Columns,
        setting: &mut Setting,
    ) -> Result<(Self, Vec<Column>), Error> {
        let operation = Arc::new(setting.finder.find(source, &crs)?);
        let notation = notation(plan)?;
        let mut way = None;
        if let Some(n) = notation.filter(|_| crs.is_geographic())
            && let Some((op, told)) = to_notation(n, &crs, &setting.finder)?
        {
            setting.note(told);
            way = Some(op);
        }
        let with_z = operation.moves_heights() || writes_heights(plan, there, setting);
        let form = form(notation, &crs, with_z, wanted)?;
        let digits = plan.digits.unwrap_or_else(|| match form {
            Form::Numbers { .. } => usual_digits(&crs),
            Form::Angles(n) | Form::Whole(n) => n.usual_digits(),
        });
        let mut target = Target {
            crs,
            operation,
            columns: Vec::new(),
            form,
            to_notation: way,
            digits,
            digits_said: plan.digits.is_some(),
        };
        target.columns = target.names((wanted, several), said, there, setting)?;
        let added = target.columns.iter().enumerate().map(|(axis, name)| target.column(name, axis)).collect();
        Ok((target, added))
    }

    /// The names of its columns.
    fn names(
        &self,
        (wanted, several): (ColumnsWanted, bool),
        said: &mut &[String],
        there: &Columns,
        setting: &mut Setting,
    ) -> Result<Vec<String>, Error> {
        let usual: Vec<&str> = match self.form {
            Form::Numbers { with_z: true } => self.crs.column_names().to_vec(),
            Form::Whole(n) => vec![n.name()],
            _ => self.crs.column_names()[..2].to_vec(),
        };
        match wanted {
            ColumnsWanted::None => Ok(Vec::new()),
            _ if !said.is_empty() => {
                let Some((own, others)) = said.split_at_checked(usual.len()) else {
                    return Err(Error::Usage(format!(
                        "`columns` names {} columns for {}; {} are written: {}",
                        said.len(),
                        self.crs.title(),
                        usual.len(),
                        usual.join(", ")
                    )));
                };
                *said = others;
                if let Some(name) = own.iter().find(|name| there.position(name).is_some()) {
                    return Err(Error::Usage(format!(
                        "`columns` {name}: there is a column of that name already, and it stays; choose another name, or `drop` it"
                    )));
                }
                Ok(own.to_vec())
            }
            _ => Ok(usual
                .into_iter()
                .map(|name| {
                    // Of several systems each says which it is.
                    let coded = self.crs.code.filter(|_| several && !matches!(self.form, Form::Whole(_)));
                    let wished = coded.map_or_else(|| name.to_string(), |code| format!("{name}_{code}"));
                    let free = there.free_name(&wished, self.crs.code.filter(|_| coded.is_none()));
                    if free != wished {
                        setting.note(format!(
                            "the coordinates in {} are in the column \"{free}\": \"{wished}\" is there already and stays",
                            self.crs.title()
                        ));
                    }
                    free
                })
                .collect()),
        }
    }

    /// A column of it.
    fn column(&self, name: &str, axis: usize) -> Column {
        match self.form {
            // Heights are lengths, whatever the other two are.
            Form::Numbers { .. } if axis == 2 && self.crs.is_geographic() && !self.digits_said => {
                Column::added(name, DataType::Float64).with_digits(HEIGHT_DIGITS)
            }
            Form::Numbers { .. } => Column {
                shown_digits: Some(self.shown_digits()),
                ..Column::added(name, DataType::Float64).with_digits(self.digits)
            },
            _ => Column::added(name, DataType::Utf8).with_longest(18 + self.digits),
        }
    }

    /// Why a position of the source cannot be brought to this system.
    pub(crate) fn refused(&self, x: f64, y: f64, z: f64) -> String {
        let why = self.operation.refusal(x, y, z).unwrap_or_else(|| "outside the domain of the projection".into());
        format!(
            "{x}, {y} cannot be brought to {}: the position is {why}; check the value and the systems that were said",
            self.crs.title()
        )
    }

    /// The operation in words.
    pub(super) fn report(&self, source: &Crs) -> OperationReport {
        OperationReport::of(source, &self.crs, &self.operation)
    }

    /// Decimals that a workbook shows: a centimetre, where nobody asked for others. Its cells hold the full number.
    fn shown_digits(&self) -> usize {
        match (self.digits_said, self.form, self.crs.is_geographic()) {
            (false, Form::Numbers { .. }, true) => 7,
            (false, Form::Numbers { .. }, false) => 2,
            _ => self.digits,
        }
    }

    /// What the digits that a workbook shows are worth, in words.
    pub(super) fn worth(&self, lat_deg: f64) -> Option<String> {
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

    /// Sets aside the rows whose place has no text in the notation.
    pub(crate) fn without_text(&self, place: &[Float64Array; 3], texts: Option<&ArrayRef>, account: &mut Account) {
        let (Form::Whole(n), Some(texts)) = (self.form, texts) else { return };
        for row in (0..texts.len()).filter(|r| texts.is_null(*r)) {
            if account.is_in_use(row) && place[0].value(row).is_finite() {
                let reason = format!(
                    "{}, {} has no {}: the position is outside its area; choose another `notation` for these rows",
                    place[0].value(row),
                    place[1].value(row),
                    n.words()
                );
                account.set_aside(row, Reason::OUTSIDE_THE_NOTATION, reason);
            }
        }
    }

    /// Columns from positions that are in this system already.
    pub(crate) fn columns(&self, place: &[Float64Array; 3]) -> Vec<ArrayRef> {
        if self.columns.is_empty() {
            return Vec::new();
        }
        let [x, y, z] = [place[0].values(), place[1].values(), place[2].values()];
        let text =
            |f: &dyn Fn(usize) -> Option<String>| Arc::new((0..x.len()).map(f).collect::<StringArray>()) as ArrayRef;
        match self.form {
            Form::Numbers { with_z } => {
                let axes = if with_z { &place[..] } else { &place[..2] };
                axes.iter().map(|a| Arc::new(without_nan(a)) as ArrayRef).collect()
            }
            Form::Angles(n) => vec![
                text(&|i| notation::print_angle(x[i], false, n, self.digits)),
                text(&|i| notation::print_angle(y[i], true, n, self.digits)),
            ],
            Form::Whole(n) => match &self.to_notation {
                None => vec![text(&|i| notation::print(x[i], y[i], n, self.digits))],
                Some(op) => {
                    let (mut u, mut v, mut w) = (x.to_vec(), y.to_vec(), vec![0.0; z.len()]);
                    op.apply(&mut u, &mut v, &mut w);
                    vec![text(&|i| notation::print(u[i], v[i], n, self.digits))]
                }
            },
        }
    }
}

/// Numbers, none where there is no number.
fn without_nan(axis: &Float64Array) -> Float64Array {
    match axis.values().iter().any(|v| v.is_nan()) {
        true => axis.iter().map(|v| v.filter(|v| !v.is_nan())).collect(),
        false => axis.clone(),
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
