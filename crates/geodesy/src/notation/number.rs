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

/// What parts the fraction of a number from its whole.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DecimalMark {
    /// A point, as in `5,116,569.25`.
    Point,
    /// A comma, as in `5.116.569,25`.
    Comma,
}

/// What the marks of a number say about how its column is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MarkEvidence {
    /// Nothing: it has no mark, or is no number.
    None,
    /// One mark before exactly three digits: decimals, or thousands.
    Either,
    /// The decimal mark can only be this one.
    Only(DecimalMark),
}

/// What the marks of a number say about how its column is written: `500.123,45` allows a decimal comma alone, `930,000` and
/// `438.278` allow both.
///
/// ```
/// use basilocus_geodesy::notation::{DecimalMark, MarkEvidence, mark_evidence};
/// assert_eq!(mark_evidence("5.400.000,10"), MarkEvidence::Only(DecimalMark::Comma));
/// assert_eq!(mark_evidence("1,234,567"), MarkEvidence::Only(DecimalMark::Point));
/// assert_eq!(mark_evidence("930,000"), MarkEvidence::Either);
/// assert_eq!(mark_evidence("930"), MarkEvidence::None);
/// ```
pub fn mark_evidence(text: &str) -> MarkEvidence {
    let trimmed = text.trim();
    if is_either(trimmed) {
        return MarkEvidence::Either;
    }
    if read_number(trimmed).is_err() {
        return MarkEvidence::None;
    }
    let (comma, point) = (trimmed.rfind(','), trimmed.rfind('.'));
    let several = |mark: char| trimmed.matches(mark).count() > 1;
    MarkEvidence::Only(match (comma, point) {
        (None, None) => return MarkEvidence::None,
        (Some(comma), Some(point)) if comma > point => DecimalMark::Comma,
        (Some(_), Some(_)) => DecimalMark::Point,
        // A mark that comes twice parts thousands, so the decimal mark is the other one.
        (Some(_), None) if several(',') => DecimalMark::Point,
        (Some(_), None) => DecimalMark::Comma,
        (None, Some(_)) if several('.') => DecimalMark::Comma,
        (None, Some(_)) => DecimalMark::Point,
    })
}

/// Whether a text is one to three digits, a mark, and three digits.
fn is_either(text: &str) -> bool {
    let digits = text.strip_prefix(['+', '-', '−']).unwrap_or(text);
    let is_digits = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    digits.split_once([',', '.']).is_some_and(|(before, after)| {
        is_digits(before) && is_digits(after) && after.len() == 3 && before.len() <= 3 && !before.starts_with('0')
    })
}

/// Reads one number of a column whose decimal mark is known; else as [`read_number`].
///
/// # Errors
/// Where the text is no number.
///
/// ```
/// use basilocus_geodesy::notation::{DecimalMark, read_number_marked};
/// assert_eq!(read_number_marked("930,000", DecimalMark::Comma).unwrap(), 930.0);
/// assert_eq!(read_number_marked("930,000", DecimalMark::Point).unwrap(), 930_000.0);
/// assert_eq!(read_number_marked("438.278", DecimalMark::Comma).unwrap(), 438_278.0);
/// ```
pub fn read_number_marked(text: &str, decimal: DecimalMark) -> Result<f64, NotationError> {
    let trimmed = text.trim();
    if !is_either(trimmed) {
        return read_number(text);
    }
    let (thousands, mark) = match decimal {
        DecimalMark::Point => (',', '.'),
        DecimalMark::Comma => ('.', ','),
    };
    read_number(&trimmed.replace(thousands, "").replace(mark, "."))
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
    fn marks_tell_what_they_are_or_leave_it_open() {
        use DecimalMark::{Comma, Point};
        for (text, evidence) in [
            ("", MarkEvidence::None),
            ("5116569", MarkEvidence::None),
            ("5 116 569", MarkEvidence::None),
            ("abc", MarkEvidence::None),
            ("1.2.3", MarkEvidence::None),
            ("930,000", MarkEvidence::Either),
            ("-438.278", MarkEvidence::Either),
            ("0,123", MarkEvidence::Only(Comma)),
            ("0.123", MarkEvidence::Only(Point)),
            ("012.345", MarkEvidence::Only(Point)),
            ("5116,569", MarkEvidence::Only(Comma)),
            ("5 116,569", MarkEvidence::Only(Comma)),
            ("12,5", MarkEvidence::Only(Comma)),
            ("500.123,45", MarkEvidence::Only(Comma)),
            ("5.400.000", MarkEvidence::Only(Comma)),
            ("5,400,000", MarkEvidence::Only(Point)),
            ("500,123.45", MarkEvidence::Only(Point)),
            ("46.2", MarkEvidence::Only(Point)),
        ] {
            assert_eq!(mark_evidence(text), evidence, "{text}");
        }
        for (text, comma, point) in [
            ("930,000", 930.0, 930_000.0),
            ("-438.278", -438_278.0, -438.278),
            ("12,5", 12.5, 12.5),
            ("1.234.567", 1_234_567.0, 1_234_567.0),
        ] {
            assert_eq!(read_number_marked(text, Comma).unwrap(), comma, "{text}");
            assert_eq!(read_number_marked(text, Point).unwrap(), point, "{text}");
        }
        assert!(read_number_marked("12x", Comma).is_err());
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
