//! The address rules of a country, as data: one file a country.
//!
//! To add a country: a file with a `static` [`Grammar`], and its line in [`GRAMMARS`]. All words are in normal form
//! ([`crate::normal::words`]); spellings of one thing are parted by `|`. What columns are called belongs to a
//! [`language`].

pub mod language;
mod words;

pub mod au;
pub mod ca;
pub mod de;
pub mod es;
pub mod fr;
pub mod gb;
pub mod ie;
pub mod it;
pub mod nl;
pub mod nz;
pub mod plain;
pub mod pt;
pub mod us;

use crate::Text;
pub use words::{Word, WordIndex};

/// What is written first and all its spellings: `("Ave", "AVENUE|AVE|AV")`.
pub type Table = &'static [(&'static str, &'static str)];

/// Where the number of a house stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum NumberPlace {
    /// `12 Heron Lane`
    Before,
    /// `Reiherweg 12`
    After,
}

/// Where the type of a thoroughfare stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum TypePlace {
    /// `Heron Lane`
    After,
    /// `Rue du Héron`
    Before,
    /// `Reiherweg`: a part of the name, which may be shortened (`Reiherstr.`).
    Glued,
}

/// Which number is the unit's where two are joined.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum JoinedUnit {
    /// None: `12-16` is a range, `12/A` a number with its suffix.
    Never,
    /// `3/27`: unit 3 of number 27.
    Slash,
    /// `3-27`: unit 3 of number 27, or a range.
    Hyphen,
}

/// The words of a country's addresses.
#[derive(Debug)]
pub struct Grammar {
    /// ISO 3166 alpha-2 code.
    pub country: &'static str,
    /// Names of the country in addresses.
    pub country_names: &'static str,
    /// Where the house number stands.
    pub number: NumberPlace,
    /// Where the type of a thoroughfare stands.
    pub type_place: TypePlace,
    /// Whether a type may also stand on the other side of the name (two languages, or roads named so).
    pub type_both_sides: bool,
    /// Thoroughfare types: the standard form as written, then all spellings. Where types are glued to names, their
    /// long form and the short ones.
    pub street_types: Table,
    /// Directions: the standard form, then all spellings.
    pub directions: Table,
    /// Designators of units, floors and buildings: the standard form, then all spellings.
    pub units: Table,
    /// How two joined numbers are read.
    pub joined_unit: JoinedUnit,
    /// Regions: code, then code and names.
    pub regions: Table,
    /// Words of a name that are written in several ways: the long form, then the short ones.
    pub name_words: Table,
    /// Number words and their figures as ordinals.
    pub ordinals: Table,
    /// Tens that a number word may follow ("TWENTY FIRST"), from twenty.
    pub tens: &'static [&'static str],
    /// Roads that are known by a number: the long form, then the spellings ("HIGHWAY" in "HWY 101").
    pub route_types: Table,
    /// Openings of post-box and rural-route addresses, which have no place finer than the postcode.
    pub post_boxes: &'static str,
    /// Openings of lines that name a person or firm.
    pub care_of: &'static str,
    /// Small words of names that are often left out or written differently ("DE LA").
    pub particles: &'static str,
    /// Words between a street and its number ("NO", "N").
    pub number_marks: &'static str,
    /// Words after a number that belong to it ("BIS").
    pub number_suffixes: &'static str,
    /// Words between the two streets of a crossing.
    pub crossing_words: &'static str,
    /// Words in front of a crossing.
    pub corner_words: &'static str,
    /// Shapes of postcodes: `9` a digit, `A` a letter, `*` either, a blank or hyphen where the parts meet; the first is the
    /// usual one.
    pub postcodes: &'static [&'static str],
    /// Digits of an extension after the postcode; 0 for none.
    pub postcode_extension: usize,
    /// Whether the postcode stands before the locality.
    pub postcode_first: bool,
    /// Whether `AE`, `OE` and `UE` may stand for vowels with two dots.
    pub umlauts: bool,
    /// Letters of a code of a region that is not in the list but may follow the locality; 0 for none.
    pub short_region: usize,
    /// Words by what they mean, made when they are first needed.
    pub index: WordIndex,
}

/// The grammars, by country.
pub static GRAMMARS: &[&Grammar] = &[
    &us::GRAMMAR,
    &ca::GRAMMAR,
    &gb::GRAMMAR,
    &ie::GRAMMAR,
    &au::GRAMMAR,
    &nz::GRAMMAR,
    &de::GRAMMAR,
    &nl::GRAMMAR,
    &fr::GRAMMAR,
    &es::GRAMMAR,
    &pt::GRAMMAR,
    &it::GRAMMAR,
];

