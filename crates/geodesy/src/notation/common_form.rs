//! The commonest spellings of degrees, minutes and seconds, read byte by byte: `46° 12' 00.00" N, 123° 48' 00.00" W`,
//! `N46 12.0 W123 48.0`, `-123° 48'`.
//!
//! Everything that is read here is read by the general parser too, and to the same bits; this one makes no lists and no
//! texts, and is a hundred times as fast. What it does not know it leaves to the other.

use super::{Angle, Notation, Reading};

/// An angle and where it ends.
#[derive(Clone, Copy)]
struct Part {
    /// Degrees with the sign of the letter.
    degrees: f64,
    /// How many of degrees, minutes and seconds were written.
    count: usize,
    /// The letter; 0 for none.
    letter: u8,
    /// Whether it stood before the number.
    leading: bool,
    next: usize,
}

impl Part {
    fn notation(&self) -> Notation {
        [Notation::DecimalDegrees, Notation::DegreesMinutes, Notation::DegreesMinutesSeconds][self.count - 1]
    }

    fn is_latitude(&self) -> bool {
        matches!(self.letter, b'N' | b'S')
    }
}

/// The bytes without white space around them.
#[inline(always)]
fn trimmed(text: &str) -> &[u8] {
    let b = text.as_bytes();
    match (b.first(), b.last()) {
        // Most texts begin and end with a visible sign.
        (Some(33..=126), Some(33..=126)) => b,
        _ => text.trim().as_bytes(),
    }
}

/// A whole position with a letter for each angle, both before or both after; `None` for any other text.
pub(super) fn read(text: &str) -> Option<Reading> {
    let b = trimmed(text);
    let first = angle(b, 0)?;
    if first.letter == 0 {
        return None;
    }
    let mut at = first.next;
    // A comma or semicolon after the letter parts the angles; a blank may.
    if matches!(byte(b, at), b',' | b';') {
        at += 1;
    }
    let second = angle(b, blanks(b, at))?;
    if second.next != b.len()
        || second.letter == 0
        || second.leading != first.leading
        || second.is_latitude() == first.is_latitude()
    {
        return None;
    }
    let (lat, lon) = if first.is_latitude() { (first, second) } else { (second, first) };
    if lat.degrees.abs() > 90.0 || lon.degrees.abs() > 180.0 {
        return None;
    }
    Some(Reading::new(lat.notation().max(lon.notation()), lon.degrees, lat.degrees))
}

/// A single angle, with a letter, a minus sign, or neither; `None` for any other text.
pub(super) fn read_angle(text: &str) -> Option<Angle> {
    let b = trimmed(text);
    let negative = byte(b, 0) == b'-';
    let part = angle(b, usize::from(negative))?;
    if part.next != b.len() || negative && part.letter != 0 {
        return None;
    }
    Some(Angle {
        degrees: if negative { -part.degrees } else { part.degrees },
        notation: part.notation(),
        hemisphere: (part.letter != 0).then_some(char::from(part.letter)),
        is_latitude: (part.letter != 0).then_some(part.is_latitude()),
    })
}

/// The byte at a place; 0, which is no part of an angle, beyond the end.
#[inline(always)]
fn byte(b: &[u8], at: usize) -> u8 {
    b.get(at).copied().unwrap_or(0)
}

#[inline(always)]
fn letter(c: u8) -> u8 {
    if matches!(c, b'N' | b'S' | b'E' | b'W') { c } else { 0 }
}

#[inline(always)]
fn blanks(b: &[u8], mut at: usize) -> usize {
    while byte(b, at) == b' ' {
        at += 1;
    }
    at
}

#[inline(always)]
fn angle(b: &[u8], at: usize) -> Option<Part> {
    let before = letter(byte(b, at));
    let mut at = if before != 0 { blanks(b, at + 1) } else { at };
    let mut values = [0.0f64; 3];
    let mut count = 0;
    let mut ended = false;
    while count < 3 && !ended && byte(b, at).is_ascii_digit() {
        let (value, next, whole) = number(b, at)?;
        at = next;
        if count > 0 && value >= 60.0 {
            return None;
        }
        values[count] = value;
        let (unit, after) = sign(b, at);
        if unit == count {
            at = blanks(b, after);
        } else if unit == NO_SIGN {
            // A part may go without its sign, with a blank after it.
            at = blanks(b, at);
        } else {
            return None;
        }
        count += 1;
        // Decimals end an angle.
        ended = !whole;
    }
    if count == 0 || byte(b, at).is_ascii_digit() && (ended || count == 3) && before == 0 {
        return None;
    }
    let after = if before == 0 { letter(byte(b, at)) } else { 0 };
    at += usize::from(after != 0);
    let letter = before | after;
    let magnitude = match count {
        1 => values[0],
        2 => values[0] + values[1] / 60.0,
        _ => values[0] + (values[1] * 60.0 + values[2]) / 3600.0,
    };
    let degrees = if matches!(letter, b'S' | b'W') { -magnitude } else { magnitude };
    Some(Part { degrees, count, letter, leading: before != 0, next: at })
}

const NO_SIGN: usize = 3;

