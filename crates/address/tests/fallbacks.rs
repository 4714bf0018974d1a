//! What becomes of an address whose street is not there, or that is to be placed coarsely: the postcode, the locality, the
//! region, or none of them where its parts contradict each other. Where each must lie is what the places of the reference say.

mod common;

use basilocus_address::reference::{PlaceEntry, PlaceKind, PostcodeEntry};
use basilocus_address::{
    AddressInput, Builder, Candidate, Entry, Level, MatchOptions, Matcher, Outcome, Reference, Unplaced, grammar,
};
use common::{house, written_one};
use std::sync::OnceLock;

/// Places with a name, a region, a position and how far what belongs to them reaches, metres.
const LOCALITIES: [(&str, &str, f64, f64, f64); 4] = [
    ("Ternport", "OR", -123.80, 46.20, 3_000.0),
    ("Graywater", "WA", -123.90, 46.30, 2_000.0),
    ("Mill Slough", "OR", -123.60, 46.10, 1_000.0),
    ("Mill Slough", "WA", -123.50, 46.40, 1_500.0),
];
const POSTCODES: [(&str, &str, &str, f64, f64); 4] = [
    ("97981", "Ternport", "OR", -123.81, 46.21),
    ("98981", "Graywater", "WA", -123.91, 46.31),
    ("97985", "Ternport", "OR", -123.65, 46.15),
    ("97985", "Mill Slough", "OR", -123.65, 46.15),
];
/// Landmarks of Ternport with another name and their longitude.
const LANDMARKS: [(&str, &str, f64); 2] =
    [("Ferry Meadow Park", "Harbor Green", -123.82), ("Tern Point Lighthouse", "", -123.83)];
const OREGON: (f64, f64) = (-120.5, 43.9);
const COUNTY: (f64, f64) = (-123.7, 46.15);

struct World {
    _folder: tempfile::TempDir,
    reference: Reference,
}

fn world() -> &'static Reference {
    static WORLD: OnceLock<World> = OnceLock::new();
    let made = WORLD.get_or_init(|| {
        let mut b = Builder::new(&grammar::us::GRAMMAR);
        for (name, region, lon, lat, radius_m) in LOCALITIES {
            let place = PlaceEntry {
                name: name.into(),
                region: region.into(),
                parent: "Estuary County".into(),
                lon,
                lat,
                radius_m: Some(radius_m),
                ..Default::default()
            };
            b.add(&Entry::Place(place)).unwrap();
        }
        for (kind, name, region, (lon, lat)) in
            [(PlaceKind::Region, "Oregon", "OR", OREGON), (PlaceKind::District, "Estuary County", "OR", COUNTY)]
        {
            let place = PlaceEntry { kind, name: name.into(), region: region.into(), lon, lat, ..Default::default() };
            b.add(&Entry::Place(place)).unwrap();
        }
        for (name, other, lon) in LANDMARKS {
            let place = PlaceEntry {
                kind: PlaceKind::Landmark,
                name: name.into(),
                other_names: vec![other.into()],
                locality: "Ternport".into(),
                region: "OR".into(),
                lon,
                lat: 46.22,
                ..Default::default()
            };
            b.add(&Entry::Place(place)).unwrap();
        }
        for (postcode, locality, region, lon, lat) in POSTCODES {
            let (postcode, locality, region) = (postcode.into(), locality.into(), region.into());
            b.add(&Entry::Postcode(PostcodeEntry { postcode, locality, region, lon, lat, ..Default::default() }))
                .unwrap();
        }
        for (number, street, locality, region, postcode, lon, lat) in [
            ("12", "Heron Ln", "Ternport", "OR", "97981", -123.805, 46.205),
            ("7", "Cormorant Dr", "Graywater", "WA", "98981", -123.905, 46.305),
            ("3", "Plover Ct", "Graywater", "WA", "98981", -123.906, 46.306),
            ("3", "Plover Dr", "Graywater", "WA", "", -123.916, 46.316),
            ("3", "Otter Way", "Mill Slough", "OR", "97983", -123.601, 46.101),
            ("3", "Otter Way", "Mill Slough", "WA", "98983", -123.501, 46.401),
        ] {
            b.add(&house([number, street], [locality, region, postcode], (lon, lat))).unwrap();
        }
        let (_folder, reference) = written_one(&mut b);
        World { reference, _folder }
    });
    &made.reference
}

fn find(text: &str, options: MatchOptions) -> Outcome {
    Matcher::new(world(), options).find(&AddressInput { whole: text, ..Default::default() })
}

/// The place that was found.
fn placed(text: &str, options: MatchOptions) -> Candidate {
    match find(text, options) {
        Outcome::Matched(m) => m.best,
        Outcome::SetAside { reason, .. } => panic!("{text}: {reason}"),
    }
}

