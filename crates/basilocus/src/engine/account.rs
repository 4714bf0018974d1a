//! What steps tell of rows: those set aside or left out, and what is counted.

use crate::addresses::review::{Known, ReviewRow};
use basilocus_table::Reason;
use std::collections::BTreeMap;

/// What a step tells of the rows that it was given.
#[derive(Debug, Default)]
pub struct Account {
    /// Rows that are not in use any more; as long as the rows once the first is told.
    gone: Vec<bool>,
    set_aside: Vec<(usize, Reason, String)>,
    left_out: BTreeMap<Reason, u64>,
    pub(crate) counts: Counts,
}

/// What is counted beside the ledger.
#[derive(Debug, Default)]
pub(crate) struct Counts {
    /// Matches by level.
    pub levels: BTreeMap<String, u64>,
    /// Positions by the notation they were read in.
    pub notations: BTreeMap<&'static str, u64>,
    /// Rows whose numbers are written with a comma, and with a point alone.
    pub marks: (u64, u64),
    /// Longitudes beyond 180° that were taken as those within it.
    pub turned: u64,
    /// Rows that are kept without a geometry.
    pub without_geometry: u64,
    /// Addresses whose parts contradict each other.
    pub contradictions: u64,
    /// Rows for the review.
    pub doubtful: Vec<ReviewRow>,
    /// What was found for addresses, for a later run with answers.
    pub found: Vec<(String, Known)>,
}

impl Account {
    /// For so many rows.
    pub(crate) fn new(rows: usize) -> Self {
        Account { gone: vec![false; rows], ..Default::default() }
    }

    /// A row cannot be used: it is set aside with the reason, and takes part in no further step.
    ///
    /// `row` is its place among the rows that the step was given; `reason` names column, value, what was expected and what
    /// to do. A row is set aside once: further reasons do not count.
    pub fn set_aside(&mut self, row: usize, class: impl Into<Reason>, reason: impl Into<String>) {
        if self.goes(row) {
            self.set_aside.push((row, class.into(), reason.into()));
        }
    }

    /// A row was not asked for: it is counted, and written nowhere.
    pub fn leave_out(&mut self, row: usize, class: impl Into<Reason>) {
        if self.goes(row) {
            *self.left_out.entry(class.into()).or_default() += 1;
        }
    }

    /// Whether a row was neither set aside nor left out by this step.
    pub fn is_in_use(&self, row: usize) -> bool {
        self.gone.get(row).is_none_or(|gone| !gone)
    }

    fn goes(&mut self, row: usize) -> bool {
        self.gone.get_mut(row).is_some_and(|gone| !std::mem::replace(gone, true))
    }

    /// What is to be done with the rows, and what was counted.
    pub(crate) fn into_parts(self) -> Parts {
        let any = !(self.set_aside.is_empty() && self.left_out.is_empty());
        let keep = any.then(|| self.gone.iter().map(|gone| !gone).collect());
        Parts { keep, set_aside: self.set_aside, left_out: self.left_out, counts: self.counts }
    }
}

/// What an account came to.
pub(crate) struct Parts {
    /// Which rows stay, where not all of them do.
    pub keep: Option<Vec<bool>>,
    /// Place, class and reason of the rows that were set aside.
    pub set_aside: Vec<(usize, Reason, String)>,
    pub left_out: BTreeMap<Reason, u64>,
    pub counts: Counts,
}

impl Counts {
    pub(crate) fn add_level(&mut self, level: &str) {
        match self.levels.get_mut(level) {
            Some(n) => *n += 1,
            None => {
                self.levels.insert(level.to_string(), 1);
            }
        }
    }

    pub(crate) fn merge(&mut self, other: Counts) {
        for (level, n) in other.levels {
            *self.levels.entry(level).or_default() += n;
        }
        for (notation, n) in other.notations {
            *self.notations.entry(notation).or_default() += n;
        }
        self.marks.0 += other.marks.0;
        self.marks.1 += other.marks.1;
        self.turned += other.turned;
        self.without_geometry += other.without_geometry;
        self.contradictions += other.contradictions;
        self.doubtful.extend(other.doubtful);
        self.found.extend(other.found);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_row_goes_once() {
        let mut account = Account::new(3);
        account.leave_out(1, Reason::OTHER_VALUE);
        account.set_aside(1, Reason::NO_HEIGHT, "late");
        account.set_aside(2, "flooded", "under water");
        account.set_aside(7, "flooded", "there is no such row");
        assert!(account.is_in_use(0) && !account.is_in_use(1));
        let Parts { keep, set_aside: aside, left_out, .. } = account.into_parts();
        assert_eq!(keep, Some(vec![true, false, false]));
        assert_eq!(aside, [(2, Reason::new("flooded"), "under water".to_string())]);
        assert_eq!(left_out[&Reason::OTHER_VALUE], 1);
        assert_eq!(Account::new(2).into_parts().keep, None, "nothing to take out");
    }

    #[test]
    fn counts_of_parts_add_up() {
        let mut all = Counts::default();
        for _ in 0..2 {
            let mut part = Counts { marks: (1, 2), contradictions: 3, ..Default::default() };
            part.add_level("street");
            part.add_level("street");
            part.add_level("locality");
            part.notations.insert("utm", 5);
            all.merge(part);
        }
        assert_eq!((all.levels["street"], all.levels["locality"], all.notations["utm"]), (4, 2, 10));
        assert_eq!((all.marks, all.contradictions), ((2, 4), 6));
    }
}
