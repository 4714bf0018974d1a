//! Geometries in another system.

use super::geometry_column::{GeometryBuilder, GeometryColumn};
use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, NOT_A_GEOMETRY, Parameter};
use crate::{Error, systems};
use basilocus::geodesy::operation::Operation;
use basilocus::table::Reason;
use basilocus::table::geometry::Geometry;
use std::sync::Arc;

pub(super) static ST_TRANSFORM: Definition = Definition {
    name: "ST_Transform",
    other_names: &[],
    parameters: &[
        Parameter { name: "geometry", kind: Kind::Geometry },
        Parameter { name: "system", kind: Kind::System },
        Parameter { name: "epoch", kind: Kind::Figure },
    ],
    required: 2,
    failures: Failures::Null,
    result: |planned| {
        if planned.system_of(0).is_none() {
            return Err(planned.wrong(
                0,
                "has no system, so that nothing says where it is: ST_SRID(geometry, system) says it, where it is known",
            ));
        }
        let to = planned.literal(1)?.ok_or_else(|| planned.wrong(1, "is null: a reference system is expected"))?;
        let text = systems::text_of(&*systems::find(&to)?)?;
        Ok(systems::field("st_transform", Some(&text)))
    },
    apply,
};

fn apply(call: &Call) -> Result<Made, Error> {
    let column = call.geometries(0)?;
    let from = call.system_of(0).unwrap_or_default();
    let to = call.literal(1).unwrap_or_default();
    let epoch = if call.len() > 2 { call.literal_number(2)? } else { None };
    let operations = systems::operations(&from, &to, epoch, &call.settings)?;
    let mut failures = Vec::new();
    let mut shapes: Vec<Option<Geometry>> = Vec::new();
    let (mut x, mut y, mut z) = (Vec::new(), Vec::new(), Vec::new());
    // Points of which each row has one need no geometries in between.
    let points = plain_points(&column, call.rows);
    match &points {
        Some(list) => list.iter().for_each(|p| {
            let [px, py] = p.unwrap_or([f64::NAN; 2]);
            x.push(px);
            y.push(py);
            z.push(f64::NAN);
        }),
        None => {
            for row in 0..call.rows {
                let shape = column.get(row).unwrap_or_else(|reason| {
                    failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                    None
                });
                if let Some(shape) = &shape {
                    shape.each_position(&mut |p| (x.push(p.x), y.push(p.y), z.push(p.z)).0);
                }
                shapes.push(shape);
            }
        }
    }
    let before = [x.clone(), y.clone(), z.clone()];
    let mut used: Vec<Option<Arc<Operation>>> = vec![None; x.len()];
    operations.apply(&mut x, &mut y, &mut z, &mut |operation, rows| {
        rows.iter().for_each(|r| used[*r] = Some(operation.clone()));
    })?;
    let why = |at: usize| refusal(used[at].as_deref(), [before[0][at], before[1][at], before[2][at]]);
    let mut out = GeometryBuilder::for_rows(call.rows);
    if let Some(list) = points {
        for (row, there) in list.iter().enumerate() {
            match there {
                None => out.push(None),
                Some(_) if x[row].is_finite() && y[row].is_finite() => out.push_point(x[row], y[row]),
                Some(_) => {
                    out.push(None);
                    failures.push(Failure::new(row, Reason::CANNOT_BE_TRANSFORMED, why(row)));
                }
            }
        }
        return Ok(Made { values: out.finish(), failures });
    }
    let mut at = 0;
    for (row, shape) in shapes.into_iter().enumerate() {
        let Some(mut shape) = shape else {
            out.push(None);
            continue;
        };
        let mut failed = None;
        shape.each_position_mut(&mut |p| {
            let has_place = x[at].is_finite() && y[at].is_finite();
            if !(has_place || p.x.is_nan()) {
                failed.get_or_insert(at);
            }
            (p.x, p.y, p.z) = (x[at], y[at], if p.z.is_nan() { f64::NAN } else { z[at] });
            at += 1;
        });
        match failed {
            None => out.push(Some(&shape)),
            Some(at) => {
                out.push(None);
                failures.push(Failure::new(row, Reason::CANNOT_BE_TRANSFORMED, why(at)));
            }
        }
    }
    failures.sort_by_key(|f| f.row);
    Ok(Made { values: out.finish(), failures })
}

/// The positions of a column that holds nothing but points without heights.
fn plain_points(column: &GeometryColumn, rows: usize) -> Option<Vec<Option<[f64; 2]>>> {
    if matches!(column, GeometryColumn::Points { z: Some(_), .. } | GeometryColumn::One(..)) {
        return None;
    }
    (0..rows).map(|row| column.plain_point(row)).collect()
}

/// Why a position has no place in the other system.
pub(super) fn refusal(operation: Option<&Operation>, [x, y, z]: [f64; 3]) -> String {
    let why = operation.and_then(|o| o.refusal(x, y, z)).unwrap_or_else(|| "outside the domain".into());
    format!("{x}, {y} cannot be transformed: the position is {why}")
}
