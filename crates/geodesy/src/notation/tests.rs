use super::*;
use proptest::prelude::*;

fn at(text: &str) -> (f64, f64) {
    match read(text, AxisOrder::Reject) {
        Ok(r) => (r.lat_deg, r.lon_deg),
        Err(e) => panic!("{e}"),
    }
}

fn refusal(text: &str) -> String {
    read(text, AxisOrder::Reject).unwrap_err().to_string()
}

#[test]
fn one_place_in_many_spellings() {
    for text in [
        "46.2 -123.8",
        "46.2, -123.8",
        "-123.8 46.2",
        "46,2 -123,8",
        "46,2; -123,8",
        "46,2, -123,8",
        "46.2N 123.8W",
        "N46.2 W123.8",
        "46.2° N, 123.8° W",
        "123.8W 46.2N",
        "W 123.8, N 46.2",
        "lat 46.2 lon -123.8",
        "Latitude: 46.2, Longitude: -123.8",
        "lon=-123.8; lat=46.2",
        "(46.2, -123.8)",
        "46° 12.0' N, 123° 48.0' W",
        "N46 12.0 W123 48.0",
        "N 46° 12.000′ W 123° 48.000′",
        "46 12 N 123 48 W",
        "46-12.0N 123-48.0W",
        "46:12.0N, 123:48.0W",
        "46 12.0 -123 48.0",
        "46°12,0'N 123°48,0'W",
        "46 deg 12.0 min N, 123 deg 48.0 min W",
        "46d12m00sec N 123d48m00sec W",
        "46°12'00\"N 123°48'00\"W",
        "46°12′00″N, 123°48′00″W",
        "46° 12' 0.0'' North, 123° 48' 0.0'' West",
        "46 12 0 -123 48 0",
        "46:12:00N 123:48:00W",
        "46º12’00”N 123º48’00”W",
        "46.2 −123.8",
        "46.2/-123.8",
        "46.2 236.2",
        "46.2N\u{a0}123.8W",
    ] {
        let (lat, lon) = at(text);
        assert!((lat - 46.2).abs() < 1e-12 && (lon + 123.8).abs() < 1e-12, "{text}: {lat} {lon}");
    }
}

#[test]
fn what_it_was_read_as() {
    let notation = |text| read(text, AxisOrder::Reject).unwrap().notation;
    assert_eq!(notation("46.2 -123.8"), Notation::DecimalDegrees);
    assert_eq!(notation("46 12.0N 123 48.0W"), Notation::DegreesMinutes);
    assert_eq!(notation("46°12'00\"N 123°48'00\"W"), Notation::DegreesMinutesSeconds);
    assert_eq!(notation("10T 438278 5116580"), Notation::Utm);
}

