//! Fits a transformation to a table of control pairs.

mod table;

use crate::Error;
use crate::coordinates::system;
use crate::coordinates::transformation::{Pair, Plane, Space, TransformationFile, VERSION};
use crate::paths::Paths;
use crate::plan::InputPlan;
use basilocus_formats::PendingOutput;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::datum::RotationConvention;
use basilocus_geodesy::datum::fit::{ControlPair, Fit, FitError, FitKind, KINDS, Local, fit};
use basilocus_geodesy::operation::Operation;
use serde::Serialize;
use std::path::{Path, PathBuf};
use table::Table;

/// What is to be fitted.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct FitPlan {
    /// Table of control pairs: the same spots in the old and in the new system
    pub pairs: PathBuf,
    /// translation, conformal, affine, polynomial, translation-3d or similarity-3d
    #[cfg_attr(feature = "arguments", arg(long, value_name = "KIND", default_value_t))]
    pub kind: FitKind,
    /// Columns of the old coordinates
    #[cfg_attr(feature = "arguments", arg(long, value_name = "X,Y[,Z]", value_delimiter = ','))]
    pub old: Vec<String>,
    /// Columns of the new coordinates
    #[cfg_attr(feature = "arguments", arg(long, value_name = "X,Y[,Z]", value_delimiter = ','))]
    pub new: Vec<String>,
    /// Column with the names of the points
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub label: Option<String>,
    /// Leave a pair out, by its name
    #[cfg_attr(feature = "arguments", arg(long, value_name = "POINT"))]
    pub without: Vec<String>,
    /// System of the old coordinates; a local grid unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// System of the new coordinates
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS", required = true))]
    pub to: String,
    /// Name of the transformation; the table's unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME"))]
    pub name: Option<String>,
    /// How to read it
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub input: InputPlan,
}

/// What a fit came to.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct FitReport {
    /// The table.
    pub pairs_file: PathBuf,
    /// What was fitted.
    pub kind: String,
    /// How the table was interpretation.
    pub interpretation: Vec<String>,
    /// System of the old coordinates.
    pub from: String,
    /// System of the new coordinates.
    pub to: String,
    /// Unit of the residuals.
    pub unit: String,
    /// Control pairs read.
    pub pairs: usize,
    /// Root of the sum of squares over the redundancy, in that unit; null without redundancy.
    pub standard_error: Option<f64>,
    /// The same in metres.
    pub standard_error_m: Option<f64>,
    /// Root mean square of what the others miss each pair by, in that unit.
    pub left_out: Option<f64>,
    /// The pair that disagrees with all others.
    pub outlier: Option<String>,
    /// What the transformation does, in words.
    pub parameters: Vec<String>,
    /// Each pair.
    pub points: Vec<Pair>,
    /// The other kinds for comparison: name, standard error, left-out error.
    pub others: Vec<(String, Option<f64>, Option<f64>)>,
    /// What a careful user should know.
    pub notes: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// Fits a transformation and writes its file, whole or not at all.
///
/// # Errors
/// Those of [`fit_pairs`]; where the file exists and is not to be replaced, or cannot be written.
///
/// ```
/// use basilocus::coordinates::fit::{FitPlan, fit_to_file};
///
/// let folder = tempfile::tempdir()?;
/// let pairs = folder.path().join("pairs.csv");
/// // Moved by (500000, 5000000), and nothing else.
/// std::fs::write(&pairs, "point,x,y,e,n\nA,0,0,500000,5000000\nB,100,0,500100,5000000\nC,0,100,500000,5000100\n")?;
/// let plan = FitPlan { pairs, to: "EPSG:32610".into(), ..Default::default() };
/// let report = fit_to_file(&plan, &folder.path().join("grid.toml"), false)?;
/// assert_eq!(report.kind, "conformal");
/// assert!(report.standard_error.unwrap() < 1e-6);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fit_to_file(plan: &FitPlan, output: &Path, overwrite: bool) -> Result<FitReport, Error> {
    if !output.extension().is_some_and(|e| e.eq_ignore_ascii_case("toml")) {
        return Err(Error::Usage(format!(
            "{}: a transformation is a .toml file; name it so, for `via` to know it",
            output.display()
        )));
    }
    // Said before anything is computed.
    let mut paths = Paths::default();
    paths.read(&plan.pairs, "the control pairs");
    for system in [plan.from.as_ref(), Some(&plan.to)].into_iter().flatten() {
        paths.read(Path::new(system), "a reference system");
    }
    paths.written(output, "the transformation")?;
    let pending = PendingOutput::new(output, overwrite)?;
    let (file, mut report) = fit_pairs(plan)?;
    std::fs::write(pending.path(), file.to_text(output)?)
        .map_err(|e| Error::Data(format!("{}: cannot be written: {e}", output.display())))?;
    pending.publish()?;
    report.outputs.push(output.to_path_buf());
    Ok(report)
}

