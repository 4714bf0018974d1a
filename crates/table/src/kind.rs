//! The type of a column, decided from all of its values, not the first ones.

use crate::Moment;

/// What all values of a column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum ValueKind {
    /// Nothing but empty cells.
    Empty,
    /// `true`/`false`.
    Boolean,
    /// Whole numbers that a double holds exactly.
    Integer,
    /// Numbers.
    Real,
    /// Numbers with a decimal comma, by at least one that allows nothing else (`12,5`, not `1,234`).
    DecimalComma,
    /// Dates in ISO 8601 form.
    Date,
    /// Dates with times of day in ISO 8601 form, all in universal time or none.
    DateTime {
        /// Whether they are in universal time.
        utc: bool,
    },
    /// Anything else, and everything that would lose something as a number: leading zeros, long identifiers.
    Text,
}

impl ValueKind {
    /// The name for reports.
    pub fn name(self) -> &'static str {
        match self {
            ValueKind::Empty => "empty",
            ValueKind::Boolean => "true/false",
            ValueKind::Integer => "whole number",
            ValueKind::Real => "number",
            ValueKind::DecimalComma => "number with a decimal comma",
            ValueKind::Date => "date",
            ValueKind::DateTime { .. } => "date and time",
            ValueKind::Text => "text",
        }
    }
}

/// What is known of a column after all its values were seen.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct ColumnProfile {
    /// Cells with something in them.
    pub filled: u64,
    /// Cells without.
    pub empty: u64,
    /// Whole numbers.
    pub integers: u64,
    /// Numbers with a fraction or an exponent.
    pub reals: u64,
    /// Numbers with a comma that can only begin decimals.
    pub decimal_commas: u64,
    /// Numbers with a comma that may begin decimals or part thousands.
    pub open_commas: u64,
    /// `true` or `false`.
    pub booleans: u64,
    /// ISO dates.
    pub dates: u64,
    /// ISO dates with a time of day that says no zone.
    pub local_times: u64,
    /// ISO dates with a time of day in universal time.
    pub utc_times: u64,
    /// Digits that begin with a zero, or more digits than a double holds.
    pub codes: u64,
    /// Longest value, in characters.
    pub longest: usize,
    /// Most decimals of any number.
    pub decimals: usize,
    /// Smallest and largest number.
    pub range: Option<(f64, f64)>,
    /// The first codes with a leading zero, to show.
    pub code_examples: Vec<String>,
}

impl ColumnProfile {
    /// Takes one value into account.
    pub fn add(&mut self, text: &str) {
        let value = text.trim();
        if value.is_empty() {
            self.empty += 1;
            return;
        }
        self.filled += 1;
        self.longest = self.longest.max(if text.is_ascii() { text.len() } else { text.chars().count() });
        match classify(value) {
            Class::Integer(v) => {
                self.integers += 1;
                self.widen(v);
            }
            Class::Real(v, decimals) => {
                self.reals += 1;
                self.decimals = self.decimals.max(decimals);
                self.widen(v);
            }
            Class::Comma { value, decimals, is_open } => {
                *(if is_open { &mut self.open_commas } else { &mut self.decimal_commas }) += 1;
                self.decimals = self.decimals.max(decimals);
                self.widen(value);
            }
            Class::Code => {
                self.codes += 1;
                if self.code_examples.len() < 3
                    && value.starts_with('0')
                    && !self.code_examples.iter().any(|e| e == value)
                {
                    self.code_examples.push(value.to_string());
                }
            }
            Class::Boolean => self.booleans += 1,
            Class::Moment(Moment::Date) => self.dates += 1,
            Class::Moment(Moment::DateTime { utc: false }) => self.local_times += 1,
            Class::Moment(Moment::DateTime { utc: true }) => self.utc_times += 1,
            Class::Text => {}
        }
    }

    fn widen(&mut self, v: f64) {
        let (low, high) = self.range.unwrap_or((v, v));
        self.range = Some((low.min(v), high.max(v)));
    }

    /// Adds what another part of the same column holds.
    pub fn merge(&mut self, other: &ColumnProfile) {
        self.filled += other.filled;
        self.empty += other.empty;
        self.integers += other.integers;
        self.reals += other.reals;
        self.decimal_commas += other.decimal_commas;
        self.open_commas += other.open_commas;
        self.booleans += other.booleans;
        self.dates += other.dates;
        self.local_times += other.local_times;
        self.utc_times += other.utc_times;
        self.codes += other.codes;
        self.longest = self.longest.max(other.longest);
        self.decimals = self.decimals.max(other.decimals);
        if let Some((low, high)) = other.range {
            self.widen(low);
            self.widen(high);
        }
        for e in &other.code_examples {
            if self.code_examples.len() < 3 && !self.code_examples.contains(e) {
                self.code_examples.push(e.clone());
            }
        }
    }

    /// The type that holds every value without loss.
    pub fn kind(&self) -> ValueKind {
        match self.filled {
            0 => ValueKind::Empty,
            n if n == self.integers => ValueKind::Integer,
            n if n == self.integers + self.reals => ValueKind::Real,
            n if self.decimal_commas > 0 && n == self.integers + self.decimal_commas + self.open_commas => {
                ValueKind::DecimalComma
            }
            n if n == self.booleans => ValueKind::Boolean,
            n if n == self.dates => ValueKind::Date,
            n if n == self.local_times => ValueKind::DateTime { utc: false },
            n if n == self.utc_times => ValueKind::DateTime { utc: true },
            _ => ValueKind::Text,
        }
    }
}

