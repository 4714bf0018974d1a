//! Eastings and northings of a projected system in one text: `438278.4 5116580.2`, `E 651409.903 N 313177.270`,
//! `7380215.2 ftUS E, 932410.7 ftUS N`.
//!
//! Letters before or after say which is which; without letters the easting comes first. A unit that is written has to
//! be the one that the system counts in, so that feet are never taken for metres.

use super::{NotationError, read_number};
use crate::unit::{INTERNATIONAL_FOOT_M, US_SURVEY_FOOT_M};

/// An easting and a northing as they were written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct GridReading {
    /// Easting, in the unit of the system.
    pub easting: f64,
    /// Northing.
    pub northing: f64,
    /// Metres in the unit that was written, if one was.
    pub unit_m: Option<f64>,
}

/// Unit suffixes, longest first.
const UNITS: &[(&str, f64)] = &[
    ("metres", 1.0),
    ("meters", 1.0),
    ("usft", US_SURVEY_FOOT_M),
    ("ftus", US_SURVEY_FOOT_M),
    ("sft", US_SURVEY_FOOT_M),
    ("ift", INTERNATIONAL_FOOT_M),
    ("feet", INTERNATIONAL_FOOT_M),
    ("foot", INTERNATIONAL_FOOT_M),
    ("km", 1000.0),
    ("ft", INTERNATIONAL_FOOT_M),
    ("m", 1.0),
];

/// Reads an easting and a northing; `unit_m` is the number of metres in the system's unit.
///
/// # Errors
/// [`NotationError`] where there are not two numbers, both letters are of one axis, or the unit written is another
/// one than the system's.
///
/// ```
/// use basilocus_geodesy::notation::easting_northing::read;
/// let r = read("N 313177.270 m, E 651409.903 m", 1.0).unwrap();
/// assert_eq!((r.easting, r.northing), (651409.903, 313177.270));
/// assert!(read("7380215.2 ft E 932410.7 ft N", 1.0).is_err());
/// ```
pub fn read(text: &str, unit_m: f64) -> Result<GridReading, NotationError> {
    let wrong = |problem: String| Err(NotationError::new(text, None, problem));
    let mut numbers: Vec<(f64, Option<bool>)> = Vec::new();
    let mut pending: Option<bool> = None;
    let mut unit: Option<(f64, String)> = None;
    let spaced = text.replace([';', '|', '/', ':', '='], " ").replace(", ", " ");
    // "651409.903,313177.270": a lone comma between two long numbers parts them.
    let spaced = match spaced.split_once(',') {
        Some((a, b)) if !b.contains(',') && !spaced.contains(' ') && (a.contains('.') || b.contains('.')) => {
            format!("{a} {b}")
        }
        _ => spaced,
    };
    // Letters stand after their numbers unless the text begins with one.
    let letters_follow = !spaced.trim_start().starts_with(char::is_alphabetic);
    for word in words(&spaced) {
        let lower = word.to_lowercase();
        if lower.starts_with(|c: char| c.is_ascii_digit() || "+-−.".contains(c)) {
            let value = read_number(&word)?;
            numbers.push((value, pending.take()));
            continue;
        }
        // Letters after a number: its unit, its axis, or both ("mE").
        let (mut rest, mut axis) = (lower.as_str(), None);
        if let Some((name, metres)) = UNITS.iter().find(|(n, _)| rest.starts_with(n) && rest.len() <= n.len() + 1) {
            if unit.as_ref().is_some_and(|(m, _)| m != metres) {
                return wrong("has two different units".into());
            }
            unit = Some((*metres, (*name).to_string()));
            rest = &rest[name.len()..];
        }
        match rest {
            "" => {}
            "e" | "east" | "easting" | "x" => axis = Some(true),
            "n" | "north" | "northing" | "y" => axis = Some(false),
            other => return wrong(format!("has \"{other}\" where an easting, a northing or their unit is expected")),
        }
        if let Some(axis) = axis {
            match numbers.last_mut() {
                Some((_, known @ None)) if letters_follow => *known = Some(axis),
                _ => pending = Some(axis),
            }
        }
    }
    let [(a, first), (b, second)] = numbers[..] else {
        return wrong(format!("has {} numbers; an easting and a northing are expected", numbers.len()));
    };
    if first.is_some() && first == second {
        return wrong("has two numbers for one axis".into());
    }
    if let Some((metres, name)) = &unit
        && (metres - unit_m).abs() > 1e-9
    {
        return wrong(format!(
            "is written in {name} ({metres} m), but the system counts in units of {unit_m} m; choose the system that the numbers are in"
        ));
    }
    let easting_first = first.or(second.map(|s| !s)).unwrap_or(true);
    let (easting, northing) = if easting_first { (a, b) } else { (b, a) };
    Ok(GridReading { easting, northing, unit_m: unit.map(|u| u.0) })
}

/// Runs of digits and their signs, and runs of letters.
fn words(text: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut kind = ' ';
    for c in text.chars() {
        let now = if c.is_alphabetic() {
            'a'
        } else if c.is_whitespace() {
            ' '
        } else {
            '0'
        };
        if now != ' ' {
            match out.last_mut() {
                Some(last) if now == kind => last.push(c),
                _ => out.push(c.to_string()),
            }
        }
        kind = now;
    }
    out
}

/// Prints easting and northing with `digits` decimals and their letters: `651409.90 E, 313177.27 N`.
pub fn print(easting: f64, northing: f64, digits: usize) -> String {
    format!("{easting:.digits$} E, {northing:.digits$} N")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_units_and_orders() {
        for text in [
            "651409.903 313177.27",
            "651409.903, 313177.27",
            "651409.903,313177.27",
            "651409.903mE 313177.270mN",
            "E 651409.903 N 313177.27",
            "N313177.27 E651409.903",
            "313177.27 N 651409.903 E",
            "x=651409.903 y=313177.27",
            "651409.903 m E; 313177.27 m N",
        ] {
            let r = read(text, 1.0).unwrap_or_else(|e| panic!("{e}"));
            assert_eq!((r.easting, r.northing), (651_409.903, 313_177.27), "{text}");
        }
        assert_eq!(read("-568991.00 -1050538.63", 1.0).unwrap().northing, -1_050_538.63);
        let feet = read("7380215.2 ftUS E 932410.7 ftUS N", US_SURVEY_FOOT_M).unwrap();
        assert_eq!((feet.easting, feet.unit_m), (7_380_215.2, Some(US_SURVEY_FOOT_M)));
    }

    #[test]
    fn contradictions() {
        for (text, part) in [
            ("7380215 ft 932410 ft", "written in ft"),
            ("100 E 200 E", "one axis"),
            ("100 200 300", "3 numbers"),
            ("100 m 200 ft", "different units"),
            ("100 furlongs 200", "furlongs"),
            ("", "0 numbers"),
        ] {
            assert!(
                read(text, US_SURVEY_FOOT_M).unwrap_err().problem.contains(part),
                "{text}: {:?}",
                read(text, US_SURVEY_FOOT_M)
            );
        }
    }
}