/// Why there is none, and what is offered.
fn refused(text: &str, options: MatchOptions) -> (Unplaced, String, Vec<Candidate>) {
    match find(text, options) {
        Outcome::Matched(m) => panic!("{text} is {}", m.best.address),
        Outcome::SetAside { class, reason, candidates } => (class, reason, candidates),
    }
}

fn is_at(c: &Candidate, (lon, lat): (f64, f64)) -> bool {
    (c.lon - lon).abs() < 1e-6 && (c.lat - lat).abs() < 1e-6
}

fn finest(finest: Level) -> MatchOptions {
    MatchOptions { finest, coarsest: Level::Region, ..Default::default() }
}

#[test]
fn what_is_asked_for_coarsely_is_placed_there_and_says_so() {
    let house = "12 Heron Ln, Ternport, OR 97981";
    let c = placed(house, finest(Level::AddressPoint));
    assert!(c.level == Level::AddressPoint && is_at(&c, (-123.805, 46.205)) && c.changes.is_empty());
    let c = placed(house, finest(Level::Postcode));
    assert!(c.level == Level::Postcode && is_at(&c, (-123.81, 46.21)), "{c:?}");
    assert_eq!(c.changes, ["the street was not looked for: nothing finer than postcode was asked for"]);
    assert_eq!((c.locality.as_str(), c.region.as_str(), c.postcode.as_str()), ("Ternport", "OR", "97981"));
    assert_eq!((c.address.as_str(), c.parent.as_str()), ("Ternport, OR 97981", "Estuary County"));
    let c = placed(house, finest(Level::Locality));
    assert!(c.level == Level::Locality && is_at(&c, (-123.80, 46.20)), "{c:?}");
    assert_eq!((c.address.as_str(), c.postcode.as_str(), c.radius_m), ("Ternport, OR", "", 3_000.0));
    assert!(c.confidence >= 95, "nothing was looked for in vain: {}", c.confidence);
}

#[test]
fn a_street_that_is_not_there_leaves_the_postcode_then_the_locality_and_little_trust() {
    for (text, level, at) in [
        ("5 Sedge Rd, Ternport, OR 97981", Level::Postcode, (-123.81, 46.21)),
        ("5 Sedge Rd, Ternport, OR", Level::Locality, (-123.80, 46.20)),
        ("5 Sedge Rd, 97981", Level::Postcode, (-123.81, 46.21)),
    ] {
        let c = placed(text, finest(Level::AddressPoint));
        assert!(c.level == level && is_at(&c, at), "{text}: {c:?}");
        assert!(c.confidence <= 60, "{text}: {}", c.confidence);
        assert!(c.changes.iter().any(|t| t.starts_with("street \"Sedge\" is not in ")), "{text}: {:?}", c.changes);
    }
    // Where it is elsewhere, that is said.
    let c = placed("7 Cormorant Dr, Ternport, OR", finest(Level::AddressPoint));
    assert!(c.level == Level::Locality && c.changes[0].contains("(it is in Graywater)"), "{c:?}");
    // And of a crossing, both.
    let c = placed("Heron Ln & Sedge Rd, Ternport, OR", finest(Level::AddressPoint));
    assert!(c.changes.iter().any(|t| t == "no crossing of \"Heron & Sedge\" is in the reference"), "{:?}", c.changes);
}

#[test]
fn a_postcode_or_locality_that_nobody_knows_is_told_and_the_other_one_taken() {
    let c = placed("Ternport, OR 97999", finest(Level::AddressPoint));
    assert!(c.level == Level::Locality && is_at(&c, (-123.80, 46.20)), "{c:?}");
    assert_eq!(c.changes, ["postcode 97999 is not in the reference"]);
    let c = placed("Elsewhere, OR 97981", finest(Level::AddressPoint));
    assert!(c.level == Level::Postcode && is_at(&c, (-123.81, 46.21)), "{c:?}");
    assert_eq!(c.changes, ["locality \"Elsewhere\" is not in the reference"]);
    let c = placed("Trenport, OR 97981", finest(Level::AddressPoint));
    assert!(c.level == Level::Postcode && c.changes == ["locality \"Trenport\" read as \"Ternport\""], "{c:?}");
    let c = placed("Trenport, OR", finest(Level::AddressPoint));
    assert!(c.level == Level::Locality && c.changes == ["locality \"Trenport\" read as \"Ternport\""], "{c:?}");
    assert_eq!((c.confidence, placed("Ternport, OR", finest(Level::AddressPoint)).confidence), (99, 100));
}

