//! A system with every parameter.

use crate::Error;
use crate::coordinates::system::{self, System};
use basilocus_geodesy::crs::{Area, Crs, Datum, Kind, wkt};
use serde::Serialize;
use std::collections::BTreeMap;

/// A system to show.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ShowQuestion {
    /// Code, exact name, or a .prj, .wkt or .toml file, which is recognised
    pub crs: String,
}

/// The system.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ShowReport {
    /// Its code, or its name.
    pub code: String,
    /// Its name.
    pub name: String,
    /// What kind of system it is, in words.
    pub kind: String,
    /// The unit in words.
    pub unit: String,
    /// Its axes in the order that the definition has, in words.
    pub axes: String,
    /// Its definition as well-known text: of version 1, or of version 2 where version 1 has no form for it.
    pub wkt: Option<String>,
    /// Its definition as well-known text of version 2.
    pub wkt2: Option<String>,
    /// Where it is used.
    pub area: AreaOfUse,
    /// Its datum.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub datum: Option<DatumReport>,
    /// Its projection.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub projection: Option<ProjectionReport>,
    /// The two parts of a compound system.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub parts: Option<[String; 2]>,
    /// How a text or file was recognised, line by line.
    pub evidence: Vec<String>,
    /// Systems of the catalogue with the same numbers.
    pub others: Vec<String>,
    /// The system itself.
    #[serde(skip)]
    pub crs: Crs,
}

/// An area of use, degrees.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct AreaOfUse {
    /// In words.
    pub description: String,
    /// Western limit; larger than the eastern one where the area lies across the 180° meridian.
    pub west: f64,
    /// Southern limit.
    pub south: f64,
    /// Eastern limit.
    pub east: f64,
    /// Northern limit.
    pub north: f64,
}

/// A datum with its ellipsoid.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DatumReport {
    /// Its name.
    pub name: String,
    /// Name of the ellipsoid.
    pub ellipsoid: String,
    /// Semi-major axis, metres.
    pub semi_major_m: f64,
    /// Inverse flattening; 0 for a sphere.
    pub inverse_flattening: f64,
    /// Name of the prime meridian.
    pub prime_meridian: String,
    /// Where it is, degrees east of Greenwich.
    pub prime_meridian_deg: f64,
}

/// A projection with its parameters.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ProjectionReport {
    /// Code or name of the geographic system that is projected.
    pub base: String,
    /// Name of the method.
    pub method: String,
    /// Parameters by name: lengths in the system's unit, angles in degrees.
    pub parameters: BTreeMap<String, f64>,
    /// Metres in one unit of the plane coordinates.
    pub unit_m: f64,
    /// Whether coordinates can be computed.
    pub implemented: bool,
    /// Where the method gives numbers.
    pub domain: Option<String>,
    /// Where its formulas are from.
    pub source: Option<String>,
}

impl ShowQuestion {
    /// Finds the system and shows it.
    ///
    /// # Errors
    /// Those of [`system::find`].
    ///
    /// ```
    /// use basilocus::lookup::ShowQuestion;
    ///
    /// let shown = ShowQuestion { crs: "EPSG:2269".into() }.report()?;
    /// assert_eq!(shown.projection.unwrap().unit_m, 0.3048);
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<ShowReport, Error> {
        let System { crs, evidence, others } = system::find(&self.crs)?;
        let wkt2 = wkt::wkt2(&crs).ok();
        let Area { description, west_deg: west, south_deg: south, east_deg: east, north_deg: north } = crs.area.clone();
        Ok(ShowReport {
            code: crs.identifier(),
            name: crs.name.clone(),
            kind: crs.kind_name().to_string(),
            unit: crs.unit_words(),
            axes: crs.axes.to_string(),
            wkt: wkt::wkt1(&crs).ok().or_else(|| wkt2.clone()),
            wkt2,
            area: AreaOfUse { description, west, south, east, north },
            datum: crs.datum().map(DatumReport::of),
            projection: ProjectionReport::of(&crs),
            parts: match &crs.kind {
                Kind::Compound { horizontal, vertical } => Some([horizontal.title(), vertical.title()]),
                _ => None,
            },
            evidence,
            others: others.iter().map(Crs::title).collect(),
            crs,
        })
    }
}

impl DatumReport {
    fn of(datum: &Datum) -> Self {
        DatumReport {
            name: datum.name.clone(),
            ellipsoid: datum.ellipsoid.name.clone(),
            semi_major_m: datum.ellipsoid.semi_major_m,
            inverse_flattening: datum.ellipsoid.inverse_flattening,
            prime_meridian: datum.prime_meridian.clone(),
            prime_meridian_deg: datum.prime_meridian_deg,
        }
    }
}

impl ProjectionReport {
    fn of(crs: &Crs) -> Option<Self> {
        let Kind::Projected { base, method, parameters, unit, .. } = &crs.horizontal().kind else { return None };
        let about = crs.projection().ok().flatten().map(|p| p.about());
        Some(ProjectionReport {
            base: base.code.map_or_else(|| base.name.clone(), |c| format!("EPSG:{c}")),
            method: method.clone(),
            parameters: parameters.0.iter().cloned().collect(),
            unit_m: unit.metres,
            implemented: about.is_some(),
            domain: about.map(|a| a.domain.to_string()),
            source: about.map(|a| a.source.to_string()),
        })
    }
}
