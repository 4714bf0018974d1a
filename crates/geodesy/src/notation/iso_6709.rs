//! The string of ISO 6709, annex H: `+46.2-123.8/`, `+4612.0-12348.0+12.5CRSWGS_84/`.
//!
//! Latitude first; the number of digits before the point says whether minutes and seconds are among them. A height and
//! the identifier of a system may follow. The standard's form for people (annex D) is read with the other
//! angles; a height in metres after it is taken off here.

use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "iso-6709",
    words: "ISO 6709",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits::decimals(6),
    last_digit: |digits| LastDigit::part(1.0, digits),
    read: Some(read),
    print: Print::Position(print),
    headers: &["iso6709"],
    name_before: None,
};

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let body = text.trim();
    let body = body.strip_suffix('/').unwrap_or(body);
    let (numbers, system) = match body.find("CRS") {
        Some(i) => (&body[..i], Some(&body[i + 3..])),
        None => (body, None),
    };
    let signs: Vec<usize> =
        numbers.char_indices().filter(|(_, c)| matches!(c, '+' | '-' | '−')).map(|(i, _)| i).collect();
    if signs.first() != Some(&0) || !(2..=3).contains(&signs.len()) {
        return None;
    }
    let piece = |k: usize| &numbers[signs[k]..signs.get(k + 1).copied().unwrap_or(numbers.len())];
    let shaped = |s: &str| {
        let digits = s.trim_start_matches(['+', '-', '−']);
        let whole = digits.split('.').next().unwrap_or("");
        let ok = !whole.is_empty()
            && digits.bytes().all(|b| b.is_ascii_digit() || b == b'.')
            && digits.matches('.').count() <= 1
            && !digits.ends_with('.');
        ok.then_some(whole.len())
    };
    let (Some(lat_width), Some(lon_width)) = (shaped(piece(0)), shaped(piece(1))) else { return None };
    // Exactly these widths make the form unmistakable; other signed numbers are two plain angles.
    if !matches!(lat_width, 2 | 4 | 6) || lon_width != lat_width + 1 {
        return None;
    }
    let height = match signs.len() {
        3 => match shaped(piece(2)).and_then(|_| piece(2).replace('−', "-").parse::<f64>().ok()) {
            Some(h) => Some(h),
            None => return None,
        },
        _ => None,
    };
    let wrong = |problem: String| Some(Err(NotationError::new(text, None, problem)));
    let mut degrees = [0.0; 2];
    for (k, width) in [(0, 2), (1, 3)] {
        match angle(piece(k), width) {
            Ok(v) => degrees[k] = v,
            Err(problem) => return wrong(problem),
        }
    }
    let [lat_deg, lon_deg] = degrees;
    if lat_deg.abs() > 90.0 || lon_deg.abs() > 180.0 {
        return wrong(format!("has latitude {lat_deg} and longitude {lon_deg}, beyond 90° or 180°"));
    }
    let crs = match system.map(system_code) {
        Some(None) => {
            return wrong(format!(
                "names the system \"{}\", which is not known here; give its EPSG code",
                system.unwrap_or("")
            ));
        }
        Some(code) => code,
        None => None,
    };
    Some(Ok(Reading { height_m: height, crs, ..Reading::new(Notation::Iso6709, lon_deg, lat_deg) }))
}

/// EPSG code of `WGS_84` and of `EPSG4326`, `EPSG:4326` or a name.
fn system_code(text: &str) -> Option<u32> {
    let catalogue = crate::crs::Catalogue::embedded();
    let name = text.trim_matches('_').replace('_', " ");
    let digits: String = name.chars().filter(char::is_ascii_digit).collect();
    let found = if name.to_ascii_uppercase().starts_with("EPSG") {
        catalogue.find_one(&digits)
    } else {
        catalogue.find_one(&name)
    };
    found.ok().filter(crate::crs::Crs::is_geographic).and_then(|c| c.code)
}

