use super::*;
use crate::grammar::{self, us};
use proptest::prelude::*;

struct Known(&'static [&'static str]);

impl KnownNames for Known {
    fn is_region(&self, _: &str) -> bool {
        false
    }

    fn is_locality(&self, words: &str) -> bool {
        self.0.contains(&words)
    }
    fn is_nearly_locality(&self, words: &str) -> bool {
        self.0.iter().any(|k| normal::distance(k.as_bytes(), words.as_bytes(), 2).is_some())
    }
}

const KNOWN: Known = Known(&[
    "TERNPORT",
    "GRAY WATER",
    "NORTH SLOUGH",
    "LONG BEACH",
    "MUSTERSTADT",
    "BAD REIHER",
    "HERONVILLE",
    "SAO REI",
    "VILLANUEVA DEL RIO",
    "TERNFORD",
    "LITTLE TERN",
    "ROCCA MARINA",
    "REIGERDAM",
]);

/// Number and suffix | direction | name | type | direction | unit | locality | region | postcode.
fn show(a: &ParsedAddress, g: &Grammar) -> String {
    let dir = |d: Option<u8>| d.map_or("", |d| g.direction_name(d));
    let street = |t: &Thoroughfare| {
        format!(
            "{}|{}|{}|{}",
            dir(t.pre_direction),
            t.name,
            t.street_type.map_or("", |t| g.street_type_name(t)),
            dir(t.post_direction)
        )
    };
    format!(
        "{}{}|{}{}|{}|{}|{}|{}{}",
        a.number.map_or(String::new(), |n| n.to_string()),
        a.number_suffix,
        street(&a.street),
        a.crossing.as_ref().map_or(String::new(), |c| format!(" x {}", street(c))),
        a.unit,
        a.locality,
        a.region,
        a.postcode,
        if a.post_box { "|box" } else { "" }
    )
}

fn read(country: &str, text: &str) -> String {
    let g = grammar::of_country(country).unwrap();
    show(&parse(&AddressInput { whole: text, ..Default::default() }, g, &KNOWN), g)
}

fn all(country: &str, cases: &[(&str, &str)]) {
    let wrong: Vec<String> = cases
        .iter()
        .filter_map(|(text, wanted)| {
            let got = read(country, text);
            (got != *wanted).then(|| format!("{country} {text}\n  got    {got}\n  wanted {wanted}"))
        })
        .collect();
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
}

