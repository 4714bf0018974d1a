//! An address to its components.
//!
//! Columns that the table has parted stay parted. A text is cut from its ends: country, postcode and region, then
//! locality, then the thoroughfare line. Where nothing parts locality and thoroughfare, there are several readings;
//! they are given one after the other, the likeliest first, and whoever asks says when to stop: the reference
//! decides, not the parser.
//!
//! | module | what is in it |
//! |---|---|
//! | `tail` | country, postcode and region |
//! | `split` | which words are the locality and which the thoroughfare line |
//! | `line` | the thoroughfare line: unit, number, directions, type, name, crossing |
//! | `number` | house numbers with suffixes, fractions and ranges |
//! | `name` | names in the spelling that they are compared in; roads known by a number |

mod line;
mod name;
mod number;
mod split;
mod tail;

pub(crate) use line::unit_text;
pub(crate) use name::roads_called_alike;

use crate::grammar::{Grammar, TypePlace};
use crate::{Text, normal};
use line::Tokens;
use std::borrow::Cow;

/// Longer texts are no addresses.
pub const LONGEST: usize = 600;

/// An address as the table has it; what is not there is empty.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash)]
pub struct AddressInput<'a> {
    /// A whole address in one text.
    pub whole: &'a str,
    /// House number.
    pub number: &'a str,
    /// What belongs to the number, where it stands in a column of its own.
    pub number_suffix: &'a str,
    /// Direction in front of the street's name, where it stands in a column of its own.
    pub direction: &'a str,
    /// Thoroughfare, with or without the number.
    pub street: &'a str,
    /// Type of the thoroughfare, where it stands in a column of its own.
    pub street_type: &'a str,
    /// Direction behind the street's name, where it stands in a column of its own.
    pub direction_after: &'a str,
    /// Unit.
    pub unit: &'a str,
    /// A second line: a unit, a building, or the street itself.
    pub second_line: &'a str,
    /// Locality.
    pub locality: &'a str,
    /// Region.
    pub region: &'a str,
    /// Postcode.
    pub postcode: &'a str,
    /// Country.
    pub country: &'a str,
}

impl AddressInput<'_> {
    /// The fields in order, for keys.
    pub fn fields(&self) -> [&str; 13] {
        [
            self.whole,
            self.number,
            self.number_suffix,
            self.direction,
            self.street,
            self.street_type,
            self.direction_after,
            self.unit,
            self.second_line,
            self.locality,
            self.region,
            self.postcode,
            self.country,
        ]
    }

    /// Letters of all fields.
    pub fn length(&self) -> usize {
        self.fields().iter().map(|f| f.len()).sum()
    }

    /// The street of its parts in the order of the country, unless the name has them already; and the second line
    /// behind it.
    pub fn street_line(&self, grammar: &Grammar) -> Cow<'_, str> {
        let (direction, after, kind) = (self.direction.trim(), self.direction_after.trim(), self.street_type.trim());
        let second = self.second_line.trim();
        if [direction, after, kind, second].iter().all(|p| p.is_empty()) {
            return Cow::Borrowed(self.street);
        }
        let name = self.street.trim();
        let words = normal::words(name);
        let words: Vec<&str> = words.split(' ').collect();
        let has = |part: &str, at: Option<&&str>| at.is_some_and(|w| *w == normal::words(part));
        let mut parts: Vec<&str> = Vec::with_capacity(4);
        if grammar.type_place == TypePlace::Before {
            parts.extend(Some(kind).filter(|k| !has(k, words.first())));
        }
        parts.extend(Some(direction).filter(|d| !has(d, words.first())));
        parts.push(name);
        if grammar.type_place != TypePlace::Before {
            parts.extend(Some(kind).filter(|k| !has(k, words.last())));
        }
        parts.extend(Some(after).filter(|d| !has(d, words.last())));
        parts.retain(|p| !p.is_empty());
        let mut line = if name.is_empty() { String::new() } else { parts.join(" ") };
        if !second.is_empty() {
            if !line.is_empty() {
                line.push_str(", ");
            }
            line.push_str(second);
        }
        Cow::Owned(line)
    }

    /// The number with what belongs to it.
    fn number_text(&self) -> Cow<'_, str> {
        let number = normal::without_decimals(self.number);
        match self.number_suffix.trim() {
            "" => Cow::Borrowed(number),
            suffix => Cow::Owned(format!("{} {suffix}", number.trim())),
        }
    }
}

/// A thoroughfare.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Thoroughfare {
    /// Direction before the name, an index into the grammar.
    pub pre_direction: Option<u8>,
    /// Name.
    pub name: Text,
    /// Type, an index into the grammar; none where types are part of names.
    pub street_type: Option<u8>,
    /// Direction after the name, an index into the grammar.
    pub post_direction: Option<u8>,
    /// The name as it was typed, in normal form, where that is spelt in another way; for people.
    pub typed: Text,
}

impl Thoroughfare {
    /// The name as it was typed, in normal form.
    pub fn typed_name(&self) -> &str {
        if self.typed.is_empty() { &self.name } else { &self.typed }
    }
}

