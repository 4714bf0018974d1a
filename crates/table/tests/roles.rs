//! Headers as they are met, and what their columns seem to be. One line an example.

use basilocus_table::role::{detect, from_header};
use basilocus_table::{Batch, Ledger, Reason, Role};
use std::sync::Arc;

/// Words of addresses are told by the library, which knows their languages.
const HEADERS: &[(&str, Option<Role>)] = &[
    ("lon", Some(Role::Longitude)),
    ("LONG", Some(Role::Longitude)),
    ("Longitude (deg)", Some(Role::Longitude)),
    ("GPS Longitude", Some(Role::Longitude)),
    ("Lon DD", Some(Role::Longitude)),
    ("LATITUDE", Some(Role::Latitude)),
    ("lat_wgs84", Some(Role::Latitude)),
    ("site latitude", Some(Role::Latitude)),
    ("Easting", Some(Role::Easting)),
    ("X-Coordinate", Some(Role::Easting)),
    ("UTM_E", Some(Role::Easting)),
    ("NORTHING", Some(Role::Northing)),
    ("y coord", Some(Role::Northing)),
    ("elev_ft", Some(Role::Height)),
    ("Z", Some(Role::Height)),
    ("lat/long", Some(Role::Coordinates)),
    ("Position", Some(Role::Coordinates)),
    ("Grid Reference", Some(Role::Coordinates)),
    ("Parcel ID", Some(Role::Identifier)),
    ("Row", Some(Role::RowCounter)),
    ("remarks", None),
    ("width_m", None),
    ("owner", None),
    ("", None),
    ("population", None),
    ("latest visit", None),
    ("longest span", None),
];

#[test]
fn headers() {
    for (header, role) in HEADERS {
        assert_eq!(from_header(header, &|_| None).map(|(r, _)| r), *role, "{header}");
    }
}

/// Coordinates in tables of other languages, with values as they stand there; what is no coordinate beside them.
#[test]
fn coordinates_in_many_languages() {
    const DEGREES: [&[&str]; 2] = [&["9.12345", "9.23456"], &["46.12345", "46.23456"]];
    const METRES: [&[&str]; 2] = [&["500123.4", "438278"], &["5116580.25", "5116581"]];
    let roles = |x: &str, y: &str, values: [&[&str]; 2]| {
        let sample: Vec<Vec<&str>> = [&["1", "2"][..], values[0], values[1]].map(<[&str]>::to_vec).to_vec();
        detect(&["Nr", x, y], &sample, &|_| None)[1..].to_vec()
    };
    for (x, y) in [
        ("longitude", "latitude"),
        ("Länge", "Breite"),
        ("Laenge", "Breite"),
        ("Längengrad", "Breitengrad"),
        ("geographische Länge", "geographische Breite"),
        ("lengtegraad", "breedtegraad"),
        ("Lengte", "Breedte"),
        ("longitud", "latitud"),
        ("longitudine", "latitudine"),
        ("længdegrad", "breddegrad"),
        ("lengdegrad", "breddegrad"),
        ("längdgrad", "breddgrad"),
        ("Längd", "Bredd"),
        ("pituusaste", "leveysaste"),
        ("długość geograficzna", "szerokość geograficzna"),
        ("zeměpisná délka", "zeměpisná šířka"),
        ("délka", "šířka"),
    ] {
        assert_eq!(roles(x, y, DEGREES), [Some(Role::Longitude), Some(Role::Latitude)], "{x}, {y}");
    }
    for (x, y) in [
        ("Rechtswert", "Hochwert"),
        ("Ost", "Nord"),
        ("E", "N"),
        ("X-coordinaat", "Y-coordinaat"),
        ("rd_x", "rd_y"),
        ("oost", "noord"),
        ("Coordonnée X", "Coordonnée Y"),
        ("Est", "Nord"),
        ("Este", "Norte"),
        ("coordinata x", "coordinata y"),
        ("coordenada_x", "coordenada_y"),
        ("Øst", "Nord"),
        ("Öst", "Norr"),
        ("itäkoordinaatti", "pohjoiskoordinaatti"),
        ("wschód", "północ"),
        ("souřadnice X", "souřadnice Y"),
    ] {
        assert_eq!(roles(x, y, METRES), [Some(Role::Easting), Some(Role::Northing)], "{x}, {y}");
    }
    // The rest of the numbers stands in the header.
    let cut: [&[&str]; 2] = [&["38278", "123.4"], &["16580.25", "81"]];
    assert_eq!(roles("Easting (+400000)", "Northing (+5 100 000)", cut), [Some(Role::Easting), Some(Role::Northing)]);
    assert_eq!(roles("E - 400,000", "N - 5,100,000", cut), [Some(Role::Easting), Some(Role::Northing)]);
    assert_eq!(
        roles("x +400000", "y +5100000", [&["78", "12"], &["80", "81"]]),
        [Some(Role::Easting), Some(Role::Northing)]
    );
    // A hut is so long and so wide; E and N are marks of anything.
    assert_eq!(roles("Länge", "Breite", [&["12.500", "8.125"], &["6.250", "4.500"]]), [None, None]);
    assert_eq!(roles("Lengte", "Breedte", [&["12", "8"], &["6", "4"]]), [None, None]);
    assert_eq!(roles("e", "n", [&["3", "4"], &["1", "9"]]), [None, None]);
    // Beside true coordinates they are what they are.
    let sample = vec![vec!["9.1"], vec!["46.2"], vec!["9.123"], vec!["46.123"]];
    let found = detect(&["lon", "lat", "Länge", "Breite"], &sample, &|_| None);
    assert_eq!(found, [Some(Role::Longitude), Some(Role::Latitude), None, None]);
}

