//! Points at 0, 0, or at what programs fill empty cells with: an empty value more often than a place.

use super::evidence::{Placement, WatchPlaces};
use super::{Doubt, Finding, Scene};
use basilocus_table::counted::{counted, is_or_are};

pub static DOUBT: Doubt = Doubt {
    name: "empty-point",
    looks_for: "positions at exactly 0, 0, at -1, -1, or at two numbers of nines alone, such as -9999, -9999",
    example: "lon 0 and lat 0 for a gate that nobody has surveyed yet",
    mend: "take these rows out, or check them",
    watch: |scene| scene.columns.placed().map(|_| WatchPlaces::boxed(finding)),
};

/// Whether two numbers are what programs write for no position.
pub(super) fn stands_for_none([x, y]: [f64; 2]) -> bool {
    // Both are the same, or differ in their sign.
    x.abs() == y.abs() && (x == 0.0 || (x == -1.0 && y == -1.0) || is_nines(x.abs()))
}

/// Whether a number is written with nines alone, three of them at least, up to two of them decimals.
fn is_nines(number: f64) -> bool {
    (999.0..1e15).contains(&number) && [1.0, 0.1, 0.01].into_iter().any(|rest| is_power_of_ten(number + rest))
}

fn is_power_of_ten(number: f64) -> bool {
    let exponent = number.log10().round();
    (number - 10f64.powf(exponent)).abs() <= 1e-12 * number
}

fn finding(scene: &Scene, seen: &Placement) -> Option<Finding> {
    let what = match seen.filler {
        None => "exactly 0, 0, which is how many programs write an empty value".to_string(),
        Some([x, y]) => format!("at numbers such as {x}, {y}, which is how programs write an empty value"),
    };
    (seen.empty > 0).then(|| Finding {
        column: scene.columns_of_positions(),
        rows: seen.empty,
        message: format!("{} {} {what}", counted(seen.empty, "position"), is_or_are(seen.empty)),
        mend: DOUBT.mend.into(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_that_stand_for_none() {
        for numbers in [
            [0.0, 0.0],
            [-1.0, -1.0],
            [-9999.0, -9999.0],
            [999_999.0, 999_999.0],
            [-999.9, -999.9],
            [99_999.99, 99_999.99],
            [-9999.0, 9999.0],
        ] {
            assert!(stands_for_none(numbers), "{numbers:?}");
        }
        for numbers in
            [[1.0, 1.0], [99.0, 99.0], [9999.0, 5_116_000.0], [500.0, 500.0], [1000.0, 1000.0], [990.0, 990.0]]
        {
            assert!(!stands_for_none(numbers), "{numbers:?}");
        }
    }
}
