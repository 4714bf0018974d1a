//! What a step can ask when it is bound, before a row is read, and where it says what it decided.

use super::columns::Columns;
use super::rows::Rows;
use super::{Account, BoundStep, roles_of};
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::coordinates::fitted::Fitted;
use crate::report::OperationReport;
use crate::steps::{Positions, Settled};
use basilocus_formats::Format;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Role;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What a step can ask when it is bound.
pub struct Setting<'a> {
    pub(crate) source: &'a Path,
    pub(crate) outputs: &'a [Format],
    /// The first output, where there is one.
    pub(crate) beside: Option<&'a Path>,
    pub(crate) day: &'a str,
    pub(crate) finder: Arc<Finder>,
    pub(crate) decisions: Decisions,
    pub(crate) bound: Vec<BoundStep>,
    sample: Rows,
    /// How many of the bound steps the sample went through.
    sampled: usize,
}

/// What steps decided, for reports and for what comes after them.
#[derive(Default)]
pub(crate) struct Decisions {
    /// How the source and its columns were read.
    pub interpretation: Vec<String>,
    /// What a user should be told.
    pub notices: Vec<String>,
    /// Where positions were found, as a step that says all of it.
    pub positions: Option<Positions>,
    /// Columns of addresses, by the part that each holds.
    pub addresses: BTreeMap<String, String>,
    /// Operations, one for each target system.
    pub operations: Vec<TakenOperation>,
    /// The review of addresses that was asked for.
    pub review: Option<ReviewFiles>,
    /// Whether addresses are asked for, so that asking for one twice is no slip.
    pub asks_for_addresses: bool,
    /// Columns that are left over and with which more addresses would be placed.
    pub unused_columns: Vec<UnusedColumn>,
    /// Columns that seem to be parts of the positions, and were not said to be.
    pub left_out_parts: Vec<String>,
}

impl Decisions {
    /// Takes what steps have to tell once they decided by all rows.
    pub(crate) fn tell(&mut self, settled: Settled) {
        self.interpretation.extend(settled.read_as);
        self.notices.extend(settled.notices);
    }
}

/// A column that is left over and with which more addresses would be placed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct UnusedColumn {
    pub column: String,
    /// What it would be.
    pub role: Role,
    /// Of so many rows that were tried, how many would be placed better.
    pub better: u64,
    pub tried: u64,
}

/// An operation that was taken.
pub(crate) struct TakenOperation {
    pub target: Crs,
    pub operation: Arc<Operation>,
    pub report: OperationReport,
    /// What the digits that a workbook shows of its columns are worth.
    pub worth: Option<String>,
    /// The fitted transformation that is a part of it.
    pub fitted: Option<Arc<Fitted>>,
}

impl TakenOperation {
    /// The report once all rows were seen: beyond its control pairs a fitted transformation is worth less.
    pub(crate) fn report_at_the_end(&self) -> OperationReport {
        let mut report = self.report.clone();
        if let Some(fitted) = &self.fitted {
            let (accuracy_m, told) = fitted.accuracy(report.accuracy_m);
            report.accuracy_m = accuracy_m;
            report.notes.extend(told);
        }
        report
    }
}

/// The files of a review.
#[derive(Debug, Clone)]
pub(crate) struct ReviewFiles {
    pub workbook: PathBuf,
    pub store: PathBuf,
    pub fingerprint: String,
}

impl<'a> Setting<'a> {
    pub(crate) fn new(
        source: &'a Path,
        outputs: &'a [Format],
        day: &'a str,
        finder: Arc<Finder>,
        first_rows: Rows,
    ) -> Self {
        let (decisions, bound) = Default::default();
        Setting { source, outputs, beside: None, day, finder, decisions, bound, sample: first_rows, sampled: 0 }
    }

    /// The file that the rows come from, for messages.
    pub fn source(&self) -> &Path {
        self.source
    }

    /// Says something that a user should know, once for the whole run.
    pub fn note(&mut self, text: impl Into<String>) {
        self.decisions.notices.push(text.into());
    }

    /// Says how the columns were read.
    pub fn interpret(&mut self, text: impl Into<String>) {
        self.decisions.interpretation.push(text.into());
    }

    /// The first rows as they come to this step.
    ///
    /// # Errors
    /// Those of the steps before.
    pub fn sample(&mut self) -> Result<&Rows, Error> {
        for step in &self.bound[self.sampled..] {
            let rows = self.sample.clone();
            let mut account = Account::new(rows.len());
            let rows = step.work.apply(rows, &mut account)?;
            self.sample = match account.into_parts().keep {
                Some(keep) => rows.filtered(&keep)?,
                None => rows,
            };
        }
        self.sampled = self.bound.len();
        Ok(&self.sample)
    }

    /// Finds what the columns seem to be, by headers and the values of the first rows, where no step did before.
    pub(crate) fn find_roles(&mut self, columns: &mut Columns) -> Result<(), Error> {
        if columns.roles_known {
            return Ok(());
        }
        let found = roles_of(self.sample()?);
        for (at, role) in found.into_iter().enumerate() {
            columns.set_role(at, role);
        }
        columns.roles_known = true;
        Ok(())
    }
}
