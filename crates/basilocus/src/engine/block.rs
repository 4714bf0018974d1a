//! One block of rows through bound steps.

use super::account::Parts;
use super::columns::Columns;
use super::{Account, Counts, Rows};
use crate::Error;
use crate::steps::Work;
use arrow_schema::SchemaRef;
use basilocus_formats::Decoded;
use basilocus_table::{Reason, SetAsideRow};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A step that is bound.
pub(crate) struct BoundStep {
    pub name: String,
    /// The columns that leave it.
    pub columns: Columns,
    pub schema: SchemaRef,
    pub work: Box<dyn Work>,
    pub is_dear: bool,
    /// Whether rows without a position have to go before it.
    pub needs_positions: bool,
    pub keeps_positions: bool,
}

/// What became of a block.
pub(crate) struct Part {
    /// The rows that are still in use.
    pub rows: Rows,
    pub set_aside: Vec<SetAsideRow>,
    pub left_out: BTreeMap<Reason, u64>,
    pub rows_in: u64,
    /// Roughly how many bytes of the source this was.
    pub bytes: u64,
    pub counts: Counts,
}

impl Part {
    /// A block as it was read.
    pub(crate) fn new(decoded: Decoded) -> Self {
        Part {
            rows_in: (decoded.batch.len() + decoded.set_aside.len()) as u64,
            rows: Rows::read(decoded.batch),
            set_aside: decoded.set_aside,
            left_out: BTreeMap::new(),
            bytes: decoded.bytes,
            counts: Counts::default(),
        }
    }

    /// The block through steps, one after the other.
    ///
    /// # Errors
    /// Those of the steps; [`Error::Defect`] where one gives other columns than it said.
    pub(crate) fn through(self, steps: &[BoundStep]) -> Result<Self, Error> {
        steps.iter().try_fold(self, Part::through_one)
    }

    /// The block without its rows that have no position, which are set aside before a step that needs one.
    ///
    /// # Errors
    /// [`Error::Defect`] where rows cannot be taken out.
    pub(crate) fn placed(mut self) -> Result<Self, Error> {
        let [x, ..] = self.rows.positions();
        let keep: Vec<bool> = x.iter().map(|x| x.is_finite()).collect();
        let unplaced = keep.iter().filter(|k| !**k).count() as u64;
        if unplaced == 0 {
            return Ok(self);
        }
        for row in (0..keep.len()).filter(|row| !keep[*row]) {
            let reason = "the row has no geometry, and what is done to it needs a place";
            self.set_aside.push(self.rows.set_aside(row, Reason::NO_GEOMETRY, reason.into()));
        }
        self.counts.without_geometry = self.counts.without_geometry.saturating_sub(unplaced);
        let rows = self.rows.filtered(&keep)?;
        Ok(Part { rows, ..self })
    }

    fn through_one(mut self, step: &BoundStep) -> Result<Self, Error> {
        if step.needs_positions {
            self = self.placed()?;
        }
        let before = self.rows.clone_origin();
        let mut account = Account::new(self.rows.len());
        let mut rows = step.work.apply(self.rows, &mut account)?;
        if !step.keeps_positions {
            rows.forget_placed();
        }
        let made = rows.records().schema_ref();
        if !(Arc::ptr_eq(made, &step.schema) || made == &step.schema) {
            return Err(Error::Defect(format!(
                "the step \"{}\" said that its columns are {}, and gave {}",
                step.name,
                names(&step.schema),
                names(made)
            )));
        }
        let Parts { keep, set_aside, left_out, counts } = account.into_parts();
        let aside = set_aside.into_iter().map(|(row, class, reason)| before.set_aside(row, class, reason));
        let aside: Vec<SetAsideRow> = aside.collect();
        if rows.take_spread() {
            self.rows_in += (rows.len() + aside.len()) as u64 - before.len() as u64;
        } else if let Some(keep) = keep {
            rows = rows.filtered(&keep)?;
        }
        self.set_aside.extend(aside);
        for (class, n) in left_out {
            *self.left_out.entry(class).or_default() += n;
        }
        self.counts.merge(counts);
        Ok(Part { rows, ..self })
    }
}

fn names(schema: &SchemaRef) -> String {
    schema.fields().iter().map(|f| f.name().as_str()).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::{ArrayRef, RecordBatch, StringArray};
    use basilocus_table::Batch;

    fn decoded(values: &[&str]) -> Decoded {
        let column: ArrayRef = Arc::new(StringArray::from(values.to_vec()));
        let records = RecordBatch::try_from_iter([("v", column)]).unwrap();
        let batch = Batch::of(records, (2..2 + values.len() as u64).collect()).unwrap();
        let ragged =
            SetAsideRow { source_row: 99, class: Reason::new("ragged row"), reason: "ragged".into(), values: vec![] };
        Decoded { batch, set_aside: vec![ragged], bytes: 7 }
    }

    /// Sets aside what has a value, and leaves out what has another.
    struct Without(&'static str, &'static str);

    impl Work for Without {
        fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
            let column = rows.records().column(0).as_any().downcast_ref::<StringArray>().unwrap().clone();
            for (row, value) in column.iter().enumerate() {
                match value {
                    Some(v) if v == self.0 => account.set_aside(row, "bad", format!("{v} is bad")),
                    Some(v) if v == self.1 => account.leave_out(row, "other"),
                    _ => {}
                }
            }
            Ok(rows)
        }
    }

    fn bound(work: impl Work + 'static, schema: &SchemaRef) -> BoundStep {
        BoundStep {
            name: "without".into(),
            columns: Columns::of_source(schema, false),
            schema: schema.clone(),
            work: Box::new(work),
            is_dear: false,
            needs_positions: false,
            keeps_positions: true,
        }
    }

    #[test]
    fn every_row_is_counted_once_whatever_steps_do() {
        let block = decoded(&["a", "b", "c", "a", "d"]);
        let schema = block.batch.records().schema();
        let steps = [bound(Without("a", "b"), &schema), bound(Without("b", "c"), &schema)];
        let part = Part::new(block).through(&steps).unwrap();
        assert_eq!((part.rows_in, part.bytes), (6, 7), "the row that the reader set aside is one of them");
        assert_eq!(part.rows.source_rows(), [6]);
        let aside: Vec<(u64, &str)> = part.set_aside.iter().map(|r| (r.source_row, r.reason.as_str())).collect();
        assert_eq!(aside, [(99, "ragged"), (2, "a is bad"), (5, "a is bad")]);
        assert_eq!(part.left_out.values().sum::<u64>(), 2, "b by the first step, c by the second");
        let counted = part.rows.len() + part.set_aside.len() + part.left_out.values().sum::<u64>() as usize;
        assert_eq!(counted as u64, part.rows_in);
    }

    #[test]
    fn no_step_and_no_row_are_no_trouble() {
        let part = Part::new(decoded(&["a"])).through(&[]).unwrap();
        assert_eq!(part.rows.len(), 1);
        let empty = decoded(&[]);
        let schema = empty.batch.records().schema();
        let part = Part::new(empty).through(&[bound(Without("a", "b"), &schema)]).unwrap();
        assert!(part.rows.is_empty() && part.rows_in == 1);
    }
}
