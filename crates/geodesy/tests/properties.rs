//! Properties that hold for projections and operations whatever their formulas: conformality, batches equal to
//! single points, inverses, areas, searches.

use basilocus_geodesy::crs::{Area, Catalogue, Kind};
use basilocus_geodesy::datum::{Helmert, RotationConvention};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::operation::{Operation, Shift, Transformation};
use basilocus_geodesy::projection::{Framed, LambertConformalConic, Parameters, Projection, TransverseMercator};
use basilocus_geodesy::zone::UtmZone;
use proptest::prelude::*;

fn utm() -> Projection {
    Projection::TransverseMercator(TransverseMercator::utm(&Ellipsoid::wgs84(), UtmZone { number: 10, north: true }))
}

fn lambert() -> Projection {
    let cone = LambertConformalConic::two_standard_parallels(&Ellipsoid::wgs84(), 43.0, 44.0, 46.0).unwrap();
    Projection::LambertConformalConic(Framed::new(cone, -120.5, 2e6, 0.0))
}

fn forward(p: &Projection, lon: f64, lat: f64) -> (f64, f64) {
    let (mut x, mut y) = ([lon], [lat]);
    p.forward_batch(&mut x, &mut y);
    (x[0], y[0])
}

/// Scale along the meridian and along the parallel, and the angle between their images, by central differences on
/// the ellipsoid: nothing of the projection's own formulas.
fn differences(p: &Projection, lon: f64, lat: f64) -> (f64, f64, f64) {
    let e = Ellipsoid::wgs84();
    let e2 = e.eccentricity_squared();
    let (s, c) = lat.to_radians().sin_cos();
    let w = 1.0 - e2 * s * s;
    let (meridian, normal) = (e.semi_major_m * (1.0 - e2) / w.powf(1.5), e.semi_major_m / w.sqrt());
    let h = 1e-4;
    let (n, so) = (forward(p, lon, lat + h), forward(p, lon, lat - h));
    let (ea, we) = (forward(p, lon + h, lat), forward(p, lon - h, lat));
    let along = 2.0 * h.to_radians();
    let (mx, my) = ((n.0 - so.0) / (meridian * along), (n.1 - so.1) / (meridian * along));
    let (px, py) = ((ea.0 - we.0) / (normal * c * along), (ea.1 - we.1) / (normal * c * along));
    let (k, h) = (mx.hypot(my), px.hypot(py));
    (k, h, (mx * px + my * py) / (k * h))
}

