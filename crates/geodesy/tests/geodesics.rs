//! Geodesics, rhumb lines and areas against `tools/reference-geodesics.py` (numerical integrals at 50 digits) and
//! against what follows from the definitions.

use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::{Geodesic, area, rhumb};
use proptest::prelude::*;

#[test]
fn direct_and_inverse_to_fifteen_nanometres() {
    let (mut direct, mut inverse, mut azimuths, mut hard) = (0.0f64, 0.0f64, 0.0f64, 0);
    for line in include_str!("data/geodesics.tsv").lines().skip(1) {
        let v: Vec<f64> = line.split('\t').map(|t| t.parse().unwrap()).collect();
        let [a, rf, lat1, az1, s12, dlon, lat2, az2, m12, scale, _, shortest] = v[..] else { panic!("{line}") };
        let g = Geodesic::new(&Ellipsoid::new("reference", a, rf));
        let lon1 = -73.0;
        let d = g.direct(lon1, lat1, az1, s12);
        let east = ((d.lon_deg - lon1 - dlon + 540.0).rem_euclid(360.0) - 180.0) * lat2.to_radians().cos();
        // A degree is 111,320 m; the position's own last digit is worth 3 nm.
        direct = direct.max(east.hypot(d.lat_deg - lat2) * 111_320.0);
        assert!((d.final_azimuth_deg - az2).abs() * lat2.to_radians().cos() < 1e-11, "{line}: {d:?}");
        assert!((d.reduced_length_m - m12).abs() < 1e-7 && (d.scale - scale).abs() < 1e-13, "{line}: {d:?}");
        if shortest == 1.0 {
            let i = g.inverse(lon1, lat1, lon1 + dlon, lat2);
            inverse = inverse.max((i.distance_m - s12).abs());
            // Near the antipode azimuths are as uncertain as the reduced length is short.
            let side = (i.azimuth_deg - az1).to_radians().abs() * i.reduced_length_m.abs();
            azimuths = azimuths.max(side);
            hard += usize::from(s12 > 1.99e7);
            assert!((i.reduced_length_m - m12).abs() < 1e-4, "{line}: {i:?}");
            let back = g.inverse(lon1 + dlon, lat2, lon1, lat1);
            assert!((back.distance_m - i.distance_m).abs() < 1e-8, "there and back: {line}");
        }
    }
    println!("direct {direct:.1e} m, inverse {inverse:.1e} m, sideways {azimuths:.1e} m, {hard} nearly antipodal");
    assert!(direct < 15e-9, "{direct}");
    assert!(inverse < 15e-9, "{inverse}");
    assert!(azimuths < 50e-9, "{azimuths}");
    assert!(hard >= 10);
}

#[test]
fn areas_under_lines() {
    for line in include_str!("data/geodesics.tsv").lines().skip(1) {
        let v: Vec<f64> = line.split('\t').map(|t| t.parse().unwrap()).collect();
        let [a, rf, lat1, _, s12, dlon, lat2, _, _, _, wanted, shortest] = v[..] else { panic!("{line}") };
        if shortest == 0.0 || s12 > 1.9e7 {
            continue;
        }
        // Down to the equator, along it and up again: the sides are meridians, the bottom is the equator.
        let e = Ellipsoid::new("reference", a, rf);
        let half = dlon / 2.0;
        let got = area::ring(&e, &[(0.0, 0.0), (half, 0.0), (dlon, 0.0), (dlon, lat2), (0.0, lat1)]).area_m2;
        // A tenth of a square metre is what the azimuths' last digits are worth on a globe of 5·10¹⁴ m².
        assert!((got - wanted).abs() < 0.5 + 1e-13 * wanted.abs(), "{line}: {got}");
    }
}

