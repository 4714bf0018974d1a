//! The review of a run: the rows in doubt, and what was found for the others, until the answers come back.

use super::{Known, ReviewRow, Store, write};
use crate::Error;
use crate::engine::ReviewFiles;
use basilocus_formats::PendingOutput;
use basilocus_table::counted::{counted, is_or_are};

/// The rows in doubt of a layer, and what was found for the others, until the answers come back.
pub(crate) struct Review {
    pending: PendingOutput,
    store: Store,
    rows: Vec<ReviewRow>,
}

/// Rows that a sheet for review holds.
const MAX_REVIEWED: usize = 1_000_000;

impl Review {
    /// Begins a review with the files that a step asked for.
    pub(crate) fn start(files: &ReviewFiles, overwrite: bool) -> Result<Self, Error> {
        let pending = PendingOutput::new(&files.workbook, overwrite)?;
        let store = Store::open(&files.store)?;
        store.start_run(&files.fingerprint)?;
        Ok(Review { pending, store, rows: Vec::new() })
    }

    /// Adds rows in doubt, and what was found for all.
    pub(crate) fn add(&mut self, doubtful: Vec<ReviewRow>, found: &[(String, Known)]) -> Result<(), Error> {
        self.rows.extend(doubtful);
        if self.rows.len() > MAX_REVIEWED {
            return Err(Error::Data(format!(
                "more than {MAX_REVIEWED} rows are in doubt, which no person can answer; look at their reasons in the rows set aside of a run without `review`"
            )));
        }
        self.store.add_found(found)
    }

    /// Writes the workbook. Gives what to tell of it.
    pub(crate) fn finish(self, date: &str) -> Result<(PendingOutput, String), Error> {
        self.store.end_run()?;
        let asked = write(&self.pending, &self.rows, date)?;
        let path = self.pending.target().display().to_string();
        let told = format!(
            "{} with {} {} in doubt: answer in {path}, then run this again with `answers` {path}; what was found for the other rows waits in {}",
            counted(self.rows.len() as u64, "row"),
            counted(asked, "different address"),
            is_or_are(self.rows.len() as u64),
            self.store.path().display()
        );
        Ok((self.pending, told))
    }
}
