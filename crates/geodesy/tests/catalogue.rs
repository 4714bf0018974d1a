//! Checks of the catalogue against what is known of families of systems from their definitions.

use basilocus_geodesy::crs::{Catalogue, Crs, Kind, wkt};
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::unit::{INTERNATIONAL_FOOT_M, US_SURVEY_FOOT_M};
use basilocus_geodesy::zone::UtmZone;
use std::collections::HashMap;

fn all() -> Vec<Crs> {
    let c = Catalogue::embedded();
    c.codes().map(|code| c.get(code).unwrap()).collect()
}

#[test]
fn counts_by_kind() {
    let mut counts: HashMap<&str, usize> = HashMap::new();
    for crs in all() {
        *counts.entry(crs.kind_name()).or_default() += 1;
    }
    assert_eq!(
        counts,
        HashMap::from([
            ("geographic", 520),
            ("projected", 5055),
            ("geocentric", 194),
            ("vertical", 257),
            ("compound", 379)
        ])
    );
    assert_eq!(Catalogue::embedded().len(), 6405);
}

#[test]
fn the_120_zones_of_the_universal_grid_are_as_defined() {
    let c = Catalogue::embedded();
    for number in 1..=60u8 {
        for north in [true, false] {
            let zone = UtmZone { number, north };
            let crs = c.get(zone.epsg_code()).unwrap();
            assert_eq!(crs.name, format!("WGS 84 / UTM zone {number}{}", if north { 'N' } else { 'S' }));
            let Kind::Projected { method, parameters, .. } = &crs.kind else { panic!("{}", crs.title()) };
            assert_eq!(method, "Transverse_Mercator");
            assert_eq!(parameters.get("central_meridian"), Some(zone.central_meridian_deg()));
            assert_eq!(parameters.get("scale_factor"), Some(0.9996));
            assert_eq!(parameters.get("false_northing"), Some(if north { 0.0 } else { 1e7 }));
            // The zone's own projection and the catalogue's give the same numbers.
            let lat = if north { 46.2 } else { -46.2 };
            let lon = zone.central_meridian_deg() + 1.5;
            let own = basilocus_geodesy::projection::TransverseMercator::utm(&crs.datum().unwrap().ellipsoid, zone)
                .forward(lon, lat)
                .unwrap();
            let way = Operation::between(&c.get(4326).unwrap(), &crs, None).unwrap().apply_one(lon, lat, 0.0).unwrap();
            assert_eq!((own.0, own.1), (way.0, way.1));
        }
    }
}

#[test]
fn feet_are_one_foot_or_the_other_never_something_between() {
    let (mut international, mut survey) = (0, 0);
    for crs in all() {
        let Kind::Projected { unit, .. } = &crs.kind else { continue };
        match unit.name.as_str() {
            "foot" => {
                international += 1;
                assert_eq!(unit.metres, INTERNATIONAL_FOOT_M, "{}", crs.title());
                assert!(!crs.name.contains("ftUS"), "{}", crs.title());
            }
            "US survey foot" => {
                survey += 1;
                assert_eq!(unit.metres, US_SURVEY_FOOT_M, "{}", crs.title());
                assert!(!crs.name.ends_with("(ft)"), "{}", crs.title());
            }
            _ => {}
        }
    }
    assert!(international > 100 && survey > 500, "{international} {survey}");
}

/// A zone that is defined in metres and in feet is one grid: the same place has the same number of metres in both, but
/// for the rounding of the false origin to the legal feet.
#[test]
fn systems_in_feet_and_in_metres_are_the_same_grid() {
    let systems = all();
    let by_name: HashMap<&str, &Crs> = systems.iter().map(|c| (c.name.as_str(), c)).collect();
    let mut checked = 0;
    for feet in &systems {
        let Some(base) = feet.name.strip_suffix(" (ftUS)").or_else(|| feet.name.strip_suffix(" (ft)")) else {
            continue;
        };
        let (Some(metres), Kind::Projected { unit, method, parameters, .. }) = (by_name.get(base), &feet.kind) else {
            continue;
        };
        let Kind::Projected { method: other, parameters: their, .. } = &metres.kind else { continue };
        if method != other || parameters.get("central_meridian") != their.get("central_meridian") {
            continue;
        }
        let (Ok(Some(a)), Ok(Some(b))) = (feet.projection(), metres.projection()) else { continue };
        let lon = (feet.area.west_deg + feet.area.east_deg) / 2.0;
        let lat = (feet.area.south_deg + feet.area.north_deg) / 2.0;
        let at = |p: &basilocus_geodesy::projection::Projection| {
            let (mut x, mut y) = ([lon], [lat]);
            p.forward_batch(&mut x, &mut y);
            (x[0], y[0])
        };
        let (f, m) = (at(&a), at(&b));
        assert!(
            (f.0 - m.0).abs() < 0.01 && (f.1 - m.1).abs() < 0.01,
            "{} and {}: {f:?} {m:?} ({} m)",
            feet.title(),
            metres.title(),
            unit.metres
        );
        checked += 1;
    }
    assert!(checked > 150, "{checked} pairs");
}

