//! Which way is taken between two systems, and what is said where a better one is missed.

#[path = "common/synthetic.rs"]
mod synthetic;

use basilocus_geodesy::Error;
use basilocus_geodesy::crs::{Area, Catalogue, Crs};
use basilocus_geodesy::datum::{GeoidGrid, GridShift, Helmert, RotationConvention};
use basilocus_geodesy::operation::{GridSource, Operation, Search, Shift, Transformation, Via};
use std::sync::Arc;
use synthetic::{Rectangle, gtx, ntv2};

fn crs(text: &str) -> Crs {
    Catalogue::embedded().find_one(text).unwrap()
}

fn near(lon: f64, lat: f64) -> Area {
    Area { west_deg: lon, south_deg: lat, east_deg: lon, north_deg: lat, description: String::new() }
}

/// A grid for NAD27 to NAD83 that moves everything by 4″ west and 0.5″ south, and a geoid 20 m below the ellipsoid.
struct Synthetic;

impl GridSource for Synthetic {
    fn shift(&self, name: &str) -> Result<Option<Arc<GridShift>>, String> {
        let field = |_: f64, _: f64| [-4.0, -0.5, 0.3];
        let rectangle =
            Rectangle { name: "ALL", parent: "NONE", limits: [-125.0, 45.0, -122.0, 47.0], step: 0.5, shift: &field };
        Ok((name == "ntv2_0.gsb").then(|| Arc::new(GridShift::parse(&ntv2(&[rectangle], false)).unwrap())))
    }

    fn geoid(&self, name: &str) -> Result<Option<Arc<GeoidGrid>>, String> {
        let bytes = gtx([-125.0, 45.0, -122.0, 47.0], 0.5, &|_, _| -20.0);
        match name {
            "EPSG-5703.gtx" => Ok(Some(Arc::new(GeoidGrid::parse(&bytes).unwrap()))),
            "EPSG-5773.gtx" => Err("is broken".into()),
            _ => Ok(None),
        }
    }

    fn has(&self, name: &str) -> bool {
        name == "ntv2_0.gsb"
    }

    fn place(&self) -> String {
        "in the folder of the test".into()
    }
}

#[test]
fn a_grid_that_is_there_is_taken_and_named() {
    let here = near(-123.8, 46.2);
    let search = Search { near: Some(&here), grids: &Synthetic, ..Default::default() };
    let op = Operation::find(&crs("EPSG:4267"), &crs("EPSG:4269"), &search).unwrap();
    assert_eq!((op.grids(), op.accuracy_m()), (&["ntv2_0.gsb".to_string()][..], Some(1.5)));
    let (lon, lat, _) = op.apply_one(-123.8, 46.2, 0.0).unwrap();
    assert!((lon + 123.8 + 4.0 / 3600.0).abs() < 1e-12 && (lat - 46.2 + 0.5 / 3600.0).abs() < 1e-12);
    assert!((op.grid_accuracy_m(-123.8, 46.2, 0.0).unwrap() - 0.3 * 2f64.sqrt()).abs() < 1e-6);
    // Back, by iteration.
    let back = Operation::find(&crs("EPSG:4269"), &crs("EPSG:4267"), &search).unwrap();
    assert!(back.name().starts_with("inverse of by grid"), "{}", back.name());
    let (x, y, _) = back.apply_one(lon, lat, 0.0).unwrap();
    assert!((x + 123.8).abs() < 1e-12 && (y - 46.2).abs() < 1e-12);
    // Outside the grid is said, and is no number.
    assert_eq!(op.apply_one(-100.0, 46.0, 0.0), None);
    assert!(op.refusal(-100.0, 46.0, 0.0).unwrap().contains("outside the grid ntv2_0.gsb (-125 to -122° longitude"));
    assert_eq!(op.refusal(-123.8, 46.2, 0.0), None);
}

#[test]
fn a_missing_grid_is_announced_with_what_it_costs_and_can_be_forbidden() {
    let here = near(-123.8, 46.2);
    let (from, to) = (crs("EPSG:4267"), crs("EPSG:4269"));
    let search = Search { near: Some(&here), ..Default::default() };
    let op = Operation::find(&from, &to, &search).unwrap();
    let missed = op.missed().unwrap();
    assert_eq!((missed.accuracy_m, missed.grids.as_slice()), (1.5, &["ntv2_0.gsb".to_string()][..]));
    assert!(op.notes().iter().any(|n| n.contains("ntv2_0.gsb would give 1.5 m instead of")), "{:?}", op.notes());
    let strict = Operation::find(&from, &to, &Search { strict: true, ..search.clone() }).unwrap_err();
    assert!(matches!(&strict, Error::GridMissing { grid, .. } if grid == "ntv2_0.gsb"), "{strict}");
    let named = Via::Named("by grid ntv2_0.gsb".into());
    let via = Operation::find(&from, &to, &Search { via: Some(&named), ..search.clone() }).unwrap_err();
    assert!(via.to_string().contains("was not found"), "{via}");
    let fine = Operation::find(&from, &to, &Search { require_accuracy_m: Some(2.0), ..search }).unwrap_err();
    assert!(fine.to_string().contains("with the grid file ntv2_0.gsb it would be 1.5 m"), "{fine}");
}

