//! The shortest distance between two geometries: metres on the ellipsoid where their system is in degrees, its unit else.

use super::measuring;
use super::scalar::{Definition, Failures, Kind, Made, Parameter};
use datafusion::arrow::array::Float64Array;
use std::sync::Arc;

pub(super) static ST_DISTANCE: Definition = Definition {
    name: "ST_Distance",
    other_names: &[],
    parameters: &[Parameter { name: "a", kind: Kind::Geometry }, Parameter { name: "b", kind: Kind::Geometry }],
    required: 2,
    failures: Failures::Null,
    result: |planned| {
        planned.common_system(0, 1)?;
        measuring::result(planned, "st_distance")
    },
    apply: |call| {
        let of = measuring::in_system(call.system_of(0).as_deref())?;
        let (a, b) = (call.geometries(0)?, call.geometries(1)?);
        let mut failures = Vec::new();
        let found = measuring::pairs(&a, &b, call.rows, &mut failures, |a, b| of.distance(a, b));
        Ok(Made { values: Arc::new(Float64Array::from(found)), failures })
    },
};
