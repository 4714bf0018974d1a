//! Operations between systems, against published numbers.

use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;

fn way(from: u32, to: u32) -> Operation {
    let c = Catalogue::embedded();
    Operation::between(&c.get(from).unwrap(), &c.get(to).unwrap(), None).unwrap()
}

#[test]
fn same_system_changes_no_bit() {
    for code in [4326, 2269, 32610, 27500, 4821, 4978] {
        let op = way(code, code);
        let (mut x, mut y, mut z) = ([123.456_789_012_345], [1.234_567_890_123], [7.0]);
        op.apply(&mut x, &mut y, &mut z);
        assert_eq!((x[0], y[0], z[0]), (123.456_789_012_345, 1.234_567_890_123, 7.0), "{code}");
        assert_eq!(op.accuracy_m(), Some(0.0));
    }
}

#[test]
fn gda94_to_gda2020_geographic() {
    // ICSM, GDA2020 Technical Manual, worked example at ALIC: latitude 23°40'12.446020" S to 23°40'12.39650" S,
    // longitude 133°53'07.84785" E to 133°53'07.87779" E.
    let op = way(4283, 7844);
    assert_eq!(op.accuracy_m(), Some(0.01));
    let dms = |d: f64, m: f64, s: f64| d + m / 60.0 + s / 3600.0;
    let (lon, lat, _) = op.apply_one(dms(133.0, 53.0, 7.84785), -dms(23.0, 40.0, 12.446_02), 0.0).unwrap();
    assert!((lon - dms(133.0, 53.0, 7.87779)).abs() < 3e-9, "{lon}");
    assert!((lat + dms(23.0, 40.0, 12.3965)).abs() < 3e-9, "{lat}");
}

#[test]
fn regional_parameters_win_where_they_hold() {
    let op = way(32026, 2269);
    assert!(op.name().starts_with("NAD27 to WGS 84, western states"), "{}", op.name());
    assert_eq!(op.accuracy_m(), Some(12.0));
    assert!(
        op.notes().iter().any(|n| n.contains("ntv2_0.gsb")),
        "the better way by grid is announced: {:?}",
        op.notes()
    );
    // Numbers nobody can mistake for the survey foot: in feet the two systems' false eastings differ by 6.2 million.
    let (x, _, _) = op.apply_one(1_156_000.0, 950_000.0, 0.0).unwrap();
    assert!((7_350_000.0..7_370_000.0).contains(&x), "{x}");
}

#[test]
fn nad27_shift_size_by_an_independent_route() {
    // DMA TR8350.2, the abridged Molodensky formulas for the western states (−8, 159, 175) at 46.2 N 123.8 W,
    // evaluated by hand in double precision: an independent formulation of the same shift.
    let (lon, lat) = (-123.8f64, 46.2f64);
    let (a, f) = (6_378_206.4, 1.0 / 294.978_698_213_898);
    let (da, df) = (6_378_137.0 - a, 1.0 / 298.257_223_563 - f);
    let (dx, dy, dz) = (-8.0, 159.0, 175.0);
    let (sp, cp) = lat.to_radians().sin_cos();
    let (sl, cl) = lon.to_radians().sin_cos();
    let e2 = f * (2.0 - f);
    let nu = a / (1.0 - e2 * sp * sp).sqrt();
    let rho = a * (1.0 - e2) / (1.0 - e2 * sp * sp).powf(1.5);
    let d_lat = (-dx * sp * cl - dy * sp * sl + dz * cp + (a * df + f * da) * (2.0 * lat).to_radians().sin()) / rho;
    let d_lon = (-dx * sl + dy * cl) / (nu * cp);
    let (x, y, _) = way(4267, 4326).apply_one(lon, lat, 0.0).unwrap();
    // The national mean is taken without a hint of the area (−8, 160, 176), a metre beside the western states.
    assert!((x - lon - d_lon.to_degrees()).abs() * 111_320.0 * cp < 2.0);
    assert!((y - lat - d_lat.to_degrees()).abs() * 111_320.0 < 2.0);
    let near = Catalogue::embedded().get(2269).unwrap().area;
    let c = Catalogue::embedded();
    let op = Operation::between(&c.get(4267).unwrap(), &c.get(4326).unwrap(), Some(&near)).unwrap();
    assert_eq!(op.accuracy_m(), Some(8.0));
    let (x, y, _) = op.apply_one(lon, lat, 0.0).unwrap();
    // The abridged formulas themselves are good to a few centimetres of this exact three-dimensional shift.
    assert!(
        (x - lon - d_lon.to_degrees()).abs() * 111_320.0 * cp < 0.2,
        "{}",
        (x - lon - d_lon.to_degrees()) * 111_320.0 * cp
    );
    assert!((y - lat - d_lat.to_degrees()).abs() * 111_320.0 < 0.2);
}

