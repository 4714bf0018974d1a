//! The condition of a join: each row of the first table with the rows of the second that are nearest to it.

use super::measuring;
use super::scalar::{Definition, Failures, Kind, Parameter};
use crate::Error;
use datafusion::arrow::datatypes::{DataType, Field};

pub(super) static NEAREST: Definition = Definition {
    name: "nearest",
    other_names: &[],
    parameters: &[
        Parameter { name: "a", kind: Kind::Geometry },
        Parameter { name: "b", kind: Kind::Geometry },
        Parameter { name: "count", kind: Kind::Figure },
        Parameter { name: "most", kind: Kind::Figure },
    ],
    required: 4,
    failures: Failures::Never,
    result: |planned| {
        let system = planned.common_system(0, 1)?;
        measuring::in_system(system.as_deref())?;
        let count = planned.number(2)?.filter(|n| *n >= 1.0 && n.fract() == 0.0);
        if count.is_none() {
            return Err(planned.wrong(2, "is no number of rows: 1 or more is expected"));
        }
        if planned.number(3)?.is_none_or(|most| !(most > 0.0 && most.is_finite())) {
            return Err(planned.wrong(3, "is no distance: metres where the system is in degrees, its unit else"));
        }
        Ok(Field::new("nearest", DataType::Boolean, true))
    },
    // Which rows are nearest, no pair of them says by itself.
    apply: |call| {
        Err(Error::Call {
            function: call.function.name,
            what: "is the only condition of a join, or of one that keeps the rows of the first table: FROM a [LEFT] JOIN b ON nearest(a.place, b.place, count, most)".into(),
        })
    },
};
