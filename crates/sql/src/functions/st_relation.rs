//! Whether geometries meet, and whether one lies within the other, in the plane of their coordinates (OGC 06-103r4).

use super::geometry_column::GeometryColumn;
use super::measuring::pairs;
use super::scalar::{Call, Definition, Failures, Kind, Made, Parameter};
use crate::Error;
use basilocus::table::geometry::{Geometry, containment, intersection};
use datafusion::arrow::array::BooleanArray;
use datafusion::arrow::datatypes::{DataType, Field};
use std::sync::Arc;

macro_rules! relation {
    ($($(#[$doc:meta])* $id:ident = $name:literal, $column:literal, $is:expr;)+) => {$(
        $(#[$doc])*
        pub(super) static $id: Definition = Definition {
            name: $name,
            other_names: &[],
            parameters: &[Parameter { name: "a", kind: Kind::Geometry }, Parameter { name: "b", kind: Kind::Geometry }],
            required: 2,
            failures: Failures::Null,
            result: |planned| {
                planned.common_system(0, 1)?;
                Ok(Field::new($column, DataType::Boolean, true))
            },
            apply: |call| related(call, $is),
        };
    )+};
}

relation! {
    /// Whether `b` lies within `a`.
    ST_CONTAINS = "ST_Contains", "st_contains", |a, b| containment::within(b, a);
    /// Whether they have a position in common.
    ST_INTERSECTS = "ST_Intersects", "st_intersects", intersection::intersects;
    /// Whether `a` lies within `b`: nothing of it outside, and something of it inside.
    ST_WITHIN = "ST_Within", "st_within", containment::within;
}

fn related(call: &Call, is: fn(&Geometry, &Geometry) -> bool) -> Result<Made, Error> {
    let (a, b): (GeometryColumn, GeometryColumn) = (call.geometries(0)?, call.geometries(1)?);
    let mut failures = Vec::new();
    let found = pairs(&a, &b, call.rows, &mut failures, |a, b| Some(is(a, b)));
    Ok(Made { values: Arc::new(BooleanArray::from(found)), failures })
}
