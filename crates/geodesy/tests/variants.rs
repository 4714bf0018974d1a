//! Methods whose axes run the other way, or that have a zone or a factor before them: each against the method that it
//! is a variant of, as IOGP Guidance Note 373-7-2 defines it.

use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::projection::{Parameters, Projection};

fn build(method: &str, ellipsoid: &Ellipsoid, pairs: &[(&str, f64)]) -> Projection {
    let parameters = Parameters(pairs.iter().map(|(n, v)| (n.to_string(), *v)).collect());
    Projection::from_parameters(method, method, &parameters, ellipsoid, 1.0).unwrap()
}

fn clarke() -> Ellipsoid {
    Ellipsoid::new("Clarke 1866", 6_378_206.4, 294.978_698_213_898)
}

const PLACES: [(f64, f64); 6] = [(0.5, 1.0), (-2.0, -1.5), (1.5, 3.0), (-0.1, 0.0), (2.5, -2.0), (0.0, 2.0)];

/// Both at the same places around a centre: `map` says what the variant does to easting and northing.
#[track_caller]
fn same(variant: &Projection, plain: &Projection, centre: (f64, f64), map: impl Fn(f64, f64) -> (f64, f64)) {
    for (dx, dy) in PLACES {
        let (lon, lat) = (centre.0 + dx, centre.1 + dy);
        let (e, n) = plain.forward(lon, lat).unwrap();
        let wanted = map(e, n);
        let got = variant.forward(lon, lat).unwrap();
        assert!((got.0 - wanted.0).hypot(got.1 - wanted.1) < 1e-7, "{lon} {lat}: {got:?} {wanted:?}");
        let back = variant.inverse(got.0, got.1).unwrap();
        assert!((back.0 - lon).abs() < 1e-12 && (back.1 - lat).abs() < 1e-12, "{back:?}");
    }
}

#[test]
fn south_orientated_transverse_mercator_counts_west_and_south() {
    let e = clarke();
    let centre = [("latitude_of_origin", 0.0), ("central_meridian", 29.0), ("scale_factor", 1.0)];
    let with = |fe: f64, fn_: f64| [&centre[..], &[("false_easting", fe), ("false_northing", fn_)]].concat();
    let plain = build("Transverse_Mercator", &e, &with(0.0, 0.0));
    let south = build("Transverse_Mercator_South_Orientated", &e, &with(1000.0, 2000.0));
    same(&south, &plain, (29.0, -26.0), |x, y| (1000.0 - x, 2000.0 - y));
}

#[test]
fn zoned_transverse_mercator_puts_the_zone_before_the_easting() {
    let e = Ellipsoid::new("International 1924", 6_378_388.0, 297.0);
    let zoned = build(
        "Transverse_Mercator_Zoned_Grid_System",
        &e,
        &[
            ("latitude_of_origin", 0.0),
            ("initial_longitude", -180.0),
            ("zone_width", 6.0),
            ("scale_factor", 0.9996),
            ("false_easting", 500_000.0),
            ("false_northing", 0.0),
        ],
    );
    // 123.8° W is in the tenth zone of six degrees from 180° W, whose middle is 123° W.
    let plain = build(
        "Transverse_Mercator",
        &e,
        &[
            ("latitude_of_origin", 0.0),
            ("central_meridian", -123.0),
            ("scale_factor", 0.9996),
            ("false_easting", 500_000.0),
            ("false_northing", 0.0),
        ],
    );
    same(&zoned, &plain, (-123.2, 46.0), |x, y| (10e6 + x, y));
}

#[test]
fn west_orientated_lambert_conic_counts_west() {
    let e = clarke();
    let centre = [("latitude_of_origin", 18.0), ("central_meridian", -77.0), ("scale_factor", 0.9999)];
    let with = |fe: f64, fn_: f64| [&centre[..], &[("false_easting", fe), ("false_northing", fn_)]].concat();
    let plain = build("Lambert_Conformal_Conic_1SP", &e, &with(0.0, 0.0));
    let west = build("Lambert_Conic_Conformal_(West_Orientated)", &e, &with(250_000.0, 150_000.0));
    same(&west, &plain, (-77.0, 18.0), |x, y| (250_000.0 - x, 150_000.0 + y));
}

fn conic(method: &str, e: &Ellipsoid, more: &[(&str, f64)]) -> Projection {
    let common = [
        ("latitude_of_origin", 45.0),
        ("central_meridian", 4.0),
        ("standard_parallel_1", 44.0),
        ("standard_parallel_2", 47.0),
        ("false_easting", 0.0),
        ("false_northing", 0.0),
    ];
    build(method, e, &[&common[..], more].concat())
}

