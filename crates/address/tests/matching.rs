//! A small town, matched in every way.

mod common;

use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry, SegmentEntry};
use basilocus_address::{AddressInput, Builder, Entry, Level, MatchOptions, Matcher, Outcome, Reference, grammar};
use common::{house, written_one};

fn town() -> (tempfile::TempDir, Reference) {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let mut point = |number: &str, street: &str, locality: &str, region: &str, postcode: &str, lon: f64, lat: f64| {
        b.add(&house([number, street], [locality, region, postcode], (lon, lat))).unwrap();
    };
    for i in 0..10u32 {
        let n = (100 + 2 * i).to_string();
        point(&n, "NE Maple Ave", "Ternport", "OR", "97981-0001", -123.80 + f64::from(i) * 1e-4, 46.20);
        point(&n, "Heron Lane", "Ternport", "OR", "97981", -123.81, 46.21 + f64::from(i) * 1e-4);
        point(&n, "Heron Lane", "Graywater", "WA", "98981", -123.90, 46.30 + f64::from(i) * 1e-4);
    }
    point("12A", "5th Street", "Ternport", "OR", "97981", -123.805, 46.205);
    point("7", "Cormorant Drive", "Graywater", "WA", "98981", -123.91, 46.31);
    b.add(&Entry::Segment(SegmentEntry {
        street: "Alder Court".into(),
        left: Some((101, 199)),
        right: Some((100, 198)),
        locality: ["Ternport".into(), "Ternport".into()],
        region: "OR".into(),
        postcode: ["97981".into(), "97981".into()],
        line: vec![(-123.82, 46.20), (-123.82, 46.21)],
        ..Default::default()
    }))
    .unwrap();
    for (code, locality, region, lon, lat) in [
        ("97981", "Ternport", "OR", -123.805, 46.205),
        ("98981", "Graywater", "WA", -123.9, 46.3),
        ("09817", "Heron Landing", "WA", -123.95, 46.35),
    ] {
        b.add(&Entry::Postcode(PostcodeEntry {
            postcode: code.into(),
            locality: locality.into(),
            region: region.into(),
            lon,
            lat,
            ..Default::default()
        }))
        .unwrap();
    }
    for (name, other, region) in [
        ("Ternport", "Tern Harbor", "OR"),
        ("Graywater", "", "WA"),
        ("Mill Slough", "", "OR"),
        ("Mill Slough", "", "WA"),
    ] {
        b.add(&Entry::Place(PlaceEntry {
            name: name.into(),
            other_names: vec![other.into()],
            region: region.into(),
            parent: "Estuary County".into(),
            lon: -123.8,
            lat: 46.2,
            ..Default::default()
        }))
        .unwrap();
    }
    let (folder, reference) = written_one(&mut b);
    reference.verify().unwrap();
    (folder, reference)
}

fn show(reference: &Reference, text: &str) -> String {
    show_with(reference, text, MatchOptions::default())
}

fn show_with(reference: &Reference, text: &str, options: MatchOptions) -> String {
    match Matcher::new(reference, options).find(&AddressInput { whole: text, ..Default::default() }) {
        Outcome::Matched(m) => format!(
            "{} {} | {} | {}",
            m.best.level.name(),
            m.best.confidence,
            m.best.address,
            m.best.changes.join("; ")
        ),
        Outcome::SetAside { class, reason, .. } => format!("set aside, {class}: {reason}"),
    }
}

