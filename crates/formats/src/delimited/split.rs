//! Cuts a byte stream into blocks of whole records, cheaply: only quotes and line ends are looked at.

use memchr::{memchr, memchr_iter, memchr2, memrchr};

/// Where the scan stands between two reads.
#[derive(Debug)]
pub(super) struct Splitter {
    delimiter: u8,
    in_quotes: bool,
    /// Line at which the open quote began.
    quote_line: u64,
    /// Line of the next byte to be scanned.
    line: u64,
    /// Bytes of the buffer already scanned.
    scanned: usize,
    /// End of the last whole record in the buffer.
    boundary: usize,
    /// Line number at that end.
    boundary_line: u64,
}

impl Splitter {
    pub(super) fn new(delimiter: u8, first_line: u64) -> Self {
        Splitter {
            delimiter,
            in_quotes: false,
            quote_line: 0,
            line: first_line,
            scanned: 0,
            boundary: 0,
            boundary_line: first_line,
        }
    }

    /// The line of the quote that is open, if one is.
    pub(super) fn open_quote(&self) -> Option<u64> {
        self.in_quotes.then_some(self.quote_line)
    }

    /// Scans what is new in `buffer`; afterwards [`Splitter::take`] gives the whole records.
    ///
    /// A quote opens only at the start of a field: a second sign (46°12'30"N) elsewhere is text, as it is for the
    /// parser of the records.
    pub(super) fn scan(&mut self, buffer: &[u8], end_of_input: bool) {
        if !self.in_quotes && memchr(b'"', &buffer[self.scanned..]).is_none() {
            if let Some(last) = memrchr(b'\n', &buffer[self.scanned..]) {
                self.line += memchr_iter(b'\n', &buffer[self.scanned..]).count() as u64;
                self.boundary = self.scanned + last + 1;
                self.boundary_line = self.line;
            }
            self.scanned = buffer.len();
        }
        while self.scanned < buffer.len() {
            let Some(found) = memchr2(b'"', b'\n', &buffer[self.scanned..]) else {
                self.scanned = buffer.len();
                break;
            };
            let at = self.scanned + found;
            if buffer[at] == b'\n' {
                self.line += 1;
                if !self.in_quotes {
                    self.boundary = at + 1;
                    self.boundary_line = self.line;
                }
                self.scanned = at + 1;
            } else if self.in_quotes {
                if at + 1 == buffer.len() && !end_of_input {
                    // Whether this quote is doubled is seen with the next byte.
                    self.scanned = at;
                    return;
                }
                if buffer.get(at + 1) == Some(&b'"') {
                    self.scanned = at + 2;
                } else {
                    self.in_quotes = false;
                    self.scanned = at + 1;
                }
            } else {
                let before = at.checked_sub(1).map_or(b'\n', |i| buffer[i]);
                if before == self.delimiter || before == b'\n' || before == b'\r' {
                    self.in_quotes = true;
                    self.quote_line = self.line;
                }
                self.scanned = at + 1;
            }
        }
        if end_of_input && !self.in_quotes {
            self.boundary = buffer.len();
            self.boundary_line = self.line;
        }
    }

    /// Length of the whole records at the front of the buffer and the line after them; the caller removes them.
    pub(super) fn take(&mut self) -> (usize, u64) {
        let length = std::mem::take(&mut self.boundary);
        self.scanned -= length;
        (length, self.boundary_line)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Records that start and end inside the pieces that the splitter makes of `text`, read with `step` bytes a time.
    fn pieces(text: &[u8], step: usize) -> (Vec<Vec<u8>>, Option<u64>) {
        let mut splitter = Splitter::new(b',', 1);
        let (mut buffer, mut out) = (Vec::new(), Vec::new());
        for chunk in text.chunks(step) {
            buffer.extend_from_slice(chunk);
            splitter.scan(&buffer, false);
            let (n, _) = splitter.take();
            if n > 0 {
                out.push(buffer.drain(..n).collect());
            }
        }
        splitter.scan(&buffer, true);
        let (n, _) = splitter.take();
        if n > 0 {
            out.push(buffer.drain(..n).collect());
        }
        (out, splitter.open_quote())
    }

    fn fields(bytes: &[u8]) -> Vec<Vec<String>> {
        let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(bytes);
        reader.records().map(|r| r.unwrap().iter().map(String::from).collect()).collect()
    }

    proptest! {
        #[test]
        fn pieces_hold_the_same_records_as_the_whole(text in "[ab\",\n]{0,60}", step in 1usize..9) {
            let (pieces, open) = pieces(text.as_bytes(), step);
            if open.is_none() {
                prop_assert_eq!(pieces.concat(), text.as_bytes());
                let together: Vec<_> = pieces.iter().flat_map(|p| fields(p)).collect();
                prop_assert_eq!(together, fields(text.as_bytes()));
            }
        }
    }

    #[test]
    fn quotes_open_only_at_field_starts() {
        assert_eq!(pieces(b"a,46 12'30\"N\nb,2\n", 3).1, None);
        assert_eq!(pieces(b"a,\"x\nb\nc\n", 3).1, Some(1));
        assert_eq!(pieces(b"a,b\n1,\"x\n", 30).1, Some(2));
    }
}
