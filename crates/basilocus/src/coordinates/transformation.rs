//! A transformation of the user's own, as a file: fitted to control pairs, or typed in.
//!
//! ```toml
//! basilocus_transformation = 1
//! name = "town grid of 1931"
//! kind = "conformal"
//! from = "local"
//! to = "EPSG:2269"
//! accuracy_m = 0.04
//!
//! [plane]                      # x' and y' are sums over 1, u, v (u², uv, v²)
//! origin = [5000.0, 3000.0]    # u = (x - origin[0]) / unit, v = (y - origin[1]) / unit
//! unit = 1000.0
//! x = [7384100.2, 3280.1, -12.4]
//! y = [931200.7, 12.4, 3280.1]
//! ```
//!
//! In space, `[space]` holds `translation_m`, `rotation_arcsec`, `scale_ppm`, the `convention` of the rotations
//! (`position-vector` or `coordinate-frame`) and, where the rotation is about a point, `pivot_m`.

use crate::Error;
use crate::coordinates::system;
use basilocus_geodesy::UnknownName;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::datum::control::Control;
use basilocus_geodesy::datum::fit::{ControlPair, FitKind, Local, PlaneTransformation};
use basilocus_geodesy::datum::{Helmert, RotationConvention, molodensky_badekas};
use basilocus_geodesy::operation::{Operation, Shift, Transformation, Via};
use serde::{Deserialize, Serialize};
use std::path::Path;

/// The version of the form that is written.
pub const VERSION: u32 = 1;

/// The file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TransformationFile {
    /// Version of this form.
    pub basilocus_transformation: u32,
    /// What it is called.
    pub name: String,
    /// What was fitted.
    pub kind: String,
    /// The system that it starts from; `local` for a grid without one.
    pub from: String,
    /// The system that it leads to.
    pub to: String,
    /// Standard error of the fit, or what somebody states.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub accuracy_m: Option<f64>,
    /// Limits of the control pairs in the old system: smallest x and y, largest x and y.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extent: Option<[f64; 4]>,
    /// Parameters in the plane.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plane: Option<Plane>,
    /// Parameters in space.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub space: Option<Space>,
    /// The control pairs that it was fitted to.
    #[serde(default, rename = "pair", skip_serializing_if = "Vec::is_empty")]
    pub pairs: Vec<Pair>,
}

/// A map of the plane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Plane {
    /// Where u and v are zero.
    pub origin: [f64; 2],
    /// Length of one unit of u and v.
    pub unit: f64,
    /// Coefficients of x′.
    pub x: Vec<f64>,
    /// Coefficients of y′.
    pub y: Vec<f64>,
}

/// A similarity in space.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Space {
    /// Translations, metres.
    pub translation_m: [f64; 3],
    /// Rotations, arc-seconds.
    #[serde(default)]
    pub rotation_arcsec: [f64; 3],
    /// Scale difference, parts per million.
    #[serde(default)]
    pub scale_ppm: f64,
    /// `position-vector` or `coordinate-frame`.
    pub convention: String,
    /// The point that the rotation is about, metres; the centre of the ellipsoid where it is not said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pivot_m: Option<[f64; 3]>,
}

/// A control pair with what the fit made of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema), schemars(rename = "ControlPair"))]
pub struct Pair {
    /// Its name, or the row of the table.
    pub name: String,
    /// In the old system.
    pub from: Vec<f64>,
    /// In the new one.
    pub to: Vec<f64>,
    /// Fitted minus given.
    pub residual: Vec<f64>,
    /// How far the others miss it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub left_out: Option<f64>,
}

/// A file, understood.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct OwnTransformation {
    pub name: String,
    pub from: Crs,
    pub to: Crs,
    local: Local,
    pub accuracy_m: Option<f64>,
    /// What its control pairs carry, where the file has them, and how many they are.
    pub control: Option<Control>,
    pub pairs: usize,
}

impl TransformationFile {
    /// Reads a file.
    ///
    /// # Errors
    /// [`Error::TransformationFile`] with the line and the field.
    pub fn load(path: &Path) -> Result<Self, Error> {
        let bad = |problem: String| Error::TransformationFile { path: path.to_path_buf(), problem };
        if !path.exists() {
            return Err(bad("there is no such file; `basilocus fit` makes one".into()));
        }
        let text = std::fs::read_to_string(path).map_err(|e| bad(e.to_string()))?;
        let file: TransformationFile = toml::from_str(&text).map_err(|e| bad(e.to_string().trim_end().to_string()))?;
        if file.basilocus_transformation != VERSION {
            return Err(bad(format!(
                "basilocus_transformation = {} is not the version that is read ({VERSION})",
                file.basilocus_transformation
            )));
        }
        Ok(file)
    }

