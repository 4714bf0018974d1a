//! Dirt for addresses: what people type, kind by kind.
//!
//! | kind | what is done |
//! |---|---|
//! | [`Kind::Abbreviation`] | type, direction or a word of the name in another spelling |
//! | [`Kind::Swapped`] | two neighbouring letters of the street's name swapped |
//! | [`Kind::Dropped`] | a letter of the street's name dropped |
//! | [`Kind::Doubled`] | a letter of the street's name doubled |
//! | [`Kind::WrongType`] | another type of thoroughfare |
//! | [`Kind::WrongDirection`] | another direction, or one where there is none |
//! | [`Kind::MissingLocality`] | no locality |
//! | [`Kind::NeighbouringLocality`] | the name of the next town |
//! | [`Kind::LocalitySlip`] | a letter of the locality swapped, dropped or doubled |
//! | [`Kind::WrongDigit`] | one digit of the postcode is another |
//! | [`Kind::Unit`] | a unit, a floor or a care-of line |
//! | [`Kind::Merged`] | no commas, or everything in the street's column |
//!
//! A row whose dirt makes it the address of another street of the same town is made again: it would be a clean address
//! of that street, and nobody could tell.

use crate::invented::{Country, DIRECTIONS, Street, TYPES, word};
use crate::random::Random;

/// A kind of dirt.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[allow(missing_docs)]
pub enum Kind {
    Abbreviation,
    Swapped,
    Dropped,
    Doubled,
    WrongType,
    WrongDirection,
    MissingLocality,
    NeighbouringLocality,
    LocalitySlip,
    WrongDigit,
    Unit,
    Merged,
}

/// All kinds.
pub const KINDS: [Kind; 12] = [
    Kind::Abbreviation,
    Kind::Swapped,
    Kind::Dropped,
    Kind::Doubled,
    Kind::WrongType,
    Kind::WrongDirection,
    Kind::MissingLocality,
    Kind::NeighbouringLocality,
    Kind::LocalitySlip,
    Kind::WrongDigit,
    Kind::Unit,
    Kind::Merged,
];

/// A row with what is true of it.
#[derive(Debug, Clone, Default)]
pub struct Row {
    /// A whole address, or empty where it is in columns.
    pub whole: String,
    /// The column with street and number.
    pub street: String,
    /// The column with the locality.
    pub locality: String,
    /// The column with the region.
    pub region: String,
    /// The column with the postcode.
    pub postcode: String,
    /// What was done to it.
    pub kinds: Vec<Kind>,
    /// The true street as written, number, town, postcode and position; none where it is not in the reference.
    pub truth: Option<Truth>,
    /// The town, where only the street is not in the reference.
    pub town: Option<usize>,
}

/// What is true of a row.
#[derive(Debug, Clone)]
pub struct Truth {
    /// The street as it is written.
    pub street: String,
    /// Number of the house.
    pub number: u32,
    /// Its town.
    pub town: usize,
    /// Its postcode.
    pub postcode: String,
    /// Longitude.
    pub lon: f64,
    /// Latitude.
    pub lat: f64,
}

impl Row {
    /// The street that a row outside the reference names, as an address begins with it: `Heron Ln,`.
    pub fn street_text(&self) -> Option<String> {
        let line = if self.whole.is_empty() { &self.street } else { &self.whole };
        let line = line.split(',').next()?;
        let (first, street) = line.split_once(' ')?;
        let has_number = first.bytes().all(|b| b.is_ascii_digit());
        Some(format!("{},", if has_number { street } else { line }))
    }

    /// The row as a matcher takes it.
    pub fn input(&self) -> basilocus_address::AddressInput<'_> {
        basilocus_address::AddressInput {
            whole: &self.whole,
            street: &self.street,
            locality: &self.locality,
            region: &self.region,
            postcode: &self.postcode,
            ..Default::default()
        }
    }
}

/// What is typed, before it is put together.
struct Draft {
    number: String,
    pre: String,
    name: String,
    kind: String,
    post: String,
    unit: String,
    care_of: String,
    locality: String,
    region: String,
    postcode: String,
    merged: bool,
}

