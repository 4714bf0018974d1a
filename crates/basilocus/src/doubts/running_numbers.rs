//! Columns that count the rows from one on, and the numbers that are missing there.

use std::collections::BTreeMap;

/// Runs of numbers that are kept of a column: one with more does not count rows.
const MOST_RUNS: usize = 10_000;
/// With fewer rows a number that is missing is no sign.
const LEAST: u64 = 20;
/// No more than that share is missing.
const MISSING: f64 = 0.2;
/// Gaps that are named; with more of them rows were rather deleted in the course of time than lost at once, unless they are
/// hardly any.
const NAMED: usize = 3;
/// The share of rows that are hardly any.
const HARDLY_ANY: f64 = 0.01;

/// The numbers of a column as runs without a gap, by their first ones.
#[derive(Debug, Default)]
pub(super) struct RunningNumbers {
    runs: BTreeMap<u64, u64>,
    /// The run that values are just added to, which is not among the others yet.
    open: Option<(u64, u64)>,
    count: u64,
    /// Whether a value is no whole number, or there twice.
    is_none: bool,
}

/// Numbers that are missing.
#[derive(Debug, PartialEq)]
pub(super) struct Gaps {
    pub last: u64,
    pub missing: u64,
    /// The first gaps in words.
    pub words: String,
}

/// A whole number of twelve figures at most, with none in front that counts nothing: a code such as 007 is none.
fn whole_number(text: &str) -> Option<u64> {
    let text = text.as_bytes();
    if text.is_empty() || text.len() > 12 || (text[0] == b'0' && text.len() > 1) {
        return None;
    }
    text.iter().try_fold(0, |sum: u64, b| b.is_ascii_digit().then(|| sum * 10 + u64::from(b - b'0')))
}

impl RunningNumbers {
    /// Whether nothing more is to be found.
    pub(super) fn is_none(&self) -> bool {
        self.is_none
    }

    /// Sees a value of the column.
    pub(super) fn add(&mut self, text: &str) {
        if self.is_none {
            return;
        }
        match whole_number(text) {
            // Rows mostly follow each other by one.
            Some(number) => match &mut self.open {
                Some((_, last)) if *last + 1 == number => *last = number,
                _ => {
                    self.close();
                    self.open = Some((number, number));
                }
            },
            None => self.is_none = true,
        }
    }

    /// Adds what another part of the rows has.
    pub(super) fn merge(&mut self, mut other: RunningNumbers) {
        other.close();
        self.close();
        self.is_none |= other.is_none;
        for (first, last) in other.runs {
            if self.is_none {
                break;
            }
            self.join(first, last);
        }
    }

    fn close(&mut self) {
        if let Some((first, last)) = self.open.take() {
            self.join(first, last);
        }
    }

    fn join(&mut self, mut first: u64, mut last: u64) {
        self.count += last - first + 1;
        let before = self.runs.range(..=last).next_back().map(|(f, l)| (*f, *l));
        if before.is_some_and(|(_, l)| l >= first) {
            self.is_none = true;
            return;
        }
        if let Some((f, _)) = before.filter(|(_, l)| l + 1 == first) {
            first = f;
        }
        if let Some(l) = self.runs.remove(&(last + 1)) {
            last = l;
        }
        self.runs.insert(first, last);
        self.is_none |= self.runs.len() > MOST_RUNS;
    }

    /// The numbers that are missing, where the column counts the rows from one or nought on and a few are.
    pub(super) fn gaps(&mut self) -> Option<Gaps> {
        self.close();
        let (first, _) = self.runs.first_key_value()?;
        let (_, last) = self.runs.last_key_value()?;
        let missing = (last - first + 1).saturating_sub(self.count);
        let counts = !self.is_none && *first <= 1 && self.count >= LEAST && missing > 0;
        if !counts || missing as f64 > MISSING * self.count as f64 {
            return None;
        }
        let ends = self.runs.iter().zip(self.runs.keys().skip(1));
        let gaps: Vec<String> = ends
            .map(|((_, end), next)| match next - end {
                2 => format!("{}", end + 1),
                _ => format!("{} to {}", end + 1, next - 1),
            })
            .collect();
        let more = gaps.len().saturating_sub(NAMED);
        if more > 0 && missing as f64 > HARDLY_ANY * self.count as f64 {
            return None;
        }
        let mut words = gaps[..gaps.len().min(NAMED)].join(", ");
        if more > 0 {
            words.push_str(&format!(" and {more} more"));
        }
        Some(Gaps { last: *last, missing, words })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn of(numbers: impl IntoIterator<Item = u64>) -> RunningNumbers {
        let mut out = RunningNumbers::default();
        numbers.into_iter().for_each(|n| out.add(&n.to_string()));
        out
    }

    #[test]
    fn numbers_that_are_missing_are_named() {
        let found = of((1..=100).filter(|n| !matches!(n, 7 | 30..=34))).gaps().unwrap();
        assert_eq!(found, Gaps { last: 100, missing: 6, words: "7, 30 to 34".into() });
        let found = of((0..=999).filter(|n| !matches!(n, 7 | 9 | 11 | 13 | 15))).gaps().unwrap();
        assert_eq!((found.missing, found.words.as_str()), (5, "7, 9, 11 and 2 more"));
    }

    #[test]
    fn what_does_not_count_rows_has_no_gaps() {
        assert_eq!(of(1..=100).gaps(), None, "none is missing");
        assert_eq!(of((1000..=1100).filter(|n| *n != 1050)).gaps(), None, "they begin anywhere");
        assert_eq!(of((1..=10).filter(|n| *n != 5)).gaps(), None, "too few");
        assert_eq!(of((1..=100).step_by(2)).gaps(), None, "every other one");
        assert_eq!(of((1..=400).filter(|n| n % 17 > 0)).gaps(), None, "deleted in the course of time");
        assert_eq!(of((1..=100).chain([50, 102])).gaps(), None, "one is there twice");
        for text in ["", "A1", "1.5", "-3", "007", "1e3"] {
            let mut numbers = of((1..=100).filter(|n| *n != 5));
            numbers.add(text);
            assert_eq!(numbers.gaps(), None, "{text}");
        }
    }

    proptest! {
        /// In whatever order and parts numbers come, the same are missing.
        #[test]
        fn order_and_parts_do_not_matter(missing in proptest::collection::btree_set(2u64..200, 0..20), turn in 0usize..200, parts in 1usize..6) {
            let mut numbers: Vec<u64> = (1..=200).filter(|n| !missing.contains(n)).collect();
            let expected = of(numbers.clone()).gaps();
            if missing.len() <= 2 {
                prop_assert_eq!(expected.as_ref().map_or(0, |g| g.missing), missing.len() as u64);
            }
            let at = turn % numbers.len();
            numbers.rotate_left(at);
            let mut all = RunningNumbers::default();
            numbers.chunks(numbers.len().div_ceil(parts)).for_each(|part| all.merge(of(part.iter().copied())));
            prop_assert_eq!(all.gaps(), expected);
        }
    }
}
