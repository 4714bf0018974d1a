//! Finds where a feature ends, by its brackets and quotes alone, many bytes at a time.

/// How deep in a feature a place is.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(super) struct Within {
    /// Brackets that are open.
    pub depth: u32,
    pub in_string: bool,
    escaped: bool,
}

impl Within {
    /// Before the first bracket of a feature.
    pub(super) fn new() -> Self {
        Self::default()
    }

    /// Behind the first bracket.
    pub(super) fn opened() -> Self {
        Within { depth: 1, ..Self::default() }
    }

    /// Goes on to the bracket that closes the first one; gives the place behind it, if it is there.
    ///
    /// Which bracket closes which is left to the parser, which sees the feature anyhow.
    pub(super) fn end(&mut self, bytes: &[u8]) -> Option<usize> {
        let mut at = 0;
        while at < bytes.len() {
            let marks = bytes[at..].first_chunk().map(Marks::of).filter(|m| m.escapes == 0 && !self.escaped);
            let found = match marks {
                Some(marks) => self.block(marks),
                None => self.plain(&bytes[at..bytes.len().min(at + BLOCK)]),
            };
            if let Some(n) = found {
                return Some(at + n);
            }
            at += BLOCK;
        }
        None
    }

    /// Byte by byte.
    fn plain(&mut self, bytes: &[u8]) -> Option<usize> {
        for (i, b) in bytes.iter().enumerate() {
            match b {
                _ if std::mem::take(&mut self.escaped) => {}
                b'\\' if self.in_string => self.escaped = true,
                b'"' => self.in_string = !self.in_string,
                _ if self.in_string => {}
                b'{' | b'[' => self.depth += 1,
                b'}' | b']' => {
                    self.depth = self.depth.saturating_sub(1);
                    if self.depth == 0 {
                        return Some(i + 1);
                    }
                }
                _ => {}
            }
        }
        None
    }

    /// A block in which nothing is escaped.
    fn block(&mut self, marks: Marks) -> Option<usize> {
        let inside = parity(marks.quotes) ^ if self.in_string { !0 } else { 0 };
        let (opening, closing) = (marks.opening & !inside, marks.closing & !inside);
        let closed = closing.count_ones();
        if closed < self.depth {
            // However they stand, the first bracket stays open.
            self.depth = self.depth + opening.count_ones() - closed;
        } else {
            let mut left = opening | closing;
            while left != 0 {
                let bit = left.trailing_zeros();
                left &= left - 1;
                if opening >> bit & 1 == 1 {
                    self.depth += 1;
                    continue;
                }
                self.depth = self.depth.saturating_sub(1);
                if self.depth == 0 {
                    self.in_string = false;
                    return Some(bit as usize + 1);
                }
            }
        }
        self.in_string = inside >> (BLOCK - 1) == 1;
        None
    }
}

/// Bytes that are looked at together.
const BLOCK: usize = 64;

/// Where in a block the signs are that matter, a bit each.
struct Marks {
    quotes: u64,
    escapes: u64,
    opening: u64,
    closing: u64,
}

impl Marks {
    fn of(block: &[u8; BLOCK]) -> Self {
        let mut marks = Marks { quotes: 0, escapes: 0, opening: 0, closing: 0 };
        for (i, eight) in block.as_chunks::<8>().0.iter().enumerate() {
            let word = u64::from_le_bytes(*eight);
            // Square and curly brackets differ in one bit.
            let lower = word | all(0x20);
            let bits = |word: u64, wanted: u8| gather(zeros(word ^ all(wanted))) << (8 * i);
            marks.quotes |= bits(word, b'"');
            marks.escapes |= bits(word, b'\\');
            marks.opening |= bits(lower, b'{');
            marks.closing |= bits(lower, b'}');
        }
        marks
    }
}

/// A byte in all eight places of a word.
pub(super) const fn all(byte: u8) -> u64 {
    byte as u64 * 0x0101_0101_0101_0101
}

/// The highest bit of each byte that is zero.
pub(super) fn zeros(word: u64) -> u64 {
    !(((word & all(0x7F)) + all(0x7F)) | word | all(0x7F))
}

/// The highest bits of the bytes, side by side.
fn gather(word: u64) -> u64 {
    (word >> 7).wrapping_mul(0x0102_0408_1020_4080) >> 56
}

/// For each bit, whether an odd number of bits up to it is set.
fn parity(bits: u64) -> u64 {
    (0..6).fold(bits, |b, i| b ^ (b << (1 << i)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn ends_of_features() {
        let end = |t: &str| Within::new().end(t.as_bytes());
        assert_eq!(end(r#"{"a":[1,{"b":"}"}]},{}"#), Some(19));
        assert_eq!(end(r#"{"a":"\\"}}"#), Some(10));
        assert_eq!(end(r#"{"a":"\"}"}"#), Some(11));
        assert_eq!(end(r#"{"a":"}"#), None);
        let long = format!(r#"{{"a":"{}}}","b":[{}]}} , {{"#, "x{".repeat(70), "[1,2],".repeat(50));
        assert_eq!(end(&long), Some(long.len() - 4));
    }

    proptest! {
        /// Blocks give what single bytes give, however the text is cut in two.
        #[test]
        fn many_at_a_time_or_one_by_one(inner in "[\\[\\]{}\"\\\\a-c,]{0,300}", cut in 0usize..300) {
            let text = format!("{{{inner}");
            let bytes = text.as_bytes();
            let mut slow = Within::new();
            let expected = slow.plain(bytes);
            let mut fast = Within::new();
            let cut = cut.min(bytes.len());
            let found = fast.end(&bytes[..cut]).or_else(|| fast.end(&bytes[cut..]).map(|n| n + cut));
            prop_assert_eq!(found, expected);
            prop_assert_eq!(fast, slow);
        }
    }
}
