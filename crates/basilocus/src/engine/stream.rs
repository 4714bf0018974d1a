//! Streams blocks through reader → workers → sink, in order, on all cores, in bounded memory.

use super::Passing;
use crate::Error;
use basilocus_formats::{Block, FormatError, Reader};
use crossbeam_channel::bounded;
use std::any::Any;
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// Gives every block of `reader` to `work` on all cores and the results to `sink` in the order of the source.
///
/// At most a few blocks are under way at a time, whatever the size of the source.
///
/// # Errors
/// The first error of reader, workers or sink, in the order of the source; [`Error::Cancelled`]; [`Error::Panicked`] where a
/// worker or the reader panics.
pub(crate) fn stream<T: Send>(
    reader: &mut dyn Reader,
    passing: &Passing,
    work: &(dyn Fn(Block) -> Result<T, Error> + Sync),
    sink: &mut dyn FnMut(T) -> Result<(), Error>,
) -> Result<(), Error> {
    let workers = passing.threads();
    let cancel = passing.cancel;
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
                    // A panic must become a result: a number that never comes would be waited for until every ticket
                    // is gone, and then for ever.
                    let result = catch_unwind(AssertUnwindSafe(|| work(block))).unwrap_or_else(|panic| {
                        Err(Error::Panicked { what: format!("block {}", number + 1), problem: words(&*panic) })
                    });
                    if send_result.send((number, result)).is_err() {
                        break;
                    }
                }
            });
        }
        drop((take_block, send_result));
        let outcome = in_order(&take_result, &mut |result| {
            if cancel.is_cancelled() {
                return Err(Error::Cancelled);
            }
            sink(result?)?;
            let _ = give_ticket.send(());
            Ok(())
        });
        // Dropped channels make the others stop.
        drop((take_result, give_ticket));
        let read = match reading.join() {
            Ok(read) => read.map_err(Error::from),
            Err(panic) => Err(Error::Panicked {
                what: format!("the reader of {}", passing.path.display()),
                problem: words(&*panic),
            }),
        };
        outcome?;
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        read
    })
}

/// Results in the order of their numbers.
fn in_order<T>(
    results: &crossbeam_channel::Receiver<(u64, Result<T, Error>)>,
    sink: &mut dyn FnMut(Result<T, Error>) -> Result<(), Error>,
) -> Result<(), Error> {
    let mut waiting = BTreeMap::new();
    let mut next = 0;
    for (number, result) in results {
        waiting.insert(number, result);
        while let Some(result) = waiting.remove(&next) {
            next += 1;
            sink(result)?;
        }
    }
    Ok(())
}

/// What a panic says.
fn words(panic: &(dyn Any + Send)) -> String {
    let text = panic.downcast_ref::<&str>().map(|t| t.to_string());
    text.or_else(|| panic.downcast_ref::<String>().cloned()).unwrap_or_else(|| "no message".into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::engine::Cancel;
    use arrow_schema::{Schema, SchemaRef};
    use basilocus_formats::{About, Decode, PassThrough};
    use std::num::NonZeroUsize;
    use std::path::Path;
    use std::sync::Arc;

    /// A source of numbered blocks without a file.
    struct Numbers {
        blocks: u64,
        panics_at: Option<u64>,
    }

    impl Reader for Numbers {
        fn about(&self) -> &About {
            unreachable!("nobody asks")
        }

        fn schema(&self) -> SchemaRef {
            Arc::new(Schema::empty())
        }

        fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
            for first in 0..self.blocks {
                assert!(Some(first) != self.panics_at, "the reader breaks");
                if !sink(Block::Raw { bytes: Vec::new(), first }) {
                    break;
                }
            }
            Ok(())
        }

        fn decoder(&self) -> Arc<dyn Decode> {
            Arc::new(PassThrough(self.schema()))
        }
    }

    fn number(block: Block) -> u64 {
        match block {
            Block::Raw { first, .. } => first,
            Block::Rows(_) => 0,
        }
    }

    fn passing<'a>(cancel: &'a Cancel, threads: usize) -> Passing<'a> {
        Passing { threads: NonZeroUsize::new(threads), ..Passing::quiet(Path::new("numbers"), cancel) }
    }

    fn run(
        mut reader: Numbers,
        threads: usize,
        work: &(dyn Fn(u64) -> Result<u64, Error> + Sync),
    ) -> (Vec<u64>, Result<(), Error>) {
        let cancel = Cancel::default();
        let mut got = Vec::new();
        let outcome = stream(&mut reader, &passing(&cancel, threads), &|b| work(number(b)), &mut |n| {
            got.push(n);
            Ok(())
        });
        (got, outcome)
    }

    #[test]
    fn results_come_in_order_on_any_number_of_threads() {
        for threads in [1, 2, 16] {
            let slow_first = |n: u64| {
                if n.is_multiple_of(7) {
                    std::thread::sleep(std::time::Duration::from_micros(50));
                }
                Ok(n * 2)
            };
            let (got, outcome) = run(Numbers { blocks: 500, panics_at: None }, threads, &slow_first);
            assert!(outcome.is_ok());
            assert_eq!(got, (0..500).map(|n| n * 2).collect::<Vec<_>>(), "{threads} threads");
        }
    }

    #[test]
    fn a_worker_that_panics_ends_the_run_with_the_number_of_its_block() {
        for threads in [1, 2, 16] {
            let breaks = |n: u64| if n == 40 { panic!("block {n} is odd") } else { Ok(n) };
            let (got, outcome) = run(Numbers { blocks: 1000, panics_at: None }, threads, &breaks);
            assert_eq!(got.len(), 40, "what came before is written");
            let message = outcome.unwrap_err().to_string();
            assert!(message.contains("block 41") && message.contains("block 40 is odd"), "{message}");
        }
    }

    #[test]
    fn a_reader_that_panics_ends_the_run_too() {
        let (_, outcome) = run(Numbers { blocks: 1000, panics_at: Some(60) }, 2, &Ok);
        assert!(outcome.unwrap_err().to_string().contains("the reader breaks"));
    }

    #[test]
    fn the_first_error_in_the_order_of_the_source_counts() {
        let fails = |n: u64| if n >= 30 { Err(Error::Data(format!("row of block {n}"))) } else { Ok(n) };
        let (got, outcome) = run(Numbers { blocks: 400, panics_at: None }, 4, &fails);
        assert_eq!((got.len(), outcome.unwrap_err().to_string()), (30, "row of block 30".to_string()));
    }

    #[test]
    fn a_sink_that_refuses_stops_everything() {
        let cancel = Cancel::default();
        let mut reader = Numbers { blocks: 1_000_000, panics_at: None };
        let mut seen = 0;
        let outcome = stream(&mut reader, &passing(&cancel, 3), &|b| Ok(number(b)), &mut |_| {
            seen += 1;
            if seen == 5 { Err(Error::Data("full".into())) } else { Ok(()) }
        });
        assert_eq!((seen, outcome.unwrap_err().to_string()), (5, "full".to_string()));
    }
}
