//! Addresses outside the reference: what a table holds where it is of another place, another year or another state than
//! the reference. Each is made of a house that the reference has, so that it looks as right as it can.
//!
//! | kind | what is done |
//! |---|---|
//! | [`Outside::UnknownTown`] | a town that the reference does not have, with a postcode that it does not have, or none |
//! | [`Outside::OtherState`] | the town's name in another region, with a postcode from there, or none |
//! | [`Outside::OtherTown`] | another town with its postcode, which has no such street |
//! | [`Outside::Renumbered`] | a number that the street does not have |
//! | [`Outside::OtherLetter`] | a street whose name has one other letter |
//! | [`Outside::Plural`] | a street whose name has an S more or less |
//! | [`Outside::OtherWord`] | a street of several words of which one is another |
//! | [`Outside::OtherOrdinal`] | the next numbered street |
//! | [`Outside::OtherCompass`] | Upper for Lower, Old for New, and a compass word where there is none |
//! | [`Outside::OtherCompound`] | Ironwood for Birchwood: another first or last part |
//! | [`Outside::KnownElsewhere`] | a name that streets of other towns have, nearly one of this town's |
//!
//! No row is the address of a house that the reference has.

use crate::dirt::Row;
use crate::invented::{Country, REGIONS, Street, word};
use crate::random::Random;

/// A kind of address outside the reference.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[allow(missing_docs)]
pub enum Outside {
    UnknownTown,
    OtherState,
    OtherTown,
    Renumbered,
    OtherLetter,
    Plural,
    OtherWord,
    OtherOrdinal,
    OtherCompass,
    OtherCompound,
    KnownElsewhere,
}

/// All kinds.
pub const OUTSIDE: [Outside; 11] = [
    Outside::UnknownTown,
    Outside::OtherState,
    Outside::OtherTown,
    Outside::Renumbered,
    Outside::OtherLetter,
    Outside::Plural,
    Outside::OtherWord,
    Outside::OtherOrdinal,
    Outside::OtherCompass,
    Outside::OtherCompound,
    Outside::KnownElsewhere,
];

/// Parts of compounds.
const PARTS: [&str; 12] =
    ["iron", "birch", "stone", "river", "silver", "winter", "copper", "thorn", "ember", "forest", "hazel", "raven"];
const BEHIND: [&str; 6] = ["wood", "brook", "field", "gate", "ridge", "haven"];
const COMPASS: [&str; 6] = ["Old", "New", "Upper", "Lower", "Little", "Great"];

/// A row of such a kind; every third a part of the address is left out where it can be.
pub fn row(country: &Country, kind: Outside, random: &mut Random) -> Row {
    loop {
        let street = random.pick(&country.streets);
        let (number, ..) = country.house(street, random.below(country.size.houses));
        let town = &country.towns[street.town];
        let mut d = Draft {
            number,
            street: street.clone(),
            locality: town.name.clone(),
            region: town.region,
            postcode: town.postcodes[street.postcode].clone(),
            town: Some(street.town),
        };
        if !d.take_out(country, kind, random) {
            continue;
        }
        let named = country.towns.iter().position(|t| t.name == d.locality && t.region == d.region);
        let text = d.street.text();
        let is_there = named.is_some_and(|t| country.written.contains(&(t, text.clone())));
        if is_there != (kind == Outside::Renumbered) {
            continue;
        }
        let line = format!("{} {text}", d.number);
        if random.chance(333) {
            let (street, locality, region, postcode) = (line, d.locality, d.region.into(), d.postcode);
            return Row { street, locality, region, postcode, town: d.town, ..Default::default() };
        }
        let end = format!("{} {}", d.region, d.postcode);
        return Row { whole: format!("{line}, {}, {}", d.locality, end.trim()), town: d.town, ..Default::default() };
    }
}

struct Draft {
    number: u32,
    street: Street,
    locality: String,
    region: &'static str,
    postcode: String,
    /// The town, where that is in the reference.
    town: Option<usize>,
}