/// A town alone, whose name is nearly that of one: letters that changed places make no other name, another letter does as often
/// as not, and then it is no more than to be looked at.
#[test]
fn a_town_that_is_nearly_one_is_trusted_by_the_kind_of_difference() {
    for (text, least, most) in [
        ("Ternnport, OR", 98, 99),
        ("Tenport, OR", 90, 98),
        ("Fernport, OR", 50, 79),
        ("Ternfort, OR", 50, 79),
        ("Graywatter, WA", 98, 99),
        ("Graywager, WA", 50, 79),
    ] {
        let c = placed(text, finest(Level::AddressPoint));
        assert!((least..=most).contains(&c.confidence), "{text}: {} for {}", c.confidence, c.address);
        assert!(c.changes[0].contains("read as"), "{:?}", c.changes);
        // In a table of which much is outside of the reference, another town is likelier than a slip.
        let outside = MatchOptions { trusts_near_names: false, ..finest(Level::AddressPoint) };
        match find(text, outside) {
            Outcome::Matched(m) => assert!(most > 79 && m.best.confidence >= least, "{text}"),
            Outcome::SetAside { class, candidates, .. } => {
                assert!(
                    most <= 79 && class == Unplaced::LocalityNotFound && !candidates.is_empty(),
                    "{text}: {class:?}"
                );
            }
        }
    }
    // A postcode that says the same settles it.
    let c = placed("Fernport, OR 97981", finest(Level::AddressPoint));
    assert!(c.level == Level::Postcode && c.confidence >= 95, "{c:?}");
}

/// A postcode alone is where it is; which of its localities is written is a guess, and that is said.
#[test]
fn of_a_postcode_of_several_localities_one_is_written() {
    let c = placed("97981", finest(Level::AddressPoint));
    assert!(c.level == Level::Postcode && c.changes.is_empty() && c.locality == "Ternport", "{c:?}");
    let c = placed("97985", finest(Level::AddressPoint));
    assert!(c.level == Level::Postcode && is_at(&c, (-123.65, 46.15)), "{c:?}");
    assert_eq!(c.changes, [format!("{} is one of 2 localities with the postcode 97985", c.locality)]);
    let c = placed("Ternport, OR 97985", finest(Level::AddressPoint));
    assert!(c.changes.is_empty() && c.locality == "Ternport", "{c:?}");
}

#[test]
fn parts_that_contradict_each_other_are_no_place_and_both_are_offered() {
    for (text, class, words, offered) in [
        (
            "5 Sedge Rd, Ternport, WA 97981",
            Unplaced::PostcodeAndRegion,
            "postcode 97981 is not in region WA (it is in OR)",
            &["Ternport, OR"][..],
        ),
        (
            "5 Sedge Rd, Graywater 97981",
            Unplaced::PostcodeAndLocality,
            "postcode 97981 is not in Graywater (it is in Ternport)",
            &["Graywater, WA", "Ternport, OR"],
        ),
        (
            "Graywater, OR",
            Unplaced::LocalityAndRegion,
            "Graywater is not in region OR (it is in WA)",
            &["Graywater, WA"],
        ),
    ] {
        let (found, reason, candidates) = refused(text, finest(Level::AddressPoint));
        assert!(found == class && found.is_contradiction(), "{text}: {found:?}");
        assert!(reason.contains(words) && reason.ends_with(": correct one of them"), "{text}: {reason}");
        let addresses: Vec<&str> = candidates.iter().map(|c| c.address.as_str()).collect();
        assert_eq!(addresses, offered, "{text}");
        assert!(candidates.iter().all(|c| c.confidence == 0), "nobody chose them");
    }
}

#[test]
fn of_several_localities_none_is_taken_unless_one_is_nearer_to_the_data() {
    let (class, reason, candidates) = refused("Mill Slough", finest(Level::AddressPoint));
    assert_eq!(class, Unplaced::SeveralEqual);
    assert!(!class.is_contradiction());
    assert!(
        reason.contains("Mill Slough, OR (Estuary County) | Mill Slough, WA (Estuary County)")
            && reason.ends_with("say the region or the postcode"),
        "{reason}"
    );
    assert_eq!(candidates.len(), 2);
    for (near, at) in [((-123.6, 46.0), (-123.60, 46.10)), ((-123.4, 46.5), (-123.50, 46.40))] {
        let c = placed("Mill Slough", MatchOptions { near: Some(near), ..finest(Level::AddressPoint) });
        assert!(is_at(&c, at), "{near:?}: {c:?}");
        assert_eq!(c.changes, ["the nearest of 2 equal candidates"], "a guess that is said");
    }
    // In the middle it says nothing.
    let middle = MatchOptions { near: Some((-123.55, 46.25)), ..finest(Level::AddressPoint) };
    assert_eq!(refused("Mill Slough", middle).0, Unplaced::SeveralEqual);
    // The region decides, and nothing is guessed.
    let c = placed("Mill Slough, WA", MatchOptions { near: Some((-123.6, 46.0)), ..finest(Level::AddressPoint) });
    assert!(is_at(&c, (-123.50, 46.40)) && c.changes.is_empty(), "{c:?}");
}

