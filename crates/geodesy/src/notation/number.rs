//! Numbers as people write them: decimal point or comma, thousands separators, a sign of either Unicode shape.

use super::{NotationError, NotationErrorKind};

/// Reads one number. `46.2`, `-123,8`, `5 116 569.25`, `5'116'569`, `5,116,569.25`, `+3e2` are read.
///
/// # Errors
/// Where the text is no number, and where a comma could be a decimal or a thousands sign (`1,234`).
///
/// ```
/// use basilocus_geodesy::notation::read_number;
/// assert_eq!(read_number("5,116,569.25").unwrap(), 5_116_569.25);
/// assert_eq!(read_number("-123,85").unwrap(), -123.85);
/// assert!(read_number("1,234").is_err());
/// assert!(read_number("12b").is_err());
/// ```
pub fn read_number(text: &str) -> Result<f64, NotationError> {
    let trimmed = text.trim();
    if let Some(number) = plain(trimmed) {
        return Ok(number);
    }
    let not_a_number = || {
        let at = text.chars().position(|c| !(c.is_ascii_digit() || c.is_whitespace() || "+-−.,'’".contains(c)));
        NotationError::new(text, at, if trimmed.is_empty() { "is empty" } else { "is not a number" })
    };
    let mut body = trimmed.replace('−', "-");
    // A blank or an apostrophe groups thousands: three digits must follow.
    for mark in [' ', '\u{a0}', '\u{202f}', '\'', '’'] {
        if body.contains(mark) {
            body = ungroup(&body, mark).ok_or_else(not_a_number)?;
        }
    }
    let (commas, points) = (body.matches(',').count(), body.matches('.').count());
    let plain_text = match (commas, points) {
        (0, 0 | 1) => body,
        (1, 0) => {
            let (before, after) = body.split_once(',').unwrap_or((&body, ""));
            let digits = before.trim_start_matches(['+', '-']);
            if after.len() == 3 && (1..=3).contains(&digits.len()) && digits != "0" {
                let problem = format!(
                    "has two readings: {before}.{after} (decimal comma) or {before}{after} (thousands); write it without the comma"
                );
                return Err(NotationError::new(text, None, problem).of_kind(NotationErrorKind::Ambiguous));
            }
            body.replace(',', ".")
        }
        (0, _) => ungroup(&body, '.').ok_or_else(not_a_number)?,
        (_, 0) => ungroup(&body, ',').ok_or_else(not_a_number)?,
        (_, 1) if body.rfind(',') < body.find('.') => {
            let (whole, fraction) = body.split_once('.').unwrap_or((&body, ""));
            format!("{}.{fraction}", ungroup(whole, ',').ok_or_else(not_a_number)?)
        }
        (1, _) if body.rfind('.') < body.find(',') => {
            let (whole, fraction) = body.split_once(',').unwrap_or((&body, ""));
            format!("{}.{fraction}", ungroup(whole, '.').ok_or_else(not_a_number)?)
        }
        _ => return Err(not_a_number()),
    };
    plain(&plain_text).ok_or_else(not_a_number)
}

/// A number in the machine's own form, finite. `inf`, `nan` and hexadecimal are no coordinates.
#[inline]
fn plain(text: &str) -> Option<f64> {
    if !text.as_bytes().last().is_some_and(|b| b.is_ascii_digit() || *b == b'.') {
        return None;
    }
    text.parse::<f64>().ok().filter(|n| n.is_finite())
}

/// Takes grouping marks out, if each is followed by exactly three digits and preceded by one to three.
fn ungroup(text: &str, mark: char) -> Option<String> {
    let (whole, fraction) = match (mark, text.find(['.', ','].as_slice())) {
        ('.' | ',', _) | (_, None) => (text, ""),
        (_, Some(at)) => text.split_at(at),
    };
    let (sign, digits) = match whole.strip_prefix(['-', '+']) {
        Some(rest) => (&whole[..1], rest.trim_start()),
        None => ("", whole),
    };
    let groups: Vec<&str> = digits.split(mark).collect();
    let well_formed = groups.iter().enumerate().all(|(i, g)| {
        g.bytes().all(|b| b.is_ascii_digit()) && if i == 0 { (1..=3).contains(&g.len()) } else { g.len() == 3 }
    });
    (well_formed && !fraction.contains(mark)).then(|| format!("{sign}{}{fraction}", groups.concat()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_read() {
        for (text, value) in [
            ("46.2", 46.2),
            (" -0,5 ", -0.5),
            ("−123.8", -123.8),
            ("5 116 569", 5_116_569.0),
            ("5 116 569,25", 5_116_569.25),
            ("5.116.569", 5_116_569.0),
            ("5.116.569,25", 5_116_569.25),
            ("1,234,567", 1_234_567.0),
            ("0,123", 0.123),
            ("5'116'569.5", 5_116_569.5),
            ("46,20000", 46.2),
            ("1e3", 1000.0),
        ] {
            assert_eq!(read_number(text).unwrap(), value, "{text}");
        }
    }

    #[test]
    fn numbers_refused() {
        for text in [
            "",
            "abc",
            "12 34",
            "1.2.3",
            "1,2,3",
            "nan",
            "inf",
            "0x10",
            "--5",
            "46.2N",
            "1,234",
            "12-",
            "5 116 56",
            "1.234,5,6",
        ] {
            assert!(read_number(text).is_err(), "{text}");
        }
        assert_eq!(read_number("12b4").unwrap_err().to_string(), "\"12b4\" is not a number (at character 3: \"b\")");
        assert!(read_number("1,234").unwrap_err().to_string().contains("two readings"));
    }
}
