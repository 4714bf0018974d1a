//! Units in a reference: found, told apart, kept by updates.

use basilocus_address::reference::PointEntry;
use basilocus_address::{AddressInput, Builder, Entry, MatchOptions, Matcher, Outcome, Reference, grammar};
use std::path::Path;

fn house(number: &str, unit: &str, lon: f64) -> Entry {
    Entry::Point(PointEntry {
        number: number.into(),
        street: "Heron Ln".into(),
        unit: unit.into(),
        locality: "Ternport".into(),
        region: "OR".into(),
        postcode: "97981".into(),
        lon,
        lat: 46.2,
        ..Default::default()
    })
}

fn rows() -> Vec<Entry> {
    vec![
        // One building: its units 8 m apart.
        house("12", "APT 1", -123.8),
        house("12", "Apt 2B", -123.8001),
        house("12", "Apt 2B", -123.8001),
        house("12", "3", -123.8002),
        // A site with two buildings of one number, and its office.
        house("40", "Unit 1", -123.81),
        house("40", "Unit 2", -123.81),
        house("40", "Unit 7", -123.815),
        house("44", "", -123.82),
        house("44", "Bldg C", -123.825),
        // No units known.
        house("50", "", -123.83),
    ]
}

fn written(mut b: Builder, path: &Path) -> Vec<Reference> {
    b.write(path).unwrap();
    Reference::open_all(path).unwrap()
}

fn built(path: &Path) -> Vec<Reference> {
    let mut b = Builder::new(&grammar::us::GRAMMAR);
    rows().iter().for_each(|e| b.add(e).unwrap());
    written(b, path)
}

fn found(reference: &Reference, whole: &str) -> String {
    let matcher = Matcher::new(reference, MatchOptions::default());
    match matcher.find(&AddressInput { whole, ..Default::default() }) {
        Outcome::Matched(m) => {
            let best = m.best;
            let changes = best.changes.iter().map(|c| format!(" | {c}")).collect::<String>();
            format!("{:.4} {} | {}{changes}", best.lon, best.confidence, best.address)
        }
        Outcome::SetAside { reason, .. } => reason,
    }
}

#[test]
fn a_unit_is_found_where_the_reference_has_it() {
    let folder = tempfile::tempdir().unwrap();
    let reference = &built(&folder.path().join("r"))[0];
    let said = |text: &str| found(reference, &format!("{text}, Ternport, OR 97981"));
    let texts = [
        "12 Heron Ln Apt 2b",
        "12 Heron Ln Apt 1",
        "12 Heron Ln #1",
        "12 Heron Ln Apt 3",
        "12 Heron Ln",
        "12 Heron Ln Apt 9",
        "40 Heron Ln Unit 7",
        "40 Heron Ln #2",
        "40 Heron Ln",
        "44 Heron Ln",
        "44 Heron Ln Bldg C",
        "50 Heron Ln Apt 4",
    ];
    insta::assert_snapshot!(texts.map(said).join("\n"), @r##"
        -123.8001 100 | 12 Heron Ln Apt 2B, Ternport, OR 97981
        -123.8000 100 | 12 Heron Ln Apt 1, Ternport, OR 97981
        -123.8000 100 | 12 Heron Ln Apt 1, Ternport, OR 97981 | "# 1" read as "Apt 1"
        -123.8002 100 | 12 Heron Ln Unit 3, Ternport, OR 97981 | "Apt 3" read as "Unit 3"
        -123.8000 100 | 12 Heron Ln, Ternport, OR 97981
        -123.8000 95 | 12 Heron Ln, Ternport, OR 97981 | "Apt 9" is not in the reference, which has Apt 1, Apt 2B, Unit 3 there
        -123.8150 100 | 40 Heron Ln Unit 7, Ternport, OR 97981
        -123.8100 100 | 40 Heron Ln Unit 2, Ternport, OR 97981 | "# 2" read as "Unit 2"
        several places fit equally well: 40 Heron Ln Unit 7, Ternport, OR 97981 | 40 Heron Ln Unit 1 to Unit 2, Ternport, OR 97981; say the unit
        -123.8200 100 | 44 Heron Ln, Ternport, OR 97981
        -123.8250 100 | 44 Heron Ln Bldg C, Ternport, OR 97981
        -123.8300 100 | 50 Heron Ln Apt 4, Ternport, OR 97981
        "##);
}

#[test]
fn a_description_counts_units_and_does_not_take_them_for_faults() {
    let folder = tempfile::tempdir().unwrap();
    let d = built(&folder.path().join("r"))[0].describe();
    assert_eq!((d.points, d.units, d.folded, d.doubts), (6, 7, 1, Vec::new()));
}

#[test]
fn updates_keep_replace_and_withdraw_units_one_by_one() {
    let folder = tempfile::tempdir().unwrap();
    let before = built(&folder.path().join("old"));
    let mut b = Builder::of_country("US").unwrap();
    b.begin_update(&before).unwrap();
    b.add(&house("12", "Apt 2B", -123.80015)).unwrap();
    b.add(&house("12", "Apt 4", -123.8003)).unwrap();
    let Entry::Point(gone) = house("12", "Apt 1", 0.0) else { unreachable!() };
    let gone = b.withdraw("", &gone).unwrap();
    let Entry::Point(site) = house("40", "Unit 7", 0.0) else { unreachable!() };
    let site = b.withdraw("", &site).unwrap();
    b.finish_update(&before).unwrap();
    assert!(b.had(&gone) && b.had(&site));
    let after = &written(b, &folder.path().join("new"))[0];
    let said = |text: &str| found(after, &format!("{text}, Ternport, OR 97981"));
    let texts = ["12 Heron Ln Apt 2B", "12 Heron Ln Apt 4", "12 Heron Ln Apt 1", "40 Heron Ln Unit 7", "40 Heron Ln"];
    insta::assert_snapshot!(texts.map(said).join("\n"), @r#"
        -123.8002 100 | 12 Heron Ln Apt 2B, Ternport, OR 97981
        -123.8003 100 | 12 Heron Ln Apt 4, Ternport, OR 97981
        -123.8002 95 | 12 Heron Ln, Ternport, OR 97981 | "Apt 1" is not in the reference, which has Apt 2B, Apt 4, Unit 3 there
        -123.8100 95 | 40 Heron Ln, Ternport, OR 97981 | "Unit 7" is not in the reference, which has Unit 1, Unit 2 there
        -123.8100 100 | 40 Heron Ln, Ternport, OR 97981
        "#);
}