/// Fits a transformation.
///
/// # Errors
/// [`Error::Fit`] with what is wrong with the pairs; [`Error::Usage`], [`Error::NoColumn`].
pub fn fit_pairs(plan: &FitPlan) -> Result<(TransformationFile, FitReport), Error> {
    let kind = plan.kind;
    let from = match plan.from.as_deref() {
        None => Crs::local("local grid", None),
        Some(text) => system::find(text)?.crs,
    };
    let to = system::find(&plan.to)?.crs;
    let table = table::read(plan, kind)?;
    let (pairs, unit, unit_m) = if kind.is_3d() {
        (in_space(&table.pairs, &from, &to)?, "metres".to_string(), 1.0)
    } else {
        let (unit, unit_m) = unit_of(&from, &to)?;
        (table.pairs.clone(), unit, unit_m)
    };
    let result = fit(&pairs, kind).map_err(|e| with_names(plan, &table, e))?;
    let fitted = Fitted { kind, from, to, pairs, unit, unit_m, result };
    let points = fitted.points(&table.names);
    Ok((fitted.file(plan, &table, points.clone())?, fitted.report(plan, table, points)))
}

/// The unit of a fit in the plane, and how many metres it has.
fn unit_of(from: &Crs, to: &Crs) -> Result<(String, f64), Error> {
    let Kind::Projected { unit, .. } = &to.horizontal().kind else {
        return Err(Error::Usage(format!(
            "`to` {} is a {} system; a fit in the plane needs a projected one, whose units are lengths",
            to.title(),
            to.kind_name()
        )));
    };
    if from.is_geographic() {
        return Err(Error::Usage(format!(
            "`from` {} has degrees; a fit in the plane needs lengths on both sides: say a projected system, or choose `kind` similarity-3d",
            from.title()
        )));
    }
    Ok((unit.plural(), unit.metres))
}

/// What is wrong with the pairs, by their names.
fn with_names(plan: &FitPlan, table: &Table, e: FitError) -> Error {
    let problem = match e {
        FitError::MixedUnits { pair, side, factor } => format!(
            "control pair \"{}\" seems to be in another unit than the others: its {side} coordinates are {factor:.4} times what theirs suggest",
            table.names[pair]
        ),
        FitError::NotANumber(pair) => {
            format!("control pair \"{}\" has a coordinate that is not a number", table.names[pair])
        }
        other => other.to_string(),
    };
    Error::Fit { path: plan.pairs.clone(), problem }
}

/// Root mean square of what the other pairs miss each pair by.
fn left_out(fit: &Fit) -> Option<f64> {
    let all: Option<Vec<f64>> = fit.left_out.iter().copied().collect();
    all.map(|v| (v.iter().map(|d| d * d).sum::<f64>() / v.len() as f64).sqrt())
}

/// A fit with what it was made of.
struct Fitted {
    kind: FitKind,
    from: Crs,
    to: Crs,
    pairs: Vec<ControlPair>,
    unit: String,
    unit_m: f64,
    result: Fit,
}

impl Fitted {
    /// Each pair with its residual.
    fn points(&self, names: &[String]) -> Vec<Pair> {
        let dimensions = if self.kind.is_3d() { 3 } else { 2 };
        let pair = |(i, (name, p)): (usize, (&String, &ControlPair))| Pair {
            name: name.clone(),
            from: p.from[..dimensions].to_vec(),
            to: p.to[..dimensions].to_vec(),
            residual: self.result.residuals[i][..dimensions].to_vec(),
            left_out: self.result.left_out[i],
        };
        names.iter().zip(&self.pairs).enumerate().map(pair).collect()
    }

    fn standard_error_m(&self) -> Option<f64> {
        self.result.standard_error.map(|s| s * self.unit_m)
    }

    /// The file of the transformation.
    fn file(&self, plan: &FitPlan, table: &Table, pairs: Vec<Pair>) -> Result<TransformationFile, Error> {
        let limit =
            |f: fn(f64, f64) -> f64, axis: usize| table.pairs.iter().map(|p| p.from[axis]).reduce(f).unwrap_or(0.0);
        let stem = || plan.pairs.file_stem().map_or("fit".into(), |s| s.to_string_lossy().into_owned());
        let is_local = matches!(self.from.kind, Kind::Engineering { .. });
        let (mut plane, mut space) = (None, None);
        match &self.result.local {
            Local::Plane(p) => plane = Some(Plane { origin: p.origin, unit: p.unit, x: p.x.clone(), y: p.y.clone() }),
            Local::Space(h) => {
                space = Some(Space {
                    translation_m: h.translation_m,
                    rotation_arcsec: h.rotation_arcsec,
                    scale_ppm: h.scale_ppm,
                    convention: match h.convention {
                        RotationConvention::PositionVector => "position-vector".into(),
                        RotationConvention::CoordinateFrame => "coordinate-frame".into(),
                    },
                    pivot_m: None,
                });
            }
        }
        Ok(TransformationFile {
            basilocus_transformation: VERSION,
            name: plan.name.clone().unwrap_or_else(stem),
            kind: self.kind.name().to_string(),
            from: if is_local { "local".into() } else { system::text_of(&self.from)? },
            to: system::text_of(&self.to)?,
            accuracy_m: self.standard_error_m(),
            extent: Some([limit(f64::min, 0), limit(f64::min, 1), limit(f64::max, 0), limit(f64::max, 1)]),
            plane,
            space,
            pairs,
        })
    }

