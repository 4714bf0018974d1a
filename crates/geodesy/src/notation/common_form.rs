//! The commonest spellings of degrees, minutes and seconds, read byte by byte: `46° 12' 00.00" N, 123° 48' 00.00" W`,
//! `N46 12.0 W123 48.0`, `-123° 48'`.
//!
//! Everything that is read here is read by the general parser too, and to the same bits; this one makes no lists and no
//! texts, and is a hundred times as fast. What it does not know it leaves to the other.

use super::{Angle, Notation, Reading};

/// An angle and where it ends.
struct Part {
    angle: Angle,
    next: usize,
    /// Whether its letter stood before the number.
    leading: bool,
}

/// A whole position with a letter for each angle, both before or both after; `None` for any other text.
pub(super) fn read(text: &str) -> Option<Reading> {
    let b = text.trim().as_bytes();
    let first = angle(b, 0)?;
    first.angle.hemisphere?;
    let mut at = first.next;
    // A comma or semicolon after the letter parts the angles; a blank may.
    if matches!(b.get(at), Some(b',' | b';')) {
        at += 1;
    }
    while b.get(at) == Some(&b' ') {
        at += 1;
    }
    let second = angle(b, at)?;
    if second.next != b.len() || second.leading != first.leading {
        return None;
    }
    let (lat, lon) = match (first.angle.is_latitude?, second.angle.is_latitude?) {
        (true, false) => (first.angle, second.angle),
        (false, true) => (second.angle, first.angle),
        _ => return None,
    };
    if lat.degrees.abs() > 90.0 || lon.degrees.abs() > 180.0 {
        return None;
    }
    Some(Reading::new(lat.notation.max(lon.notation), lon.degrees, lat.degrees))
}

/// A single angle, with a letter, a minus sign, or neither; `None` for any other text.
pub(super) fn read_angle(text: &str) -> Option<Angle> {
    let b = text.trim().as_bytes();
    let negative = b.first() == Some(&b'-');
    let part = angle(b, usize::from(negative))?;
    if part.next != b.len() || negative && part.angle.hemisphere.is_some() {
        return None;
    }
    let degrees = if negative { -part.angle.degrees } else { part.angle.degrees };
    Some(Angle { degrees, ..part.angle })
}

fn letter(b: &[u8], at: usize) -> Option<char> {
    b.get(at).filter(|c| matches!(c, b'N' | b'S' | b'E' | b'W')).map(|c| char::from(*c))
}

fn blanks(b: &[u8], mut at: usize) -> usize {
    while b.get(at) == Some(&b' ') {
        at += 1;
    }
    at
}

fn angle(b: &[u8], at: usize) -> Option<Part> {
    let before = letter(b, at);
    let mut at = if before.is_some() { blanks(b, at + 1) } else { at };
    let mut values = [0.0f64; 3];
    let mut count = 0;
    let mut ended = false;
    while count < 3 && !ended && b.get(at).is_some_and(u8::is_ascii_digit) {
        let (value, next, whole) = number(b, at)?;
        at = next;
        if count > 0 && value >= 60.0 {
            return None;
        }
        values[count] = value;
        let (unit, after) = sign(b, at);
        match unit {
            // A part may go without its sign, with a blank after it.
            None => {
                let next = blanks(b, at);
                if next == at && b.get(at).is_some_and(u8::is_ascii_digit) {
                    return None;
                }
                at = next;
            }
            Some(unit) if unit == count => at = blanks(b, after),
            Some(_) => return None,
        }
        count += 1;
        // Decimals end an angle.
        ended = !whole;
    }
    if count == 0 || ended && b.get(at).is_some_and(u8::is_ascii_digit) {
        return None;
    }
    let after = if before.is_none() { letter(b, at) } else { None };
    if after.is_some() {
        at += 1;
    }
    let hemisphere = before.or(after);
    let is_latitude = hemisphere.map(|l| l == 'N' || l == 'S');
    let magnitude = match count {
        1 => values[0],
        2 => values[0] + values[1] / 60.0,
        _ => values[0] + (values[1] * 60.0 + values[2]) / 3600.0,
    };
    let notation = [Notation::DecimalDegrees, Notation::DegreesMinutes, Notation::DegreesMinutesSeconds][count - 1];
    let negative = matches!(hemisphere, Some('S' | 'W'));
    let degrees = if negative { -magnitude } else { magnitude };
    Some(Part { angle: Angle { degrees, notation, hemisphere, is_latitude }, next: at, leading: before.is_some() })
}

/// The part that a sign closes (0 degrees, 1 minutes, 2 seconds), and where it ends.
fn sign(b: &[u8], at: usize) -> (Option<usize>, usize) {
    match b.get(at) {
        Some(b'\'') if b.get(at + 1) == Some(&b'\'') => (Some(2), at + 2),
        Some(b'\'') => (Some(1), at + 1),
        Some(b'"') => (Some(2), at + 1),
        // ° is C2 B0; ′ and ″ are E2 80 B2 and E2 80 B3.
        Some(0xC2) if b.get(at + 1) == Some(&0xB0) => (Some(0), at + 2),
        Some(0xE2) if b.get(at + 1) == Some(&0x80) => match b.get(at + 2) {
            Some(0xB2) => (Some(1), at + 3),
            Some(0xB3) => (Some(2), at + 3),
            _ => (None, at),
        },
        _ => (None, at),
    }
}

/// A number, where it ends, and whether it has no decimals. At most three digits before the point: packed forms have
/// more. At most fifteen in all, so that a division of two exact numbers rounds as the general reader does.
fn number(b: &[u8], start: usize) -> Option<(f64, usize, bool)> {
    const POWERS: [f64; 16] = [1.0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15];
    let mut mantissa = 0u64;
    let mut at = start;
    while let Some(d) = b.get(at).filter(|c| c.is_ascii_digit()) {
        mantissa = mantissa * 10 + u64::from(d - b'0');
        at += 1;
        if at - start > 3 {
            return None;
        }
    }
    if b.get(at) != Some(&b'.') {
        return Some((mantissa as f64, at, true));
    }
    at += 1;
    let point = at;
    while let Some(d) = b.get(at).filter(|c| c.is_ascii_digit()) {
        if at - point >= 12 {
            return None;
        }
        mantissa = mantissa * 10 + u64::from(d - b'0');
        at += 1;
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
