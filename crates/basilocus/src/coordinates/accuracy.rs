//! Accuracies as people read them.

/// An accuracy as people read it.
pub fn accuracy_words(accuracy_m: Option<f64>) -> String {
    match accuracy_m {
        Some(0.0) => "exact (a conversion, no change of datum)".into(),
        // Three figures that count, whatever a sum or a fit left behind.
        Some(a) => {
            let unit = 10f64.powi(a.abs().log10().floor() as i32 - 2);
            let rounded = (a / unit).round() * unit;
            let decimals = (2 - a.abs().log10().floor() as i32).clamp(0, 6) as usize;
            let text = format!("{rounded:.decimals$}");
            let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { &text };
            format!("{text} m")
        }
        None => "not stated".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn accuracies_have_three_figures() {
        for (a, words) in [
            (12.0, "12 m"),
            (6.859_678_693, "6.86 m"),
            (0.001, "0.001 m"),
            (0.15, "0.15 m"),
            (1234.5, "1230 m"),
            (1.01, "1.01 m"),
        ] {
            assert_eq!(accuracy_words(Some(a)), words);
        }
        assert_eq!(accuracy_words(None), "not stated");
    }
}
