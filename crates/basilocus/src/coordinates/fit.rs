//! Fits a transformation to a table of control pairs.

use crate::Error;
use crate::coordinates::system;
use crate::coordinates::transformation::{Pair, Plane, Space, TransformationFile, VERSION};
use crate::engine::source;
use crate::plan::InputPlan;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::datum::RotationConvention;
use basilocus_geodesy::datum::fit::{ControlPair, Fit, FitError, FitKind, KINDS, Local, fit};
use basilocus_geodesy::notation;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use serde::Serialize;
use std::path::PathBuf;

/// What is to be fitted.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FitPlan {
    /// The table of control pairs.
    pub pairs: PathBuf,
    /// How to read it.
    pub input: InputPlan,
    /// `translation`, `conformal`, `affine`, `polynomial`, `translation-3d` or `similarity-3d`; `conformal` unless
    /// said.
    pub kind: Option<String>,
    /// Columns of the old coordinates: x, y and perhaps z.
    pub old: Vec<String>,
    /// Columns of the new coordinates.
    pub new: Vec<String>,
    /// Column with the names of the points.
    pub label: Option<String>,
    /// System of the old coordinates; `local` unless said.
    pub from: Option<String>,
    /// System of the new coordinates.
    pub to: String,
    /// What the transformation is called; the name of the table unless said.
    pub name: Option<String>,
    /// Names of pairs to leave out.
    pub without: Vec<String>,
}

/// What a fit came to.
#[derive(Debug, Clone, PartialEq, Serialize)]
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
}

struct Table {
    names: Vec<String>,
    pairs: Vec<ControlPair>,
    interpretation: Vec<String>,
}

