//! One latitude or longitude.

use super::token::{Placed, Token, tokens};
use super::{Notation, NotationError, NotationErrorKind};

/// An angle as it was written.
#[derive(Debug, Clone, PartialEq)]
pub struct Angle {
    /// Degrees with sign.
    pub degrees: f64,
    /// How it was written.
    pub notation: Notation,
    /// `N`, `S`, `E`, `W` where a letter was written.
    pub hemisphere: Option<char>,
    /// Whether a label or a letter says that this is a latitude; `None` where nothing says so.
    pub is_latitude: Option<bool>,
}

/// Reads a single angle: `-123.8`, `123° 48' W`, `46 12 30 N`, `46,2`.
///
/// `is_latitude` is what the column is; letters and limits are checked against it.
///
/// # Errors
/// [`NotationError`] where the text is no angle, minutes or seconds reach 60, a sign and a letter both stand
/// there, the letter is of the other axis, or the value is beyond 90 (latitude) or 180 (longitude; up to 360 is
/// taken as counted eastwards).
pub fn read_angle(text: &str, is_latitude: bool) -> Result<Angle, NotationError> {
    if text.len() > 100 {
        return Err(NotationError::new(text, None, "is too long for an angle"));
    }
    if let Some(angle) = super::common_form::read_angle(text) {
        return check_axis(text, angle, is_latitude);
    }
    if text.trim().is_empty() {
        return Err(NotationError::new(text, None, "is empty"));
    }
    if let Some(packed) = super::packed::read_one(text) {
        let (letter, degrees) = packed?;
        let is_north_south = letter == 'N' || letter == 'S';
        let angle =
            Angle { degrees, notation: Notation::Packed, hemisphere: Some(letter), is_latitude: Some(is_north_south) };
        return check_axis(text, angle, is_latitude);
    }
    let tokens = tokens(text, true)?;
    if tokens.iter().any(|t| t.token == Token::Letter('O')) {
        return Err(NotationError::new(
            text,
            None,
            "has the letter O, which is west in some languages and east in others; write W or E",
        ));
    }
    let angle = from_tokens(text, &tokens)?;
    check_axis(text, angle, is_latitude)
}

/// Checks limits and axis of an angle that is meant to be a latitude or a longitude.
pub(super) fn check_axis(text: &str, angle: Angle, is_latitude: bool) -> Result<Angle, NotationError> {
    let axis = if is_latitude { "latitude" } else { "longitude" };
    if angle.is_latitude.is_some_and(|l| l != is_latitude) {
        let letter = angle.hemisphere.map_or(String::new(), |l| format!(" (letter {l})"));
        return Err(NotationError::new(
            text,
            None,
            format!("is a {}{letter} where a {axis} is expected", if is_latitude { "longitude" } else { "latitude" }),
        ));
    }
    let limit = if is_latitude { 90.0 } else { 360.0 };
    if angle.degrees.abs() > limit {
        let kind =
            if is_latitude { NotationErrorKind::LatitudeOutOfRange } else { NotationErrorKind::LongitudeOutOfRange };
        let problem = format!("is {axis} {}, outside −{limit}…{limit}", trim(angle.degrees));
        return Err(NotationError::new(text, None, problem).of_kind(kind));
    }
    Ok(angle)
}

