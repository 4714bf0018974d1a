//! Addresses of the United States as people type them, and the parts that are read. One line an example.

use basilocus_address::grammar::us::GRAMMAR;
use basilocus_address::normal;
use basilocus_address::parse::{AddressInput, Thoroughfare, parse, parse_street};

fn street(a: &Thoroughfare) -> String {
    let dir = |d: Option<u8>| d.map_or("", |d| GRAMMAR.direction_name(d));
    let kind = a.street_type.map_or("", |t| GRAMMAR.street_type_name(t));
    [dir(a.pre_direction), &a.name, kind, dir(a.post_direction)]
        .iter()
        .filter(|p| !p.is_empty())
        .copied()
        .collect::<Vec<_>>()
        .join(" ")
}

/// Street as it is written, and how it is read: direction, NAME, type, direction.
const STREETS: &[(&str, &str)] = &[
    ("Heron Ln", "HERON Ln"),
    ("HERON LANE", "HERON Ln"),
    ("heron ln.", "HERON Ln"),
    ("N Heron Ln", "N HERON Ln"),
    ("North Heron Lane", "N HERON Ln"),
    ("N. Heron Ln. W.", "N HERON Ln W"),
    ("Heron Ln NE", "HERON Ln NE"),
    ("N E Heron Ln", "NE HERON Ln"),
    ("Southwest Heron Lane", "SW HERON Ln"),
    ("First Street", "1ST St"),
    ("1st St", "1ST St"),
    ("Twenty First Ave", "21ST Ave"),
    ("Thirty Third Pl", "33RD Pl"),
    ("Tenth", "10TH"),
    ("St Brendan St", "SAINT BRENDAN St"),
    ("Saint Brendan Street", "SAINT BRENDAN St"),
    ("Mt Gull Rd", "MOUNT GULL Rd"),
    ("Ft Tern Dr", "FORT TERN Dr"),
    ("Old Mill Rd", "OLD MILL Rd"),
    ("Mill Pond Rd", "MILL POND Rd"),
    ("Ridge View Dr", "RIDGE VIEW Dr"),
    ("North St", "NORTH St"),
    ("N St", "N St"),
    ("Avenue", "AVENUE"),
    ("East Ave", "EAST Ave"),
    ("Highway 701", "HIGHWAY 701"),
    ("Hwy 701", "HIGHWAY 701"),
    ("US Hwy 701", "US HIGHWAY 701"),
    ("US Highway 701 N", "US HIGHWAY 701 N"),
    ("U.S. 701", "US HIGHWAY 701"),
    ("State Route 4", "STATE ROUTE 4"),
    ("SR 4", "STATE ROUTE 4"),
    ("State Hwy 4 E", "STATE ROUTE 4 E"),
    ("County Rd 12", "COUNTY ROAD 12"),
    ("N County Road 12", "N COUNTY ROAD 12"),
    ("O'Brien Ct", "OBRIEN Ct"),
    ("Peña Blvd", "PENA Blvd"),
    ("Heron", "HERON"),
    ("The Loop", "THE Loop"),
    ("Heron Lnae", "HERON LNAE"),
    ("Heron Stret", "HERON St"),
    ("Heron Avnue", "HERON Ave"),
    ("Heron Boulevrad", "HERON Blvd"),
];

#[test]
fn streets() {
    for (text, wanted) in STREETS {
        assert_eq!(street(&parse_street(text, &GRAMMAR)), *wanted, "{text}");
    }
}

/// The same street in two spellings is one street.
#[test]
fn spellings_of_one_street_agree() {
    for pair in [
        ["NE Maple Avenue", "N.E. MAPLE AVE"],
        ["Fifth Street", "5th St"],
        ["US Highway 701", "U S Hwy 701"],
        ["Saint Brendan Street", "St. Brendan St"],
        ["Mount Gull Road", "Mt. Gull Rd."],
    ] {
        assert_eq!(street(&parse_street(pair[0], &GRAMMAR)), street(&parse_street(pair[1], &GRAMMAR)), "{pair:?}");
    }
}

/// House numbers: text, number, what follows it.
#[test]
fn house_numbers() {
    for (text, number, suffix) in [
        ("12", Some(12), ""),
        ("0012", Some(12), ""),
        ("12A", Some(12), "A"),
        ("12-A", Some(12), "A"),
        ("12 A", Some(12), "A"),
        ("12 1/2", Some(12), "1/2"),
        ("12-16", Some(12), "-16"),
        ("12 - 16", Some(12), "-16"),
        ("12 to 16", Some(12), "-16"),
        ("5th", None, ""),
        ("", None, ""),
        ("99999999999", None, ""),
    ] {
        let whole = format!("{text} Heron Ln, Ternport, OR 97981");
        let a = parse(&AddressInput { whole: &whole, ..Default::default() }, &GRAMMAR, &());
        assert_eq!((a.number, a.number_suffix.as_str()), (number, suffix), "{text}");
        assert_eq!(
            (a.locality.as_str(), a.region.as_str(), a.postcode.as_str()),
            ("TERNPORT", "OR", "97981"),
            "{text}"
        );
    }
}

