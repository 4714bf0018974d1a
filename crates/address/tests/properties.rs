//! What must hold of matching whatever the address: spelling that carries no meaning changes nothing, what is printed is
//! found again, restrictions hold, and a damaged file never leads astray.

use basilocus_address::grammar::{self, GRAMMARS, NumberPlace, TypePlace};
use basilocus_address::nearest::metres;
use basilocus_address::reference::{AreaEntry, PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{
    AddressInput, Builder, Candidate, Entry, Level, MatchOptions, Matcher, Outcome, Reference, Within,
};
use proptest::prelude::*;
use std::sync::OnceLock;

const NAMES: [&str; 8] = ["Heron", "Alder", "Cormorant", "Sandpiper", "Kestrel", "Lantern", "Osprey", "Cannery"];
const TOWNS: [(&str, f64); 3] = [("Ternport", 0.0), ("Graywater", 0.1), ("Barnacle Point", 0.2)];

struct House {
    number: u32,
    street: String,
    town: &'static str,
    postcode: String,
    lon: f64,
    lat: f64,
}

/// A postcode of the first shape of a country.
fn postcode(shape: &str, n: usize) -> String {
    shape
        .chars()
        .map(|c| match c {
            '9' => char::from(b'1' + (n % 8) as u8),
            'A' | '*' => char::from(b'A' + (n % 8) as u8),
            other => other,
        })
        .collect()
}

/// A street of a country: its first type, where the country writes it.
fn street(country: &str, name: &str) -> String {
    let g = grammar::of_country(country).unwrap();
    let (display, _) = g.street_types[0];
    match g.type_place {
        TypePlace::After => format!("{name} {display}"),
        TypePlace::Before => format!("{display} {name}"),
        TypePlace::Glued => format!("{name}{display}"),
        other => unreachable!("{other:?} is not known here"),
    }
}

fn build(country: &'static str) -> (tempfile::TempDir, Reference, Vec<House>) {
    let g = grammar::of_country(country).unwrap();
    let mut b = Builder::new(g);
    let mut houses = Vec::new();
    for (t, (town, x)) in TOWNS.iter().enumerate() {
        let code = postcode(g.postcodes[0], t);
        for (s, name) in NAMES.iter().enumerate() {
            for i in 0..5u32 {
                let number = 2 + 10 * i + s as u32;
                let (lon, lat) = (8.0 + x + 0.004 * s as f64, 50.0 + 0.001 * f64::from(i));
                let street = street(country, name);
                b.add(&Entry::Point(PointEntry {
                    number: number.to_string(),
                    street: street.clone(),
                    locality: town.to_string(),
                    postcode: code.clone(),
                    lon,
                    lat,
                    ..Default::default()
                }))
                .unwrap();
                houses.push(House { number, street, town, postcode: code.clone(), lon, lat });
            }
        }
        b.add(&Entry::Place(PlaceEntry { name: town.to_string(), lon: 8.0 + x, lat: 50.0, ..Default::default() }))
            .unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("country.reference");
    b.write(&path).unwrap();
    let reference = Reference::open(&path).unwrap();
    (folder, reference, houses)
}

type Country = (tempfile::TempDir, Reference, Vec<House>);

fn countries() -> &'static [Country] {
    static ALL: OnceLock<Vec<Country>> = OnceLock::new();
    ALL.get_or_init(|| GRAMMARS.iter().map(|g| build(g.country)).collect())
}

fn written(r: &Reference, h: &House) -> String {
    let g = r.grammar();
    let line = match g.number {
        NumberPlace::Before => format!("{} {}", h.number, h.street),
        NumberPlace::After => format!("{} {}", h.street, h.number),
        other => unreachable!("{other:?} is not known here"),
    };
    if g.postcode_first {
        format!("{line}, {} {}", h.postcode, h.town)
    } else {
        format!("{line}, {} {}", h.town, h.postcode)
    }
}

fn find(r: &Reference, whole: &str, options: MatchOptions) -> Result<Candidate, String> {
    match Matcher::new(r, options).find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) => Ok(m.best),
        Outcome::SetAside { reason, .. } => Err(reason),
    }
}

fn is_at(c: &Candidate, h: &House) -> bool {
    c.level == Level::AddressPoint && metres((c.lon, c.lat), (h.lon, h.lat)) < 0.1
}

/// Every house of every country is found as it is written there, and what is printed for it is found again.
#[test]
fn every_country_finds_its_houses_and_what_it_prints() {
    for (_, r, houses) in countries() {
        for h in houses {
            let text = written(r, h);
            let c = find(r, &text, MatchOptions::default()).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert!(is_at(&c, h), "{} {text}: {c:?}", r.grammar().country);
            assert!(c.changes.is_empty(), "{text}: {:?}", c.changes);
            let again = find(r, &c.address, MatchOptions::default()).unwrap_or_else(|e| panic!("{}: {e}", c.address));
            assert_eq!((again.address.as_str(), is_at(&again, h)), (c.address.as_str(), true));
        }
    }
}

/// The same in columns, in every subset that still says where it is.
#[test]
fn columns_say_the_same_as_one_text() {
    for (_, r, houses) in countries() {
        for h in houses.iter().step_by(7) {
            let number = h.number.to_string();
            let full = AddressInput {
                number: &number,
                street: &h.street,
                locality: h.town,
                postcode: &h.postcode,
                ..Default::default()
            };
            for input in [
                full,
                AddressInput { postcode: "", ..full },
                AddressInput { locality: "", ..full },
                AddressInput { unit: "3", ..full },
            ] {
                match Matcher::new(r, MatchOptions::default()).find(&input) {
                    Outcome::Matched(m) => assert!(is_at(&m.best, h), "{input:?}: {:?}", m.best),
                    Outcome::SetAside { reason, .. } => panic!("{} {input:?}: {reason}", r.grammar().country),
                }
            }
        }
    }
}