#[test]
fn projected_systems_stand_on_a_geographic_one_of_the_same_datum() {
    let c = Catalogue::embedded();
    for crs in all() {
        let Kind::Projected { datum, base, .. } = &crs.kind else { continue };
        let base = c.get(base.code.unwrap()).unwrap();
        assert!(base.is_geographic(), "{}", crs.title());
        assert_eq!(base.datum().unwrap().name, datum.name, "{}", crs.title());
        assert_eq!(base.datum().unwrap().ellipsoid, datum.ellipsoid, "{}", crs.title());
        assert_eq!(base.datum().unwrap().shift, datum.shift, "{}", crs.title());
    }
}

#[test]
fn numbers_are_sane_everywhere() {
    for crs in all() {
        let a = &crs.area;
        assert!((-180.0..=180.0).contains(&a.west_deg) && (-180.0..=180.0).contains(&a.east_deg), "{}", crs.title());
        assert!(a.south_deg <= a.north_deg && a.south_deg >= -90.0 && a.north_deg <= 90.0, "{}", crs.title());
        if let Some(d) = crs.datum() {
            assert!(
                (6.35e6..6.4e6).contains(&d.ellipsoid.semi_major_m),
                "{}: {}",
                crs.title(),
                d.ellipsoid.semi_major_m
            );
            assert!(
                d.ellipsoid.inverse_flattening == 0.0 || (290.0..=310.0).contains(&d.ellipsoid.inverse_flattening),
                "{}",
                crs.title()
            );
        }
        assert!(!crs.name.is_empty() && !crs.unit_words().is_empty());
    }
}

#[test]
fn texts_name_the_code_and_every_parameter() {
    for crs in all().iter().filter(|c| c.code.unwrap() % 7 == 0) {
        let text = wkt::wkt1(crs).unwrap();
        assert!(text.contains(&format!("AUTHORITY[\"EPSG\",\"{}\"]", crs.code.unwrap())), "{}", crs.title());
        if let Kind::Projected { parameters, method, .. } = &crs.kind {
            assert!(text.contains(&format!("PROJECTION[\"{method}\"]")));
            assert_eq!(text.matches("PARAMETER[").count(), parameters.0.len(), "{}", crs.title());
        }
        let lines = wkt::indented(&text);
        assert_eq!(lines.replace('\n', "").replace("  ", ""), text.replace("  ", ""), "indenting changes nothing else");
    }
}

#[test]
fn the_name_of_a_country_is_the_whole_country() {
    // Towns near the ends of the land, by their usual coordinates.
    for (country, towns) in [
        ("France", &[(-4.49, 48.39), (7.26, 43.71), (2.37, 51.03)][..]),
        ("germany", &[(7.85, 47.99), (9.44, 54.79), (14.99, 51.15)]),
        ("Brazil", &[(-34.86, -7.12), (-67.81, -9.97), (-52.1, -32.03), (-60.67, 2.82)]),
        ("United States", &[(-122.33, 47.61), (-80.19, 25.76), (-149.9, 61.22)]),
        ("Norway", &[(10.75, 59.91), (23.68, 70.66)]),
        ("New Zealand", &[(174.76, -36.85), (168.35, -46.41)]),
        ("Fiji", &[(178.44, -18.14), (179.36, -16.43)]),
        ("Japan", &[(141.35, 43.06), (130.56, 31.6)]),
        ("Kenya", &[(34.75, -0.1), (39.67, -4.04), (35.6, 3.12)]),
        ("United Kingdom", &[(1.3, 52.63), (-5.53, 50.12), (-3.19, 55.95)]),
        ("Georgia", &[(41.64, 41.65), (44.79, 41.72)]),
    ] {
        let area = Catalogue::embedded().area_named(country).unwrap();
        for (lon, lat) in towns {
            assert!(area.contains(*lon, *lat), "{country}: {area:?} without {lon} {lat}");
        }
    }
    // A state is one of its country's areas; what no country is called is found by its words.
    let oregon = Catalogue::embedded().area_named("Oregon").unwrap();
    assert!(oregon.contains(-121.0, 44.0) && !oregon.contains(-118.0, 36.0));
}
