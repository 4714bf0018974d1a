//! Words of a grammar by what they mean: one look-up a word.

use super::{Grammar, Table, spellings};
use crate::normal::FastMap;
use std::sync::OnceLock;

/// What a word, or several that belong together, may mean. Indexes are those of the grammar's tables.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Word {
    /// A thoroughfare type.
    pub street_type: Option<u8>,
    /// A direction.
    pub direction: Option<u8>,
    /// A designator of a unit.
    pub unit: Option<u8>,
    /// A region.
    pub region: Option<u8>,
    /// A word of a name that has a long form.
    pub name_word: Option<u8>,
    /// A number word.
    pub ordinal: Option<u8>,
    /// A road known by its number.
    pub route: Option<u8>,
    /// A word for tens, from twenty.
    pub tens: Option<u8>,
    /// The opening of a post box.
    pub post_box: bool,
    /// The opening of a line that names a person.
    pub care_of: bool,
    /// A small word of names.
    pub particle: bool,
    /// Stands in front of a number.
    pub number_mark: bool,
    /// Stands behind a number.
    pub number_suffix: bool,
    /// Parts the streets of a crossing.
    pub crossing: bool,
    /// Stands in front of a crossing.
    pub corner: bool,
    /// The country.
    pub country: bool,
    /// The first word of several that mean something together.
    pub begins_phrase: bool,
    /// The last word of a name of a region or of the country that has several.
    pub ends_phrase: bool,
}

/// The words of a grammar, made when they are first looked for.
#[derive(Debug)]
pub struct WordIndex(OnceLock<Words>);

#[derive(Debug)]
struct Words {
    meanings: FastMap<&'static str, Word>,
    /// Spellings of thoroughfare types of five letters and more, with their types.
    long_types: Vec<(&'static str, u8)>,
}

impl WordIndex {
    /// An index that is not made yet.
    #[allow(clippy::new_without_default)]
    pub const fn new() -> Self {
        WordIndex(OnceLock::new())
    }

    pub(super) fn get(&self, grammar: &Grammar, words: &str) -> Word {
        self.all(grammar).meanings.get(words).copied().unwrap_or_default()
    }

    pub(super) fn long_types(&self, grammar: &Grammar) -> &[(&'static str, u8)] {
        &self.all(grammar).long_types
    }

    fn all(&self, grammar: &Grammar) -> &Words {
        self.0.get_or_init(|| Words { meanings: make(grammar), long_types: long_types(grammar) })
    }
}

fn long_types(g: &Grammar) -> Vec<(&'static str, u8)> {
    let all = g.street_types.iter().enumerate().flat_map(|(i, (_, list))| spellings(list).map(move |w| (w, i as u8)));
    all.filter(|(w, _)| w.len() >= 5).collect()
}

fn make(g: &Grammar) -> FastMap<&'static str, Word> {
    let mut map: FastMap<&'static str, Word> = FastMap::default();
    let mut table = |table: Table, set: fn(&mut Word, u8)| {
        for (i, (_, list)) in table.iter().enumerate() {
            spellings(list).for_each(|w| set(map.entry(w).or_default(), i as u8));
        }
    };
    table(g.street_types, |w, i| w.street_type = Some(i));
    table(g.directions, |w, i| w.direction = Some(i));
    table(g.units, |w, i| w.unit = Some(i));
    table(g.regions, |w, i| w.region = Some(i));
    table(g.name_words, |w, i| w.name_word = Some(i));
    table(g.ordinals, |w, i| w.ordinal = Some(i));
    table(g.route_types, |w, i| w.route = Some(i));
    for (i, w) in g.tens.iter().enumerate() {
        map.entry(w).or_default().tens = Some(i as u8);
    }
    let mut list = |list: &'static str, set: fn(&mut Word)| {
        spellings(list).for_each(|w| set(map.entry(w).or_default()));
    };
    list(g.post_boxes, |w| w.post_box = true);
    list(g.care_of, |w| w.care_of = true);
    list(g.particles, |w| w.particle = true);
    list(g.number_marks, |w| w.number_mark = true);
    list(g.number_suffixes, |w| w.number_suffix = true);
    list(g.crossing_words, |w| w.crossing = true);
    list(g.corner_words, |w| w.corner = true);
    list(g.country_names, |w| w.country = true);
    let phrases: Vec<&'static str> = map.keys().copied().filter(|k| k.contains(' ')).collect();
    for phrase in phrases {
        if let Some((first, _)) = phrase.split_once(' ') {
            map.entry(first).or_default().begins_phrase = true;
        }
    }
    let regions = g.regions.iter().flat_map(|(_, list)| spellings(list));
    for phrase in regions.chain(spellings(g.country_names)) {
        if let Some((_, last)) = phrase.rsplit_once(' ') {
            map.entry(last).or_default().ends_phrase = true;
        }
    }
    map
}
