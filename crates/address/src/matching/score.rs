//! How much each disagreement costs.
//!
//! A cost is ten times the decimal logarithm of how much likelier a disagreement is between an address and another
//! one than between an address and itself: 10 says that such a difference is ten times rarer in the right match. The
//! sum is no confidence yet: what it is worth is measured, and the table of that is in `calibration`.

/// The cost of a candidate, part by part.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Parts {
    /// Which reading of the text it is.
    pub reading: i32,
    /// The name of the thoroughfare or place.
    pub name: i32,
    /// The type of the thoroughfare.
    pub street_type: i32,
    /// Its directions.
    pub direction: i32,
    /// The number of the house.
    pub number: i32,
    /// The locality.
    pub locality: i32,
    /// The region.
    pub region: i32,
    /// The postcode.
    pub postcode: i32,
}

impl Parts {
    /// The parts with their names.
    pub fn named(&self) -> [(&'static str, i32); 8] {
        [
            ("reading", self.reading),
            ("name", self.name),
            ("type", self.street_type),
            ("direction", self.direction),
            ("number", self.number),
            ("locality", self.locality),
            ("region", self.region),
            ("postcode", self.postcode),
        ]
    }

    /// The sum.
    pub fn sum(&self) -> i32 {
        self.named().iter().map(|(_, c)| c).sum()
    }
}

impl std::fmt::Display for Parts {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        let costs: Vec<String> =
            self.named().iter().filter(|(_, c)| *c != 0).map(|(name, c)| format!("{name} {c}")).collect();
        f.write_str(if costs.is_empty() { "nothing differs" } else { "" })?;
        f.write_str(&costs.join(", "))
    }
}

/// Candidates that cost more are none.
pub(super) const MOST: i32 = 34;
/// A point that costs no more is taken without looking on.
pub(super) const GOOD: i32 = 4;
/// A house on a street of exactly the name is not looked for under other names while it costs no more.
pub(super) const NAME_RIGHT: i32 = 14;
/// An address is outside the area that was asked for where what is inside costs so much more.
pub(super) const WITHIN: i32 = 10;
/// Costs no farther apart than this are equal: nothing in the address tells such candidates apart.
pub(super) const EQUAL: i32 = 1;
/// Places no farther apart than this are one, metres.
pub(super) const SAME_PLACE_M: f64 = 50.0;

/// Slips of the finger in a name, by the letters of the longer one.
pub(super) fn slips(distance: usize, letters: usize) -> i32 {
    match (distance, letters) {
        (0, _) => 0,
        (1, 0..=3) => 18,
        (1, 4) => 10,
        (1, 5..=7) => 6,
        (1, _) => 5,
        (2, 0..=5) => 20,
        (2, 6..=7) => 14,
        (2, 8..=9) => 11,
        (2, _) => 9,
        (3, 0..=8) => 24,
        (3, 9..=10) => 18,
        (3, _) => 14,
        _ => 40,
    }
}

/// Another name of the same shape: so rarely the one that is meant that it is offered, never taken.
pub(super) const ANOTHER_NAME: i32 = 26;
/// A name that sounds alike.
pub(super) const SOUND: i32 = 12;
/// The words in another order.
pub(super) const WORD_ORDER: i32 = 4;
/// Small words left out or added.
pub(super) const PARTICLES: i32 = 1;
/// A figure with or without its ending ("5", "5TH").
pub(super) const ENDING: i32 = 2;
/// A road known by its number that is called by another kind.
pub(super) const ROAD_KIND: i32 = 4;
/// The beginning of the name alone.
pub(super) const CUT_SHORT: i32 = 10;

/// No street was given, and the postcode is that of one.
pub(super) const STREET_BY_POSTCODE: i32 = 2;

/// Words of a name that are missing or too many, by their letters and those of the words that agree.
pub(super) fn words_differ(agreeing: usize, others: usize) -> i32 {
    if agreeing < 4 || agreeing * 2 < others { 40 } else { 8 + (6 * others / agreeing) as i32 }
}

/// Another thoroughfare type.
pub(super) const TYPE_OTHER: i32 = 8;
/// Streets no farther apart are near by, metres.
pub(super) const TYPE_NEAR_M: f64 = 3_000.0;
/// A thoroughfare type that is another one, or only on one side.
pub(super) fn street_type(asked: Option<u8>, there: Option<u8>) -> i32 {
    match (asked, there) {
        (a, b) if a == b => 0,
        (Some(_), Some(_)) => TYPE_OTHER,
        (None, Some(_)) => 2,
        (Some(_), None) => 4,
        (None, None) => 0,
    }
}

/// Another direction.
pub(super) const DIRECTION_OTHER: i32 = 11;
/// A direction that the street has not.
pub(super) const DIRECTION_MORE: i32 = 5;

/// Directions that cost so much are not those of the street, whichever side of the name they stand on.
pub(super) const DIRECTION_DOUBTED: i32 = 8;

