//! Area of polygons without their holes: square metres on the ellipsoid where the system is in degrees, the square of its unit else.

use super::measuring;
use super::scalar::{Definition, Failures, Kind, Parameter};
use basilocus::coordinates::shape_measure::ShapeMeasure;

pub(super) static ST_AREA: Definition = Definition {
    name: "ST_Area",
    other_names: &[],
    parameters: &[Parameter { name: "geometry", kind: Kind::Geometry }],
    required: 1,
    failures: Failures::Null,
    result: |planned| measuring::result(planned, "st_area"),
    apply: |call| measuring::each(call, "area", ShapeMeasure::area),
};
