//! How a text file is written: encoding, delimiter, header.

use encoding_rs::Encoding;

/// What was found in the first part of a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Dialect {
    /// Character encoding.
    pub encoding: &'static Encoding,
    /// Field delimiter.
    pub delimiter: u8,
    /// Fields of a usual record.
    pub width: usize,
}

/// Finds the encoding: a byte order mark, else UTF-8 where the bytes allow it, else Windows-1252.
pub(crate) fn find_encoding(head: &[u8]) -> (&'static Encoding, &'static str) {
    if let Some((encoding, _)) = Encoding::for_bom(head) {
        return (encoding, "by its byte order mark");
    }
    match std::str::from_utf8(head) {
        Ok(_) => (encoding_rs::UTF_8, "found"),
        // A character cut in two by the end of the sample is no error.
        Err(e) if e.error_len().is_none() => (encoding_rs::UTF_8, "found"),
        Err(_) => (encoding_rs::WINDOWS_1252, "found: the bytes are not UTF-8"),
    }
}

/// Records of a sample as fields, for a delimiter.
pub(super) fn records(sample: &str, delimiter: u8, most: usize) -> Vec<Vec<String>> {
    let mut reader = csv_core::ReaderBuilder::new().delimiter(delimiter).build();
    let (mut input, mut out) = (sample.as_bytes(), Vec::new());
    let mut buffer = vec![0u8; sample.len() + 1];
    let mut ends = vec![0usize; 4096];
    while out.len() < most {
        let (mut filled, mut fields) = (0, 0);
        loop {
            let (result, read, wrote, ended) = reader.read_record(input, &mut buffer[filled..], &mut ends[fields..]);
            input = &input[read..];
            filled += wrote;
            fields += ended;
            match result {
                csv_core::ReadRecordResult::InputEmpty => continue,
                csv_core::ReadRecordResult::Record => break,
                _ => return out,
            }
        }
        let mut start = 0;
        out.push(
            ends[..fields]
                .iter()
                .map(|end| {
                    let field = String::from_utf8_lossy(&buffer[start..*end]).into_owned();
                    start = *end;
                    field
                })
                .collect(),
        );
    }
    out
}

/// The width that most records have, and the share that has it.
fn usual_width(records: &[Vec<String>]) -> (usize, f64) {
    let mut counts = std::collections::BTreeMap::new();
    for r in records {
        *counts.entry(r.len()).or_insert(0usize) += 1;
    }
    let (width, n) = counts.into_iter().max_by_key(|(w, n)| (*n, *w)).unwrap_or((1, 0));
    (width, n as f64 / records.len().max(1) as f64)
}

/// Finds the delimiter: the one that cuts most records into the same number (two or more) of fields.
///
/// Between equals a tab, semicolon or bar wins over a comma, because a comma is a decimal sign as well.
pub(super) fn find_delimiter(sample: &str) -> (u8, usize) {
    let mut best = (b',', 1, 0.0);
    for (delimiter, bonus) in [(b'\t', 0.03), (b';', 0.02), (b'|', 0.02), (b',', 0.0), (b' ', -0.3)] {
        let records = records(sample, delimiter, 200);
        let (width, share) = usual_width(&records);
        if width < 2 || (delimiter == b' ' && share < 1.0) {
            continue;
        }
        let score = share + bonus;
        if score > best.2 {
            best = (delimiter, width, score);
        }
    }
    (best.0, best.1)
}

pub(super) fn width_of(sample: &str, delimiter: u8) -> usize {
    usual_width(&records(sample, delimiter, 200)).0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn delimiters_found() {
        assert_eq!(find_delimiter("a,b,c\n1,2,3\n"), (b',', 3));
        assert_eq!(find_delimiter("a;b\n46,2;-123,8\n"), (b';', 2));
        assert_eq!(find_delimiter("a\tb\n1,5\t2,5\n"), (b'\t', 2));
        assert_eq!(find_delimiter("a b\n1 2\n3 4\n"), (b' ', 2));
        assert_eq!(find_delimiter("position\n46.2 -123.8\n46.3 -123.9\n").0, b',');
        assert_eq!(find_delimiter("id,note\n1,\"a;b;c\"\n2,\"d;e;f\"\n"), (b',', 2));
        assert_eq!(find_delimiter("one\ntwo\n"), (b',', 1));
    }

    #[test]
    fn encodings_found() {
        assert_eq!(find_encoding("Straße".as_bytes()).0, encoding_rs::UTF_8);
        assert_eq!(find_encoding(b"Stra\xDFe").0, encoding_rs::WINDOWS_1252);
        assert_eq!(find_encoding(b"\xFF\xFEa\0").0, encoding_rs::UTF_16LE);
        assert_eq!(find_encoding("é".as_bytes()[..1].as_ref()).0, encoding_rs::UTF_8);
    }
}
