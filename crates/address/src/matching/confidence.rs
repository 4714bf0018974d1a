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
    fn a_rival_that_costs_as_much_halves_the_odds_and_one_at_ten_more_takes_a_tenth() {
        let with = |rivals: &[i32]| raw(7, rivals.iter().copied()) - 7.0;
        // Ten times the logarithm of one and a tenth, of two, of three.
        for (rivals, more) in [(&[17][..], 0.413_927), (&[7], 3.010_300), (&[7, 7], 4.771_213), (&[7, 17], 3.222_193)] {
            assert!((with(rivals) - more).abs() < 1e-6, "{rivals:?}: {}", with(rivals));
        }
        assert!(with(&[5]) > with(&[7]), "a better rival");
    }

    #[test]
    fn each_level_is_read_in_its_own_table_and_bounded_kinds_in_others() {
        let curve = |level: Level, most: u8| (0..60).map(|i| of(level, f64::from(i), most)).collect::<Vec<u8>>();
        assert_eq!(curve(Level::Crossing, 100), curve(Level::Landmark, 100));
        assert_eq!(curve(Level::Postcode, 100), curve(Level::Region, 100));
        // Scores of crossings are made alike to those of houses.
        assert_eq!(curve(Level::Crossing, 100), curve(Level::AddressPoint, 100));
        let levels = [Level::AddressPoint, Level::StreetRange, Level::Street, Level::Postcode];
        for (at, a) in levels.iter().enumerate() {
            for b in &levels[at + 1..] {
                let differ = [100, BOUND - 1].iter().any(|most| curve(*a, *most) != curve(*b, *most));
                assert!(differ, "{a:?} and {b:?} are told apart");
            }
        }
        // At the bound itself the sum decides, below it the kind.
        let free: Vec<u8> = curve(Level::AddressPoint, 100).iter().map(|c| (*c).min(BOUND)).collect();
        assert_eq!(curve(Level::AddressPoint, BOUND), free);
        assert_ne!(curve(Level::AddressPoint, BOUND - 1), curve(Level::AddressPoint, BOUND));
        // Half points are steps, what is beyond the table is as its end, and nothing is below nought.
        assert_eq!(of(Level::AddressPoint, -3.0, 100), of(Level::AddressPoint, 0.0, 100));
        assert_eq!(of(Level::AddressPoint, 1e6, 100), *FREE[0].last().unwrap());
        assert_eq!(of(Level::Street, 4.24, 100), of(Level::Street, 4.0, 100));
        assert_eq!(of(Level::Street, 4.26, 100), of(Level::Street, 4.5, 100));
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
