//! Cuts whole records into fields: 64 bytes are compared with the delimiter and the line end at once, and nothing is copied but
//! quoted fields with quotes in them.

/// Eight bytes of ones.
const ONES: u64 = u64::from_le_bytes([1; 8]);
/// Eight bytes without their highest bits.
const LOW: u64 = u64::from_le_bytes([0x7F; 8]);
/// Multiplied with eight bytes of zero or one, it gathers them as the highest eight bits.
const GATHER: u64 = 0x0102_0408_1020_4080;
/// Bytes that are looked at together.
const LANE: usize = 64;

/// A field: from where to where, in the bytes of the block or in texts that were put together.
#[derive(Debug, Clone, Copy)]
pub(super) struct Span {
    from: usize,
    to: usize,
    is_joined: bool,
}

/// The fields of a record.
#[derive(Clone, Copy)]
pub(super) struct Fields<'a> {
    bytes: &'a [u8],
    joined: &'a [u8],
    spans: &'a [Span],
}

impl<'a> Fields<'a> {
    /// None for a blank line.
    pub(super) fn len(&self) -> usize {
        self.spans.len()
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = &'a [u8]> + use<'a> {
        let (bytes, joined) = (self.bytes, self.joined);
        self.spans.iter().map(move |s| if s.is_joined { &joined[s.from..s.to] } else { &bytes[s.from..s.to] })
    }
}

/// Finds the next delimiter or line end.
struct Ends<'a> {
    bytes: &'a [u8],
    delimiter: u64,
    /// Where the bytes begin whose ends are known.
    base: usize,
    /// A bit for each of them that is an end.
    bits: u64,
}

impl<'a> Ends<'a> {
    fn new(bytes: &'a [u8], delimiter: u8) -> Self {
        let mut ends = Ends { bytes, delimiter: u64::from(delimiter) * ONES, base: 0, bits: 0 };
        ends.load(0);
        ends
    }

    fn load(&mut self, at: usize) {
        let rest = &self.bytes[at..];
        let lane = match rest.first_chunk::<LANE>() {
            Some(lane) => *lane,
            None => {
                let mut lane = [0; LANE];
                lane[..rest.len()].copy_from_slice(rest);
                lane
            }
        };
        self.base = at;
        self.bits = 0;
        let (words, _) = lane.as_chunks::<8>();
        for (i, word) in words.iter().enumerate() {
            let word = u64::from_le_bytes(*word);
            // The highest bit of each byte that is zero, and of no other.
            let zeros = |x: u64| !(((x & LOW) + LOW) | x | LOW);
            let found = zeros(word ^ self.delimiter) | zeros(word ^ (u64::from(b'\n') * ONES));
            self.bits |= ((found >> 7).wrapping_mul(GATHER) >> 56) << (8 * i);
        }
    }

    /// The first end at a place or behind it; the length of the text where there is none.
    fn next(&mut self, from: usize) -> usize {
        let mut at = from;
        loop {
            if let Some(within) = at.checked_sub(self.base).filter(|within| *within < LANE) {
                let bits = self.bits >> within;
                if bits != 0 {
                    return (at + bits.trailing_zeros() as usize).min(self.bytes.len());
                }
                at = self.base + LANE;
            }
            if at >= self.bytes.len() {
                return self.bytes.len();
            }
            self.load(at);
        }
    }
}

/// Whether a text can be cut by [`cut`]: a carriage return ends a line only in front of a line feed.
pub(super) fn is_plain(bytes: &[u8]) -> bool {
    memchr::memchr_iter(b'\r', bytes).all(|at| bytes.get(at + 1) == Some(&b'\n'))
}

/// Gives each record with its line; a blank line as one without fields.
pub(super) fn cut(bytes: &[u8], delimiter: u8, first_line: u64, mut sink: impl FnMut(u64, Fields)) {
    let mut ends = Ends::new(bytes, delimiter);
    let (mut spans, mut joined): (Vec<Span>, Vec<u8>) = (Vec::new(), Vec::new());
    let (mut at, mut line) = (0, first_line);
    while at < bytes.len() {
        spans.clear();
        joined.clear();
        let row_line = line;
        let is_blank = bytes[at] == b'\n' || bytes[at..].starts_with(b"\r\n");
        loop {
            let from = at;
            let end = match bytes.get(at) {
                Some(b'"') => {
                    let (span, behind) = quoted(bytes, at, &mut joined);
                    line += memchr::memchr_iter(b'\n', &bytes[from..behind]).count() as u64;
                    let end = ends.next(behind);
                    spans.push(with_tail(span, bytes, behind, end, &mut joined));
                    end
                }
                _ => {
                    let end = ends.next(at);
                    spans.push(Span { from, to: without_return(bytes, from, end), is_joined: false });
                    end
                }
            };
            at = end + 1;
            if bytes.get(end) != Some(&delimiter) {
                break;
            }
        }
        line += 1;
        if is_blank {
            spans.clear();
        }
        sink(row_line, Fields { bytes, joined: &joined, spans: &spans });
    }
}

/// Where a field ends before the sign that ends it.
fn without_return(bytes: &[u8], from: usize, end: usize) -> usize {
    let has_return = end > from && bytes[end - 1] == b'\r' && bytes.get(end) == Some(&b'\n');
    end - usize::from(has_return)
}

/// The text in quotes that begins at a place, and where what follows its closing quote begins. Doubled quotes are one.
fn quoted(bytes: &[u8], at: usize, joined: &mut Vec<u8>) -> (Span, usize) {
    let (start, mut from) = (joined.len(), at + 1);
    loop {
        let quote = memchr::memchr(b'"', &bytes[from..]).map_or(bytes.len(), |i| from + i);
        let is_doubled = bytes.get(quote + 1) == Some(&b'"');
        let is_whole = joined.len() == start;
        if !is_doubled {
            let behind = (quote + 1).min(bytes.len());
            if is_whole {
                return (Span { from, to: quote, is_joined: false }, behind);
            }
            joined.extend_from_slice(&bytes[from..quote]);
            return (Span { from: start, to: joined.len(), is_joined: true }, behind);
        }
        joined.extend_from_slice(&bytes[from..=quote]);
        from = quote + 2;
    }
}

