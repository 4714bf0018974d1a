//! Addresses whose house is not in the reference, while another one looks like it: nothing finer than a postcode may be
//! trusted with 80 or more. And their nearest right twins, which must be found.

mod common;

use basilocus_address::reference::{PlaceEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Entry, Level, MatchOptions, Matcher, Outcome, Reference, grammar};
use common::{house, written_one};

struct World {
    reference: Reference,
    _folder: tempfile::TempDir,
}

/// Streets as `street|town|region|postcode`, each with the numbers 1 to 20 and 105; towns lie 10 km apart in their order.
fn world(country: &str, streets: &[&str]) -> World {
    let numbers: Vec<String> = (1..=20).chain([105]).map(|n| n.to_string()).collect();
    numbered(country, streets, &numbers)
}

/// The same with other numbers.
fn numbered(country: &str, streets: &[&str], numbers: &[String]) -> World {
    let mut b = Builder::new(grammar::of_country(country).unwrap());
    let mut towns: Vec<&str> = Vec::new();
    for (s, line) in streets.iter().enumerate() {
        let [street, town, region, postcode] = line.split('|').collect::<Vec<_>>()[..] else { panic!("{line}") };
        let at = towns.iter().position(|t| *t == town).unwrap_or_else(|| {
            towns.push(town);
            towns.len() - 1
        });
        let (lon, lat) = (-98.0 + 0.1 * at as f64, 38.5);
        if towns.len() - 1 == at && towns.iter().filter(|t| **t == town).count() == 1 {
            let place = PlaceEntry { name: town.into(), region: region.into(), lon, lat, ..Default::default() };
            b.add(&Entry::Place(place)).unwrap();
        }
        let code = PostcodeEntry {
            postcode: postcode.into(),
            locality: town.into(),
            region: region.into(),
            lon,
            lat,
            ..Default::default()
        };
        b.add(&Entry::Postcode(code)).unwrap();
        for (n, number) in numbers.iter().enumerate() {
            let at = (lon + 0.002 * s as f64, lat + 1e-4 * n as f64);
            b.add(&house([number, street], [town, region, postcode], at)).unwrap();
        }
    }
    let (_folder, reference) = written_one(&mut b);
    World { reference, _folder }
}

impl World {
    /// Level, confidence and address of what a text is placed at.
    fn placed(&self, text: &str) -> Option<(Level, u8, String)> {
        let matcher = Matcher::new(&self.reference, MatchOptions::default());
        match matcher.find(&AddressInput { whole: text, ..Default::default() }) {
            Outcome::Matched(m) => Some((m.best.level, m.best.confidence, m.best.address)),
            Outcome::SetAside { .. } => None,
        }
    }

    #[track_caller]
    fn is_not_trusted(&self, text: &str) {
        if let Some((level, confidence, address)) = self.placed(text) {
            assert!(level >= Level::Postcode || confidence < 80, "{text}: {} {confidence}, {address}", level.name());
        }
    }

    #[track_caller]
    fn is_found(&self, text: &str, street: &str) {
        let Some((level, confidence, address)) = self.placed(text) else { panic!("{text}: set aside") };
        assert!(
            level == Level::AddressPoint && confidence >= 80 && address.contains(street),
            "{text}: {} {confidence}, {address}",
            level.name()
        );
    }
}

fn kansas() -> World {
    world("US", &["Oak St|Ash|KS|67806", "Elm St|Quillan|KS|67802", "Oak St|Quarry|KS|67809", "Pine Ave|Ash|KS|67806"])
}

#[test]
fn a_town_or_state_that_is_not_there() {
    let w = kansas();
    for text in [
        "105 Pine Ave, Bogusville, KS",
        "105 Pine Ave, Bogusville",
        "105 Pine Ave, Bogusville, KS 67001",
        "105 Pine Ave, Ash, TX 75001",
        "105 Pine Ave, Ash, TX",
        "105 Pine Ave, Bogusville, TX 75001",
    ] {
        w.is_not_trusted(text);
    }
    // The postcode is that of the house.
    w.is_found("105 Pine Ave, Bogusville, KS 67806", "Pine Ave, Ash");
    w.is_found("105 Pine Ave, Ash, TX 67806", "Pine Ave, Ash");
    w.is_found("105 Pine Ave, Ash", "Pine Ave, Ash");
}