#[test]
fn where_the_data_is_decides_between_regions() {
    let name = |lon, lat| {
        let here = near(lon, lat);
        Operation::between(&crs("EPSG:4202"), &crs("EPSG:4283"), Some(&here)).unwrap().name().to_string()
    };
    assert_eq!(name(149.1, -35.3), "AGD66 to GDA94, ACT");
    assert_eq!(name(147.3, -42.9), "AGD66 to GDA94, Tasmania");
    assert_eq!(name(115.9, -31.9), "AGD66 to GDA94, national");
}

#[test]
fn the_user_may_choose_by_name_or_by_what_lies_between() {
    let (from, to) = (crs("EPSG:4267"), crs("EPSG:4269"));
    let take = |text: &str| {
        let via = Via::Named(text.into());
        Operation::find(&from, &to, &Search { via: Some(&via), ..Default::default() })
    };
    assert!(take("eastern states").unwrap().name().starts_with("NAD27 to WGS 84, eastern states"));
    assert!(take("EPSG:4326").unwrap().name().contains("to WGS 84"));
    let error = take("southern states").unwrap_err().to_string();
    assert!(error.contains("none of the ways") && error.contains("western states"), "{error}");
}

#[test]
fn moving_frames_ask_when() {
    let (itrf, gda) = (crs("EPSG:9000"), crs("EPSG:7844"));
    let error = Operation::between(&itrf, &gda, None).unwrap_err();
    assert!(error.to_string().contains("`epoch`"), "{error}");
    // ICSM, GDA2020 Technical Manual, ALIC: ITRF2014 at 2018.0 to GDA2020, geocentric.
    let (from, to) = (crs("EPSG:7789"), crs("EPSG:7842"));
    let op = Operation::find(&from, &to, &Search { epoch: Some(2018.0), ..Default::default() }).unwrap();
    let (x, y, z) = op.apply_one(-4_052_052.658_8, 4_212_835.993_8, -2_545_104.694_6).unwrap();
    for (got, published) in [(x, -4_052_052.737_3), (y, 4_212_835.983_5), (z, -2_545_104.586_7)] {
        assert!((got - published).abs() < 1e-4, "{x} {y} {z}");
    }
    assert!(op.steps().iter().any(|s| s.contains("at epoch 2018")), "{:?}", op.steps());
    // The coarser way that needs no epoch is offered by a name that --via takes.
    let Error::EpochNeeded { otherwise: Some((name, _)), .. } = error else { panic!("{error}") };
    let via = Via::Named(name);
    let op = Operation::find(&itrf, &gda, &Search { via: Some(&via), ..Default::default() }).unwrap();
    assert_eq!(op.accuracy_m(), Some(4.0));
}

#[test]
fn one_frame_in_between_joins_two_that_have_no_direct_way() {
    // ITRF97 and ITRF2008 are both tied to ITRF2014.
    let op =
        Operation::find(&crs("EPSG:8996"), &crs("EPSG:8999"), &Search { epoch: Some(2010.0), ..Default::default() })
            .unwrap();
    assert_eq!(op.name(), "inverse of ITRF2014 to ITRF97, then ITRF2014 to ITRF2008");
    let ways = Operation::ways(&crs("EPSG:8996"), &crs("EPSG:8999"), &Search::default()).unwrap();
    assert_eq!(ways[0].through(), Some("International Terrestrial Reference Frame 2014"));
    assert!(ways[0].needs_epoch && ways.len() > 1);
    let rank = |w: &basilocus_geodesy::operation::Way| (!w.holds_area, w.accuracy_m);
    assert!(ways.windows(2).all(|w| rank(&w[0]) <= rank(&w[1])));
}

