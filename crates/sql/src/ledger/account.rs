//! The counts of one partition of one part of a plan. A function does not know for which partition it is called: whoever calls
//! it says so on the thread.

use super::Counted;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Counts by function and what became of rows.
#[derive(Debug, Default)]
pub(crate) struct Account(Mutex<BTreeMap<(&'static str, Counted), usize>>);

impl Account {
    /// Takes the counts out.
    pub(crate) fn take(&self) -> BTreeMap<(&'static str, Counted), usize> {
        std::mem::take(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn add(&self, function: &'static str, counted: Counted, rows: usize) {
        if rows > 0 {
            *self.0.lock().unwrap_or_else(PoisonError::into_inner).entry((function, counted)).or_default() += rows;
        }
    }
}

thread_local! {
    static CURRENT: RefCell<Option<Arc<Account>>> = const { RefCell::new(None) };
}

/// Does something for an account; afterwards the one before it goes on.
pub(crate) fn with<T>(account: &Arc<Account>, work: impl FnOnce() -> T) -> T {
    /// Gives the former account back, whatever the work does.
    struct Former(Option<Arc<Account>>);
    impl Drop for Former {
        fn drop(&mut self) {
            CURRENT.set(self.0.take());
        }
    }
    let _former = Former(CURRENT.replace(Some(account.clone())));
    work()
}

/// Counts rows of a function, for the account of this thread; nowhere without one.
pub(crate) fn count(function: &'static str, made: usize, empty: usize, set_aside: &BTreeMap<String, usize>) {
    CURRENT.with_borrow(|current| {
        let Some(account) = current else { return };
        account.add(function, Counted::Made, made);
        account.add(function, Counted::Empty, empty);
        for (reason, rows) in set_aside {
            account.add(function, Counted::SetAside(reason.clone()), *rows);
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn accounts_within_accounts_are_kept_apart() {
        let (outer, inner) = (Arc::new(Account::default()), Arc::new(Account::default()));
        let none = BTreeMap::new();
        count("f", 99, 0, &none);
        with(&outer, || {
            count("f", 1, 0, &none);
            with(&inner, || count("f", 2, 1, &BTreeMap::from([("bad".to_string(), 3)])));
            let panicked = std::panic::catch_unwind(|| with(&inner, || panic!("a test")));
            assert!(panicked.is_err());
            count("f", 10, 0, &none);
        });
        assert_eq!(outer.take(), BTreeMap::from([(("f", Counted::Made), 11)]));
        let expected = [(Counted::Made, 2), (Counted::Empty, 1), (Counted::SetAside("bad".into()), 3)];
        assert_eq!(inner.take(), expected.into_iter().map(|(c, n)| (("f", c), n)).collect());
    }
}