fn angle(text: &str, degree_digits: usize) -> Result<f64, String> {
    let negative = !text.starts_with('+');
    let digits = text.trim_start_matches(['+', '-', '−']);
    let whole = digits.split('.').next().unwrap_or("").len();
    let number = |s: &str| s.parse::<f64>().map_err(|_| "has a number that cannot be read".to_string());
    let value = if whole == degree_digits {
        number(digits)?
    } else {
        let degrees = number(&digits[..degree_digits])?;
        let (minutes, seconds) = if whole == degree_digits + 2 {
            (number(&digits[degree_digits..])?, 0.0)
        } else {
            (number(&digits[degree_digits..degree_digits + 2])?, number(&digits[degree_digits + 2..])?)
        };
        if minutes >= 60.0 || seconds >= 60.0 {
            return Err(format!("has minutes {minutes} and seconds {seconds}; they end below 60"));
        }
        degrees + (minutes * 60.0 + seconds) / 3600.0
    };
    Ok(if negative { -value } else { value })
}

/// A height in metres at the end of a position for people: the text before it and the height.
pub(super) fn height_at_end(text: &str) -> Option<(&str, f64)> {
    let body = text.trim_end().strip_suffix(['m', 'M'])?.trim_end();
    let cut = body.rfind(|c: char| !(c.is_ascii_digit() || ".,+-−".contains(c)))?;
    let width = body[cut..].chars().next().map_or(1, char::len_utf8);
    let (before, number) = body.split_at(cut + width);
    let before = before.trim_end();
    // Only after a hemisphere letter: "46 12 30 N 123 48 00 W 12 m".
    let ends = before.chars().next_back().is_some_and(|c| "NSEWnsew".contains(c));
    let number = number.replace(',', ".").replace('−', "-");
    (ends && !number.is_empty()).then(|| number.parse::<f64>().ok().map(|h| (before, h)))?
}

/// Prints degrees with `digits` decimals: `+46.200000-123.800000/`.
pub fn print(lon_deg: f64, lat_deg: f64, digits: usize) -> Option<String> {
    if !(lat_deg.abs() <= 90.0 && lon_deg.abs() <= 180.0) || digits > 12 {
        return None;
    }
    let part = |deg: f64, width: usize| {
        let (units, scale) = super::in_last_digits(deg.abs(), 1, digits);
        let sign = if deg < 0.0 && units > 0 { '-' } else { '+' };
        let (whole, fraction) = (units / scale, units % scale);
        if digits == 0 {
            format!("{sign}{whole:0width$}")
        } else {
            format!("{sign}{whole:0width$}.{fraction:0digits$}")
        }
    };
    Some(format!("{}{}/", part(lat_deg, 2), part(lon_deg, 3)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_of_annex_h() {
        for text in [
            "+46.2-123.8/",
            "+4612.0-12348.0/",
            "+461200-1234800/",
            "+461200.0-1234800.0",
            "+46.2-123.8CRSWGS_84/",
            "+46.2-123.8CRSEPSG4326/",
        ] {
            let r = read(text).unwrap().unwrap();
            assert!((r.lon_deg + 123.8).abs() < 1e-12 && (r.lat_deg - 46.2).abs() < 1e-12, "{text} {r:?}");
            assert_eq!(r.crs, text.contains("CRS").then_some(4326));
        }
        // The standard's own examples: Mount Everest and the north pole.
        let r = read("+27.5916+086.5640+8850CRSWGS_84/").unwrap().unwrap();
        assert_eq!((r.lat_deg, r.lon_deg, r.height_m), (27.5916, 86.564, Some(8850.0)));
        assert_eq!(read("+90+000/").unwrap().unwrap().lat_deg, 90.0);
    }

    #[test]
    fn other_signed_numbers_are_left_alone() {
        for text in ["+46.2 -123.8", "-123.8+46.2", "46.2-123.8", "+46.2", "-12-34", "+46..2-123.8"] {
            assert!(read(text).is_none(), "{text}");
        }
        assert!(read("+4662.0-12348.0/").unwrap().is_err());
        assert!(read("+46.2-190.0/").unwrap().is_err());
        assert!(read("+46.2-123.8CRSMOON/").unwrap().unwrap_err().problem.contains("MOON"));
    }

    #[test]
    fn heights_of_the_form_for_people() {
        assert_eq!(
            height_at_end("50°40′46,461″N 95°48′26,533″W 123,45m"),
            Some(("50°40′46,461″N 95°48′26,533″W", 123.45))
        );
        assert_eq!(height_at_end("46 12 m"), None);
        assert_eq!(height_at_end("46° 12 m N 5 m"), Some(("46° 12 m N", 5.0)));
    }
}