    /// The text of the file.
    ///
    /// # Errors
    /// Where a value cannot be written as TOML.
    pub fn to_text(&self, path: &Path) -> Result<String, Error> {
        let body = toml::to_string(self)
            .map_err(|e| Error::TransformationFile { path: path.to_path_buf(), problem: e.to_string() })?;
        Ok(format!(
            "# A transformation for basilocus: `via = \"{}\"` takes it.\n\n{body}",
            path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned())
        ))
    }

    /// The transformation with its systems.
    pub(crate) fn understood(&self, path: &Path) -> Result<OwnTransformation, Error> {
        let bad = |problem: String| Error::TransformationFile { path: path.to_path_buf(), problem };
        let kind: FitKind = self.kind.parse().map_err(|e: UnknownName| bad(format!("kind = {e}")))?;
        let from = if self.from == "local" { Crs::local(&self.name, None) } else { system::find(&self.from)?.crs };
        let to = system::find(&self.to)?.crs;
        let local = match (kind.is_3d(), &self.plane, &self.space) {
            (false, Some(p), None) => {
                let terms = match kind {
                    FitKind::Polynomial => 6,
                    _ => 3,
                };
                if p.x.len() != terms || p.y.len() != terms {
                    return Err(bad(format!(
                        "[plane] has {} and {} coefficients; {} has {terms} for x and for y",
                        p.x.len(),
                        p.y.len(),
                        self.kind
                    )));
                }
                if !(p.unit > 0.0) || p.x.iter().chain(&p.y).chain(&p.origin).any(|v| !v.is_finite()) {
                    return Err(bad("[plane] has a number that cannot be used".into()));
                }
                Local::Plane(PlaneTransformation { origin: p.origin, unit: p.unit, x: p.x.clone(), y: p.y.clone() })
            }
            (true, None, Some(s)) => {
                let convention = match s.convention.as_str() {
                    "position-vector" => RotationConvention::PositionVector,
                    "coordinate-frame" => RotationConvention::CoordinateFrame,
                    other => {
                        return Err(bad(format!(
                            "convention = \"{other}\": position-vector or coordinate-frame is expected; they differ in the signs of the rotations"
                        )));
                    }
                };
                if from.datum().is_none() || to.datum().is_none() {
                    return Err(bad("a transformation in space needs two systems with datums in from and to".into()));
                }
                Local::Space(match s.pivot_m {
                    Some(pivot) => {
                        molodensky_badekas(s.translation_m, s.rotation_arcsec, s.scale_ppm, pivot, convention)
                    }
                    None => Helmert {
                        translation_m: s.translation_m,
                        rotation_arcsec: s.rotation_arcsec,
                        scale_ppm: s.scale_ppm,
                        convention,
                    },
                })
            }
            (false, ..) => return Err(bad(format!("kind = \"{}\" needs [plane], and no [space]", self.kind))),
            (true, ..) => return Err(bad(format!("kind = \"{}\" needs [space], and no [plane]", self.kind))),
        };
        Ok(OwnTransformation {
            name: self.name.clone(),
            from,
            to,
            local,
            accuracy_m: self.accuracy_m,
            control: self.control(kind),
            pairs: self.pairs.len(),
        })
    }

    fn control(&self, kind: FitKind) -> Option<Control> {
        let position = |v: &[f64]| [0, 1, 2].map(|i| v.get(i).copied().unwrap_or(0.0));
        let pairs: Vec<ControlPair> =
            self.pairs.iter().map(|p| ControlPair { from: position(&p.from), to: position(&p.to) }).collect();
        Control::of(&pairs, kind)
    }
}

impl OwnTransformation {
    /// Whether it is a map of the plane, whose source may be a grid without a system.
    pub(crate) fn is_plane(&self) -> bool {
        matches!(self.local, Local::Plane(_))
    }

    /// As a way between two datums, where it is one in space.
    pub(crate) fn via(&self) -> Option<Via> {
        let Local::Space(h) = &self.local else {
            return None;
        };
        Some(Via::Own(Box::new(Transformation {
            name: self.name.clone(),
            source_datum: self.from.datum()?.name.clone(),
            target_datum: self.to.datum()?.name.clone(),
            shift: Shift::Helmert(h.clone()),
            accuracy_m: self.accuracy_m.unwrap_or(f64::INFINITY),
            area: None,
            note: self.accuracy_m.is_none().then(|| format!("nobody states the accuracy of \"{}\"", self.name)),
        })))
    }

    /// The map of the plane between its two systems.
    pub(crate) fn plane(&self, inverse: bool) -> Option<Operation> {
        match &self.local {
            Local::Plane(p) => Some(Operation::plane(&self.name, self.accuracy_m, p.clone(), inverse)),
            Local::Space(_) => None,
        }
    }

    /// Whether a system is the one that it starts from.
    pub(crate) fn starts_from(&self, crs: &Crs) -> bool {
        matches!((&crs.kind, &self.from.kind), (Kind::Engineering { .. }, Kind::Engineering { .. }))
            || crs.is_same(&self.from)
    }
}