#[test]
fn united_states() {
    all(
        "US",
        &[
            ("1427 NE Maple Ave Apt 3, Ternport, OR 97981-0012", "1427|NE|MAPLE|Ave||Apt 3|TERNPORT|OR|97981"),
            ("1427 N.E. Maple Avenue #3, Ternport OR 97981", "1427|NE|MAPLE|Ave||# 3|TERNPORT|OR|97981"),
            ("1427 North East Maple Av, Ternport", "1427|N|EAST MAPLE|Ave|||TERNPORT||"),
            ("12 heron ln ternport or", "12||HERON|Ln|||TERNPORT|OR|"),
            ("12 heron ln ternport oregon 97981", "12||HERON|Ln|||TERNPORT|OR|97981"),
            ("12 Heron Ln Unknown Town OR 97981", "12||HERON|Ln|||UNKNOWN TOWN|OR|97981"),
            ("12 Heron Ln Long Beach WA 98981", "12||HERON|Ln|||LONG BEACH|WA|98981"),
            ("5 St Clair Street, North Slough, Washington, 98981, USA", "5||SAINT CLAIR|St|||NORTH SLOUGH|WA|98981"),
            ("200 Fifth St N, Gray Water, WA", "200||5TH|St|N||GRAY WATER|WA|"),
            ("200 5rd St, Gray Water, WA", "200||5TH|St|||GRAY WATER|WA|"),
            ("200 Twenty First Ave, Gray Water, WA", "200||21ST|Ave|||GRAY WATER|WA|"),
            ("38402 US Hwy 101 S, Ternport, OR", "38402||US HIGHWAY 101||S||TERNPORT|OR|"),
            ("38402 Highway 101, Ternport, OR", "38402||HIGHWAY 101||||TERNPORT|OR|"),
            ("38402 Hwy101, Ternport, OR", "38402||HIGHWAY 101||||TERNPORT|OR|"),
            ("9 N State Rte 4, Ternport", "9|N|STATE ROUTE 4||||TERNPORT||"),
            ("12 1/2 Heron Lane, Ternport", "121/2||HERON|Ln|||TERNPORT||"),
            ("12½ Heron Lane, Ternport", "121/2||HERON|Ln|||TERNPORT||"),
            ("12A Heron Lane, Ternport", "12A||HERON|Ln|||TERNPORT||"),
            ("12 A Heron Lane, Ternport", "12A||HERON|Ln|||TERNPORT||"),
            ("12-16 Heron Lane, Ternport", "12-16||HERON|Ln|||TERNPORT||"),
            ("37-12 30th Ave, Ternport", "37-12||30TH|Ave|||TERNPORT||"),
            ("N6W23001 Bluff Rd, Ternport", "23001N6W-||BLUFF|Rd|||TERNPORT||"),
            ("1427 N 300 W, Ternport", "1427|N|300||W||TERNPORT||"),
            ("PO Box 12, Ternport, OR 97981", "||||||TERNPORT|OR|97981|box"),
            ("P.O. Box 12, Ternport, OR 97981", "||||||TERNPORT|OR|97981|box"),
            ("RR 2 Box 15, Ternport, OR 97981", "||||||TERNPORT|OR|97981|box"),
            ("12 Heron Ln PO Box 7, Ternport, OR", "12||HERON|Ln|||TERNPORT|OR|"),
            ("12 Box Elder St, Ternport, OR", "12||BOX ELDER|St|||TERNPORT|OR|"),
            ("Ternport, OR", "||||||TERNPORT|OR|"),
            ("Ternport OR 97981", "||||||TERNPORT|OR|97981"),
            ("97981", "||||||||97981"),
            ("c/o Ada Finch, 9 Alder Court, Ternport, OR 97981", "9||ALDER|Ct|||TERNPORT|OR|97981"),
            ("c/o Ada Finch 9 Alder Court, Ternport, OR 97981", "9||ALDER|Ct|||TERNPORT|OR|97981"),
            ("77 N St, Ternport", "77||N|St|||TERNPORT||"),
            ("77 Heron Srteet, Ternport", "77||HERON|St|||TERNPORT||"),
            ("77 Heron Ln Apt, Ternport", "77||HERON|Ln||Apt|TERNPORT||"),
            ("77 Heron Ln, Unit B, Ternport, OR", "77||HERON|Ln||Unit B|TERNPORT|OR|"),
            ("77 Heron Ln 4th floor, Ternport, OR", "77||HERON|Ln||Fl 4TH|TERNPORT|OR|"),
            ("Apt 3, 77 Heron Ln, Ternport, OR", "77||HERON|Ln||Apt 3|TERNPORT|OR|"),
            ("Apt 3 77 Heron Ln, Ternport, OR", "77||HERON|Ln||Apt 3|TERNPORT|OR|"),
            ("Heron Ln & 5th St, Ternport, OR", "||HERON|Ln| x |5TH|St|||TERNPORT|OR|"),
            ("corner of Heron and Alder, Ternport, OR", "||HERON|| x |ALDER||||TERNPORT|OR|"),
            ("Heron Ln and 5th St, Ternport", "||HERON|Ln| x |5TH|St|||TERNPORT||"),
            ("Heron Ln 12, Ternport, OR", "12||HERON|Ln|||TERNPORT|OR|"),
            ("12 MLK Blvd, Ternport", "12||MARTIN LUTHER KING|Blvd|||TERNPORT||"),
            ("Tern Mill, 12 Heron Lane, Ternport", "12||HERON|Ln|||TERNPORT||"),
        ],
    );
}

