//! Displacements that were made by what they are explained as, and one that nothing explains.

use super::*;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;

type At = [f64; 2];

fn system(code: u32) -> Crs {
    Catalogue::embedded().get(code).unwrap()
}

/// Forty places of the Tern Estuary.
fn places() -> Vec<At> {
    (0..40).map(|i| [-124.000_37 + f64::from(i) * 0.012_71, 46.050_37 + f64::from(i * 7 % 40) * 0.010_03]).collect()
}

fn way(from: u32, to: u32) -> impl Fn(At) -> At {
    let way = Operation::between(&system(from), &system(to), None).unwrap();
    move |p| way.apply_one(p[0], p[1], 0.0).map(|(x, y, _)| [x, y]).unwrap()
}

/// What a displacement of all places is, both sides in systems.
fn of(change: impl Fn(At) -> At, systems: [u32; 2]) -> Option<Displacement> {
    let geodesic = Geodesic::new(&Ellipsoid::wgs84());
    let pair = |(i, a): (usize, At)| {
        let b = change(a);
        let distance_m = geodesic.inverse(a[0], a[1], b[0], b[1]).distance_m;
        Pair { key: i.to_string(), distance_m, a, b, levels: Default::default() }
    };
    let pairs: Vec<Pair> = places().into_iter().enumerate().map(pair).collect();
    super::of(&pairs, &systems.map(|code| Side { crs: system(code) })).unwrap()
}

/// What explains it best.
fn first(change: impl Fn(At) -> At, systems: [u32; 2]) -> String {
    let found = of(change, systems).unwrap();
    let best = found.explained_by.first().unwrap_or_else(|| panic!("{found:?}"));
    assert!(best.share > 0.99, "{best:?}");
    best.what.clone()
}

#[test]
fn a_datum_read_as_another_one() {
    // Coordinates in NAD27 that were taken for WGS 84.
    let back = way(4326, 4267);
    let found = of(&back, [4326, 4326]).unwrap();
    let best = &found.explained_by[0];
    assert_eq!(best.what, "the second has coordinates in NAD27 (EPSG:4267) and was read as WGS 84 (EPSG:4326)");
    assert!(best.remains_m < 0.01 && best.mend == "say `from_b` EPSG:4267", "{best:?}");
    // NAD27 lies about 95 m west of NAD83 here by the table of the agencies (longitudes differ by 4.4 to 4.6 seconds).
    let shift = found.shift.unwrap();
    assert!((85.0..110.0).contains(&shift.distance_m) && shift.spread_m < 3.0, "{shift:?}");
    assert!(first(way(4267, 4326), [4326, 4326]).starts_with("the first has coordinates in NAD27"));
}

#[test]
fn feet_of_one_kind_read_as_the_other() {
    let (to, back) = (way(4326, 2269), way(2269, 4326));
    let change = move |p: At| {
        let [x, y] = to(p);
        back([x * 0.999_998, y * 0.999_998])
    };
    let found = first(change, [4326, 2269]);
    assert!(
        found.contains("US survey feet of NAD83 / Oregon North (ft) (EPSG:2269) were read as international feet"),
        "{found}"
    );
}

#[test]
fn numbers_of_another_zone_or_with_exchanged_axes() {
    let (to, back) = (way(4326, 32610), way(32611, 4326));
    let found = first(move |p| back(to(p)), [4326, 32611]);
    assert!(found.starts_with("the second: the numbers look like those of WGS 84 / UTM zone 10N"), "{found}");
    // Which of both is wrong nobody knows: both are named.
    let found = of(|[x, y]| [-x, y], [4326, 4326]).unwrap();
    let told: Vec<&str> = found.explained_by.iter().map(|e| e.what.as_str()).collect();
    let expected = [
        "the first: the longitudes seem to have a minus sign too many",
        "the second: the longitudes seem to lack their minus sign",
    ];
    assert_eq!(told, expected);
}

#[test]
fn digits_that_were_cut_off() {
    let rounded = |step: f64| move |p: At| p.map(|v| (v / step).round() * step);
    assert_eq!(first(rounded(1e-3), [4326, 4326]), "the second is the first rounded to 3 decimals");
    assert_eq!(
        first(|p| p.map(|v| (v * 1e3).trunc() / 1e3), [4326, 4326]),
        "the second is the first cut off at 3 decimals"
    );
    let (to, back) = (way(4326, 32610), way(32610, 4326));
    let round = rounded(100.0);
    assert_eq!(first(move |p| back(round(to(p))), [32610, 32610]), "the second is the first rounded to 100s");
}

#[test]
fn a_plate_that_moved() {
    let plate = basilocus_geodesy::plate::PLATES.iter().find(|p| p.name == "North America").unwrap();
    let found = of(|p| plate.moved(p[0], p[1], 26.5), [4326, 4326]).unwrap();
    assert!(found.explained_by[0].what.contains("the plate North America has the first 26.5 years later"), "{found:?}");
    assert!((0.2..1.0).contains(&found.shift.unwrap().distance_m));
}

#[test]
fn a_shift_and_a_turn_that_nothing_explains() {
    let found = of(|[x, y]| [x + 0.000_31, y - 0.000_52], [4326, 4326]).unwrap();
    let shift = found.shift.unwrap();
    // 0.00052° of latitude are 57.8 m, 0.00031° of longitude 23.9 m.
    assert!((shift.distance_m - 62.6).abs() < 0.3 && (shift.azimuth_deg - 157.5).abs() < 0.5, "{shift:?}");
    assert!(found.explained_by.is_empty() && found.turned.is_none(), "{found:?}");
    // Turned by half a degree about a corner and a ten-thousandth longer.
    let geodesic = Geodesic::new(&Ellipsoid::wgs84());
    let found = of(
        |p| {
            let line = geodesic.inverse(-124.0, 46.0, p[0], p[1]);
            let there = geodesic.direct(-124.0, 46.0, line.azimuth_deg + 0.5, line.distance_m * 1.0001);
            [there.lon_deg, there.lat_deg]
        },
        [4326, 4326],
    )
    .unwrap();
    let turned = found.turned.unwrap();
    assert!((turned.turn_deg - 0.5).abs() < 0.01 && (turned.scale - 1.0001).abs() < 3e-5, "{turned:?}");
    // Noise is neither.
    assert_eq!(of(|[x, y]| [x + (x * 1e4).sin() * 1e-3, y + (y * 1e4).cos() * 1e-3], [4326, 4326]), None);
}