#[test]
fn a_town_whose_name_is_nearly_there() {
    let w = world("US", &["Oak St|Southgate|KS|67806", "Elm St|Upper Mill|KS|67802", "Pine Ave|Ferry|KS|67809"]);
    for text in ["105 Oak St, Northgate, KS", "105 Elm St, Lower Mill, KS", "105 Pine Ave, Perry, KS"] {
        w.is_not_trusted(text);
    }
    w.is_found("105 Oak St, Sotuhgate, KS", "Oak St, Southgate");
    w.is_found("105 Oak St, Northgate, KS 67806", "Oak St, Southgate");
}

#[test]
fn town_and_postcode_agree_and_the_street_is_elsewhere() {
    let w = kansas();
    for text in ["105 Pine Ave, Quillan, KS 67802", "105 Pine Ave, Quillan, KS", "105 Pine Ave, Quillan"] {
        w.is_not_trusted(text);
    }
    w.is_found("105 Pine Ave, Quillan, KS 67806", "Pine Ave, Ash");
    w.is_found("105 Elm St, Quillan, KS 67802", "Elm St, Quillan");
}

#[test]
fn another_street_of_the_same_shape() {
    for (country, there, asked) in [
        ("DE", "Weststraße", "Südstraße"),
        ("DE", "Weststraße", "Oststraße"),
        ("DE", "Ostring", "Nordring"),
        ("DE", "Lindenallee", "Tannenallee"),
        ("DE", "Gartenstraße", "Gärtnerstraße"),
        ("DE", "Kirchgasse", "Kirchstraße"),
        ("US", "Birchwood Dr", "Ironwood Dr"),
        ("US", "Birchwood Dr", "Birch Dr"),
        ("US", "Southgate Rd", "Northgate Rd"),
        ("US", "Upper Mill Rd", "Lower Mill Rd"),
        ("US", "B St", "D St"),
        ("US", "Avenue A", "Avenue B"),
        ("US", "4th St", "3rd St"),
        ("US", "Ferry St", "Perry St"),
        ("US", "Ferry St", "Berry St"),
        ("US", "Ferry St", "Terry St"),
    ] {
        let tail = if country == "US" { ["Ash, KS 67806", "Ash|KS|67806"] } else { ["67806 Esche", "Esche||67806"] };
        let w = world(country, &[&format!("{there}|{}", tail[1])]);
        let text = |street: &str| {
            if country == "US" { format!("105 {street}, {}", tail[0]) } else { format!("{street} 105, {}", tail[0]) }
        };
        w.is_not_trusted(&text(asked));
        w.is_found(&text(there), there);
    }
}

#[test]
fn slips_are_still_slips() {
    for (country, there, asked) in [
        ("DE", "Weststraße", "Westtsraße"),
        ("DE", "Lindenallee", "Lindnallee"),
        ("DE", "Gartenstraße", "Gatrenstraße"),
        ("US", "Birchwood Dr", "Brichwood Dr"),
        ("US", "Southgate Rd", "Sothgate Rd"),
        ("US", "Upper Mill Rd", "Uppr Mill Rd"),
        ("US", "Ferry St", "Fery St"),
        ("US", "Ferry St", "Ferryy St"),
    ] {
        let (text, line) = match country {
            "US" => (format!("105 {asked}, Ash, KS 67806"), format!("{there}|Ash|KS|67806")),
            _ => (format!("{asked} 105, 67806 Esche"), format!("{there}|Esche||67806")),
        };
        world(country, &[&line]).is_found(&text, there);
    }
}

