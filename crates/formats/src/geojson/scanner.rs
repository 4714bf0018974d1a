//! Steps through the text of a feature. Whatever is not as it usually is gives none, and the caller asks the general parser:
//! so nothing here has to word an error, and what it does read must be what that parser reads.

use super::within::{all, zeros};

/// A place in a text.
pub(super) struct Scanner<'a> {
    pub text: &'a str,
    pub at: usize,
}

/// A number.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Number {
    Integer(i64),
    Real(f64),
}

impl Number {
    pub(super) fn real(self) -> f64 {
        match self {
            Number::Integer(i) => i as f64,
            Number::Real(v) => v,
        }
    }
}

fn is_blank(b: u8) -> bool {
    matches!(b, b' ' | b'\n' | b'\r' | b'\t')
}

impl<'a> Scanner<'a> {
    pub(super) fn new(text: &'a str, at: usize) -> Self {
        Scanner { text, at }
    }

    fn bytes(&self) -> &'a [u8] {
        self.text.as_bytes()
    }

    fn byte(&self) -> Option<u8> {
        self.bytes().get(self.at).copied()
    }

    /// The next byte that is no blank, which stays.
    pub(super) fn peek(&mut self) -> Option<u8> {
        while is_blank(self.byte()?) {
            self.at += 1;
        }
        self.byte()
    }

    /// Whether there is nothing left but blanks.
    pub(super) fn at_end(&self) -> bool {
        self.bytes()[self.at..].iter().all(|b| is_blank(*b))
    }

    pub(super) fn take(&mut self, wanted: u8) -> Option<()> {
        let found = self.peek()? == wanted;
        self.at += usize::from(found);
        found.then_some(())
    }

    /// A string without signs that are written by others.
    pub(super) fn string(&mut self) -> Option<&'a str> {
        self.take(b'"')?;
        let start = self.at;
        let mark = self.next_mark()?;
        let text = self.text.get(start..self.at)?;
        self.at += 1;
        (mark == b'"').then_some(text)
    }

    /// Goes on to a quote, an escape or a control sign.
    fn next_mark(&mut self) -> Option<u8> {
        // Strings of features are short: eight bytes at a time are done before a search over many has begun.
        while let Some(eight) = self.bytes()[self.at..].first_chunk() {
            let word = u64::from_le_bytes(*eight);
            let marks = zeros(word ^ all(b'"')) | zeros(word ^ all(b'\\')) | zeros(word & all(0xE0));
            if marks != 0 {
                self.at += marks.trailing_zeros() as usize / 8;
                return self.byte();
            }
            self.at += 8;
        }
        while !matches!(self.byte()?, b'"' | b'\\' | 0..0x20) {
            self.at += 1;
        }
        self.byte()
    }

    /// The name of a member, with the colon behind it.
    pub(super) fn name(&mut self) -> Option<&'a str> {
        let name = self.string()?;
        self.take(b':')?;
        Some(name)
    }

    /// Passes over a text if it stands here as it is.
    pub(super) fn pass(&mut self, text: &str) -> bool {
        let there = self.bytes()[self.at..].starts_with(text.as_bytes());
        self.at += if there { text.len() } else { 0 };
        there
    }

    /// Passes over a string of any form.
    pub(super) fn skip_string(&mut self) -> Option<()> {
        self.take(b'"')?;
        loop {
            let mark = self.next_mark()?;
            self.at += if mark == b'\\' { 2 } else { 1 };
            if mark == b'"' {
                return Some(());
            }
            self.text.as_bytes().get(self.at)?;
        }
    }

    /// The members of an object: each call reads one with its name.
    pub(super) fn object(&mut self, mut member: impl FnMut(&mut Self) -> Option<()>) -> Option<()> {
        self.take(b'{')?;
        if self.peek()? == b'}' {
            self.at += 1;
            return Some(());
        }
        loop {
            member(self)?;
            match self.peek()? {
                b',' => {
                    self.at += 1;
                    self.peek()?;
                }
                b'}' => {
                    self.at += 1;
                    return Some(());
                }
                _ => return None,
            }
        }
    }

    /// The items of an array.
    pub(super) fn array<T>(&mut self, mut item: impl FnMut(&mut Self) -> Option<T>) -> Option<Vec<T>> {
        self.take(b'[')?;
        let mut items = Vec::new();
        if self.peek()? == b']' {
            self.at += 1;
            return Some(items);
        }
        loop {
            items.push(item(self)?);
            match self.peek()? {
                b',' => self.at += 1,
                b']' => {
                    self.at += 1;
                    return Some(items);
                }
                _ => return None,
            }
        }
    }

    /// A word such as `true`, or a number of any form.
    pub(super) fn word(&mut self) -> Option<&'a str> {
        let rest = &self.bytes()[self.at..];
        let in_word = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'+' | b'.');
        let end = rest.iter().position(|b| !in_word(b)).unwrap_or(rest.len());
        let word = self.text.get(self.at..self.at + end).filter(|w| !w.is_empty())?;
        self.at += end;
        Some(word)
    }

    /// A number as RFC 8259, clause 6, has them.
    pub(super) fn number(&mut self) -> Option<Number> {
        let negative = self.peek()? == b'-';
        let start = self.at;
        self.at += usize::from(negative);
        let (mut units, first) = (0u64, self.at);
        self.figures(&mut units);
        let whole = self.at - first;
        if whole == 0 || (whole > 1 && self.bytes()[first] == b'0') {
            return None;
        }
        let mut decimals = 0;
        let is_real = self.byte() == Some(b'.');
        if is_real {
            self.at += 1;
            let first = self.at;
            self.figures(&mut units);
            decimals = self.at - first;
            if decimals == 0 {
                return None;
            }
        }
        if matches!(self.byte(), Some(b'e' | b'E')) {
            self.at += 1;
            self.at += usize::from(matches!(self.byte(), Some(b'+' | b'-')));
            let first = self.at;
            self.figures(&mut 0);
            if self.at == first {
                return None;
            }
            return self.general(start);
        }
        // Nineteen figures fit into 64 bits.
        if whole + decimals > 19 {
            return if is_real { self.general(start) } else { None };
        }
        // A zero with a minus is none of the whole numbers.
        let is_whole = !is_real && (units != 0 || !negative);
        if is_whole {
            let value = i64::try_from(units).ok()?;
            return Some(Number::Integer(if negative { -value } else { value }));
        }
        match crate::number::decimal(units, decimals) {
            Some(v) => Some(Number::Real(if negative { -v } else { v })),
            None => self.general(start),
        }
    }

    /// Passes over figures and appends them to a number, which overflows where there are more than nineteen.
    fn figures(&mut self, units: &mut u64) {
        while let Some(b @ b'0'..=b'9') = self.byte() {
            *units = units.wrapping_mul(10).wrapping_add(u64::from(b - b'0'));
            self.at += 1;
        }
    }

    /// The number from a place to here, by the standard library; one too large for a double is none.
    fn general(&self, start: usize) -> Option<Number> {
        let value: f64 = self.text.get(start..self.at)?.parse().ok()?;
        value.is_finite().then_some(Number::Real(value))
    }

    /// Passes over any value without a look at what is in it.
    pub(super) fn skip(&mut self) -> Option<()> {
        match self.peek()? {
            b'"' => self.skip_string(),
            b'{' | b'[' => {
                let mut depth = 0;
                loop {
                    match self.byte()? {
                        b'"' => {
                            self.skip_string()?;
                            continue;
                        }
                        b'{' | b'[' => depth += 1,
                        b'}' | b']' => depth -= 1,
                        _ => {}
                    }
                    self.at += 1;
                    if depth == 0 {
                        return Some(());
                    }
                }
            }
            _ => {
                self.word()?;
                Some(())
            }
        }
    }

    /// Passes over any value that is valid.
    pub(super) fn skip_valid(&mut self) -> Option<()> {
        let rest = self.text.get(self.at..)?;
        let mut values = serde_json::Deserializer::from_str(rest).into_iter::<serde::de::IgnoredAny>();
        values.next()?.ok()?;
        self.at += values.byte_offset();
        Some(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What the general parser makes of a number.
    fn slow(text: &str) -> Option<Number> {
        let number = serde_json::from_str::<serde_json::Value>(text).ok()?;
        number.as_i64().map(Number::Integer).or_else(|| number.as_f64().map(Number::Real))
    }

    fn fast(text: &str) -> Option<Number> {
        let mut s = Scanner::new(text, 0);
        let number = s.number()?;
        s.at_end().then_some(number)
    }

    fn same(text: &str) {
        if let Some(found) = fast(text) {
            let bits = |n: Number| if let Number::Real(v) = n { v.to_bits() } else { 0 };
            let wanted = slow(text).unwrap_or_else(|| panic!("{text} is no number, and {found:?} was read"));
            assert_eq!((found, bits(found)), (wanted, bits(wanted)), "{text}");
        }
    }

    #[test]
    fn numbers_at_the_edges() {
        for text in [
            "0",
            "-0",
            "-0.0",
            "01",
            "1.",
            ".5",
            "1e5",
            "1E+05",
            "1e",
            "-",
            "1.5e-400",
            "1e400",
            "9223372036854775807",
            "-9223372036854775808",
            "9223372036854775808",
            "0.1234567890123456789",
            "123456789012345678901234567890.5",
            "9007199254740993.0",
            "0.30000000000000004",
            "1.7976931348623157e308",
            "5e-324",
        ] {
            same(text);
        }
        // What features have is read here and not left to others.
        assert_eq!(fast("-123.812345678"), Some(Number::Real(-123.812_345_678)));
        assert_eq!(fast("12"), Some(Number::Integer(12)));
        assert_eq!(fast("-0").map(|n| n.real().is_sign_negative()), Some(true));
        for text in ["01", "1.", ".5", "1e", "-", "1e400", "+1", "NaN"] {
            assert_eq!(fast(text), None, "{text}");
        }
    }

    proptest! {
        #[test]
        fn numbers_are_those_of_the_general_parser(text in "-?[0-9]{1,20}(\\.[0-9]{0,20})?([eE][-+]?[0-9]{1,3})?", v in any::<f64>()) {
            same(&text);
            same(&v.to_string());
            same(&format!("{v:e}"));
        }

        #[test]
        fn strings_are_those_of_the_general_parser(inner in "[ -~\u{e4}\u{4e2d}\\\\\"\n]{0,12}") {
            let text = format!("\"{inner}\"");
            let mut s = Scanner::new(&text, 0);
            if let Some(found) = s.string() && s.at_end() {
                let expected = serde_json::from_str::<String>(&text).ok();
                prop_assert_eq!(expected.as_deref(), Some(found));
            }
        }
    }
}