#[test]
fn heights_go_over_the_geoid_and_back() {
    let here = near(-123.8, 46.2);
    let search = Search { near: Some(&here), grids: &Synthetic, ..Default::default() };
    let level = crs("EPSG:4269+5703");
    let op = Operation::find(&level, &crs("EPSG:4269+ellipsoidal"), &search).unwrap();
    assert!(op.moves_heights());
    let (_, _, h) = op.apply_one(-123.8, 46.2, 5.0).unwrap();
    assert!((h + 15.0).abs() < 1e-9, "{h}");
    // US survey feet above the same datum: only the unit changes, and no grid is needed.
    let feet = crs("EPSG:2269+6360");
    let plain = Operation::between(&level, &feet, None).unwrap();
    let (_, _, h) = plain.apply_one(-123.8, 46.2, 12.0).unwrap();
    assert!((h - 39.37).abs() < 1e-9, "12 m are 39.37 US survey feet by definition: {h}");
    // From feet above the geoid to metres above the ellipsoid.
    let op = Operation::find(&feet, &crs("EPSG:4269+ellipsoidal"), &search).unwrap();
    let (e, n, _) =
        Operation::between(&crs("EPSG:4269"), &crs("EPSG:2269"), None).unwrap().apply_one(-123.8, 46.2, 0.0).unwrap();
    let (_, _, h) = op.apply_one(e, n, 39.37).unwrap();
    assert!((h + 8.0).abs() < 1e-9, "{h}");
    // Without the grid nothing is guessed; a broken one is named.
    let error = Operation::between(&level, &crs("EPSG:4269+ellipsoidal"), None).unwrap_err().to_string();
    assert!(error.contains("EPSG-5703.gtx") && error.contains("was not found"), "{error}");
    let error =
        Operation::find(&crs("EPSG:4326+5773"), &crs("EPSG:4326+ellipsoidal"), &search).unwrap_err().to_string();
    assert_eq!(error, "EPSG-5773.gtx: is broken");
    // One side without heights leaves them alone and says so.
    let op = Operation::between(&level, &crs("EPSG:2269"), None).unwrap();
    assert!(
        !op.moves_heights() && op.notes().iter().any(|n| n.contains("heights stay as they are")),
        "{:?}",
        op.notes()
    );
}

#[test]
fn depths_change_their_sign() {
    // EPSG:5715 is mean sea level depth, EPSG:5714 mean sea level height.
    let op = Operation::between(&crs("EPSG:4326+5714"), &crs("EPSG:4326+5715"), None).unwrap();
    assert_eq!(op.apply_one(1.0, 2.0, 30.0).unwrap().2, -30.0);
}

#[test]
fn three_dimensional_systems_carry_heights_through_a_change_of_datum() {
    // IOGP Guidance Note 373-7-2, section 4.3.3.1: WGS 72 to WGS 84, geographic with height 73.46 to 78.26 m.
    let op = Operation::between(&crs("EPSG:4322+ellipsoidal"), &crs("EPSG:4326+ellipsoidal"), None).unwrap();
    assert!(op.moves_heights());
    let by_code = Operation::between(&crs("EPSG:4322+ellipsoidal"), &crs("EPSG:4979"), None).unwrap();
    assert_eq!(by_code.apply_one(4.0, 55.0, 0.0), op.apply_one(4.0, 55.0, 0.0));
    let flat = Operation::between(&crs("EPSG:4322"), &crs("EPSG:4326"), None).unwrap();
    assert!(!flat.moves_heights());
    let (lon, lat, h) = op.apply_one(4.0, 55.0, 0.0).unwrap();
    let (lon2, lat2, h2) = flat.apply_one(4.0, 55.0, 123.0).unwrap();
    assert!((lon - lon2).abs() < 1e-12 && (lat - lat2).abs() < 1e-12);
    assert!(h.abs() > 0.5 && h2 == 123.0, "{h} {h2}");
}

#[test]
fn a_transformation_of_ones_own_is_taken() {
    let own = Transformation {
        name: "estuary fit".into(),
        source_datum: crs("EPSG:4267").datum().unwrap().name.clone(),
        target_datum: crs("EPSG:4269").datum().unwrap().name.clone(),
        shift: Shift::Helmert(Helmert {
            translation_m: [-9.0, 160.0, 177.0],
            rotation_arcsec: [0.0; 3],
            scale_ppm: 0.0,
            convention: RotationConvention::PositionVector,
        }),
        accuracy_m: 0.4,
        area: None,
        note: None,
    };
    let via = Via::Own(Box::new(own));
    let op = Operation::find(&crs("EPSG:4267"), &crs("EPSG:2269"), &Search { via: Some(&via), ..Default::default() })
        .unwrap();
    assert_eq!((op.name(), op.accuracy_m()), ("estuary fit", Some(0.4)));
}

#[test]
fn operations_join() {
    let a = Operation::between(&crs("EPSG:32610"), &crs("EPSG:4326"), None).unwrap();
    let b = Operation::between(&crs("EPSG:4326"), &crs("EPSG:2269"), None).unwrap();
    let whole = Operation::between(&crs("EPSG:32610"), &crs("EPSG:2269"), None).unwrap();
    let joined = a.then(b);
    let (p, q) =
        (joined.apply_one(438_000.0, 5_116_000.0, 0.0).unwrap(), whole.apply_one(438_000.0, 5_116_000.0, 0.0).unwrap());
    assert!((p.0 - q.0).abs() < 1e-7 && (p.1 - q.1).abs() < 1e-7, "{p:?} {q:?}");
}