#[test]
fn english_elsewhere() {
    all(
        "CA",
        &[
            ("12 Heron Cres, Ternport BC V9T 1A1", "12||HERON|Cres|||TERNPORT|BC|V9T 1A1"),
            ("3-27 Heron St, Ternport, BC", "27||HERON|St||Unit 3|TERNPORT|BC|"),
            ("12 rue du Héron, Ternport QC  v9t1a1", "12||DU HERON|Rue|||TERNPORT|QC|V9T 1A1"),
            ("12 Heron St O, Ternport ON", "12||HERON|St|W||TERNPORT|ON|"),
        ],
    );
    all(
        "GB",
        &[
            ("Flat 3, 12 High Street, Ternford TF1 2AB", "12||HIGH|Street||Flat 3|TERNFORD||TF1 2AB"),
            ("Flat 3 12 High Street, Ternford, TF1 2AB", "12||HIGH|Street||Flat 3|TERNFORD||TF1 2AB"),
            ("12 St Brendans Rd, Little Tern, Ternford, tf12ab", "12||SAINT BRENDANS|Road|||TERNFORD||TF1 2AB"),
            ("12a The Green, Ternford", "12A||THE|Green|||TERNFORD||"),
            ("12 High St Ternford TF1 2AB UK", "12||HIGH|Street|||TERNFORD||TF1 2AB"),
        ],
    );
    all("IE", &[("12 Quay St, Ternford, Co. Cork, T12 AB34", "12||QUAY|Street|||TERNFORD|Co. Cork|T12 AB34")]);
    all(
        "AU",
        &[
            ("3/27 Heron St, Ternport NSW 2999", "27||HERON|St||Unit 3|TERNPORT|NSW|2999"),
            ("Unit 3 27 Heron Pde, Ternport NSW 2999", "27||HERON|Pde||Unit 3|TERNPORT|NSW|2999"),
            ("Level 2, 27 Heron St, Ternport VIC", "27||HERON|St||Level 2|TERNPORT|VIC|"),
            ("GPO Box 77, Ternport NSW 2999", "||||||TERNPORT|NSW|2999|box"),
        ],
    );
    all(
        "NZ",
        &[
            ("12 Heron Rd, RD 3, Ternport 7999", "12||HERON|Rd|||TERNPORT||7999"),
            ("3/12 Heron Tce, Ternport 7999", "12||HERON|Tce||Unit 3|TERNPORT||7999"),
        ],
    );
}

#[test]
fn number_after_the_name() {
    all(
        "DE",
        &[
            ("Reiherstraße 12, 12345 Musterstadt", "12||REIHERSTRASSE||||MUSTERSTADT||12345"),
            ("Reiherstr. 12a, 12345 Musterstadt", "12A||REIHERSTRASSE||||MUSTERSTADT||12345"),
            ("Reiher Str. 12 a 12345 Bad Reiher", "12A||REIHER STRASSE||||BAD REIHER||12345"),
            ("D-12345 Musterstadt, Am Ufer 3", "3||AM UFER||||MUSTERSTADT||12345"),
            ("Straße des 5. Mai 135, 12345 Musterstadt", "135||STRASSE DES 5 MAI||||MUSTERSTADT||12345"),
            ("Postfach 99, 12345 Musterstadt", "||||||MUSTERSTADT||12345|box"),
            ("12345 Musterstadt", "||||||MUSTERSTADT||12345"),
            ("Reiherweg 12-14, Musterstadt", "12-14||REIHERWEG||||MUSTERSTADT||"),
        ],
    );
    all(
        "NL",
        &[
            ("Reigerstr. 12-B, 1234 AB Reigerdam", "12B||REIGERSTRAAT||||REIGERDAM||1234 AB"),
            ("Reigerlaan 12 bis 1234AB Reigerdam", "12BIS||REIGERLAAN||||REIGERDAM||1234 AB"),
        ],
    );
    all(
        "ES",
        &[
            ("C/ Mayor, 12, 3º B, 45999 Villanueva del Río", "12||MAYOR|Calle||Unit 3O B|VILLANUEVA DEL RIO||45999"),
            (
                "Avda. de la Garza nº 12, 45999 Villanueva del Río",
                "12||DE LA GARZA|Avenida|||VILLANUEVA DEL RIO||45999",
            ),
            ("Calle 2 de Mayo 12, Villanueva del Río", "12||2 DE MAYO|Calle|||VILLANUEVA DEL RIO||"),
        ],
    );
    all(
        "PT",
        &[
            ("Rua da Garça, 12, 2º Dto, 1234-567 São Rei", "12||DA GARCA|Rua||Dto. 2O|SAO REI||1234-567"),
            ("Av. Dr. Heron 12 1234-567 Sao Rei", "12||DOUTOR HERON|Avenida|||SAO REI||1234-567"),
        ],
    );
    all(
        "IT",
        &[
            ("Via dell'Airone 12/A, 19999 Rocca Marina (RM)", "12A||DELL AIRONE|Via|||ROCCA MARINA|RM|19999"),
            ("P.zza S. Marco, 3 - 19999 Rocca Marina", "3||SAN MARCO|Piazza|||ROCCA MARINA||19999"),
        ],
    );
}

