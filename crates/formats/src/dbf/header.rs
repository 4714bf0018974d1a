//! The header of a table: how many rows, how long, and the columns.

/// A column as the file declares it.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Column {
    pub name: Vec<u8>,
    /// `C` text, `N` and `F` numbers in figures, `L` logical, `D` date, `M` memo, `I` whole number, `B` and `O` double,
    /// `T` and `@` date and time, `Y` currency.
    pub kind: u8,
    pub width: usize,
    pub decimals: u8,
    /// Where it stands in a row; the first byte is the mark of deleted rows.
    pub offset: usize,
}

/// What stands in front of the rows.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Header {
    pub version: u8,
    pub rows: u64,
    pub length: usize,
    pub row_length: usize,
    pub language: u8,
    pub columns: Vec<Column>,
}

/// Most bytes that a header has: columns are counted in sixteen bits.
pub(super) const LONGEST: u64 = 65_536;

/// Reads a header.
///
/// # Errors
/// In words.
pub(super) fn read(bytes: &[u8]) -> Result<Header, String> {
    let short = || "the header of the table ends too early".to_string();
    let u16_at =
        |i: usize| bytes.get(i..i + 2).map(|b| usize::from(u16::from_le_bytes([b[0], b[1]]))).ok_or_else(short);
    let rows = bytes.get(4..8).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]])).ok_or_else(short)?;
    let (length, row_length) = (u16_at(8)?, u16_at(10)?);
    let language = *bytes.get(29).ok_or_else(short)?;
    if length < 33 || length > bytes.len() {
        return Err(format!("the header says that it is {length} bytes long, which cannot be"));
    }
    let mut columns = Vec::new();
    let mut offset = 1;
    let mut at = 32;
    while at + 32 <= length && bytes[at] != 0x0D && bytes[at] != 0 {
        let field = &bytes[at..at + 32];
        let name = field[..11].split(|b| *b == 0).next().unwrap_or_default().to_vec();
        let kind = field[11].to_ascii_uppercase();
        let (mut width, mut decimals) = (usize::from(field[16]), field[17]);
        // Long texts have the upper half of their width where numbers have their decimals.
        if kind == b'C' {
            width += usize::from(decimals) << 8;
            decimals = 0;
        }
        if width == 0 {
            return Err(format!("column {} has no width", String::from_utf8_lossy(&name)));
        }
        columns.push(Column { name, kind, width, decimals, offset });
        offset += width;
        at += 32;
    }
    if columns.is_empty() {
        return Err("the table has no column".into());
    }
    if row_length < offset {
        return Err(format!("the columns are {offset} bytes wide, and a row is said to have {row_length}"));
    }
    Ok(Header { version: bytes[0], rows: u64::from(rows), length, row_length, language, columns })
}

/// Whether bytes begin as a table does: a version, a day that can be, and a header that fits.
pub(crate) fn is_dbf(head: &[u8]) -> bool {
    matches!(
        head.first(),
        Some(0x02 | 0x03 | 0x04 | 0x05 | 0x30 | 0x31 | 0x32 | 0x43 | 0x63 | 0x83 | 0x8B | 0x8C | 0xCB | 0xF5 | 0xFB)
    ) && head.len() >= 65
        && head[2] <= 12
        && head[3] <= 31
        && {
            let length = usize::from(u16::from_le_bytes([head[8], head[9]]));
            length >= 65 && (length % 32 <= 1 || (length >= 263 && (length - 263) % 32 <= 1))
        }
        && head[43].is_ascii_alphabetic() | (head[43] == b'@')
}
