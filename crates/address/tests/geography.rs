//! Crossings, landmarks, neighbourhoods, regions, areas, what is near, and where results may lie.

use basilocus_address::nearest::metres;
use basilocus_address::reference::{AreaEntry, Parity, PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{
    AddressInput, Builder, Entry, Level, MatchOptions, Matcher, Outcome, Reference, Within, grammar,
};
use proptest::prelude::*;
use std::sync::OnceLock;

/// A folder, the reference in it, and the positions of its address points.
type Town = (tempfile::TempDir, Reference, Vec<(f64, f64)>);

/// Streets go east and north from a corner; one degree of latitude is some 111 km.
fn town() -> &'static Town {
    static TOWN: OnceLock<Town> = OnceLock::new();
    TOWN.get_or_init(|| {
        let mut b = Builder::new(&grammar::us::GRAMMAR);
        let mut points = Vec::new();
        for (t, (town, postcode)) in [("Ternport", "97981"), ("Graywater", "97990")].into_iter().enumerate() {
            let (x0, y0) = (-123.8 + 0.1 * t as f64, 46.2);
            for (street, across, dx, dy) in
                [("Heron Ln", 0.0, 0.0002, 0.0), ("Alder Ave", 0.004, 0.0002, 0.0), ("5th St", 0.0, 0.0, 0.0002)]
            {
                for i in 0..20u32 {
                    let (lon, lat) = (x0 + dx * f64::from(i), y0 + across + dy * f64::from(i));
                    points.push((lon, lat));
                    b.add(&Entry::Point(PointEntry {
                        number: (100 + 2 * i).to_string(),
                        street: street.into(),
                        locality: town.into(),
                        region: "OR".into(),
                        postcode: postcode.into(),
                        lon,
                        lat,
                        ..Default::default()
                    }))
                    .unwrap();
                }
            }
        }
        // Two streets known by their lines only; they cross.
        for (street, line) in [
            ("Levee Rd", vec![(-123.85, 46.2), (-123.84, 46.2)]),
            ("Mill Rd", vec![(-123.845, 46.195), (-123.845, 46.205)]),
        ] {
            b.add(&Entry::Segment(SegmentEntry {
                street: street.into(),
                left: Some((1, 99)),
                right: Some((2, 98)),
                parity: [Parity::Odd, Parity::Even],
                locality: ["Ternport".into(), "Graywater".into()],
                region: "OR".into(),
                postcode: ["97981".into(), "97990".into()],
                line,
            }))
            .unwrap();
        }
        let place = |name: &str, kind: PlaceKind, locality: &str, lon: f64| {
            Entry::Place(PlaceEntry {
                name: name.into(),
                kind,
                locality: locality.into(),
                region: "OR".into(),
                parent: "Lower Tern County".into(),
                lon,
                lat: 46.2,
                ..Default::default()
            })
        };
        for entry in [
            place("Ternport", PlaceKind::Locality, "", -123.8),
            place("Graywater", PlaceKind::Locality, "", -123.7),
            place("Slack Water", PlaceKind::Neighbourhood, "Ternport", -123.81),
            place("Tern Point Lighthouse", PlaceKind::Landmark, "Ternport", -123.82),
            place("Lower Tern County", PlaceKind::District, "", -123.75),
            place("Oregon", PlaceKind::Region, "", -121.0),
        ] {
            b.add(&entry).unwrap();
        }
        b.add(&Entry::Postcode(PostcodeEntry {
            postcode: "97981".into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }))
        .unwrap();
        let square = |w: f64, e: f64| vec![(w, 46.1), (e, 46.1), (e, 46.3), (w, 46.3), (w, 46.1)];
        for (name, ring) in [("West District", square(-123.9, -123.75)), ("East District", square(-123.75, -123.6))] {
            b.add(&Entry::Area(AreaEntry { attributes: vec![("district".into(), name.into())], rings: vec![ring] }))
                .unwrap();
        }
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("town.reference");
        b.write(&path).unwrap();
        let reference = Reference::open(&path).unwrap();
        reference.verify().unwrap();
        (folder, reference, points)
    })
}

fn show(text: &str, options: MatchOptions) -> String {
    match Matcher::new(&town().1, options).find(&AddressInput { whole: text, ..Default::default() }) {
        Outcome::Matched(m) => {
            let text = format!("{} | {} | {}", m.best.level.name(), m.best.address, m.best.changes.join("; "));
            text.trim_end_matches(" | ").to_string()
        }
        Outcome::SetAside { class, reason, .. } => format!("set aside, {class}: {reason}"),
    }
}

