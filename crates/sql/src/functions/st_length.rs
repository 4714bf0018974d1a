//! Length of lines: metres on the ellipsoid where the system is in degrees, its unit else.

use super::measuring;
use super::scalar::{Definition, Failures, Kind, Parameter};
use basilocus::coordinates::shape_measure::ShapeMeasure;

pub(super) static ST_LENGTH: Definition = Definition {
    name: "ST_Length",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |planned| measuring::result(planned, "st_length"),
    apply: |call| measuring::each(call, "length", ShapeMeasure::length),
};