#[test]
fn belgium_turns_the_meridians_by_a_constant() {
    // The angle θ is diminished by 29.2985″ (IOGP Guidance Note 373-7-2, section 3.1.1.3): a turn about the pole of the
    // cone, which keeps the distance from it and moves a place along its parallel.
    let e = Ellipsoid::new("International 1924", 6_378_388.0, 297.0);
    let (plain, belgium) =
        (conic("Lambert_Conformal_Conic_2SP", &e, &[]), conic("Lambert_Conformal_Conic_2SP_Belgium", &e, &[]));
    // The apex is where meridians meet: on the line x = 0, far in the north.
    let (a, b) = (plain.forward(4.0, 45.0).unwrap(), plain.forward(5.0, 45.0).unwrap());
    let half = (b.0 / 2.0).hypot(b.1 / 2.0);
    let apex = half / (b.1 - a.1).abs() * (b.0.hypot(b.1) / 1.0);
    for (dx, dy) in PLACES {
        let p = plain.forward(4.0 + dx, 45.0 + dy).unwrap();
        let q = belgium.forward(4.0 + dx, 45.0 + dy).unwrap();
        let (r, s) = (p.0.hypot(apex - p.1), q.0.hypot(apex - q.1));
        assert!((r - s).abs() < 1e-3, "{r} {s}");
        let turn = (p.0.atan2(apex - p.1) - q.0.atan2(apex - q.1)).to_degrees() * 3600.0;
        assert!((turn - 29.2985).abs() < 1e-5, "{turn}");
        let back = belgium.inverse(q.0, q.1).unwrap();
        assert!((back.0 - 4.0 - dx).abs() < 1e-12 && (back.1 - 45.0 - dy).abs() < 1e-12);
    }
}

#[test]
fn michigan_enlarges_the_ellipsoid() {
    let e = clarke();
    let k = 1.000_038_2;
    let plain = conic("Lambert_Conformal_Conic_2SP", &e, &[]);
    let michigan = conic("Lambert_Conformal_Conic_2SP_Michigan", &e, &[("ellipsoid_scaling_factor", k)]);
    same(&michigan, &plain, (4.0, 45.0), |x, y| (x * k, y * k));
}

#[test]
fn one_parallel_with_a_scale_is_two_parallels() {
    // A cone that cuts the ellipsoid at two parallels touches it, made smaller, at one between them: the same map.
    let e = clarke();
    let two = conic("Lambert_Conformal_Conic_2SP", &e, &[]);
    // Scale along the parallel where it is least, and its latitude, by halving.
    let scale = |lat: f64| two.distortion(&e, 4.0, lat).unwrap().parallel_scale;
    let (mut low, mut high) = (44.0, 47.0);
    for _ in 0..200 {
        let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
        if scale(a) < scale(b) { high = b } else { low = a }
    }
    let lat = (low + high) / 2.0;
    let north = two.forward(4.0, lat).unwrap().1;
    let one = build(
        "Lambert_Conformal_Conic_1SP",
        &e,
        &[
            ("latitude_of_origin", lat),
            ("central_meridian", 4.0),
            ("scale_factor", scale(lat)),
            ("false_easting", 0.0),
            ("false_northing", north),
        ],
    );
    for (dx, dy) in PLACES {
        let (p, q) = (two.forward(4.0 + dx, 45.0 + dy).unwrap(), one.forward(4.0 + dx, 45.0 + dy).unwrap());
        // The least scale is found to some 1e-8 of latitude only, and the numerical scale to 1e-11.
        assert!((p.0 - q.0).hypot(p.1 - q.1) < 1e-3, "{p:?} {q:?}");
    }
}

#[test]
fn krovak_north_is_krovak_with_both_signs_changed_and_axes_swapped() {
    let e = Ellipsoid::new("Bessel 1841", 6_377_397.155, 299.152_812_8);
    let parameters = [
        ("latitude_of_center", 49.5),
        ("longitude_of_center", 24.833_333_333_333_332),
        ("azimuth", 30.288_139_752_777_8),
        ("pseudo_standard_parallel_1", 78.5),
        ("scale_factor", 0.9999),
        ("false_easting", 0.0),
        ("false_northing", 0.0),
    ];
    let (south, north) = (build("Krovak", &e, &parameters), build("Krovak (North Orientated)", &e, &parameters));
    for (lon, lat) in [(14.4, 50.1), (16.6, 49.2), (17.1, 48.15), (21.2, 48.7), (12.5, 49.9)] {
        let (w, s) = south.forward(lon, lat).unwrap();
        let (e, n) = north.forward(lon, lat).unwrap();
        assert!((e + w).abs() < 1e-9 && (n + s).abs() < 1e-9, "{w} {s} {e} {n}");
        // Westings are smaller than southings everywhere in the two countries.
        assert!(w > 0.0 && s > w, "{w} {s}");
    }
}

#[test]
fn bonne_south_counts_the_other_way() {
    let e = Ellipsoid::new("Bessel 1841", 6_377_397.155, 299.152_812_8);
    let parameters = [
        ("latitude_of_origin", 39.666_666_666_666_664),
        ("central_meridian", 0.5),
        ("false_easting", 0.0),
        ("false_northing", 0.0),
    ];
    let (north, south) = (build("Bonne", &e, &parameters), build("Bonne_(South_Orientated)", &e, &parameters));
    same(&south, &north, (0.5, 39.0), |x, y| (-x, -y));
}