fn plain(text: &str) -> String {
    show(text, MatchOptions::default())
}

#[test]
fn crossings_landmarks_and_parts_of_localities() {
    insta::assert_snapshot!(plain("Heron Ln & 5th St, Ternport, OR"), @"crossing | Heron Ln & 5th St, Ternport, OR");
    insta::assert_snapshot!(plain("corner of Heron and Fifth, Ternport"), @"crossing | Heron Ln & 5th St, Ternport, OR | type Ln added; type St added");
    insta::assert_snapshot!(plain("Levee Rd and Mill Rd, Ternport"), @"crossing | Levee Rd & Mill Rd, Ternport, OR");
    insta::assert_snapshot!(plain("Heron Ln & Alder Ave, Ternport, OR"), @r#"locality | Ternport, OR | no crossing of "Heron & Alder" is in the reference"#);
    insta::assert_snapshot!(plain("Tern Point Lighthouse, Ternport"), @"landmark | Tern Point Lighthouse, Ternport, OR");
    insta::assert_snapshot!(plain("Tern Piont Lighthouse"), @r#"landmark | Tern Point Lighthouse, Ternport, OR | "Tern Piont Lighthouse" read as "Tern Point Lighthouse""#);
    insta::assert_snapshot!(plain("104 Heron Ln, Slack Water, OR"), @r#"address point | 104 Heron Ln, Ternport, OR 97981 | locality "Slack Water" is a part of Ternport"#);
    insta::assert_snapshot!(plain("Slack Water, OR"), @"locality | Slack Water, OR");
    insta::assert_snapshot!(plain("104 Heron Ln, Lower Tern County, OR 97990"), @r#"address point | 104 Heron Ln, Graywater, OR 97990 | locality "Lower Tern County" read as "Graywater", which lies in it"#);
    insta::assert_snapshot!(show("Lower Tern County, OR", MatchOptions { coarsest: Level::Region, ..Default::default() }), @"region | Lower Tern County, OR");
    insta::assert_snapshot!(show("12 Nowhere Rd, OR", MatchOptions { coarsest: Level::Region, ..Default::default() }), @r#"region | Oregon | street "Nowhere" is not in the reference"#);
}

#[test]
fn a_street_on_a_boundary_is_in_both_localities() {
    insta::assert_snapshot!(plain("51 Levee Rd, Ternport, OR"), @"street range | 51 Levee Rd, Ternport, OR 97981");
    insta::assert_snapshot!(plain("50 Levee Rd, Graywater, OR"), @"street range | 50 Levee Rd, Graywater, OR 97990");
    insta::assert_snapshot!(plain("50 Levee Rd, Ternport, OR"), @"street range | 50 Levee Rd, Ternport, OR 97981 | number 50 is on the side of 1–99, whose numbers are odd");
}

#[test]
fn numbers_between_others() {
    insta::assert_snapshot!(plain("104 Heron Ln, Ternport"), @"address point | 104 Heron Ln, Ternport, OR 97981");
    // Only even numbers are there; the odd side is not known.
    insta::assert_snapshot!(plain("105 Heron Ln, Ternport"), @"street | Heron Ln, Ternport, OR | number 105 is not on this street; placed on it between 104 and 106");
    insta::assert_snapshot!(plain("104-108 Heron Ln, Ternport"), @"address point | 104 Heron Ln, Ternport, OR 97981 | numbers 104–108 placed at 104");
    insta::assert_snapshot!(plain("900 Heron Ln, Ternport"), @"street | Heron Ln, Ternport, OR | number 900 is not on this street (nearest: 138); placed on the street");
}

#[test]
fn restricted_results() {
    let d = MatchOptions::default;
    insta::assert_snapshot!(plain("104 Heron Ln"), @"set aside, several equal candidates: several places fit equally well: 104 Heron Ln, Ternport, OR 97981 | 104 Heron Ln, Graywater, OR 97990; say the locality or the postcode, or the direction or type of the street");
    insta::assert_snapshot!(show("104 Heron Ln", MatchOptions { near: Some((-123.7, 46.2)), ..d() }), @"address point | 104 Heron Ln, Graywater, OR 97990 | the nearest of 2 equal candidates");
    let within = |w: Within| MatchOptions { within: Some(w), ..d() };
    let named = |n: &str| within(Within { names: vec![n.into()], ..Default::default() });
    insta::assert_snapshot!(show("104 Heron Ln", named("East District")), @"address point | 104 Heron Ln, Graywater, OR 97990");
    insta::assert_snapshot!(show("104 Heron Ln", named("ternport")), @"address point | 104 Heron Ln, Ternport, OR 97981");
    insta::assert_snapshot!(show("104 Heron Ln", named("Washington")), @"set aside, outside the area: its matches lie outside the area that results must be within");
    let bounds = within(Within { bounds: Some([-123.75, 46.0, -123.0, 47.0]), ..Default::default() });
    insta::assert_snapshot!(show("104 Heron Ln", bounds), @"address point | 104 Heron Ln, Graywater, OR 97990");
    insta::assert_snapshot!(show("104 Heron Ln, Ternport", MatchOptions { finest: Level::Street, ..d() }), @"street | Heron Ln, Ternport, OR");
    insta::assert_snapshot!(show("104 Heron Ln, Ternport, OR 97981", MatchOptions { finest: Level::Postcode, ..d() }), @"postcode | Ternport, OR 97981 | the street was not looked for: nothing finer than postcode was asked for");
}

/// Nothing is finer than what was asked for, whatever the address names.
#[test]
fn the_finest_level_holds_for_all() {
    let finest = |level| MatchOptions { finest: level, ..MatchOptions::default() };
    assert!(plain("Heron Ln & 5th St, Ternport, OR").starts_with("crossing"));
    assert!(show("Heron Ln & 5th St, Ternport, OR", finest(Level::Landmark)).starts_with("street | Heron Ln,"));
    assert!(show("Tern Point Lighthouse, Ternport", finest(Level::Street)).starts_with("locality"));
    for (level, name) in basilocus_address::matching::LEVELS {
        let options = MatchOptions { coarsest: Level::Region, ..finest(*level) };
        for text in [
            "104 Heron Ln, Ternport, OR 97981",
            "Heron Ln & 5th St, Ternport",
            "Tern Point Lighthouse, Ternport",
            "51 Levee Rd, Ternport",
        ] {
            match Matcher::new(&town().1, options.clone()).find(&AddressInput { whole: text, ..Default::default() }) {
                Outcome::Matched(m) => assert!(m.best.level >= *level, "{text} at {name}: {:?}", m.best),
                Outcome::SetAside { .. } => {}
            }
        }
    }
}

#[test]
fn a_second_pass_places_what_is_certain() {
    let then = |level| MatchOptions { coarsest: Level::StreetRange, then: Some(level), ..MatchOptions::default() };
    insta::assert_snapshot!(show("12 Nowhere Rd, Ternport, OR 97981", then(Level::Postcode)), @r#"postcode | Ternport, OR 97981 | second pass, because nothing finer was found; street "Nowhere" is not in Ternport"#);
    insta::assert_snapshot!(show("12 Nowhere Rd, Ternport, OR", then(Level::Postcode)), @r#"set aside, coarser than asked: placed at the level "locality" only (street "Nowhere" is not in Ternport); "street range" or finer was asked for"#);
    // Equal candidates in two localities share neither postcode nor locality.
    insta::assert_snapshot!(show("104 Heron Ln", then(Level::Locality)), @"set aside, several equal candidates: several places fit equally well: 104 Heron Ln, Ternport, OR 97981 | 104 Heron Ln, Graywater, OR 97990; say the locality or the postcode, or the direction or type of the street");
}

#[test]
fn the_areas_around_a_position() {
    let r = &town().1;
    assert_eq!(r.attributes_at(-123.8, 46.2), [("district".to_string(), "West District".to_string())]);
    assert_eq!(r.attributes_at(-123.65, 46.2)[0].1, "East District");
    assert!(r.attributes_at(-120.0, 46.2).is_empty());
    // On the line between two areas it is in exactly one of them.
    assert_eq!(r.attributes_at(-123.75, 46.2).len(), 1);
    assert_eq!(r.describe().areas, 2);
}

#[test]
fn the_side_and_number_of_a_street_that_is_near() {
    let n = town().1.nearest(-123.8475, 46.2003, 500.0).unwrap();
    assert_eq!((n.level, n.side.map(|s| s.name())), (Level::StreetRange, Some("left")));
    assert!(n.address.contains("Levee Rd"), "{}", n.address);
    assert!((n.distance_m - 33.4).abs() < 0.5, "{}", n.distance_m);
    assert!(town().1.nearest(-120.0, 40.0, 500.0).is_none());
}

proptest! {
    /// The nearest address point is that of a search through all of them.
    #[test]
    fn nearest_is_nearest(lon in -123.81f64..-123.69, lat in 46.195f64..46.215) {
        let (_, r, points) = town();
        let slow = points.iter().map(|p| metres((lon, lat), *p)).fold(f64::MAX, f64::min);
        let streets = r.nearest(lon, lat, 20_000.0).unwrap();
        // Streets known by their lines are west of all points.
        if streets.level == Level::AddressPoint {
            prop_assert!((streets.distance_m - slow).abs() < 1e-6, "{} {}", streets.distance_m, slow);
        } else {
            prop_assert!(streets.distance_m <= slow);
        }
        if slow > 1.0 {
            prop_assert!(r.nearest(lon, lat, slow.min(streets.distance_m) - 1.0).is_none());
        }
    }
}

/// A builder that keeps next to nothing in memory writes the same bytes as one that keeps all.
#[test]
fn temporary_files_make_no_difference() {
    let folder = tempfile::tempdir().unwrap();
    let write = |most: usize, name: &str| {
        let mut b = Builder::in_memory(&grammar::us::GRAMMAR, most);
        for i in 0..500u32 {
            b.add(&Entry::Point(PointEntry {
                number: (1 + i * 7 % 90).to_string(),
                street: ["Heron Ln", "Alder Ave", "5th St"][i as usize % 3].into(),
                locality: ["Ternport", "Graywater"][i as usize % 2].into(),
                region: "OR".into(),
                postcode: "97981".into(),
                lon: -123.8 + f64::from(i) * 1e-3,
                lat: 46.2,
                ..Default::default()
            }))
            .unwrap();
        }
        let path = folder.path().join(name);
        b.write(&path).unwrap();
        std::fs::read(path).unwrap()
    };
    assert!(write(7, "spilled") == write(100_000, "in-memory"));
}

#[test]
fn what_looks_wrong_is_told() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let mut point = |number: &str, lon: f64| {
        let p = PointEntry {
            number: number.into(),
            street: "Levee Rd".into(),
            locality: "Ternport".into(),
            lon,
            lat: 46.2,
            ..Default::default()
        };
        b.add(&Entry::Point(p)).unwrap();
    };
    point("12", -123.8);
    point("12", -123.8001);
    point("14", -123.8);
    point("14", -123.79);
    point("16", -123.7);
    let segment = SegmentEntry {
        street: "Levee Rd".into(),
        left: Some((1, 99)),
        locality: ["Ternport".into(), String::new()],
        line: vec![(-123.801, 46.2), (-123.79, 46.2)],
        ..Default::default()
    };
    b.add(&Entry::Segment(segment)).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("levee.reference");
    b.write(&path).unwrap();
    let d = Reference::open(&path).unwrap().describe();
    assert_eq!((d.points, d.folded), (4, 1), "two places 8 m apart are one");
    insta::assert_snapshot!(d.doubts.join("\n"), @r"
        number 16 of Levee Rd in Ternport is 6927 m from the line of its street
        number 14 of Levee Rd in Ternport is at two places, 770 m apart
        ");
}

#[test]
fn what_looks_wrong_is_told_worst_first() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let mut point = |number: u32, street: &str, locality: &str, (lon, lat): (f64, f64)| {
        let p = PointEntry {
            number: number.to_string(),
            street: street.into(),
            locality: locality.into(),
            region: "OR".into(),
            postcode: "97981".into(),
            lon,
            lat,
            ..Default::default()
        };
        b.add(&Entry::Point(p)).unwrap();
    };
    // Houses 20 m apart, one of which is 1.5 km away; and one of two numbers as far apart as a long block.
    for i in 0..10 {
        let lon = if i == 4 { -123.78 } else { -123.8 + 0.00026 * f64::from(i) };
        point(100 + 2 * i, "Heron Ln", "Ternport", (lon, 46.2));
    }
    point(200, "Heron Ln", "Ternport", (-123.79, 46.2));
    // A dozen that nobody measured.
    for i in 0..12 {
        point(1 + 2 * i, "Pond Rd", "Ternport", (-123.81, 46.21));
    }
    // One house of another town of that name.
    point(7, "Elk St", "Ternport", (-121.8, 44.2));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r");
    b.write(&path).unwrap();
    let d = Reference::open(&path).unwrap().describe();
    insta::assert_snapshot!(d.doubts.join("\n"), @r"
        what belongs to Ternport, OR lies up to 281 km from its middle: two places of one name, or a wrong one in it
        what has the postcode 97981 lies up to 282 km from its middle
        12 addresses are on one point, longitude -123.81 latitude 46.21, number 1 of Pond Rd in Ternport among them
        number 108 of Heron Ln in Ternport is out of order: 1479 m from number 106 and 1439 m from number 110, which are 40 m apart
        ");
    assert_eq!(d.more_doubts, 0);
}
