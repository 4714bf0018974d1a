//! Invented countries of other grammars than that of the United States: types glued to names, types in front, numbers behind,
//! postcodes of a street.
//!
//! | kind | what is done |
//! |---|---|
//! | [`Kind::Clean`] … [`Kind::TownSlip`] | a house of the reference, as it is or with a slip |
//! | [`Kind::UnknownTown`], [`Kind::NearTown`] | a town that is not there, and one that is called nearly as one that is |
//! | [`Kind::OtherTown`] | a town that has no such street |
//! | [`Kind::Renumbered`] | a number that the street does not have |
//! | [`Kind::OtherLetter`], [`Kind::Derived`], [`Kind::OtherPart`], [`Kind::Compass`] | another street that is called nearly so |
//! | [`Kind::OtherType`] | the name with another type |

use crate::invented::word;
use crate::random::Random;
use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Candidate, Entry, Level, Matcher, Outcome, nearest, normal};
use std::collections::{HashMap, HashSet};

/// How streets are called in a country.
#[derive(Debug)]
pub struct Language {
    /// ISO 3166 code.
    pub country: &'static str,
    /// First parts of names.
    firsts: &'static [&'static str],
    /// Second parts; of names of one part there is none.
    seconds: &'static [&'static str],
    /// Types, the common ones first, with their abbreviations.
    types: &'static [(&'static str, &'static str)],
    /// Words of a side or height that tell streets apart.
    compass: &'static [&'static str],
    /// Whether the type stands in front, is glued on, or stands behind.
    order: Order,
    number_before: bool,
    postcode_before: bool,
    /// Whether a postcode is that of one street.
    postcode_of_street: bool,
    /// A postcode that is not there.
    foreign: &'static str,
    /// What makes another name of a name.
    endings: &'static [&'static str],
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Order {
    Before,
    Glued,
    After,
}

/// The countries.
pub static LANGUAGES: [Language; 4] = [
    Language {
        country: "DE",
        firsts: &[
            "Linden", "Tannen", "Buchen", "Mühlen", "Kirch", "Bahnhof", "Garten", "Schul", "Berg", "Wiesen", "Rosen",
            "Birken", "Eichen", "Brunnen", "Markt", "Post", "Ring", "Wald", "Feld", "Bach", "See", "Burg", "Schloss",
            "Kloster", "Lerchen", "Amsel", "Finken", "Reiher", "Storchen", "Hafen",
        ],
        seconds: &["hof", "berg", "tal", "grund", "bruch", "garten"],
        types: &[("straße", "str."), ("weg", "weg"), ("gasse", "gasse"), ("allee", "allee"), ("platz", "pl.")],
        compass: &["Süd", "West", "Ost", "Nord", "Ober", "Unter"],
        order: Order::Glued,
        number_before: false,
        postcode_before: true,
        postcode_of_street: false,
        foreign: "99998",
        endings: &["er", "en", "s"],
    },
    Language {
        country: "FR",
        firsts: &[
            "du Moulin",
            "des Saules",
            "de la Gare",
            "du Marais",
            "des Tilleuls",
            "de l'Église",
            "du Pont",
            "des Prés",
            "de la Fontaine",
            "du Château",
            "des Hérons",
            "du Port",
            "de la Plage",
            "des Pêcheurs",
            "du Bois",
            "du Lac",
            "de la Digue",
            "des Écluses",
            "du Phare",
            "des Roseaux",
        ],
        seconds: &["Vieux", "Neuf", "Blanc", "Rouge"],
        types: &[("rue", "r."), ("avenue", "av."), ("chemin", "che."), ("impasse", "imp."), ("place", "pl.")],
        compass: &["Haut", "Bas", "Nord", "Sud"],
        order: Order::Before,
        number_before: true,
        postcode_before: true,
        postcode_of_street: false,
        foreign: "99998",
        endings: &["s", "et"],
    },
    Language {
        country: "NL",
        firsts: &[
            "Reiger", "Molen", "Kerk", "School", "Dorps", "Linden", "Beuken", "Eiken", "Wilgen", "Haven", "Markt",
            "Station", "Veen", "Polder", "Duin", "Zee", "Meeuwen", "Kievit", "Lepelaar", "Sluis", "Brug", "Water",
        ],
        seconds: &["hof", "berg", "dal", "veld"],
        types: &[("straat", "str."), ("laan", "ln."), ("weg", "weg"), ("kade", "kade"), ("plein", "pl.")],
        compass: &["Noorder", "Zuider", "Ooster", "Wester", "Boven", "Beneden"],
        order: Order::Glued,
        number_before: false,
        postcode_before: true,
        postcode_of_street: true,
        foreign: "9999 ZZ",
        endings: &["s", "en"],
    },
    Language {
        country: "GB",
        firsts: &[
            "Mill",
            "Church",
            "Station",
            "Heron",
            "Willow",
            "Orchard",
            "Bridge",
            "Castle",
            "Meadow",
            "Ferry",
            "Wharf",
            "Cobbler's",
            "Saddler's",
            "Abbey",
            "Priory",
            "Windmill",
            "Bell",
            "Swan",
            "Crown",
            "Kiln",
            "Quarry",
            "Marsh",
        ],
        seconds: &["House", "Hill", "Green", "End", "Cross"],
        types: &[("Lane", "La"), ("Road", "Rd"), ("Street", "St"), ("Close", "Cl"), ("Avenue", "Ave")],
        compass: &["Upper", "Lower", "Old", "Great", "Little", "North"],
        order: Order::After,
        number_before: true,
        postcode_before: false,
        postcode_of_street: true,
        foreign: "ZE9 9ZZ",
        endings: &["s", "er"],
    },
];

