//! Runs the steps of layers: source → steps → outputs, in order, on all cores, in bounded memory.
//!
//! | module | what is in it |
//! |---|---|
//! | `run` | a whole plan: outputs prepared, layers run, everything moved to its place together |
//! | `layer_run` | one layer: its passes, its rows, its account |
//! | `chain` | the steps of a layer, bound one after the other |
//! | `block` | one block of rows through the steps |
//! | `stream` | reader → workers → sink |
//! | [`Rows`], [`Columns`], [`Account`], [`Setting`] | what steps work with |
//! | `outputs`, `split`, `set_aside` | the files that a run writes |
//! | `source`, `memory`, `stream_reader` | where rows come from |
//! | `roles` | what columns seem to be |
//! | `reach` | how far positions reach |

mod account;
mod accuracy;
mod block;
mod chain;
mod columns;
mod layer_run;
pub(crate) mod memory;
mod outputs;
mod overview;
mod pinned;
mod reach;
mod roles;
mod rows;
mod run;
pub(crate) mod set_aside;
mod setting;
pub(crate) mod source;
mod split;
mod stream;
pub(crate) mod stream_reader;
mod workbook_about;

pub use account::Account;
pub(crate) use account::Counts;
pub(crate) use block::{BoundStep, Part};
pub(crate) use chain::{Chain, Run};
pub use columns::{Column, Columns, Placed, PlacedFrom};
pub use memory::Records;
pub(crate) use reach::{Reach, is_in_degrees};
pub(crate) use roles::roles_of;
pub use rows::{Coordinates, Rows};
pub(crate) use rows::{is_geometry, middle, points, put};
pub use run::{RunOptions, run};
pub use setting::Setting;
pub(crate) use setting::{Decisions, ReviewFiles, TakenOperation, UnusedColumn};
pub(crate) use stream::stream;
pub use stream_reader::{RecordReceiver, RecordStream};

use std::num::NonZeroUsize;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// A flag that another thread (a signal handler) can set to stop a run.
///
/// ```
/// use basilocus::formats::Format;
/// use basilocus::{Cancel, ErrorKind, Layer, RunOptions};
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let cancel = Cancel::default();
/// let options = RunOptions { cancel: cancel.clone(), ..Default::default() };
/// cancel.cancel(); // from another thread, as a rule
/// let layer = Layer::from_reader("gate\nA\n".as_bytes(), Format::Delimited)?.write(&out)?;
/// assert_eq!(layer.run_with(&options).unwrap_err().kind(), ErrorKind::Cancelled);
/// assert!(!out.exists());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Cancel(Arc<AtomicBool>);

impl Cancel {
    /// Asks the run to stop.
    pub fn cancel(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether the run was asked to stop.
    pub fn is_cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// Told how a run goes on.
pub trait Progress: Send + Sync {
    /// Work on a layer begins; `bytes` is the size of its file. `pass` is what is done in words.
    fn start(&self, layer: &str, pass: &str, bytes: u64);
    /// So many bytes of it, and so many rows, are done.
    fn advance(&self, bytes: u64, rows: u64);
    /// Something that is worth to be seen beside it, such as what a service was asked so far.
    fn tell(&self, _words: &str) {}
    /// The pass is over.
    fn finish(&self);
}

/// What work can use while it decides by all rows ([`crate::steps::Work::settle`]).
#[derive(Clone, Copy)]
pub struct Settling<'a> {
    /// Name of the layer, for the progress.
    pub layer: &'a str,
    /// Whether somebody asked the run to stop.
    pub cancel: &'a Cancel,
    /// Told how it goes on.
    pub progress: &'a dyn Progress,
}

/// Nobody is told.
impl Progress for () {
    fn start(&self, _: &str, _: &str, _: u64) {}
    fn advance(&self, _: u64, _: u64) {}
    fn finish(&self) {}
}

/// How rows are passed through.
#[derive(Clone, Copy)]
pub(crate) struct Passing<'a> {
    /// The source, for messages.
    pub path: &'a Path,
    /// Name of the layer, for the progress.
    pub layer: &'a str,
    pub cancel: &'a Cancel,
    pub progress: &'a dyn Progress,
    /// Threads that work on blocks; as many as there are cores without it.
    pub threads: Option<NonZeroUsize>,
}

impl<'a> Passing<'a> {
    /// On all cores, telling nobody.
    pub(crate) fn quiet(path: &'a Path, cancel: &'a Cancel) -> Self {
        Passing { path, layer: "", cancel, progress: &(), threads: None }
    }

    fn threads(&self) -> usize {
        self.threads.or_else(|| std::thread::available_parallelism().ok()).map_or(2, usize::from)
    }
}
