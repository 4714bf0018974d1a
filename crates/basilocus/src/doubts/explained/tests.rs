//! Each hypothesis on numbers that are wrong in its way, and none on numbers that are right.

use super::*;
use basilocus_geodesy::crs::Catalogue;
use proptest::prelude::*;

fn system(code: u32) -> Crs {
    Catalogue::embedded().get(code).unwrap()
}

/// The Tern Estuary.
fn estuary() -> Area {
    Area { west_deg: -124.1, south_deg: 46.0, east_deg: -123.5, north_deg: 46.5, description: String::new() }
}

/// Places of the estuary as numbers of a system.
fn numbers(code: u32) -> Vec<Numbers> {
    let way = Operation::between(&system(4326), &system(code), None).unwrap();
    let place = |i: u32| (-124.05 + f64::from(i) * 0.0127, 46.05 + f64::from(i * 7 % 40) * 0.01);
    let numbers = (0..40).map(place).filter_map(|(lon, lat)| way.apply_one(lon, lat, 0.0).map(|(x, y, _)| [x, y]));
    numbers.collect()
}

/// What explains numbers that were read in a system.
fn found(code: u32, suspects: &[Numbers]) -> Vec<Explanation> {
    explain(&Case { crs: &system(code), area: &estuary(), is_narrow: true, suspects })
}

/// The doubt and the claim of the one thing that explains all numbers.
fn the_one(code: u32, suspects: &[Numbers]) -> (String, String) {
    let found = found(code, suspects);
    let [one] = &found[..] else { panic!("{found:?}") };
    assert_eq!(one.rows, suspects.len() as u64, "{one:?}");
    assert!(one.others.is_empty(), "{one:?}");
    (one.doubt.to_string(), one.claim.clone())
}

fn changed(code: u32, change: impl Fn(Numbers) -> Numbers) -> Vec<Numbers> {
    numbers(code).into_iter().map(change).collect()
}

#[test]
fn each_slip_is_named_in_degrees() {
    for (change, doubt, claim) in [
        (
            &(|[x, y]: Numbers| [y, x]) as &dyn Fn(Numbers) -> Numbers,
            "swapped-axes",
            "longitude and latitude look swapped",
        ),
        (
            &|[x, y]: Numbers| [y, -x],
            "swapped-axes",
            "longitude and latitude look swapped, and the sign of the longitude wrong",
        ),
        (&|[x, y]: Numbers| [-x, y], "missing-sign", "the longitudes seem to lack their minus sign"),
        (&|[x, y]: Numbers| [x, -y], "missing-sign", "the latitudes seem to have a minus sign too many"),
        (&|[x, y]: Numbers| [-x, -y], "missing-sign", "longitudes and latitudes seem to have lost their signs"),
        (&|[x, y]: Numbers| [x + 100.0, y], "lost-digits", "a leading digit 1 seems to be cut off the longitudes"),
        (&|[x, y]: Numbers| [x + 17.666_666_666_7, y], "wrong-system", "the longitudes seem to be counted from Ferro"),
    ] {
        let (name, words) = the_one(4326, &changed(4326, change));
        assert_eq!((name.as_str(), words.as_str()), (doubt, claim));
    }
}