#[derive(Debug, Clone)]
struct Street {
    first: String,
    second: &'static str,
    kind: usize,
    town: usize,
    postcode: String,
    numbers: u32,
    lon: f64,
    lat: f64,
}

/// A country of a language.
pub struct Country {
    language: &'static Language,
    towns: Vec<(String, f64, f64, String)>,
    streets: Vec<Street>,
    /// Towns and normal forms of their streets.
    written: HashSet<(usize, String)>,
    /// Towns and names of streets, with the types that they have there.
    named: HashMap<(usize, String), Vec<usize>>,
}

/// What is done to an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Kind {
    Clean,
    Plain,
    Abbreviated,
    Swapped,
    Dropped,
    Doubled,
    NoTown,
    PostcodeSlip,
    TownSlip,
    UnknownTown,
    NearTown,
    OtherTown,
    Renumbered,
    OtherLetter,
    Derived,
    OtherPart,
    Compass,
    OtherType,
}

/// Houses of the reference, and addresses that are not in it.
pub const INSIDE: [Kind; 9] = [
    Kind::Clean,
    Kind::Plain,
    Kind::Abbreviated,
    Kind::Swapped,
    Kind::Dropped,
    Kind::Doubled,
    Kind::NoTown,
    Kind::PostcodeSlip,
    Kind::TownSlip,
];
/// Addresses that are not in the reference.
pub const OUTSIDE: [Kind; 9] = [
    Kind::UnknownTown,
    Kind::NearTown,
    Kind::OtherTown,
    Kind::Renumbered,
    Kind::OtherLetter,
    Kind::Derived,
    Kind::OtherPart,
    Kind::Compass,
    Kind::OtherType,
];

/// An address with what is true of it.
#[derive(Debug, Clone)]
pub struct Row {
    /// The address in one text.
    pub text: String,
    /// Where the house is, for one that the reference has.
    pub house: Option<(f64, f64)>,
    /// The street, where it is there without the number; in normal form.
    pub street: Option<String>,
    /// Whether the town is there.
    pub town_is_there: bool,
}

/// What came of a row.
#[derive(Debug, Clone, Copy, Default)]
pub struct Verdict {
    /// Confidence of what is finer than a postcode, or in another town, and not where the truth is.
    pub wrong: Option<u8>,
    /// Whether it is at its house.
    pub at_house: bool,
}