/// What stands behind the closing quote belongs to the field.
fn with_tail(span: Span, bytes: &[u8], behind: usize, end: usize, joined: &mut Vec<u8>) -> Span {
    let tail = &bytes[behind.min(end)..without_return(bytes, behind, end).max(behind.min(end))];
    if tail.is_empty() {
        return span;
    }
    let mut span = span;
    if !span.is_joined {
        let start = joined.len();
        joined.extend_from_slice(&bytes[span.from..span.to]);
        span = Span { from: start, to: joined.len(), is_joined: true };
    }
    joined.extend_from_slice(tail);
    Span { to: joined.len(), ..span }
}

/// The same by the parser of a package, a byte at a time, for every text.
pub(super) fn cut_by_bytes(bytes: &[u8], delimiter: u8, first_line: u64, mut sink: impl FnMut(u64, Fields)) {
    let mut reader = csv_core::ReaderBuilder::new().delimiter(delimiter).build();
    // One spare byte a field: the parser wants room even where nothing is left to write.
    let (mut texts, mut ends) = (vec![0u8; 4096], vec![0usize; 64]);
    let mut spans: Vec<Span> = Vec::new();
    let (mut at, mut line) = (0, first_line);
    loop {
        // Blank lines are rows without anything; the parser would pass over them in silence.
        while let Some(length) = match bytes[at..] {
            [b'\n', ..] => Some(1),
            [b'\r', b'\n', ..] => Some(2),
            _ => None,
        } {
            sink(line, Fields { bytes, joined: &[], spans: &[] });
            at += length;
            line += 1;
        }
        if at >= bytes.len() {
            return;
        }
        let start = at;
        let (mut filled, mut ended) = (0, 0);
        loop {
            let (result, read, wrote, fields_ended) =
                reader.read_record(&bytes[at..], &mut texts[filled..], &mut ends[ended..]);
            at += read;
            filled += wrote;
            ended += fields_ended;
            match result {
                csv_core::ReadRecordResult::Record => break,
                csv_core::ReadRecordResult::End => return,
                csv_core::ReadRecordResult::OutputFull => texts.resize(texts.len() * 2, 0),
                csv_core::ReadRecordResult::OutputEndsFull => ends.resize(ends.len() * 2, 0),
                csv_core::ReadRecordResult::InputEmpty => {}
            }
        }
        // The parser ends a record at \r and passes over the \n with the next one: it belongs to this line.
        if at < bytes.len() && bytes[at] == b'\n' && bytes[at - 1] == b'\r' {
            at += 1;
            reader.reset();
        }
        spans.clear();
        let mut from = 0;
        for end in &ends[..ended] {
            spans.push(Span { from, to: *end, is_joined: true });
            from = *end;
        }
        sink(line, Fields { bytes, joined: &texts[..filled], spans: &spans });
        line += memchr::memchr_iter(b'\n', &bytes[start..at]).count() as u64;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn all(cut: impl Fn(&mut dyn FnMut(u64, Fields))) -> Vec<(u64, Vec<String>)> {
        let mut out = Vec::new();
        cut(&mut |line, fields| {
            out.push((line, fields.iter().map(|f| String::from_utf8_lossy(f).into_owned()).collect()));
        });
        out
    }

    fn fast(text: &str) -> Vec<(u64, Vec<String>)> {
        all(|sink| cut(text.as_bytes(), b',', 7, sink))
    }

    proptest! {
        /// Whole records of any kind are cut as the package cuts them, byte by byte.
        #[test]
        fn both_ways_give_the_same(
            records in prop::collection::vec((prop::collection::vec("[a ü]{0,3}|[a ][a\" ]{0,3}|\"([a,\n]|\r\n|\"\"){0,6}\"(a[a\"]?)?|[a-z]{60,70}", 0..5), any::<bool>()), 0..8),
            is_ended in any::<bool>(),
        ) {
            let mut text: String = records.iter().map(|(fields, has_return)| fields.join(",") + if *has_return { "\r\n" } else { "\n" }).collect();
            if !is_ended && text.ends_with('\n') {
                text.truncate(text.trim_end_matches(['\r', '\n']).len());
            }
            // A quote that is never closed is an error before records are cut, and ends in front of its line end here.
            let mut splitter = super::super::split::Splitter::new(b',', 1);
            splitter.scan(text.as_bytes(), true);
            prop_assume!(splitter.open_quote().is_none() && is_plain(text.as_bytes()));
            let slow = all(|sink| cut_by_bytes(text.as_bytes(), b',', 7, sink));
            prop_assert_eq!(fast(&text), slow);
        }
    }

    #[test]
    fn records() {
        let rows = fast("a,b\n\n\"x \"\"y\"\" z\",\"1\n2\" 3\r\n,\nlast");
        let expected: [(u64, &[&str]); 5] =
            [(7, &["a", "b"]), (8, &[]), (9, &["x \"y\" z", "1\n2 3"]), (11, &["", ""]), (12, &["last"])];
        let expected: Vec<(u64, Vec<String>)> =
            expected.iter().map(|(line, fields)| (*line, fields.iter().map(|f| f.to_string()).collect())).collect();
        assert_eq!(rows, expected);
        assert!(is_plain(b"a\r\nb") && !is_plain(b"a\rb") && !is_plain(b"a\r"));
    }
}
