//! Every notation that is printed is read back, at random places all over the world and on every edge.

use basilocus_geodesy::notation::{AxisOrder, Known, NOTATIONS, Notation, notation_evidence, print, read_known};
use proptest::prelude::*;

/// What the rows of a column say together, as the command finds it out.
fn known(texts: &[String], notation: Notation) -> Known {
    let evidence: Vec<_> = texts.iter().map(|t| notation_evidence(t)).collect();
    Known {
        order: AxisOrder::LatitudeFirst,
        notation: evidence.iter().find_map(|e| e.notation).filter(|n| *n == notation).or(Some(notation)),
        utm_bands: evidence.iter().any(|e| e.utm_band),
    }
}

/// Places a hair apart from lines where bands, zones, squares and cells meet.
fn near_edges() -> impl Strategy<Value = (f64, f64)> {
    let line = |step: f64, most: f64| {
        let n = (most / step) as i32;
        (-n..=n, -1.0..=1.0f64).prop_map(move |(k, off)| (f64::from(k) * step + off * 1e-7).clamp(-most, most))
    };
    (
        prop_oneof![line(3.0, 180.0), line(0.25, 180.0), line(15.0, 180.0)],
        prop_oneof![line(8.0, 80.0), line(0.25, 90.0)],
    )
}

/// Reads a place back in every notation; gives what went wrong.
fn check(lon: f64, lat: f64) -> Result<(), TestCaseError> {
    for notation in NOTATIONS {
        let digits = notation.usual_digits();
        let Some(text) = print(lon, lat, *notation, digits) else { continue };
        let known = known(std::slice::from_ref(&text), *notation);
        let back =
            read_known(&text, known).map_err(|e| TestCaseError::fail(format!("{} {text}: {e}", notation.name())))?;
        prop_assert_eq!(back.notation.is_whole(), notation.is_whole(), "{} {}", notation.name(), text);
        let (north, east) = notation.last_digit_m(digits, lat);
        let metres_north = (back.lat_deg - lat).abs() * 111_700.0;
        let turned = (back.lon_deg - lon + 540.0).rem_euclid(360.0) - 180.0;
        let metres_east = turned.abs() * 111_700.0 * lat.to_radians().cos();
        // Grids turn against the meridians: a digit of theirs counts in any direction.
        let most = north.max(east) * 1.5 + 0.001;
        prop_assert!(metres_north <= most, "{} {} is {} m off", notation.name(), text, metres_north);
        prop_assert!(metres_east <= most, "{} {} is {} m off", notation.name(), text, metres_east);
    }
    Ok(())
}

proptest! {
    #[test]
    fn at_random_places(lon in -180.0..=180.0f64, lat in -90.0..=90.0f64) {
        check(lon, lat)?;
    }

    #[test]
    fn near_the_edges_of_zones_and_cells((lon, lat) in near_edges()) {
        check(lon, lat)?;
    }
}

#[test]
fn a_letter_s_is_north_in_the_band_and_is_printed_so() {
    let text = print(138.0, 36.0, Notation::Utm, 1).unwrap();
    assert!(text.starts_with("54 North "), "{text}");
    let known = Known { utm_bands: true, ..Default::default() };
    let bare = text.replacen(" North", "S", 1);
    assert!(
        read_known(&bare, Known::default()).unwrap_err().to_string().contains("2 readings"),
        "of others it is open"
    );
    assert!((read_known(&bare, known).unwrap().lat_deg - 36.0).abs() < 1e-6);
}