/// Fits a transformation.
///
/// # Errors
/// [`Error::Fit`] with what is wrong with the pairs; [`Error::Usage`], [`Error::NoColumn`].
pub fn fit_pairs(plan: &FitPlan) -> Result<(TransformationFile, FitReport), Error> {
    let bad = |problem: String| Error::Fit { path: plan.pairs.clone(), problem };
    let kind = match plan.kind.as_deref() {
        None => FitKind::Conformal,
        Some(name) => FitKind::from_name(name).ok_or_else(|| {
            Error::Usage(format!(
                "--kind {name} is not known; one of {} is expected",
                KINDS.iter().map(|(_, n)| *n).collect::<Vec<_>>().join(", ")
            ))
        })?,
    };
    let from = match plan.from.as_deref() {
        None => Crs::local("local grid", None),
        Some(text) => system::find(text)?.crs,
    };
    let to = system::find(&plan.to)?.crs;
    let mut table = read(plan, kind)?;
    for name in &plan.without {
        let Some(at) = table.names.iter().position(|n| n == name) else {
            return Err(Error::Usage(format!(
                "--without {name}: there is no such control pair; there are {}",
                table.names.join(", ")
            )));
        };
        table.names.remove(at);
        table.pairs.remove(at);
        table.interpretation.push(format!("control pair \"{name}\" left out, as --without says"));
    }
    let mut notes = Vec::new();
    let (pairs, unit, unit_m) = if kind.is_3d() {
        (in_space(&table.pairs, &from, &to)?, "metres".to_string(), 1.0)
    } else {
        let Kind::Projected { unit, .. } = &to.horizontal().kind else {
            return Err(Error::Usage(format!(
                "--to {} is a {} system; a fit in the plane needs a projected one, whose units are lengths",
                to.title(),
                to.kind_name()
            )));
        };
        if from.is_geographic() {
            return Err(Error::Usage(format!(
                "--from {} has degrees; a fit in the plane needs lengths on both sides: say a projected system, or choose --kind similarity-3d",
                from.title()
            )));
        }
        (table.pairs.clone(), unit.plural(), unit.metres)
    };
    let with_names = |e: FitError| match e {
        FitError::MixedUnits { pair, side, factor } => bad(format!(
            "control pair \"{}\" seems to be in another unit than the others: its {side} coordinates are {factor:.4} times what theirs suggest",
            table.names[pair]
        )),
        FitError::NotANumber(pair) => {
            bad(format!("control pair \"{}\" has a coordinate that is not a number", table.names[pair]))
        }
        other => bad(other.to_string()),
    };
    let result = fit(&pairs, kind).map_err(with_names)?;
    let rms = |f: &Fit| {
        let all: Option<Vec<f64>> = f.left_out.iter().copied().collect();
        all.map(|v| (v.iter().map(|d| d * d).sum::<f64>() / v.len() as f64).sqrt())
    };
    let others = KINDS
        .iter()
        .filter(|(k, _)| k.is_3d() == kind.is_3d() && *k != kind)
        .filter_map(|(k, name)| fit(&pairs, *k).ok().map(|f| (name.to_string(), f.standard_error, rms(&f))))
        .collect();
    if result.standard_error.is_none() {
        notes.push(format!(
            "{} pairs determine {} exactly: nothing is left over to check it with; add pairs",
            pairs.len(),
            kind.name()
        ));
    }
    if let (Some(s), Some(l)) = (result.standard_error, rms(&result))
        && l > 5.0 * s
        && l * unit_m > 0.01
    {
        notes.push(format!(
            "left out, the pairs are missed by {l:.3} {unit}, far more than the residuals of {s:.3}: the transformation follows the pairs more than the grid; choose a kind with fewer parameters, or add pairs"
        ));
    }
    let dimensions = if kind.is_3d() { 3 } else { 2 };
    let points: Vec<Pair> = table
        .names
        .iter()
        .zip(&pairs)
        .enumerate()
        .map(|(i, (name, p))| Pair {
            name: name.clone(),
            from: p.from[..dimensions].to_vec(),
            to: p.to[..dimensions].to_vec(),
            residual: result.residuals[i][..dimensions].to_vec(),
            left_out: result.left_out[i],
        })
        .collect();
    let x = |f: fn(f64, f64) -> f64, axis: usize| table.pairs.iter().map(|p| p.from[axis]).reduce(f).unwrap_or(0.0);
    let name = plan
        .name
        .clone()
        .unwrap_or_else(|| plan.pairs.file_stem().map_or("fit".into(), |s| s.to_string_lossy().into_owned()));
    let standard_error_m = result.standard_error.map(|s| s * unit_m);
    let is_local = matches!(from.kind, Kind::Engineering { .. });
    let file = TransformationFile {
        basilocus_transformation: VERSION,
        name,
        kind: kind.name().to_string(),
        from: if is_local { "local".into() } else { system::text_of(&from)? },
        to: system::text_of(&to)?,
        accuracy_m: standard_error_m,
        extent: Some([x(f64::min, 0), x(f64::min, 1), x(f64::max, 0), x(f64::max, 1)]),
        plane: match &result.local {
            Local::Plane(p) => Some(Plane { origin: p.origin, unit: p.unit, x: p.x.clone(), y: p.y.clone() }),
            Local::Space(_) => None,
        },
        space: match &result.local {
            Local::Space(h) => Some(Space {
                translation_m: h.translation_m,
                rotation_arcsec: h.rotation_arcsec,
                scale_ppm: h.scale_ppm,
                convention: match h.convention {
                    RotationConvention::PositionVector => "position-vector".into(),
                    RotationConvention::CoordinateFrame => "coordinate-frame".into(),
                },
                pivot_m: None,
            }),
            Local::Plane(_) => None,
        },
        pairs: points.clone(),
    };
    let report = FitReport {
        pairs_file: plan.pairs.clone(),
        kind: kind.name().to_string(),
        interpretation: table.interpretation,
        from: from.title(),
        to: to.title(),
        unit,
        pairs: pairs.len(),
        standard_error: result.standard_error,
        standard_error_m,
        left_out: rms(&result),
        outlier: result.outlier.map(|i| table.names[i].clone()),
        parameters: in_words(&result.local, kind, unit_m),
        points,
        others,
        notes,
    };
    Ok((file, report))
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
    pairs.iter().map(|p| Ok(ControlPair { from: side(from, "--from", p.from)?, to: side(to, "--to", p.to)? })).collect()
}

