//! Which format a file is in: by its content first, its ending second.

use crate::driver::{DRIVERS, all_read};
use crate::{Format, FormatError, xml};
use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use std::cell::OnceCell;
use std::io::Read;
use std::path::{Path, PathBuf};

/// Bytes that are looked at.
const LOOKED_AT: u64 = 64 * 1024;

/// The first bytes of a file, with what several formats ask of them.
pub(crate) struct Head {
    pub path: PathBuf,
    pub bytes: Vec<u8>,
    /// Whether the bytes are all that there is.
    is_whole: bool,
    root: OnceCell<Option<xml::Element>>,
}

impl Head {
    fn read(path: &Path) -> Result<Self, FormatError> {
        let metadata = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?;
        if metadata.is_dir() {
            return Err(FormatError::IsFolder { path: path.to_path_buf() });
        }
        let mut bytes = Vec::new();
        std::fs::File::open(path)
            .and_then(|f| f.take(LOOKED_AT).read_to_end(&mut bytes))
            .map_err(|e| FormatError::read(path, e))?;
        if bytes.is_empty() {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the file is empty; a table with a header is expected",
            });
        }
        let is_whole = metadata.len() <= bytes.len() as u64;
        Ok(Head { path: path.to_path_buf(), bytes, is_whole, root: OnceCell::new() })
    }

    /// Whether it is text in UTF-16, with its mark or without.
    pub(crate) fn is_utf16(&self) -> bool {
        utf16(&self.bytes).is_some()
    }

    /// Whether it is text: no zero bytes, and few signs that no text has.
    pub(crate) fn is_text(&self) -> bool {
        let odd = |b: &&u8| **b < 32 && !matches!(**b, b'\t' | b'\n' | b'\r' | 0x1A | 0x0C | 0x1E);
        self.is_utf16() || !self.bytes.contains(&0) && self.bytes.iter().filter(odd).count() * 50 <= self.bytes.len()
    }

    /// The bytes without a mark of UTF-8, or a record separator (RFC 8142), in front.
    pub(crate) fn after_marks(&self) -> &[u8] {
        let text = self.bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&self.bytes);
        text.strip_prefix(b"\x1E").unwrap_or(text)
    }

    /// The first byte that is no blank.
    pub(crate) fn first(&self) -> Option<u8> {
        self.after_marks().iter().copied().find(|b| !b.is_ascii_whitespace())
    }

    /// The text in whole lines: the last one may be cut.
    pub(crate) fn lines(&self) -> Option<String> {
        if !self.is_text() || self.is_utf16() {
            return None;
        }
        let text = String::from_utf8_lossy(self.after_marks()).into_owned();
        match text.rfind('\n') {
            Some(end) if !self.is_whole => Some(text[..end].to_string()),
            _ => Some(text),
        }
    }

    /// Whether it begins as XML does; UTF-16 with its mark begins with the sign too, a zero beside it.
    pub(crate) fn is_xml(&self) -> bool {
        self.is_text()
            && (self.first() == Some(b'<')
                || self.is_utf16() && self.bytes.get(2..4).is_some_and(|h| h.contains(&b'<')))
    }

    /// The outermost element of a document of XML.
    pub(crate) fn root(&self) -> Option<&xml::Element> {
        self.root.get_or_init(|| self.is_xml().then(|| xml::root(&self.path)).flatten()).as_ref()
    }
}

/// The first bytes of a file.
pub(crate) fn first_bytes(path: &Path) -> Result<Vec<u8>, FormatError> {
    Ok(Head::read(path)?.bytes)
}

/// UTF-16, by its mark or by what every table has in it: the other half of signs of ASCII is zero, of line ends too.
pub(crate) fn utf16(head: &[u8]) -> Option<&'static Encoding> {
    if let Some((encoding, _)) = Encoding::for_bom(head) {
        return (encoding != UTF_8).then_some(encoding);
    }
    let pairs = || head.chunks_exact(2);
    let (mut front, mut back) = (0, 0);
    for pair in pairs() {
        front += usize::from(pair[0] == 0);
        back += usize::from(pair[1] == 0);
    }
    let has_line = |end: [u8; 2]| pairs().any(|pair| pair == end);
    let enough = |zeros: usize| zeros * 10 > head.len() / 2;
    match (front, back) {
        (0, zeros) if enough(zeros) && (has_line([b'\n', 0]) || has_line([b'\r', 0])) => Some(UTF_16LE),
        (zeros, 0) if enough(zeros) && (has_line([0, b'\n']) || has_line([0, b'\r'])) => Some(UTF_16BE),
        _ => None,
    }
}

/// Finds the format of an existing file.
///
/// # Errors
/// [`FormatError`] for a missing or empty file, a folder, and content that is none of the formats.
pub fn detect(path: &Path) -> Result<Format, FormatError> {
    let head = Head::read(path)?;
    refuse(&head)?;
    let not = |problem: String| FormatError::NotRecognised { path: path.to_path_buf(), problem };
    if let Some(driver) = DRIVERS.iter().find(|d| (d.recognises)(&head)) {
        return Ok(driver.format);
    }
    Err(if head.is_text() {
        not("begins as XML does and is none; get the file again".into())
    } else {
        not(format!("holds binary data, not text; {} are read", all_read()))
    })
}

/// What is known and not read.
fn refuse(head: &Head) -> Result<(), FormatError> {
    let not = |problem: String| FormatError::NotRecognised { path: head.path.clone(), problem };
    if head.bytes.starts_with(b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1") {
        // A compound file: a workbook under a password keeps its content in a stream of this name (UTF-16).
        let name: Vec<u8> = "EncryptedPackage".encode_utf16().flat_map(u16::to_le_bytes).collect();
        let whole = std::fs::read(&head.path).map_err(|e| FormatError::read(&head.path, e))?;
        if whole.windows(name.len()).any(|w| w == name) {
            return Err(FormatError::Password { path: head.path.clone() });
        }
        return Err(not("is a workbook of the old binary form, which is not read; save it as .xlsx".into()));
    }
    for (magic, what) in [
        (&b"%PDF"[..], "a PDF document"),
        (b"\x89PNG", "a picture"),
        (b"\xFF\xD8\xFF", "a picture"),
        (b"\x7FELF", "a program"),
    ] {
        if head.bytes.starts_with(magic) {
            return Err(not(format!("is {what}, not a table; {} are read", all_read())));
        }
    }
    if let Some("ExceptionReport" | "ServiceExceptionReport" | "ServiceException") =
        head.root().map(|r| r.name.as_str())
    {
        return Err(not("is what a service answers when it refuses; read it, and ask the service again".into()));
    }
    if head.first().is_none() && head.is_text() && !head.is_utf16() {
        return Err(FormatError::Empty {
            path: head.path.clone(),
            what: "the file holds nothing but blanks; a table with a header is expected",
        });
    }
    Ok(())
}