/// All spellings of all types of thoroughfares mean one type, in every country that writes types as words.
#[test]
fn every_spelling_of_a_type_is_that_type() {
    for g in GRAMMARS.iter().filter(|g| g.type_place != TypePlace::Glued) {
        for (i, (display, list)) in g.street_types.iter().enumerate() {
            for spelling in list.split('|') {
                let text = match g.type_place {
                    TypePlace::Before => format!("{spelling} Cormorant"),
                    _ => format!("Cormorant {spelling}"),
                };
                let parsed = basilocus_address::parse::parse_street(&text, g);
                // "PO" and the like mean something else besides; the street must not be lost for it.
                assert_eq!(parsed.name, "CORMORANT", "{} {text} ({display})", g.country);
                assert_eq!(parsed.street_type, Some(i as u8), "{} {text} ({display})", g.country);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Case, blanks and dots carry no meaning.
    #[test]
    fn spelling_without_meaning_changes_nothing(country in 0usize..12, which in 0usize..120, how in 0usize..4) {
        let (_, r, houses) = &countries()[country];
        let h = &houses[which % houses.len()];
        let text = written(r, h);
        let typed = match how {
            0 => text.to_uppercase(),
            1 => text.to_lowercase(),
            2 => text.replace(' ', "   "),
            _ => format!("  {} ", text.replace(',', " , ")),
        };
        let (a, b) = (find(r, &text, MatchOptions::default()), find(r, &typed, MatchOptions::default()));
        prop_assert_eq!(a, b, "{}", typed);
    }

    /// Restrictions hold for whatever is matched.
    #[test]
    fn restrictions_hold(
        country in 0usize..12,
        which in 0usize..120,
        least in 0u8..=100,
        coarsest in 0usize..8,
        west in 7.9f64..8.3,
        drop_locality in any::<bool>(),
    ) {
        let (_, r, houses) = &countries()[country];
        let h = &houses[which % houses.len()];
        let text = if drop_locality { written(r, h).replace(h.town, "") } else { written(r, h) };
        let coarsest = basilocus_address::matching::LEVELS[coarsest].0;
        let bounds = [west, 49.9, west + 0.1, 50.1];
        let options = MatchOptions {
            coarsest,
            min_confidence: least,
            within: Some(Within { bounds: Some(bounds), ..Default::default() }),
            ..Default::default()
        };
        if let Ok(c) = find(r, &text, options) {
            prop_assert!(c.level <= coarsest && c.confidence >= least, "{c:?}");
            prop_assert!((bounds[0]..=bounds[2]).contains(&c.lon), "{c:?}");
            prop_assert!(!drop_locality || c.level > Level::AddressPoint || is_at(&c, h), "{text}: {c:?}");
        }
    }

    /// More disagreement never costs less: a slip more in a name that stays one.
    #[test]
    fn a_sum_is_the_sum_of_its_parts(which in 0usize..120, at in 0usize..6) {
        let (_, r, houses) = &countries()[0];
        let h = &houses[which % houses.len()];
        let mut text = written(r, h);
        let start = text.find(' ').unwrap() + 1;
        text.remove(start + at % 4);
        if let Ok(c) = find(r, &text, MatchOptions::default()) {
            let named: i32 = c.parts.named().iter().map(|(_, cost)| cost).sum();
            prop_assert_eq!(named, c.parts.sum());
            prop_assert!(c.raw >= f64::from(c.parts.sum()) - 1e-9);
            prop_assert!(c.parts.sum() > 0 && !c.changes.is_empty(), "{text}: {c:?}");
        }
    }
}

/// Bytes flipped anywhere in a file with everything in it give wrong answers at worst.
#[test]
fn a_damaged_file_with_everything_in_it_never_leads_astray() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let entries = [
        Entry::Point(PointEntry {
            number: "12A".into(),
            street: "Heron Ln".into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            postcode: "97981-0012".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }),
        Entry::Segment(SegmentEntry {
            street: "Levee Rd".into(),
            left: Some((1, 99)),
            right: Some((2, 98)),
            locality: ["Ternport".into(), "Graywater".into()],
            region: "OR".into(),
            line: vec![(-123.8, 46.2), (-123.79, 46.21), (-123.78, 46.2)],
            ..Default::default()
        }),
        Entry::Postcode(PostcodeEntry {
            postcode: "97981".into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }),
        Entry::Place(PlaceEntry {
            name: "Tern Mill".into(),
            kind: PlaceKind::Landmark,
            locality: "Ternport".into(),
            region: "OR".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }),
        Entry::Area(AreaEntry {
            attributes: vec![("district".into(), "West".into())],
            rings: vec![vec![(-124.0, 46.0), (-123.0, 46.0), (-123.0, 47.0), (-124.0, 46.0)]],
        }),
    ];
    for e in &entries {
        b.add(e).unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("all.reference");
    b.write(&path).unwrap();
    let whole = std::fs::read(&path).unwrap();
    let texts =
        ["12 Heron Ln, Ternport, OR 97981", "51 Levee Rd, Graywater", "Tern Mill, Ternport", "Levee Rd & Heron Ln"];
    for i in (24..whole.len()).step_by(3) {
        let mut bytes = whole.clone();
        bytes[i] ^= 0x5A;
        std::fs::write(&path, &bytes).unwrap();
        let Ok(r) = Reference::open(&path) else { continue };
        assert!(r.verify().is_err(), "byte {i} is not noticed");
        for text in texts {
            let _ = find(&r, text, MatchOptions::default());
        }
        let _ = (r.nearest(-123.8, 46.2, 500.0), r.attributes_at(-123.5, 46.5));
        r.describe();
    }
}