#[test]
fn the_right_name_with_another_type() {
    let w = world("US", &["Lake Dr|Ash|KS|67806"]);
    let (level, confidence, _) = w.placed("105 Lake Ct, Ash, KS 67806").unwrap();
    assert!(level == Level::AddressPoint && confidence < 95, "{confidence}");
    // There is a Lake Court with other numbers: it may be either.
    let w = world("US", &["Lake Dr|Ash|KS|67806", "Lake Ct|Ash|KS|67806"]);
    w.is_found("105 Lake Ct, Ash, KS 67806", "Lake Ct");
    let w = world("US", &["Lake Dr|Ash|KS|67806", "Lake Ct|Quarry|KS|67809"]);
    let (_, confidence, _) = w.placed("105 Lake Ct, Ash, KS 67806").unwrap();
    assert!(confidence < 95, "{confidence}");
    let w = world("FR", &["Chemin du Moulin|Fresne||67806"]);
    if let Some((_, confidence, _)) = w.placed("105 rue du Moulin, 67806 Fresne") {
        assert!(confidence < 95, "{confidence}");
    }
}

#[test]
fn numbers_of_two_parts() {
    let numbers = ["35", "35-12", "37", "37-02", "37-10", "39"].map(String::from);
    let w = numbered("US", &["30th Ave|Ash|KS|67806"], &numbers);
    w.is_found("37-10 30th Ave, Ash, KS 67806", "37-10 30th Ave");
    w.is_found("37 30th Ave, Ash, KS 67806", "37 30th Ave");
    let (level, _, address) = w.placed("37-14 30th Ave, Ash, KS 67806").unwrap();
    assert_eq!(level, Level::Street, "neither 37 nor 37-10, but somewhere on the street: {address}");
    // Two numbers, in full and in short: the first of them.
    let w = world("US", &["Oak St|Ash|KS|67806"]);
    w.is_found("13-17 Oak St, Ash, KS 67806", "13 Oak St");
    w.is_found("105-7 Oak St, Ash, KS 67806", "105 Oak St");
}

#[test]
fn a_street_whose_name_ends_in_a_type() {
    let w = world(
        "US",
        &[
            "Juniper Valley Place Rd|Ash|KS|67806",
            "N Juniper Valley Dr|Ash|KS|67806",
            "Avenue A NE|Ash|KS|67806",
            "Avenue A|Harlow|KS|67802",
        ],
    );
    w.is_found("12 Juniper Valley Place, Ash, KS", "Juniper Valley Place Rd");
    w.is_found("12 Juniper Valley Place, Ash, KS 67802", "Juniper Valley Place Rd");
    w.is_found("12 Avenue A NE", "Avenue A NE, Ash");
    w.is_found("12 Avenue A NE, Ash, KS", "Avenue A NE, Ash");
    w.is_found("12 Avenue A, Harlow, KS", "Avenue A, Harlow");
}

#[test]
fn two_addresses_in_one_cell() {
    let w = world("US", &["Oak St|Ash|KS|67801", "Elm St|Ash|KS|67801"]);
    for text in [
        "12 Oak St, Ash, KS; 14 Elm St, Ash, KS",
        "12 Oak St & 14 Elm St, Ash",
        "12 Oak St / 14 Elm St, Ash, KS 67801",
        "12 Oak St 14 Elm St Ash KS",
        "12 Oak St\n14 Elm St\nAsh, KS",
    ] {
        assert_eq!(w.placed(text), None, "{text}");
    }
    // One address with more text, numbers of one building, and a crossing.
    w.is_found("12 Oak St, 2nd Floor, Ash, KS", "12 Oak St");
    w.is_found("12 & 14 Oak St, Ash, KS", "12 Oak St");
    w.is_found("Acme & Sons, 12 Oak St, Ash", "12 Oak St");
    w.is_found("Acme & Sons - 12 Oak St, Ash", "12 Oak St");
    w.is_found("Acme & Sons 12 Oak St, Ash", "12 Oak St");
    w.is_found("Unit 3B - 12 Oak St, Ash", "12 Oak St Unit");
    w.is_found("Ash, KS 67801, 12 Oak St", "12 Oak St");
    let germany = world("DE", &["Reiherweg|Reihershausen|Hessen|60999", "Hauptstraße|Reihershausen|Hessen|60999"]);
    assert_eq!(germany.placed("Reiherweg 12, Hauptstr. 14, 60999 Reihershausen"), None);
    germany.is_found("Tel. 07131 55501, Reiherweg 12, 60999 Reihershausen", "Reiherweg 12");
}

