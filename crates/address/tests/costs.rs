//! What each disagreement costs, part by part: no cost changes unnoticed. That the costs are worth what they say is measured
//! elsewhere (docs/geocoding.md).

use basilocus_address::reference::{PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{AddressInput, Builder, Entry, MatchOptions, Matcher, Outcome, Reference};

fn place(name: &str, kind: PlaceKind, locality: &str, lon: f64) -> Entry {
    let parent = if kind == PlaceKind::Locality { "Tern County" } else { "" };
    Entry::Place(PlaceEntry {
        name: name.into(),
        kind,
        locality: locality.into(),
        region: "OR".into(),
        parent: parent.into(),
        lon,
        lat: 46.2,
        ..Default::default()
    })
}

/// Ternport with its streets, Heronby near by and Graywater far away.
fn reference(folder: &std::path::Path) -> Reference {
    let mut b = Builder::of_country("US").unwrap();
    let mut entries = vec![
        place("Ternport", PlaceKind::Locality, "", -123.8),
        place("Heronby", PlaceKind::Locality, "", -123.7),
        place("Graywater", PlaceKind::Locality, "", -121.8),
        place("Slack Water", PlaceKind::Neighbourhood, "Ternport", -123.81),
    ];
    for (code, locality, lon) in
        [("97981", "Ternport", -123.8), ("97470", "Heronby", -123.7), ("97990", "Graywater", -121.8)]
    {
        entries.push(Entry::Postcode(PostcodeEntry {
            postcode: code.into(),
            locality: locality.into(),
            region: "OR".into(),
            lon,
            lat: 46.2,
            ..Default::default()
        }));
    }
    let points = [
        ("Washington Ave", "100"),
        ("Washington Ave", "101A"),
        ("Washington Ave", "104"),
        ("Washington Ave", "112"),
        ("N Maple Grove Rd", "100"),
        ("Knight St", "100"),
        ("5th St", "100"),
        ("County Road 7", "100"),
        ("De La Paix St", "100"),
    ];
    for (i, (street, number)) in points.into_iter().enumerate() {
        entries.push(Entry::Point(PointEntry {
            number: number.into(),
            street: street.into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            postcode: "97981".into(),
            lon: -123.8,
            lat: 46.2 + 0.001 * i as f64,
            ..Default::default()
        }));
    }
    entries.push(Entry::Segment(SegmentEntry {
        street: "NE Levee Rd".into(),
        left: Some((1, 99)),
        locality: ["Ternport".into(), "Ternport".into()],
        region: "OR".into(),
        line: vec![(-123.8, 46.2), (-123.79, 46.21)],
        ..Default::default()
    }));
    entries.iter().for_each(|e| b.add(e).unwrap());
    let path = folder.join("r");
    b.write(&path).unwrap();
    Reference::open(&path).unwrap()
}

/// What an address comes to: its place, or the first that is offered.
fn cost(reference: &Reference, whole: &str) -> String {
    let best =
        match Matcher::new(reference, MatchOptions::default()).find(&AddressInput { whole, ..Default::default() }) {
            Outcome::Matched(m) => m.best,
            Outcome::SetAside { candidates, .. } => match candidates.into_iter().next() {
                Some(first) => first,
                None => return format!("{whole}: nothing"),
            },
        };
    format!("{whole}: {} {} [{}]", best.level.name(), best.confidence, best.parts)
}

#[test]
fn disagreements() {
    let folder = tempfile::tempdir().unwrap();
    let r = reference(folder.path());
    let all = |list: &[&str]| list.iter().map(|whole| cost(&r, whole)).collect::<Vec<_>>().join("\n");
    insta::assert_snapshot!(all(&[
        "100 Nite St, Ternport, OR 97981",
        "100 5 St, Ternport, OR 97981",
        "100 State Highway 7, Ternport, OR 97981",
        "100 Paix St, Ternport, OR 97981",
        "100 Washing Ave, Ternport, OR 97981",
        "100 Grove Maple Rd, Ternport, OR 97981",
        "100 Washington, Ternport, OR 97981",
        "100 Washington Ct, Ternport, OR 97981",
        "100 S Maple Grove Rd, Ternport, OR 97981",
        "100 Maple Grove Rd N, Ternport, OR 97981",
        "100 Maple Grove Rd, Ternport, OR 97981",
        "100 W Washington Ave, Ternport, OR 97981",
        "100 Lincoln Ave, Ternport, OR 97981",
    ]), @r"
    100 Nite St, Ternport, OR 97981: postcode 60 [name 20]
    100 5 St, Ternport, OR 97981: address point 99 [name 2]
    100 State Highway 7, Ternport, OR 97981: postcode 60 [name 20]
    100 Paix St, Ternport, OR 97981: postcode 60 [name 20]
    100 Washing Ave, Ternport, OR 97981: address point 75 [name 10]
    100 Grove Maple Rd, Ternport, OR 97981: address point 99 [name 4, direction 3]
    100 Washington, Ternport, OR 97981: address point 99 [type 2]
    100 Washington Ct, Ternport, OR 97981: address point 79 [type 8]
    100 S Maple Grove Rd, Ternport, OR 97981: address point 78 [direction 10]
    100 Maple Grove Rd N, Ternport, OR 97981: address point 99 [direction 2]
    100 Maple Grove Rd, Ternport, OR 97981: address point 99 [direction 3]
    100 W Washington Ave, Ternport, OR 97981: address point 95 [direction 5]
    100 Lincoln Ave, Ternport, OR 97981: postcode 60 [name 20]
    ");
    insta::assert_snapshot!(all(&[
        "100 Washington Ave, Turnporte, OR",
        "100 Washington Ave, Slack Water, OR 97981",
        "100 Washington Ave, Tern County, OR",
        "100 Washington Ave, 97981",
        "100 Washington Ave",
        "100 Washington Ave, 97990",
        "100 Washington Ave, Atlantis, OR 97981",
        "100 Washington Ave, Atlantis, OR",
        "100 Washington Ave, Heronby, OR 97981",
        "100 Washington Ave, Graywater, OR 97981",
        "100 Washington Ave, Heronby, OR",
        "100 Washington Ave, Graywater, OR",
        "100 Washington Ave, Ternport, WA 97981",
        "100 Washington Ave, Ternport, WA",
    ]), @r"
    100 Washington Ave, Turnporte, OR: address point 79 [locality 8]
    100 Washington Ave, Slack Water, OR 97981: address point 99 [locality 1]
    100 Washington Ave, Tern County, OR: address point 99 [locality 4]
    100 Washington Ave, 97981: address point 99 [locality 1]
    100 Washington Ave: address point 99 [locality 3]
    100 Washington Ave, 97990: address point 99 [locality 7, postcode 8]
    100 Washington Ave, Atlantis, OR 97981: address point 99 [locality 5]
    100 Washington Ave, Atlantis, OR: address point 40 [locality 26]
    100 Washington Ave, Heronby, OR 97981: address point 99 [locality 6]
    100 Washington Ave, Graywater, OR 97981: address point 99 [locality 10]
    100 Washington Ave, Heronby, OR: locality 60 [name 20]
    100 Washington Ave, Graywater, OR: locality 60 [name 20]
    100 Washington Ave, Ternport, WA 97981: address point 99 [region 11]
    100 Washington Ave, Ternport, WA: address point 40 [region 26]
    ");
    insta::assert_snapshot!(all(&[
        "100 Washington Ave, Ternport, OR 97982",
        "100 Washington Ave, Ternport, OR 97999",
        "100 Washington Ave, Ternport, OR 12345",
        "51 NE Levee Rd, Ternport, OR 97981",
        "50 NE Levee Rd, Ternport, OR",
        "101 Washington Ave, Ternport, OR 97981",
        "101B Washington Ave, Ternport, OR 97981",
        "100-104 Washington Ave, Ternport, OR 97981",
        "108 Washington Ave, Ternport, OR 97981",
        "Washington Ave, Ternport, OR 97981",
        "999 Washington Ave, Ternport, OR 97981",
    ]), @r"
    100 Washington Ave, Ternport, OR 97982: address point 99 [postcode 5]
    100 Washington Ave, Ternport, OR 97999: address point 99 [postcode 8]
    100 Washington Ave, Ternport, OR 12345: address point 99 [postcode 11]
    51 NE Levee Rd, Ternport, OR 97981: street range 99 [number 2, postcode 1]
    50 NE Levee Rd, Ternport, OR: street range 99 [number 11]
    101 Washington Ave, Ternport, OR 97981: address point 95 [number 3]
    101B Washington Ave, Ternport, OR 97981: address point 79 [number 7]
    100-104 Washington Ave, Ternport, OR 97981: address point 99 [number 1]
    108 Washington Ave, Ternport, OR 97981: street range 99 [number 6]
    Washington Ave, Ternport, OR 97981: street 99 [nothing differs]
    999 Washington Ave, Ternport, OR 97981: street 99 [number 9]
    ");
}
