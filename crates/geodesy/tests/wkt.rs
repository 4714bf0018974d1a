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

/// A projection of one's own as files carry it: no code, the datum in a spelling of its own.
fn own_scale(geographic: &str, datum: &str, spheroid: &str, central_meridian: f64) -> String {
    format!(
        r#"PROJCS["own",GEOGCS["{geographic}",DATUM["{datum}",SPHEROID[{spheroid}]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",{central_meridian}],PARAMETER["Scale_Factor",0.9997],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]"#
    )
}

#[test]
fn a_projection_of_ones_own_on_a_named_datum_is_transformed_like_the_datum() {
    const GRS: &str = r#""GRS_1980",6378137.0,298.257222101"#;
    for (geographic, datum, spheroid, meridian, base) in [
        ("GCS_WGS_1984", "D_WGS_1984", r#""WGS_1984",6378137.0,298.257223563"#, 9.0, 4326),
        ("GCS_ETRS_1989", "D_ETRS_1989", GRS, 9.0, 4258),
        ("GCS_ETRS_1989", "European_Terrestrial_Reference_System_1989", GRS, 9.0, 4258),
        ("GCS_North_American_1983", "D_North_American_1983", GRS, -123.0, 4269),
        ("NAD83", "North_American_Datum_1983", GRS, -123.0, 4269),
        ("GCS_North_American_1983_HARN", "D_North_American_1983_HARN", GRS, -123.0, 4152),
        ("GCS_NAD_1983_2011", "D_NAD_1983_2011", GRS, -123.0, 6318),
        ("GCS_North_American_1927", "D_North_American_1927", r#""Clarke_1866",6378206.4,294.9786982"#, -123.0, 4267),
        ("GCS_European_1950", "D_European_1950", r#""International_1924",6378388.0,297.0"#, 9.0, 4230),
        ("GCS_OSGB_1936", "D_OSGB_1936", r#""Airy_1830",6377563.396,299.3249646"#, -2.0, 4277),
        (
            "GCS_Deutsches_Hauptdreiecksnetz",
            "D_Deutsches_Hauptdreiecksnetz",
            r#""Bessel_1841",6377397.155,299.1528128"#,
            9.0,
            4314,
        ),
        ("GCS_GDA_1994", "D_GDA_1994", GRS, 147.0, 4283),
        ("GCS_NZGD_2000", "D_NZGD_2000", GRS, 173.0, 4167),
        ("GCS_Pulkovo_1942", "D_Pulkovo_1942", r#""Krasovsky_1940",6378245.0,298.3"#, 39.0, 4284),
        ("GCS_Tokyo", "D_Tokyo", r#""Bessel_1841",6377397.155,299.1528128"#, 139.0, 4301),
        ("GCS_SIRGAS_2000", "D_SIRGAS_2000", GRS, -51.0, 4674),
        ("GCS_CH1903", "D_CH1903", r#""Bessel_1841",6377397.155,299.1528128"#, 7.5, 4149),
        ("GCS_Amersfoort", "D_Amersfoort", r#""Bessel_1841",6377397.155,299.1528128"#, 5.4, 4289),
        ("GCS_MGI", "D_MGI", r#""Bessel_1841",6377397.155,299.1528128"#, 13.3, 4312),
    ] {
        let found = recognise(&wkt::read(&own_scale(geographic, datum, spheroid, meridian)).unwrap());
        assert!(!found.in_catalogue);
        let Kind::Projected { base: own, .. } = &found.crs.kind else { panic!("{:?}", found.crs.kind) };
        assert_eq!(own.code, Some(base), "{datum}: {:#?} {:?}", found.evidence, found.others);
        // The same numbers on the same datum: what the geographic system gives, this one gives.
        let geographic = crs(&format!("EPSG:{base}"));
        let (lon, lat) = (meridian + 1.0, middle(&geographic).1);
        let (x, y) = found.crs.projection().unwrap().unwrap().forward(lon, lat).unwrap();
        let to = crs("EPSG:4326");
        let [ours, theirs] = [(&found.crs, x, y), (&geographic, lon, lat)].map(|(from, x, y)| {
            basilocus_geodesy::operation::Operation::between(from, &to, None).unwrap().apply_one(x, y, 0.0).unwrap()
        });
        assert!((ours.0 - theirs.0).abs() < 1e-8 && (ours.1 - theirs.1).abs() < 1e-8, "{datum}: {ours:?} {theirs:?}");
    }
    let found = recognise(&wkt::read(&own_scale("x", "D_Nobody_Knows", GRS, 9.0)).unwrap());
    assert!(found.evidence.iter().any(|e| e.contains("none of the catalogue")), "{:?}", found.evidence);
}

#[test]
fn realisations_that_share_their_numbers_are_told_apart_by_name() {
    for (name, geographic, datum, expected) in [
        (
            "NAD_1983_StatePlane_Oregon_North_FIPS_3601_Feet_Intl",
            "GCS_North_American_1983",
            "D_North_American_1983",
            2269,
        ),
        (
            "NAD_1983_HARN_StatePlane_Oregon_North_FIPS_3601_Feet_Intl",
            "GCS_North_American_1983_HARN",
            "D_North_American_1983_HARN",
            2913,
        ),
        (
            "NAD_1983_NSRS2007_StatePlane_Oregon_North_FIPS_3601_Ft_Intl",
            "GCS_NAD_1983_NSRS2007",
            "D_NAD_1983_NSRS2007",
            3646,
        ),
        ("NAD_1983_CORS96_StatePlane_Oregon_North_FIPS_3601_Ft_Intl", "GCS_NAD_1983_CORS96", "D_NAD_1983_CORS96", 6885),
        ("NAD_1983_2011_StatePlane_Oregon_North_FIPS_3601_Ft_Intl", "GCS_NAD_1983_2011", "D_NAD_1983_2011", 6559),
    ] {
        let text = format!(
            r#"PROJCS["{name}",GEOGCS["{geographic}",DATUM["{datum}",SPHEROID["GRS_1980",6378137.0,298.257222101]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Lambert_Conformal_Conic"],PARAMETER["False_Easting",8202099.737532808],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",-120.5],PARAMETER["Standard_Parallel_1",44.33333333333334],PARAMETER["Standard_Parallel_2",46.0],PARAMETER["Latitude_Of_Origin",43.66666666666666],UNIT["Foot",0.3048]]"#
        );
        let (code, evidence) = recognised(&text);
        assert_eq!(code, format!("EPSG:{expected}"), "{evidence:#?}");
        let start = text.find("GEOGCS").unwrap();
        let end = text.find(",PROJECTION").unwrap();
        let base = crs(&format!("EPSG:{expected}"));
        let Kind::Projected { base, .. } = &base.kind else { unreachable!() };
        let (code, evidence) = recognised(&text[start..end]);
        assert_eq!(code, format!("EPSG:{}", base.code.unwrap()), "{evidence:#?}");
    }
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
