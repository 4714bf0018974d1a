//! What a run came to: the object that `--json` prints.

use basilocus_table::Ledger;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// A run.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Report {
    /// Rows read.
    pub rows_in: u64,
    /// Rows written.
    pub rows_out: u64,
    /// Rows set aside by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Rows that are in a row with others: points that became a line.
    #[serde(skip_serializing_if = "is_zero")]
    pub joined: u64,
    /// Rows that a selection was asked to leave out, by what they are.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub left_out: BTreeMap<String, u64>,
    /// Suspicions about the data.
    pub doubts: Vec<DoubtReport>,
    /// The operation that made the coordinates, of the first layer and its first target.
    pub operation: Option<OperationReport>,
    /// Files written.
    pub outputs: Vec<PathBuf>,
    /// Wall-clock time.
    pub seconds: f64,
    /// Each layer by itself.
    pub layers: Vec<LayerReport>,
    /// What was changed for a format's sake.
    pub told: Vec<String>,
}

/// A layer.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct LayerReport {
    /// Name.
    pub name: String,
    /// File.
    pub source: PathBuf,
    /// How the file and its columns were understood.
    pub understood: Vec<String>,
    /// Rows read.
    pub rows_in: u64,
    /// Rows written.
    pub rows_out: u64,
    /// Rows set aside by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Rows that are in a row with others.
    #[serde(skip_serializing_if = "is_zero")]
    pub joined: u64,
    /// Rows that a selection was asked to leave out.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub left_out: BTreeMap<String, u64>,
    /// Matches by level.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub levels: BTreeMap<String, u64>,
    /// Positions by the notation they were read in.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub notations: BTreeMap<String, u64>,
    /// Operations, one for each target.
    pub operations: Vec<OperationReport>,
    /// Where rows set aside were written, beside workbooks.
    pub set_aside_file: Option<PathBuf>,
    /// Extent of the result in its own system: west, south, east, north.
    pub extent: Option<[f64; 4]>,
}

/// An operation.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct OperationReport {
    /// Source system.
    pub source: String,
    /// Target system.
    pub target: String,
    /// Name.
    pub name: String,
    /// Accuracy in metres; 0 for a conversion, null where nobody states one.
    pub accuracy_m: Option<f64>,
    /// Grid files used.
    pub grids: Vec<String>,
    /// Steps in words.
    pub steps: Vec<String>,
    /// What a careful user should know.
    pub notes: Vec<String>,
}

/// A suspicion about the data.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct DoubtReport {
    /// Id of the slip, `slip-08`.
    pub id: String,
    /// Layer.
    pub layer: String,
    /// Column or columns.
    pub column: Option<String>,
    /// How many rows.
    pub rows: u64,
    /// What is suspected, by what evidence, and what to do.
    pub message: String,
}

impl Report {
    /// Adds a layer's account.
    pub(crate) fn add(&mut self, ledger: &Ledger) {
        self.rows_in += ledger.rows_in;
        self.rows_out += ledger.rows_out;
        for (reason, n) in &ledger.set_aside {
            *self.set_aside.entry(reason.clone()).or_default() += n;
        }
        self.joined += ledger.joined;
        for (reason, n) in &ledger.left_out {
            *self.left_out.entry(reason.clone()).or_default() += n;
        }
    }

    /// Whether a row was set aside or a doubt raised: what `--strict` does not accept.
    pub fn is_clean(&self) -> bool {
        self.set_aside.is_empty() && self.doubts.is_empty()
    }
}

fn is_zero(n: &u64) -> bool {
    *n == 0
}