#[test]
fn round_trips_over_datums_units_and_meridians() {
    for (from, to, x, y) in [
        (4326, 27700, -1.5, 52.0),
        (4903, 2062, 0.2, 40.0),
        (4671, 4821, 3.0, 36.0),
        (4326, 32026, -123.0, 45.0),
        (4258, 31467, 9.5, 50.0),
    ] {
        let (e, n, _) = way(from, to).apply_one(x, y, 0.0).unwrap_or_else(|| panic!("{from} {to}"));
        let (lon, lat, _) = way(to, from).apply_one(e, n, 0.0).unwrap();
        // The height left behind on the other ellipsoid costs below a millimetre for shifts of these sizes.
        assert!((lon - x).abs() < 1e-7 && (lat - y).abs() < 1e-7, "{from} {to}: {lon} {lat}");
    }
}

#[test]
fn grads_and_the_meridian_of_paris() {
    // 2.33722917° is the longitude of the meridian of Paris, 50 grad is 45°, by definition.
    let (lon, lat, _) = way(4821, 4671).apply_one(0.0, 50.0, 0.0).unwrap();
    assert!((lon - 2.337_229_17).abs() < 1e-12 && (lat - 45.0).abs() < 1e-12);
}

#[test]
fn geocentric_both_ways() {
    // IOGP Guidance Note 373-7-2, section 4.1.1.
    let (x, y, z) = way(4326, 4978)
        .apply_one(2.0 + 7.0 / 60.0 + 46.38 / 3600.0, 53.0 + 48.0 / 60.0 + 33.82 / 3600.0, 73.0)
        .unwrap();
    assert!(
        (x - 3_771_793.97).abs() < 0.01 && (y - 140_253.34).abs() < 0.01 && (z - 5_124_304.35).abs() < 0.01,
        "{x} {y} {z}"
    );
    let op = way(4978, 32631);
    assert!(op.moves_heights());
    assert!((op.apply_one(x, y, z).unwrap().2 - 73.0).abs() < 1e-6);
}

#[test]
fn impossible_positions_have_no_result() {
    assert_eq!(way(4326, 32610).apply_one(-123.0, 95.0, 0.0), None);
    assert_eq!(way(4326, 4269).apply_one(-123.0, 95.0, 0.0), None);
    assert_eq!(way(4326, 32610).apply_one(f64::NAN, 45.0, 0.0), None);
    assert_eq!(way(4326, 32610).apply_one(57.0, 45.0, 0.0), None, "half a world from the zone");
    assert_eq!(way(32610, 4326).apply_one(5e7, 5e6, 0.0), None);
}

#[test]
fn every_refusal_says_which_step_could_not_take_the_position() {
    let to_utm = way(4326, 32610);
    for (x, y, words) in [
        (f64::NAN, 45.0, Some("not a number")),
        (-123.0, f64::INFINITY, Some("not a number")),
        (-123.0, 90.5, Some("latitude is beyond ±90°")),
        (-361.0, 45.0, Some("longitude beyond ±360°")),
        (57.0, 45.0, Some("outside the domain of the projection (Transverse Mercator)")),
        (-123.0, 45.0, None),
        (237.0, 45.0, None),
    ] {
        let told = to_utm.refusal(x, y, f64::NAN);
        match words {
            Some(words) => assert!(told.as_deref().is_some_and(|t| t.contains(words)), "{x} {y}: {told:?}"),
            None => assert_eq!(told, None, "{x} {y}"),
        }
        assert_eq!(told.is_none(), to_utm.apply_one(x, y, f64::NAN).is_some(), "{x} {y}");
    }
    // A height that is none spoils a position only where it is part of it.
    let geocentric = way(4979, 4978);
    assert_eq!(geocentric.refusal(-123.0, 45.0, 7.0), None);
    assert_eq!(geocentric.refusal(-123.0, 45.0, f64::NAN).as_deref(), Some("not a number"));
}

#[test]
fn heights_are_left_scaled_or_moved_and_it_is_said_which() {
    let catalogue = Catalogue::embedded();
    let of = |from: &str, to: &str| {
        let system = |text: &str| catalogue.find_one(text).unwrap();
        Operation::between(&system(from), &system(to), None).unwrap()
    };
    let height = |op: &Operation| op.apply_one(-123.0, 46.0, 10.0).unwrap().2;
    // Two dimensions know no heights: they stay, and nothing is said of them.
    let flat = of("EPSG:4326", "EPSG:32610");
    assert_eq!((flat.moves_heights(), height(&flat), flat.notes().len()), (false, 10.0, 0));
    // One side with heights: they stay, and that is said.
    for (from, to) in [("EPSG:4326", "EPSG:4979"), ("EPSG:4326+5773", "EPSG:32610")] {
        let op = of(from, to);
        assert_eq!((op.moves_heights(), height(&op)), (false, 10.0), "{from} {to}");
        assert!(op.notes().iter().any(|n| n.starts_with("heights stay as they are: ")), "{:?}", op.notes());
    }
    // The same surface on both: only the unit, here metres and US survey feet (1200/3937 m), changes.
    let feet = of("EPSG:4269+5703", "EPSG:4269+6360");
    assert!(feet.moves_heights() && (height(&feet) - 10.0 * 3937.0 / 1200.0).abs() < 1e-12, "{}", height(&feet));
    // Both above the ellipsoid: heights go with the position.
    let whole = of("EPSG:4979", "EPSG:4978");
    assert!(whole.moves_heights() && height(&whole) > 4e6);
}

