//! What a score is worth, by measurement.

use super::Level;
use super::calibration::{BOUNDED, FREE};

/// The score of a candidate: its cost, and what its rivals add. A rival that costs as much adds 3, as it halves the
/// odds; one that costs 10 more adds next to nothing.
pub(super) fn raw(cost: i32, rivals: impl Iterator<Item = i32>) -> f64 {
    let against: f64 = rivals.map(|r| 10f64.powf(-f64::from(r - cost) / 10.0)).sum();
    f64::from(cost) + 10.0 * (1.0 + against).log10()
}

/// Which table a level is read in.
fn table(level: Level) -> usize {
    match level {
        Level::AddressPoint => 0,
        Level::StreetRange => 1,
        Level::Crossing | Level::Landmark => 2,
        Level::Street => 3,
        Level::Postcode | Level::Locality | Level::Region => 4,
    }
}

/// The most that a place is trusted that is coarser than what was asked for because its street was not found: the middle
/// of a postcode or locality is then rarely near the address, however sure the postcode is.
pub(super) const STREET_NOT_FOUND: u8 = 60;

/// Houses and streets that are less sure are no match: below 80 the share that was right fell steeply, and differed
/// between the measured countries, so that no number could be promised.
pub(super) const LEAST: u8 = 50;

/// A kind of difference that is trusted less than this is bounded: whether another street is called so decides, not the sum.
pub(super) const BOUND: u8 = 80;

/// The confidence of a score at a level, 0 to 100, of a kind of difference that is trusted with `most` at most.
///
/// The tables are measured: `tools/src/bin/calibrate-confidence.rs` matches generated dirty addresses with known
/// truth and writes down which share was right at each score.
pub(super) fn of(level: Level, raw: f64, most: u8) -> u8 {
    let table = if most < BOUND { BOUNDED } else { FREE }[table(level)];
    let at = (raw.max(0.0) * 2.0).round() as usize;
    table.get(at).or(table.last()).copied().unwrap_or(0).min(most)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rivals_take_away() {
        assert_eq!(raw(0, [].into_iter()), 0.0);
        assert!((raw(0, [0].into_iter()) - 3.0103).abs() < 1e-3);
        assert!(raw(5, [25].into_iter()) - 5.0 < 0.1);
    }

    #[test]
    fn more_costs_less_confidence() {
        for (level, _) in super::super::LEVELS {
            for most in [100, 79] {
                let list: Vec<u8> = (0..90).map(|i| of(*level, f64::from(i) / 2.0, most)).collect();
                assert!(list.windows(2).all(|w| w[0] >= w[1]), "{level:?} {list:?}");
                assert!(list[0] <= most && list[0] > 50, "{level:?} {list:?}");
            }
        }
    }
}