#[test]
fn a_number_with_a_slash_is_read_as_the_country_writes() {
    let us = world("US", &["Mill Ln|Ash|KS|67801"]);
    // Flat 2 of number 14, or a part of number 2: both are there.
    assert_eq!(us.placed("2/14 Mill Lane, Ash"), None);
    us.is_found("30/14 Mill Lane, Ash", "14 Mill Ln Unit 30");
    let australia = world("AU", &["Mill Lane|Harlow|VIC|3999"]);
    australia.is_found("2/14 Mill Lane, Harlow VIC", "14 Mill La");
}

#[test]
fn names_that_are_nearly_alike_are_never_sure() {
    let w = world("US", &["Harbor St|Ash|KS|67801", "Brook Ave|Ash|KS|67801", "Old Mill Rd|Ash|KS|67801"]);
    for text in [
        "12 Harber St, Ash KS",
        "12 Brooks Ave, Ash KS",
        "12 Brock Ave, Ash KS",
        "12 New Mill Rd, Ash KS",
        "12 Mill Rd, Ash KS",
    ] {
        w.is_not_trusted(text);
    }
    // Slips of the finger make no other name.
    for (text, street) in
        [("12 Habror St, Ash KS", "Harbor St"), ("12 Harbbor St, Ash", "Harbor St"), ("12 Borok Ave, Ash", "Brook Ave")]
    {
        w.is_found(text, street);
    }
    // A name that other towns have is no slip, whatever its letters.
    let w = world("US", &["Marion St|Ash|KS|67801", "Marrion St|Harlow|KS|67802"]);
    w.is_not_trusted("12 Marrion St, Ash, KS 67801");
}

#[test]
fn what_was_not_used_is_told() {
    let w = world("US", &["Oak St|Ash|KS|67801"]);
    let matcher = Matcher::new(&w.reference, MatchOptions::default());
    let changes = |whole| match matcher.find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) => m.best.changes.join("; "),
        Outcome::SetAside { reason, .. } => panic!("{whole}: {reason}"),
    };
    assert_eq!(changes("12 Oak St, Ash, KS"), "");
    assert_eq!(changes("Acme Pumps, 12 Oak St, Ash, KS"), "\"Acme Pumps\" not used");
    assert_eq!(changes("12 Oak St, Ash, KS, Tel. 620-555-0100"), "\"Tel 620-555-0100\" not used");
    assert_eq!(changes("c/o J Marsh, 12 Oak St, Ash, KS"), "\"C/o J Marsh\" not used");
    assert_eq!(changes("1O5 Oak St, Ash, KS"), "number 1O5 read as 105");
    assert_eq!(changes("12 Oak St PO Box 9, Ash, KS"), "\"Po Box 9\" not used");
}

#[test]
fn every_place_has_a_radius() {
    let w = world("US", &["Oak St|Ash|KS|67801", "Elm St|Ash|KS|67801"]);
    let matcher = Matcher::new(&w.reference, MatchOptions::default());
    let found = |whole| match matcher.find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) => m.best,
        Outcome::SetAside { reason, .. } => panic!("{whole}: {reason}"),
    };
    assert_eq!(found("12 Oak St, Ash").radius_m, 30.0, "the source does not say its accuracy");
    // Numbers 20 and 105 are 11 m apart in this world.
    let between = found("60 Oak St, Ash");
    assert_eq!((between.level, between.lat), (Level::Street, 38.50195));
    assert!(between.radius_m < 100.0, "{between:?}");
    let street = found("Oak St, Ash");
    let town = found("Ash, KS");
    assert!(street.radius_m > 100.0 && town.radius_m > street.radius_m, "{} {}", street.radius_m, town.radius_m);
}

