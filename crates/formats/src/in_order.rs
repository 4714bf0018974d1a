//! Parts that are looked at on all cores, and put together in the order in which they came.

use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError, mpsc};

/// What is found in parts.
pub(crate) trait Merge: Default + Send {
    /// Takes what was found in the part behind.
    fn merge(&mut self, other: Self);
}

/// What the threads have found so far.
#[derive(Default)]
struct Together<S> {
    found: S,
    merged: u64,
    waiting: BTreeMap<u64, S>,
}

impl<S: Merge> Together<S> {
    fn add(&mut self, number: u64, part: S) {
        self.waiting.insert(number, part);
        while let Some(next) = self.waiting.remove(&self.merged) {
            self.found.merge(next);
            self.merged += 1;
        }
    }
}

/// Looks at the parts that `give` hands to its argument, which says false where no more is taken. What all of them have in
/// common, and what `give` came to; nothing found where a part was not looked at.
pub(crate) fn on_all_cores<P: Send, S: Merge, R>(
    look: impl Fn(P) -> S + Sync,
    give: impl FnOnce(&mut dyn FnMut(P) -> bool) -> R,
) -> (Option<S>, R) {
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let together = Mutex::new(Together::default());
    let (sender, receiver) = mpsc::sync_channel::<(u64, P)>(threads);
    let receiver = Mutex::new(receiver);
    let mut sent = 0;
    let given = std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                loop {
                    let next = receiver.lock().unwrap_or_else(PoisonError::into_inner).recv();
                    let Ok((number, part)) = next else { return };
                    let found = look(part);
                    together.lock().unwrap_or_else(PoisonError::into_inner).add(number, found);
                }
            });
        }
        let given = give(&mut |part| {
            let taken = sender.send((sent, part)).is_ok();
            sent += u64::from(taken);
            taken
        });
        drop(sender);
        given
    });
    let together = together.into_inner().unwrap_or_else(PoisonError::into_inner);
    ((together.merged == sent).then_some(together.found), given)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Default)]
    struct Numbers(Vec<u32>);

    impl Merge for Numbers {
        fn merge(&mut self, other: Self) {
            self.0.extend(other.0);
        }
    }

    #[test]
    fn what_is_found_is_in_the_order_of_the_parts() {
        let look = |n: u32| {
            // Some take longer than those behind them.
            std::thread::sleep(std::time::Duration::from_micros(u64::from(n % 7) * 100));
            Numbers(vec![n, 1000 + n])
        };
        let (found, taken) = on_all_cores(look, |sink| (0..200).filter(|n| sink(*n)).count());
        let wanted: Vec<u32> = (0..200).flat_map(|n| [n, 1000 + n]).collect();
        assert_eq!((found.map(|n| n.0), taken), (Some(wanted), 200));
    }
}
