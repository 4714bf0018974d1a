//! A reference brought up to date without the sources that it was built from.

use basilocus_address::reference::{AreaEntry, Older, PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{AddressInput, Builder, Entry, MatchOptions, Matcher, Outcome, Reference};
use std::path::Path;

fn point(number: &str, street: &str, lon: f64) -> PointEntry {
    PointEntry {
        number: number.into(),
        street: street.into(),
        unit: String::new(),
        locality: "Ternport".into(),
        region: "OR".into(),
        postcode: "97981-0012".into(),
        lon,
        lat: 46.2,
        accuracy_m: Some(5.0),
    }
}

fn old() -> Builder {
    let mut b = Builder::of_country("US").unwrap();
    let entries = [
        Entry::Place(PlaceEntry {
            name: "Ternport".into(),
            other_names: vec!["Port Tern".into()],
            region: "OR".into(),
            parent: "Tern County".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }),
        Entry::Place(PlaceEntry {
            name: "Riverside".into(),
            kind: PlaceKind::Neighbourhood,
            locality: "Ternport".into(),
            region: "OR".into(),
            lon: -123.81,
            lat: 46.21,
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
        Entry::Segment(SegmentEntry {
            street: "NE Levee Rd".into(),
            left: Some((1, 99)),
            right: Some((2, 98)),
            locality: ["Ternport".into(), "Ternport".into()],
            region: "OR".into(),
            line: vec![(-123.8, 46.2), (-123.79, 46.21)],
            ..Default::default()
        }),
        Entry::Area(AreaEntry {
            attributes: vec![("district".into(), "West".into())],
            rings: vec![vec![(-124.0, 46.0), (-123.0, 46.0), (-123.0, 47.0), (-124.0, 46.0)]],
        }),
    ];
    entries.iter().for_each(|e| b.add(e).unwrap());
    for (number, lon) in [("12", -123.8), ("12A", -123.8001), ("14", -123.801), ("16", -123.802)] {
        b.add(&Entry::Point(point(number, "Heron Ln", lon))).unwrap();
    }
    b
}

fn written(mut b: Builder, path: &Path) -> Vec<Reference> {
    b.write(path).unwrap();
    Reference::open_all(path).unwrap()
}

fn lon(reference: &Reference, whole: &str) -> Option<f64> {
    let matcher = Matcher::new(reference, MatchOptions::default());
    match matcher.find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) if m.best.level <= basilocus_address::Level::StreetRange => Some(m.best.lon),
        _ => None,
    }
}

#[test]
fn an_update_with_nothing_says_the_same() {
    let folder = tempfile::tempdir().unwrap();
    let before = written(old(), &folder.path().join("old"));
    let mut b = Builder::of_country("US").unwrap();
    b.begin_update(&before).unwrap();
    assert_eq!(b.finish_update(&before).unwrap(), Older { kept: 5, replaced: 0, withdrawn: 0 });
    let after = written(b, &folder.path().join("new"));
    let (x, y) = (before[0].describe(), after[0].describe());
    assert_eq!(
        (x.points, x.segments, x.streets, x.postcodes, x.areas, x.places, x.localities),
        (y.points, y.segments, y.streets, y.postcodes, y.areas, y.places, y.localities)
    );
    for text in ["12A Heron Ln, Port Tern", "51 NE Levee Rd, Ternport", "14 Heron Lane, Riverside"] {
        let found = |r: &Reference| {
            let options = MatchOptions { others: 0, ..Default::default() };
            match Matcher::new(r, options).find(&AddressInput { whole: text, ..Default::default() }) {
                Outcome::Matched(m) => m.best,
                Outcome::SetAside { reason, .. } => panic!("{text}: {reason}"),
            }
        };
        assert_eq!(found(&before[0]), found(&after[0]), "{text}");
    }
    assert_eq!(after[0].attributes_at(-123.3, 46.2), before[0].attributes_at(-123.3, 46.2));
}

#[test]
fn newer_rows_replace_and_withdrawn_ones_go() {
    let folder = tempfile::tempdir().unwrap();
    let before = written(old(), &folder.path().join("old"));
    let mut b = Builder::of_country("US").unwrap();
    b.begin_update(&before).unwrap();
    b.add(&Entry::Point(point("14", "Heron Lane", -123.9))).unwrap();
    b.add(&Entry::Point(point("18", "Heron Ln", -123.803))).unwrap();
    let gone = b.withdraw("US", &point("16", "Heron Ln", 0.0)).unwrap();
    let never = b.withdraw("", &point("99", "Heron Ln", 0.0)).unwrap();
    assert!(b.withdraw("", &point("?", "Heron Ln", 0.0)).is_err());
    assert_eq!(b.finish_update(&before).unwrap(), Older { kept: 3, replaced: 1, withdrawn: 1 });
    assert_eq!((b.had(&gone), b.had(&never)), (true, false));
    let after = written(b, &folder.path().join("new"));
    assert_eq!(lon(&after[0], "12 Heron Ln, Ternport"), Some(-123.8));
    assert_eq!(lon(&after[0], "14 Heron Ln, Ternport"), Some(-123.9), "the newer place");
    assert_eq!(lon(&after[0], "18 Heron Ln, Ternport"), Some(-123.803));
    assert!(lon(&after[0], "16 Heron Ln, Ternport").is_none_or(|x| x != -123.802), "withdrawn");
}

/// What a source said of the size of a place or postcode holds through updates; what it did not say is found anew.
#[test]
fn radii_that_a_source_said_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let said = |name: &str, radius_m| {
        let place = PlaceEntry {
            name: name.into(),
            region: "OR".into(),
            lon: -123.2,
            lat: 46.2,
            radius_m,
            ..Default::default()
        };
        Entry::Place(place)
    };
    let postcode = |code: &str, lon, radius_m| {
        Entry::Postcode(PostcodeEntry {
            postcode: code.into(),
            region: "OR".into(),
            lon,
            lat: 46.2,
            radius_m,
            ..Default::default()
        })
    };
    let radius = |reference: &Reference, whole: &str| {
        let options = MatchOptions { others: 0, ..Default::default() };
        match Matcher::new(reference, options).find(&AddressInput { whole, ..Default::default() }) {
            Outcome::Matched(m) => m.best.radius_m,
            Outcome::SetAside { reason, .. } => panic!("{whole}: {reason}"),
        }
    };
    let radii =
        |r: &[Reference]| ["Heronby, OR", "Ternport, OR", "OR 97999", "OR 97981"].map(|whole| radius(&r[0], whole));
    let mut b = old();
    b.add(&said("Heronby", Some(4_321.0))).unwrap();
    b.add(&postcode("97999", -123.1, Some(1_234.0))).unwrap();
    let before = written(b, &folder.path().join("old"));
    let first = radii(&before);
    assert_eq!((first[0], first[2]), (4_321.0, 1_234.0));
    // Farther from the middle than anything before: what was found grows, what was said does not.
    let far = Entry::Point(PointEntry { lat: 46.5, ..point("7", "Far Ln", -123.8) });
    let mut files = before;
    for turn in ["one", "two"] {
        let mut b = Builder::of_country("US").unwrap();
        b.begin_update(&files).unwrap();
        b.add(&far).unwrap();
        b.finish_update(&files).unwrap();
        files = written(b, &folder.path().join(turn));
        let now = radii(&files);
        assert_eq!((now[0], now[2]), (4_321.0, 1_234.0), "{turn}");
        assert!(now[1] > 33_000.0 && now[1] > first[1] && now[3] > first[3], "{turn}: {now:?} {first:?}");
    }
    // A newer source says what none had said.
    let mut b = Builder::of_country("US").unwrap();
    b.begin_update(&files).unwrap();
    b.add(&said("Heronby", None)).unwrap();
    b.add(&postcode("97981", -123.8, Some(777.0))).unwrap();
    b.finish_update(&files).unwrap();
    let now = radii(&written(b, &folder.path().join("three")));
    assert_eq!((now[0], now[3]), (4_321.0, 777.0));
}
