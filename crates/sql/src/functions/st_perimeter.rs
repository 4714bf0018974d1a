//! Length of the rings of polygons, in the units of ST_Length.

use super::measuring;
use super::scalar::{Definition, Failures, Kind, Parameter};
use basilocus::coordinates::shape_measure::ShapeMeasure;

pub(super) static ST_PERIMETER: Definition = Definition {
    name: "ST_Perimeter",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |planned| measuring::result(planned, "st_perimeter"),
    apply: |call| measuring::each(call, "perimeter", ShapeMeasure::perimeter),
};