/// Units in every place.
#[test]
fn units() {
    for (text, wanted) in [
        ("12 Heron Ln Apt 3, Ternport", "Apt 3"),
        ("12 Heron Ln, Apt 3, Ternport", "Apt 3"),
        ("12 Heron Ln #3, Ternport", "# 3"),
        ("12 Heron Ln # 3, Ternport", "# 3"),
        ("12 Heron Ln Suite 200, Ternport", "Ste 200"),
        ("12 Heron Ln Unit B, Ternport", "Unit B"),
        ("12 Heron Ln Bldg 4, Ternport", "Bldg 4"),
        ("12 Heron Ln, Ternport", ""),
    ] {
        let a = parse(&AddressInput { whole: text, ..Default::default() }, &GRAMMAR, &());
        assert_eq!(
            (a.unit.as_str(), a.locality.as_str(), street(&a.street).as_str()),
            (wanted, "TERNPORT", "HERON Ln"),
            "{text}"
        );
    }
}

/// Tails: what comes after the street line, in every order and punctuation.
#[test]
fn localities_regions_postcodes_countries() {
    for (tail, wanted) in [
        ("Ternport, OR 97981", "TERNPORT|OR|97981|"),
        ("Ternport OR 97981", "TERNPORT|OR|97981|"),
        ("Ternport, Oregon, 97981", "TERNPORT|OR|97981|"),
        ("Ternport, OR, 97981-0012", "TERNPORT|OR|97981|0012"),
        ("Ternport, OR 979810012", "TERNPORT|OR|97981|0012"),
        ("Ternport, OR 97981 USA", "TERNPORT|OR|97981|"),
        ("Ternport, OR 97981, United States", "TERNPORT|OR|97981|"),
        ("Ternport, OR", "TERNPORT|OR||"),
        ("Ternport", "TERNPORT|||"),
        ("97981", "||97981|"),
        ("Mill Slough, Washington", "MILL SLOUGH|WA||"),
        ("Mill Slough, West Virginia 25981", "MILL SLOUGH|WV|25981|"),
        ("Ternport,OR,97981", "TERNPORT|OR|97981|"),
        ("Ternport; OR; 97981", "TERNPORT|OR|97981|"),
        ("Ternport\nOR 97981", "TERNPORT|OR|97981|"),
    ] {
        let whole = format!("12 Heron Ln, {tail}");
        let a = parse(&AddressInput { whole: &whole, ..Default::default() }, &GRAMMAR, &());
        assert_eq!(format!("{}|{}|{}|{}", a.locality, a.region, a.postcode, a.extension), wanted, "{tail}");
        assert_eq!((a.number, street(&a.street).as_str()), (Some(12), "HERON Ln"), "{tail}");
    }
}

#[test]
fn post_boxes_and_rural_routes() {
    for text in
        ["PO Box 12", "P.O. Box 12", "P O BOX 12", "Post Office Box 12", "Box 12", "RR 2 Box 18", "Rural Route 2"]
    {
        let whole = format!("{text}, Ternport, OR 97981");
        let a = parse(&AddressInput { whole: &whole, ..Default::default() }, &GRAMMAR, &());
        assert!(a.post_box && a.street.name.is_empty() && a.locality == "TERNPORT", "{text}: {a:?}");
    }
    let a = parse(&AddressInput { whole: "12 Boxwood Ln, Ternport", ..Default::default() }, &GRAMMAR, &());
    assert!(!a.post_box && a.street.name == "BOXWOOD");
}

#[test]
fn normal_form() {
    for (text, wanted) in [
        ("  a  b ", "A B"),
        ("Ł. Müller-Straße", "L MULLER-STRASSE"),
        ("O’Brien & Sons", "OBRIEN & SONS"),
        ("#3", "#3"),
        ("N.E.", "NE"),
        ("", ""),
        ("…", ""),
        ("Ærø", "AERO"),
        ("e\u{301}", "E"),
    ] {
        assert_eq!(normal::words(text), wanted, "{text}");
    }
    assert_eq!(normal::title("US HIGHWAY 701"), "US Highway 701");
    assert_eq!(normal::title("SAINT BRENDAN"), "Saint Brendan");
}

#[test]
fn words_that_are_regions_and_types_or_directions_too() {
    for (text, wanted) in [
        ("100 Old Dike Ct, 97981", "OLD DIKE Ct|||97981"),
        ("100 Old Dike Ct 97981", "OLD DIKE Ct|||97981"),
        ("100 Alder Ct", "ALDER Ct|||"),
        ("100 Heron Ln NE, 97981", "HERON Ln NE|||97981"),
        ("12 Alder St Graywater CT 06981", "ALDER St|GRAYWATER|CT|06981"),
        ("12 Alder St, Graywater, CT 06981", "ALDER St|GRAYWATER|CT|06981"),
        ("12 Alder St, Graywater, NE 68981", "ALDER St|GRAYWATER|NE|68981"),
    ] {
        let a = parse(&AddressInput { whole: text, ..Default::default() }, &GRAMMAR, &());
        assert_eq!(format!("{}|{}|{}|{}", street(&a.street), a.locality, a.region, a.postcode), wanted, "{text}");
    }
}
