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

    fn through_one(mut self, step: &BoundStep) -> Result<Self, Error> {
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