/// Directions before and after the name; one on the other side of the name ("Maple St N" for "N Maple St") is the same
/// street.
pub(super) fn direction(asked: (Option<u8>, Option<u8>), there: (Option<u8>, Option<u8>)) -> i32 {
    let one = |a: Option<u8>, b: Option<u8>| match (a, b) {
        (a, b) if a == b => 0,
        (Some(_), Some(_)) => DIRECTION_OTHER,
        (None, Some(_)) => 3,
        (Some(_), None) => DIRECTION_MORE,
        (None, None) => 0,
    };
    let straight = one(asked.0, there.0) + one(asked.1, there.1);
    let turned = 2 + one(asked.0, there.1) + one(asked.1, there.0);
    straight.min(turned)
}

/// Direction before, type and direction after of a street.
pub(crate) type StreetParts = (Option<u8>, Option<u8>, Option<u8>);

/// Whether a street that was asked for and another one of its name differ by no less than another type.
pub(crate) fn streets_differ(asked: StreetParts, there: StreetParts) -> bool {
    street_type(asked.1, there.1) + direction((asked.0, asked.2), (there.0, there.2)) >= TYPE_OTHER
}

/// A locality whose name sounds alike.
pub(super) const LOCALITY_SOUND: i32 = 10;
/// A part of the locality was named, or what it lies in.
pub(super) const LOCALITY_PART: i32 = 1;
/// What the locality lies in was named.
pub(super) const LOCALITY_PARENT: i32 = 4;
/// No locality was given; the postcode has this one.
pub(super) const LOCALITY_MISSING: i32 = 1;
/// Neither locality nor postcode was given.
pub(super) const LOCALITY_AND_POSTCODE_MISSING: i32 = 3;
/// No locality was given, and the postcode is that of others.
pub(super) const LOCALITY_MISSING_POSTCODE_OTHER: i32 = 7;
/// A locality that the reference does not know; the postcode has this one.
pub(super) const LOCALITY_UNKNOWN_BY_POSTCODE: i32 = 5;
/// A locality that the reference does not know, and no postcode that agrees: streets of one name are everywhere, so that
/// such a place is offered, never taken.
pub(super) const LOCALITY_UNKNOWN: i32 = 26;
/// Another locality near by, which the postcode does not have.
pub(super) const NEIGHBOUR_BY_POSTCODE: i32 = 6;
/// Another locality far away; the postcode has this one.
pub(super) const FAR_BY_POSTCODE: i32 = 10;
/// Another locality near by than the one that was named, or nearly so, and the postcode is not this one's: whoever says so
/// means the other one, whose street is not in the reference.
pub(super) const NEIGHBOUR: i32 = 26;
/// Another locality far away, and the postcode is not this one's.
pub(super) const FAR: i32 = 28;
/// Localities no farther apart are neighbours, metres.
pub(super) const NEIGHBOUR_M: f64 = 25_000.0;

/// Another region than the one that was given, and a postcode that agrees.
pub(super) const REGION_OTHER: i32 = 11;
/// Another region than the one that was given, and nothing that agrees: offered, never taken.
pub(super) const REGION_CONTRADICTED: i32 = 26;

/// A postcode with one sign changed or two turned.
pub(super) const POSTCODE_ONE_SIGN: i32 = 5;
/// A postcode that begins alike.
pub(super) const POSTCODE_NEAR: i32 = 8;
/// Another postcode.
pub(super) const POSTCODE_OTHER: i32 = 11;
/// The reference has no postcode there.
pub(super) const POSTCODE_NOT_THERE: i32 = 1;