#[test]
fn refusals_say_where_and_why() {
    insta::assert_snapshot!(refusal("46 61.0 N 123 48.0 W"), @r#""46 61.0 N 123 48.0 W" has 61 minutes; they end below 60 (at character 4: "6")"#);
    insta::assert_snapshot!(refusal("95.0N 123.8W"), @r#""95.0N 123.8W" is latitude 95, outside −90…90"#);
    insta::assert_snapshot!(refusal("46.2N 123.8N"), @r#""46.2N 123.8N" has two latitudes"#);
    insta::assert_snapshot!(refusal("46.2N 123.8"), @r#""46.2N 123.8" has a hemisphere letter for one of the two angles only (at character 5: "N")"#);
    insta::assert_snapshot!(refusal("-46.2S 123.8W"), @r#""-46.2S 123.8W" has both a minus sign and a hemisphere letter; keep one of them (at character 1: "-")"#);
    insta::assert_snapshot!(refusal("somewhere north"), @r#""somewhere north" has the word "somewhere", which is no part of a position in degrees (at character 1: "s")"#);
    insta::assert_snapshot!(refusal("46.2"), @r#""46.2" has one number; a position needs two"#);
    insta::assert_snapshot!(refusal("46 12 30 123 48"), @r#""46 12 30 123 48" has 5 numbers, which do not divide into two angles; write hemisphere letters or a separator"#);
    insta::assert_snapshot!(refusal("46.5 12.0 N 123 48.0 W"), @r#""46.5 12.0 N 123 48.0 W" has decimals in a part that is not the last (at character 1: "4")"#);
    insta::assert_snapshot!(refusal("10 20"), @r#""10 20" has 2 readings: latitude 10° N, longitude 20° E (decimal degrees), or latitude 20° N, longitude 10° E (decimal degrees); write hemisphere letters, or say the order"#);
    insta::assert_snapshot!(refusal(" "), @r#"" " is empty"#);
    insta::assert_snapshot!(refusal("61T 438278 5116580"), @r#""61T 438278 5116580" has zone "61"; zones are 1 to 60"#);
    insta::assert_snapshot!(refusal("10T 5116580 438278"), @r#""10T 5116580 438278" has easting 5116580; eastings lie between 100000 and 900000 m (is it the northing?)"#);
    insta::assert_snapshot!(refusal("10C 438278 5116580"), @r#""10C 438278 5116580" has band C (-80 to -72°) but its northing is at latitude -44.10°"#);
}

#[test]
fn order_is_a_policy() {
    assert_eq!(read("10 20", AxisOrder::LatitudeFirst).unwrap().lat_deg, 10.0);
    assert_eq!(read("10 20", AxisOrder::LongitudeFirst).unwrap().lat_deg, 20.0);
    // Letters are stronger than the policy.
    assert_eq!(read("10E 20N", AxisOrder::LatitudeFirst).unwrap().lat_deg, 20.0);
}

#[test]
fn utm_letters_are_bands_or_hemispheres() {
    for text in [
        "10T 438278 5116580",
        "10 T 438278 5116580",
        "10N 438278 5116580",
        "Zone 10 North 438278 5116580",
        "10 N 438278mE 5116580mN",
        "UTM 10T 438278E 5116580N",
        "10T 438278, 5116580",
    ] {
        let (lat, lon) = at(text);
        assert!((lat - 46.2).abs() < 1e-5 && (lon + 123.8).abs() < 1e-5, "{text}: {lat} {lon}");
    }
    // 33° N in band S, or 56° S: both exist, so neither is taken.
    assert_eq!(read("10S 438278 3700000", AxisOrder::Reject).unwrap_err().readings.len(), 2);
    assert!(at("10 South 438278 3700000").0 < 0.0);
    // This northing is not in band S, which leaves the hemisphere.
    assert!(at("10S 438278 6000000").0 < 0.0);
}

#[test]
fn single_angles_of_a_column() {
    let value = |text, is_lat| read_angle(text, is_lat).map(|a| a.degrees);
    assert_eq!(value("123° 48' W", false), Ok(-123.8));
    assert_eq!(value("46,2", true), Ok(46.2));
    assert_eq!(value("46 12 0", true), Ok(46.2));
    assert!(value("123.8W", true).unwrap_err().to_string().contains("longitude (letter W) where a latitude"));
    assert!(value("95", true).unwrap_err().to_string().contains("latitude 95, outside"));
    assert!(value("", true).is_err());
}

#[test]
fn last_digit_on_the_ground() {
    // A minute of latitude is 1852 m within a few metres at mid latitudes, by the nautical mile's origin.
    let (north, east) = Notation::DegreesMinutes.last_digit_m(0, 45.0);
    assert!((north - 1852.0).abs() < 1.0, "{north}");
    assert!((east - 1314.2).abs() < 1.0, "{east}");
}

proptest! {
    #[test]
    fn what_is_printed_is_read_back(lat in -79.9_f64..83.9, lon in -179.9_f64..179.9, digits in 0usize..7, which in 0usize..4) {
        let notation = NOTATIONS[which];
        let text = print(lon, lat, notation, digits).unwrap();
        let r = match read(&text, AxisOrder::LatitudeFirst) {
            Ok(r) => r,
            // Band S with a southern reading: the error must hold the right one.
            Err(e) => e.readings.into_iter().find(|r| (r.lat_deg - lat).abs() < 1.0).ok_or_else(|| TestCaseError::fail(text.clone()))?,
        };
        let (north, east) = notation.last_digit_m(digits, lat);
        prop_assert!((r.lat_deg - lat).abs() * 111_700.0 <= north * 0.52 + 1e-6 + if notation == Notation::Utm { north } else { 0.0 }, "{text} {} {lat}", r.lat_deg);
        let wrapped = (r.lon_deg - lon + 540.0).rem_euclid(360.0) - 180.0;
        prop_assert!(wrapped.abs() * 111_320.0 * lat.to_radians().cos() <= east * 0.52 + 1e-6 + if notation == Notation::Utm { east } else { 0.0 }, "{text} {} {lon}", r.lon_deg);
    }

    #[test]
    fn no_text_panics(text in "\\PC{0,40}") {
        let _ = read(&text, AxisOrder::Reject);
        let _ = read_angle(&text, true);
        let _ = read_number(&text);
    }

    #[test]
    fn no_coordinate_like_text_panics(text in "[0-9NSEWnsew°'\"., :;+-]{0,24}") {
        let _ = read(&text, AxisOrder::Reject);
        let _ = read_angle(&text, false);
        let _ = read_number(&text);
    }
}
