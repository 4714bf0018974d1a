//! Numbers as people read them.

use crate::text;
use basilocus::coordinates::measure::Measures;
use std::fmt::Write;

/// A number with its thousands parted.
pub(super) fn thousands(v: f64, decimals: usize) -> String {
    let text = format!("{:.decimals$}", v.abs());
    let (whole, rest) = text.split_once('.').unwrap_or((&text, ""));
    let whole = text::thousands(whole.parse().unwrap_or(0));
    let sign = if v < 0.0 { "-" } else { "" };
    if rest.is_empty() { format!("{sign}{whole}") } else { format!("{sign}{whole}.{rest}") }
}

/// An area in square metres with the decimals that its computation is worth: two up to ten square kilometres, then one
/// less for each power of ten.
pub(super) fn square_metres(m2: f64) -> String {
    let beyond = (m2.abs().max(1.0) / 1e7).log10().ceil().max(0.0) as usize;
    thousands(m2, 2usize.saturating_sub(beyond))
}

/// What the map gives.
pub(super) fn on_the_map(out: &mut String, m: &Measures) {
    let Some(map) = &m.on_map else { return };
    let percent = |ratio: f64| {
        let p = (ratio - 1.0) * 100.0;
        format!("{}{p:.4} %", if p >= 0.0 { "+" } else { "" })
    };
    let _ = writeln!(out, "on the map {}", map.crs);
    let _ = writeln!(out, "  area       {} m², {}", square_metres(map.area_m2), percent(map.area_ratio));
    let _ = writeln!(
        out,
        "  perimeter  {} m; the line {} m, {}",
        thousands(map.perimeter_m, 3),
        thousands(map.length_m, 3),
        percent(map.length_ratio)
    );
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_have_the_digits_that_they_are_worth() {
        assert_eq!(thousands(-1234.5, 1), "-1,234.5");
        assert_eq!(thousands(999.999, 0), "1,000");
        assert_eq!(square_metres(9_999_999.126), "9,999,999.13");
        assert_eq!(square_metres(40_700_000.16), "40,700,000.2");
        assert_eq!(square_metres(4_070_000_000.16), "4,070,000,000");
    }
}
