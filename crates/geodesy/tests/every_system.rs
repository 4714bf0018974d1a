//! Sweeps over the whole catalogue.

use basilocus_geodesy::Error;
use basilocus_geodesy::crs::{Catalogue, Kind};
use basilocus_geodesy::operation::Operation;

/// A grid of positions inside a system's area of use, out and back again.
#[test]
fn every_implemented_projection_closes_in_its_area_of_use() {
    let catalogue = Catalogue::embedded();
    let (mut tried, mut refused) = (0, 0);
    for code in catalogue.codes() {
        let crs = catalogue.get(code).unwrap();
        let Kind::Projected { datum, .. } = &crs.kind else {
            continue;
        };
        let projection = match crs.projection() {
            Ok(p) => p.unwrap(),
            Err(Error::MethodNotImplemented { method, .. }) => {
                assert!(!method.is_empty());
                refused += 1;
                continue;
            }
            Err(other) => panic!("{other}"),
        };
        tried += 1;
        let a = &crs.area;
        let width = (a.east_deg - a.west_deg).rem_euclid(360.0);
        for i in 0..=4 {
            for j in 0..=4 {
                let lon = a.west_deg + width * f64::from(i) / 4.0 - datum.prime_meridian_deg;
                let lat = a.south_deg + (a.north_deg - a.south_deg) * f64::from(j) / 4.0;
                let (mut x, mut y) = ([lon], [lat]);
                projection.forward_batch(&mut x, &mut y);
                if x[0].is_nan() {
                    // Some systems have an area of use far wider than the method can serve (the zone's
                    // neighbours over an ocean); no number is the right answer there.
                    continue;
                }
                projection.inverse_batch(&mut x, &mut y);
                let d_lon = ((x[0] - lon + 540.0).rem_euclid(360.0) - 180.0) * lat.to_radians().cos() * 111_320.0;
                let d_lat = (y[0] - lat) * 111_320.0;
                assert!(
                    d_lon.abs() < 1e-6 && d_lat.abs() < 1e-6,
                    "{}: {lon} {lat} came back {d_lon} {d_lat} m off",
                    crs.title()
                );
            }
        }
    }
    println!("{tried} systems computed, {refused} refused by name");
    // At least 99 % of the registry's projected systems.
    assert!(tried * 100 >= (tried + refused) * 99, "{tried} systems computed, {refused} refused by name");
}

#[test]
fn a_vertical_system_alone_is_refused_by_name() {
    let catalogue = Catalogue::embedded();
    let crs = catalogue.get(5703).unwrap();
    let error = Operation::between(&crs, &catalogue.get(4326).unwrap(), None).unwrap_err();
    assert!(error.to_string().contains(&crs.name) && error.to_string().contains("EPSG:4326+5703"), "{error}");
}

#[test]
fn every_compound_system_has_its_parts_and_leads_to_its_horizontal_part() {
    let catalogue = Catalogue::embedded();
    let mut tried = 0;
    for code in catalogue.codes() {
        let crs = catalogue.get(code).unwrap();
        let Kind::Compound { horizontal, vertical } = &crs.kind else { continue };
        assert!(matches!(vertical.kind, Kind::Vertical { .. }), "{}", crs.title());
        let op = Operation::between(&crs, horizontal, None).unwrap();
        assert!(!op.moves_heights() && op.accuracy_m() == Some(0.0), "{}", crs.title());
        tried += 1;
    }
    assert!(tried > 350, "{tried}");
}

#[test]
fn unknown_codes_and_names_offer_neighbours() {
    let catalogue = Catalogue::embedded();
    let message = |text: &str| catalogue.find_one(text).unwrap_err().to_string();
    assert!(message("EPSG:2268999").contains("no reference system"));
    assert!(message("43260").contains("EPSG:4326)"), "a digit too many: {}", message("43260"));
    assert!(message("22699").contains("EPSG:2269)"), "{}", message("22699"));
    assert!(message("999999").contains("EPSG:"), "{}", message("999999"));
    assert!(message("NAD83 / Oregon Nort").contains("Oregon North"), "{}", message("NAD83 / Oregon Nort"));
}
