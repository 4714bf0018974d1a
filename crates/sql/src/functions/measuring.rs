//! What the functions that measure have in common.

use super::geometry_column::{GeometryColumn, Rereader};
use super::scalar::{Call, Failure, Made, NOT_A_GEOMETRY, Planned};
use crate::{Error, systems};
use basilocus::coordinates::shape_measure::ShapeMeasure;
use basilocus::table::Reason;
use basilocus::table::geometry::Geometry;
use datafusion::arrow::array::Float64Array;
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

const NOT_TO_BE_MEASURED: Reason = Reason::new("nothing to measure");

/// How the shapes of a system are measured; numbers of none in their plane.
pub(crate) fn in_system(system: Option<&str>) -> Result<ShapeMeasure, Error> {
    match system {
        None => Ok(ShapeMeasure::of_numbers()),
        Some(text) => Ok(ShapeMeasure::of(&*systems::find(text)?)?),
    }
}

/// The field of a measure; a system in which nothing can be measured is told here, before a row is read.
pub(super) fn result(planned: &Planned, name: &str) -> Result<Field, Error> {
    in_system(planned.system_of(0).as_deref())?;
    Ok(Field::new(name, DataType::Float64, true))
}

/// A measure of each geometry. What has none is told: the length of a polygon would be taken for its perimeter.
pub(super) fn each(
    call: &Call,
    what: &str,
    measure: fn(&ShapeMeasure, &Geometry) -> Option<f64>,
) -> Result<Made, Error> {
    let of = in_system(call.system_of(0).as_deref())?;
    let column = call.geometries(0)?;
    let mut failures = Vec::new();
    let values: Float64Array = (0..call.rows)
        .map(|row| {
            let measured = column.get(row).and_then(|g| match g {
                None => Ok(None),
                Some(g) => measure(&of, &g).map(Some).ok_or_else(|| format!("a {} has no {what}", g.type_name())),
            });
            measured.unwrap_or_else(|reason| {
                failures.push(Failure::new(row, NOT_TO_BE_MEASURED, reason));
                None
            })
        })
        .collect();
    Ok(Made { values: Arc::new(values), failures })
}

/// The geometries of two columns, row by row: null where one is.
pub(super) fn pairs<T>(
    a: &GeometryColumn,
    b: &GeometryColumn,
    rows: usize,
    failures: &mut Vec<Failure>,
    of: impl Fn(&Geometry, &Geometry) -> Option<T>,
) -> Vec<Option<T>> {
    let (mut a, mut b) = (Rereader::of(a), Rereader::of(b));
    (0..rows)
        .map(|row| {
            let both = a.get(row).and_then(|a| Ok(a.zip(b.get(row)?)));
            match both {
                Ok(Some((a, b))) => of(a, b),
                Ok(None) => None,
                Err(reason) => {
                    failures.push(Failure::new(row, NOT_A_GEOMETRY, reason));
                    None
                }
            }
        })
        .collect()
}