enum Class {
    Integer(f64),
    Real(f64, usize),
    Comma { value: f64, decimals: usize, is_open: bool },
    Code,
    Boolean,
    Moment(Moment),
    Text,
}

fn classify(value: &str) -> Class {
    let bytes = value.as_bytes();
    let body = bytes.strip_prefix(b"-").unwrap_or(bytes);
    let Some(first) = body.first() else {
        return Class::Text;
    };
    if first.is_ascii_digit() || *first == b'.' {
        let digits = body.iter().take_while(|b| b.is_ascii_digit()).count();
        let leading_zero = digits > 1 && *first == b'0';
        if digits == body.len() {
            // 2^53 has 16 digits: 15 always fit.
            return if leading_zero || digits > 15 {
                Class::Code
            } else {
                value.parse().map_or(Class::Text, Class::Integer)
            };
        }
        if let Some(moment) = Moment::of(value) {
            return Class::Moment(moment);
        }
        let rest = &body[digits..];
        if let Some(fraction) = rest.strip_prefix(b",") {
            let is_number = !leading_zero && !fraction.is_empty() && fraction.iter().all(u8::is_ascii_digit);
            // More digits than a double keeps would come back changed.
            let fits = is_number && digits > 0 && digits + fraction.len() <= 17;
            let is_open = fraction.len() == 3 && digits <= 3 && *first != b'0';
            return match value.replace(',', ".").parse() {
                Ok(number) if fits => Class::Comma { value: number, decimals: fraction.len(), is_open },
                _ => Class::Text,
            };
        }
        let plain = rest.iter().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'e' | b'E' | b'+' | b'-'));
        if !plain || leading_zero {
            return Class::Text;
        }
        let decimals =
            if rest.first() == Some(&b'.') { rest[1..].iter().take_while(|b| b.is_ascii_digit()).count() } else { 0 };
        // More digits than a double keeps would come back changed.
        if digits + decimals > 17 {
            return Class::Text;
        }
        return match value.parse::<f64>() {
            Ok(v) if v.is_finite() && body.last().is_some_and(u8::is_ascii_digit) => Class::Real(v, decimals),
            _ => Class::Text,
        };
    }
    if value.eq_ignore_ascii_case("true") || value.eq_ignore_ascii_case("false") { Class::Boolean } else { Class::Text }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn kind(values: &[&str]) -> ValueKind {
        let mut p = ColumnProfile::default();
        values.iter().for_each(|v| p.add(v));
        p.kind()
    }

    #[test]
    fn decided_from_all_values() {
        assert_eq!(kind(&["1", "2", ""]), ValueKind::Integer);
        assert_eq!(kind(&["1", "2.5"]), ValueKind::Real);
        assert_eq!(kind(&["1", "2", "x"]), ValueKind::Text);
        assert_eq!(kind(&["97103", "01234"]), ValueKind::Text, "a leading zero is never lost");
        assert_eq!(kind(&["12345678901234567"]), ValueKind::Text, "17 digits do not fit a double");
        assert_eq!(kind(&["0.5", "-0.25", "0"]), ValueKind::Real);
        assert_eq!(kind(&["true", "FALSE"]), ValueKind::Boolean);
        assert_eq!(kind(&["2026-11-25", "2024-02-29"]), ValueKind::Date);
        assert_eq!(kind(&["2026-11-25", "2026-02-30"]), ValueKind::Text, "no day of the calendar");
        assert_eq!(kind(&["2026-11-25", "2026-11-25T10:00:00Z"]), ValueKind::Text, "a day is no moment");
        assert_eq!(kind(&["2026-11-25T10:00", "2026-11-25 10:00:00.5"]), ValueKind::DateTime { utc: false });
        assert_eq!(kind(&["2026-11-25T10:00Z"]), ValueKind::DateTime { utc: true });
        assert_eq!(kind(&["12,5", "-3", "0,25", ""]), ValueKind::DecimalComma);
        assert_eq!(kind(&["1,234", "12,5"]), ValueKind::DecimalComma, "one settles the others");
        assert_eq!(kind(&["1,234", "2,345"]), ValueKind::Text, "thousands or decimals");
        assert_eq!(kind(&["12,5", "3.5"]), ValueKind::Text);
        assert_eq!(kind(&["12,5", "1,2,3"]), ValueKind::Text);
        assert_eq!(kind(&["012,5"]), ValueKind::Text);
        assert_eq!(kind(&["12,", "12,5"]), ValueKind::Text);
        assert_eq!(kind(&["", " "]), ValueKind::Empty);
        assert_eq!(kind(&["1e5"]), ValueKind::Real);
        assert_eq!(kind(&["-"]), ValueKind::Text);
        assert_eq!(kind(&["12-14"]), ValueKind::Text);
        assert_eq!(kind(&["1.2.3"]), ValueKind::Text);
    }

    proptest! {
        #[test]
        fn merging_parts_is_seeing_the_whole(values in prop::collection::vec("[0-9.a-]{0,6}", 0..20), cut in 0usize..20) {
            let cut = cut.min(values.len());
            let profile = |v: &[String]| { let mut p = ColumnProfile::default(); v.iter().for_each(|x| p.add(x)); p };
            let mut parts = profile(&values[..cut]);
            parts.merge(&profile(&values[cut..]));
            prop_assert_eq!(parts, profile(&values));
        }

        #[test]
        fn numbers_survive_their_type(v in "-?(0|[1-9][0-9]{0,9})(\\.[0-9]{1,6})?") {
            let mut p = ColumnProfile::default();
            p.add(&v);
            prop_assert!(matches!(p.kind(), ValueKind::Integer | ValueKind::Real), "{v} {:?}", p.kind());
        }
    }
}