/// What equal candidates have in common is a place only where it is one: two towns of a name are two.
#[test]
fn a_second_pass_takes_none_of_two_towns_of_a_name() {
    let then = || MatchOptions { then: Some(Level::Locality), ..Default::default() };
    let (class, reason, candidates) = refused("Mill Slough", then());
    assert_eq!((class, candidates.len()), (Unplaced::SeveralEqual, 2), "{reason}");
    let (class, reason, _) = refused("3 Otter Way, Mill Slough", then());
    assert_eq!(class, Unplaced::SeveralEqual, "{reason}");
    // One town, in which two streets fit.
    let c = placed("3 Plover, Graywater, WA", then());
    assert!(c.level == Level::Locality && is_at(&c, (-123.90, 46.30)), "{c:?}");
    assert!(c.changes[0].starts_with("second pass, because several places fit equally well"), "{:?}", c.changes);
}

#[test]
fn a_district_or_region_is_placed_only_where_that_is_not_too_coarse() {
    let coarse = MatchOptions { coarsest: Level::Region, ..Default::default() };
    let c = placed("Estuary County, OR", coarse.clone());
    assert!(c.level == Level::Region && is_at(&c, COUNTY) && c.locality.is_empty(), "{c:?}");
    let c = placed("Elsewhere, OR", coarse.clone());
    assert!(c.level == Level::Region && is_at(&c, OREGON), "{c:?}");
    assert_eq!((c.address.as_str(), c.region.as_str()), ("Oregon", "OR"));
    // Else it is told what is too coarse, or not there.
    let (class, reason, candidates) = refused("Estuary County, OR", MatchOptions::default());
    assert_eq!(class, Unplaced::CoarserThanAsked);
    assert!(reason.contains("\"region\"") && reason.contains("\"locality\" or finer"), "{reason}");
    assert!(is_at(&candidates[0], COUNTY));
    let (class, reason, _) = refused("Elsewhere, OR", MatchOptions::default());
    assert_eq!(class, Unplaced::LocalityNotFound);
    assert!(reason.contains("locality \"Elsewhere\" is not in the reference"), "{reason}");
}

#[test]
fn what_has_nothing_to_fall_back_to_says_what_is_missing() {
    let (class, reason, _) = refused("5 Sedge Rd", MatchOptions::default());
    assert_eq!(class, Unplaced::StreetNotFound);
    assert!(reason.contains("street \"Sedge\" is not in the reference"), "{reason}");
    assert!(reason.ends_with("no locality or postcode to fall back to"), "{reason}");
    let (class, ..) = refused(" , ", MatchOptions::default());
    assert_eq!(class, Unplaced::NoAddress);
    let (class, reason, _) = refused("97999", MatchOptions::default());
    assert!(class == Unplaced::NothingToPlaceBy, "{class:?}: {reason}");
    assert!(reason.contains("postcode 97999 is not in the reference"), "{reason}");
    // Confidence that is asked for and not there is told with what there is.
    let sure = MatchOptions { min_confidence: 90, ..Default::default() };
    let (class, reason, candidates) = refused("5 Sedge Rd, Ternport, OR 97981", sure);
    assert_eq!((class, candidates[0].level), (Unplaced::ConfidenceTooLow, Level::Postcode));
    assert!(reason.contains("is below 90"), "{reason}");
}

/// "Perry Meadow Park" is as often another park as a slip.
#[test]
fn a_landmark_that_is_nearly_one_is_trusted_by_the_kind_of_difference() {
    for (text, lon, least, most) in [
        ("Ferry Meadow Park, Ternport, OR", -123.82, 95, 100),
        ("Harbor Green, Ternport, OR", -123.82, 95, 100),
        ("Tern Piont Lighthouse, Ternport, OR", -123.83, 90, 99),
        ("Tern Point Lighthose, Ternport, OR", -123.83, 90, 98),
        ("Perry Meadow Park, Ternport, OR", -123.82, 50, 79),
        ("Fern Point Lighthouse, Ternport, OR", -123.83, 50, 79),
    ] {
        let c = placed(text, finest(Level::AddressPoint));
        assert!(c.level == Level::Landmark && is_at(&c, (lon, 46.22)), "{text}: {c:?}");
        assert!((least..=most).contains(&c.confidence), "{text}: {}", c.confidence);
        // Where much is outside of the reference, it is not taken.
        let outside = MatchOptions { trusts_near_names: false, ..finest(Level::AddressPoint) };
        let is_taken = matches!(find(text, outside), Outcome::Matched(m) if m.best.level == Level::Landmark);
        assert_eq!(is_taken, most > 79, "{text}");
    }
}
