//! An address that a source writes in one text, in the parts that an entry has.

use crate::Text;
use crate::grammar::{Grammar, TypePlace};
use crate::normal;
use crate::parse::{AddressInput, KnownNames, ParsedAddress, Thoroughfare, parse};

/// The parts of an address as an entry has them; what is not there is empty.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WrittenAddress {
    /// House number with suffix.
    pub number: String,
    /// Thoroughfare with directions and type.
    pub street: String,
    /// Unit.
    pub unit: String,
    /// Locality.
    pub locality: String,
    /// Region.
    pub region: String,
    /// Postcode.
    pub postcode: String,
}

impl WrittenAddress {
    /// Reads a text by the rules of a country. `names` tells what is the name of a locality, where commas do not.
    ///
    /// ```
    /// use basilocus_address::grammar::us;
    /// use basilocus_address::reference::WrittenAddress;
    ///
    /// let a = WrittenAddress::read("12A NE Heron Ln, Ternport, OR 97981", &us::GRAMMAR, &());
    /// assert_eq!((a.number.as_str(), a.street.as_str()), ("12A", "NE Heron Ln"));
    /// assert_eq!((a.locality.as_str(), a.region.as_str(), a.postcode.as_str()), ("Ternport", "OR", "97981"));
    /// ```
    pub fn read(text: &str, grammar: &Grammar, names: &dyn KnownNames) -> Self {
        let a = parse(&AddressInput { whole: text, ..Default::default() }, grammar, names);
        WrittenAddress {
            number: number(&a),
            street: street(&a.street, grammar),
            unit: a.unit.to_string(),
            locality: normal::title(&a.locality),
            region: a.region.to_string(),
            postcode: a.postcode.to_string(),
        }
    }
}

fn number(a: &ParsedAddress) -> String {
    let Some(number) = a.number else { return String::new() };
    let suffix: &Text = &a.number_suffix;
    // What stands before a number, and a fraction, are parted from it.
    match suffix.strip_suffix('-') {
        Some(before) => format!("{before}{number}"),
        None if suffix.contains('/') => format!("{number} {suffix}"),
        None => format!("{number}{suffix}"),
    }
}

fn street(street: &Thoroughfare, grammar: &Grammar) -> String {
    if street.name.is_empty() {
        return String::new();
    }
    let direction = |d: Option<u8>| d.map_or("", |d| grammar.direction_name(d));
    let (pre, post) = (direction(street.pre_direction), direction(street.post_direction));
    let kind = street.street_type.map_or("", |t| grammar.street_type_name(t));
    let name = normal::title(street.typed_name());
    let parts = match grammar.type_place == TypePlace::Before {
        true => [kind, pre, name.as_str(), post],
        false => [pre, name.as_str(), kind, post],
    };
    parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grammar;

    #[test]
    fn texts_of_several_countries_come_in_parts() {
        for (country, text, number, street, locality, postcode) in [
            ("US", "1427 NE Mpale Ave Apt 3, Ternport, OR 97981-0012", "1427", "NE Mpale Ave", "Ternport", "97981"),
            ("US", "12 1/2 Heron Lane, Ternport OR", "12 1/2", "Heron Ln", "Ternport", ""),
            ("DE", "Reiherweg 12a, 26999 Seeschwalben", "12A", "Reiherweg", "Seeschwalben", "26999"),
            ("FR", "12 bis rue du Héron, 44999 Sterneville", "12BIS", "Rue du Heron", "Sterneville", "44999"),
        ] {
            let grammar = grammar::of_country(country).unwrap();
            let a = WrittenAddress::read(text, grammar, &());
            let is = (
                a.number.replace(' ', "").to_uppercase(),
                a.street.to_lowercase(),
                a.locality.to_lowercase(),
                a.postcode,
            );
            let expected = (
                number.replace(' ', "").to_uppercase(),
                street.to_lowercase(),
                locality.to_lowercase(),
                postcode.to_string(),
            );
            assert_eq!(is, expected, "{text}");
        }
        assert_eq!(WrittenAddress::read("", &grammar::us::GRAMMAR, &()), WrittenAddress::default());
    }
}
