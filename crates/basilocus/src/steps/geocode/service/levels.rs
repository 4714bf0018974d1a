//! What services' words for a level mean.

use basilocus_address::Level;
use basilocus_services::Place;

/// Words in small letters, blanks between them, and our level.
const WORDS: &[(Level, &[&str])] = &[
    (
        Level::AddressPoint,
        &["address point", "address", "house", "house number", "building", "entrance", "parcel", "rooftop"],
    ),
    (
        Level::StreetRange,
        &["street range", "range", "interpolated", "interpolation", "address range", "street segment"],
    ),
    (Level::Crossing, &["crossing", "intersection", "junction"]),
    (Level::Landmark, &["landmark", "place of interest", "point of interest", "site"]),
    (Level::Street, &["street", "road", "thoroughfare", "street name"]),
    (Level::Postcode, &["postcode", "postal code", "postal area"]),
    (
        Level::Locality,
        &[
            "locality",
            "municipality",
            "city",
            "town",
            "village",
            "hamlet",
            "settlement",
            "place",
            "neighbourhood",
            "suburb",
        ],
    ),
    (Level::Region, &["region", "state", "province", "county", "district", "country subdivision", "country"]),
];

/// The level of a word, where it is known.
pub(in crate::steps) fn of_word(word: &str) -> Option<Level> {
    // "PostalCode", "postal_code" and "postal-code" are one.
    let mut plain = String::with_capacity(word.len() + 4);
    let mut after_small = false;
    for c in word.trim().chars() {
        match c {
            '-' | '_' => plain.push(' '),
            c if c.is_uppercase() => {
                if after_small {
                    plain.push(' ');
                }
                plain.extend(c.to_lowercase());
            }
            c => plain.push(c),
        }
        after_small = c.is_lowercase();
    }
    WORDS.iter().find(|(_, words)| words.contains(&plain.as_str())).map(|(level, _)| *level)
}

/// The finest level that the parts of a place can be of; nothing where it has none.
pub(in crate::steps) fn of_parts(place: &Place) -> Option<Level> {
    let has = |part: &str| !part.trim().is_empty();
    if has(&place.street) {
        Some(if has(&place.number) { Level::AddressPoint } else { Level::Street })
    } else if has(&place.postcode) && !has(&place.locality) {
        Some(Level::Postcode)
    } else if has(&place.locality) {
        Some(Level::Locality)
    } else if has(&place.region) {
        Some(Level::Region)
    } else {
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_of_many_spellings() {
        for (word, level) in [
            ("ROOFTOP", Level::AddressPoint),
            ("address_point", Level::AddressPoint),
            ("PostalCode", Level::Postcode),
            ("postal-code", Level::Postcode),
            ("Interpolated", Level::StreetRange),
            ("CountrySubdivision", Level::Region),
        ] {
            assert_eq!(of_word(word), Some(level), "{word}");
        }
        assert_eq!((of_word("good"), of_word("")), (None, None));
        // Our own names are among them.
        assert!(basilocus_address::matching::LEVELS.iter().all(|(level, name)| of_word(name) == Some(*level)));
    }

    #[test]
    fn parts_say_how_fine_a_place_can_be() {
        let mut place = Place { region: "OR".into(), ..Default::default() };
        assert_eq!(of_parts(&Place::default()), None);
        assert_eq!(of_parts(&place), Some(Level::Region));
        place.postcode = "97981".into();
        assert_eq!(of_parts(&place), Some(Level::Postcode));
        place.locality = "Ternport".into();
        assert_eq!(of_parts(&place), Some(Level::Locality));
        place.street = "Heron Ln".into();
        assert_eq!(of_parts(&place), Some(Level::Street));
        place.number = "12".into();
        assert_eq!(of_parts(&place), Some(Level::AddressPoint));
    }
}