/// The point has a suffix (A, ½) that was not given, or the other way round.
pub(super) const SUFFIX_ONE_SIDE: i32 = 3;
/// Another suffix.
pub(super) const SUFFIX_OTHER: i32 = 7;
/// A range of numbers, placed at its first.
pub(super) const RANGE_OF_NUMBERS: i32 = 1;
/// Placed by the range of a street segment.
pub(super) const RANGE: i32 = 2;
/// The range holds the number, but numbers of the other parity.
pub(super) const RANGE_PARITY: i32 = 9;
/// Placed between the points of two neighbouring numbers.
pub(super) const BETWEEN: i32 = 6;
/// No number was asked for: the street as a whole.
pub(super) const NO_NUMBER: i32 = 0;
/// The number is on no point and in no range of the street.
pub(super) const NUMBER_NOT_THERE: i32 = 9;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sum_is_of_all_parts_and_its_words_name_those_that_cost() {
        let one = Parts {
            reading: 1,
            name: 2,
            street_type: 4,
            direction: 8,
            number: 16,
            locality: 32,
            region: 64,
            postcode: 128,
        };
        assert_eq!(one.sum(), 255);
        let names = one.named().map(|(name, _)| name);
        assert_eq!(names, ["reading", "name", "type", "direction", "number", "locality", "region", "postcode"]);
        assert_eq!(Parts::default().to_string(), "nothing differs");
        assert_eq!(Parts { name: 6, postcode: 5, ..Default::default() }.to_string(), "name 6, postcode 5");
    }

    #[test]
    fn more_slips_cost_more_and_the_longer_a_name_is_the_less() {
        for letters in 1..20 {
            let costs: Vec<i32> = (0..=4).map(|distance| slips(distance, letters)).collect();
            assert!(costs[0] == 0 && costs.windows(2).all(|w| w[0] < w[1]), "{letters}: {costs:?}");
            assert!((1..=4).all(|distance| slips(distance, letters + 1) <= slips(distance, letters)), "{letters}");
            assert!(costs[4] > MOST, "four slips are another name");
        }
        // A slip is never taken without looking on, and three in a long name may still be one.
        assert!(slips(1, 8) > GOOD && slips(1, 3) < MOST && slips(3, 8) < MOST);
    }

    #[test]
    fn words_that_differ_cost_by_their_share() {
        assert_eq!(words_differ(3, 1), 40, "too few letters agree");
        assert_eq!(words_differ(4, 9), 40, "more than twice as many differ");
        assert_eq!(words_differ(4, 8), 20);
        assert_eq!(words_differ(12, 2), 9);
        assert_eq!(words_differ(5, 0), 8);
    }

    #[test]
    fn types_cost_by_who_has_one() {
        let [none, lane, court] = [None, Some(1), Some(2)];
        assert_eq!([street_type(none, none), street_type(lane, lane)], [0, 0]);
        assert_eq!([street_type(none, lane), street_type(lane, none), street_type(lane, court)], [2, 4, TYPE_OTHER]);
    }

    #[test]
    fn directions_are_those_of_the_street_on_either_side_of_its_name() {
        let [none, north, south] = [None, Some(0), Some(4)];
        for (asked, there, cost) in [
            ((none, none), (none, none), 0),
            ((north, none), (north, none), 0),
            ((north, none), (none, north), 2),
            ((none, north), (north, none), 2),
            ((none, none), (north, none), 3),
            ((none, none), (none, north), 3),
            ((north, none), (none, none), DIRECTION_MORE),
            ((none, north), (none, none), DIRECTION_MORE),
            // One too many on one side and one too few on the other cost less than another one.
            ((north, none), (south, none), 2 + DIRECTION_MORE + 3),
            ((none, south), (none, north), 2 + DIRECTION_MORE + 3),
            ((north, none), (none, south), DIRECTION_MORE + 3),
            ((north, south), (south, none), 2 + DIRECTION_MORE),
            ((north, south), (north, south), 0),
            ((north, south), (south, north), 2),
            ((north, none), (north, south), 3),
        ] {
            assert_eq!(direction(asked, there), cost, "{asked:?} {there:?}");
        }
        assert!(direction((north, none), (none, south)) >= DIRECTION_DOUBTED);
    }

    #[test]
    fn streets_of_a_name_differ_by_type_and_directions_together() {
        let (lane, court, north, south) = (Some(1), Some(2), Some(0), Some(4));
        assert!(!streets_differ((None, lane, None), (None, lane, None)));
        assert!(streets_differ((None, lane, None), (None, court, None)));
        assert!(streets_differ((north, lane, None), (south, lane, None)));
        assert!(!streets_differ((north, lane, None), (None, lane, north)), "the same on the other side");
        assert!(!streets_differ((north, lane, None), (None, lane, None)));
        assert!(streets_differ((north, lane, None), (None, None, None)), "a direction and a type less");
        assert!(!streets_differ((None, None, None), (None, lane, None)));
    }

    /// What is never more than offered costs what makes it so ([`super::super::ceiling`]).
    #[test]
    fn costs_stand_in_the_order_of_what_they_say() {
        assert!([ANOTHER_NAME, LOCALITY_UNKNOWN, NEIGHBOUR, REGION_CONTRADICTED].iter().all(|c| *c == ANOTHER_NAME));
        for ascending in [
            &[NEIGHBOUR_BY_POSTCODE, FAR_BY_POSTCODE, NEIGHBOUR, FAR, MOST][..],
            &[POSTCODE_NOT_THERE, POSTCODE_ONE_SIGN, POSTCODE_NEAR, POSTCODE_OTHER],
            &[SUFFIX_ONE_SIDE, SUFFIX_OTHER],
            &[NO_NUMBER, RANGE, BETWEEN, NUMBER_NOT_THERE],
            &[LOCALITY_MISSING, LOCALITY_AND_POSTCODE_MISSING, LOCALITY_MISSING_POSTCODE_OTHER],
        ] {
            assert!(ascending.windows(2).all(|w| w[0] < w[1]), "{ascending:?}");
        }
    }
}