impl Draft {
    fn street(&self) -> String {
        [&self.pre, &self.name, &self.kind, &self.post]
            .into_iter()
            .filter(|p| !p.is_empty())
            .map(String::as_str)
            .collect::<Vec<_>>()
            .join(" ")
    }
}

/// A row of a house of the country with these kinds of dirt.
pub fn row(country: &Country, kinds: &[Kind], random: &mut Random) -> Row {
    loop {
        let street = random.pick(&country.streets);
        let house = random.below(country.size.houses);
        let (number, lon, lat) = country.house(street, house);
        let town = &country.towns[street.town];
        let mut d = Draft {
            number: number.to_string(),
            pre: street.pre.into(),
            name: street.name.clone(),
            kind: street.kind.into(),
            post: street.post.into(),
            unit: String::new(),
            care_of: String::new(),
            locality: town.name.clone(),
            region: town.region.into(),
            postcode: town.postcodes[street.postcode].clone(),
            merged: false,
        };
        if !kinds.iter().all(|k| soil(*k, &mut d, street, country, random)) {
            continue;
        }
        // The address of another street of the town, or of the town that is named.
        let typed = d.street();
        let another = typed != street.text() && country.written.contains(&(street.town, typed.clone()));
        let named = country.towns.iter().position(|t| t.name == d.locality && t.region == d.region);
        if another || named.is_some_and(|n| n != street.town && country.written.contains(&(n, typed))) {
            continue;
        }
        return put_together(
            d,
            kinds,
            Some(Truth {
                street: street.text(),
                number,
                town: street.town,
                postcode: town.postcodes[street.postcode].clone(),
                lon,
                lat,
            }),
            Some(street.town),
            random,
        );
    }
}

/// A row of a street that its town does not have, though other towns may; with `town_too` the town is not there either.
pub fn absent(country: &Country, town_too: bool, random: &mut Random) -> Row {
    loop {
        let t = random.below(country.towns.len());
        let town = &country.towns[t];
        // A name of its own, or one that streets of other towns have.
        let (name, kind) = if random.chance(500) {
            let other = random.pick(&country.streets);
            (other.name.clone(), other.kind)
        } else {
            (word(random, 2), *random.pick(&TYPES))
        };
        if country.streets_of(t).iter().any(|s| s.name == name) {
            continue;
        }
        let locality = if town_too { word(random, 3) } else { town.name.clone() };
        if town_too && country.towns.iter().any(|t| t.name == locality) {
            continue;
        }
        let d = Draft {
            number: (1 + random.below(4000)).to_string(),
            pre: if random.chance(250) { random.pick(&DIRECTIONS).to_string() } else { String::new() },
            name,
            kind: kind.into(),
            post: String::new(),
            unit: String::new(),
            care_of: String::new(),
            locality,
            region: town.region.into(),
            // A postcode of another part of the country's numbers, or the town's own.
            postcode: if town_too {
                format!("{:05}", 80_000 + random.below(9_000))
            } else {
                random.pick(&town.postcodes).clone()
            },
            merged: false,
        };
        return put_together(d, &[], None, (!town_too).then_some(t), random);
    }
}

/// A row of a town with its region and postcode, without a street; half of them with a slip in the town.
pub fn town(country: &Country, random: &mut Random) -> Row {
    loop {
        let t = random.below(country.towns.len());
        let town = &country.towns[t];
        let postcode = random.pick(&town.postcodes).clone();
        let mut locality = town.name.clone();
        if random.chance(500) && !slip(&mut locality, None, random) {
            continue;
        }
        let truth = Truth {
            street: String::new(),
            number: 0,
            town: t,
            postcode: postcode.clone(),
            lon: town.lon,
            lat: town.lat,
        };
        let shown = if random.chance(300) { String::new() } else { postcode };
        return Row {
            locality,
            region: town.region.into(),
            postcode: shown,
            truth: Some(truth),
            town: Some(t),
            ..Default::default()
        };
    }
}