#[test]
fn operations_follow_each_other_as_one() {
    let (there, back) = (way(4326, 32610), way(32610, 4326));
    let both = there.clone().then(back.clone());
    assert_eq!(
        both.name(),
        "conversion from WGS 84 to WGS 84 / UTM zone 10N, then conversion from WGS 84 / UTM zone 10N to WGS 84"
    );
    // What becomes geocentric and geographic again is left as it is: no bit changes.
    let twice = way(4979, 4978).then(way(4978, 4979));
    assert!(twice.steps().is_empty(), "{:?}", twice.steps());
    assert_eq!(twice.apply_one(-123.456_789_012_345, 46.2, 3.1), Some((-123.456_789_012_345, 46.2, 3.1)));
    let (e, n, _) = there.apply_one(-123.4, 46.2, 0.0).unwrap();
    assert_eq!(there.clone().then(way(32610, 32610)).apply_one(-123.4, 46.2, 0.0), Some((e, n, 0.0)));
    // Accuracies add up, what is assumed or missed in one is so in both, heights go as they go in one of them.
    let shift = way(32026, 2269);
    let joined = shift.clone().then(way(2269, 4152));
    assert_eq!(joined.accuracy_m(), Some(shift.accuracy_m().unwrap() + way(2269, 4152).accuracy_m().unwrap()));
    assert!(joined.missed().is_some() && joined.missed() == shift.missed());
    let assumed = way(9000, 4326);
    assert!(assumed.assumes_equal() && assumed.name().contains("assumed equal"), "{}", assumed.name());
    assert!(
        assumed.clone().then(there.clone()).assumes_equal() && way(32610, 4326).then(way(4326, 9000)).assumes_equal()
    );
    assert!(!shift.assumes_equal() && !there.assumes_equal());
    assert!(way(4979, 4978).then(way(4978, 4979)).moves_heights());
    assert!(!there.then(back).moves_heights());
}

#[test]
fn scaled_heights_are_scaled_by_both() {
    let catalogue = Catalogue::embedded();
    let system = |text: &str| catalogue.find_one(text).unwrap();
    let of = |from: &str, to: &str| Operation::between(&system(from), &system(to), None).unwrap();
    let feet = || of("EPSG:4269+5703", "EPSG:4269+6360");
    let metres = || of("EPSG:4269+6360", "EPSG:4269+5703");
    let there_and_back = feet().then(metres());
    assert_eq!(there_and_back.apply_one(-123.0, 46.0, 10.0).map(|p| p.2), Some(10.0));
    let twice = feet().then(feet()).apply_one(-123.0, 46.0, 10.0).unwrap().2;
    assert!((twice - 10.0 * (3937.0f64 / 1200.0).powi(2)).abs() < 1e-9, "{twice}");
    // One that leaves heights alone changes nothing of that, in front or behind.
    let height = |op: Operation, x: f64, y: f64| op.apply_one(x, y, 10.0).map(|p| p.2);
    let alone = height(feet(), -123.0, 46.0);
    assert_eq!(height(feet().then(of("EPSG:4269", "EPSG:26910")), -123.0, 46.0), alone);
    assert_eq!(height(of("EPSG:26910", "EPSG:4269").then(feet()), 500_000.0, 5_100_000.0), alone);
}

#[test]
fn a_system_to_degrees_is_on_its_own_datum_from_greenwich() {
    let degrees = |code: u32, x: f64, y: f64, z: f64| {
        let crs = Catalogue::embedded().get(code).unwrap();
        Operation::to_degrees(&crs).unwrap().apply_one(x, y, z).unwrap()
    };
    // False origin of UTM: on the central meridian, at the equator (EPSG:16010).
    let (lon, lat, _) = degrees(32610, 500_000.0, 0.0, 0.0);
    assert!((lon + 123.0).abs() < 1e-12 && lat.abs() < 1e-12, "{lon} {lat}");
    // The north pole lies a semi-minor axis above the middle (WGS 84: 6,356,752.3142 m).
    let (_, lat, height) = degrees(4978, 0.0, 0.0, 6_356_752.314_245);
    assert!((lat - 90.0).abs() < 1e-9 && height.abs() < 1e-5, "{lat} {height}");
}

#[test]
fn a_transformation_says_where_it_holds_and_a_conversion_holds_everywhere() {
    // The western states of the United States hold Oregon, whose zones the two systems are, and no place on the other coast.
    let op = way(32026, 2269);
    let area = op.area().unwrap();
    assert!(area.contains(-123.0, 45.0) && !area.contains(-77.0, 39.0), "{area:?}");
    assert_eq!(way(4326, 32610).area(), None);
}