/// The components of an address, in normal form.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct ParsedAddress {
    /// House number; the first one of a range.
    pub number: Option<u32>,
    /// What belongs to the number: a letter, a fraction or the rest of a joined number (`A`, `1/2`, `-12`), or with a
    /// hyphen behind it what stands before (`N6W-`).
    pub number_suffix: Text,
    /// Last number of a range.
    pub number_to: Option<u32>,
    /// The thoroughfare.
    pub street: Thoroughfare,
    /// The other thoroughfare of a crossing.
    pub crossing: Option<Thoroughfare>,
    /// The words of the thoroughfare line where it has no number: they may name a building or another place.
    pub place: Text,
    /// The words in front of a thoroughfare line without a number: they may be the name of its house.
    pub house_name: Text,
    /// Unit, floor or building in standard form (`Apt 3`).
    pub unit: Text,
    /// Whether it is a post box or a rural route.
    pub post_box: bool,
    /// Locality.
    pub locality: Text,
    /// Another part that may be the locality, or one within it.
    pub sub_locality: Text,
    /// Code of the region where the words are known, else the words.
    pub region: Text,
    /// Postcode without extension, in its usual shape where it has one.
    pub postcode: Text,
    /// Extension of the postcode.
    pub extension: Text,
    /// Code or words of the country.
    pub country: Text,
    /// Which of several whole addresses in the text this one is.
    pub line_of_several: Option<u8>,
    /// What was changed or passed over before matching, in words.
    pub read_as: Vec<String>,
    /// How much less likely this reading is than the first one, in the units of the score.
    pub prior: i32,
}

impl ParsedAddress {
    /// Notes that words were not used.
    pub(crate) fn pass_over(&mut self, words: &str) {
        if !words.is_empty() {
            self.read_as.push(format!("\"{}\" not used", normal::title(words)));
        }
    }

    /// Whether nothing was found.
    pub fn is_empty(&self) -> bool {
        self.number.is_none()
            && self.street.name.is_empty()
            && !self.post_box
            && self.locality.is_empty()
            && self.region.is_empty()
            && self.postcode.is_empty()
    }
}

/// What a parser may ask about names; all words are in normal form.
pub trait KnownNames {
    /// Whether words are the name of a locality.
    fn is_locality(&self, words: &str) -> bool;
    /// Whether words are nearly the name of a locality.
    fn is_nearly_locality(&self, words: &str) -> bool;
    /// Whether words are the name of a region that the grammar does not know.
    fn is_region(&self, words: &str) -> bool;
}

/// No name is known.
impl KnownNames for () {
    fn is_locality(&self, _: &str) -> bool {
        false
    }
    fn is_nearly_locality(&self, _: &str) -> bool {
        false
    }
    fn is_region(&self, _: &str) -> bool {
        false
    }
}

/// Gives the readings of an address to `each`, the likeliest first, until it returns false or there are no more.
///
/// There is at least one reading, which may be empty.
pub fn readings(
    input: &AddressInput,
    grammar: &Grammar,
    names: &dyn KnownNames,
    each: &mut dyn FnMut(ParsedAddress) -> bool,
) {
    let mut base = ParsedAddress::default();
    let postcode = normal::short_words(normal::without_decimals(input.postcode));
    if !postcode.is_empty() {
        match grammar.postcode(&postcode) {
            Some((code, extension)) => (base.postcode, base.extension) = (code, extension),
            None => base.postcode = postcode,
        }
    }
    let region = normal::short_words(input.region);
    base.region = grammar.region(&region).map_or(region, Text::from);
    base.country = normal::short_words(input.country);
    base.locality = normal::short_words(input.locality);
    // "Ternport OR" or "Ternport, OR 97981" in the locality column
    if !base.locality.is_empty() && !names.is_locality(&base.locality) {
        let text = std::mem::take(&mut base.locality);
        let tokens = Tokens::new(&text, grammar);
        let mut words = tokens.line();
        tail::take(&mut base, &mut words, grammar, tail::Keep { one: true, direction: false });
        base.locality = words.text().into();
    }
    base.unit = line::unit_text(&normal::words(input.unit), grammar);
    let number = normal::words(&input.number_text());
    let street = input.street_line(grammar);
    let text = if street.trim().is_empty() { input.whole } else { &street };
    if street.trim().is_empty() || input.whole.trim().is_empty() {
        return split::readings(text, &number, base, grammar, names, each);
    }
    let mut go_on = true;
    split::readings(text, &number, base.clone(), grammar, names, &mut |a| {
        go_on = each(a);
        go_on
    });
    if go_on {
        base.prior += 1;
        split::readings(input.whole, &number, base, grammar, names, each);
    }
}

/// The likeliest reading of an address.
///
/// ```
/// use basilocus_address::{grammar::us, parse::{parse, AddressInput}};
/// let input = AddressInput { whole: "1427 NE Mpale Ave Apt 3, Ternport, OR 97981-0012", ..Default::default() };
/// let a = parse(&input, &us::GRAMMAR, &());
/// assert_eq!((a.number, a.street.name.as_str(), a.locality.as_str()), (Some(1427), "MPALE", "TERNPORT"));
/// assert_eq!((a.region.as_str(), a.postcode.as_str(), a.unit.as_str()), ("OR", "97981", "Apt 3"));
/// ```
pub fn parse(input: &AddressInput, grammar: &Grammar, names: &dyn KnownNames) -> ParsedAddress {
    let mut first = ParsedAddress::default();
    readings(input, grammar, names, &mut |a| {
        first = a;
        false
    });
    first
}

/// Reads a thoroughfare alone, as references have it.
pub fn parse_street(street: &str, grammar: &Grammar) -> Thoroughfare {
    let words = normal::words(street);
    let tokens = Tokens::new(&words, grammar);
    let line = tokens.line();
    line::thoroughfare(&line, 0, line.tokens.len(), grammar)
}

/// Reads a house number alone, as references have it: the number, and what belongs to it.
pub fn parse_number(text: &str, grammar: &Grammar) -> Option<(u32, Text)> {
    let words = normal::words(normal::without_decimals(text));
    let tokens = Tokens::new(&words, grammar);
    let line = tokens.line();
    let mut found = number::take(&line, 0, grammar)?;
    line.tokens[found.used..].iter().for_each(|t| found.suffix.push_str(t));
    Some((found.number, found.suffix))
}

#[cfg(test)]
mod tests;
