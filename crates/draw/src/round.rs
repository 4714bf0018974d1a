//! Round numbers for axes, grids and bars.

/// The smallest of 1, 2 and 5 times a power of ten by which a span has at most so many steps.
///
/// ```
/// assert_eq!(basilocus_draw::round::step(370.0, 6.0), 100.0);
/// ```
pub fn step(span: f64, steps: f64) -> f64 {
    let wanted = span / steps;
    if !(wanted > 0.0 && wanted.is_finite()) {
        return 1.0;
    }
    let power = wanted.log10().floor() as i32;
    // Read from text, so that it is the nearest number and 0.1 is 0.1.
    let unit: f64 = format!("1e{power}").parse().unwrap_or(1.0);
    [1.0, 2.0, 5.0, 10.0].into_iter().map(|n| n * unit).find(|s| *s >= wanted).unwrap_or(wanted)
}

/// Digits after the point that multiples of a step need.
pub fn digits(step: f64) -> usize {
    (-step.log10().floor()).max(0.0) as usize
}

/// The multiples of a step from a number to another one, both among them.
pub fn multiples(step: f64, low: f64, high: f64) -> impl Iterator<Item = f64> {
    let first = (low / step - 1e-9).ceil() as i64;
    (first..).map(move |i| i as f64 * step).take_while(move |v| *v <= high + step * 1e-9)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_are_round_and_few() {
        for (span, wanted) in [(1.0, 0.2), (0.9, 0.2), (6.0, 1.0), (6.1, 2.0), (20_000.0, 5000.0), (3e-4, 5e-5)] {
            let found = step(span, 6.0);
            assert!((found / wanted - 1.0).abs() < 1e-12, "{span}: {found}");
        }
        assert_eq!((step(0.0, 6.0), step(f64::NAN, 6.0)), (1.0, 1.0));
        assert_eq!((digits(0.05), digits(5.0), digits(200.0)), (2, 0, 0));
        assert_eq!(multiples(0.5, -0.6, 1.0).collect::<Vec<_>>(), [-0.5, 0.0, 0.5, 1.0]);
    }
}