impl Draft {
    /// Changes it to an address that is not there; whether that was possible.
    fn take_out(&mut self, country: &Country, kind: Outside, random: &mut Random) -> bool {
        let s = &mut self.street;
        match kind {
            Outside::UnknownTown => {
                let syllables = 2 + random.below(2);
                self.locality = word(random, syllables);
                self.postcode = foreign_postcode(random);
                self.town = None;
                !country.towns.iter().any(|t| t.name == self.locality)
            }
            Outside::OtherState => {
                self.region = *random.pick(&REGIONS);
                self.postcode = foreign_postcode(random);
                self.town = None;
                self.region != country.towns[s.town].region
                    && !country.towns.iter().any(|t| t.name == self.locality && t.region == self.region)
            }
            Outside::OtherTown => {
                let other = random.below(country.towns.len());
                let town = &country.towns[other];
                (self.locality, self.region) = (town.name.clone(), town.region);
                self.postcode = random.pick(&town.postcodes).clone();
                self.town = Some(other);
                other != s.town
            }
            Outside::Renumbered => {
                let beyond = s.first + 4 * country.size.houses as u32;
                self.number = if random.chance(500) {
                    beyond + 30 + random.below(400) as u32
                } else {
                    4200 + random.below(900) as u32
                };
                true
            }
            Outside::OtherLetter => other_letter(&mut s.name, random),
            Outside::Plural => {
                let has_figures = s.name.bytes().any(|b| b.is_ascii_digit());
                match s.name.strip_suffix('s') {
                    Some(one) if one.len() > 3 => s.name = one.to_string(),
                    _ => s.name.push('s'),
                }
                !has_figures
            }
            Outside::OtherWord => {
                let Some((first, second)) = s.name.split_once(' ').map(|(a, b)| (a.to_string(), b.to_string())) else {
                    return false;
                };
                let other = random.pick(&country.streets).name.split(' ').next().unwrap_or_default().to_string();
                s.name = if random.chance(500) { format!("{other} {second}") } else { format!("{first} {other}") };
                other.len() > 3 && other != first && other != second && !other.bytes().any(|b| b.is_ascii_digit())
            }
            Outside::OtherOrdinal => {
                let figures: String = s.name.chars().take_while(char::is_ascii_digit).collect();
                let Ok(n) = figures.parse::<usize>() else { return false };
                s.name = crate::invented::ordinal(if n > 1 && random.chance(500) { n - 1 } else { n + 1 });
                true
            }
            Outside::OtherCompass => {
                let other = *random.pick(&COMPASS);
                match s.name.split_once(' ') {
                    Some((first, rest)) if COMPASS.contains(&first) => s.name = format!("{other} {rest}"),
                    Some(_) => return false,
                    None => s.name = format!("{other} {}", s.name),
                }
                !s.name.bytes().any(|b| b.is_ascii_digit())
            }
            Outside::OtherCompound => {
                // A street of the town is a compound only by luck: the row names one that shares a part with it.
                let here = s.name.to_lowercase();
                let end = BEHIND.iter().find(|e| here.ends_with(**e) && here.len() >= e.len() + 3).copied();
                let Some(end) =
                    end.or_else(|| (here.len() > 7 && !here.contains(' ')).then(|| &here[here.len() - 4..]))
                else {
                    return false;
                };
                let first = *random.pick(&PARTS);
                s.name = format!("{}{}{end}", first[..1].to_uppercase(), &first[1..]);
                !s.name.bytes().any(|b| b.is_ascii_digit())
            }
            Outside::KnownElsewhere => {
                let name = s.name.clone();
                let near = country.streets.iter().skip(random.below(country.streets.len())).take(3000).find(|o| {
                    o.name != name
                        && o.name.len().abs_diff(name.len()) <= 1
                        && !name.bytes().any(|b| b.is_ascii_digit())
                        && basilocus_address::normal::distance(
                            o.name.to_uppercase().as_bytes(),
                            name.to_uppercase().as_bytes(),
                            1,
                        )
                        .is_some()
                });
                let Some(near) = near else { return false };
                s.name = near.name.clone();
                true
            }
        }
    }
}

/// A postcode that no invented country has, or none.
fn foreign_postcode(random: &mut Random) -> String {
    if random.chance(300) { String::new() } else { format!("{:05}", 80_000 + random.below(9_000)) }
}

/// Another vowel for a vowel or another consonant for a consonant, as names differ that are made alike.
fn other_letter(name: &mut String, random: &mut Random) -> bool {
    const VOWELS: &str = "aeiou";
    const CONSONANTS: &str = "bcdfghklmnprstvw";
    if name.bytes().any(|b| b.is_ascii_digit()) || name.contains(' ') || name.len() < 4 {
        return false;
    }
    let at = random.below(name.len());
    let Some(here) = name[at..].chars().next().map(|c| c.to_ascii_lowercase()) else { return false };
    let set = if VOWELS.contains(here) { VOWELS } else { CONSONANTS };
    let Some(other) = set.chars().nth(random.below(set.len())) else { return false };
    let neighbour = |i: usize| name.as_bytes().get(i).map(|b| char::from(b.to_ascii_lowercase()));
    // A letter beside its like is a letter doubled, which is a slip.
    if other == here || neighbour(at + 1) == Some(other) || at > 0 && neighbour(at - 1) == Some(other) {
        return false;
    }
    let letter = if at == 0 { other.to_ascii_uppercase() } else { other };
    name.replace_range(at..=at, &letter.to_string());
    true
}
