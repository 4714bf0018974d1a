//! One column for both axes, or a count of the rows for one of them: points on a diagonal.

use super::{Doubt, Ending, Finding, Scene, Seen, Watch};
use std::sync::{Mutex, PoisonError};

pub static DOUBT: Doubt = Doubt {
    name: "same-column",
    looks_for: "x and y that are the same in nearly all rows or differ by one number, and a coordinate that counts the rows",
    example: "`x` and `y` both taken from the column \"lon\", or from the row numbers that a database put in front",
    mend: "say the columns of x and y",
    watch: |scene| scene.from_columns.then(|| Box::new(Watching(Mutex::default())) as Box<dyn Watch>),
};

/// Fewer rows may be so by chance.
const LEAST: u64 = 10;
/// A share of all rows.
const NEARLY_ALL: f64 = 0.95;

struct Watching(Mutex<Counts>);

/// What was seen of x and y. Differences are those of the first row with numbers, and are compared exactly.
#[derive(Debug, Default)]
struct Counts {
    rows: u64,
    same: u64,
    /// Rows by differences, as long as there are few different ones.
    differences: [Few; 3],
    /// West, south, east, north.
    bounds: Option<[f64; 4]>,
}

/// Numbers with how often they were seen, as long as they are few: what has one value only is never dropped.
#[derive(Debug, Default)]
struct Few {
    seen: Vec<(u64, u64)>,
    many: bool,
}

impl Few {
    const MOST: usize = 64;

    fn add(&mut self, number: f64, times: u64) {
        if self.many {
            return;
        }
        // The last bits of a difference are those of the subtraction.
        self.add_bits(((number * 1e6).round() + 0.0).to_bits(), times);
    }

    fn add_bits(&mut self, bits: u64, times: u64) {
        if self.many {
            return;
        }
        if let Some(known) = self.seen.iter_mut().find(|(b, _)| *b == bits) {
            known.1 += times;
        } else if self.seen.len() < Self::MOST {
            self.seen.push((bits, times));
        } else {
            self.many = true;
        }
    }

    /// How many rows have the commonest; none where there are too many to tell.
    fn most(&self) -> u64 {
        if self.many { 0 } else { self.seen.iter().map(|s| s.1).max().unwrap_or(0) }
    }
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let [x, y, _] = seen.placed();
        let mut counts = Counts::default();
        for (i, number) in seen.rows.source_rows().iter().enumerate() {
            counts.add(x[i], y[i], *number);
        }
        self.0.lock().unwrap_or_else(PoisonError::into_inner).merge(&counts);
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let counts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (rows, message) = counts.told()?;
        Some(Finding { column: scene.columns_of_positions(), rows, message, mend: DOUBT.mend.into() })
    }
}

impl Counts {
    fn add(&mut self, x: f64, y: f64, row: u64) {
        if !(x.is_finite() && y.is_finite()) {
            return;
        }
        self.rows += 1;
        self.same += u64::from(x == y);
        for (few, difference) in self.differences.iter_mut().zip([x - y, x - row as f64, y - row as f64]) {
            few.add(difference, 1);
        }
        let b = self.bounds.get_or_insert([x, y, x, y]);
        *b = [b[0].min(x), b[1].min(y), b[2].max(x), b[3].max(y)];
    }

    fn merge(&mut self, other: &Counts) {
        self.rows += other.rows;
        self.same += other.same;
        for (few, more) in self.differences.iter_mut().zip(&other.differences) {
            few.many |= more.many;
            more.seen.iter().for_each(|(bits, n)| few.add_bits(*bits, *n));
        }
        if let Some(b) = other.bounds {
            let own = self.bounds.get_or_insert(b);
            *own = basilocus_draw::scene::united(*own, b);
        }
    }

    fn told(&self) -> Option<(u64, String)> {
        let [w, s, e, n] = self.bounds?;
        // All rows at one place are something else.
        if self.rows < LEAST || e <= w && n <= s {
            return None;
        }
        let [diagonal, x, y] = [0, 1, 2].map(|i| self.differences[i].most());
        let is_nearly_all = |rows: u64| rows as f64 >= NEARLY_ALL * self.rows as f64;
        let all = self.rows;
        if is_nearly_all(self.same) {
            return Some((
                self.same,
                format!("x and y are the same number in {} of {all} rows: one column stands for both", self.same),
            ));
        }
        for (rows, name) in [(x, "x"), (y, "y")] {
            if is_nearly_all(rows) {
                return Some((
                    rows,
                    format!("{name} counts the rows in {rows} of {all}: it is a number of the row and no coordinate"),
                ));
            }
        }
        is_nearly_all(diagonal).then(|| {
            (
                diagonal,
                format!("x and y differ by the same number in {diagonal} of {all} rows: the points lie on a diagonal"),
            )
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(places: impl IntoIterator<Item = (f64, f64)>) -> Option<String> {
        let mut counts = Counts::default();
        for (i, (x, y)) in places.into_iter().enumerate() {
            let mut one = Counts::default();
            one.add(x, y, i as u64 + 2);
            counts.merge(&one);
        }
        counts.told().map(|t| t.1)
    }

    #[test]
    fn one_column_for_both_axes_and_row_counters() {
        let lon = |i: i32| -123.9 + f64::from(i * 37 % 100) * 0.001_37;
        let lat = |i: i32| 46.1 + f64::from(i * 61 % 100) * 0.001_13;
        assert!(told((0..50).map(|i| (lon(i), lon(i)))).unwrap().contains("one column stands for both"));
        assert!(
            told((0..50).map(|i| (f64::from(i) + 1.0, lat(i)))).unwrap().starts_with("x counts the rows in 50 of 50")
        );
        assert!(told((0..50).map(|i| (lon(i), f64::from(i)))).unwrap().starts_with("y counts the rows"));
        assert!(told((0..50).map(|i| (lon(i), lon(i) + 170.0))).unwrap().contains("on a diagonal"));
        assert_eq!(told((0..50).map(|i| (lon(i), lat(i)))), None);
        assert_eq!(told((0..50).map(|_| (7.0, 7.0))), None, "one place");
        assert_eq!(told((0..5).map(|i| (lon(i), lon(i)))), None, "too few");
        // A grid of a metre, row by row: x goes on by one and begins anew.
        assert_eq!(told((0..400).map(|i| (f64::from(i % 20), f64::from(i / 20)))), None);
    }
}
