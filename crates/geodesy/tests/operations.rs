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
