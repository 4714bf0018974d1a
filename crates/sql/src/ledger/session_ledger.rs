//! The counts of a session.

use super::{Counted, Entry};
use datafusion::common::tree_node::{TreeNode, TreeNodeRecursion};
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_plan::metrics::MetricValue;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// The ledger of the last query of a session that went through our functions and tables.
#[derive(Debug, Default)]
pub struct SessionLedger(Mutex<BTreeMap<Entry, u64>>);

impl SessionLedger {
    /// Takes the counts of a query in place of those of the one before. A query that went through none of our functions and
    /// tables leaves it as it is, so that the ledger can be asked for more than once. Says whether it was
    /// taken.
    pub fn set(&self, entries: BTreeMap<Entry, u64>) -> bool {
        let is_new = !entries.is_empty();
        if is_new {
            *self.0.lock().unwrap_or_else(PoisonError::into_inner) = entries;
        }
        is_new
    }

    /// All lines.
    pub fn entries(&self) -> BTreeMap<Entry, u64> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// What was set aside, in words, function by function; nothing where all rows were used.
    pub fn words(&self) -> Vec<String> {
        let mut by_function: BTreeMap<String, BTreeMap<String, (u64, Vec<usize>)>> = BTreeMap::new();
        for (entry, rows) in self.entries() {
            let Counted::SetAside(reason) = entry.counted else { continue };
            let line = by_function.entry(entry.function).or_default().entry(reason).or_default();
            line.0 += rows;
            line.1.extend(entry.partition);
        }
        let line = |(function, reasons): (String, BTreeMap<String, (u64, Vec<usize>)>)| {
            let parts = |mut list: Vec<usize>| {
                list.sort_unstable();
                list.dedup();
                let shown: Vec<String> = list.iter().take(8).map(usize::to_string).collect();
                let more = if list.len() > 8 { format!(" and {} more", list.len() - 8) } else { String::new() };
                format!("partition {}{more}", shown.join(", "))
            };
            let reasons =
                reasons.into_iter().map(|(reason, (rows, list))| format!("{rows} {reason} ({})", parts(list)));
            format!("{function}: {}", reasons.collect::<Vec<_>>().join("; "))
        };
        by_function.into_iter().map(line).collect()
    }
}

/// What the metrics of a plan that was run here say.
pub fn of_plan(plan: &Arc<dyn ExecutionPlan>) -> BTreeMap<Entry, u64> {
    let mut entries = BTreeMap::new();
    let _ = plan.apply(|part| {
        for metric in part.metrics().iter().flat_map(|m| m.iter()) {
            if let MetricValue::Count { name, count } = metric.value()
                && let Some(entry) = Entry::of_metric(name, metric.partition())
            {
                *entries.entry(entry).or_default() += count.value() as u64;
            }
        }
        Ok(TreeNodeRecursion::Continue)
    });
    entries
}

#[cfg(test)]
mod tests {
    use super::*;

    fn entry(function: &str, partition: Option<usize>, counted: Counted) -> Entry {
        Entry { function: function.into(), partition, counted }
    }

    fn aside(reason: &str) -> Counted {
        Counted::SetAside(reason.into())
    }

    #[test]
    fn what_was_set_aside_is_told_by_function_and_reason_with_its_partitions() {
        let ledger = SessionLedger::default();
        assert!(ledger.words().is_empty());
        let entries = BTreeMap::from([
            (entry("geocode", Some(12), aside("no address")), 2),
            (entry("geocode", Some(3), aside("no address")), 5),
            (entry("geocode", Some(3), aside("street not found")), 1),
            (entry("geocode", Some(3), Counted::Made), 99),
            (entry("read_layer", None, Counted::Empty), 4),
            (entry("ST_X", Some(0), aside("not a geometry")), 7),
        ]);
        assert!(ledger.set(entries.clone()));
        assert_eq!(
            ledger.words(),
            [
                "ST_X: 7 not a geometry (partition 0)",
                "geocode: 7 no address (partition 3, 12); 1 street not found (partition 3)"
            ]
        );
        assert_eq!(ledger.entries(), entries);
        // A query that counts nothing, as one of the ledger itself, leaves it.
        assert!(!ledger.set(BTreeMap::new()));
        assert_eq!(ledger.entries(), entries);
        let next = BTreeMap::from([(entry("geocode", None, Counted::Made), 1)]);
        assert!(ledger.set(next.clone()) && ledger.entries() == next && ledger.words().is_empty());
    }

    #[test]
    fn of_many_partitions_the_first_are_named() {
        let ledger = SessionLedger::default();
        let entries = (0..10).map(|n| (entry("f", Some(n), aside("bad")), 1));
        ledger.set(entries.collect());
        assert_eq!(ledger.words(), ["f: 10 bad (partition 0, 1, 2, 3, 4, 5, 6, 7 and 2 more)"]);
    }
}
