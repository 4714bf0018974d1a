//! The encoding of a table: what the file beside it says, else the byte for the language, else what the bytes allow.

use encoding_rs::Encoding;

/// An encoding of one byte or more a letter.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum TextEncoding {
    /// One of the web's encodings.
    Web(&'static Encoding),
    /// A code page of DOS.
    Dos(u16),
}

impl TextEncoding {
    /// By what a `.cpg` file says: `UTF-8`, `1252`, `ANSI 1252`, `ISO-8859-1`, `88591`, `OEM 850`.
    pub(super) fn of_label(text: &str) -> Option<Self> {
        let text = text.trim();
        if let Some(found) = Encoding::for_label(text.as_bytes()) {
            return Some(TextEncoding::Web(found));
        }
        let digits: String = text.chars().filter(char::is_ascii_digit).collect();
        if let Some(part) = digits.strip_prefix("8859").filter(|p| !p.is_empty()) {
            return Encoding::for_label(format!("iso-8859-{part}").as_bytes()).map(TextEncoding::Web);
        }
        Self::of_page(digits.parse().ok()?)
    }

    fn of_page(page: u16) -> Option<Self> {
        let label = match page {
            65001 => "utf-8".to_string(),
            932 => "shift_jis".into(),
            936 => "gbk".into(),
            949 => "euc-kr".into(),
            950 => "big5".into(),
            866 => "ibm866".into(),
            874 | 1250..=1258 => format!("windows-{page}"),
            page => {
                return oem_cp::code_table::DECODING_TABLE_CP_MAP.get(&page).map(|_| TextEncoding::Dos(page));
            }
        };
        Encoding::for_label(label.as_bytes()).map(TextEncoding::Web)
    }

    /// By the byte for the language in the header of a table.
    pub(super) fn of_language(byte: u8) -> Option<Self> {
        let page = match byte {
            0x01 | 0x09 | 0x0B | 0x0D | 0x0F | 0x11 | 0x15 | 0x18 | 0x19 | 0x1B => 437,
            0x02 | 0x0A | 0x0E | 0x10 | 0x12 | 0x14 | 0x16 | 0x1A | 0x1D | 0x25 | 0x37 => 850,
            0x03 | 0x57..=0x59 => 1252,
            0x08 | 0x17 | 0x66 => 865,
            0x13 | 0x7B => 932,
            0x1C => 863,
            0x1F | 0x22 | 0x23 | 0x40 | 0x64 | 0x87 => 852,
            0x24 => 860,
            0x26 | 0x65 => 866,
            0x4D | 0x7A => 936,
            0x4E | 0x79 => 949,
            0x4F | 0x78 => 950,
            0x50 | 0x7C => 874,
            0x67 => 861,
            0x6A | 0x86 => 737,
            0x6B | 0x88 => 857,
            0x6C => 863,
            0x7D => 1255,
            0x7E => 1256,
            0xC8 => 1250,
            0xC9 => 1251,
            0xCA => 1254,
            0xCB => 1253,
            0xCC => 1257,
            _ => return None,
        };
        Self::of_page(page)
    }

    /// The text of bytes.
    pub(super) fn decode(self, bytes: &[u8]) -> String {
        if bytes.is_ascii() {
            return String::from_utf8_lossy(bytes).into_owned();
        }
        match self {
            TextEncoding::Web(e) => e.decode_without_bom_handling(bytes).0.into_owned(),
            TextEncoding::Dos(page) => match oem_cp::code_table::DECODING_TABLE_CP_MAP.get(&page) {
                Some(table) => table.decode_string_lossy(bytes),
                None => String::from_utf8_lossy(bytes).into_owned(),
            },
        }
    }

    pub(super) fn is_utf8(self) -> bool {
        self == TextEncoding::Web(encoding_rs::UTF_8)
    }

    pub(super) fn name(self) -> String {
        match self {
            TextEncoding::Web(e) => e.name().to_string(),
            TextEncoding::Dos(page) => format!("code page {page}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_as_they_are_met() {
        let name = |t: &str| TextEncoding::of_label(t).map(TextEncoding::name);
        for (label, wanted) in [
            ("UTF-8\r\n", "UTF-8"),
            ("65001", "UTF-8"),
            ("1252", "windows-1252"),
            ("ANSI 1252", "windows-1252"),
            ("88591", "windows-1252"),
            ("ISO 8859-2", "ISO-8859-2"),
            ("OEM 850", "code page 850"),
        ] {
            assert_eq!(name(label).as_deref(), Some(wanted), "{label}");
        }
        assert_eq!(name("Klingon"), None);
    }

    #[test]
    fn letters_of_dos() {
        // IBM's chart of code page 437: 0x81 is u with two dots, 0xE1 sharp s.
        assert_eq!(TextEncoding::of_language(0x01).unwrap().decode(b"M\x81hlstra\xE1e"), "Mühlstraße");
        assert_eq!(TextEncoding::of_language(0x03).unwrap().decode(b"M\xFChlstra\xDFe"), "Mühlstraße");
    }
}
