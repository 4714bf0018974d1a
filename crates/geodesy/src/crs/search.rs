//! Search by words in any order and case.

use super::catalogue::{Catalogue, KINDS, Record};

/// A system found by words.
#[derive(Debug, Clone, PartialEq)]
pub struct Hit {
    /// EPSG code.
    pub code: u32,
    /// Name in the registry.
    pub name: &'static str,
    /// `geographic`, `projected`, `geocentric`, `vertical` or `compound`.
    pub kind: &'static str,
    /// Unit of the axes.
    pub unit: &'static str,
    /// Area of use in words.
    pub area: &'static str,
    /// How well it fits; greater is better.
    pub score: u32,
}

impl Catalogue {
    /// Systems that fit every word, best first.
    ///
    /// Words are looked for in the code, the name, and, with less weight, the area, unit, method and kind. `north`
    /// and `south` also fit the zone letters N and S, `feet` fits `ft`.
    ///
    /// ```
    /// use basilocus_geodesy::crs::Catalogue;
    /// let hits = Catalogue::embedded().search("utm 10 north wgs");
    /// assert_eq!(hits[0].code, 32610);
    /// ```
    pub fn search(&self, words: &str) -> Vec<Hit> {
        let words = words_of(words);
        if words.is_empty() {
            return Vec::new();
        }
        let mut hits: Vec<(Hit, usize)> = self
            .records()
            .filter_map(|r| score(&r, &words, words.len()).map(|s| (hit(&r, s), r.name().len())))
            .collect();
        hits.sort_by(|(a, a_len), (b, b_len)| b.score.cmp(&a.score).then(a_len.cmp(b_len)).then(a.code.cmp(&b.code)));
        hits.into_iter().map(|(h, _)| h).collect()
    }

    /// Titles of the systems that come nearest to a text that names none.
    pub(super) fn nearest_names(&self, text: &str, most: usize) -> Vec<String> {
        let words = words_of(text);
        let mut needed = words.len();
        while needed > 0 {
            let mut hits: Vec<(u32, usize, Record)> =
                self.records().filter_map(|r| score(&r, &words, needed).map(|s| (s, r.name().len(), r))).collect();
            if !hits.is_empty() {
                hits.sort_by(|a, b| b.0.cmp(&a.0).then(a.1.cmp(&b.1)).then(a.2.code().cmp(&b.2.code())));
                return hits.iter().take(most).map(|(_, _, r)| format!("{} (EPSG:{})", r.name(), r.code())).collect();
            }
            needed -= 1;
        }
        Vec::new()
    }
}

fn hit(r: &Record, score: u32) -> Hit {
    Hit {
        code: r.code(),
        name: r.name(),
        kind: KINDS[usize::from(r.kind_byte()).min(4)],
        unit: r.unit(),
        area: r.area_text(),
        score,
    }
}

fn words_of(text: &str) -> Vec<String> {
    text.to_lowercase()
        .replace("epsg:", " ")
        .split(|c: char| !(c.is_alphanumeric() || c == '+' || c == '\''))
        .filter(|w| !w.is_empty() && *w != "zone")
        .map(|w| match w {
            "feet" | "foot" => "ft".to_string(),
            "metre" | "metres" | "meter" | "meters" => "m".to_string(),
            other => other.to_string(),
        })
        .collect()
}

/// The sum over the words, or `None` where fewer than `needed` fit.
fn score(r: &Record, words: &[String], needed: usize) -> Option<u32> {
    let name = r.name().to_lowercase();
    let tokens: Vec<&str> =
        name.split(|c: char| !(c.is_alphanumeric() || c == '+' || c == '\'')).filter(|t| !t.is_empty()).collect();
    let (mut sum, mut fitted) = (0, 0);
    for word in words {
        let one = score_word(r, &tokens, word);
        if one > 0 {
            fitted += 1;
            sum += one;
        } else if fitted + words.len() < needed + 1 {
            return None;
        }
    }
    (fitted >= needed).then(|| {
        // Words of the name that nobody asked for make a hit less likely the one that was meant.
        let unasked = tokens.iter().filter(|t| !words.iter().any(|w| t.starts_with(w.as_str()))).count() as u32;
        // Between equals, the world's present system comes before older ones.
        let present = u32::from(r.datum_name() == "WGS_1984") * 2;
        (sum * 10 + present).saturating_sub(unasked).max(1)
    })
}

