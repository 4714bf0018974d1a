//! Written positions as they are met in tables, notes and messages, each with the place it means or the reason why it
//! is refused. One line an example: the table is the documentation.

use basilocus_geodesy::notation::{AxisOrder, Notation, read, read_angle, read_number};

use Notation::{DecimalDegrees as DD, DegreesMinutes as DM, DegreesMinutesSeconds as DMS, Utm};

/// Text, notation, latitude, longitude.
const READ: &[(&str, Notation, f64, f64)] = &[
    // Decimal degrees
    ("46.2N,123.8W", DD, 46.2, -123.8),
    ("46.2 N, 123.8 W", DD, 46.2, -123.8),
    ("N 46.2, W 123.8", DD, 46.2, -123.8),
    ("n46.2 w123.8", DD, 46.2, -123.8),
    ("46.2°,-123.8°", DD, 46.2, -123.8),
    ("46.2° -123.8°", DD, 46.2, -123.8),
    ("+46.2 -123.8", DD, 46.2, -123.8),
    ("+46.2, -123.8", DD, 46.2, -123.8),
    ("-123.8, +46.2", DD, 46.2, -123.8),
    ("lat: 46.2, lon: -123.8", DD, 46.2, -123.8),
    ("lat=46.2 long=-123.8", DD, 46.2, -123.8),
    ("LAT 46.2 N LON 123.8 W", DD, 46.2, -123.8),
    ("longitude -123.8 latitude 46.2", DD, 46.2, -123.8),
    ("[46.2, -123.8]", DD, 46.2, -123.8),
    ("(-123.8 46.2)", DD, 46.2, -123.8),
    ("46.2;-123.8", DD, 46.2, -123.8),
    ("46.2 | -123.8", DD, 46.2, -123.8),
    ("46,2;-123,8", DD, 46.2, -123.8),
    ("46,2° N; 123,8° W", DD, 46.2, -123.8),
    ("46.2 deg N 123.8 deg W", DD, 46.2, -123.8),
    ("46.2 degrees north, 123.8 degrees west", DD, 46.2, -123.8),
    ("46.2North 123.8West", DD, 46.2, -123.8),
    ("46N 124W", DD, 46.0, -124.0),
    ("46N 123.80000000W", DD, 46.0, -123.8),
    ("46 N 123,80000 W", DD, 46.0, -123.8),
    ("33.5S 151.2E", DD, -33.5, 151.2),
    ("-33.5 151.2", DD, -33.5, 151.2),
    ("151.2 -33.5", DD, -33.5, 151.2),
    ("0N 0E", DD, 0.0, 0.0),
    ("90N 0E", DD, 90.0, 0.0),
    ("0N 180E", DD, 0.0, 180.0),
    ("46.2\t-123.8", DD, 46.2, -123.8),
    ("  46.2   -123.8  ", DD, 46.2, -123.8),
    ("46.20000000, -123.80000000", DD, 46.2, -123.8),
    ("46. -123.", DD, 46.0, -123.0),
    (".5N .25E", DD, 0.5, 0.25),
    // Degrees and decimal minutes
    ("46°12'N 123°48'W", DM, 46.2, -123.8),
    ("46° 12' N, 123° 48' W", DM, 46.2, -123.8),
    ("46°12.000′N 123°48.000′W", DM, 46.2, -123.8),
    ("N46°12.000' W123°48.000'", DM, 46.2, -123.8),
    ("N 46 12.000 W 123 48.000", DM, 46.2, -123.8),
    ("46 12.000N/123 48.000W", DM, 46.2, -123.8),
    ("46-12.000N, 123-48.000W", DM, 46.2, -123.8),
    ("46 12,000 N 123 48,000 W", DM, 46.2, -123.8),
    ("W123 48.0 N46 12.0", DM, 46.2, -123.8),
    ("46º12.0'N,123º48.0'W", DM, 46.2, -123.8),
    ("46 deg 12 min N 123 deg 48 min W", DM, 46.2, -123.8),
    ("46° 12' -123° 48'", DM, 46.2, -123.8),
    ("+46 12.0, -123 48.0", DM, 46.2, -123.8),
    ("46:12.0 N 123:48.0 W", DM, 46.2, -123.8),
    ("46*12.0'N 123*48.0'W", DM, 46.2, -123.8),
    // Degrees, minutes and seconds
    ("46°12'0\"N 123°48'0\"W", DMS, 46.2, -123.8),
    ("46° 12' 00.0\" N, 123° 48' 00.0\" W", DMS, 46.2, -123.8),
    ("46°12′00″N 123°48′00″W", DMS, 46.2, -123.8),
    ("46°12’00”N, 123°48’00”W", DMS, 46.2, -123.8),
    ("46°12''00''", DMS, f64::NAN, f64::NAN),
    ("46 12 00 N 123 48 00 W", DMS, 46.2, -123.8),
    ("46 12 00N,123 48 00W", DMS, 46.2, -123.8),
    ("46-12-00N 123-48-00W", DMS, 46.2, -123.8),
    ("46:12:00.0N 123:48:00.0W", DMS, 46.2, -123.8),
    ("N46°12'00'' W123°48'00''", DMS, 46.2, -123.8),
    ("46d 12m 0sec N 123d 48m 0sec W", DMS, 46.2, -123.8),
    ("46 12 0.0 -123 48 0.0", DMS, 46.2, -123.8),
    ("46º 12´ 00˝ N 123º 48´ 00˝ W", DMS, 46.2, -123.8),
    ("46°12'00,0\"N 123°48'00,0\"W", DMS, 46.2, -123.8),
    ("S33°30'00\" E151°12'00\"", DMS, -33.5, 151.2),
    // Universal transverse Mercator
    ("10T 438278 5116580", Utm, 46.2, -123.8),
    ("10 T 438278 5116580", Utm, 46.2, -123.8),
    ("10t 438278mE 5116580mN", Utm, 46.2, -123.8),
    ("10N 438278 5116580", Utm, 46.2, -123.8),
    ("zone 10 north 438278 5116580", Utm, 46.2, -123.8),
    ("UTM 10T 438278E 5116580N", Utm, 46.2, -123.8),
    ("UTM zone 10T, 438278 m E, 5116580 m N", Utm, 46.2, -123.8),
    ("10T 438,278 5,116,580", Utm, 46.2, -123.8),
    ("10T; 438278; 5116580", Utm, 46.2, -123.8),
];

