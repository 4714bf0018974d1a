//! What columns of addresses are called, by language: one file a language.
//!
//! To add a language: a file with a `static` [`Language`], and its line in the list. All words are in normal form
//! ([`crate::normal::words`]); blanks do not count, and spellings of one thing are parted by `|`, the surest first.

use super::spellings;
use crate::normal;
use std::collections::{HashMap, HashSet};
use std::sync::OnceLock;

/// What a column of a table of addresses holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Component {
    /// The whole address.
    Address,
    /// The house number.
    HouseNumber,
    /// What belongs to the number and stands in a column of its own.
    NumberSuffix,
    /// The direction in front of the thoroughfare's name.
    StreetDirection,
    /// The thoroughfare, with or without the number.
    Street,
    /// The type of the thoroughfare.
    StreetType,
    /// The direction behind the thoroughfare's name.
    StreetDirectionAfter,
    /// Unit, flat, floor.
    Unit,
    /// A second line, which may hold anything.
    SecondLine,
    /// City, town, village.
    Locality,
    /// State, province, county.
    Region,
    /// The postcode.
    Postcode,
    /// The country.
    Country,
}

/// What columns are called in a language.
#[derive(Debug)]
pub struct Language {
    /// Its name.
    pub name: &'static str,
    /// Words that tell places of one name apart: points of the compass, above and below, old and new.
    pub compass: &'static str,
    /// Headers that tell a component by themselves.
    pub headers: &'static [(Component, &'static str)],
    /// Headers that tell one only beside another header of the language: words of other trades or other languages as well.
    pub in_company: &'static [(Component, &'static str)],
}

macro_rules! languages {
    ($($file:ident,)+) => {
        $(mod $file;)+

        /// The languages.
        pub static LANGUAGES: &[&Language] = &[$(&$file::LANGUAGE),+];
    };
}

languages! {
    english,
    german,
    dutch,
    french,
    spanish,
    portuguese,
    italian,
}

/// What a header tells in a language.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Header {
    /// Place of the language in [`LANGUAGES`].
    pub language: usize,
    /// The component.
    pub component: Component,
    /// How sure the word is; smaller is surer.
    pub rank: usize,
    /// Whether it tells so only beside another header of the language.
    pub in_company: bool,
}

/// What a word that needs company is less sure by.
const LESS_SURE: usize = 10;

/// What a header can tell, in every language that has it. Case, accents and punctuation do not count.
///
/// ```
/// use basilocus_address::grammar::language::{Component, of_header};
///
/// assert_eq!(of_header("Straße")[0].component, Component::Street);
/// assert_eq!(of_header("Code postal")[0].component, Component::Postcode);
/// assert!(of_header("remarks").is_empty());
/// ```
pub fn of_header(header: &str) -> &'static [Header] {
    static INDEX: OnceLock<HashMap<String, Vec<Header>>> = OnceLock::new();
    let index = INDEX.get_or_init(|| {
        let mut index: HashMap<String, Vec<Header>> = HashMap::new();
        for (language, l) in LANGUAGES.iter().enumerate() {
            for (list, in_company) in [(l.headers, false), (l.in_company, true)] {
                for (component, words) in list {
                    for (rank, word) in spellings(words).enumerate() {
                        let rank = rank + if in_company { LESS_SURE } else { 0 };
                        let header = Header { language, component: *component, rank, in_company };
                        index.entry(plain(word)).or_default().push(header);
                    }
                }
            }
        }
        index
    });
    index.get(&plain(&normal::words(header))).map_or(&[], Vec::as_slice)
}

/// Whether a word is one of the compass, in any language.
pub(crate) fn is_compass(word: &str) -> bool {
    static WORDS: OnceLock<HashSet<&'static str>> = OnceLock::new();
    WORDS.get_or_init(|| LANGUAGES.iter().flat_map(|l| spellings(l.compass)).collect()).contains(word)
}

/// Whether two words of the compass mean two sides: in one language, or so different that none is the other misspelt
/// ("NOORD" is no other side than "NORD").
pub(crate) fn are_two_sides(a: &str, b: &str) -> bool {
    let has = |l: &Language, word: &str| spellings(l.compass).any(|w| w == word);
    a != b
        && (normal::distance(a.as_bytes(), b.as_bytes(), 1).is_none()
            || LANGUAGES.iter().any(|l| has(l, a) && has(l, b)))
}

/// The words of the compass that a compound begins with, and what stands behind: three letters and more.
pub(crate) fn compass_prefixes(compound: &str) -> impl Iterator<Item = (&'static str, &str)> {
    let words = LANGUAGES.iter().flat_map(|l| spellings(l.compass));
    words.filter_map(move |w| Some((w, compound.strip_prefix(w).filter(|rest| rest.len() >= 3)?)))
}

/// Letters and figures alone.
fn plain(words: &str) -> String {
    words.chars().filter(|c| c.is_alphanumeric()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_normal_and_tell_one_thing_in_a_language() {
        for l in LANGUAGES {
            let mut seen = HashSet::new();
            spellings(l.compass).for_each(|word| assert_eq!(normal::words(word), word, "{}", l.name));
            for (_, words) in l.headers.iter().chain(l.in_company) {
                for word in spellings(words) {
                    assert_eq!(normal::words(word), word, "{}", l.name);
                    assert!(seen.insert(plain(word)), "{} has {word} twice", l.name);
                }
            }
        }
    }

    #[test]
    fn sides_in_several_languages() {
        assert!(are_two_sides("NORD", "SUD") && are_two_sides("ESTE", "OESTE"));
        assert!(!are_two_sides("NOORDER", "NORDER") && !are_two_sides("NORD", "NORD"));
    }

    #[test]
    fn headers_in_many_languages() {
        for (header, language, component) in [
            ("House No.", "English", Component::HouseNumber),
            ("ZIP+4", "English", Component::Postcode),
            ("Hausnr.", "German", Component::HouseNumber),
            ("Haus-Nr.", "German", Component::HouseNumber),
            ("STRASSE", "German", Component::Street),
            ("Straße / Nr.", "German", Component::Street),
            ("PLZ", "German", Component::Postcode),
            ("woonplaats", "Dutch", Component::Locality),
            ("Numéro de voie", "French", Component::HouseNumber),
            ("Municipio", "Spanish", Component::Locality),
            ("Código Postal", "Spanish", Component::Postcode),
            ("Freguesia", "Portuguese", Component::Locality),
            ("Civico", "Italian", Component::HouseNumber),
        ] {
            let found = of_header(header).iter().find(|h| LANGUAGES[h.language].name == language);
            assert_eq!(found.map(|h| h.component), Some(component), "{header}");
        }
    }
}