#[test]
fn each_slip_is_named_in_a_projected_system() {
    for (change, doubt, claim) in [
        (
            &(|[x, y]: Numbers| [y, x]) as &dyn Fn(Numbers) -> Numbers,
            "swapped-axes",
            "easting and northing look swapped",
        ),
        (
            &|p: Numbers| p.map(|v| v / 0.3048),
            "wrong-foot",
            "the numbers look like feet (international or US survey), and were read as metres",
        ),
        (
            &|p: Numbers| p.map(|v| v / 1000.0),
            "wrong-foot",
            "the numbers were read as metres, and look like thousands of them",
        ),
        (&|[x, y]: Numbers| [x, y - 5e6], "lost-digits", "a leading digit 5 seems to be cut off the northings"),
        (&|[x, y]: Numbers| [x + 3e6, y], "lost-digits", "the eastings seem to have a digit 3 in front"),
    ] {
        let (name, words) = the_one(32610, &changed(32610, change));
        assert_eq!((name.as_str(), words.as_str()), (doubt, claim));
    }
    // 500 000 is a digit and the false easting: both are named.
    let both = &found(32610, &changed(32610, |[x, y]| [x - 5e5, y]))[0];
    assert_eq!(both.doubt.to_string(), "lost-digits");
    assert!(both.others.iter().any(|o| o.contains("the false easting 500000 seems to be left out")), "{both:?}");
    let (name, claim) = the_one(32610, &numbers(4326));
    assert_eq!(
        (name.as_str(), claim.as_str()),
        ("degrees-or-metres", "the numbers look like degrees, longitude and latitude")
    );
    // Feet of Oregon's system: metres in it.
    let (name, claim) = the_one(2269, &changed(2269, |p| p.map(|v| v * 0.3048)));
    assert!(name == "wrong-foot" && claim.contains("look like metres, and were read as"), "{claim}");
}

#[test]
fn another_zone_or_system_is_named_with_its_code() {
    let (name, claim) = the_one(32611, &numbers(32610));
    assert_eq!(
        (name.as_str(), claim.as_str()),
        ("wrong-zone", "the numbers look like those of WGS 84 / UTM zone 10N (EPSG:32610)")
    );
    let (name, claim) = the_one(32710, &numbers(32610));
    assert!(name == "wrong-zone" && claim.contains("EPSG:32610"), "{claim}");
    // A state's other zone.
    let (name, claim) = the_one(2270, &numbers(2269));
    assert!(name == "wrong-zone" && claim.contains("Oregon North (ft) (EPSG:2269)"), "{claim}");
    // Eastings and northings in columns that were read as degrees.
    let metres = &found(4326, &numbers(32610))[0];
    assert_eq!(metres.doubt.to_string(), "degrees-or-metres");
    assert!(metres.claim.contains("look like eastings and northings of"), "{metres:?}");
}

#[test]
fn several_causes_are_told_apart() {
    let mut rows = changed(4326, |[x, y]| [-x, y]);
    rows.extend(changed(4326, |[x, y]| [y, x]).into_iter().take(10));
    // Others far away, of the other sign: they say nothing of those that lack theirs.
    rows.push([-30.0, 51.5]);
    let found = found(4326, &rows);
    let told: Vec<(String, u64)> = found.iter().map(|e| (e.doubt.to_string(), e.rows)).collect();
    assert_eq!(told, [("missing-sign".to_string(), 40), ("swapped-axes".to_string(), 10)]);
}

#[test]
fn what_nothing_explains_stays_unexplained() {
    assert_eq!(found(4326, &[[12.5, 41.9], [2.35, 48.85]]), []);
    assert_eq!(found(32610, &[[1e9, 1e9]]), []);
    assert_eq!(found(4326, &[]), []);
    // A place that is not known narrowly is reached in too many ways.
    let wide = Area { west_deg: -180.0, south_deg: 15.0, east_deg: -60.0, north_deg: 75.0, description: String::new() };
    let rows = changed(4326, |[x, y]| [x + 100.0, y]);
    assert_eq!(explain(&Case { crs: &system(4326), area: &wide, is_narrow: false, suspects: &rows }), []);
}

proptest! {
    /// Whatever numbers there are: no panic, no row explained twice, and what is said to be explained is.
    #[test]
    fn no_row_is_explained_twice(rows in prop::collection::vec((-4e2..4e2f64, -4e2..4e2f64), 0..30)) {
        let rows: Vec<Numbers> = rows.into_iter().map(|(x, y)| [x, y]).collect();
        let all: u64 = explain(&Case { crs: &system(4326), area: &estuary(), is_narrow: false, suspects: &rows })
            .iter()
            .map(|e| e.rows)
            .sum();
        prop_assert!(all <= rows.len() as u64);
    }
}