impl Country {
    /// Makes a country of so many towns and streets a town.
    pub fn new(language: &'static Language, seed: u64, towns: usize, streets: usize) -> Self {
        let mut random = Random::new(seed ^ u64::from(language.country.as_bytes()[0]));
        let mut out = Country {
            language,
            towns: Vec::new(),
            streets: Vec::new(),
            written: HashSet::new(),
            named: HashMap::new(),
        };
        for t in 0..towns {
            let mut name = word(&mut random, 2 + t % 2);
            while out.towns.iter().any(|(n, ..)| *n == name) {
                name = word(&mut random, 3);
            }
            let code = match language.country {
                "NL" => format!("{}", 1011 + 7 * t),
                "GB" => format!("{}{}", ["XA", "XB", "XC", "XD", "XE", "XF"][t / 90 % 6], t % 90 + 1),
                _ => format!("{:05}", 10_115 + 37 * t),
            };
            out.towns.push((name, 4.0 + 0.11 * (t % 40) as f64, 45.0 + 0.08 * (t / 40) as f64, code));
        }
        for town in 0..towns {
            let mut made = 0;
            while made < streets {
                let street = out.invent(town, made, &mut random);
                let key = (town, normal::words(&street.text(language)));
                if out.written.insert(key) {
                    let named = (town, format!("{} {}", street.first, street.second));
                    out.named.entry(named).or_default().push(street.kind);
                    out.streets.push(street);
                    made += 1;
                }
            }
        }
        out
    }

    fn invent(&self, town: usize, at: usize, random: &mut Random) -> Street {
        let l = self.language;
        let (_, lon, lat, code) = &self.towns[town];
        let first = match (random.below(10), l.order) {
            (0..5, _) => random.pick(l.firsts).to_string(),
            (5, Order::Glued) => format!("{}{}", random.pick(l.compass), random.pick(l.firsts).to_lowercase()),
            (5, Order::After) => format!("{} {}", random.pick(l.compass), random.pick(l.firsts)),
            (_, Order::Before) => format!("de {}", word(random, 2)),
            _ => word(random, 2),
        };
        let second = if random.chance(150) { *random.pick(l.seconds) } else { "" };
        let most = 1 + random.below(l.types.len());
        let letter = |n: usize| char::from(b'A' + (n % 26) as u8);
        let postcode = match (l.country, l.postcode_of_street) {
            ("NL", _) => format!("{code} {}{}", letter(at / 26), letter(at)),
            ("GB", _) => format!("{code} {}{}{}", at % 10, letter(at / 260), letter(at / 10)),
            _ => code.clone(),
        };
        Street {
            first,
            second,
            kind: random.below(most),
            town,
            postcode,
            numbers: 8 + random.below(40) as u32,
            lon: lon + 0.0021 * (at % 10) as f64,
            lat: lat + 0.0013 * (at / 10) as f64,
        }
    }

    /// Where a house is.
    fn house(street: &Street, number: u32) -> (f64, f64) {
        (street.lon + 0.00017 * f64::from(number), street.lat + if number.is_multiple_of(2) { 0.0001 } else { 0.0 })
    }

    /// Gives all towns, postcodes and houses to a builder.
    ///
    /// # Errors
    /// What the builder says of a row.
    pub fn build(&self, builder: &mut Builder) -> Result<(), String> {
        for (name, lon, lat, code) in &self.towns {
            let (name, lon, lat) = (name.clone(), *lon, *lat);
            builder.add(&Entry::Place(PlaceEntry { name: name.clone(), lon, lat, ..Default::default() }))?;
            if !self.language.postcode_of_street {
                let postcode = PostcodeEntry { postcode: code.clone(), locality: name, lon, lat, ..Default::default() };
                builder.add(&Entry::Postcode(postcode))?;
            }
        }
        for street in &self.streets {
            for number in 1..=street.numbers {
                let (lon, lat) = Self::house(street, number);
                builder.add(&Entry::Point(PointEntry {
                    number: number.to_string(),
                    street: street.text(self.language),
                    locality: self.towns[street.town].0.clone(),
                    postcode: street.postcode.clone(),
                    lon,
                    lat,
                    ..Default::default()
                }))?;
            }
        }
        Ok(())
    }

