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

/// Finds the encoding: a byte order mark, the zeros of UTF-16, UTF-8 where nearly all that is not ASCII is, else
/// Windows-1252.
pub(crate) fn find_encoding(head: &[u8]) -> (&'static Encoding, &'static str) {
    if let Some((encoding, _)) = Encoding::for_bom(head) {
        return (encoding, "by its byte order mark");
    }
    if let Some(encoding) = crate::detect::utf16(head) {
        return (encoding, "found, without its mark");
    }
    match characters(head) {
        (_, 0) => (encoding_rs::UTF_8, "found"),
        // Words of other encodings are hardly ever characters of UTF-8.
        (whole, broken) if whole > broken => (encoding_rs::UTF_8, "found, with bytes that are none of it"),
        _ => (encoding_rs::WINDOWS_1252, "found: the bytes are not UTF-8"),
    }
}

/// How many characters beyond ASCII a text has in UTF-8, and how many places that are none. One that is cut by the end of the
/// sample does not count.
pub(super) fn characters(head: &[u8]) -> (usize, usize) {
    let (mut whole, mut broken, mut rest) = (0, 0, head);
    loop {
        let (text, after) = match std::str::from_utf8(rest) {
            Ok(text) => (text, None),
            Err(e) => {
                let (text, after) = rest.split_at(e.valid_up_to());
                (std::str::from_utf8(text).unwrap_or_default(), e.error_len().map(|n| &after[n..]))
            }
        };
        whole += text.chars().filter(|c| !c.is_ascii()).count();
        match after {
            Some(after) => (broken, rest) = (broken + 1, after),
            None => return (whole, broken),
        }
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
                csv_core::ReadRecordResult::OutputEndsFull => ends.resize(ends.len() * 2, 0),
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
        let one_bad = ["Café, état, Straße,".as_bytes(), b"Caf\xE9\n"].concat();
        assert_eq!(find_encoding(&one_bad).0, encoding_rs::UTF_8);
        let other = encoding_rs::WINDOWS_1252.encode("Café, état, Straße, Ã©\n").0.into_owned();
        assert_eq!(find_encoding(&other).0, encoding_rs::WINDOWS_1252);
        let wide = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
        assert_eq!(find_encoding(&wide("id,lon\n1,2\n")).0, encoding_rs::UTF_16LE);
        assert_eq!(find_encoding(&wide("ид,долгота\n1,Река\n")).0, encoding_rs::UTF_16LE);
        let turned: Vec<u8> = "id,lon\r\n1,2\r\n".encode_utf16().flat_map(u16::to_be_bytes).collect();
        assert_eq!(find_encoding(&turned).0, encoding_rs::UTF_16BE);
    }
}