proptest! {
    #[test]
    fn both_projections_are_conformal(d_lon in -3.0_f64..3.0, lat in 5.0_f64..80.0) {
        for (p, centre) in [(utm(), -123.0), (lambert(), -120.5)] {
            let (k, h, cos) = differences(&p, centre + d_lon, lat);
            prop_assert!((k / h - 1.0).abs() < 1e-7, "scales {k} and {h}");
            prop_assert!(cos.abs() < 1e-7, "a right angle stays one: {cos}");
        }
    }

    #[test]
    fn inverse_undoes_forward(d_lon in -20.0_f64..20.0, lat in -79.0_f64..84.0) {
        for (p, centre) in [(utm(), -123.0), (lambert(), -120.5)] {
            let (mut x, mut y) = ([centre + d_lon], [lat]);
            p.forward_batch(&mut x, &mut y);
            prop_assume!(x[0].is_finite());
            p.inverse_batch(&mut x, &mut y);
            prop_assert!((x[0] - centre - d_lon).abs() * lat.to_radians().cos() < 2e-13 * 111.0 && (y[0] - lat).abs() < 1e-12, "{} {}", x[0] - centre - d_lon, y[0] - lat);
        }
    }

    #[test]
    fn east_and_west_mirror(d_lon in 0.0_f64..20.0, lat in -80.0_f64..84.0) {
        let east = forward(&utm(), -123.0 + d_lon, lat);
        let west = forward(&utm(), -123.0 - d_lon, lat);
        prop_assert!((east.0 + west.0 - 1e6).abs() < 1e-6 && (east.1 - west.1).abs() < 1e-6);
    }

    #[test]
    fn helmert_inverse_undoes_forward(t in prop::array::uniform3(-800.0_f64..800.0), r in prop::array::uniform3(-10.0_f64..10.0), s in -25.0_f64..25.0, frame in any::<bool>()) {
        let convention = if frame { RotationConvention::CoordinateFrame } else { RotationConvention::PositionVector };
        let h = Helmert { translation_m: t, rotation_arcsec: r, scale_ppm: s, convention };
        let (mut x, mut y, mut z) = ([-2.5e6], [-3.7e6], [4.5e6]);
        h.forward_batch(&mut x, &mut y, &mut z);
        h.inverse_batch(&mut x, &mut y, &mut z);
        prop_assert!((x[0] + 2.5e6).abs() < 5e-9 && (y[0] + 3.7e6).abs() < 5e-9 && (z[0] - 4.5e6).abs() < 5e-9);
    }

    #[test]
    fn the_two_conventions_are_each_other_with_turned_signs(r in prop::array::uniform3(-10.0_f64..10.0)) {
        let make = |sign: f64, convention| Helmert { translation_m: [1.0, 2.0, 3.0], rotation_arcsec: r.map(|v| sign * v), scale_ppm: 1.5, convention };
        let apply = |h: &Helmert| { let (mut x, mut y, mut z) = ([-2.5e6], [-3.7e6], [4.5e6]); h.forward_batch(&mut x, &mut y, &mut z); (x[0], y[0], z[0]) };
        prop_assert_eq!(apply(&make(1.0, RotationConvention::PositionVector)), apply(&make(-1.0, RotationConvention::CoordinateFrame)));
    }

    #[test]
    fn an_area_holds_what_lies_between_its_limits(west in -180.0_f64..180.0, width in 0.1_f64..300.0, share in 0.0_f64..1.0, lat in -80.0_f64..80.0) {
        let wrap = |v: f64| (v + 180.0).rem_euclid(360.0) - 180.0;
        let area = Area { west_deg: west, south_deg: -81.0, east_deg: wrap(west + width), north_deg: 81.0, description: String::new() };
        let inside = wrap(west + width * (0.001 + 0.998 * share));
        let outside = wrap(west + width + (360.0 - width) * (0.001 + 0.998 * share));
        prop_assert!(area.contains(inside, lat), "{area:?} {inside}");
        prop_assert!(!area.contains(outside, lat), "{area:?} {outside}");
        prop_assert!(!area.contains(inside, 85.0));
        prop_assert!(area.contains_area(&area));
    }
}

#[test]
fn scale_on_the_central_meridian_and_on_the_parallels_is_as_defined() {
    for lat in [10.0, 46.2, 70.0] {
        let (k, _, _) = differences(&utm(), -123.0, lat);
        assert!((k - 0.9996).abs() < 1e-8, "{k}");
    }
    for lat in [44.0, 46.0] {
        let (k, _, _) = differences(&lambert(), -118.0, lat);
        assert!((k - 1.0).abs() < 1e-8, "{k}");
    }
}

#[test]
fn batches_are_the_same_as_single_points_whatever_their_length() {
    let c = Catalogue::embedded();
    // The kernels that run in the processor's widest vectors are among them.
    for (from, to) in [
        (4326, 32610),
        (32026, 2269),
        (4267, 4326),
        (2269, 4978),
        (4326, 5070),
        (4326, 9311),
        (4326, 3413),
        (4326, 3395),
        (4277, 4326),
    ] {
        let op = Operation::between(&c.get(from).unwrap(), &c.get(to).unwrap(), None).unwrap();
        let geographic = c.get(from).unwrap().is_geographic();
        // Around the lengths of vectors and of a chunk, and beyond them.
        for n in [1usize, 2, 3, 7, 8, 9, 31, 1023, 1024, 1025, 3000] {
            let start: Vec<(f64, f64)> = (0..n)
                .map(|i| {
                    let t = i as f64 / n as f64;
                    if geographic { (-123.9 + t, 45.1 + t) } else { (1_150_000.0 + 9e4 * t, 900_000.0 + 5e4 * t) }
                })
                .collect();
            let (mut x, mut y): (Vec<f64>, Vec<f64>) = start.iter().copied().unzip();
            let mut z = vec![0.0; n];
            op.apply(&mut x, &mut y, &mut z);
            for i in (0..n).step_by(1 + n / 100).chain([n / 2, n - 1]) {
                let one = op.apply_one(start[i].0, start[i].1, 0.0).unwrap();
                assert_eq!((x[i], y[i]), (one.0, one.1), "{from} {to} {n} {i}");
            }
        }
    }
}

