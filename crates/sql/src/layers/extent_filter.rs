//! Conditions that say where rows are, as a rectangle that a format with an index of places can pass rows over by.

use crate::functions::geometry_column::GeometryColumn;
use crate::functions::scalar::Scalar;
use datafusion::arrow::datatypes::DataType;
use datafusion::common::ScalarValue;
use datafusion::logical_expr::Expr;
use datafusion::logical_expr::expr::ScalarFunction;

/// West, south, east, north of what a condition leaves of a column of geometries; nothing where it does not say.
pub(super) fn extent_of(condition: &Expr, geometry: &str) -> Option<[f64; 4]> {
    let Expr::ScalarFunction(ScalarFunction { func, args }) = condition else { return None };
    let function = func.inner().downcast_ref::<Scalar>()?.function();
    let [a, b] = args.as_slice() else { return None };
    let is_column = |e: &Expr| matches!(e, Expr::Column(c) if c.name == geometry);
    match (a, b) {
        (column, Expr::Literal(value, _)) | (Expr::Literal(value, _), column) if is_column(column) => {
            extent_of_literal(function, value)
        }
        _ => None,
    }
}

/// The extent that a geometry has to touch for a function of it and a constant one to be true; nothing for other functions. A
/// geometry that lies in another, or contains it, touches its extent too.
pub(super) fn extent_of_literal(function: &str, constant: &ScalarValue) -> Option<[f64; 4]> {
    if !["ST_Intersects", "ST_Within", "ST_Contains"].contains(&function) {
        return None;
    }
    let one = constant.cast_to(&DataType::Binary).ok()?.to_array().ok()?;
    GeometryColumn::of(&one).ok()?.get(0).ok()??.bounds()
}

/// The rectangle that all conditions leave.
pub(super) fn extent_of_all<'a>(conditions: impl IntoIterator<Item = &'a Expr>, geometry: &str) -> Option<[f64; 4]> {
    conditions
        .into_iter()
        .filter_map(|c| extent_of(c, geometry))
        .reduce(|a, b| [a[0].max(b[0]), a[1].max(b[1]), a[2].min(b[2]), a[3].min(b[3])])
}
