//! Addresses of every country with a grammar, matched against a small invented reference in the order and spelling of
//! that country.

use basilocus_address::reference::{PlaceEntry, PointEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Entry, Level, MatchOptions, Matcher, Outcome, Reference, grammar};

/// Street, locality, region, postcode.
type Street = (&'static str, &'static str, &'static str, &'static str);

fn reference(country: &str, streets: &[Street]) -> (tempfile::TempDir, Reference) {
    let mut b = Builder::new(grammar::of_country(country).unwrap());
    for (s, (street, locality, region, postcode)) in streets.iter().enumerate() {
        for number in ["2", "12", "12A", "14", "27"] {
            let n: f64 = number.trim_end_matches('A').parse().unwrap();
            let (lon, lat) = (8.0 + s as f64 * 0.01, 50.0 + n * 1e-4);
            let point = PointEntry {
                number: number.into(),
                street: street.to_string(),
                locality: locality.to_string(),
                region: region.to_string(),
                postcode: postcode.to_string(),
                lon,
                lat,
                ..Default::default()
            };
            b.add(&Entry::Point(point)).unwrap();
        }
        let (lon, lat) = (8.0 + s as f64 * 0.01, 50.0);
        let place =
            PlaceEntry { name: locality.to_string(), region: region.to_string(), lon, lat, ..Default::default() };
        b.add(&Entry::Place(place)).unwrap();
        let code = PostcodeEntry {
            postcode: postcode.to_string(),
            locality: locality.to_string(),
            region: region.to_string(),
            lon,
            lat,
            ..Default::default()
        };
        b.add(&Entry::Postcode(code)).unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("country.reference");
    b.write(&path).unwrap();
    let reference = Reference::open(&path).unwrap();
    (folder, reference)
}

/// Each text with what it is matched to, a line each.
fn matched(country: &str, streets: &[Street], texts: &[&str]) -> String {
    let (_folder, r) = reference(country, streets);
    let matcher = Matcher::new(&r, MatchOptions::default());
    let lines: Vec<String> = texts
        .iter()
        .map(|whole| match matcher.find(&AddressInput { whole, ..Default::default() }) {
            Outcome::Matched(m) => {
                format!("{} | {} | {}", m.best.level.name(), m.best.address, m.best.changes.join("; "))
                    .trim_end_matches(" | ")
                    .to_string()
            }
            Outcome::SetAside { reason, .. } => reason,
        })
        .collect();
    lines.join("\n")
}

#[test]
fn germany() {
    let streets = [
        ("Reiherstraße", "Musterstadt", "", "12345"),
        ("Am Alten Ufer", "Musterstadt", "", "12345"),
        ("Müllerweg", "Bad Reiher", "", "12399"),
        ("Straße des 5. Mai", "Bad Reiher", "", "12399"),
    ];
    insta::assert_snapshot!(matched("DE", &streets, &[
        "Reiherstraße 12, 12345 Musterstadt",
        "REIHERSTR. 12a 12345 Musterstadt",
        "Reiher Str. 12, D-12345 Musterstadt",
        "Riehersrtaße 14, 12345 Musterstadt",
        "Muellerweg 2, 12399 Bad Reiher",
        "Straße des 5. Mai 27, Bad Reiher",
        "12345 Musterstadt, Am alten Ufer 2",
        "Reiherstr. 12, 12399 Musterstadt",
        "Postfach 12, 12345 Musterstadt",
    ]), @r#"
        address point | Reiherstraße 12, 12345 Musterstadt
        address point | Reiherstraße 12A, 12345 Musterstadt
        address point | Reiherstraße 12, 12345 Musterstadt
        address point | Reiherstraße 14, 12345 Musterstadt | "Riehersrtasse" read as "Reiherstrasse"
        address point | Müllerweg 2, 12399 Bad Reiher
        address point | Straße des 5. Mai 27, 12399 Bad Reiher
        address point | Am Alten Ufer 2, 12345 Musterstadt
        address point | Reiherstraße 12, 12345 Musterstadt | postcode 12399 read as 12345 (postcode 12399 is that of Bad Reiher)
        postcode | 12345 Musterstadt | post box or rural route: placed no finer than the postcode
        "#);
}

#[test]
fn the_netherlands() {
    let streets =
        [("Reigerstraat", "Reigerdam", "", "1234 AB"), ("Burgemeester Jansenlaan", "Reigerdam", "", "1234 CD")];
    insta::assert_snapshot!(matched("NL", &streets, &[
        "Reigerstraat 12, 1234 AB Reigerdam",
        "reigerstr 12-a 1234ab reigerdam",
        "Burg. Jansenln 14, 1234 CD Reigerdam",
        "Postbus 12, 1234 AB Reigerdam",
    ]), @r"
        address point | Reigerstraat 12, 1234 AB Reigerdam
        address point | Reigerstraat 12A, 1234 AB Reigerdam
        address point | Burgemeester Jansenlaan 14, 1234 CD Reigerdam
        postcode | 1234 AB Reigerdam | post box or rural route: placed no finer than the postcode
        ");
}

#[test]
fn france() {
    let streets = [
        ("Rue du Héron", "Héronville", "", "75999"),
        ("Avenue du Général Martin", "Héronville", "", "75999"),
        ("Place de l'Église", "Saint-Martin-du-Marais", "", "75998"),
    ];
    insta::assert_snapshot!(matched("FR", &streets, &[
        "12 rue du Héron, 75999 Héronville",
        "12, R. DU HERON 75999 HERONVILLE",
        "14 av. du Gal Martin, 75999 Heronville",
        "2 place Eglise, 75998 St Martin du Marais",
        "27 rue Héron, 75999 Héronville",
        "BP 12, 75999 Héronville",
    ]), @r#"
        address point | 12 Rue du Héron, 75999 Héronville
        address point | 12 Rue du Héron, 75999 Héronville
        address point | 14 Avenue du Général Martin, 75999 Héronville
        address point | 2 Place de l'Église, 75998 Saint-Martin-du-Marais | "Eglise" read as "De L Eglise"; locality "St Martin Du Marais" read as "Saint-Martin-du-Marais", by the postcode
        address point | 27 Rue du Héron, 75999 Héronville | "Heron" read as "Du Heron"
        postcode | 75999 Héronville | post box or rural route: placed no finer than the postcode
        "#);
}

#[test]
fn spain_portugal_italy() {
    insta::assert_snapshot!(matched("ES", &[("Calle Mayor", "Villanueva del Río", "", "45999"), ("Avenida de la Garza", "Villanueva del Río", "", "45999")], &[
        "C/ Mayor, 12, 3º B, 45999 Villanueva del Río",
        "Avda. Garza nº 14, 45999 Villanueva del Rio",
        "Calle Maior 2, 45999 Villanueva del Río",
    ]), @r#"
        address point | Calle Mayor 12 Unit 3o B, 45999 Villanueva del Río
        address point | Avenida de la Garza 14, 45999 Villanueva del Río | "Garza" read as "De La Garza"
        address point | Calle Mayor 2, 45999 Villanueva del Río | "Maior" read as "Mayor"
        "#);
    insta::assert_snapshot!(matched("PT", &[("Rua da Garça", "São Rei", "", "1234-567")], &[
        "Rua da Garça, 12, 2º Dto, 1234-567 São Rei",
        "R. Garça 14, 1234567 Sao Rei",
    ]), @r#"
        address point | Rua da Garça 12 Dto. 2o, 1234-567 São Rei
        address point | Rua da Garça 14, 1234-567 São Rei | "Garca" read as "Da Garca"
        "#);
    insta::assert_snapshot!(matched("IT", &[("Via dell'Airone", "Rocca Marina", "RM", "19999"), ("Piazza San Marco", "Rocca Marina", "RM", "19999")], &[
        "Via dell'Airone 12/A, 19999 Rocca Marina (RM)",
        "P.zza S. Marco, 2 - 19999 Rocca Marina",
        "via Airone 14, Rocca Marina",
    ]), @r#"
        address point | Via dell'Airone 12A, 19999 Rocca Marina, RM
        address point | Piazza San Marco 2, 19999 Rocca Marina, RM
        address point | Via dell'Airone 14, 19999 Rocca Marina, RM | "Airone" read as "Dell Airone"
        "#);
}

#[test]
fn english_elsewhere() {
    insta::assert_snapshot!(matched("GB", &[("High Street", "Ternford", "", "TF1 2AB"), ("St Brendan's Road", "Ternford", "", "TF1 3CD")], &[
        "Flat 3, 12 High Street, Ternford TF1 2AB",
        "12a high st ternford tf12ab",
        "14 Saint Brendans Rd, Little Tern, Ternford, TF1 3CD",
    ]), @r"
        address point | 12 High Street Flat 3, Ternford, TF1 2AB
        address point | 12A High Street, Ternford, TF1 2AB
        address point | 14 Saint Brendans Road, Ternford, TF1 3CD
        ");
    insta::assert_snapshot!(matched("CA", &[("Heron Crescent", "Ternport", "BC", "V9T 1A1"), ("Rue du Héron", "Ternport", "BC", "V9T 1A2")], &[
        "12 Heron Cres, Ternport BC V9T 1A1",
        "3-27 Heron Cr, Ternport, British Columbia",
        "14 rue du Heron, Ternport BC  v9t1a2",
    ]), @r"
        address point | 12 Heron Cres, Ternport, BC V9T 1A1
        address point | 27 Heron Cres Unit 3, Ternport, BC V9T 1A1
        address point | 14 Rue du Héron, Ternport, BC V9T 1A2
        ");
    insta::assert_snapshot!(matched("AU", &[("Heron Parade", "Ternport", "NSW", "2999")], &[
        "3/27 Heron Pde, Ternport NSW 2999",
        "Unit 3 12 Heron Parade, Ternport New South Wales 2999",
        "Locked Bag 7, Ternport NSW 2999",
    ]), @r"
        address point | 27 Heron Pde Unit 3, Ternport, NSW 2999
        address point | 12 Heron Pde Unit 3, Ternport, NSW 2999
        postcode | Ternport, NSW 2999 | post box or rural route: placed no finer than the postcode
        ");
    insta::assert_snapshot!(matched("NZ", &[("Heron Terrace", "Ternport", "", "7999")], &["12 Heron Tce, RD 3, Ternport 7999"]), @"address point | 12 Heron Tce, Ternport, 7999");
    insta::assert_snapshot!(matched("IE", &[("Quay Street", "Ternford", "Co. Cork", "T12 AB34")], &["12 Quay St, Ternford, County Cork"]), @"address point | 12 Quay Street, Ternford, Co. Cork T12 AB34");
}

#[test]
fn a_number_and_a_postcode_alone() {
    let mut b = Builder::new(grammar::of_country("GB").unwrap());
    for (number, street, postcode, lon) in [
        ("10", "Mill Lane", "TW2 3DY", -0.34),
        ("12", "Mill Lane", "TW2 3DY", -0.341),
        ("10", "Church Row", "TW2 4AA", -0.35),
        ("10", "Church Walk", "TW2 4AA", -0.36),
        ("Rose Cottage", "Mill Lane", "TW2 3DY", -0.342),
    ] {
        let point = PointEntry {
            number: number.into(),
            street: street.into(),
            locality: "Harlow".into(),
            postcode: postcode.into(),
            lon,
            lat: 51.45,
            ..Default::default()
        };
        b.add(&Entry::Point(point)).unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r");
    b.write(&path).unwrap();
    let reference = Reference::open(&path).unwrap();
    let matcher = Matcher::new(&reference, MatchOptions::default());
    let found = |input: AddressInput| match matcher.find(&input) {
        Outcome::Matched(m) => format!(
            "{} {} | {} | {}",
            m.best.level.name(),
            m.best.confidence,
            m.best.address,
            m.best.changes.join("; ")
        ),
        Outcome::SetAside { reason, .. } => reason,
    };
    let text = |whole| found(AddressInput { whole, ..Default::default() });
    insta::assert_snapshot!(text("10, TW2 3DY"), @"address point 99 | 10 Mill Lane, Harlow, TW2 3DY | the street is the only one of its postcode");
    insta::assert_snapshot!(found(AddressInput { number: "12", postcode: "tw23dy", ..Default::default() }), @"address point 99 | 12 Mill Lane, Harlow, TW2 3DY | the street is the only one of its postcode");
    // A postcode of two streets says no more than itself.
    insta::assert_snapshot!(text("10, TW2 4AA"), @"postcode 100 | Harlow, TW2 4AA | ");
    insta::assert_snapshot!(text("Rose Cottage, Mill Lane, Harlow, TW2 3DY"), @"address point 100 | Rose Cottage, Mill Lane, Harlow, TW2 3DY | ");
    insta::assert_snapshot!(text("Thorn Cottage, Mill Lane, Harlow"), @r#"street 99 | Mill Lane, Harlow | no house number: placed on the street; "Thorn Cottage" not used"#);
}

#[test]
fn titles_ordinals_and_names_with_figures() {
    let of = |country, street: &str, typed: &str| {
        let mut b = Builder::new(grammar::of_country(country).unwrap());
        let point = PointEntry {
            number: "19".into(),
            street: street.into(),
            locality: "Harlow".into(),
            postcode: if country == "NL" { "1000 AB".into() } else { "60999".into() },
            lon: 8.0,
            lat: 50.0,
            ..Default::default()
        };
        b.add(&Entry::Point(point)).unwrap();
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r");
        b.write(&path).unwrap();
        let reference = Reference::open(&path).unwrap();
        match Matcher::new(&reference, MatchOptions::default())
            .find(&AddressInput { whole: typed, ..Default::default() })
        {
            Outcome::Matched(m) => (m.best.level, m.best.confidence >= 95),
            Outcome::SetAside { reason, .. } => panic!("{typed}: {reason}"),
        }
    };
    for (country, street, typed) in [
        ("NL", "Plein 1944", "Plein 1944 19, 1000 AB Harlow"),
        ("NL", "Eerste Dorpsstraat", "1e Dorpsstraat 19, Harlow"),
        ("NL", "1e Dorpsstraat", "Eerste Dorpsstr. 19, Harlow"),
        ("NL", "Burgemeester Reigerlaan", "Burgem. Reigerlaan 19, Harlow"),
        ("DE", "Prof.-Dr.-Müller-Straße", "Prof. Dr. Müller Str. 19, 60999 Harlow"),
        ("DE", "Professor-Doktor-Müller-Straße", "Prof.-Dr.-Müller-Str. 19, 60999 Harlow"),
    ] {
        assert_eq!(of(country, street, typed), (Level::AddressPoint, true), "{typed}");
    }
}