/// The part that a sign closes (0 degrees, 1 minutes, 2 seconds), and where it ends.
#[inline(always)]
fn sign(b: &[u8], at: usize) -> (usize, usize) {
    match byte(b, at) {
        b'\'' if byte(b, at + 1) == b'\'' => (2, at + 2),
        b'\'' => (1, at + 1),
        b'"' => (2, at + 1),
        // ° is C2 B0; ′ and ″ are E2 80 B2 and E2 80 B3.
        0xC2 if byte(b, at + 1) == 0xB0 => (0, at + 2),
        0xE2 if byte(b, at + 1) == 0x80 => match byte(b, at + 2) {
            0xB2 => (1, at + 3),
            0xB3 => (2, at + 3),
            _ => (NO_SIGN, at),
        },
        _ => (NO_SIGN, at),
    }
}

/// A number, where it ends, and whether it has no decimals. At most three digits before the point: packed forms have
/// more. At most fifteen in all, so that a division of two exact numbers rounds as the general reader does.
#[inline(always)]
fn number(b: &[u8], start: usize) -> Option<(f64, usize, bool)> {
    const POWERS: [f64; 13] = [1.0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12];
    let digit = |at: usize| byte(b, at).wrapping_sub(b'0');
    // The first is known to be a digit; two are the usual case.
    let mut mantissa = u64::from(digit(start));
    let mut at = start + 1;
    for _ in 0..3 {
        let d = digit(at);
        if d > 9 {
            break;
        }
        mantissa = mantissa * 10 + u64::from(d);
        at += 1;
    }
    if at - start > 3 {
        return None;
    }
    if byte(b, at) != b'.' {
        return Some((mantissa as f64, at, true));
    }
    at += 1;
    let point = at;
    loop {
        let digit = byte(b, at).wrapping_sub(b'0');
        if digit > 9 {
            break;
        }
        mantissa = mantissa * 10 + u64::from(digit);
        at += 1;
        if at - point > 12 {
            return None;
        }
    }
    let decimals = at - point;
    if decimals == 0 {
        return None;
    }
    Some((mantissa as f64 / POWERS[decimals], at, false))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::notation::{AxisOrder, pair, print, print_angle};
    use proptest::prelude::*;

    #[test]
    fn what_it_knows_and_what_it_leaves() {
        for text in [
            "46° 12' 00.00\" N, 123° 48' 00.00\" W",
            "N46 12.0 W123 48.0",
            "46°12′N 123°48′W",
            "46.2N 123.8W",
            "123° 48' W; 46° 12' N",
            "46 12 0 N 123 48 0 W",
            "46°12'00''N 123°48'00''W",
        ] {
            let r = read(text).unwrap_or_else(|| panic!("{text}"));
            assert_eq!((r.lon_deg, r.lat_deg), (-123.8, 46.2), "{text}");
        }
        for text in [
            "46.2 -123.8",
            "46.2, -123.8",
            "4612N 12348W",
            "46° 71' N 3° E",
            "46,2 N 3,1 E",
            "N 46 E",
            "46 N 47 N",
            "91 N 3 E",
            "",
            "N",
            "46°12'00\"N 123°48'00\"W x",
        ] {
            assert!(read(text).is_none(), "{text}");
        }
    }

    fn spelling() -> impl Strategy<Value = String> {
        let number = prop_oneof![
            (0u32..200).prop_map(|v| v.to_string()),
            (0u32..200, 0u32..10_000).prop_map(|(v, d)| format!("{v}.{d:04}")),
        ];
        let part = (
            number,
            prop_oneof![Just(""), Just("°"), Just("'"), Just("\""), Just("′"), Just("''")],
            prop_oneof![Just(""), Just(" ")],
        );
        let angle = (
            prop_oneof![Just(""), Just("N"), Just("W "), Just("-")],
            proptest::collection::vec(part, 1..4),
            prop_oneof![Just(""), Just("N"), Just("E"), Just("S")],
        )
            .prop_map(|(before, parts, after)| {
                let middle: String = parts.into_iter().map(|(n, s, b)| format!("{n}{s}{b}")).collect();
                format!("{before}{middle}{after}")
            });
        (angle.clone(), prop_oneof![Just(" "), Just(", "), Just("; "), Just("")], angle)
            .prop_map(|(a, s, b)| format!("{a}{s}{b}"))
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 20_000, failure_persistence: None, ..ProptestConfig::default() })]
        #[test]
        fn the_general_parser_agrees(text in spelling()) {
            if let Some(r) = read(&text) {
                let general = pair::read(&text, AxisOrder::Reject);
                prop_assert_eq!(general, Ok(r), "{}", text);
            }
        }

        #[test]
        fn printed_positions_take_the_short_way(lon in -180.0f64..180.0, lat in -90.0f64..90.0, digits in 0usize..6) {
            for n in [Notation::DegreesMinutes, Notation::DegreesMinutesSeconds] {
                let text = print(lon, lat, n, digits).unwrap();
                prop_assert!(read(&text).is_some(), "{}", text);
                let one = print_angle(lat, true, n, digits).unwrap();
                prop_assert!(read_angle(&one).is_some(), "{}", one);
            }
        }
    }
}