#[test]
fn what_is_read() {
    for (text, notation, lat, lon) in READ {
        if lat.is_nan() {
            assert!(read(text, AxisOrder::Reject).is_err(), "{text}");
            continue;
        }
        let r = read(text, AxisOrder::Reject).unwrap_or_else(|e| panic!("{e}"));
        assert_eq!(r.notation, *notation, "{text}");
        let near = if *notation == Utm { 1e-5 } else { 1e-12 };
        assert!(
            (r.lat_deg - lat).abs() < near && (r.lon_deg - lon).abs() < near,
            "{text}: {} {}",
            r.lat_deg,
            r.lon_deg
        );
    }
}

/// Text, and a part of the reason.
const REFUSED: &[(&str, &str)] = &[
    ("", "is empty"),
    ("46.2", "one number"),
    ("46.2N", "one number"),
    ("abc", "word \"abc\""),
    ("46.2N 123.8N", "two latitudes"),
    ("46.2E 123.8W", "two longitudes"),
    ("91N 10E", "outside −90…90"),
    ("10N 361E", "outside"),
    ("95 200", "outside"),
    ("46 60 N 123 48 W", "end below 60"),
    ("46 12 60 N 123 48 00 W", "end below 60"),
    ("46 12.5 30 N 123 48 0 W", "decimals in a part that is not the last"),
    ("46 12 30 10 N 123 48 0 W", "more parts"),
    ("-46.2N 123.8W", "minus sign and a hemisphere letter"),
    ("46.2NN 123.8W", "word \"nn\""),
    ("46.2 N S 123.8 W", ""),
    ("46'12°N 123'48°W", "sign of minutes where degrees"),
    ("46.2, 123.8, 5", ""),
    ("1 2 3", "do not divide into two angles"),
    ("46.2 $ 123.8", "sign that is no part"),
    ("--46.2 123.8", ""),
    ("10 20", "2 readings"),
    ("45.5, 10.25", "2 readings"),
    ("0T 438278 5116580", "zones are 1 to 60"),
    ("10T 438278", "easting and a northing are expected"),
    ("10I 438278 5116580", "band letter C to X"),
    ("10T 38278 5116580", "eastings lie between"),
    ("10T 438278 11116580", "northings lie between"),
    ("10T 438278 abc", "where metres are expected"),
    ("10S 438278 3700000", "2 readings"),
];

#[test]
fn what_is_refused_and_why() {
    for (text, part) in REFUSED {
        let e = read(text, AxisOrder::Reject).map(|r| r.words()).unwrap_err();
        assert!(e.to_string().contains(part), "{text}: {e}");
        assert!(e.to_string().starts_with('"'), "the text is quoted: {e}");
    }
}

#[test]
fn single_angles() {
    for (text, is_latitude, wanted) in [
        ("46.2", true, 46.2),
        ("46,2", true, 46.2),
        ("46 12", true, 46.2),
        ("46°12'", true, 46.2),
        ("46 12 0 N", true, 46.2),
        ("N46.2", true, 46.2),
        ("-123.8", false, -123.8),
        ("123.8W", false, -123.8),
        ("W 123 48 00", false, -123.8),
        ("236.2", false, 236.2),
        ("lon 123.8 W", false, -123.8),
        ("33°30'S", true, -33.5),
    ] {
        let a = read_angle(text, is_latitude).unwrap_or_else(|e| panic!("{e}"));
        assert!((a.degrees - wanted).abs() < 1e-12, "{text}: {}", a.degrees);
    }
    for (text, is_latitude) in [
        ("123.8", true),
        ("46.2N", false),
        ("46.2 47.2 48.2 49.2", true),
        ("46 61", true),
        ("N", true),
        ("4 6 . 2 x", true),
        ("400", false),
    ] {
        assert!(read_angle(text, is_latitude).is_err(), "{text}");
    }
}

#[test]
fn numbers_as_countries_write_them() {
    for (text, wanted) in [
        ("1234.5", 1234.5),
        ("1234,5", 1234.5),
        ("1 234,5", 1234.5),
        ("1\u{a0}234\u{a0}567,25", 1_234_567.25),
        ("1'234'567.25", 1_234_567.25),
        ("1.234.567,25", 1_234_567.25),
        ("1,234,567.25", 1_234_567.25),
        ("-0,25", -0.25),
        ("+7", 7.0),
        ("007", 7.0),
        ("1,2345", 1.2345),
        ("12,34", 12.34),
        ("1234,567", 1234.567),
    ] {
        assert_eq!(read_number(text).unwrap_or_else(|e| panic!("{e}")), wanted, "{text}");
    }
    for text in ["1,234", "12,345", "123,456", "1 23", "1.23.4", "1,23,4", "1,234.5,6", "1..2", "e5", "5e", "½", "12 m"]
    {
        assert!(read_number(text).is_err(), "{text}");
    }
}
