//! What a projection does to lengths, angles and areas at a position.

use super::scalar::{Call, Definition, Failure, Failures, Kind, Made, Parameter};
use super::struct_column;
use crate::{Error, systems};
use basilocus::geodesy::projection::Distortion;
use basilocus::table::Reason;
use datafusion::arrow::array::{Array, ArrayRef, Float64Array};
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

/// A figure by its name.
type Figure = (&'static str, fn(&Distortion) -> f64);

const FIGURES: [Figure; 7] = [
    ("meridian_scale", |d| d.meridian_scale),
    ("parallel_scale", |d| d.parallel_scale),
    ("largest_scale", |d| d.largest_scale),
    ("smallest_scale", |d| d.smallest_scale),
    ("convergence_deg", |d| d.convergence_deg),
    ("area_scale", |d| d.area_scale),
    ("angular_distortion_deg", |d| d.angular_distortion_deg),
];

pub(super) static DISTORTION: Definition = Definition {
    name: "distortion",
    other_names: &[],
    parameters: &[
        Parameter { name: "lon", kind: Kind::Number },
        Parameter { name: "lat", kind: Kind::Number },
        Parameter { name: "system", kind: Kind::System },
    ],
    required: 3,
    failures: Failures::InResult,
    result: |planned| {
        let text = planned.literal(2)?.ok_or_else(|| planned.wrong(2, "is null: a projected system is expected"))?;
        basilocus::coordinates::measure::projected(&systems::text_of(&*systems::find(&text)?)?)?;
        let columns = FIGURES.map(|(name, _)| (name, DataType::Float64));
        Ok(Field::new("distortion", struct_column::data_type(&columns), true))
    },
    apply,
};

fn apply(call: &Call) -> Result<Made, Error> {
    let (lon, lat) = (call.numbers(0)?, call.numbers(1)?);
    let crs = systems::find(&call.literal(2).unwrap_or_default())?;
    let projection = crs.projection().map_err(basilocus::Error::from)?;
    let (Some(projection), Some(datum)) = (projection, crs.datum()) else {
        return Err(call.function.wrong(2, "is no projected system"));
    };
    let mut failures = Vec::new();
    let found: Vec<Option<Distortion>> = (0..call.rows)
        .map(|row| {
            if lon.is_null(row) || lat.is_null(row) {
                return None;
            }
            let (x, y) = (lon.value(row), lat.value(row));
            let found = projection.distortion(&datum.ellipsoid, x - datum.prime_meridian_deg, y);
            if found.is_none() {
                let reason = format!("{} gives no numbers at {x}, {y}", crs.title());
                failures.push(Failure::new(row, Reason::new("outside the projection"), reason));
            }
            found
        })
        .collect();
    let columns = FIGURES.iter().map(|(_, of)| {
        let column: Float64Array = found.iter().map(|d| d.as_ref().map(of)).collect();
        Arc::new(column) as ArrayRef
    });
    Ok(struct_column::made(call.result, columns.collect(), failures, call.rows))
}