#[test]
fn values_decide_where_headers_do_not() {
    let roles = |headers: &[&str], columns: &[&[&str]]| {
        detect(headers, &columns.iter().map(|c| c.to_vec()).collect::<Vec<_>>(), &|_| None)
    };
    // A column whose every value is a position.
    assert_eq!(
        roles(&["note"], &[&["46 12.0N 123 48.0W", "46.2, -123.8", "N46°12' W123°48'"]]),
        [Some(Role::Coordinates)]
    );
    assert_eq!(roles(&["note"], &[&["46 12.0N 123 48.0W", "at the gate"]]), [None]);
    assert_eq!(roles(&["phone"], &[&["503-555-0101", "503-555-0102", "503-555-0103"]]), [None]);
    // x and y hold what they hold.
    assert_eq!(roles(&["x", "y"], &[&["-123.8"], &["46.2"]]), [Some(Role::Longitude), Some(Role::Latitude)]);
    assert_eq!(roles(&["x", "y"], &[&["438278"], &["5116580"]]), [Some(Role::Easting), Some(Role::Northing)]);
    // Degrees are not doubted by one bad cell.
    assert_eq!(
        roles(&["lon", "lat"], &[&["-123.8", "x"], &["46.2", "46.3"]]),
        [Some(Role::Longitude), Some(Role::Latitude)]
    );
    // The surer header wins.
    assert_eq!(
        roles(&["site lat", "lat", "lon"], &[&["1"], &["2"], &["3"]]),
        [None, Some(Role::Latitude), Some(Role::Longitude)]
    );
    let number = |_: &str| Some((Role::HouseNumber, 0));
    assert_eq!(detect(&["number"], &[vec!["blue", "red"]], &number), [None]);
    assert!(roles(&[], &[]).is_empty());
    assert_eq!(roles(&["lon"], &[]), [Some(Role::Longitude)], "no values, no objection");
}

#[test]
fn an_empty_batch_has_a_schema_and_no_rows() {
    let field = arrow_schema::Field::new("a", arrow_schema::DataType::Utf8, true);
    let batch = Batch::empty(Arc::new(arrow_schema::Schema::new(vec![field])));
    assert!(batch.is_empty() && batch.filter(&[]).is_empty());
    assert_eq!(batch.records().num_columns(), 1);
}

#[test]
fn ledgers_add_up_reason_by_reason() {
    let mut ledger = Ledger { rows_in: 5, rows_out: 2, ..Default::default() };
    ["blank row", "ragged row", "blank row"].iter().for_each(|c| ledger.set_aside(&Reason::new(c)));
    assert_eq!((ledger.set_aside_total(), ledger.set_aside[&Reason::new("blank row")]), (3, 2));
    ledger.check().unwrap();
    ledger.rows_in += 1;
    assert!(ledger.check().unwrap_err().to_string().contains("6 rows in, 2 out, 0 left out, 3 set aside"));
    // What a selection left out is part of the sum.
    ledger.leave_out(&Reason::new("outside the areas"), 1);
    ledger.check().unwrap();
    let mut two = Ledger::default();
    two.merge(&ledger);
    assert_eq!((two.left_out_total(), two.rows_in), (1, 6));
}
