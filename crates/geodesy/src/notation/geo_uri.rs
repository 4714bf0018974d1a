//! The `geo` address of RFC 5870: `geo:46.2,-123.8`, `geo:46.2,-123.8,12.5;u=35`.
//!
//! Latitude first, then longitude, then perhaps a height above the ellipsoid, in WGS 84; `u` is an uncertainty in metres.

use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "geo-uri",
    words: "geo address",
    crs: Some(4326),
    is_wgs84_grid: false,
    digits: Digits::decimals(7),
    last_digit: |digits| LastDigit::part(1.0, digits),
    read: Some(read),
    print: Print::Position(print),
    headers: &["geouri", "geourl", "geoaddress"],
    name_before: None,
};

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let trimmed = text.trim();
    let body = trimmed.get(..4).filter(|scheme| scheme.eq_ignore_ascii_case("geo:")).map(|_| &trimmed[4..])?;
    // A search behind a question mark is no part of the standard and no place either.
    let body = body.split(['?', '#']).next().unwrap_or(body);
    let mut parts = body.split(';');
    let numbers: Option<Vec<f64>> =
        parts.next().unwrap_or("").split(',').map(|n| n.parse().ok().filter(|v: &f64| v.is_finite())).collect();
    let wrong = |problem: String| Some(Err(NotationError::new(text, None, problem)));
    let (lat_deg, lon_deg, height_m) = match numbers.as_deref() {
        Some([lat, lon]) => (*lat, *lon, None),
        Some([lat, lon, height]) => (*lat, *lon, Some(*height)),
        _ => return wrong("has no latitude and longitude in degrees with decimal points behind \"geo:\"".into()),
    };
    if lat_deg.abs() > 90.0 || lon_deg.abs() > 180.0 {
        return wrong(format!("has latitude {lat_deg} and longitude {lon_deg}, beyond 90° or 180°"));
    }
    let system = parts.find_map(|p| p.split_once('=').filter(|(name, _)| name.eq_ignore_ascii_case("crs")));
    if let Some((_, system)) = system.filter(|(_, system)| !system.eq_ignore_ascii_case("wgs84")) {
        return wrong(format!("names the system \"{system}\", and wgs84 is the only one that RFC 5870 knows"));
    }
    Some(Ok(Reading { height_m, crs: Some(4326), ..Reading::new(Notation::GeoUri, lon_deg, lat_deg) }))
}

/// Prints degrees with `digits` decimals: `geo:46.2000000,-123.8000000`.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    if !(lat_deg.abs() <= 90.0 && lon_deg.abs() <= 180.0) || digits > 12 {
        return None;
    }
    Some(format!("geo:{lat_deg:.digits$},{lon_deg:.digits$}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn examples_of_the_standard() {
        // RFC 5870, sections 1, 3.4.2 and 6.1.
        for (text, lat, lon, height) in [
            ("geo:13.4125,103.8667", 13.4125, 103.8667, None),
            ("geo:48.2010,16.3695,183", 48.201, 16.3695, Some(183.0)),
            ("geo:48.198634,16.371648;crs=wgs84;u=40", 48.198634, 16.371648, None),
            ("GEO:-48.876667,-123.393333", -48.876667, -123.393333, None),
        ] {
            let r = read(text).unwrap().unwrap();
            assert_eq!((r.lat_deg, r.lon_deg, r.height_m, r.crs), (lat, lon, height, Some(4326)), "{text}");
        }
        for text in ["geo:46.2", "geo:46.2,north", "geo:95,10", "geo:46,2,-123,8", "geo:46.2,-123.8;crs=moon-2011"] {
            assert!(read(text).unwrap().is_err(), "{text}");
        }
        assert!(read("geohash c20fbqumet").is_none());
        assert_eq!(print(-123.8, 46.2, 4).unwrap(), "geo:46.2000,-123.8000");
    }
}