#[test]
fn reasons_say_nothing_that_is_false() {
    let w = world("US", &["Oak St|Ash|KS|67801", "Oak St|Harlow|KS|67802"]);
    let matcher = Matcher::new(&w.reference, MatchOptions::default());
    let said = |whole| match matcher.find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) => m.best.changes.join("; "),
        Outcome::SetAside { reason, .. } => reason,
    };
    // The street is there; the region is another one.
    assert_eq!(
        said("12 Oak St, Ash, OK"),
        "street \"Oak\" is in Ash, and something else that the address says contradicts it; Ash is not in region OK (it is in KS): correct one of them"
    );
    assert_eq!(said("12 1/2 Oak St, Ash, KS"), "number 12 1/2 placed at 12");
    assert_eq!(
        said("12 Oak St, Bogus Harbor, KS"),
        "street \"Oak\" is not in the reference (it is in Ash, Harlow); locality \"Bogus Harbor\" is not in the reference"
    );
}

#[test]
fn a_short_postcode_tells_no_street() {
    // The reference knows one street of the postcode; the town has more.
    let w = world("US", &["Oak St|Ash|KS|67801"]);
    w.is_not_trusted("12, 67801");
    let matcher = Matcher::new(&w.reference, MatchOptions::default());
    match matcher.find(&AddressInput { number: "12", postcode: "67801", ..Default::default() }) {
        Outcome::Matched(m) => assert_eq!(m.best.level, Level::Postcode),
        Outcome::SetAside { reason, .. } => panic!("{reason}"),
    }
}

#[test]
fn houses_of_a_number_with_another_letter() {
    let numbers: Vec<String> = ["99", "101A", "103", "22 1/2"].map(String::from).to_vec();
    let w = numbered("US", &["Heron Ln|Ternport|KS|67801"], &numbers);
    for text in ["101B Heron Ln, Ternport, KS 67801", "22 1/4 Heron Ln, Ternport, KS 67801"] {
        w.is_not_trusted(text);
        assert!(w.placed(text).is_some(), "{text}: it is used, and to be looked at");
    }
    // The house without its letter, or with one that nobody knows: there, or next to it.
    for (text, house) in [
        ("101 Heron Ln, Ternport, KS 67801", "101A Heron Ln"),
        ("103C Heron Ln, Ternport, KS 67801", "103 Heron Ln"),
        ("22 Heron Ln, Ternport, KS 67801", "22 1/2 Heron Ln"),
    ] {
        let (level, confidence, address) = w.placed(text).unwrap();
        assert!(level == Level::AddressPoint && address.starts_with(house), "{text}: {address}");
        assert!((80..=95).contains(&confidence), "{text}: {confidence}");
    }
    assert_eq!(w.placed("101A Heron Ln, Ternport, KS 67801").unwrap().1, 100);
}

/// A letter left out is a slip, unless streets are called so elsewhere, alone or among other words.
#[test]
fn a_word_that_streets_have_elsewhere_is_rarely_a_slip() {
    let town = ["Maple St|Ash|KS|67801", "Cedar Ln|Ash|KS|67801"];
    for elsewhere in ["Mape St|Elm|KS|67802", "Mape Grove Rd|Elm|KS|67802", "Old Mape Way|Elm|KS|67802"] {
        let w = world("US", &[town[0], town[1], elsewhere]);
        w.is_not_trusted("5 Mape St, Ash, KS 67801");
        // Other slips stay what they are.
        for text in ["5 Mapl St, Ash, KS 67801", "5 Cedr Ln, Ash, KS 67801"] {
            let (level, confidence, address) = w.placed(text).unwrap();
            assert!(level == Level::AddressPoint && confidence >= 90, "{elsewhere}, {text}: {confidence}, {address}");
        }
    }
    // Where no street is called so, it is one.
    let (level, confidence, _) = world("US", &town).placed("5 Mape St, Ash, KS 67801").unwrap();
    assert!(level == Level::AddressPoint && confidence >= 90, "{confidence}");
}