#[test]
fn levels_and_changes() {
    let (_folder, r) = town();
    let s = |text| show(&r, text);
    insta::assert_snapshot!(s("104 NE Maple Avenue, Ternport, OR 97981"), @"address point 100 | 104 NE Maple Ave, Ternport, OR 97981 |");
    insta::assert_snapshot!(s("104 NE Mpale Av Apt 3, Ternport, OR 97981"), @r#"address point 99 | 104 NE Maple Ave Apt 3, Ternport, OR 97981 | "Mpale" read as "Maple""#);
    insta::assert_snapshot!(s("104 maple ave ternport or 97981"), @"address point 99 | 104 NE Maple Ave, Ternport, OR 97981 | direction NE before the name added");
    insta::assert_snapshot!(s("104 Maple Ave NE, Ternport, OR"), @"address point 99 | 104 NE Maple Ave, Ternport, OR 97981 | direction NE after the name read as NE before");
    insta::assert_snapshot!(s("104 Heron St, Ternport, OR 97981"), @"address point 79 | 104 Heron Ln, Ternport, OR 97981 | type St read as Ln");
    insta::assert_snapshot!(s("104 Heron Ln, Trenport, OR 97981"), @r#"address point 99 | 104 Heron Ln, Ternport, OR 97981 | locality "Trenport" read as "Ternport""#);
    insta::assert_snapshot!(s("104 Heron Ln, Tern Harbor, OR"), @"address point 100 | 104 Heron Ln, Ternport, OR 97981 |");
    insta::assert_snapshot!(s("104 Heron Ln, 97981"), @"address point 99 | 104 Heron Ln, Ternport, OR 97981 |");
    insta::assert_snapshot!(s("104 Heron Ln, Ternport, OR 97982"), @"address point 99 | 104 Heron Ln, Ternport, OR 97981 | postcode 97982 read as 97981");
    insta::assert_snapshot!(s("12 Fifth St, Ternport, OR"), @"address point 95 | 12A 5th St, Ternport, OR 97981 | number 12 read as 12A");
    insta::assert_snapshot!(s("150 Alder Ct, Ternport, OR"), @"street range 99 | 150 Alder Ct, Ternport, OR 97981 |");
    insta::assert_snapshot!(s("900 Alder Ct, Ternport, OR"), @"street 99 | Alder Ct, Ternport, OR | number 900 is not on this street (nearest: 101–199, 100–198); placed on the street");
    insta::assert_snapshot!(s("Alder Court, Ternport, OR"), @"street 99 | Alder Ct, Ternport, OR | no house number: placed on the street");
    insta::assert_snapshot!(s("5 Nowhere Rd, Ternport, OR 97981"), @r#"postcode 60 | Ternport, OR 97981 | street "Nowhere" is not in Ternport"#);
    insta::assert_snapshot!(s("PO Box 9, Ternport, OR 97981"), @"postcode 100 | Ternport, OR 97981 | post box or rural route: placed no finer than the postcode");
    insta::assert_snapshot!(s("7 Cormorant Dr, Ternport, OR"), @r#"locality 60 | Ternport, OR | street "Cormorant" is not in Ternport (it is in Graywater)"#);
    insta::assert_snapshot!(s("Heron Landing, WA 9817"), @"postcode 100 | Heron Landing, WA 09817 | postcode 9817 read as 09817");
    insta::assert_snapshot!(s("Ternport, OR"), @"locality 100 | Ternport, OR |");
}

#[test]
fn reasons_name_the_part_that_disagrees() {
    let (_folder, r) = town();
    let s = |text| show(&r, text);
    insta::assert_snapshot!(s("104 Heron Ln"), @"set aside, several equal candidates: several places fit equally well: 104 Heron Ln, Ternport, OR 97981 | 104 Heron Ln, Graywater, WA 98981; say the locality or the postcode, or the direction or type of the street");
    insta::assert_snapshot!(s("5 Nowhere Rd, Ternport, WA 97981"), @r#"set aside, postcode and region disagree: street "Nowhere" is not in Ternport; postcode 97981 is not in region WA (it is in OR): correct one of them"#);
    insta::assert_snapshot!(s("5 Nowhere Rd, Graywater, 97981"), @r#"set aside, postcode and locality disagree: street "Nowhere" is not in Graywater; postcode 97981 is not in Graywater (it is in Ternport): correct one of them"#);
    insta::assert_snapshot!(s("Atlantis, OR"), @r#"set aside, locality not found: locality "Atlantis" is not in the reference"#);
    insta::assert_snapshot!(s("Mill Slough"), @"set aside, several equal candidates: several localities fit: Mill Slough, OR (Estuary County) | Mill Slough, WA (Estuary County); say the region or the postcode");
    insta::assert_snapshot!(s("Graywater, OR"), @"set aside, locality and region disagree: Graywater is not in region OR (it is in WA): correct one of them");
    insta::assert_snapshot!(s(" , "), @"set aside, no address: no address: a street, locality or postcode is expected");
    let fine = MatchOptions { coarsest: Level::Street, ..Default::default() };
    insta::assert_snapshot!(show_with(&r, "5 Nowhere Rd, Ternport, OR 97981", fine), @r#"set aside, coarser than asked: placed at the level "postcode" only (street "Nowhere" is not in Ternport); "street" or finer was asked for"#);
    let sure = MatchOptions { min_confidence: 100, ..Default::default() };
    insta::assert_snapshot!(show_with(&r, "104 Heron St, Ternport, OR 97981", sure), @"set aside, confidence too low: confidence 79 for 104 Heron Ln, Ternport, OR 97981 is below 100: type St read as Ln");
}

#[test]
fn range_positions_are_on_their_side() {
    let (_folder, r) = town();
    let at = |n: u32| match Matcher::new(&r, MatchOptions::default())
        .find(&AddressInput { whole: &format!("{n} Alder Ct, Ternport, OR"), ..Default::default() })
    {
        Outcome::Matched(m) => (m.best.lon, m.best.lat),
        other => panic!("{other:?}"),
    };
    // The line goes north: odd numbers are left, to the west.
    assert!(at(151).0 < -123.82 && at(150).0 > -123.82);
    assert!(at(110).1 < at(190).1);
}

#[test]
fn odd_texts_get_a_reason_and_no_panic() {
    let (_folder, r) = town();
    let long = "x".repeat(10_000);
    for text in [
        "",
        "🐟🐟",
        "الشارع 12",
        "١٢",
        &long,
        ",,,,",
        "#",
        "1",
        "-1",
        "99999999999 Heron Ln, Ternport",
        "OR",
        "N",
        "USA",
    ] {
        assert!(!show(&r, text).is_empty());
    }
}

#[test]
fn damaged_and_foreign_files_are_refused() {
    let (folder, r) = town();
    let bytes = std::fs::read(r.path()).unwrap();
    let path = folder.path().join("other");
    let open = |bytes: &[u8]| {
        std::fs::write(&path, bytes).unwrap();
        Reference::open(&path).and_then(|r| r.verify()).unwrap_err().to_string()
    };
    assert!(open(b"name,city\n").contains("is not an address reference"));
    assert!(open(&bytes[..bytes.len() / 2]).contains("damaged"));
    let mut flipped = bytes.clone();
    *flipped.last_mut().unwrap() ^= 1;
    assert!(open(&flipped).contains("checksum"));
    let mut newer = bytes.clone();
    newer[8] = 9;
    assert!(open(&newer).contains("version 9"));
    // Flipped bytes anywhere never lead outside the map.
    for i in (24..bytes.len()).step_by(5) {
        let mut b = bytes.clone();
        b[i] ^= 0xA5;
        std::fs::write(&path, &b).unwrap();
        if let Ok(r) = Reference::open(&path) {
            let _ = show(&r, "104 NE Maple Ave, Ternport, OR 97981");
            let _ = show(&r, "151 Alder Ct, Ternport, OR");
        }
    }
}

#[test]
fn rows_that_cannot_be_used_say_why() {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    let bad = |b: &mut Builder, number: &str, street: &str, locality: &str, lat: f64| {
        b.add(&Entry::Point(PointEntry {
            number: number.into(),
            street: street.into(),
            locality: locality.into(),
            lat,
            ..Default::default()
        }))
        .unwrap_err()
    };
    assert!(bad(&mut b, "12", "Heron Ln", "Ternport", 95.0).to_string().contains("latitude"));
    assert!(bad(&mut b, "x", "Heron Ln", "Ternport", 45.0).to_string().contains("house number"));
    assert!(bad(&mut b, "12", "", "Ternport", 45.0).to_string().contains("street name"));
    assert!(bad(&mut b, "12", "Heron Ln", "", 45.0).to_string().contains("locality"));
}
