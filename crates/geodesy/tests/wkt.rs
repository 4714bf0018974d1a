//! Well-known text of both versions: written, read back, recognised, refused.

use basilocus_geodesy::Error;
use basilocus_geodesy::crs::{Catalogue, Crs, Heights, Kind, recognise, wkt};
use proptest::prelude::*;

fn crs(text: &str) -> Crs {
    Catalogue::embedded().find_one(text).unwrap()
}

fn recognised(text: &str) -> (String, Vec<String>) {
    let found = recognise(&wkt::read(text).unwrap());
    (if found.in_catalogue { found.crs.identifier() } else { String::new() }, found.evidence)
}

/// Without its code a text has only its numbers and names; they have to be enough for every system that is alone in
/// having them.
fn without_codes(text: &str) -> String {
    let mut out = text.to_string();
    for keyword in [",AUTHORITY[", ",ID["] {
        while let Some(at) = out.find(keyword) {
            let end = at + out[at..].find(']').unwrap() + 1;
            out.replace_range(at..end, "");
        }
    }
    out
}

#[test]
fn every_system_comes_back_from_both_versions() {
    let catalogue = Catalogue::embedded();
    let mut tried = 0;
    for code in catalogue.codes() {
        let own = catalogue.get(code).unwrap();
        for text in [wkt::wkt1(&own).unwrap(), wkt::wkt2(&own).unwrap()] {
            let back = wkt::read(&text).unwrap_or_else(|e| panic!("{code}: {e}\n{text}"));
            assert_eq!(back.claimed_code, Some(code), "{text}");
            assert_eq!(back.crs.kind_name(), own.kind_name());
            match (back.crs.projection(), own.projection()) {
                (Ok(a), Ok(b)) => {
                    if let (Some(p), Some(q)) = (&a, &b) {
                        let (lon, lat) = middle(&own);
                        match (p.forward(lon, lat), q.forward(lon, lat)) {
                            (Some(p), Some(q)) => {
                                assert!((p.0 - q.0).hypot(p.1 - q.1) < 1e-6, "{code}: {p:?} {q:?}\n{text}")
                            }
                            (p, q) => assert_eq!(p, q, "{code}"),
                        }
                    }
                }
                (a, b) => assert_eq!(a.is_ok(), b.is_ok(), "{code} {a:?}\n{text}"),
            }
            if let (Some(a), Some(b)) = (back.crs.datum(), own.datum()) {
                assert_eq!(a.name, b.name, "{code}");
                assert_eq!(a.ellipsoid, b.ellipsoid, "{code}");
                assert!((a.prime_meridian_deg - b.prime_meridian_deg).abs() < 1e-12, "{code}");
            }
            tried += 1;
        }
    }
    assert!(tried > 12_000, "{tried}");
}

fn middle(crs: &Crs) -> (f64, f64) {
    let a = &crs.area;
    let width = (a.east_deg - a.west_deg).rem_euclid(360.0);
    (a.west_deg + 0.4 * width, a.south_deg + 0.4 * (a.north_deg - a.south_deg))
}

#[test]
fn a_text_without_codes_is_recognised_by_numbers_and_names() {
    let catalogue = Catalogue::embedded();
    let (mut right, mut unsure, mut wrong) = (0, 0, Vec::new());
    for code in catalogue.codes().step_by(23) {
        let own = catalogue.get(code).unwrap();
        if !matches!(own.kind, Kind::Projected { .. } | Kind::Geographic { .. }) {
            continue;
        }
        let found = recognise(&wkt::read(&without_codes(&wkt::wkt2(&own).unwrap())).unwrap());
        match (found.in_catalogue, found.crs.code == Some(code)) {
            (true, true) => right += 1,
            (false, _) => unsure += 1,
            (true, false) => wrong.push(format!("{} for {}", found.crs.title(), own.title())),
        }
    }
    assert!(wrong.is_empty(), "{wrong:?}");
    assert!(unsure * 20 < right, "{unsure} unsure, {right} right");
}

#[test]
fn texts_as_they_are_found_beside_files() {
    // Names in spellings of their own, no codes, a prefix before the datum, fewer digits than the registry.
    for (text, expected) in [
        (
            r#"PROJCS["NAD_1983_UTM_Zone_10N",GEOGCS["North_American_1983",DATUM["D_North_American_1983",SPHEROID["GRS_1980",6378137.0,298.257222101]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",-123.0],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]"#,
            "EPSG:26910",
        ),
        (
            r#"GEOGCS["World Geodetic System 84",DATUM["WGS_1984",SPHEROID["WGS_1984",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["Degree",0.017453292519943295]]"#,
            "EPSG:4326",
        ),
        (
            r#"PROJCS["Oregon north, survey of 1958",GEOGCS["NAD27",DATUM["North American Datum 1927",SPHEROID["Clarke 1866",6378206.4,294.9786982]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Lambert_Conformal_Conic"],PARAMETER["Standard_Parallel_1",44.33333333],PARAMETER["Standard_Parallel_2",46],PARAMETER["latitude_of_origin",43.66666667],PARAMETER["central_meridian",-120.5],PARAMETER["false_easting",2000000],PARAMETER["false_northing",0],UNIT["Foot_US",0.3048006096012192]]"#,
            "EPSG:32026",
        ),
        (
            "GEOGCRS[\"ETRS89\",ENSEMBLE[\"European Terrestrial Reference System 1989 ensemble\",MEMBER[\"European Terrestrial Reference Frame 1989\"],ELLIPSOID[\"GRS 1980\",6378137,298.257222101],ENSEMBLEACCURACY[0.1]],CS[ellipsoidal,2],AXIS[\"latitude\",north],AXIS[\"longitude\",east],UNIT[\"degree\",0.0174532925199433]]",
            "EPSG:4258",
        ),
    ] {
        let (code, evidence) = recognised(text);
        assert_eq!(code, expected, "{evidence:?}");
    }
}

