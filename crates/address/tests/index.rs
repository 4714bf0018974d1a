//! The index: everything that goes in is found again, exactly and through one slip; addresses that it prints are read
//! back as themselves.

use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{
    AddressInput, Builder, Entry, Level, Match, MatchOptions, Matcher, Outcome, Reference, grammar,
};
use proptest::prelude::*;
use std::sync::OnceLock;

const NAMES: [&str; 14] = [
    "Alder",
    "Heron",
    "Cormorant",
    "Sandpiper",
    "Old Dike",
    "5th",
    "St Brendan",
    "Kestrel",
    "Mill Pond",
    "Cannery",
    "Quarry",
    "Lantern",
    "Osprey Bend",
    "Grange Hall",
];
const TYPES: [&str; 6] = ["St", "Ave", "Ln", "Rd", "Ct", "Way"];
const TOWNS: [(&str, &str, &str); 4] = [
    ("Ternport", "OR", "97981"),
    ("Graywater", "WA", "98981"),
    ("Mill Slough", "OR", "97983"),
    ("Barnacle Point", "WA", "98985"),
];

struct House {
    number: u32,
    street: String,
    town: usize,
    lon: f64,
    lat: f64,
}

fn town() -> &'static (tempfile::TempDir, Reference, Vec<House>) {
    static TOWN: OnceLock<(tempfile::TempDir, Reference, Vec<House>)> = OnceLock::new();
    TOWN.get_or_init(|| {
        let mut b = Builder::new(&grammar::us::GRAMMAR);
        let mut houses = Vec::new();
        for (t, (locality, region, postcode)) in TOWNS.iter().enumerate() {
            for (s, name) in NAMES.iter().enumerate() {
                let street = format!("{name} {}", TYPES[(s + t) % TYPES.len()]);
                for i in 0..8u32 {
                    let number = 100 + 10 * i + s as u32 % 2;
                    let (lon, lat) = (-123.8 + 0.05 * t as f64 + 0.001 * s as f64, 46.2 + 0.002 * f64::from(i));
                    b.add(&Entry::Point(PointEntry {
                        number: number.to_string(),
                        street: street.clone(),
                        locality: locality.to_string(),
                        region: region.to_string(),
                        postcode: postcode.to_string(),
                        lon,
                        lat,
                        ..Default::default()
                    }))
                    .unwrap();
                    houses.push(House { number, street: street.clone(), town: t, lon, lat });
                }
            }
        }
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("towns.reference");
        b.write(&path).unwrap();
        let reference = Reference::open(&path).unwrap();
        (folder, reference, houses)
    })
}

fn find(whole: &str) -> Result<Match, String> {
    match Matcher::new(&town().1, MatchOptions::default()).find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) => Ok(*m),
        Outcome::SetAside { reason, .. } => Err(reason),
    }
}

fn written(h: &House) -> String {
    let (locality, region, postcode) = TOWNS[h.town];
    format!("{} {}, {locality}, {region} {postcode}", h.number, h.street)
}

#[track_caller]
fn is_here(m: &Match, h: &House, text: &str) {
    assert_eq!(m.best.level, Level::AddressPoint, "{text}: {:?}", m.best);
    assert!((m.best.lon - h.lon).abs() < 1e-7 && (m.best.lat - h.lat).abs() < 1e-7, "{text}: {:?}", m.best);
}

#[test]
fn every_address_is_found_at_its_point_and_printed_so_that_it_is_found_again() {
    for h in &town().2 {
        let text = written(h);
        let m = find(&text).unwrap_or_else(|e| panic!("{text}: {e}"));
        is_here(&m, h, &text);
        assert_eq!((m.best.confidence, m.best.changes.len()), (100, 0), "{text}: {:?}", m.best.changes);
        let again = find(&m.best.address).unwrap_or_else(|e| panic!("{}: {e}", m.best.address));
        assert_eq!(again.best.address, m.best.address);
        is_here(&again, h, &m.best.address);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, max_global_rejects: 1_000_000, ..Default::default() })]
    #[test]
    fn one_slip_in_a_name_is_found_and_told(which in 0usize..448, kind in 0usize..4, at in 0usize..20, letter in 0u8..26) {
        let h = &town().2[which % town().2.len()];
        let name = h.street.rsplit_once(' ').unwrap().0;
        let letters: Vec<usize> = name.char_indices().filter(|(_, c)| c.is_ascii_alphabetic()).map(|(i, _)| i).collect();
        prop_assume!(letters.len() >= 5 && !name.bytes().any(|b| b.is_ascii_digit()) && !name.starts_with("St "));
        let i = letters[at % letters.len()];
        let mut bytes = name.as_bytes().to_vec();
        match kind {
            0 if i + 1 < bytes.len() && bytes[i + 1] != b' ' => bytes.swap(i, i + 1),
            1 => { bytes.remove(i); }
            2 => bytes.insert(i, bytes[i]),
            _ => bytes[i] = b'a' + letter,
        }
        let dirty = String::from_utf8(bytes).unwrap();
        // Another first letter makes another name of a short one: Perry is no misspelt Ferry.
        let is_short = !name.contains(' ') && letters.len() <= 5;
        prop_assume!(!(kind == 3 && i == 0 && is_short));
        prop_assume!(!dirty.starts_with(' ') && !dirty.starts_with("Ol ") && !dirty.ends_with(' ') && !dirty.contains("  "));
        let text = written(h).replacen(name, &dirty, 1);
        let m = match find(&text) { Ok(m) => m, Err(e) => return Err(TestCaseError::fail(format!("{text}: {e}"))) };
        prop_assert!(m.best.level == Level::AddressPoint && (m.best.lon - h.lon).abs() < 1e-7 && (m.best.lat - h.lat).abs() < 1e-7, "{text}: {:?}", m.best);
        if !dirty.eq_ignore_ascii_case(name) {
            prop_assert!(m.best.changes.iter().any(|c| c.contains("read as")), "{text}: {:?}", m.best.changes);
            prop_assert!(m.best.confidence < 100);
        }
    }

    #[test]
    fn what_is_left_when_parts_are_taken_away_is_still_found(which in 0usize..448, drop in 1usize..4) {
        let h = &town().2[which % town().2.len()];
        let (locality, region, postcode) = TOWNS[h.town];
        let text = match drop {
            1 => format!("{} {}, {locality}, {region}", h.number, h.street),
            2 => format!("{} {}, {postcode}", h.number, h.street),
            _ => format!("{} {}, {locality}", h.number, h.street),
        };
        match find(&text) {
            Ok(m) => is_here(&m, h, &text),
            Err(e) => return Err(TestCaseError::fail(format!("{text}: {e}"))),
        }
    }
}

