//! A length, area or angle in other units, the two feet kept apart.

use crate::Error;
use basilocus_geodesy::notation;
use basilocus_geodesy::unit::{
    ANGLES, AREAS, Angle, AreaUnit, LENGTHS, LinearUnit, find_angle, find_area, find_length, usual_areas,
};
use serde::Serialize;

/// A number with its unit.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct UnitsQuestion {
    /// The number
    #[cfg_attr(feature = "arguments", arg(allow_negative_numbers = true))]
    pub value: String,
    /// Its unit, such as ft, ftUS, "Clarke's link", acre, "square feet", grad
    pub unit: String,
    /// Unit to give it in; all of them unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "UNIT"))]
    pub to: Vec<String>,
}

/// The number in other units.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct UnitsReport {
    /// The number.
    pub value: f64,
    /// Its unit.
    pub unit: String,
    /// The length in metres.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub metres: Option<f64>,
    /// The area in square metres.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub square_metres: Option<f64>,
    /// The angle in degrees.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub degrees: Option<f64>,
    /// What is measured.
    pub kind: UnitKind,
    /// The same in other units.
    #[serde(rename = "in")]
    pub others: Vec<InUnit>,
    /// The unit of the same name by the other definition of the foot.
    #[serde(skip)]
    pub other_foot: Option<LinearUnit>,
    /// The unit as it is read, and how many metres it has.
    #[serde(skip)]
    pub length: Option<LinearUnit>,
    /// The same of an area.
    #[serde(skip)]
    pub area: Option<AreaUnit>,
}

/// What a unit measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
#[non_exhaustive]
pub enum UnitKind {
    /// Lengths.
    Length,
    /// Areas.
    Area,
    /// Angles.
    Angle,
}

/// A number in a unit.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct InUnit {
    /// The unit.
    pub unit: String,
    /// The unit, of more than one.
    #[serde(skip)]
    pub plural: String,
    /// The number.
    pub value: f64,
    /// Metres in one unit, of lengths.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub metres: Option<f64>,
    /// Square metres in one unit, of areas.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub square_metres: Option<f64>,
    /// Who defines the unit.
    pub source: String,
}

impl UnitsQuestion {
    /// Converts.
    ///
    /// # Errors
    /// [`Error::Usage`] for what is no number or no unit, or a unit of another kind.
    ///
    /// ```
    /// use basilocus::lookup::UnitsQuestion;
    ///
    /// let feet = UnitsQuestion { value: "1000".into(), unit: "ft".into(), to: vec!["m".into()] }.report()?;
    /// assert!((feet.others[0].value - 304.8).abs() < 1e-9);
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<UnitsReport, Error> {
        let value =
            notation::read_number(&self.value).map_err(|e| Error::Usage(format!("{e}; a number is expected")))?;
        if let Some(unit) = find_length(&self.unit) {
            return self.length(value, unit);
        }
        if let Some(unit) = find_angle(&self.unit) {
            return self.angle(value, unit);
        }
        if let Some(unit) = find_area(&self.unit) {
            return self.area(value, unit);
        }
        let known: Vec<&str> = LENGTHS
            .iter()
            .map(|l| l.names[0])
            .chain(AREAS.iter().map(|a| a.0[0]))
            .chain(ANGLES.iter().map(|a| a.names[0]))
            .collect();
        Err(Error::Usage(format!(
            "\"{}\" is no unit that is known; there are {}, and the squares of lengths",
            self.unit,
            known.join(", ")
        )))
    }

    /// The units to give it in: those that were asked for, else all that are listed.
    fn wanted<U>(
        &self,
        kind: &str,
        such_as: &str,
        all: impl FnOnce() -> Vec<U>,
        find: impl Fn(&str) -> Option<U>,
    ) -> Result<Vec<U>, Error> {
        if self.to.is_empty() {
            return Ok(all());
        }
        let unknown = |t: &str| Error::Usage(format!("`to` {t} is no unit of {kind} that is known; such as {such_as}"));
        self.to.iter().map(|t| find(t).ok_or_else(|| unknown(t))).collect()
    }

    fn length(&self, value: f64, unit: LinearUnit) -> Result<UnitsReport, Error> {
        let metres = value * unit.metres;
        let all = || LENGTHS.iter().map(|l| l.unit()).collect();
        let wanted = self.wanted("length", "m, ft, ftUS, yd, chain, \"Clarke's link\"", all, find_length)?;
        let others = wanted
            .iter()
            .map(|w| InUnit {
                unit: w.name.clone(),
                plural: w.plural(),
                value: metres / w.metres,
                metres: Some(w.metres),
                square_metres: None,
                source: LENGTHS.iter().find(|l| l.names[0] == w.name).map_or("", |l| l.source).to_string(),
            })
            .collect();
        // What the other foot would make of the same number.
        let other_foot = match unit.name.strip_prefix("US survey ") {
            Some(plain) => find_length(plain),
            None => find_length(&format!("US survey {}", unit.name)),
        };
        Ok(UnitsReport {
            value,
            unit: unit.name.clone(),
            metres: Some(metres),
            square_metres: None,
            degrees: None,
            kind: UnitKind::Length,
            others,
            other_foot,
            length: Some(unit),
            area: None,
        })
    }

    fn area(&self, value: f64, unit: AreaUnit) -> Result<UnitsReport, Error> {
        let square_metres = value * unit.square_metres;
        let wanted = self.wanted("area", "ha, acre, \"square feet\", ft2, km2", usual_areas, find_area)?;
        let others = wanted
            .iter()
            .map(|w| InUnit {
                unit: w.name.clone(),
                plural: w.plural(),
                value: square_metres / w.square_metres,
                metres: None,
                square_metres: Some(w.square_metres),
                source: w.source.to_string(),
            })
            .collect();
        Ok(UnitsReport {
            value,
            unit: unit.name.clone(),
            metres: None,
            square_metres: Some(square_metres),
            degrees: None,
            kind: UnitKind::Area,
            others,
            other_foot: None,
            length: None,
            area: Some(unit),
        })
    }

    fn angle(&self, value: f64, unit: &Angle) -> Result<UnitsReport, Error> {
        let degrees = value * unit.degrees;
        let all = || ANGLES.iter().collect();
        let wanted = self.wanted("angle", "degree, grad, radian, arc-second, mil", all, find_angle)?;
        let others = wanted
            .iter()
            .map(|w| InUnit {
                unit: w.names[0].to_string(),
                plural: w.names[0].to_string(),
                value: degrees / w.degrees,
                metres: None,
                square_metres: None,
                source: w.source.to_string(),
            })
            .collect();
        Ok(UnitsReport {
            value,
            unit: unit.names[0].to_string(),
            metres: None,
            square_metres: None,
            degrees: Some(degrees),
            kind: UnitKind::Angle,
            others,
            other_foot: None,
            length: None,
            area: None,
        })
    }
}
