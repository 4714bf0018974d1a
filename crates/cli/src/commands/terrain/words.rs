//! What the commands of heights say alike.

use crate::flags::in_text;
use crate::text::{doubts, table, thousands};
use basilocus::DoubtReport;
use basilocus::terrain::{AreaMeasured, Steepness};
use std::collections::BTreeMap;
use std::fmt::{Display, Write};
use std::path::PathBuf;

/// Lines of a summary, each with its label.
#[derive(Default)]
pub(super) struct Summary(String);

impl Summary {
    /// How it was read.
    pub(super) fn interpreted(mut self, lines: &[String]) -> Self {
        for line in lines {
            self = self.line("read as", in_text(line));
        }
        self
    }

    /// A labelled line.
    pub(super) fn line(mut self, label: &str, text: impl Display) -> Self {
        let _ = writeln!(self.0, "  {label:<10} {text}");
        self
    }

    /// Rows set aside, by reason.
    pub(super) fn set_aside(mut self, reasons: &BTreeMap<String, u64>) -> Self {
        for (reason, n) in reasons {
            self = self.line("set aside", format_args!("{} {reason}", thousands(*n)));
        }
        self
    }

    /// How steep the ground is.
    pub(super) fn steepness(self, s: &Steepness) -> Self {
        self.line("steepness", format_args!("mean {:.1}°, steepest {:.1}°", s.mean_deg, s.steepest_deg))
    }

    /// A table.
    pub(super) fn table(mut self, header: &[&str], rows: &[Vec<String>]) -> Self {
        if !rows.is_empty() {
            self.0.push_str(&table(header, rows));
        }
        self
    }

    /// What was measured in areas; `above` and `below` are what both sides are called.
    pub(super) fn areas(self, areas: &[AreaMeasured], above: &str, below: &str) -> Self {
        let row = |a: &AreaMeasured| {
            vec![
                a.name.clone(),
                amount(a.above_m3),
                amount(a.below_m3),
                amount(a.above_m3 - a.below_m3),
                amount(a.known_m2),
            ]
        };
        let rows: Vec<Vec<String>> = areas.iter().map(row).collect();
        self.table(&["area", &format!("{above}, m³"), &format!("{below}, m³"), "net, m³", "known, m²"], &rows)
    }

    /// The end: suspicions, what a user should know, and what was written.
    pub(super) fn end(mut self, found: &[DoubtReport], notices: &[String], outputs: &[PathBuf]) -> String {
        doubts(found, &mut self.0);
        for notice in notices {
            self = self.line("note", in_text(notice));
        }
        for output in outputs {
            self = self.line("wrote", output.display());
        }
        self.0
    }
}

/// A volume or an area with the digits that it is worth.
pub(super) fn amount(value: f64) -> String {
    let digits = if value.abs() >= 1000.0 { 0 } else { 2 };
    let text = format!("{:.digits$}", value.abs());
    let (whole, fraction) = text.split_once('.').unwrap_or((&text, ""));
    let whole = whole.parse().map_or_else(|_| whole.to_string(), thousands);
    let is_zero = text.bytes().all(|b| matches!(b, b'0' | b'.'));
    let sign = if value < 0.0 && !is_zero { "-" } else { "" };
    if fraction.is_empty() { format!("{sign}{whole}") } else { format!("{sign}{whole}.{fraction}") }
}

/// A height or length without the digits that nobody measured.
pub(super) fn height(value: f64) -> String {
    let text = format!("{value:.3}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_have_the_digits_that_they_are_worth() {
        for (value, text) in
            [(1_234_567.8, "1,234,568"), (-1_500.2, "-1,500"), (12.345, "12.35"), (-0.001, "0.00"), (0.0, "0.00")]
        {
            assert_eq!(amount(value), text);
        }
        assert_eq!((height(3.5), height(-2.0), height(0.1 + 0.2)), ("3.5".into(), "-2".into(), "0.3".into()));
    }
}