#[test]
fn columns_in_any_subset() {
    let h = &town().2[0];
    let (locality, region, postcode) = TOWNS[h.town];
    let number = h.number.to_string();
    let full = AddressInput { number: &number, street: &h.street, locality, region, postcode, ..Default::default() };
    let matcher = Matcher::new(&town().1, MatchOptions::default());
    for (without, input) in [
        ("nothing", full),
        ("region", AddressInput { region: "", ..full }),
        ("postcode", AddressInput { postcode: "", ..full }),
        ("locality", AddressInput { locality: "", ..full }),
        ("region and locality", AddressInput { region: "", locality: "", ..full }),
    ] {
        match matcher.find(&input) {
            Outcome::Matched(m) => is_here(&m, h, without),
            Outcome::SetAside { reason, .. } => panic!("without {without}: {reason}"),
        }
    }
    let number_in_street = format!("{} {}", h.number, h.street);
    match matcher.find(&AddressInput { number: "", street: &number_in_street, unit: "B", ..full }) {
        Outcome::Matched(m) => assert!(m.best.address.contains(" Unit B,"), "{}", m.best.address),
        Outcome::SetAside { reason, .. } => panic!("{reason}"),
    }
}

#[test]
fn candidates_come_with_scores_best_first() {
    let m = find("100 Alder St, Ternport, OR 97981").unwrap();
    assert!(m.others.iter().all(|c| c.confidence <= m.best.confidence));
    let Outcome::SetAside { candidates, class, .. } = Matcher::new(&town().1, MatchOptions::default())
        .find(&AddressInput { whole: "100 Alder", ..Default::default() })
    else {
        panic!("four towns have an Alder with that number")
    };
    assert_eq!((class.name(), candidates.len()), ("several equal candidates", 4));
}

#[test]
fn ranges_with_sides_parity_and_directions() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let mut segment = |left, right, line: Vec<(f64, f64)>| {
        let e = SegmentEntry {
            street: "Levee Rd".into(),
            left,
            right,
            locality: ["Ternport".into(), "Ternport".into()],
            region: "OR".into(),
            postcode: ["97981".into(), "97982".into()],
            line,
            ..Default::default()
        };
        b.add(&Entry::Segment(e)).unwrap();
    };
    segment(Some((1, 99)), Some((2, 98)), vec![(-123.80, 46.20), (-123.79, 46.20)]);
    // Numbers that fall along the line, on one side only, of both parities.
    segment(None, Some((299, 200)), vec![(-123.79, 46.20), (-123.78, 46.20)]);
    b.add(&Entry::Place(PlaceEntry {
        name: "Ternport".into(),
        region: "OR".into(),
        lon: -123.8,
        lat: 46.2,
        ..Default::default()
    }))
    .unwrap();
    b.add(&Entry::Postcode(PostcodeEntry {
        postcode: "97981".into(),
        locality: "Ternport".into(),
        region: "OR".into(),
        lon: -123.8,
        lat: 46.2,
        ..Default::default()
    }))
    .unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("levee.reference");
    b.write(&path).unwrap();
    let r = Reference::open(&path).unwrap();
    let at = |n: u32, set_back_m: f64| match Matcher::new(&r, MatchOptions { set_back_m, ..Default::default() })
        .find(&AddressInput { whole: &format!("{n} Levee Rd, Ternport, OR"), ..Default::default() })
    {
        Outcome::Matched(m) => m.best,
        Outcome::SetAside { reason, .. } => panic!("{reason}"),
    };
    // The line goes east: left is north.
    let (odd, even) = (at(51, 10.0), at(50, 10.0));
    assert!(odd.lat > 46.2 && even.lat < 46.2);
    assert_eq!((odd.postcode.as_str(), even.postcode.as_str()), ("97981", "97982"));
    let off = (at(51, 25.0).lat - 46.2) * 111_320.0;
    assert!((off - 25.0).abs() < 0.01, "set back as asked: {off}");
    assert!(at(51, 10.0).lon < at(91, 10.0).lon);
    assert!(at(290, 10.0).lon < at(210, 10.0).lon, "descending along the line");
    assert_eq!(at(291, 10.0).level, Level::StreetRange, "a range of both parities holds odd numbers too");
    let outside = at(150, 10.0);
    assert_eq!(outside.level, Level::Street);
    assert_eq!(outside.changes, ["number 150 is not on this street; placed on it between 99 and 200"]);
    let description = r.describe();
    assert_eq!((description.segments, description.points, description.postcodes), (2, 0, 2));
    assert!(description.doubts.is_empty());
}

