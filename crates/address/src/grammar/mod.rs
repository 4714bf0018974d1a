//! The address rules of a country, as data: one file a country.
//!
//! To add a country: a file with a `static` [`Grammar`], and its line in [`of_country`].

pub mod us;

/// The words of a country's addresses. All words are in normal form ([`crate::normal::words`]).
#[derive(Debug)]
pub struct Grammar {
    /// ISO 3166 alpha-2 code.
    pub country: &'static str,
    /// Names of the country in addresses.
    pub country_names: &'static [&'static str],
    /// Thoroughfare types: the standard form as written, then all spellings.
    pub street_types: &'static [(&'static str, &'static [&'static str])],
    /// Directions: the standard form, then all spellings.
    pub directions: &'static [(&'static str, &'static [&'static str])],
    /// Designators of units, floors and buildings: the standard form, then all spellings.
    pub units: &'static [(&'static str, &'static [&'static str])],
    /// Regions: code, then names.
    pub regions: &'static [(&'static str, &'static [&'static str])],
    /// Words of a name that are written in several ways: the long form, then the short ones.
    pub name_words: &'static [(&'static str, &'static [&'static str])],
    /// Number words and their figures as ordinals.
    pub ordinals: &'static [(&'static str, &'static str)],
    /// Types that are followed by a route number ("HIGHWAY 101").
    pub route_types: &'static [(&'static str, &'static [&'static str])],
    /// Openings of post-box and rural-route addresses, which have no place finer than the postcode.
    pub post_boxes: &'static [&'static str],
    /// Digits of a postcode, and of its extension.
    pub postcode_digits: (usize, usize),
}

/// The grammar of a country by its ISO code; only the United States so far.
pub fn of_country(code: &str) -> Option<&'static Grammar> {
    match code.to_ascii_uppercase().as_str() {
        "US" | "USA" => Some(&us::GRAMMAR),
        _ => None,
    }
}

impl Grammar {
    /// Index of the thoroughfare type that a word spells.
    pub fn street_type(&self, word: &str) -> Option<u8> {
        find(self.street_types, word)
    }

    /// The standard form of a thoroughfare type; nothing for an index that a damaged reference made up.
    pub fn street_type_name(&self, index: u8) -> &'static str {
        self.street_types.get(usize::from(index)).map_or("", |(name, _)| name)
    }

    /// The standard form of a direction.
    pub fn direction_name(&self, index: u8) -> &'static str {
        self.directions.get(usize::from(index)).map_or("", |(name, _)| name)
    }

    /// Index of the thoroughfare type that a word nearly spells: one slip in a word of five letters or more.
    ///
    /// Shorter words are near too many others, and names are never taken for types ("HERON" is near none).
    pub fn misspelt_street_type(&self, word: &str) -> Option<u8> {
        if word.len() < 5 {
            return None;
        }
        let near = |w: &str| w.len() >= 5 && crate::normal::distance(w.as_bytes(), word.as_bytes(), 1).is_some();
        self.street_types.iter().position(|(_, spellings)| spellings.iter().any(|w| near(w))).map(|i| i as u8)
    }

    /// Index of the direction that a word spells.
    pub fn direction(&self, word: &str) -> Option<u8> {
        find(self.directions, word)
    }

    /// The standard form of the unit designator that a word spells.
    pub fn unit(&self, word: &str) -> Option<&'static str> {
        find(self.units, word).map(|i| self.units[i as usize].0)
    }

    /// The code of the region that words spell.
    pub fn region(&self, words: &str) -> Option<&'static str> {
        self.regions.iter().find(|(code, names)| *code == words || names.contains(&words)).map(|(code, _)| *code)
    }

    /// The long form of a word of a name.
    pub fn name_word<'a>(&self, word: &'a str) -> &'a str {
        match self.name_words.iter().find(|(_, short)| short.contains(&word)) {
            Some((long, _)) => long,
            None => word,
        }
    }

    /// The ordinal figure of a number word.
    pub fn ordinal(&self, word: &str) -> Option<&'static str> {
        self.ordinals.iter().find(|(w, _)| *w == word).map(|(_, f)| *f)
    }
}

fn find(table: &[(&str, &[&str])], word: &str) -> Option<u8> {
    table.iter().position(|(_, spellings)| spellings.contains(&word)).map(|i| i as u8)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::normal;

    #[test]
    fn words_are_normal_and_spell_one_thing() {
        let g = &us::GRAMMAR;
        for table in [g.street_types, g.directions, g.units, g.name_words, g.route_types] {
            let mut seen = std::collections::HashSet::new();
            for word in table.iter().flat_map(|(_, w)| w.iter()) {
                assert_eq!(normal::words(word), **word);
                assert!(seen.insert(word), "{word} twice");
            }
        }
        assert_eq!(g.region("OREGON"), Some("OR"));
        assert_eq!(g.region("OR"), Some("OR"));
    }
}