#[test]
fn a_bad_position_spoils_no_other() {
    let c = Catalogue::embedded();
    let op = Operation::between(&c.get(4326).unwrap(), &c.get(2269).unwrap(), None).unwrap();
    let (mut x, mut y, mut z) =
        (vec![-123.8, f64::NAN, -123.8, 500.0, -123.8], vec![46.2, 46.2, 95.0, 46.2, 46.2], vec![0.0; 5]);
    op.apply(&mut x, &mut y, &mut z);
    assert_eq!(x.iter().map(|v| v.is_finite()).collect::<Vec<_>>(), [true, false, false, false, true]);
    assert_eq!((x[0], y[0]), (x[4], y[4]));
}

#[test]
fn parameters_that_cannot_be_used_are_named() {
    let e = Ellipsoid::wgs84();
    let build = |method: &str, pairs: &[(&str, f64)]| {
        let p = Parameters(pairs.iter().map(|(n, v)| (n.to_string(), *v)).collect());
        Projection::from_parameters("local grid", method, &p, &e, 1.0).map(|_| ()).unwrap_err().to_string()
    };
    assert_eq!(
        build("Lambert_Conformal_Conic_2SP", &[("central_meridian", 9.0), ("standard_parallel_1", 9.0)]),
        "local grid: projection parameter standard_parallel_2 is missing"
    );
    assert_eq!(
        build("Transverse_Mercator", &[("central_meridian", f64::NAN), ("latitude_of_origin", 0.0)]),
        "local grid: projection parameter central_meridian is not a number"
    );
    assert_eq!(
        build("Lambert_Conformal_Conic_1SP", &[("central_meridian", 9.0), ("latitude_of_origin", 120.0)]),
        "local grid: projection parameter latitude_of_origin is not a latitude"
    );
    assert!(
        build("Lambert_Conformal_Conic_1SP", &[("central_meridian", 9.0), ("latitude_of_origin", 0.0)])
            .contains("makes no cone")
    );
    assert!(build("Some_Other_Way", &[]).contains("the method \"Some Other Way\", which is not implemented"));
}

#[test]
fn false_origins_count_in_the_systems_own_unit() {
    let c = Catalogue::embedded();
    // The false easting of EPSG:2286 is 1,640,416.667 US survey feet: 500,000.0002 m, not 500,000.9998 m.
    let op = Operation::between(&c.get(4269).unwrap(), &c.get(2286).unwrap(), None).unwrap();
    let (easting, northing, _) = op.apply_one(-120.5, 45.0 + 20.0 / 60.0, 0.0).unwrap();
    assert!((easting - 1_640_416.667).abs() < 1e-6 && northing.abs() < 1e-6, "{easting} {northing}");
}

#[test]
fn published_transformations_are_read_with_their_conventions() {
    let table = Transformation::published();
    assert_eq!(table.len(), Transformation::lines_in_table(), "every line of the table is understood");
    let named = |name: &str| table.iter().find(|t| t.name == name).unwrap_or_else(|| panic!("{name}"));
    let gda = named("GDA94 to GDA2020");
    let Shift::Helmert(h) = &gda.shift else { panic!("{gda:?}") };
    assert_eq!(h.convention, RotationConvention::CoordinateFrame);
    assert_eq!(gda.accuracy_m, 0.01);
    let grid = named("by grid ntv2_0.gsb");
    assert_eq!(grid.shift, Shift::Grid("ntv2_0.gsb".into()));
    assert!(matches!(named("ITRF2008 to GDA94").shift, Shift::TimeDependent(_)));
}