    /// What a careful user should know.
    fn notes(&self) -> Vec<String> {
        let mut notes = Vec::new();
        if self.result.standard_error.is_none() {
            notes.push(format!(
                "{} pairs determine {} exactly: nothing is left over to check it with; add pairs",
                self.pairs.len(),
                self.kind.name()
            ));
        }
        if let (Some(s), Some(l)) = (self.result.standard_error, left_out(&self.result))
            && l > 5.0 * s
            && l * self.unit_m > 0.01
        {
            notes.push(format!(
                "left out, the pairs are missed by {l:.3} {}, far more than the residuals of {s:.3}: the transformation follows the pairs more than the grid; choose a kind with fewer parameters, or add pairs",
                self.unit
            ));
        }
        notes
    }

    fn report(self, plan: &FitPlan, table: Table, points: Vec<Pair>) -> FitReport {
        let others = KINDS
            .iter()
            .filter(|(k, _)| k.is_3d() == self.kind.is_3d() && *k != self.kind)
            .filter_map(|(k, name)| {
                fit(&self.pairs, *k).ok().map(|f| (name.to_string(), f.standard_error, left_out(&f)))
            })
            .collect();
        FitReport {
            pairs_file: plan.pairs.clone(),
            kind: self.kind.name().to_string(),
            from: self.from.title(),
            to: self.to.title(),
            pairs: self.pairs.len(),
            standard_error: self.result.standard_error,
            standard_error_m: self.standard_error_m(),
            left_out: left_out(&self.result),
            outlier: self.result.outlier.map(|i| table.names[i].clone()),
            parameters: in_words(&self.result.local, self.kind, self.unit_m),
            notes: self.notes(),
            interpretation: table.interpretation,
            unit: self.unit,
            points,
            others,
            outputs: Vec::new(),
        }
    }
}

/// Shift, turn and scale, as people know them.
fn in_words(local: &Local, kind: FitKind, unit_m: f64) -> Vec<String> {
    match local {
        Local::Space(h) => {
            let [x, y, z] = h.translation_m;
            let mut out = vec![format!("translation {x:.4}, {y:.4}, {z:.4} m")];
            if kind == FitKind::Similarity3d {
                let [rx, ry, rz] = h.rotation_arcsec;
                out.push(format!("rotation {rx:.5}, {ry:.5}, {rz:.5}″ (position vector)"));
                out.push(format!("scale {:.5} ppm", h.scale_ppm));
            }
            out
        }
        Local::Plane(p) => {
            let mut out = vec![format!("{:.4}, {:.4} goes to {:.4}, {:.4}", p.origin[0], p.origin[1], p.x[0], p.y[0])];
            let (a, b, c, d) = (p.x[1] / p.unit, p.x[2] / p.unit, p.y[1] / p.unit, p.y[2] / p.unit);
            if kind != FitKind::Translation {
                let (sx, sy) = (a.hypot(c), b.hypot(d));
                out.push(format!(
                    "turned {:.6}° counter-clockwise; scale {:.9}{} (one old unit is {:.9} m)",
                    c.atan2(a).to_degrees(),
                    sx,
                    if (sx - sy).abs() > 1e-12 { format!(" along x, {sy:.9} along y") } else { String::new() },
                    sx * unit_m
                ));
                let mirrored = a * d - b * c < 0.0;
                if mirrored {
                    out.push("the grid is mirrored: its axes run in another order, or one runs the other way".into());
                }
            }
            out
        }
    }
}

/// Pairs as geocentric coordinates on their own ellipsoids.
fn in_space(pairs: &[ControlPair], from: &Crs, to: &Crs) -> Result<Vec<ControlPair>, Error> {
    let side = |crs: &Crs, flag: &str, p: [f64; 3]| -> Result<[f64; 3], Error> {
        if matches!(crs.kind, Kind::Geocentric { .. }) {
            return Ok(p);
        }
        let datum = crs.datum().ok_or_else(|| {
            Error::Usage(format!("a fit in space needs a system with a datum on both sides; say it with {flag}"))
        })?;
        let solid = match crs.kind {
            Kind::ThreeDimensional { .. } => crs.clone(),
            _ => crs.horizontal().clone().with_heights(None)?,
        };
        let geocentric = Crs {
            code: None,
            name: "geocentric".into(),
            kind: Kind::Geocentric { datum: datum.clone() },
            area: crs.area.clone(),
            axes: String::new(),
        };
        let op = Operation::between(&solid, &geocentric, None)?;
        op.apply_one(p[0], p[1], p[2])
            .map(|(x, y, z)| [x, y, z])
            .ok_or_else(|| Error::Usage(format!("{}, {} is no position of {}", p[0], p[1], crs.title())))
    };
    pairs.iter().map(|p| Ok(ControlPair { from: side(from, "`from`", p.from)?, to: side(to, "`to`", p.to)? })).collect()
}
