//! How far a global frame and one that is fixed to its plate have moved apart, where they are taken as equal.

use basilocus_geodesy::crs::{Crs, Datum};
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::plate::{PLATES, Plate};

/// Frames that move with a plate: the name of the datum, the plate, and when the frame agreed with the global ones.
const FIXED: [(&str, &str, f64); 4] = [
    ("European Terrestrial Reference System 1989", "Eurasia", 1989.0),
    ("Geocentric Datum of Australia 1994", "Australia", 1994.0),
    ("Geocentric Datum of Australia 2020", "Australia", 2020.0),
    ("Sistema de Referencia Geocentrico para las AmericaS 2000", "South America", 2000.4),
];

/// Degrees that are the same place.
const SAME_DEG: f64 = 1e-9;

/// Two frames that moved apart.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Apart {
    /// How far, metres.
    pub distance_m: f64,
    /// In words.
    pub words: String,
}

fn fixed(datum: &Datum) -> Option<(&'static Plate, f64)> {
    let (_, plate, since) = FIXED.iter().find(|(name, _, _)| *name == datum.name)?;
    Some((PLATES.iter().find(|p| p.name == *plate)?, *since))
}

/// How far the frames of an operation that takes them as equal are apart at a place of the source (in its own numbers) in a
/// year; `None` where one of them is not fixed to a plate, or where the operation reckons with its motion.
pub(crate) fn apart(source: &Crs, target: &Crs, operation: &Operation, [x, y]: [f64; 2], year: f64) -> Option<Apart> {
    let (source, target) = (source.horizontal(), target.horizontal());
    let is_global = |d: &Datum| d.name == "WGS 1984" || d.is_dynamic();
    let (a, b) = (source.datum()?, target.datum()?);
    let (plate, since) = if is_global(a) { fixed(b)? } else { fixed(a).filter(|_| is_global(b))? };
    let degrees = |crs: &Crs, x: f64, y: f64| Operation::to_degrees(crs).ok()?.apply_one(x, y, 0.0);
    let (lon, lat, _) = degrees(source, x, y)?;
    let (u, v, _) = operation.apply_one(x, y, 0.0)?;
    let (to_lon, to_lat, _) = degrees(target, u, v)?;
    if (to_lon - lon).abs() > SAME_DEG || (to_lat - lat).abs() > SAME_DEG {
        return None;
    }
    let [east, north] = plate.velocity_m(lon, lat).map(|v| v * (year - since).abs());
    let distance_m = east.hypot(north);
    let words = format!(
        "{} and {} are taken as equal, and one of them moves with the plate {}: from {since:.1} to {year:.1} the ground has gone {distance_m:.2} m towards {:.0}° there; `epoch` says when the positions were measured",
        a.name,
        b.name,
        plate.name,
        east.atan2(north).to_degrees().rem_euclid(360.0)
    );
    Some(Apart { distance_m, words })
}

/// The year of a day `YYYY-MM-DD`, with its part that is over.
pub(crate) fn year_of(day: &str) -> Option<f64> {
    let date: jiff::civil::Date = day.parse().ok()?;
    let days = if date.in_leap_year() { 366.0 } else { 365.0 };
    Some(f64::from(date.year()) + (f64::from(date.day_of_year()) - 1.0) / days)
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;

    fn of(from: u32, to: u32, at: [f64; 2], year: f64) -> Option<Apart> {
        let [from, to] = [from, to].map(|code| Catalogue::embedded().get(code).unwrap());
        let operation = Operation::between(&from, &to, None).unwrap();
        apart(&from, &to, &operation, at, year)
    }

    #[test]
    fn a_continent_has_moved_on() {
        // Geoscience Australia: the continent moved 1.8 m north-east between 1994 and 2020.
        let found = of(4326, 4283, [133.9, -23.7], 2020.0).unwrap();
        assert!((found.distance_m - 1.8).abs() < 0.06, "{found:?}");
        assert!(found.words.contains("from 1994.0 to 2020.0") && found.words.contains("the plate Australia"));
        // Either way round, and in a projected system of the frame.
        let other = of(28353, 4326, [400_000.0, 7_400_000.0], 2020.0).unwrap();
        assert!((other.distance_m - 1.8).abs() < 0.06, "{other:?}");
    }

    #[test]
    fn frames_that_are_not_taken_as_equal_are_not_apart() {
        // Both fixed to the plate, both global, neither, and one that is carried over by parameters.
        for (from, to, at) in [
            (4283, 7844, [133.9, -23.7]),
            (4326, 9000, [10.0, 50.0]),
            (4267, 4269, [-100.0, 40.0]),
            (4326, 4267, [-100.0, 40.0]),
        ] {
            assert_eq!(of(from, to, at, 2026.0), None, "{from} {to}");
        }
    }

    #[test]
    fn days_are_parts_of_years() {
        assert_eq!(year_of("2026-01-01"), Some(2026.0));
        assert!((year_of("2024-07-01").unwrap() - 2024.497).abs() < 0.001);
        assert_eq!(year_of("soon"), None);
    }
}
