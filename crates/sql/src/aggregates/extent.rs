//! The extent of the geometries of a group, in their system.

use super::aggregate::Definition;
use crate::functions::geometry_column::GeometryColumn;
use crate::functions::scalar::Systems;
use crate::{Error, systems};
use datafusion::arrow::array::{Array, ArrayRef, AsArray, StructArray};
use datafusion::arrow::datatypes::{DataType, Field, Fields, Float64Type};
use datafusion::common::{DataFusionError, Result, ScalarValue};
use datafusion::logical_expr::Accumulator;
use std::sync::Arc;

pub(super) static EXTENT: Definition = Definition {
    name: "extent",
    parameters: &[("geometry", true)],
    result: |_| Ok(DataType::Struct(edges())),
    state: || {
        let number = |name: &str| Field::new(name, DataType::Float64, true);
        let mut fields: Vec<Field> =
            ["west", "south", "east", "north", "west_of_360", "east_of_360"].map(number).to_vec();
        fields.push(Field::new("in_degrees", DataType::Boolean, true));
        fields
    },
    group: |systems| Ok(Box::new(Extent::of(systems)?)),
};

fn edges() -> Fields {
    ["west", "south", "east", "north"].iter().map(|n| Field::new(*n, DataType::Float64, true)).collect()
}

/// The extent so far. In degrees it is kept twice, with longitudes from -180 and from 0: the narrower one holds the group.
#[derive(Debug, Clone, Copy)]
struct Extent {
    /// West, south, east, north.
    edges: [f64; 4],
    /// West and east with longitudes from 0 to 360.
    of_360: [f64; 2],
    in_degrees: bool,
}

impl Extent {
    fn of(settled: &Systems) -> Result<Self, Error> {
        let in_degrees = match settled.first().and_then(Option::as_ref) {
            Some(text) => systems::find(text)?.is_geographic(),
            None => false,
        };
        let (most, least) = (f64::INFINITY, f64::NEG_INFINITY);
        Ok(Extent { edges: [most, most, least, least], of_360: [most, least], in_degrees })
    }

    fn add(&mut self, x: f64, y: f64) {
        if x.is_nan() || y.is_nan() {
            return;
        }
        self.merge(Extent { edges: [x, y, x, y], of_360: [x.rem_euclid(360.0); 2], in_degrees: false });
    }

    fn merge(&mut self, other: Extent) {
        let ([w, s, e, n], [ow, os, oe, on]) = (self.edges, other.edges);
        self.edges = [w.min(ow), s.min(os), e.max(oe), n.max(on)];
        self.of_360 = [self.of_360[0].min(other.of_360[0]), self.of_360[1].max(other.of_360[1])];
        self.in_degrees |= other.in_degrees;
    }

    fn result(&self) -> Option<[f64; 4]> {
        let [w, s, e, n] = self.edges;
        let [from, to] = self.of_360;
        if w > e {
            return None;
        }
        // As wide both ways, as around the whole Earth, it does not cross.
        if self.in_degrees && to - from < e - w {
            let turned = |lon: f64| if lon > 180.0 { lon - 360.0 } else { lon };
            return Some([turned(from), s, turned(to), n]);
        }
        Some([w, s, e, n])
    }
}

impl Accumulator for Extent {
    fn update_batch(&mut self, values: &[ArrayRef]) -> Result<()> {
        let broken = |what: String| DataFusionError::from(wrong(what));
        let column = GeometryColumn::of(&values[0]).map_err(broken)?;
        for row in 0..values[0].len() {
            match column.plain_point(row) {
                Some(Some([x, y])) => self.add(x, y),
                Some(None) => {}
                None => {
                    if let Some(shape) = column.get(row).map_err(broken)? {
                        shape.each_position(&mut |p| self.add(p.x, p.y));
                    }
                }
            }
        }
        Ok(())
    }

    fn evaluate(&mut self) -> Result<ScalarValue> {
        let found = self.result();
        let columns = (0..4).map(|at| ScalarValue::Float64(found.map(|f| f[at])).to_array());
        let nulls = found.is_none().then(|| vec![false].into());
        let row = StructArray::try_new(edges(), columns.collect::<Result<Vec<_>>>()?, nulls)?;
        Ok(ScalarValue::Struct(Arc::new(row)))
    }

    fn size(&self) -> usize {
        size_of_val(self)
    }

    fn state(&mut self) -> Result<Vec<ScalarValue>> {
        let numbers = self.edges.iter().chain(&self.of_360).map(|v| ScalarValue::Float64(Some(*v)));
        Ok(numbers.chain([ScalarValue::Boolean(Some(self.in_degrees))]).collect())
    }

    fn merge_batch(&mut self, states: &[ArrayRef]) -> Result<()> {
        let number = |at: usize, row: usize| states[at].as_primitive::<Float64Type>().value(row);
        for row in (0..states[0].len()).filter(|row| states[0].is_valid(*row)) {
            self.merge(Extent {
                edges: [0, 1, 2, 3].map(|at| number(at, row)),
                of_360: [4, 5].map(|at| number(at, row)),
                in_degrees: states[6].as_boolean().value(row),
            });
        }
        Ok(())
    }
}

fn wrong(what: String) -> Error {
    Error::Argument { function: "extent", at: 1, name: "geometry", what }
}
