//! The account of every row.

use crate::Reason;
use std::collections::BTreeMap;

/// Counts rows in, rows out and rows set aside by reason.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ledger {
    /// Rows read from the source.
    pub rows_in: u64,
    /// Rows written.
    pub rows_out: u64,
    /// Rows set aside, by class of reason.
    pub set_aside: BTreeMap<Reason, u64>,
    /// Rows that a selection was asked to leave out, by what they are.
    pub left_out: BTreeMap<Reason, u64>,
    /// Rows that are in a row with others: points that became a line.
    pub joined: u64,
}

/// The sum does not come out: a defect of the program, never of the data.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error(
    "the ledger does not balance: {rows_in} rows in, {rows_out} out, {left_out} left out, {set_aside} set aside, {joined} joined to others; this is a defect, the output is not to be trusted"
)]
pub struct LedgerError {
    rows_in: u64,
    rows_out: u64,
    joined: u64,
    left_out: u64,
    set_aside: u64,
}

impl Ledger {
    /// Counts a row set aside.
    pub fn set_aside(&mut self, class: &Reason) {
        match self.set_aside.get_mut(class) {
            Some(n) => *n += 1,
            None => {
                self.set_aside.insert(class.clone(), 1);
            }
        }
    }

    /// All rows set aside.
    pub fn set_aside_total(&self) -> u64 {
        self.set_aside.values().sum()
    }

    /// Counts rows that a selection left out.
    pub fn leave_out(&mut self, class: &Reason, rows: u64) {
        *self.left_out.entry(class.clone()).or_default() += rows;
    }

    /// All rows that a selection left out.
    pub fn left_out_total(&self) -> u64 {
        self.left_out.values().sum()
    }

    /// Adds another account.
    pub fn merge(&mut self, other: &Ledger) {
        self.rows_in += other.rows_in;
        self.rows_out += other.rows_out;
        self.joined += other.joined;
        for (class, n) in &other.set_aside {
            *self.set_aside.entry(class.clone()).or_default() += n;
        }
        for (class, n) in &other.left_out {
            *self.left_out.entry(class.clone()).or_default() += n;
        }
    }

    /// Checks the sum.
    ///
    /// # Errors
    /// [`LedgerError`] where rows in ≠ rows out + rows joined to others + rows left out + rows set aside.
    pub fn check(&self) -> Result<(), LedgerError> {
        let (set_aside, left_out) = (self.set_aside_total(), self.left_out_total());
        if self.rows_in == self.rows_out + self.joined + left_out + set_aside {
            Ok(())
        } else {
            let (rows_in, rows_out, joined) = (self.rows_in, self.rows_out, self.joined);
            Err(LedgerError { rows_in, rows_out, joined, left_out, set_aside })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sum_is_checked() {
        let mut ledger = Ledger { rows_in: 3, rows_out: 2, ..Default::default() };
        assert!(ledger.check().is_err());
        ledger.set_aside(&Reason::LATITUDE_OUT_OF_RANGE);
        assert!(ledger.check().is_ok());
        let mut whole = Ledger::default();
        whole.merge(&ledger);
        whole.merge(&ledger);
        assert_eq!(whole.set_aside[&Reason::LATITUDE_OUT_OF_RANGE], 2);
        assert!(whole.check().is_ok());
        whole.rows_in += 4;
        assert!(whole.check().unwrap_err().to_string().contains("0 joined to others"));
        whole.joined += 4;
        assert!(whole.check().is_ok());
    }
}
