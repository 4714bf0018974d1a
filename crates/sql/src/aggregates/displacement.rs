//! What rows that were placed twice have in common: a constant shift, and what would give just that.

use super::aggregate::Definition;
use crate::functions::geometry_column::GeometryColumn;
use crate::functions::scalar::Systems;
use crate::setting::Settings;
use crate::{Error, systems};
use basilocus::compare::displacement_of;
use basilocus::geodesy::ellipsoid::Ellipsoid;
use basilocus::geodesy::geodesic::Geodesic;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, Float64Array, StructArray};
use datafusion::arrow::datatypes::{DataType, Field, Fields, Float64Type, UInt64Type};
use datafusion::common::utils::SingleRowListArrayBuilder;
use datafusion::common::{DataFusionError, Result, ScalarValue};
use datafusion::logical_expr::Accumulator;
use std::collections::BTreeMap;
use std::hash::{BuildHasher, Hasher};
use std::sync::Arc;

/// Pairs that are looked at: which ones, their own numbers decide, so that it is the same however rows are parted.
const SAMPLE: usize = 2000;
/// Positions that are nearer than that are the same, metres.
const SAME_M: f64 = 1e-3;

pub(super) static DISPLACEMENT: Definition = Definition {
    name: "displacement",
    parameters: &[("a", true), ("b", true)],
    result: |_| Ok(DataType::Struct(result())),
    state: || {
        let text = |name: &str| Field::new(name, DataType::Utf8, true);
        let count = |name: &str| Field::new(name, DataType::UInt64, true);
        let pairs = DataType::List(Arc::new(Field::new_list_field(DataType::Float64, true)));
        vec![text("a"), text("b"), count("rows"), count("moved"), Field::new("pairs", pairs, true)]
    },
    group: |systems| Ok(Box::new(Pairs::of(systems))),
};

fn result() -> Fields {
    let number = |name: &str| Field::new(name, DataType::Float64, true);
    let count = |name: &str| Field::new(name, DataType::UInt64, true);
    vec![
        count("rows"),
        count("moved"),
        number("distance_m"),
        number("azimuth_deg"),
        number("spread_m"),
        Field::new("explained_by", DataType::Utf8, true),
        number("remains_m"),
    ]
    .into()
}

/// Pairs of positions in degrees of WGS 84, of which a part is kept.
#[derive(Debug)]
struct Pairs {
    systems: [String; 2],
    rows: u64,
    moved: u64,
    kept: BTreeMap<u64, [f64; 4]>,
}

impl Pairs {
    fn of(settled: &Systems) -> Self {
        let system = |at: usize| settled.get(at).cloned().flatten().unwrap_or_default();
        Pairs { systems: [system(0), system(1)], rows: 0, moved: 0, kept: BTreeMap::new() }
    }

    fn keep(&mut self, pair: [f64; 4]) {
        let mut hasher = foldhash::fast::FixedState::with_seed(0x0ba5_1100).build_hasher();
        pair.iter().for_each(|v| hasher.write_u64(v.to_bits()));
        self.kept.insert(hasher.finish(), pair);
        if self.kept.len() > SAMPLE {
            self.kept.pop_last();
        }
    }
}

/// The points of a column in degrees of WGS 84; NaN where there is none.
fn degrees(column: &ArrayRef, system: &str) -> Result<[Vec<f64>; 2], Error> {
    let wrong = |what: String| Error::Call { function: "displacement", what };
    let points = GeometryColumn::of(column).map_err(wrong)?;
    let (mut x, mut y) = (Vec::with_capacity(column.len()), Vec::with_capacity(column.len()));
    for row in 0..column.len() {
        let [px, py] = points.point(row).map_err(wrong)?.unwrap_or([f64::NAN; 2]);
        x.push(px);
        y.push(py);
    }
    let mut z = vec![f64::NAN; x.len()];
    let operations = systems::operations(system, "EPSG:4326", None, &Settings::default())?;
    operations.apply(&mut x, &mut y, &mut z, &mut |_, _| {})?;
    Ok([x, y])
}