#[test]
fn overlapping_ranges_are_doubted_when_described() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    for (from, to) in [(1, 99), (51, 149)] {
        let e = SegmentEntry {
            street: "Levee Rd".into(),
            left: Some((from, to)),
            locality: ["Ternport".into(), "Ternport".into()],
            line: vec![(-123.8, 46.2), (-123.79, 46.2)],
            ..Default::default()
        };
        b.add(&Entry::Segment(e)).unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("levee.reference");
    b.write(&path).unwrap();
    let doubts = Reference::open(&path).unwrap().describe().doubts;
    assert_eq!(doubts, ["ranges overlap on Levee Rd in Ternport: 1–99 and 51–149"]);
}

#[test]
fn a_reference_can_be_replaced_while_it_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.reference");
    let build = |number: &str| {
        let mut b = Builder::new(&grammar::us::GRAMMAR);
        b.add(&Entry::Point(PointEntry {
            number: number.into(),
            street: "Heron Ln".into(),
            locality: "Ternport".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }))
        .unwrap();
        b.write(&path).unwrap();
    };
    build("12");
    let old = Reference::open(&path).unwrap();
    build("14");
    let level = |r: &Reference, n: u32| match Matcher::new(r, MatchOptions::default())
        .find(&AddressInput { whole: &format!("{n} Heron Ln, Ternport"), ..Default::default() })
    {
        Outcome::Matched(m) => m.best.level,
        Outcome::SetAside { reason, .. } => panic!("{reason}"),
    };
    assert_eq!(level(&old, 12), Level::AddressPoint, "the open one is what it was");
    assert_eq!(level(&Reference::open(&path).unwrap(), 14), Level::AddressPoint);
}

#[test]
fn units_of_one_building_share_its_point() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    for _ in 0..3 {
        b.add(&Entry::Point(PointEntry {
            number: "12".into(),
            street: "Heron Ln".into(),
            locality: "Ternport".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }))
        .unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.reference");
    b.write(&path).unwrap();
    assert_eq!(b.folded(), 2);
    let d = Reference::open(&path).unwrap().describe();
    assert_eq!((d.points, d.folded), (1, 2));
}

#[test]
fn an_empty_builder_writes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.reference");
    assert!(
        Builder::new(&grammar::us::GRAMMAR)
            .write(&path)
            .unwrap_err()
            .to_string()
            .contains("no row of the sources could be used")
    );
    assert!(!path.exists());
}

#[test]
fn a_source_without_regions_speaks_of_the_same_town() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let point = |number: &str, region: &str| {
        Entry::Point(PointEntry {
            number: number.into(),
            street: "Heron Ln".into(),
            locality: "Ternport".into(),
            region: region.into(),
            postcode: "97981".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        })
    };
    // Two towns of one name are not merged with a third that does not say which it is.
    let mill = |region: &str| {
        Entry::Place(PlaceEntry {
            name: "Mill Slough".into(),
            region: region.into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        })
    };
    for e in [point("14", ""), point("12", "OR"), mill("OR"), mill("WA"), mill("")] {
        b.add(&e).unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.reference");
    b.write(&path).unwrap();
    let r = Reference::open(&path).unwrap();
    let names: Vec<(String, String)> = r.describe().localities.into_iter().map(|l| (l.name, l.region)).collect();
    let pair = |a: &str, b: &str| (a.to_string(), b.to_string());
    assert_eq!(
        names,
        [pair("Ternport", "OR"), pair("Mill Slough", "OR"), pair("Mill Slough", "WA"), pair("Mill Slough", "")]
    );
    let d = r.describe();
    assert_eq!((d.streets, d.points), (1, 2), "one street with both houses");
    for text in ["14 Heron Ln, Ternport, OR 97981", "12 Heron Ln, Ternport", "Ternport"] {
        match Matcher::new(&r, MatchOptions::default()).find(&AddressInput { whole: text, ..Default::default() }) {
            Outcome::Matched(m) => assert!(m.best.address.contains("Ternport, OR"), "{text}: {}", m.best.address),
            Outcome::SetAside { reason, .. } => panic!("{text}: {reason}"),
        }
    }
}
