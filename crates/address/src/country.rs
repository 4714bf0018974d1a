//! Countries by their ISO 3166 codes of two or three letters and by their names, and what an address says of its own.
//!
//! Codes and English short names are those of ISO 3166-1; names in use beside them are listed here, and those of the
//! countries with a grammar there.

use crate::grammar::{GRAMMARS, spellings};
use crate::normal::{self, FastMap};
use crate::parse::AddressInput;
use crate::reference::Reference;
use std::sync::OnceLock;

/// Names in use that the standard does not list, in normal form: code, then names.
const NAMES_IN_USE: &[(&str, &str)] = &[
    ("AT", "OSTERREICH"),
    ("BE", "BELGIE|BELGIQUE|BELGIEN"),
    ("BG", "BALGARIYA"),
    ("BN", "BRUNEI"),
    ("BR", "BRASIL"),
    ("CD", "DEMOCRATIC REPUBLIC OF THE CONGO|DR CONGO|DRC"),
    ("CG", "REPUBLIC OF THE CONGO"),
    ("CH", "SCHWEIZ|SUISSE|SVIZZERA|SVIZRA"),
    ("CI", "IVORY COAST"),
    ("CV", "CAPE VERDE"),
    ("CZ", "CZECH REPUBLIC|CESKO|CESKA REPUBLIKA"),
    ("DK", "DANMARK"),
    ("EE", "EESTI"),
    ("FI", "SUOMI"),
    ("GR", "HELLAS"),
    ("HR", "HRVATSKA"),
    ("HU", "MAGYARORSZAG"),
    ("IS", "ISLAND"),
    ("KP", "NORTH KOREA"),
    ("KR", "SOUTH KOREA"),
    ("LA", "LAOS"),
    ("LT", "LIETUVA"),
    ("LV", "LATVIJA"),
    ("MK", "MACEDONIA"),
    ("MM", "BURMA"),
    ("MO", "MACAU"),
    ("MX", "MEXICO"),
    ("NO", "NORGE"),
    ("PL", "POLSKA"),
    ("PS", "PALESTINE"),
    ("RO", "ROMANIA"),
    ("RS", "SRBIJA"),
    ("RU", "RUSSIA"),
    ("SE", "SVERIGE"),
    ("SI", "SLOVENIJA"),
    ("SK", "SLOVENSKO"),
    ("SY", "SYRIA"),
    ("SZ", "SWAZILAND"),
    ("TL", "EAST TIMOR"),
    ("TR", "TURKEY"),
    ("TW", "TAIWAN"),
    ("VA", "VATICAN|VATICAN CITY"),
    ("VN", "VIETNAM"),
    // Not of the standard, but of its codes for users, and in wide use.
    ("XK", "KOSOVO|XKX"),
];

fn codes() -> &'static FastMap<String, &'static str> {
    static CODES: OnceLock<FastMap<String, &'static str>> = OnceLock::new();
    CODES.get_or_init(|| {
        let mut map: FastMap<String, &'static str> = FastMap::default();
        // Names that several countries have once what stands in brackets is left out name none of them.
        let mut shortened: FastMap<String, Vec<&'static str>> = FastMap::default();
        for country in rust_iso3166::ALL {
            map.insert(country.alpha2.into(), country.alpha2);
            map.insert(country.alpha3.into(), country.alpha2);
            map.insert(normal::words(country.name), country.alpha2);
            if let Some((short, rest)) = country.name.split_once('(') {
                let rest = rest.trim_end_matches(')');
                shortened.entry(normal::words(short)).or_default().push(country.alpha2);
                shortened.entry(normal::words(&format!("{rest} {short}"))).or_default().push(country.alpha2);
            }
            if let Some((short, _)) = country.name.split_once(',') {
                shortened.entry(normal::words(short)).or_default().push(country.alpha2);
            }
        }
        for (name, codes) in shortened {
            if let [only] = codes[..] {
                map.entry(name).or_insert(only);
            }
        }
        let grammars = GRAMMARS.iter().map(|g| (g.country, g.country_names));
        for (code, names) in NAMES_IN_USE.iter().copied().chain(grammars) {
            map.entry(code.into()).or_insert(code);
            for name in spellings(names) {
                map.entry(name.into()).or_insert(code);
            }
        }
        let with_article: Vec<(String, &'static str)> =
            map.iter().filter_map(|(name, code)| Some((name.strip_prefix("THE ")?.into(), *code))).collect();
        with_article.into_iter().for_each(|(name, code)| {
            map.entry(name).or_insert(code);
        });
        map
    })
}

/// The ISO 3166 code of two letters of a country by its code of two or three letters or a name; case and accents do
/// not count.
///
/// ```
/// use basilocus_address::country::code_of;
/// assert_eq!(code_of("deu"), Some("DE"));
/// assert_eq!(code_of("Côte d’Ivoire"), Some("CI"));
/// assert_eq!(code_of("Korea"), None); // there are two
/// ```
pub fn code_of(text: &str) -> Option<&'static str> {
    codes().get(normal::words(text).as_str()).copied()
}

/// The English short name of a country by its code of two letters; the code where it has none.
pub fn name_of(code: &str) -> &str {
    let found = rust_iso3166::from_alpha2(code).map(|c| c.name);
    found
        .or_else(|| NAMES_IN_USE.iter().find(|(c, _)| *c == code).map(|_| "Kosovo").filter(|_| code == "XK"))
        .unwrap_or(code)
}

