//! An invented country: towns on a grid, streets with names of every sort, houses along them.

use crate::random::Random;
use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{Builder, Entry};
use std::collections::HashSet;

/// Codes of regions, as the grammar of the United States has them.
pub const REGIONS: [&str; 6] = ["OR", "WA", "ID", "CA", "NV", "MT"];
/// Types of thoroughfares, the common ones first.
pub const TYPES: [&str; 14] =
    ["St", "Ave", "Rd", "Ln", "Dr", "Ct", "Way", "Pl", "Blvd", "Ter", "Cir", "Loop", "Pkwy", "Trl"];
/// Directions.
pub const DIRECTIONS: [&str; 8] = ["N", "S", "E", "W", "NE", "NW", "SE", "SW"];

const NATURE: [&str; 90] = [
    "Maple",
    "Alder",
    "Heron",
    "Cormorant",
    "Sandpiper",
    "Cedar",
    "Willow",
    "Birch",
    "Hemlock",
    "Spruce",
    "Osprey",
    "Kestrel",
    "Plover",
    "Curlew",
    "Egret",
    "Bittern",
    "Marsh",
    "Meadow",
    "Orchard",
    "Quarry",
    "Lantern",
    "Anchor",
    "Harbor",
    "Beacon",
    "Lighthouse",
    "Cannery",
    "Tidegate",
    "Slough",
    "Levee",
    "Dike",
    "Ferry",
    "Wharf",
    "Mill",
    "Granite",
    "Basalt",
    "Cobble",
    "Gravel",
    "Clover",
    "Thistle",
    "Bramble",
    "Juniper",
    "Laurel",
    "Hazel",
    "Holly",
    "Linden",
    "Poplar",
    "Aspen",
    "Sycamore",
    "Walnut",
    "Chestnut",
    "Hickory",
    "Cherry",
    "Plum",
    "Apple",
    "Pear",
    "Quince",
    "Fern",
    "Moss",
    "Ivy",
    "Heather",
    "Lupine",
    "Camas",
    "Trillium",
    "Salal",
    "Foxglove",
    "Dogwood",
    "Rosewood",
    "Elderberry",
    "Huckleberry",
    "Salmonberry",
    "Sorrel",
    "Wildflower",
    "Buttercup",
    "Dewberry",
    "Gull",
    "Pelican",
    "Sparrow",
    "Swallow",
    "Thrush",
    "Warbler",
    "Nuthatch",
    "Chickadee",
    "Grosbeak",
    "Tanager",
    "Siskin",
    "Dipper",
    "Harrier",
    "Merlin",
    "Goshawk",
    "Peregrine",
];
const SECOND: [&str; 16] = [
    "Bend", "Grove", "Hollow", "View", "Point", "Crest", "Landing", "Springs", "Creek", "Ridge", "Park", "Glen",
    "Shore", "Meadows", "Hill", "Gate",
];
const FIRST: [&str; 8] = ["Old", "New", "Upper", "Lower", "Little", "Big", "Lost", "High"];

/// A made-up name of so many syllables.
pub fn word(random: &mut Random, syllables: usize) -> String {
    const ONSETS: [&str; 24] = [
        "b", "br", "c", "ch", "d", "f", "g", "gr", "h", "k", "l", "m", "n", "p", "qu", "r", "s", "sh", "st", "t", "tr",
        "v", "w", "z",
    ];
    const MIDDLES: [&str; 8] = ["a", "e", "i", "o", "u", "ai", "ee", "ou"];
    const ENDS: [&str; 14] = ["", "l", "n", "r", "ck", "m", "nd", "rd", "ll", "st", "ng", "t", "x", "p"];
    let mut out = String::new();
    for _ in 0..syllables {
        out.push_str(random.pick::<&str>(&ONSETS));
        out.push_str(random.pick::<&str>(&MIDDLES));
        out.push_str(random.pick::<&str>(&ENDS));
    }
    let mut chars = out.chars();
    chars.next().map_or(String::new(), |c| c.to_uppercase().collect::<String>() + chars.as_str())
}

/// `21st` for 21.
pub fn ordinal(n: usize) -> String {
    let end = match (n % 10, n % 100) {
        (_, 11..=13) => "th",
        (1, _) => "st",
        (2, _) => "nd",
        (3, _) => "rd",
        _ => "th",
    };
    format!("{n}{end}")
}

/// A town.
#[derive(Debug, Clone)]
pub struct Town {
    /// Name.
    pub name: String,
    /// Code of its region.
    pub region: &'static str,
    /// Postcodes.
    pub postcodes: Vec<String>,
    /// Longitude of its middle.
    pub lon: f64,
    /// Latitude of its middle.
    pub lat: f64,
}

