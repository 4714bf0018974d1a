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

    #[test]
    fn each_way_that_a_row_can_go_counts_once() {
        let mut ledger = Ledger { rows_in: 10, rows_out: 4, joined: 1, ..Default::default() };
        ledger.leave_out(&Reason::OTHER_VALUE, 2);
        ledger.leave_out(&Reason::OTHER_VALUE, 1);
        ledger.set_aside(&Reason::NO_COORDINATES);
        ledger.set_aside(&Reason::LATITUDE_OUT_OF_RANGE);
        assert_eq!((ledger.left_out_total(), ledger.set_aside_total()), (3, 2));
        assert!(ledger.check().is_ok());
        // One row more or less anywhere, and it does not balance.
        type Change = fn(&mut Ledger);
        let changes: [Change; 5] = [
            |l| l.rows_in += 1,
            |l| l.rows_out -= 1,
            |l| l.joined += 1,
            |l| l.leave_out(&Reason::OTHER_VALUE, 1),
            |l| l.set_aside(&Reason::NO_COORDINATES),
        ];
        for change in changes {
            let mut other = ledger.clone();
            change(&mut other);
            assert!(other.check().is_err(), "{other:?}");
        }
        ledger.rows_in = 11;
        assert_eq!(
            ledger.check().unwrap_err().to_string(),
            "the ledger does not balance: 11 rows in, 4 out, 3 left out, 2 set aside, 1 joined to others; this is a defect, the output is not to be trusted"
        );
    }

    #[test]
    fn accounts_of_parts_add_up_by_reason() {
        let part = |rows_in: u64, reason: &Reason| {
            let mut one = Ledger { rows_in, rows_out: rows_in - 3, joined: 1, ..Default::default() };
            one.set_aside(reason);
            one.leave_out(reason, 1);
            one
        };
        let (a, b) = (part(10, &Reason::NO_COORDINATES), part(20, &Reason::LATITUDE_OUT_OF_RANGE));
        let mut whole = a.clone();
        whole.merge(&b);
        whole.merge(&a);
        assert_eq!((whole.rows_in, whole.rows_out, whole.joined), (40, 31, 3));
        for counts in [&whole.set_aside, &whole.left_out] {
            assert_eq!(counts[&Reason::NO_COORDINATES], 2);
            assert_eq!(counts[&Reason::LATITUDE_OUT_OF_RANGE], 1);
        }
        assert!(whole.check().is_ok());
    }
}