fn score_word(r: &Record, tokens: &[&str], word: &str) -> u32 {
    let numeric = word.bytes().all(|b| b.is_ascii_digit());
    if numeric && word.len() >= 4 && r.code().to_string() == word {
        return 100;
    }
    let mut best = 0;
    for token in tokens {
        let zone = token.strip_suffix(['n', 's']).filter(|z| !z.is_empty() && z.bytes().all(|b| b.is_ascii_digit()));
        best = best.max(if *token == word {
            10
        } else if let Some(zone) = zone {
            let side = if token.ends_with('n') { "north" } else { "south" };
            if zone == word || side == word { 9 } else { 0 }
        } else if numeric {
            // A number inside a longer number is another number; joined to letters it is the same ("wgs84").
            if token.strip_suffix(word).is_some_and(|rest| rest.bytes().all(|b| b.is_ascii_alphabetic())) {
                8
            } else {
                0
            }
        } else if token.starts_with(word) {
            6
        } else if word.len() >= 3 && token.contains(word) {
            3
        } else if word.len() > token.len() && !token.is_empty() && joined(tokens, word) {
            8
        } else {
            0
        });
    }
    if best > 0 {
        return best;
    }
    let contains = |text: &str| {
        text.to_lowercase()
            .split(|c: char| !c.is_alphanumeric())
            .any(|t| t == word || (word.len() >= 3 && !numeric && t.starts_with(word)))
    };
    if contains(r.area_text()) {
        2
    } else if contains(r.unit())
        || (word == "ft" && r.unit().contains("foot"))
        || (word == "m" && r.unit() == "metre")
        || contains(&r.method().replace('_', " "))
        || contains(KINDS[usize::from(r.kind_byte()).min(4)])
    {
        1
    } else {
        0
    }
}

/// Whether two neighbouring words of the name, written together, are the word ("wgs84", "nad27").
fn joined(tokens: &[&str], word: &str) -> bool {
    tokens.windows(2).any(|pair| word.strip_prefix(pair[0]) == Some(pair[1]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[track_caller]
    fn first(words: &str) -> u32 {
        Catalogue::embedded().search(words).first().map_or(0, |h| h.code)
    }

    #[test]
    fn words_in_any_order_and_case() {
        assert_eq!(first("utm 10 north wgs"), 32610);
        assert_eq!(first("NORTH wgs84 10 UTM"), 32610);
        assert_eq!(first("UTM zone 10S WGS 84"), 32710);
        assert_eq!(first("oregon north ft"), 2269);
        assert_eq!(first("feet Oregon NORTH nad83"), 2269);
        assert_eq!(first("2269"), 2269);
        assert_eq!(first("wgs 84"), 4326);
        assert_eq!(first("british national grid osgb36"), 27700);
        assert_eq!(first("nad27 oregon north"), 32026);
    }

    #[test]
    fn every_system_is_found_by_its_code_and_by_its_name() {
        let catalogue = Catalogue::embedded();
        for code in catalogue.codes().step_by(97) {
            let crs = catalogue.get(code).unwrap();
            assert_eq!(catalogue.find_one(&format!("epsg:{code}")).unwrap(), crs);
            if code >= 1000 {
                assert!(catalogue.search(&code.to_string()).iter().any(|h| h.code == code), "{code}");
            }
            let hits = catalogue.search(&crs.name);
            assert!(hits.iter().any(|h| h.code == code), "{code} {}", crs.name);
        }
    }

    #[test]
    fn no_words_no_hits() {
        assert!(Catalogue::embedded().search("  / ").is_empty());
        assert!(Catalogue::embedded().search("qwertyuiop").is_empty());
    }
}
