//! How many rows were placed how precisely.

use super::aggregate::Definition;
use basilocus::address::matching::LEVELS;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, StringArray, StructArray, UInt64Array};
use datafusion::arrow::datatypes::{DataType, Field, Fields, UInt64Type};
use datafusion::common::utils::SingleRowListArrayBuilder;
use datafusion::common::{Result, ScalarValue};
use datafusion::logical_expr::Accumulator;
use std::collections::BTreeMap;
use std::sync::Arc;

pub(super) static COUNT_BY_LEVEL: Definition = Definition {
    name: "count_by_level",
    parameters: &[("level", false)],
    result: |_| Ok(list()),
    state: || vec![Field::new("levels", list(), true)],
    group: |_| Ok(Box::new(Counts::default())),
};

/// What rows without a place are counted under.
const NOT_PLACED: &str = "not placed";

fn fields() -> Fields {
    vec![Field::new("level", DataType::Utf8, true), Field::new("rows", DataType::UInt64, true)].into()
}

fn list() -> DataType {
    DataType::List(Arc::new(Field::new_list_field(DataType::Struct(fields()), true)))
}

#[derive(Debug, Default)]
struct Counts(BTreeMap<String, u64>);

impl Counts {
    fn add(&mut self, level: &str, rows: u64) {
        match self.0.get_mut(level) {
            Some(count) => *count += rows,
            None => drop(self.0.insert(level.to_string(), rows)),
        }
    }

    /// Finest first, then what is no level of matching (a coordinate, an answer), what is not placed last.
    fn list(&self) -> Result<ScalarValue> {
        let place = |level: &str| match LEVELS.iter().position(|(_, name)| *name == level) {
            Some(at) => at,
            None if level == NOT_PLACED => usize::MAX,
            None => LEVELS.len(),
        };
        let mut sorted: Vec<(&String, &u64)> = self.0.iter().collect();
        sorted.sort_by_key(|(level, _)| place(level));
        let levels: StringArray = sorted.iter().map(|(level, _)| Some(level.as_str())).collect();
        let rows: UInt64Array = sorted.iter().map(|(_, rows)| Some(**rows)).collect();
        let columns: Vec<ArrayRef> = vec![Arc::new(levels), Arc::new(rows)];
        let all: ArrayRef = Arc::new(StructArray::try_new(fields(), columns, None)?);
        Ok(SingleRowListArrayBuilder::new(all).build_list_scalar())
    }
}

impl Accumulator for Counts {
    fn update_batch(&mut self, values: &[ArrayRef]) -> Result<()> {
        for level in values[0].as_string::<i32>().iter() {
            self.add(level.filter(|l| !l.is_empty()).unwrap_or(NOT_PLACED), 1);
        }
        Ok(())
    }

    fn evaluate(&mut self) -> Result<ScalarValue> {
        self.list()
    }

    fn size(&self) -> usize {
        size_of_val(self) + self.0.keys().map(|k| k.capacity() + 64).sum::<usize>()
    }

    fn state(&mut self) -> Result<Vec<ScalarValue>> {
        Ok(vec![self.list()?])
    }

    fn merge_batch(&mut self, states: &[ArrayRef]) -> Result<()> {
        let lists = states[0].as_list::<i32>();
        for row in (0..lists.len()).filter(|row| lists.is_valid(*row)) {
            let list = lists.value(row);
            let list = list.as_struct();
            let (levels, rows) = (list.column(0).as_string::<i32>(), list.column(1).as_primitive::<UInt64Type>());
            (0..list.len()).for_each(|at| self.add(levels.value(at), rows.value(at)));
        }
        Ok(())
    }
}