    /// An address of a kind.
    pub fn row(&self, kind: Kind, random: &mut Random) -> Row {
        loop {
            if let Some(row) = self.draft(kind, random) {
                return row;
            }
        }
    }

    fn draft(&self, kind: Kind, random: &mut Random) -> Option<Row> {
        let l = self.language;
        let true_street = random.pick(&self.streets);
        let mut s = true_street.clone();
        let mut number = 1 + random.below(s.numbers as usize) as u32;
        let mut town = self.towns[s.town].0.clone();
        let mut named = Some(s.town);
        let is_inside = INSIDE.contains(&kind);
        match kind {
            Kind::Clean | Kind::Plain | Kind::Abbreviated => {}
            Kind::Swapped | Kind::Dropped | Kind::Doubled => slip(kind, &mut s.first, random)?,
            Kind::NoTown => town.clear(),
            Kind::TownSlip => slip(Kind::Swapped, &mut town, random)?,
            Kind::PostcodeSlip => {
                let figures: Vec<usize> =
                    s.postcode.char_indices().filter(|(_, c)| c.is_ascii_digit()).map(|(i, _)| i).collect();
                let at = *random.pick(&figures);
                let other = ((s.postcode.as_bytes()[at] - b'0') as usize + 1 + random.below(9)) % 10;
                s.postcode.replace_range(at..=at, &other.to_string());
            }
            Kind::UnknownTown => {
                (town, named) = (word(random, 3), None);
                if self.towns.iter().any(|(n, ..)| *n == town) {
                    return None;
                }
                s.postcode = l.foreign.into();
            }
            Kind::NearTown => {
                other_letter(&mut town, random)?;
                named = None;
                s.postcode = if random.chance(500) { String::new() } else { l.foreign.into() };
                if self.towns.iter().any(|(n, ..)| *n == town) {
                    return None;
                }
            }
            Kind::OtherTown => {
                let other = random.pick(&self.streets);
                (town, named, s.postcode) =
                    (self.towns[other.town].0.clone(), Some(other.town), other.postcode.clone());
            }
            Kind::Renumbered => number = s.numbers + 60 + random.below(300) as u32,
            Kind::OtherLetter => other_letter(&mut s.first, random)?,
            Kind::Derived => {
                let ending = random.pick::<&str>(l.endings);
                // A letter doubled is a slip.
                if s.first.ends_with(&ending[..1]) {
                    return None;
                }
                s.first.push_str(ending);
            }
            Kind::OtherPart if s.second.is_empty() => {
                let other = random.pick(l.firsts).to_string();
                // A name that ends alike: Tannenallee, Lindenallee.
                s.first = other;
            }
            Kind::OtherPart => s.second = *random.pick(l.seconds),
            Kind::Compass => {
                let other = *random.pick(l.compass);
                let here = l.compass.iter().find(|c| s.first.starts_with(**c)).copied();
                s.first = match (here, l.order) {
                    (Some(here), _) => s.first.replacen(here, other, 1),
                    (None, Order::Glued) => format!("{other}{}", s.first.to_lowercase()),
                    (None, Order::After) => format!("{other} {}", s.first),
                    (None, Order::Before) => format!("{} {other}", s.first),
                };
            }
            Kind::OtherType => s.kind = random.below(l.types.len()),
        }
        let text = s.text(l);
        let is_there = |town: usize, text: &str| self.written.contains(&(town, normal::words(text)));
        let as_it_was = true_street.text(l);
        if is_inside || kind == Kind::Renumbered {
            // A slip that makes another street of it is a clean address of that one.
            if text != as_it_was && named.is_some_and(|t| is_there(t, &text)) {
                return None;
            }
        } else if named.is_some_and(|t| is_there(t, &text)) {
            return None;
        }
        let street = if kind == Kind::Abbreviated { s.abbreviated(l) } else { text };
        let line = if l.number_before { format!("{number} {street}") } else { format!("{street} {number}") };
        let tail = match (l.postcode_before, town.is_empty()) {
            (true, _) => format!("{} {town}", s.postcode),
            (false, true) => s.postcode.clone(),
            (false, false) if s.postcode.is_empty() => town.clone(),
            (false, false) => format!("{town}, {}", s.postcode),
        };
        let whole = format!("{line}, {}", tail.trim());
        let text = match kind {
            Kind::Plain if random.chance(500) => normal::words(&whole),
            Kind::Plain => whole.to_uppercase(),
            _ => whole,
        };
        let street = (kind == Kind::Renumbered).then(|| normal::words(&as_it_was));
        let town_is_there = named.is_some();
        Some(Row { town_is_there, text, house: is_inside.then(|| Self::house(true_street, number)), street })
    }