fn put_together(d: Draft, kinds: &[Kind], truth: Option<Truth>, town: Option<usize>, random: &mut Random) -> Row {
    let mut line = format!("{} {}", d.number, d.street());
    if !d.unit.is_empty() {
        line = if random.chance(150) && d.unit.starts_with("Apt") {
            format!("{}, {line}", d.unit)
        } else {
            format!("{line}{}{}", if random.chance(500) { ", " } else { " " }, d.unit)
        };
    }
    if !d.care_of.is_empty() {
        line = format!("{}, {line}", d.care_of);
    }
    let mut row = Row { kinds: kinds.to_vec(), truth, town, ..Default::default() };
    match random.below(3) {
        0 if !d.merged => {
            (row.street, row.locality, row.region, row.postcode) = (line, d.locality, d.region, d.postcode);
        }
        _ => {
            let comma = if d.merged { " " } else { ", " };
            let end = format!("{} {}", d.region, d.postcode);
            let parts: Vec<&str> =
                [line.as_str(), d.locality.as_str(), end.trim()].into_iter().filter(|p| !p.is_empty()).collect();
            let whole = parts.join(comma);
            let whole = match random.below(6) {
                0 => whole.to_uppercase(),
                1 => whole.to_lowercase(),
                _ => whole,
            };
            // Everything in the street's column, or in one of its own.
            if d.merged && random.chance(400) { row.street = whole } else { row.whole = whole }
        }
    }
    row
}

fn soil(kind: Kind, d: &mut Draft, street: &Street, country: &Country, random: &mut Random) -> bool {
    match kind {
        Kind::Abbreviation => return abbreviate(d, random),
        Kind::Swapped | Kind::Dropped | Kind::Doubled => return slip(&mut d.name, Some(kind), random),
        Kind::LocalitySlip => return slip(&mut d.locality, None, random),
        Kind::WrongType => {
            let other = *random.pick(&TYPES);
            if other == d.kind || d.kind.is_empty() {
                return false;
            }
            d.kind = other.into();
        }
        Kind::WrongDirection => {
            let other = *random.pick(&DIRECTIONS);
            match (d.pre.is_empty(), d.post.is_empty()) {
                (false, _) if d.pre != other => d.pre = other.into(),
                (_, false) if d.post != other => d.post = other.into(),
                (true, true) => d.pre = other.into(),
                _ => return false,
            }
        }
        Kind::MissingLocality => {
            if d.locality.is_empty() {
                return false;
            }
            d.locality.clear();
        }
        Kind::NeighbouringLocality => {
            let next = if street.town > 0 && random.chance(500) { street.town - 1 } else { street.town + 1 };
            let Some(town) = country.towns.get(next) else { return false };
            let here = &country.towns[street.town];
            if (town.lon - here.lon).abs() > 0.2 || d.locality.is_empty() || town.name == here.name {
                return false;
            }
            d.locality = town.name.clone();
        }
        Kind::WrongDigit => {
            let at = 1 + random.below(4);
            let digit = random.below(10).to_string();
            if d.postcode.len() < 5 || d.postcode[at..=at] == digit {
                return false;
            }
            d.postcode.replace_range(at..=at, &digit);
        }
        Kind::Unit => match random.below(6) {
            0 => d.unit = format!("Apt {}", 1 + random.below(40)),
            1 => d.unit = format!("#{}", 1 + random.below(40)),
            2 => d.unit = format!("Unit {}", *random.pick(&["A", "B", "C", "D"])),
            3 => d.unit = format!("Suite {}", 100 + random.below(400)),
            4 => d.unit = format!("{} floor", ["1st", "2nd", "3rd", "4th"][random.below(4)]),
            _ => d.care_of = format!("c/o {} {}", word(random, 2), word(random, 2)),
        },
        Kind::Merged => d.merged = true,
    }
    true
}