pub(super) fn trim(v: f64) -> String {
    let text = format!("{v:.8}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}

/// Puts the tokens of one angle together.
pub(super) fn from_tokens(text: &str, tokens: &[Placed]) -> Result<Angle, NotationError> {
    let mut sign = None;
    let mut letter: Option<char> = None;
    let mut label: Option<char> = None;
    // Values with the sign that closes each part (degree, minute, second), if one was written.
    let mut parts: Vec<(f64, Option<u8>, Option<Token>, usize)> = Vec::new();
    let wrong = |at: usize, problem: &str| Err(NotationError::new(text, Some(at), problem));
    for placed in tokens {
        match placed.token {
            Token::Number { value, decimals, .. } => {
                if letter.is_some()
                    && !parts.is_empty()
                    && tokens.last().is_some_and(|t| !matches!(t.token, Token::Letter(_)))
                    && tokens.first().is_none_or(|t| !matches!(t.token, Token::Letter(_)))
                {
                    return wrong(placed.at, "goes on after the hemisphere letter");
                }
                parts.push((value, decimals, None, placed.at));
            }
            Token::Minus | Token::Plus => {
                // A dash between parts ("46-12-30") joins them; only in front is it a sign.
                if parts.is_empty() {
                    if sign.is_some() {
                        return wrong(placed.at, "has two signs");
                    }
                    sign = Some(matches!(placed.token, Token::Minus));
                } else if matches!(placed.token, Token::Plus) || placed.spaced {
                    return wrong(placed.at, "has a sign in the middle");
                }
            }
            Token::Letter(c @ ('φ' | 'λ')) => label = Some(c),
            Token::Letter(c) => {
                if letter.is_some() {
                    return wrong(placed.at, "has two hemisphere letters");
                }
                // A lone S after minutes with decimals or after seconds' digits is the hemisphere, and so it is
                // everywhere else; the sign for seconds is ″.
                letter = Some(c);
            }
            t @ (Token::Degree | Token::Minute | Token::Second) => match parts.last_mut() {
                Some((_, _, unit @ None, _)) => *unit = Some(t),
                _ => return wrong(placed.at, "has a sign without a number before it"),
            },
            Token::Comma | Token::Separator => {
                return wrong(placed.at, "has a separator in the middle of an angle");
            }
        }
    }
    if parts.is_empty() {
        return Err(NotationError::new(text, tokens.first().map(|t| t.at), "has no number"));
    }
    if parts.len() > 3 {
        return wrong(parts[3].3, "has more parts than degrees, minutes and seconds");
    }
    let order = [Token::Degree, Token::Minute, Token::Second];
    for (i, (value, decimals, unit, at)) in parts.iter().enumerate() {
        if unit.is_some_and(|u| u != order[i]) {
            return wrong(
                *at,
                &format!(
                    "has the sign of {} where {} are expected",
                    part_name(unit.as_ref()),
                    ["degrees", "minutes", "seconds"][i]
                ),
            );
        }
        if i + 1 < parts.len() && decimals.is_some() {
            return wrong(*at, "has decimals in a part that is not the last");
        }
        if i > 0 && *value >= 60.0 {
            return wrong(
                *at,
                &format!("has {} {}; they end below 60", trim(*value), ["degrees", "minutes", "seconds"][i]),
            );
        }
    }
    let negative_letter = letter.map(|l| l == 'S' || l == 'W');
    let negative = match (sign, negative_letter) {
        // "-46 S" could be meant as 46 S or as 46 N: neither is taken.
        (Some(true), Some(_)) => {
            return wrong(0, "has both a minus sign and a hemisphere letter; keep one of them");
        }
        (Some(s), None) => s,
        (_, Some(l)) => l,
        (None, None) => false,
    };
    let magnitude = match parts.len() {
        1 => parts[0].0,
        2 => parts[0].0 + parts[1].0 / 60.0,
        // One division keeps 46°12'00" at exactly 46.2.
        _ => parts[0].0 + (parts[1].0 * 60.0 + parts[2].0) / 3600.0,
    };
    let notation =
        [Notation::DecimalDegrees, Notation::DegreesMinutes, Notation::DegreesMinutesSeconds][parts.len() - 1];
    let by_letter = letter.map(|l| l == 'N' || l == 'S');
    let by_label = label.map(|l| l == 'φ');
    if by_letter.is_some() && by_label.is_some() && by_letter != by_label {
        return wrong(0, "has a label and a hemisphere letter of different axes");
    }
    Ok(Angle {
        degrees: if negative { -magnitude } else { magnitude },
        notation,
        hemisphere: letter,
        is_latitude: by_letter.or(by_label),
    })
}

fn part_name(token: Option<&Token>) -> &'static str {
    match token {
        Some(Token::Degree) => "degrees",
        Some(Token::Minute) => "minutes",
        _ => "seconds",
    }
}
