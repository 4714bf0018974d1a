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

use crate::grammar::Grammar;
use crate::{Text, normal};
use line::Tokens;

/// Longer texts are no addresses.
pub const LONGEST: usize = 600;

/// An address as the table has it; what is not there is empty.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash)]
pub struct AddressInput<'a> {
    /// A whole address in one text.
    pub whole: &'a str,
    /// House number.
    pub number: &'a str,
    /// Thoroughfare, with or without the number.
    pub street: &'a str,
    /// Unit.
    pub unit: &'a str,
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
    pub fn fields(&self) -> [&str; 8] {
        [self.whole, self.number, self.street, self.unit, self.locality, self.region, self.postcode, self.country]
    }

    /// Letters of all fields.
    pub fn length(&self) -> usize {
        self.fields().iter().map(|f| f.len()).sum()
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
    /// What was changed before matching, in words.
    pub read_as: Vec<String>,
    /// How much less likely this reading is than the first one, in the units of the score.
    pub prior: i32,
}

impl ParsedAddress {
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
}

/// No name is known.
impl KnownNames for () {
    fn is_locality(&self, _: &str) -> bool {
        false
    }
    fn is_nearly_locality(&self, _: &str) -> bool {
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
        tail::take(&mut base, &mut words, grammar, true);
        base.locality = words.text().into();
    }
    base.unit = line::unit_text(&normal::words(input.unit), grammar);
    let number = normal::words(normal::without_decimals(input.number));
    let text = if input.street.trim().is_empty() { input.whole } else { input.street };
    if input.street.trim().is_empty() || input.whole.trim().is_empty() {
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