fn abbreviate(d: &mut Draft, random: &mut Random) -> bool {
    const SPELLINGS: &[(&str, &[&str])] = &[
        ("St", &["Street", "Str", "St."]),
        ("Ave", &["Avenue", "Av", "Ave."]),
        ("Rd", &["Road", "Rd."]),
        ("Ln", &["Lane", "Ln."]),
        ("Dr", &["Drive", "Drv", "Dr."]),
        ("Ct", &["Court", "Crt"]),
        ("Way", &["Wy"]),
        ("Pl", &["Place", "Pl."]),
        ("Blvd", &["Boulevard", "Blv", "Blvd."]),
        ("Ter", &["Terrace", "Terr"]),
        ("Cir", &["Circle", "Circ"]),
        ("Loop", &["Lp"]),
        ("Pkwy", &["Parkway", "Pky"]),
        ("Trl", &["Trail"]),
        ("N", &["North", "N."]),
        ("S", &["South", "S.", "So"]),
        ("E", &["East", "E."]),
        ("W", &["West", "W."]),
        ("NE", &["Northeast", "N.E."]),
        ("NW", &["Northwest", "N.W.", "N W"]),
        ("SE", &["Southeast", "S.E."]),
        ("SW", &["Southwest", "S W"]),
    ];
    let other = |text: &str, random: &mut Random| {
        SPELLINGS.iter().find(|(s, _)| *s == text).map(|(_, list)| random.pick(list).to_string())
    };
    match random.below(3) {
        0 if !d.pre.is_empty() => d.pre = other(&d.pre, random).unwrap_or_default(),
        1 if d.name.starts_with("Saint ") => d.name = d.name.replacen("Saint", "St", 1),
        1 if d.name.ends_with("th") || d.name.ends_with("nd") || d.name.ends_with("rd") => {
            const WORDS: [&str; 12] = [
                "First", "Second", "Third", "Fourth", "Fifth", "Sixth", "Seventh", "Eighth", "Ninth", "Tenth",
                "Eleventh", "Twelfth",
            ];
            let figures: String = d.name.chars().take_while(char::is_ascii_digit).collect();
            match figures.parse::<usize>() {
                Ok(n) if (1..=12).contains(&n) => d.name = WORDS[n - 1].into(),
                Ok(_) => d.name = figures,
                Err(_) => return false,
            }
        }
        _ => match other(&d.kind, random) {
            Some(text) => d.kind = text,
            None => return false,
        },
    }
    true
}

/// A slip in the longest word; names with figures have none, as a wrong figure is another street.
fn slip(text: &mut String, kind: Option<Kind>, random: &mut Random) -> bool {
    let kind = kind.unwrap_or(*random.pick(&[Kind::Swapped, Kind::Dropped, Kind::Doubled]));
    if text.bytes().any(|b| b.is_ascii_digit()) || text.is_empty() {
        return false;
    }
    let Some(longest) = text.split(' ').max_by_key(|w| w.len()) else { return false };
    let (start, length) = (text.find(longest).unwrap_or(0), longest.len());
    if length < 4 {
        return false;
    }
    let at = start + random.below(length);
    let mut letters: Vec<char> = text.chars().collect();
    match kind {
        Kind::Swapped => {
            if at + 1 >= start + length || letters[at].eq_ignore_ascii_case(&letters[at + 1]) {
                return false;
            }
            letters.swap(at, at + 1);
        }
        Kind::Dropped => {
            letters.remove(at);
        }
        _ => letters.insert(at, letters[at]),
    }
    *text = letters.into_iter().collect();
    true
}

/// So many kinds, each once, none of which takes away what another needs: an address with neither a locality nor a
/// right postcode has no place.
pub fn several(n: usize, random: &mut Random) -> Vec<Kind> {
    loop {
        let mut kinds: Vec<Kind> = Vec::new();
        while kinds.len() < n {
            let k = *random.pick(&KINDS);
            if !kinds.contains(&k) {
                kinds.push(k);
            }
        }
        let locality = kinds.iter().any(|k| matches!(k, Kind::MissingLocality | Kind::NeighbouringLocality));
        let twice = kinds.contains(&Kind::MissingLocality)
            && kinds.iter().any(|k| matches!(k, Kind::NeighbouringLocality | Kind::LocalitySlip));
        if !(locality && kinds.contains(&Kind::WrongDigit) || twice) {
            return kinds;
        }
    }
}