#[test]
fn every_geographic_system_either_reaches_wgs84_or_says_that_no_way_is_known() {
    let c = Catalogue::embedded();
    let wgs84 = c.get(4326).unwrap();
    let (mut reached, mut unknown) = (0, 0);
    for code in c.codes() {
        let crs = c.get(code).unwrap();
        if !matches!(crs.kind, Kind::Geographic { .. }) {
            continue;
        }
        match Operation::between(&crs, &wgs84, None) {
            Ok(op) => {
                reached += 1;
                let a = &crs.area;
                let datum = crs.datum().unwrap();
                let lon = a.west_deg + (a.east_deg - a.west_deg).rem_euclid(360.0) / 2.0 - datum.prime_meridian_deg;
                let lat = (a.south_deg + a.north_deg) / 2.0;
                let unit = if let Kind::Geographic { unit, .. } = &crs.kind { unit.degrees } else { 1.0 };
                let wrap = |v: f64| (v + 540.0).rem_euclid(360.0) - 180.0;
                let (x, y, _) =
                    op.apply_one(wrap(lon) / unit, lat / unit, 0.0).unwrap_or_else(|| panic!("{}", crs.title()));
                // Old astronomical datums are up to some kilometres off; the farthest, Fatu Iva 72, is 4.9 km.
                let east = wrap(x - lon - datum.prime_meridian_deg) * lat.to_radians().cos();
                assert!(
                    east.hypot(y - lat) * 111_320.0 < 5000.0,
                    "{}: {} m",
                    crs.title(),
                    east.hypot(y - lat) * 111_320.0
                );
            }
            Err(e) => {
                unknown += 1;
                assert!(e.to_string().contains("no transformation is known between the datums"), "{e}");
            }
        }
    }
    assert!(reached > 350 && reached + unknown == 520, "{reached} reached, {unknown} without a way");
}

#[test]
fn systems_are_named_in_every_usual_way() {
    let c = Catalogue::embedded();
    for text in [
        "EPSG:2269",
        "epsg:2269",
        " 2269 ",
        "urn:ogc:def:crs:EPSG::2269",
        "urn:ogc:def:crs:EPSG:9.9:2269",
        "http://www.opengis.net/def/crs/EPSG/0/2269",
        "NAD83 / Oregon North (ft)",
        "nad83 / oregon north (FT)",
    ] {
        assert_eq!(c.find_one(text).unwrap().code, Some(2269), "{text}");
    }
    for text in ["OGC:CRS84", "urn:ogc:def:crs:OGC:1.3:CRS84", "http://www.opengis.net/def/crs/OGC/1.3/CRS84"] {
        assert_eq!(c.find_one(text).unwrap().code, Some(4326), "{text}");
    }
    let solid = c.find_one("EPSG:4979").unwrap();
    assert_eq!((solid.title().as_str(), solid.kind_name()), ("WGS 84 (EPSG:4979)", "three-dimensional"));
    assert_eq!(solid.horizontal().code, Some(4326));
    for text in ["", "EPSG:", "EPSG:-1", "EPSG:99999999999", "NAD83 Oregon"] {
        assert!(c.find_one(text).is_err(), "{text}");
    }
}

#[test]
fn systems_at_a_place_are_those_whose_area_holds_it() {
    let c = Catalogue::embedded();
    let found = c.projected_at(-123.8, 46.2);
    assert!(found.iter().any(|s| s.code == Some(2269)) && found.iter().any(|s| s.code == Some(32610)));
    assert!(found.iter().all(|s| s.area.contains(-123.8, 46.2)));
    assert!(found.windows(2).all(|w| w[0].area.share_of_earth() <= w[1].area.share_of_earth()), "smallest area first");
    assert!(!found.iter().any(|s| s.code == Some(27700)));
}