/// A street.
#[derive(Debug, Clone)]
pub struct Street {
    /// Direction before the name; may be empty.
    pub pre: &'static str,
    /// Name.
    pub name: String,
    /// Type; may be empty.
    pub kind: &'static str,
    /// Direction after the name; may be empty.
    pub post: &'static str,
    /// Which town.
    pub town: usize,
    /// Which of the town's postcodes.
    pub postcode: usize,
    /// Its place in the town.
    pub place: usize,
    /// First house number.
    pub first: u32,
}

impl Street {
    /// The street as it is written.
    pub fn text(&self) -> String {
        [self.pre, &self.name, self.kind, self.post].into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(" ")
    }
}

/// The size of a country.
#[derive(Debug, Clone, Copy)]
pub struct Size {
    /// Towns.
    pub towns: usize,
    /// Streets of a town.
    pub streets: usize,
    /// Houses of a street.
    pub houses: usize,
    /// Houses in a thousand that are not in the reference.
    pub withheld: usize,
    /// Streets in a thousand that the reference has as ranges of numbers only.
    pub ranges: usize,
}

/// A country.
#[derive(Debug, Clone)]
pub struct Country {
    /// Its size.
    pub size: Size,
    /// Towns, in rows of a grid, so that neighbours by number are neighbours on the map.
    pub towns: Vec<Town>,
    /// Streets, town by town.
    pub streets: Vec<Street>,
    /// Streets of each town as they are written, to tell whether an address means another one.
    pub written: HashSet<(usize, String)>,
}

/// Towns in a row of the grid.
const ROW: usize = 40;

impl Country {
    /// Makes a country.
    pub fn new(seed: u64, size: Size) -> Self {
        let mut random = Random::new(seed);
        let surnames: Vec<String> = (0..6000)
            .map(|i| {
                let syllables = if i % 3 == 0 { 3 } else { 2 };
                word(&mut random, syllables)
            })
            .collect();
        let mut towns: Vec<Town> = Vec::new();
        let mut code = 10_000usize;
        for t in 0..size.towns {
            let name = match random.below(12) {
                // A name that another town has, in another region for sure only by luck.
                0 if t > 20 => towns[random.below(t)].name.clone(),
                1 => format!("{} {}", random.pick(&FIRST), word(&mut random, 2)),
                2 => format!("{} {}", word(&mut random, 2), random.pick(&SECOND)),
                3 => format!("{}ville", word(&mut random, 2)),
                4 => format!("Port {}", word(&mut random, 2)),
                _ => {
                    let syllables = 2 + random.below(2);
                    word(&mut random, syllables)
                }
            };
            let region = REGIONS[(t / ROW / 4) % REGIONS.len()];
            // One town of a name in a region.
            let taken = towns.iter().any(|o| o.name == name && o.region == region);
            let name = if taken { format!("{name} {}", word(&mut random, 1)) } else { name };
            let postcodes = (0..1 + random.below(3))
                .map(|_| {
                    code += 1 + random.below(3);
                    format!("{code:05}")
                })
                .collect();
            let (lon, lat) = (-123.0 + 0.12 * (t % ROW) as f64, 40.0 + 0.09 * (t / ROW) as f64);
            towns.push(Town { name, region, postcodes, lon, lat });
        }
        let mut streets = Vec::with_capacity(size.towns * size.streets);
        let mut written = HashSet::new();
        for (t, town) in towns.iter().enumerate() {
            let from = streets.len();
            while streets.len() - from < size.streets {
                let before: Option<&Street> = streets.last().filter(|_| streets.len() > from);
                let (name, kind, pre, post);
                match (random.below(100), before) {
                    // The same name with another type, or on the other side of town.
                    (0..4, Some(b)) => {
                        (name, pre, post) = (b.name.clone(), b.pre, b.post);
                        kind = *random.pick(&TYPES);
                    }
                    (4..9, Some(b)) if b.pre == "N" || b.pre == "E" => {
                        (name, kind, post) = (b.name.clone(), b.kind, b.post);
                        pre = if b.pre == "N" { "S" } else { "W" };
                    }
                    (roll, _) => {
                        name = match roll {
                            0..30 => random.pick(&NATURE).to_string(),
                            30..42 => ordinal(1 + random.below(60)),
                            42..50 => format!("{} {}", random.pick(&NATURE), random.pick(&SECOND)),
                            50..56 => format!("{} {}", random.pick(&FIRST), random.pick(&NATURE)),
                            56..58 => format!("Saint {}", random.pick(&surnames)),
                            _ => random.pick(&surnames).clone(),
                        };
                        // The common types are common.
                        let most = 2 + random.below(TYPES.len() - 1);
                        kind = TYPES[random.below(most)];
                        pre = if random.chance(280) { *random.pick(&DIRECTIONS) } else { "" };
                        post = if pre.is_empty() && random.chance(60) { *random.pick(&DIRECTIONS) } else { "" };
                    }
                }
                let street = Street {
                    pre,
                    name,
                    kind,
                    post,
                    town: t,
                    postcode: random.below(town.postcodes.len()),
                    place: streets.len() - from,
                    first: 1 + 100 * random.below(40) as u32,
                };
                if written.insert((t, street.text())) {
                    streets.push(street);
                }
            }
        }
        Country { size, towns, streets, written }
    }

