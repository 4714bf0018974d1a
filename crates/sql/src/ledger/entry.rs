//! What is counted, and the name that it has on the way.

use std::fmt;

/// What becomes of a row.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Counted {
    /// It got a value.
    Made,
    /// It had nothing to make a value of.
    Empty,
    /// It could not be used: the class of the reason.
    SetAside(String),
}

/// A line of the ledger.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Entry {
    /// The function that made the row.
    pub function: String,
    /// The partition of the part of the plan that it is in.
    pub partition: Option<usize>,
    /// What became of the row.
    pub counted: Counted,
}

/// What names of counts begin with.
const BEGINNING: &str = "ledger/";

impl Counted {
    /// The name of a count, by which the metrics of a plan carry it.
    pub(crate) fn metric(&self, function: &str) -> String {
        format!("{BEGINNING}{function}/{self}")
    }
}

impl fmt::Display for Counted {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Counted::Made => f.write_str("made"),
            Counted::Empty => f.write_str("empty"),
            Counted::SetAside(reason) => write!(f, "set aside/{reason}"),
        }
    }
}

impl Entry {
    /// The entry that a metric is, where it is one.
    pub(crate) fn of_metric(name: &str, partition: Option<usize>) -> Option<Self> {
        let (function, counted) = name.strip_prefix(BEGINNING)?.split_once('/')?;
        let counted = match counted.split_once('/') {
            None if counted == "made" => Counted::Made,
            None if counted == "empty" => Counted::Empty,
            Some(("set aside", reason)) => Counted::SetAside(reason.to_string()),
            _ => return None,
        };
        Some(Entry { function: function.to_string(), partition, counted })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_go_and_come_back() {
        for counted in [Counted::Made, Counted::Empty, Counted::SetAside("n/a: no address".into())] {
            let name = counted.metric("geocode");
            let entry = Entry::of_metric(&name, Some(7)).unwrap();
            assert_eq!((entry.function.as_str(), entry.partition, entry.counted), ("geocode", Some(7), counted));
        }
        assert_eq!(Entry::of_metric("output_rows", None), None);
        assert_eq!(Entry::of_metric("ledger/geocode/lost", None), None);
    }
}
