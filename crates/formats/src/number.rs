//! Printing numbers into byte buffers.

/// Appends a number with a fixed number of decimals; nothing for NaN.
///
/// Numbers that fit are scaled to whole units of the last digit, which is several times faster than the general
/// formatter. So close to a tie that the product's own rounding could decide, the general formatter decides.
pub fn push_fixed(out: &mut Vec<u8>, value: f64, digits: usize) {
    const POWERS: [f64; 13] = [1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12];
    if value.is_nan() {
        return;
    }
    let scaled = value.abs() * POWERS[digits.min(12)];
    if !(scaled < 9e15) || digits > 12 {
        out.extend_from_slice(format!("{value:.digits$}").as_bytes());
        return;
    }
    let below = scaled as u64;
    let rest = scaled - below as f64;
    if (rest - 0.5).abs() <= scaled * f64::EPSILON {
        let text = format!("{value:.digits$}");
        let all_zero = text.bytes().all(|b| matches!(b, b'-' | b'0' | b'.'));
        out.extend_from_slice(if all_zero { text.trim_start_matches('-') } else { &text }.as_bytes());
        return;
    }
    let units = below + u64::from(rest > 0.5);
    if value < 0.0 && units > 0 {
        out.push(b'-');
    }
    let mut buffer = itoa::Buffer::new();
    if digits == 0 {
        out.extend_from_slice(buffer.format(units).as_bytes());
        return;
    }
    let power = POWERS[digits] as u64;
    out.extend_from_slice(buffer.format(units / power).as_bytes());
    out.push(b'.');
    let fraction = buffer.format(units % power).as_bytes();
    out.resize(out.len() + digits - fraction.len(), b'0');
    out.extend_from_slice(fraction);
}

/// Appends a number with at most so many decimals, without the zeros at its end; nothing for NaN.
pub fn push_trimmed(out: &mut Vec<u8>, value: f64, digits: usize) {
    let start = out.len();
    push_fixed(out, value, digits);
    if out[start..].contains(&b'.') {
        while out.last() == Some(&b'0') {
            out.pop();
        }
        if out.last() == Some(&b'.') {
            out.pop();
        }
    }
}

/// Appends a number in the shortest form that reads back as the same double; nothing for NaN.
pub fn push_shortest(out: &mut Vec<u8>, value: f64) {
    if value.is_nan() {
        return;
    }
    if value.fract() == 0.0 && value.abs() < 1e15 {
        let mut buffer = itoa::Buffer::new();
        out.extend_from_slice(buffer.format(value as i64).as_bytes());
    } else if value.is_finite() {
        let mut buffer = zmij::Buffer::new();
        out.extend_from_slice(buffer.format_finite(value).as_bytes());
    }
}

/// The number of so many units of its last decimal, where one division gives the nearest double: the units and the power of
/// ten must be exact (Clinger, How to Read Floating Point Numbers Accurately, 1990).
pub(crate) fn decimal(units: u64, decimals: usize) -> Option<f64> {
    const POWERS: [f64; 23] = [
        1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19,
        1e20, 1e21, 1e22,
    ];
    (units <= 1 << 53).then(|| POWERS.get(decimals).map(|power| units as f64 / power)).flatten()
}

/// The number that a text of figures is, with a sign in front and a point among them, where it is exact at once; `None` says
/// nothing of a text.
///
/// ```
/// assert_eq!(basilocus_formats::number::read_plain(b"-123.456789"), Some(-123.456789));
/// assert_eq!(basilocus_formats::number::read_plain(b"1e5"), None);
/// ```
pub fn read_plain(text: &[u8]) -> Option<f64> {
    let (is_negative, figures) = match text {
        [b'-', rest @ ..] => (true, rest),
        _ => (false, text),
    };
    // Eighteen figures fit into 64 bits.
    if figures.len() > 19 {
        return None;
    }
    let (mut units, mut point) = (0u64, None);
    for (at, byte) in figures.iter().enumerate() {
        let figure = byte.wrapping_sub(b'0');
        if figure < 10 {
            units = units.wrapping_mul(10).wrapping_add(u64::from(figure));
        } else if *byte == b'.' && point.is_none() {
            point = Some(at);
        } else {
            return None;
        }
    }
    let decimals = point.map_or(0, |at| figures.len() - 1 - at);
    let has_figures = figures.len() > usize::from(point.is_some());
    let is_short = figures.len() - usize::from(point.is_some()) <= 18;
    let value = decimal(units, decimals).filter(|_| has_figures && is_short)?;
    Some(if is_negative { -value } else { value })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn fixed(v: f64, digits: usize) -> String {
        let mut out = Vec::new();
        push_fixed(&mut out, v, digits);
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn edges() {
        assert_eq!(fixed(-0.000_01, 4), "0.0000");
        assert_eq!(fixed(-123.8, 9), "-123.800000000");
        assert_eq!(fixed(0.99999, 2), "1.00");
        assert_eq!(fixed(1e20, 2), "100000000000000000000.00");
        assert_eq!(fixed(f64::NAN, 2), "");
        assert_eq!(fixed(7.5, 0), "8");
        assert_eq!(fixed(-0.000_05, 4), format!("{:.4}", -0.000_05).as_str());
        // The product with 1e7 rounds to a tie that the number itself is not.
        assert_eq!(fixed(-8_150_929.207_741_549, 7), "-8150929.2077415");
    }

    proptest! {
        #[test]
        fn agrees_with_the_general_formatter(v in -1e7_f64..1e7, digits in 0usize..9) {
            let slow = format!("{v:.digits$}");
            let zero = slow.bytes().all(|b| matches!(b, b'-' | b'0' | b'.'));
            prop_assert_eq!(fixed(v, digits), if zero { slow.trim_start_matches('-').to_string() } else { slow });
        }

        #[test]
        fn plain_numbers_are_what_the_general_reader_makes_of_them(text in "[-+]?[0-9]{0,19}[.]?[0-9]{0,12}|[-0-9.e+]{0,9}") {
            if let Some(value) = read_plain(text.as_bytes()) {
                prop_assert_eq!(Ok(value.to_bits()), text.parse::<f64>().map(f64::to_bits));
            } else {
                // Numbers as they are written are not left to the general one.
                let figures = text.strip_prefix('-').unwrap_or(&text);
                let is_usual = figures.bytes().all(|b| b.is_ascii_digit() || b == b'.') && figures.parse::<f64>().is_ok();
                prop_assert!(!is_usual || figures.len() > 15, "{}", text);
            }
        }

        #[test]
        fn shortest_reads_back(v in proptest::num::f64::NORMAL) {
            let mut out = Vec::new();
            push_shortest(&mut out, v);
            prop_assert_eq!(std::str::from_utf8(&out).unwrap().parse::<f64>().unwrap(), v);
        }
    }
}