impl Accumulator for Pairs {
    fn update_batch(&mut self, values: &[ArrayRef]) -> Result<()> {
        if let Some(at) = self.systems.iter().position(String::is_empty) {
            let what = "has no system: ST_SRID(geometry, system) says it, where it is known".to_string();
            let name = DISPLACEMENT.parameters[at].0;
            return Err(Error::Argument { function: "displacement", at: at + 1, name, what }.into());
        }
        let [ax, ay] = degrees(&values[0], &self.systems[0])?;
        let [bx, by] = degrees(&values[1], &self.systems[1])?;
        let geodesic = Geodesic::new(&Ellipsoid::wgs84());
        for row in 0..ax.len() {
            let pair = [ax[row], ay[row], bx[row], by[row]];
            if pair.iter().any(|v| !v.is_finite()) {
                continue;
            }
            self.rows += 1;
            if geodesic.inverse(ax[row], ay[row], bx[row], by[row]).distance_m >= SAME_M {
                self.moved += 1;
                self.keep(pair);
            }
        }
        Ok(())
    }

    fn evaluate(&mut self) -> Result<ScalarValue> {
        let pairs: Vec<[[f64; 2]; 2]> = self.kept.values().map(|p| [[p[0], p[1]], [p[2], p[3]]]).collect();
        let found = match &self.systems {
            [a, b] if !a.is_empty() && !b.is_empty() => {
                displacement_of(&pairs, [&*systems::find(a)?, &*systems::find(b)?])
            }
            _ => None,
        };
        let shift = found.as_ref().and_then(|d| d.shift);
        let cause = found.as_ref().and_then(|d| d.explained_by.first());
        let number = |v: Option<f64>| ScalarValue::Float64(v).to_array();
        let count = |v: u64| ScalarValue::UInt64(Some(v)).to_array();
        let columns = vec![
            count(self.rows)?,
            count(self.moved)?,
            number(shift.map(|s| s.distance_m))?,
            number(shift.map(|s| s.azimuth_deg))?,
            number(shift.map(|s| s.spread_m))?,
            ScalarValue::Utf8(cause.map(|c| c.what.clone())).to_array()?,
            number(cause.map(|c| c.remains_m))?,
        ];
        Ok(ScalarValue::Struct(Arc::new(StructArray::try_new(result(), columns, None)?)))
    }

    fn size(&self) -> usize {
        size_of_val(self) + self.kept.len() * 48
    }

    fn state(&mut self) -> Result<Vec<ScalarValue>> {
        let numbers: Float64Array = self.kept.values().flatten().map(|v| Some(*v)).collect();
        let text = |t: &str| ScalarValue::Utf8(Some(t.to_string()));
        Ok(vec![
            text(&self.systems[0]),
            text(&self.systems[1]),
            ScalarValue::UInt64(Some(self.rows)),
            ScalarValue::UInt64(Some(self.moved)),
            SingleRowListArrayBuilder::new(Arc::new(numbers)).build_list_scalar(),
        ])
    }

    fn merge_batch(&mut self, states: &[ArrayRef]) -> Result<()> {
        let [a, b, rows, moved, lists] = states else {
            return Err(DataFusionError::Internal("displacement: a state with other columns".into()));
        };
        let lists = lists.as_list::<i32>();
        for row in (0..lists.len()).filter(|row| lists.is_valid(*row)) {
            self.systems = [a, b].map(|column| column.as_string::<i32>().value(row).to_string());
            self.rows += rows.as_primitive::<UInt64Type>().value(row);
            self.moved += moved.as_primitive::<UInt64Type>().value(row);
            let numbers = lists.value(row);
            let numbers = numbers.as_primitive::<Float64Type>().values().to_vec();
            for pair in numbers.as_chunks::<4>().0 {
                self.keep(*pair);
            }
        }
        Ok(())
    }
}