#[test]
fn published_test_lines() {
    let e = Ellipsoid::wgs84();
    let g = Geodesic::new(&e);
    // Karney (2013), tables 2 to 4: direct from 40° N, azimuth 30°, 10,000 km; inverse nearly antipodal.
    let d = g.direct(0.0, 40.0, 30.0, 10_000_000.0);
    assert!((d.lat_deg - 41.793_310_205_06).abs() < 1e-11 && (d.lon_deg - 137.844_900_043_77).abs() < 1e-11);
    assert!((d.final_azimuth_deg - 149.090_169_318_07).abs() < 1e-11);
    let i = g.inverse(0.0, -30.0, 179.8, 29.9);
    assert!((i.distance_m - 19_989_832.827_610).abs() < 1e-6 && (i.azimuth_deg - 161.890_524_736).abs() < 1e-8);
    // Poles, equator, the same point.
    assert_eq!(g.inverse(10.0, 20.0, 10.0, 20.0).distance_m, 0.0);
    let poles = g.inverse(0.0, -90.0, 120.0, 90.0);
    assert!((poles.distance_m - 2.0 * 10_001_965.729_312_7).abs() < 1e-6);
    assert!(g.inverse(0.0, 95.0, 0.0, 0.0).distance_m.is_nan());
    let equator = g.inverse(0.0, 0.0, 180.0, 0.0);
    assert!((equator.distance_m - poles.distance_m).abs() < 1e-6, "antipodes on the equator are joined over a pole");
}

#[test]
fn areas_that_are_known() {
    let e = Ellipsoid::wgs84();
    let whole = area::surface_m2(&Geodesic::new(&e));
    let ring = |points: &[(f64, f64)]| area::ring(&e, points).area_m2;
    let octant = ring(&[(0.0, 0.0), (90.0, 0.0), (0.0, 90.0)]);
    assert!((octant - whole / 8.0).abs() < 1.0);
    // The other way round, and with the first point repeated.
    assert!((ring(&[(0.0, 90.0), (90.0, 0.0), (0.0, 0.0)]) + octant).abs() < 1e-3);
    assert!((ring(&[(0.0, 0.0), (90.0, 0.0), (0.0, 90.0), (0.0, 0.0)]) - octant).abs() < 1e-3);
    // A ring around the pole, and one across the 180° meridian.
    let cap = ring(&[(0.0, 80.0), (120.0, 80.0), (-120.0, 80.0)]);
    assert!(cap > 1e12 && cap < whole / 50.0, "{cap}");
    let here = ring(&[(-1.0, 10.0), (1.0, 10.0), (1.0, 12.0), (-1.0, 12.0)]);
    let there = ring(&[(179.0, 10.0), (-179.0, 10.0), (-179.0, 12.0), (179.0, 12.0)]);
    assert!((here - there).abs() < 0.1, "{here} {there}");
    assert_eq!(ring(&[]), 0.0);
    assert_eq!(ring(&[(5.0, 5.0)]), 0.0);
}