#[test]
fn france() {
    all(
        "FR",
        &[
            ("12 bis rue du Héron, 75999 Heronville", "12BIS||DU HERON|Rue|||HERONVILLE||75999"),
            ("12, av. du Gal Heron 75999 Heronville", "12||DU GENERAL HERON|Avenue|||HERONVILLE||75999"),
            ("Bât. B, 12 bd Ste Anne, F-75999 Heronville", "12||SAINTE ANNE|Boulevard||Bât. B|HERONVILLE||75999"),
            ("BP 12, 75999 Heronville", "||||||HERONVILLE||75999|box"),
        ],
    );
}

#[test]
fn columns() {
    let g = &us::GRAMMAR;
    let read = |input: AddressInput| show(&parse(&input, g, &KNOWN), g);
    let columns = AddressInput {
        number: "1427",
        street: "NE MAPLE AV",
        locality: "Ternport",
        region: "Oregon",
        postcode: "979810012",
        ..Default::default()
    };
    assert_eq!(read(columns), "1427|NE|MAPLE|Ave|||TERNPORT|OR|97981");
    let street = AddressInput { street: "12 Heron Ln, Ternport, OR", ..Default::default() };
    assert_eq!(read(street), "12||HERON|Ln|||TERNPORT|OR|");
    // The number twice, the locality twice.
    let twice =
        AddressInput { number: "12", street: "12 Heron Ln Ternport", locality: "Ternport", ..Default::default() };
    assert_eq!(read(twice), "12||HERON|Ln|||TERNPORT||");
    let ordinal = AddressInput { street: "5th Street", number: "8", ..Default::default() };
    assert_eq!(read(ordinal), "8||5TH|St|||||");
    let locality = AddressInput { locality: "Ternport OR 97981", street: "12 Heron", ..Default::default() };
    assert_eq!(read(locality), "12||HERON||||TERNPORT|OR|97981");
    let unit = AddressInput { street: "12 Heron Ln", unit: "#4", locality: "Ternport", ..Default::default() };
    assert_eq!(read(unit), "12||HERON|Ln||# 4|TERNPORT||");
}

#[test]
fn several_readings_the_likeliest_first() {
    let list = |text: &str| {
        let mut out = Vec::new();
        let input = AddressInput { whole: text, ..Default::default() };
        readings(&input, &us::GRAMMAR, &KNOWN, &mut |a| {
            out.push(format!("{}/{}", a.street.name, a.locality));
            true
        });
        out
    };
    // Nothing parts street and locality: the known one, then what follows the type, then all.
    let r = list("12 Heron Long Beach");
    assert_eq!(r[0], "HERON/LONG BEACH");
    assert!(r.contains(&"HERON LONG/".to_string()), "{r:?}");
    // A misspelt locality behind a street without a type.
    assert!(list("12 Heron Trenport").contains(&"HERON/TRENPORT".to_string()));
}

#[test]
fn numbers_of_references() {
    let g = &us::GRAMMAR;
    for (text, wanted) in [
        ("12", Some((12, ""))),
        ("12A", Some((12, "A"))),
        ("12 A", Some((12, "A"))),
        ("12-A", Some((12, "A"))),
        ("12 1/2", Some((12, "1/2"))),
        ("37-12", Some((37, "-12"))),
        ("N6W23001", Some((23001, "N6W-"))),
        ("", None),
        ("A", None),
        ("5TH", None),
        ("99999999999", None),
    ] {
        assert_eq!(parse_number(text, g), wanted.map(|(n, s)| (n, s.into())), "{text}");
    }
}

proptest! {
    #[test]
    fn no_text_panics(text in "\\PC{0,60}") {
        for g in grammar::GRAMMARS {
            readings(&AddressInput { whole: &text, ..Default::default() }, g, &KNOWN, &mut |_| true);
            let all = AddressInput { street: &text, number: &text, locality: &text, postcode: &text, unit: &text, region: &text, whole: &text, country: &text, second_line: &text, street_type: &text, direction: &text, direction_after: &text, number_suffix: &text };
            readings(&all, g, &KNOWN, &mut |_| true);
            parse_street(&text, g);
            parse_number(&text, g);
        }
    }

    #[test]
    fn no_address_like_text_panics(text in "([0-9]{1,4}|N|ST|HWY|#|APT|PO BOX|,|OR|-|1/2|TWENTY|FIRST|97981|&|CORNER OF|STR|RUE|BIS|NO|NR|C/O|TERNPORT|1234 AB|3O|/| ){0,14}") {
        for g in grammar::GRAMMARS {
            let mut n = 0;
            readings(&AddressInput { whole: &text, ..Default::default() }, g, &KNOWN, &mut |_| { n += 1; true });
            prop_assert!((1..=24).contains(&n), "{n} readings");
        }
    }
}