#[test]
fn a_code_that_contradicts_its_numbers_is_not_believed() {
    let text = wkt::wkt1(&crs("EPSG:2269")).unwrap().replace("8202099.738", "2500000");
    let (code, evidence) = recognised(&text);
    assert_eq!(code, "");
    assert!(evidence[0].contains("EPSG:2269") && evidence[0].contains("elsewhere"), "{evidence:?}");
    // International feet where the code says US survey feet: four feet at this false easting.
    let text = wkt::wkt1(&crs("EPSG:2286")).unwrap().replace("0.304800609601219", "0.3048");
    assert!(recognised(&text).1[0].contains("unit"), "{:?}", recognised(&text));
}

#[test]
fn names_that_do_not_decide_are_listed() {
    // A datum without a name on GRS 1980: many systems have these numbers.
    let text = r#"GEOGCS["unnamed",DATUM["unknown",SPHEROID["GRS 1980",6378137,298.257222101]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]"#;
    let found = recognise(&wkt::read(text).unwrap());
    assert!(!found.in_catalogue && !found.others.is_empty(), "{:?}", found.evidence);
    assert!(found.evidence.iter().any(|e| e.contains("none of them is on a datum named like")), "{:?}", found.evidence);
}

#[test]
fn systems_of_ones_own_compute_and_carry_their_shift() {
    let text = r#"PROJCS["Tern Estuary local",GEOGCS["Tern base",DATUM["Tern",SPHEROID["Clarke 1866",6378206.4,294.978698213898],TOWGS84[-8,159,175,0,0,0,0]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["latitude_of_origin",46],PARAMETER["central_meridian",-123.8],PARAMETER["scale_factor",1],PARAMETER["false_easting",10000],PARAMETER["false_northing",0],UNIT["metre",1]]"#;
    let own = wkt::read(text).unwrap().crs;
    for again in [wkt::wkt1(&own).unwrap(), wkt::wkt2(&own).unwrap()] {
        let back = wkt::read(&again).unwrap().crs;
        assert_eq!(back.datum().unwrap().shift.as_ref().map(|s| s.helmert.translation_m), Some([-8.0, 159.0, 175.0]));
        assert_eq!(back.projection().unwrap(), own.projection().unwrap(), "{again}");
    }
    let op = basilocus_geodesy::operation::Operation::between(&own, &crs("EPSG:4326"), None).unwrap();
    let (lon, _, _) = op.apply_one(10_000.0, 20_000.0, 0.0).unwrap();
    assert!((lon + 123.8).abs() < 0.01 && (lon + 123.8).abs() > 1e-4, "shifted by some hundred metres: {lon}");
    assert_eq!(op.accuracy_m(), None, "nobody states an accuracy");
}

#[test]
fn heights_are_read_and_written() {
    for text in ["EPSG:4326+ellipsoidal", "EPSG:4326+5773", "EPSG:2269+6360", "EPSG:32610+ellipsoidal"] {
        let own = crs(text);
        let back = wkt::read(&wkt::wkt2(&own).unwrap()).unwrap().crs;
        assert_eq!(back.kind_name(), own.kind_name(), "{text}");
        assert_eq!(back.heights() == Heights::None, own.heights() == Heights::None, "{text}");
        assert_eq!(back.name, own.name);
    }
    assert!(matches!(wkt::wkt1(&crs("EPSG:4326+ellipsoidal")), Err(Error::Wkt { .. })));
}

#[test]
fn what_is_wrong_is_said_with_its_place() {
    let message = |text: &str| wkt::read(text).unwrap_err().to_string();
    assert!(
        message("PROJCS[\"a\"").contains("closing bracket of PROJCS is missing (at character 11)"),
        "{}",
        message("PROJCS[\"a\"")
    );
    assert!(message("hello").contains("an opening bracket is expected after hello"), "{}", message("hello"));
    assert!(message("UNIT[\"metre\",1]").contains("it begins with UNIT"));
    assert!(message("GEOGCS[\"a\",DATUM[\"b\",SPHEROID[\"c\",6378.137,298]]]").contains("semi-major axis"));
    assert!(message("GEOGCS[\"a\",DATUM[\"b\"]]").contains("ellipsoid"));
    assert!(message(&"A[".repeat(100)).contains("nested too deeply"));
    assert!(message(&format!("GEOGCS[\"{}\"]", "x".repeat(300_000))).contains("longer than"));
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]
    #[test]
    fn no_text_makes_it_panic(text in "[A-Z_]{0,8}[\\[(\"0-9a-z,.\\])eE+-]{0,60}") {
        let _ = wkt::read(&text);
    }

    #[test]
    fn no_damage_makes_it_panic(at in 0usize..900, cut in 0usize..20, put in "[\\[\\]\",0-9a-zA-Z.]{0,6}") {
        let text = wkt::wkt2(&crs("EPSG:2269")).unwrap();
        let from = at.min(text.len());
        let to = (from + cut).min(text.len());
        let damaged = format!("{}{put}{}", &text[..from], &text[to..]);
        if let Ok(d) = wkt::read(&damaged) {
            let _ = recognise(&d);
        }
    }
}
