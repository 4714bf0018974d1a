//! The most that each kind of difference is trusted, as docs/geocoding.md says, each asked for as a user would.

use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Candidate, Entry, Level, MatchOptions, Matcher, Outcome, Reference};

/// A town with some streets, far enough from another one.
fn reference(folder: &std::path::Path) -> Reference {
    let mut b = Builder::of_country("US").unwrap();
    let town = |name: &str, postcode: &str, lon: f64| {
        let (name, region, lat) = (name.to_string(), "OR".to_string(), 46.2);
        let place = PlaceEntry { name: name.clone(), region: region.clone(), lon, lat, ..Default::default() };
        let postcode =
            PostcodeEntry { postcode: postcode.into(), locality: name, region, lon, lat, ..Default::default() };
        [Entry::Place(place), Entry::Postcode(postcode)]
    };
    for entry in town("Ternport", "97981", -123.8).into_iter().chain(town("Graywater", "97990", -122.8)) {
        b.add(&entry).unwrap();
    }
    let streets = [
        ("Washington Ave", 0.0, 100..=104),
        ("N Maple Grove Rd", 0.01, 100..=104),
        ("Heron Ln", 0.02, 100..=104),
        // Near by, without these numbers.
        ("Heron Ct", 0.021, 7..=9),
        ("Quarry Dr", 0.03, 100..=104),
    ];
    for (street, x, numbers) in streets {
        for number in numbers {
            let point = PointEntry {
                number: number.to_string(),
                unit: if street == "Quarry Dr" { format!("Apt {}", number - 90) } else { String::new() },
                street: street.into(),
                locality: "Ternport".into(),
                region: "OR".into(),
                postcode: "97981".into(),
                lon: -123.8 + x,
                lat: 46.2 + 0.001 * f64::from(number % 10),
                ..Default::default()
            };
            b.add(&Entry::Point(point)).unwrap();
        }
    }
    let path = folder.join("r");
    b.write(&path).unwrap();
    Reference::open(&path).unwrap()
}

fn placed(reference: &Reference, line: &str, trusts_near_names: bool) -> Candidate {
    let whole = format!("{line}, Ternport, OR 97981");
    let options = MatchOptions { trusts_near_names, ..Default::default() };
    match Matcher::new(reference, options).find(&AddressInput { whole: &whole, ..Default::default() }) {
        Outcome::Matched(m) => m.best,
        Outcome::SetAside { reason, .. } => panic!("{line}: {reason}"),
    }
}

#[test]
fn each_kind_of_difference() {
    let folder = tempfile::tempdir().unwrap();
    let r = reference(folder.path());
    for (line, confidence, why) in [
        ("100 Washington Ave", 100, "nothing differs"),
        ("100 Washington Avenue", 100, "written out"),
        ("100 Wahsington Ave", 99, "letters turned"),
        ("100 Washinggton Ave", 99, "one doubled"),
        ("100 Washigton Ave", 97, "a letter missing"),
        ("100 Washinrgton Ave", 97, "one too many"),
        ("100 N Washington Ave", 95, "a direction more"),
        ("100 Quarry Dr Apt 99", 95, "another unit"),
        ("100 Washington St", 79, "another type"),
        ("100 Wahsignton Ave", 79, "two slips"),
        ("100 S Maple Grove Rd", 78, "another direction"),
        ("100 Wathington Ave", 75, "another letter"),
        ("100 Washingtons Ave", 75, "an S more"),
        ("100 S Maple Grove Ct", 75, "type and direction"),
        ("100 Heron Ct", 70, "the type is on a street of the name near by"),
    ] {
        let best = placed(&r, line, true);
        assert_eq!((best.level, best.confidence), (Level::AddressPoint, confidence), "{line}: {why}, {best:?}");
        // What was changed is told, and only that.
        assert_eq!(best.changes.is_empty(), confidence == 100, "{line}: {best:?}");
        assert!(best.confidence <= best.most, "{line}: {best:?}");
    }
    // The right street without the number stands for itself; one that is nearly it does not.
    let best = placed(&r, "999 Washington Ave", true);
    assert_eq!((best.level, best.confidence), (Level::Street, 99), "{best:?}");
    for line in ["999 Washington St", "999 Wathington Ave", "999 S Maple Grove Rd", "100 Nowhere Rd"] {
        let best = placed(&r, line, true);
        assert_eq!((best.level, best.confidence), (Level::Postcode, 60), "{line}: {best:?}");
    }
}

/// In a table that has many addresses outside the reference, names that are nearly a street's are only offered.
#[test]
fn where_near_names_are_not_trusted() {
    let folder = tempfile::tempdir().unwrap();
    let r = reference(folder.path());
    for (line, level) in [
        ("100 Wahsington Ave", Level::AddressPoint),
        ("100 Washigton Ave", Level::AddressPoint),
        ("100 Washington St", Level::AddressPoint),
        ("100 Wathington Ave", Level::Postcode),
        ("100 Washingtons Ave", Level::Postcode),
    ] {
        assert_eq!(placed(&r, line, false).level, level, "{line}");
    }
}