    /// Number, longitude and latitude of a house.
    pub fn house(&self, street: &Street, house: usize) -> (u32, f64, f64) {
        let town = &self.towns[street.town];
        // Numbers go up by two a side with gaps, as lots do.
        let mut random = Random::new((street.town * 1000 + street.place) as u64 * 64 + house as u64);
        let number = street.first + 4 * house as u32 + random.below(4) as u32;
        // Houses every 16 metres; streets 130 metres from each other, half of them the other way.
        let along = 0.00021 * house as f64;
        let across = 0.0017 * (street.place / 2) as f64;
        let (x, y) = if street.place.is_multiple_of(2) { (along, across) } else { (across, along + 0.0005) };
        (number, town.lon + x, town.lat + y * 0.7)
    }

    /// Whether the reference has a street as ranges of numbers only.
    pub fn is_range(&self, street: &Street) -> bool {
        Random::new((street.town * 1000 + street.place) as u64 ^ 0xABCD).chance(self.size.ranges)
    }

    /// Whether a house is not in the reference.
    pub fn is_withheld(&self, street: &Street, house: usize) -> bool {
        Random::new(((street.town * 1000 + street.place) as u64 * 64 + house as u64) ^ 0x1234_5678)
            .chance(self.size.withheld)
    }

    /// Streets of a town.
    pub fn streets_of(&self, town: usize) -> &[Street] {
        &self.streets[town * self.size.streets..(town + 1) * self.size.streets]
    }

    /// Gives all towns, postcodes and houses to a builder.
    ///
    /// # Errors
    /// What the builder says of a row.
    pub fn build(&self, builder: &mut Builder) -> Result<(), String> {
        for town in &self.towns {
            builder.add(&Entry::Place(PlaceEntry {
                name: town.name.clone(),
                region: town.region.into(),
                parent: "Invented County".into(),
                lon: town.lon,
                lat: town.lat,
                ..Default::default()
            }))?;
            for code in &town.postcodes {
                builder.add(&Entry::Postcode(PostcodeEntry {
                    postcode: code.clone(),
                    locality: town.name.clone(),
                    region: town.region.into(),
                    lon: town.lon,
                    lat: town.lat,
                    ..Default::default()
                }))?;
            }
        }
        let mut entry = PointEntry::default();
        for street in &self.streets {
            let town = &self.towns[street.town];
            entry.street = street.text();
            entry.locality.clone_from(&town.name);
            entry.region = town.region.into();
            entry.postcode.clone_from(&town.postcodes[street.postcode]);
            if self.is_range(street) {
                let last = self.size.houses - 1;
                let (from, to) = (street.first, street.first + 4 * last as u32 + 3);
                let ends = [0, last].map(|h| self.house(street, h)).map(|(_, lon, lat)| (lon, lat));
                builder.add(&Entry::Segment(SegmentEntry {
                    street: entry.street.clone(),
                    // The first number of a street is odd.
                    left: Some((from, to - 1)),
                    right: Some((from + 1, to)),
                    locality: [town.name.clone(), town.name.clone()],
                    region: town.region.into(),
                    postcode: [entry.postcode.clone(), entry.postcode.clone()],
                    line: ends.to_vec(),
                    ..Default::default()
                }))?;
                continue;
            }
            for h in (0..self.size.houses).filter(|h| !self.is_withheld(street, *h)) {
                let (number, lon, lat) = self.house(street, h);
                entry.number.clear();
                entry.number.push_str(&number.to_string());
                (entry.lon, entry.lat) = (lon, lat);
                let point = Entry::Point(std::mem::take(&mut entry));
                builder.add(&point)?;
                let Entry::Point(back) = point else { continue };
                entry = back;
            }
        }
        Ok(())
    }
}
