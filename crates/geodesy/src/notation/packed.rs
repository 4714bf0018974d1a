//! Degrees, minutes and seconds in one run of digits: `461200N 1234800W`, `N4612.000 W12348.000`.
//!
//! The letter says which axis it is, and with it how many digits are degrees: two of a latitude, three of a longitude (a
//! leading zero may be missing). Signed forms of fixed width are in [`super::iso_6709`].

use super::definition::{Definition, Digits, LastDigit, Print};
use super::{Notation, NotationError, Reading};

/// What it is.
pub(super) static DEFINITION: Definition = Definition {
    name: "packed",
    words: "degrees, minutes and seconds in one number",
    crs: None,
    is_wgs84_grid: false,
    digits: Digits::decimals(2),
    last_digit: |digits| LastDigit::part(3600.0, digits),
    read: Some(read),
    print: Print::Angles { one: |degrees, letter, digits| print(degrees.abs(), letter, digits), between: " " },
    headers: &[],
    name_before: None,
};

/// The reading, or `None` where the text is not in this notation.
pub(super) fn read(text: &str) -> Option<Result<Reading, NotationError>> {
    let upper = text.to_ascii_uppercase();
    let parts = split(&upper)?;
    let mut angles = Vec::new();
    for (letter, digits) in parts {
        match angle(letter, digits)? {
            Ok(v) => angles.push((letter, v)),
            Err(problem) => return Some(Err(NotationError::new(text, None, problem))),
        }
    }
    let is_latitude = |l: char| l == 'N' || l == 'S';
    let [(a, va), (b, vb)] = angles[..] else { return None };
    if is_latitude(a) == is_latitude(b) {
        return Some(Err(NotationError::new(text, None, "has two angles of one axis")));
    }
    let (lat_deg, lon_deg) = if is_latitude(a) { (va, vb) } else { (vb, va) };
    Some(Ok(Reading::new(Notation::Packed, lon_deg, lat_deg)))
}

/// One packed angle of a column: `461200N`.
pub(super) fn read_one(text: &str) -> Option<Result<(char, f64), NotationError>> {
    let upper = text.trim().to_ascii_uppercase();
    let letter = upper.chars().next_back().filter(|c| "NSEW".contains(*c)).or(upper.chars().next())?;
    // Blanks may stand beside the letter; between digits they part degrees, minutes and seconds.
    let digits = upper.strip_suffix(letter).or(upper.strip_prefix(letter))?.trim();
    if !"NSEW".contains(letter) || !plain_number(digits) {
        return None;
    }
    match angle(letter, digits)? {
        Ok(v) => Some(Ok((letter, v))),
        Err(problem) => Some(Err(NotationError::new(text, None, problem))),
    }
}

/// Letters with their digits, both letters before or both after.
fn split(text: &str) -> Option<Vec<(char, &str)>> {
    let text = text.trim();
    let marks: Vec<(usize, char)> = text.char_indices().filter(|(_, c)| "NSEW".contains(*c)).collect();
    let [(i, a), (j, b)] = marks[..] else { return None };
    let blank = |s: &str| s.chars().all(|c| c.is_whitespace() || ",;/".contains(c));
    let cut = |s| str::trim_matches(s, |c: char| c.is_whitespace() || ",;/".contains(c));
    let (first, second) = if i == 0 {
        (&text[1..j], &text[j + 1..])
    } else if blank(&text[j + 1..]) {
        (&text[..i], &text[i + 1..j])
    } else {
        return None;
    };
    let (first, second) = (cut(first), cut(second));
    (plain_number(first) && plain_number(second)).then(|| vec![(a, first), (b, second)])
}

fn plain_number(s: &str) -> bool {
    let mut points = 0;
    !s.is_empty()
        && s.bytes().all(|b| {
            points += usize::from(b == b'.');
            b.is_ascii_digit() || b == b'.'
        })
        && points <= 1
        && s.as_bytes()[0].is_ascii_digit()
}

/// Degrees with sign from a letter and digits; `None` where the digits are plain degrees.
fn angle(letter: char, digits: &str) -> Option<Result<f64, String>> {
    let whole = digits.split('.').next().unwrap_or("");
    let fraction = &digits[whole.len()..];
    let latitude = letter == 'N' || letter == 'S';
    let degree_digits = if latitude { 2 } else { 3 };
    if whole.len() <= degree_digits {
        return None;
    }
    // A missing leading zero: one digit fewer.
    let padded = if (whole.len() - degree_digits).is_multiple_of(2) { whole.to_string() } else { format!("0{whole}") };
    let rest = &padded[degree_digits..];
    let degrees: f64 = padded[..degree_digits].parse().ok()?;
    let (minutes, seconds): (f64, f64) = match rest.len() {
        2 => (format!("{rest}{fraction}").parse().ok()?, 0.0),
        4 => (rest[..2].parse().ok()?, format!("{}{fraction}", &rest[2..]).parse().ok()?),
        n => {
            return Some(Err(format!(
                "has {n} digits after the degrees; two (minutes) or four (minutes and seconds) are expected"
            )));
        }
    };
    if minutes >= 60.0 || seconds >= 60.0 {
        return Some(Err(format!("has minutes {minutes} and seconds {seconds}; they end below 60")));
    }
    let value = degrees + (minutes * 60.0 + seconds) / 3600.0;
    let limit = if latitude { 90.0 } else { 180.0 };
    if value > limit {
        return Some(Err(format!("has {value}° {letter}, beyond {limit}°")));
    }
    Some(Ok(if letter == 'S' || letter == 'W' { -value } else { value }))
}

/// Prints an angle as DDMMSS.s or DDDMMSS.s with its letter.
pub(super) fn print(degrees: f64, letter: char, digits: usize) -> String {
    let (units, scale) = super::in_last_digits(degrees, 3600, digits);
    let width = if letter == 'N' || letter == 'S' { 2 } else { 3 };
    let (whole, fraction) = (units / scale, units % scale);
    let (d, m, s) = (whole / 3600, whole / 60 % 60, whole % 60);
    if digits == 0 {
        format!("{d:0width$}{m:02}{s:02}{letter}")
    } else {
        format!("{d:0width$}{m:02}{s:02}.{fraction:0digits$}{letter}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_before_and_after() {
        for text in [
            "461200N 1234800W",
            "461200N1234800W",
            "N461200 W1234800",
            "4612.0N12348.0W",
            "n4612 w12348",
            "1234800W, 461200N",
        ] {
            let r = read(text).unwrap().unwrap();
            assert_eq!((r.lon_deg, r.lat_deg), (-123.8, 46.2), "{text}");
        }
        // A longitude without its leading zero.
        assert_eq!(read("461200N 061500E").unwrap().unwrap().lon_deg, 6.25);
        assert_eq!(read_one("461200.5N").unwrap().unwrap(), ('N', 46.0 + 720.5 / 3600.0));
    }

    #[test]
    fn what_is_plain_degrees_or_wrong() {
        assert!(read("46.2N 123.8W").is_none());
        assert!(read("46N 123W").is_none());
        assert!(read_one("123.8W").is_none());
        assert!(read("466200N 1234800W").unwrap().unwrap_err().problem.contains("below 60"));
        assert!(read("46120N 461200N").unwrap().is_err());
        assert!(read("46120000N 1234800W").unwrap().unwrap_err().problem.contains("digits after"));
    }

    #[test]
    fn rounding_carries() {
        assert_eq!(print(45.999_999_99, 'N', 1), "460000.0N");
        assert_eq!(print(6.25, 'E', 0), "0061500E");
    }
}