fn read(plan: &FitPlan, kind: FitKind) -> Result<Table, Error> {
    let bad = |problem: String| Error::Fit { path: plan.pairs.clone(), problem };
    let mut reader = source::open(&plan.pairs, &plan.input.options()?)?;
    let header: Vec<String> = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let mut rows: Vec<(u64, Vec<String>)> = Vec::new();
    let mut aside = 0u64;
    source::each_batch(reader.as_mut(), &mut |decoded| {
        let batch = decoded.batch;
        rows.extend((0..batch.len()).map(|r| (batch.source_rows[r], batch.row_texts(r))));
        // A blank row is no control pair; anything else that cannot be read is said.
        aside += decoded.set_aside.iter().filter(|r| r.class != Reason::BLANK_ROW).count() as u64;
        Ok(())
    })?;
    if aside > 0 {
        return Err(bad(format!("{aside} rows cannot be read as rows of the table; mend them first")));
    }
    if rows.len() > 100_000 {
        return Err(bad(format!("{} rows; a table of control pairs has a few, at most 100,000", rows.len())));
    }
    let dimensions = if kind.is_3d() { 3 } else { 2 };
    let find = |wanted: &String| {
        header.iter().position(|h| h.eq_ignore_ascii_case(wanted)).ok_or_else(|| Error::NoColumn {
            path: plan.pairs.clone(),
            wanted: wanted.clone(),
            names: header.clone(),
        })
    };
    let mut interpretation = Vec::new();
    let (old, new) = match (plan.old.len(), plan.new.len()) {
        (0, 0) => {
            let number = |c: usize| {
                !rows.is_empty()
                    && rows.iter().all(|(_, r)| r[c].trim().is_empty() || notation::read_number(&r[c]).is_ok())
                    && Some(c) != plan.label.as_ref().and_then(|l| find(l).ok())
            };
            let numbers: Vec<usize> = (0..header.len()).filter(|c| number(*c)).collect();
            if numbers.len() != 2 * dimensions {
                return Err(bad(format!(
                    "{} columns hold numbers ({}); {} needs {}: say them with --old X,Y{} and --new X,Y{}",
                    numbers.len(),
                    numbers.iter().map(|c| header[*c].as_str()).collect::<Vec<_>>().join(", "),
                    kind.name(),
                    2 * dimensions,
                    if dimensions == 3 { ",Z" } else { "" },
                    if dimensions == 3 { ",Z" } else { "" }
                )));
            }
            let (old, new) = numbers.split_at(dimensions);
            (old.to_vec(), new.to_vec())
        }
        (a, b) if a == dimensions && b == dimensions => (
            plan.old.iter().map(find).collect::<Result<Vec<_>, _>>()?,
            plan.new.iter().map(find).collect::<Result<Vec<_>, _>>()?,
        ),
        (a, b) => {
            return Err(Error::Usage(format!(
                "--old names {a} columns and --new {b}; {} needs {dimensions} of each",
                kind.name()
            )));
        }
    };
    let label = match &plan.label {
        Some(l) => Some(find(l)?),
        None => (0..header.len()).find(|c| !old.contains(c) && !new.contains(c)),
    };
    let list = |c: &[usize]| c.iter().map(|c| format!("\"{}\"", header[*c])).collect::<Vec<_>>().join(", ");
    interpretation.push(format!(
        "old coordinates from {}, new ones from {}{}{}",
        list(&old),
        list(&new),
        label.map_or(String::new(), |l| format!(", names from \"{}\"", header[l])),
        if plan.old.is_empty() { " (found)" } else { "" }
    ));
    let mut names: Vec<String> = Vec::new();
    let mut pairs = Vec::new();
    for (number, row) in &rows {
        let side = |columns: &[usize]| -> Result<[f64; 3], Error> {
            let mut out = [0.0; 3];
            for (slot, c) in out.iter_mut().zip(columns) {
                *slot = notation::read_number(&row[*c])
                    .map_err(|e| bad(format!("row {number}, column \"{}\": {e}; a number is expected", header[*c])))?;
            }
            Ok(out)
        };
        pairs.push(ControlPair { from: side(&old)?, to: side(&new)? });
        let name = label.map(|l| row[l].trim().to_string()).filter(|n| !n.is_empty());
        names.push(name.unwrap_or_else(|| format!("row {number}")));
    }
    Ok(Table { names, pairs, interpretation })
}
