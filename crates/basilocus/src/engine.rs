//! Streams blocks through reader → workers → writer, in order, on all cores, in bounded memory.

use crate::Error;
use basilocus_formats::{Block, FormatError, Reader};
use crossbeam_channel::bounded;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// A flag that another thread (a signal handler) can set to stop a run.
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
    /// The pass is over.
    fn finish(&self);
}

/// Nobody is told.
impl Progress for () {
    fn start(&self, _: &str, _: &str, _: u64) {}
    fn advance(&self, _: u64, _: u64) {}
    fn finish(&self) {}
}

/// Gives every block of `reader` to `work` on all cores and the results to `sink` in the order of the source.
///
/// At most a few blocks are under way at a time, whatever the size of the source.
///
/// # Errors
/// The first error of reader, workers or sink, in the order of the source; [`Error::Cancelled`].
pub fn stream<T: Send>(
    reader: &mut dyn Reader,
    cancel: &Cancel,
    work: &(dyn Fn(Block) -> Result<T, Error> + Sync),
    sink: &mut dyn FnMut(T) -> Result<(), Error>,
) -> Result<(), Error> {
    let workers = std::thread::available_parallelism().map_or(2, usize::from);
    let under_way = workers * 2 + 2;
    std::thread::scope(|scope| {
        // A ticket is taken for each block that is read and given back when its result is written.
        let (give_ticket, take_ticket) = bounded::<()>(under_way);
        for _ in 0..under_way {
            let _ = give_ticket.send(());
        }
        let (send_block, take_block) = bounded::<(u64, Block)>(under_way);
        let (send_result, take_result) = bounded::<(u64, Result<T, Error>)>(under_way);
        let reading = scope.spawn(move || -> Result<(), FormatError> {
            let mut number = 0;
            reader.read(&mut |block| {
                if cancel.is_cancelled() || take_ticket.recv().is_err() || send_block.send((number, block)).is_err() {
                    return false;
                }
                number += 1;
                true
            })
        });
        for _ in 0..workers {
            let (take_block, send_result) = (take_block.clone(), send_result.clone());
            scope.spawn(move || {
                for (number, block) in take_block {
                    if send_result.send((number, work(block))).is_err() {
                        break;
                    }
                }
            });
        }
        drop((take_block, send_result));
        let mut waiting = BTreeMap::new();
        let mut next = 0;
        let mut outcome = Ok(());
        'results: for (number, result) in &take_result {
            waiting.insert(number, result);
            while let Some(result) = waiting.remove(&next) {
                next += 1;
                let written = if cancel.is_cancelled() { Err(Error::Cancelled) } else { result.and_then(&mut *sink) };
                if let Err(e) = written {
                    outcome = Err(e);
                    break 'results;
                }
                let _ = give_ticket.send(());
            }
        }
        // Dropped channels make the others stop.
        drop((take_result, give_ticket));
        let read = reading.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic));
        outcome?;
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        Ok(read?)
    })
}