/// What an address says of its country.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Said<'a> {
    /// Nothing.
    Nothing,
    /// The column of countries has one that is none.
    Unknown(&'a str),
    /// The column of countries names one.
    Column(&'static str),
    /// The text ends with what may be one: its code, and the text before it. It may be a locality or region too, as
    /// the reference knows.
    Text {
        /// ISO 3166 code of two letters.
        code: &'static str,
        /// The text in front of it.
        before: &'a str,
        /// The part of the text that ends with it.
        part: &'a str,
        /// Whether the part has other words too.
        has_more: bool,
    },
}

/// Most words of a name of a country that follows others without a comma.
const MOST_WORDS: usize = 5;
/// Fewest letters of such a name: codes are too often something else.
const LEAST_LETTERS: usize = 4;

/// What an address says of its country.
pub fn said_by<'a>(input: &AddressInput<'a>) -> Said<'a> {
    if !input.country.is_empty() && !normal::is_nothing(&normal::words(input.country)) {
        return code_of(input.country).map_or(Said::Unknown(input.country.trim()), Said::Column);
    }
    let text = input.whole.trim_end_matches(|c: char| !c.is_alphanumeric());
    // Most addresses end in a postcode, which is no country.
    if text.ends_with(|c: char| c.is_ascii_digit()) {
        return Said::Nothing;
    }
    let at = text.rfind([',', ';', '\n', '\t', '|']).map_or(0, |i| i + 1);
    let part = text[at..].trim();
    if at > 0
        && let Some(code) = code_of(part)
    {
        return Said::Text { code, before: &text[..at - 1], part, has_more: false };
    }
    let starts = part.char_indices().filter(|(i, c)| c.is_whitespace() && *i > 0).map(|(i, _)| i);
    let starts: Vec<usize> = starts.collect();
    for start in starts.iter().rev().take(MOST_WORDS).rev() {
        let name = part[*start..].trim();
        if name.chars().count() >= LEAST_LETTERS
            && let Some(code) = code_of(name)
        {
            let from = text.len() - (part.len() - start);
            return Said::Text { code, before: &text[..from], part, has_more: true };
        }
    }
    Said::Nothing
}

impl Said<'_> {
    /// Whether an address that says this may lie in a reference's country.
    ///
    /// The end of a text is taken for a country where the reference has no locality or region of the name, and where
    /// it is not the name of a street.
    pub fn may_be_in(&self, reference: &Reference) -> bool {
        match self {
            Said::Nothing => true,
            Said::Unknown(_) => false,
            Said::Column(code) => *code == reference.country(),
            Said::Text { code, part, has_more, .. } => {
                *code == reference.country() || names_a_place(part, *has_more, reference)
            }
        }
    }

    /// The code that is said.
    pub fn code(&self) -> Option<&'static str> {
        match self {
            Said::Column(code) | Said::Text { code, .. } => Some(code),
            Said::Nothing | Said::Unknown(_) => None,
        }
    }
}

/// Whether the end of a part of an address is a locality, a region or a street's name for a reference.
fn names_a_place(part: &str, has_more: bool, reference: &Reference) -> bool {
    let grammar = reference.grammar();
    let words = normal::words(part);
    let starts = std::iter::once(0).chain(words.match_indices(' ').map(|(i, _)| i + 1)).collect::<Vec<_>>();
    let is_place = |from: &usize| {
        let name = &words[*from..];
        reference.is_locality(name)
            || reference.is_region_name(name)
            || grammar.region(name).is_some()
            || grammar.short_region > 0 && name.len() == grammar.short_region
    };
    if starts.iter().rev().take(MOST_WORDS).any(is_place) {
        return true;
    }
    // "12 Calle Colombia", "12 Norway": a street whose name a country has too.
    has_more
        && words.split(' ').rev().skip(1).take(MOST_WORDS).any(|w| {
            let meaning = grammar.word(w);
            meaning.street_type.is_some() || meaning.direction.is_some() || w.starts_with(|c: char| c.is_ascii_digit())
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn countries_by_code_and_name() {
        for (text, code) in [
            ("us", "US"),
            ("USA", "US"),
            ("United States of America", "US"),
            ("United Kingdom", "GB"),
            ("UK", "GB"),
            ("Bolivia", "BO"),
            ("Plurinational State of Bolivia", "BO"),
            ("Tanzania", "TZ"),
            ("Österreich", "AT"),
            ("Republic of Korea", "KR"),
            ("The Netherlands", "NL"),
            ("Netherlands", "NL"),
            ("Bahamas", "BS"),
            ("Kosovo", "XK"),
            ("türkiye", "TR"),
        ] {
            assert_eq!(code_of(text), Some(code), "{text}");
        }
        assert_eq!((code_of("Korea"), code_of("Atlantis"), code_of("")), (None, None, None));
        assert_eq!((name_of("BO"), name_of("XK"), name_of("ZZ")), ("Bolivia (Plurinational State of)", "Kosovo", "ZZ"));
    }

    #[test]
    fn the_end_of_a_text_may_be_a_country() {
        let of = |whole| said_by(&AddressInput { whole, ..Default::default() });
        assert_eq!(of("Parakar, Armavir, RO").code(), Some("RO"));
        assert_eq!(of("Parakar, Armavir Armenia").code(), Some("AM"));
        // Codes alone are too often something else where no comma stands before them.
        assert_eq!(of("12 Heron Lane Ternport IN"), Said::Nothing);
        assert_eq!(of("Armenia"), Said::Nothing);
        let Said::Text { before, .. } = of("Ternport, New Zealand.") else { panic!("a country") };
        assert_eq!(before, "Ternport");
        let column = |country| said_by(&AddressInput { country, whole: "Parakar, RO", ..Default::default() });
        assert_eq!((column("ARM"), column("n/a").code()), (Said::Column("AM"), Some("RO")));
        assert_eq!(column("Atlantis"), Said::Unknown("Atlantis"));
    }
}