/// The grammar of a country by an ISO 3166 code or a name of it; case and accents do not count. Nothing for countries
/// that have none here.
pub fn of_country(text: &str) -> Option<&'static Grammar> {
    let code = crate::country::code_of(text)?;
    GRAMMARS.iter().find(|g| g.country == code).copied()
}

/// The grammar of a country by its code of two letters; the plain one where it has none of its own.
pub fn of_code(code: &str) -> &'static Grammar {
    GRAMMARS.iter().find(|g| g.country == code).copied().unwrap_or(&plain::GRAMMAR)
}

/// The spellings of an entry.
pub(crate) fn spellings(list: &'static str) -> impl Iterator<Item = &'static str> {
    list.split('|').filter(|s| !s.is_empty())
}

impl Grammar {
    /// What a word, or several that belong together, means.
    pub fn word(&self, words: &str) -> Word {
        self.index.get(self, words)
    }

    /// The standard form of a thoroughfare type; nothing for an index that a damaged reference made up.
    pub fn street_type_name(&self, index: u8) -> &'static str {
        self.street_types.get(usize::from(index)).map_or("", |(name, _)| name)
    }

    /// The standard form of a direction.
    pub fn direction_name(&self, index: u8) -> &'static str {
        self.directions.get(usize::from(index)).map_or("", |(name, _)| name)
    }

    /// The code of the region that words spell.
    pub fn region(&self, words: &str) -> Option<&'static str> {
        self.word(words).region.map(|i| self.regions[usize::from(i)].0)
    }

    /// The standard form of the unit designator that a word spells.
    pub fn unit(&self, word: &str) -> Option<&'static str> {
        self.word(word).unit.map(|i| self.units[usize::from(i)].0)
    }

    /// Index of the thoroughfare type that a word nearly spells: one slip in a word of five letters or more, in one
    /// type only.
    ///
    /// Shorter words are near too many others.
    pub fn misspelt_street_type(&self, word: &str) -> Option<u8> {
        if word.len() < 5 || self.type_place == TypePlace::Glued {
            return None;
        }
        let mut found = None;
        for (spelling, i) in self.index.long_types(self) {
            if crate::normal::distance(spelling.as_bytes(), word.as_bytes(), 1).is_some() {
                if found.is_some_and(|f| f != *i) {
                    return None;
                }
                found = Some(*i);
            }
        }
        found
    }

    /// A postcode in its usual shape (`SW1A 1AA`, `97981`) and its extension, where a text has one of the shapes;
    /// blanks and hyphens between the parts may be there or not.
    pub fn postcode(&self, text: &str) -> Option<(Text, Text)> {
        if text.len() > 16 || text.len() < 3 || !text.is_ascii() || !text.bytes().any(|b| b.is_ascii_digit()) {
            return None;
        }
        let mut buffer = [0u8; 16];
        let mut n = 0;
        for b in text.bytes().filter(|b| *b != b' ' && *b != b'-') {
            buffer[n] = b;
            n += 1;
        }
        let compact = &buffer[..n];
        self.postcodes.iter().find_map(|shape| {
            let wanted = shape.bytes().filter(|b| !matches!(b, b' ' | b'-')).count();
            let rest = compact.len().checked_sub(wanted)?;
            let extension_fits = rest == 0 || rest == self.postcode_extension;
            if !extension_fits {
                return None;
            }
            let mut out = Text::default();
            let mut at = 0;
            for s in shape.bytes() {
                if matches!(s, b' ' | b'-') {
                    out.push(s as char);
                    continue;
                }
                let b = compact[at];
                let fits = match s {
                    b'9' => b.is_ascii_digit(),
                    b'A' => b.is_ascii_uppercase(),
                    _ => b.is_ascii_alphanumeric(),
                };
                if !fits {
                    return None;
                }
                out.push(b as char);
                at += 1;
            }
            let extension = &compact[at..];
            extension.iter().all(u8::is_ascii_digit).then(|| (out, extension.iter().map(|b| char::from(*b)).collect()))
        })
    }

    /// Most words that a postcode has with its extension.
    pub(crate) fn postcode_words(&self) -> usize {
        let parts = self.postcodes.iter().map(|s| s.split(' ').count()).max().unwrap_or(1);
        parts + usize::from(self.postcode_extension > 0)
    }

    /// Whether a postcode is as fine as a street: those of six letters and figures and more are; a shorter one is that of a
    /// town, even where a reference knows one street of it alone.
    pub(crate) fn postcode_tells_the_street(&self) -> bool {
        self.postcodes.first().is_some_and(|shape| shape.bytes().filter(|b| !matches!(b, b' ' | b'-')).count() >= 6)
    }

    /// Digits of a postcode that is all digits, where a leading zero can get lost.
    pub(crate) fn digits_of_postcode(&self) -> Option<usize> {
        self.postcodes.first().filter(|s| s.bytes().all(|b| b == b'9')).map(|s| s.len())
    }

    /// The long form of a glued type at the end of a word (`REIHERSTR` to `REIHERSTRASSE`), or the word as it is.
    pub(crate) fn glued<'a>(&self, word: &'a str) -> std::borrow::Cow<'a, str> {
        if self.type_place == TypePlace::Glued {
            for (_, list) in self.street_types {
                let mut forms = spellings(list);
                let Some(long) = forms.next() else { continue };
                if word.ends_with(long) {
                    return word.into();
                }
                for short in forms {
                    if let Some(stem) = word.strip_suffix(short).filter(|s| s.len() >= 3 || s.is_empty()) {
                        return format!("{stem}{long}").into();
                    }
                }
            }
        }
        word.into()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::normal;

    #[test]
    fn words_are_normal_and_spell_one_thing() {
        for g in GRAMMARS {
            for table in [g.street_types, g.directions, g.units, g.name_words, g.route_types, g.regions, g.ordinals] {
                let mut seen = std::collections::HashSet::new();
                for word in table.iter().flat_map(|(_, list)| spellings(list)) {
                    assert_eq!(normal::words(word), word, "{}", g.country);
                    assert!(seen.insert(word), "{} has {word} twice", g.country);
                }
            }
            for list in [
                g.country_names,
                g.post_boxes,
                g.care_of,
                g.particles,
                g.number_marks,
                g.number_suffixes,
                g.crossing_words,
                g.corner_words,
            ] {
                for word in spellings(list) {
                    assert_eq!(normal::words(word), word, "{}", g.country);
                }
            }
            assert!(std::ptr::eq(of_country(g.country).unwrap(), *g));
            assert!(!g.postcodes.is_empty());
        }
        assert_eq!(us::GRAMMAR.region("OREGON"), Some("OR"));
        assert_eq!(us::GRAMMAR.region("OR"), Some("OR"));
        assert!(of_country("atlantis").is_none());
        assert_eq!(of_country("Deutschland").map(|g| g.country), Some("DE"));
    }

    #[test]
    fn postcodes_in_their_shapes() {
        let code =
            |g: &Grammar, t: &str| g.postcode(t).map(|(c, e)| format!("{c}{}{e}", if e.is_empty() { "" } else { "+" }));
        for (country, text, wanted) in [
            ("US", "97981", Some("97981")),
            ("US", "97981-0012", Some("97981+0012")),
            ("US", "979810012", Some("97981+0012")),
            ("US", "9798", None),
            ("US", "9798A", None),
            ("CA", "V9T1A1", Some("V9T 1A1")),
            ("CA", "V9T 1A1", Some("V9T 1A1")),
            ("GB", "TF11AB", Some("TF1 1AB")),
            ("GB", "TF1A 1AB", Some("TF1A 1AB")),
            ("GB", "T1 1AB", Some("T1 1AB")),
            ("GB", "T1A 1AB", Some("T1A 1AB")),
            ("GB", "TF12 1AB", Some("TF12 1AB")),
            ("IE", "T12 AB34", Some("T12 AB34")),
            ("AU", "7999", Some("7999")),
            ("DE", "12345", Some("12345")),
            ("NL", "1234AB", Some("1234 AB")),
            ("NL", "1234 AB", Some("1234 AB")),
            ("PT", "1234-567", Some("1234-567")),
            ("PT", "1234567", Some("1234-567")),
            ("PT", "1234", Some("1234")),
            ("FR", "75999", Some("75999")),
            ("FR", "É5999", None),
        ] {
            assert_eq!(code(of_country(country).unwrap(), text).as_deref(), wanted, "{country} {text}");
        }
    }

    #[test]
    fn glued_types_are_written_out() {
        assert_eq!(de::GRAMMAR.glued("REIHERSTR"), "REIHERSTRASSE");
        assert_eq!(de::GRAMMAR.glued("REIHERSTRASSE"), "REIHERSTRASSE");
        assert_eq!(de::GRAMMAR.glued("REIHERWEG"), "REIHERWEG");
        assert_eq!(nl::GRAMMAR.glued("REIGERSTR"), "REIGERSTRAAT");
        assert_eq!(us::GRAMMAR.glued("HERONSTR"), "HERONSTR");
    }

    #[test]
    fn types_with_one_slip() {
        let g = &us::GRAMMAR;
        assert_eq!(g.misspelt_street_type("SRTEET").map(|i| g.street_type_name(i)), Some("St"));
        assert_eq!(g.misspelt_street_type("HERON"), None);
    }
}
