//! Cells that are not the same on both sides.

use super::rows::Rows;
use serde::Serialize;

/// A column with cells that changed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ColumnChange {
    /// The column.
    pub column: String,
    /// In how many rows.
    pub rows: u64,
    /// The first of them.
    pub examples: Vec<CellChange>,
}

/// A cell that changed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct CellChange {
    /// What tells its row from others.
    pub key: String,
    /// What the first one says.
    pub a: String,
    /// What the second one says.
    pub b: String,
}

/// The columns that both have, with their cells that changed, in the order of the first one; those of one alone.
#[derive(Default)]
pub(super) struct Changes {
    pub columns: Vec<ColumnChange>,
    pub only_a: Vec<String>,
    pub only_b: Vec<String>,
}

/// Columns that say how an address was matched: two matches of one address are compared by their places.
const OF_MATCHES: [&str; 6] = ["level", "confidence", "radius_m", "matched_address", "changes", "candidates"];

/// Compares the cells of rows that are on both sides; `examples` are named, of each column that changed one at least.
pub(super) fn changes(a: &Rows, b: &Rows, examples: usize) -> Changes {
    let there = |name: &String| b.columns.iter().position(|n| n == name);
    let is_matched = |side: &Rows| OF_MATCHES[..2].iter().all(|name| side.columns.iter().any(|n| n == name));
    let are_matches = is_matched(a) && is_matched(b);
    let mut both: Vec<(usize, usize, ColumnChange)> = Vec::new();
    let mut changes = Changes::default();
    let is_compared = |(_, name): &(usize, &String)| !(are_matches && OF_MATCHES.contains(&name.as_str()));
    for (at, name) in a.columns.iter().enumerate().filter(is_compared) {
        match there(name) {
            Some(at_b) => {
                both.push((at, at_b, ColumnChange { column: name.clone(), rows: 0, examples: Vec::new() }));
            }
            None => changes.only_a.push(name.clone()),
        }
    }
    changes.only_b = b.columns.iter().filter(|n| !a.columns.contains(n)).cloned().collect();
    for key in &a.order {
        let (Some(here), Some(there)) = (a.rows.get(key), b.rows.get(key)) else { continue };
        let (cells_a, cells_b) = (here.cells(), there.cells());
        for (at, at_b, change) in &mut both {
            let [was, is] = [cells_a.get(*at), cells_b.get(*at_b)].map(|cell| cell.copied().unwrap_or_default());
            if is_same(was, is) {
                continue;
            }
            change.rows += 1;
            if change.examples.len() < examples {
                change.examples.push(CellChange { key: here.name.clone(), a: was.to_string(), b: is.to_string() });
            }
        }
    }
    changes.columns = both.into_iter().map(|(_, _, change)| change).filter(|c| c.rows > 0).collect();
    let each = (examples / changes.columns.len().max(1)).max(1);
    changes.columns.iter_mut().for_each(|c| c.examples.truncate(each));
    changes
}

/// Whether two cells say the same: programs write numbers with more or fewer zeros, moments with or without the hour of
/// midnight, and what is true in capital letters.
fn is_same(a: &str, b: &str) -> bool {
    let (a, b) = (a.trim(), b.trim());
    if a == b {
        return true;
    }
    // A code with zeros in front is no number, and neither is one with more digits than a number holds.
    let number = |t: &str| {
        let is_code = t
            .trim_start_matches(['-', '+'])
            .strip_prefix('0')
            .is_some_and(|r| r.starts_with(|c: char| c.is_ascii_digit()));
        let begins = t.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '-' | '+' | '.'));
        let digits = t.bytes().filter(u8::is_ascii_digit).count();
        (begins && !is_code && digits <= 15).then(|| t.parse::<f64>().ok()).flatten()
    };
    if let (Some(a), Some(b)) = (number(a), number(b)) {
        return a == b;
    }
    let day =
        |t: &str| ["T00:00:00Z", "T00:00:00", " 00:00:00"].iter().find_map(|e| t.strip_suffix(e)).unwrap_or(t).len();
    let is_truth = |t: &str| t.eq_ignore_ascii_case("true") || t.eq_ignore_ascii_case("false");
    a[..day(a)] == b[..day(b)] || is_truth(a) && a.eq_ignore_ascii_case(b)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_in_other_signs_is_the_same() {
        for (a, b) in [
            ("12.5", "12.50"),
            (" x", "x"),
            ("1e3", "1000"),
            ("2026-11-27", "2026-11-27T00:00:00"),
            ("TRUE", "true"),
            ("", " "),
        ] {
            assert!(is_same(a, b) && is_same(b, a), "{a} {b}");
        }
        for (a, b) in [
            ("0123", "123"),
            ("41030212345678901", "41030212345678902"),
            ("41030212345678", "4.10302E+13"),
            ("12.5", "12.51"),
            ("a", "A"),
            ("2026-11-27", "2026-11-27T06:00:00"),
            ("", "0"),
            ("1", ""),
        ] {
            assert!(!is_same(a, b) && !is_same(b, a), "{a} {b}");
        }
    }
}
