//! What is asked of a row's value in a column: `kind=culvert|weir`, `width>=1.5`, `built=1950..1962`, `name~*gate*`, `note!=`.

use crate::Error;
use crate::engine::Columns;
use basilocus_geodesy::notation::read_number;
use basilocus_table::Moment;
use basilocus_table::batch::cell_text;
use std::cmp::Ordering;
use std::path::Path;

/// A column, and what its value is asked.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Condition {
    column: usize,
    test: Test,
}

#[derive(Debug, Clone, PartialEq)]
enum Test {
    /// One of these, or none of them.
    Among { choices: Vec<Choice>, is_negated: bool },
    /// On one side of a bound.
    Compared { bound: Bound, sides: &'static [Ordering] },
}

/// A value that is wanted.
#[derive(Debug, Clone, PartialEq)]
enum Choice {
    Text(String),
    /// From one to another, both among them.
    Range(Bound, Bound),
    /// Any text with `*` for any signs and `?` for one, in any case of letters.
    Pattern(Vec<char>),
}

/// A value that has an order.
#[derive(Debug, Clone, PartialEq)]
enum Bound {
    Number(f64),
    /// A day, of the days since 1970.
    Day(i32),
    /// A moment in milliseconds since 1970, in universal time or in that of an unsaid clock.
    Moment {
        utc: bool,
        milliseconds: i64,
    },
    /// A moment in another zone, of which the day alone is compared.
    Zoned(i32),
}

/// What became of a condition.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Outcome {
    Holds,
    Another,
    /// The value is neither a number nor a date, and one is compared.
    NotComparable,
}

/// The signs between a column and a value, the longer ones first.
const SIGNS: [&str; 10] = ["<=", ">=", "!=", "≤", "≥", "≠", "<", ">", "~", "="];

impl Bound {
    fn read(text: &str) -> Option<Self> {
        let text = text.trim();
        match Moment::read(text) {
            Some((Moment::Date, civil)) => return Some(Bound::Day(civil.days())),
            Some((Moment::DateTime { utc }, civil)) => {
                return Some(Bound::Moment { utc, milliseconds: civil.milliseconds() });
            }
            None => {}
        }
        if let (Some(first), Some(b'T' | b' ')) = (text.get(..10).and_then(Moment::read), text.as_bytes().get(10)) {
            return Some(Bound::Zoned(first.1.days()));
        }
        read_number(text).ok().map(Bound::Number)
    }

    fn compare(&self, other: &Bound) -> Option<Ordering> {
        match (self, other) {
            (Bound::Number(a), Bound::Number(b)) => a.partial_cmp(b),
            (Bound::Number(_), _) | (_, Bound::Number(_)) => None,
            (Bound::Moment { utc: a, milliseconds: m }, Bound::Moment { utc: b, milliseconds: n }) => {
                (a == b).then(|| m.cmp(n))
            }
            // A day holds all its moments: only as much is compared as both say.
            (Bound::Day(a), other) | (other, Bound::Day(a)) => {
                let order = a.cmp(&other.day()?);
                Some(if matches!(self, Bound::Day(_)) { order } else { order.reverse() })
            }
            _ => None,
        }
    }

    fn day(&self) -> Option<i32> {
        match self {
            Bound::Day(day) | Bound::Zoned(day) => Some(*day),
            Bound::Moment { milliseconds, .. } => i32::try_from(milliseconds.div_euclid(86_400_000)).ok(),
            Bound::Number(_) => None,
        }
    }
}

/// Whether a text is of a pattern.
fn fits(pattern: &[char], text: &[char]) -> bool {
    // Places in the pattern that what was read so far may lead to; a star may stand for nothing.
    let mut places = vec![false; pattern.len() + 1];
    places[0] = true;
    let pass_stars = |places: &mut [bool]| {
        for at in 0..pattern.len() {
            places[at + 1] |= places[at] && pattern[at] == '*';
        }
    };
    pass_stars(&mut places);
    for sign in text {
        let mut next = vec![false; pattern.len() + 1];
        for (at, p) in pattern.iter().enumerate().filter(|(at, _)| places[*at]) {
            match p {
                '*' => next[at] = true,
                p if *p == '?' || p == sign => next[at + 1] = true,
                _ => {}
            }
        }
        pass_stars(&mut next);
        places = next;
    }
    places[pattern.len()]
}

fn letters(text: &str) -> Vec<char> {
    text.trim().to_lowercase().chars().collect()
}