    /// Matches a row.
    pub fn judge(&self, matcher: &Matcher, row: &Row) -> (Verdict, Option<Candidate>) {
        let input = AddressInput { whole: &row.text, ..Default::default() };
        let Outcome::Matched(m) = matcher.find(&input) else { return Default::default() };
        let c = m.best;
        let near = row.house.is_some_and(|at| nearest::metres(at, (c.lon, c.lat)) <= 50.0);
        let at_house = near && c.level <= Level::StreetRange;
        let is_street = c.level == Level::Street
            && (row.house.is_some()
                || row.street.as_ref().is_some_and(|s| normal::words(&c.address).starts_with(s.as_str())));
        let is_finer = c.level < Level::Postcode || !row.town_is_there;
        let wrong = is_finer && !at_house && !is_street;
        (Verdict { wrong: wrong.then_some(c.confidence), at_house }, Some(c))
    }
}

impl Street {
    fn put_together(&self, l: &Language, kind: &str) -> String {
        let second = self.second;
        match l.order {
            Order::Glued => format!("{}{second}{kind}", self.first),
            Order::Before if second.is_empty() => format!("{kind} {}", self.first),
            Order::Before => format!("{kind} {} {second}", self.first),
            Order::After if second.is_empty() => format!("{} {kind}", self.first),
            Order::After => format!("{} {second} {kind}", self.first),
        }
    }

    /// The street as it is written.
    fn text(&self, l: &Language) -> String {
        self.put_together(l, l.types[self.kind].0)
    }

    fn abbreviated(&self, l: &Language) -> String {
        self.put_together(l, l.types[self.kind].1)
    }
}

/// A slip of the finger inside a name.
fn slip(kind: Kind, name: &mut String, random: &mut Random) -> Option<()> {
    let mut letters: Vec<char> = name.chars().collect();
    if letters.len() < 5 {
        return None;
    }
    let at = 1 + random.below(letters.len() - 2);
    let here = letters[at];
    match kind {
        Kind::Swapped if letters[at + 1] != here => letters.swap(at, at + 1),
        Kind::Dropped => drop(letters.remove(at)),
        Kind::Doubled => letters.insert(at, here),
        _ => return None,
    }
    *name = letters.into_iter().collect();
    (here.is_alphabetic() && !name.contains("  ")).then_some(())
}

/// Another vowel for a vowel or another consonant for a consonant.
fn other_letter(name: &mut String, random: &mut Random) -> Option<()> {
    const VOWELS: &str = "aeiou";
    const CONSONANTS: &str = "bdfghklmnprstw";
    let start = name.rfind([' ', '\'']).map_or(0, |i| i + 1);
    let mut letters: Vec<char> = name.chars().collect();
    let start = name[..start].chars().count();
    if letters.len() < start + 4 {
        return None;
    }
    let at = start + random.below(letters.len() - start);
    let here = letters[at].to_lowercase().next()?;
    let set = if VOWELS.contains(here) { VOWELS } else { CONSONANTS };
    let other = set.chars().nth(random.below(set.len()))?;
    let beside = |i: Option<usize>| i.and_then(|i| letters.get(i)).is_some_and(|c| c.to_ascii_lowercase() == other);
    if !here.is_ascii_alphabetic() || other == here || beside(Some(at + 1)) || beside(at.checked_sub(1)) {
        return None;
    }
    letters[at] = if letters[at].is_uppercase() { other.to_ascii_uppercase() } else { other };
    *name = letters.into_iter().collect();
    Some(())
}
