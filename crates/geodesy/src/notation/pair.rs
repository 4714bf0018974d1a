//! Two angles in one text.

use super::angle::{Angle, check_axis, from_tokens};
use super::token::{self, Placed, Token, tokens};
use super::{AxisOrder, NotationError, Reading};

/// Reads two angles. A comma is tried as a separator and as a decimal sign; what both ways read alike is one reading.
pub(super) fn read(text: &str, order: AxisOrder) -> Result<Reading, NotationError> {
    let mut readings: Vec<Reading> = Vec::new();
    let mut first_error: Option<NotationError> = None;
    let mut tried = Vec::new();
    for decimal_comma in [false, true] {
        if decimal_comma && !text.contains(',') {
            break;
        }
        // The letter O is west in the Romance languages and east in German: both are tried.
        for east in [true, false] {
            let tokens = match tokens(text, decimal_comma) {
                Ok(t) => t,
                Err(e) => {
                    first_error.get_or_insert(e);
                    break;
                }
            };
            let doubtful = tokens.iter().any(|t| t.token == Token::Letter('O'));
            match split(text, &token::decided(tokens, east)) {
                Ok((a, b)) => tried.push((a, b)),
                Err(e) => {
                    first_error.get_or_insert(e);
                }
            }
            if !doubtful {
                break;
            }
        }
    }
    for (a, b) in &tried {
        match orders(text, a, b, order) {
            Ok(found) => {
                for r in found {
                    if !readings.iter().any(|known| known.lon_deg == r.lon_deg && known.lat_deg == r.lat_deg) {
                        readings.push(r);
                    }
                }
            }
            Err(e) => {
                first_error.get_or_insert(e);
            }
        }
    }
    match readings.len() {
        1 => Ok(readings.swap_remove(0)),
        0 => Err(first_error.unwrap_or_else(|| NotationError::new(text, None, "is not a position"))),
        _ => Err(NotationError::ambiguous(text, readings, "write hemisphere letters, or say the order")),
    }
}

/// Finds where the second angle begins.
fn split(text: &str, tokens: &[Placed]) -> Result<(Angle, Angle), NotationError> {
    let at_token = |i: usize| (from_tokens(text, &tokens[..i]), from_tokens(text, &tokens[i..]));
    // A separator decides by itself.
    let separators: Vec<usize> = positions(tokens, |t| matches!(t, Token::Separator));
    let commas: Vec<usize> = positions(tokens, |t| matches!(t, Token::Comma));
    let chosen = if separators.is_empty() { &commas } else { &separators };
    match chosen.as_slice() {
        [i] => {
            let (a, b) = (from_tokens(text, &tokens[..*i])?, from_tokens(text, &tokens[*i + 1..])?);
            return Ok((a, b));
        }
        [] => {}
        [_, second, ..] => {
            return Err(NotationError::new(text, Some(tokens[*second].at), "has more separators than two angles need"));
        }
    }
    let numbers = positions(tokens, |t| matches!(t, Token::Number { .. }));
    if numbers.len() < 2 {
        return Err(NotationError::new(text, None, "has one number; a position needs two"));
    }
    // Letters and labels: all before their angles, or all after.
    let letters = positions(tokens, |t| matches!(t, Token::Letter(_)));
    let hemispheres = positions(tokens, |t| matches!(t, Token::Letter('N' | 'S' | 'E' | 'W')));
    if hemispheres.len() == 2 || letters.len() == 2 {
        let marks = if letters.len() == 2 { &letters } else { &hemispheres };
        let leading = marks[0] < numbers[0];
        let mut cut = if leading { marks[1] } else { marks[0] + 1 };
        // "lat 46.2 N lon 123.8 W": the label before the second number goes with it.
        if letters.len() > 2 && leading {
            cut = letters[1].max(cut.min(tokens.len() - 1));
        }
        let (a, b) = at_token(cut);
        return Ok((a?, b?));
    }
    if hemispheres.len() == 1 {
        return Err(NotationError::new(
            text,
            Some(tokens[hemispheres[0]].at),
            "has a hemisphere letter for one of the two angles only",
        ));
    }
    // A sign in front of a later number starts the second angle, unless a dash joins parts ("46-12-30").
    let signs: Vec<usize> = positions(tokens, |t| matches!(t, Token::Minus | Token::Plus))
        .into_iter()
        .filter(|i| *i > numbers[0] && tokens[*i].spaced)
        .collect();
    if let [i] = signs.as_slice() {
        let (a, b) = at_token(*i);
        return Ok((a?, b?));
    }
    // A degree sign starts an angle one number earlier.
    let degrees = positions(tokens, |t| matches!(t, Token::Degree));
    if degrees.len() == 2 && degrees[1] >= 1 {
        let number = degrees[1] - 1;
        let cut = if number > 0 && matches!(tokens[number - 1].token, Token::Minus | Token::Plus) {
            number - 1
        } else {
            number
        };
        let (a, b) = at_token(cut);
        return Ok((a?, b?));
    }
    // Plain numbers: as many for each.
    if numbers.len() % 2 == 0 && numbers.len() <= 6 {
        let (a, b) = at_token(numbers[numbers.len() / 2]);
        return Ok((a?, b?));
    }
    Err(NotationError::new(
        text,
        None,
        format!(
            "has {} numbers, which do not divide into two angles; write hemisphere letters or a separator",
            numbers.len()
        ),
    ))
}

fn positions(tokens: &[Placed], wanted: impl Fn(&Token) -> bool) -> Vec<usize> {
    tokens.iter().enumerate().filter(|(_, t)| wanted(&t.token)).map(|(i, _)| i).collect()
}

/// The orders in which two angles make sense.
fn orders(text: &str, a: &Angle, b: &Angle, order: AxisOrder) -> Result<Vec<Reading>, NotationError> {
    if a.is_latitude.is_some() && a.is_latitude == b.is_latitude {
        let axis = if a.is_latitude == Some(true) { "latitudes" } else { "longitudes" };
        return Err(NotationError::new(text, None, format!("has two {axis}")));
    }
    let known = a.is_latitude.or(b.is_latitude.map(|l| !l));
    let possible: &[bool] = match (known, order) {
        (Some(true), _) | (None, AxisOrder::LatitudeFirst) => &[true],
        (Some(false), _) | (None, AxisOrder::LongitudeFirst) => &[false],
        (None, AxisOrder::Reject) => &[true, false],
    };
    let mut readings = Vec::new();
    let mut error = None;
    for latitude_first in possible {
        let (lat, lon) = if *latitude_first { (a, b) } else { (b, a) };
        match (check_axis(text, lat.clone(), true), check_axis(text, lon.clone(), false)) {
            (Ok(lat), Ok(lon)) => readings.push(reading(&lat, &lon)),
            (Err(e), _) | (_, Err(e)) => {
                error.get_or_insert(e);
            }
        }
    }
    if readings.is_empty() {
        Err(error.unwrap_or_else(|| NotationError::new(text, None, "is not a position")))
    } else {
        Ok(readings)
    }
}

fn reading(lat: &Angle, lon: &Angle) -> Reading {
    let lon_deg = crate::projection::wrap_deg(lon.degrees);
    // The finer notation of the two names the whole ("46° N, 123° 48' W").
    Reading::new(lat.notation.max(lon.notation), lon_deg, lat.degrees)
}