proptest! {
    #[test]
    fn there_and_back(lon1 in -180.0_f64..180.0, lat1 in -90.0_f64..90.0, lon2 in -180.0_f64..180.0, lat2 in -90.0_f64..90.0) {
        let g = Geodesic::new(&Ellipsoid::wgs84());
        let i = g.inverse(lon1, lat1, lon2, lat2);
        let d = g.direct(lon1, lat1, i.azimuth_deg, i.distance_m);
        // How far apart: measured again.
        let miss = g.inverse(d.lon_deg, d.lat_deg, lon2, lat2).distance_m;
        prop_assert!(miss < 30e-9, "{miss}");
        prop_assert!(i.distance_m <= 20_003_931.5, "no two points are farther apart than the poles");
    }

    #[test]
    fn the_triangle_inequality(a in (-180.0_f64..180.0, -90.0_f64..90.0), b in (-180.0_f64..180.0, -90.0_f64..90.0), c in (-180.0_f64..180.0, -90.0_f64..90.0)) {
        let g = Geodesic::new(&Ellipsoid::wgs84());
        let d = |p: (f64, f64), q: (f64, f64)| g.inverse(p.0, p.1, q.0, q.1).distance_m;
        prop_assert!(d(a, c) <= d(a, b) + d(b, c) + 1e-7);
        prop_assert!((d(a, b) - d(b, a)).abs() < 2e-8);
    }

    #[test]
    fn a_cut_does_not_change_the_area(lon in -170.0_f64..170.0, lat in -60.0_f64..60.0, w in 0.1_f64..8.0, h in 0.1_f64..8.0, t in 0.1_f64..0.9) {
        let e = Ellipsoid::wgs84();
        let p = [(lon, lat), (lon + w, lat), (lon + w, lat + h), (lon, lat + h)];
        // A point on the diagonal cuts the ring in two.
        let g = Geodesic::new(&e);
        let diagonal = g.inverse(p[0].0, p[0].1, p[2].0, p[2].1);
        let m = g.direct(p[0].0, p[0].1, diagonal.azimuth_deg, diagonal.distance_m * t);
        let m = (m.lon_deg, m.lat_deg);
        let whole = area::ring(&e, &p).area_m2;
        let parts = area::ring(&e, &[p[0], p[1], p[2], m]).area_m2 + area::ring(&e, &[p[0], m, p[2], p[3]]).area_m2;
        prop_assert!((whole - parts).abs() < 0.5, "{whole} {parts}");
    }

    #[test]
    fn rhumb_lines_come_back_and_are_never_shorter(lon1 in -180.0_f64..180.0, lat1 in -85.0_f64..85.0, dlon in -179.0_f64..179.0, lat2 in -85.0_f64..85.0) {
        let e = Ellipsoid::wgs84();
        let r = rhumb::inverse(&e, lon1, lat1, lon1 + dlon, lat2);
        let shortest = Geodesic::new(&e).inverse(lon1, lat1, lon1 + dlon, lat2).distance_m;
        prop_assert!(r.distance_m >= shortest - 1e-6);
        let (lon, lat) = rhumb::direct(&e, lon1, lat1, r.azimuth_deg, r.distance_m).unwrap();
        let miss = Geodesic::new(&e).inverse(lon, lat, lon1 + dlon, lat2).distance_m;
        prop_assert!(miss < 1e-7, "{miss}");
    }

    #[test]
    fn rhumb_lines_beside_a_parallel_have_all_their_digits(lon1 in -180.0_f64..180.0, lat1 in -85.0_f64..85.0, dlon in -179.0_f64..179.0, power in -14.0_f64..-1.0) {
        let e = Ellipsoid::wgs84();
        let lat2 = lat1 + 10f64.powf(power);
        let r = rhumb::inverse(&e, lon1, lat1, lon1 + dlon, lat2);
        let (lon, lat) = rhumb::direct(&e, lon1, lat1, r.azimuth_deg, r.distance_m).unwrap();
        let miss = Geodesic::new(&e).inverse(lon, lat, lon1 + dlon, lat2).distance_m;
        prop_assert!(miss < 1e-7, "{miss}");
    }
}

#[test]
fn rhumb_lines_that_are_known() {
    let e = Ellipsoid::wgs84();
    // Along a meridian a rhumb line is the geodesic; to the pole it is one too.
    assert!((rhumb::inverse(&e, 5.0, 0.0, 5.0, 90.0).distance_m - 10_001_965.729_312_7).abs() < 1e-5);
    // Along a parallel: ν cos φ times the difference in longitude.
    let s = 60f64.to_radians().sin();
    let nu = 6_378_137.0 / (1.0 - e.eccentricity_squared() * s * s).sqrt();
    let parallel = rhumb::inverse(&e, 0.0, 60.0, 10.0, 60.0);
    assert!((parallel.distance_m - nu * 0.5 * 10f64.to_radians()).abs() < 1e-6 && parallel.azimuth_deg == 90.0);
    assert!(rhumb::direct(&e, 0.0, 80.0, 0.0, 2e6).is_none(), "beyond the pole");
}