impl Condition {
    /// Reads a condition: a column, a sign and a value; several values are parted by `|`, and `A..B` is a range.
    ///
    /// # Errors
    /// [`Error::Usage`] where there is no sign, or a bound is neither a number nor a date; [`Error::NoColumn`].
    pub(super) fn read(text: &str, flag: &str, columns: &Columns, path: &Path) -> Result<Self, Error> {
        let wrong = |problem: &str| Err(Error::Usage(format!("{flag} {text}: {problem}")));
        let mut signs: Vec<(usize, &str)> = text
            .char_indices()
            .filter_map(|(at, _)| SIGNS.iter().find(|s| text[at..].starts_with(**s)).map(|s| (at, *s)))
            .collect();
        // A name may hold such a sign itself: the first one behind a column counts.
        let behind_a_column = signs.iter().position(|(at, _)| columns.position(text[..*at].trim()).is_some());
        signs.rotate_left(behind_a_column.unwrap_or(0));
        let Some((at, sign)) = signs.first().copied() else {
            return wrong(
                "COLUMN=VALUE is expected, several values parted by |, or one of <, <=, >, >=, != and ~ between them",
            );
        };
        let column = columns.require(text[..at].trim(), path)?;
        let value = text[at + sign.len()..].trim();
        let sides: &[Ordering] = match sign {
            "<" => &[Ordering::Less],
            "<=" | "≤" => &[Ordering::Less, Ordering::Equal],
            ">" => &[Ordering::Greater],
            ">=" | "≥" => &[Ordering::Greater, Ordering::Equal],
            _ => &[],
        };
        if !sides.is_empty() {
            return match Bound::read(value) {
                Some(bound) => Ok(Condition { column, test: Test::Compared { bound, sides } }),
                None => wrong("a number, or a date such as 2026-11-27, is expected behind the sign"),
            };
        }
        let choice = |value: &str| match value.split_once("..") {
            _ if sign == "~" => Choice::Pattern(letters(value)),
            Some((low, high)) => match (Bound::read(low), Bound::read(high)) {
                (Some(low), Some(high)) => Choice::Range(low, high),
                _ => Choice::Text(value.trim().to_string()),
            },
            None => Choice::Text(value.trim().to_string()),
        };
        let choices = value.split('|').map(choice).collect();
        Ok(Condition { column, test: Test::Among { choices, is_negated: matches!(sign, "!=" | "≠") } })
    }

    /// What becomes of it for a row.
    pub(super) fn of(&self, records: &arrow_array::RecordBatch, row: usize) -> Outcome {
        let text = cell_text(records.column(self.column), row);
        let text = text.trim();
        let own = || Bound::read(text);
        match &self.test {
            Test::Compared { bound, sides } => match own().and_then(|own| own.compare(bound)) {
                Some(side) if sides.contains(&side) => Outcome::Holds,
                Some(_) => Outcome::Another,
                None => Outcome::NotComparable,
            },
            Test::Among { choices, is_negated } => {
                let within = |low: &Bound, high: &Bound| {
                    let own = own()?;
                    Some(own.compare(low)? != Ordering::Less && own.compare(high)? != Ordering::Greater)
                };
                let is = choices.iter().any(|choice| match choice {
                    Choice::Text(wanted) => wanted == text,
                    Choice::Pattern(pattern) => fits(pattern, &letters(text)),
                    Choice::Range(low, high) => within(low, high) == Some(true),
                });
                if is != *is_negated { Outcome::Holds } else { Outcome::Another }
            }
        }
    }

    /// Whether it holds for a row.
    pub(super) fn holds(&self, records: &arrow_array::RecordBatch, row: usize) -> bool {
        self.of(records, row) == Outcome::Holds
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::{ArrayRef, Float64Array, RecordBatch, StringArray};
    use std::sync::Arc;

    /// The rows for which a condition holds.
    fn chosen(condition: &str) -> Result<Vec<usize>, String> {
        let width: ArrayRef = Arc::new(Float64Array::from(vec![Some(0.5), Some(1.5), Some(2.0), None]));
        let kind: ArrayRef = Arc::new(StringArray::from(vec!["culvert", "Tide Gate", "weir", ""]));
        let built: ArrayRef = Arc::new(StringArray::from(vec!["1950-01-01", "1962-06-30T10:00", "1980-12-31", "n/a"]));
        let odd: ArrayRef = Arc::new(StringArray::from(vec!["1,5", "2", "-3", "1..2"]));
        let records =
            RecordBatch::try_from_iter([("width", width), ("kind", kind), ("built", built), ("a<b", odd)]).unwrap();
        let columns = Columns::of_source(&records.schema(), true);
        let condition =
            Condition::read(condition, "`values`", &columns, Path::new("gates.csv")).map_err(|e| e.to_string())?;
        Ok((0..4).filter(|row| condition.holds(&records, *row)).collect())
    }

    #[test]
    fn values_ranges_patterns_and_comparisons() {
        for (condition, rows) in [
            ("kind=culvert|weir", vec![0, 2]),
            ("kind = weir", vec![2]),
            ("kind!=weir", vec![0, 1, 3]),
            ("kind=", vec![3]),
            ("kind!=", vec![0, 1, 2]),
            ("kind~*gate", vec![1]),
            ("kind~?eir|cul*", vec![0, 2]),
            ("width<1.5", vec![0]),
            ("width≤1.5", vec![0, 1]),
            ("width>=1,5", vec![1, 2]),
            ("width=1..2", vec![1, 2]),
            ("built>1950-01-01", vec![1, 2]),
            ("built=1950-01-01..1962-06-30", vec![0, 1]),
            ("built<=1962-06-30", vec![0, 1]),
            ("built<=1962-06-30 11:00", vec![0, 1]),
            ("built>1962-06-30 09:59:59", vec![1, 2]),
            ("built<1962-07-01T00:00:00+02:00", vec![0]),
            ("a<b<0", vec![2]),
            ("a<b=1..2", vec![0, 1]),
        ] {
            assert_eq!(chosen(condition), Ok(rows), "{condition}");
        }
        for (condition, part) in [
            ("kind", "COLUMN=VALUE is expected"),
            ("width<wide", "a number, or a date"),
            ("depth=1", "there is no column \"depth\""),
        ] {
            assert!(chosen(condition).unwrap_err().contains(part), "{condition}");
        }
    }
}
