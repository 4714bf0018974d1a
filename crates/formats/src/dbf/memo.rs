//! Texts of any length in a file beside the table: `.dbt` of dBase III and IV, `.fpt` of FoxPro.

use std::path::Path;

/// Files larger than this are not read whole.
const LARGEST: u64 = 2 << 30;

/// An opened file of memos.
#[derive(Debug)]
pub(super) struct Memo {
    bytes: Vec<u8>,
    block: usize,
    form: Form,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Form {
    /// Text up to two marks of its end.
    Three,
    /// A mark, the length, the text.
    Four,
    /// A type, the length (both big-endian), the text.
    Fox,
}

impl Memo {
    /// Opens the file beside a table; the reason in words where it cannot be.
    pub(super) fn open(path: &Path, version: u8) -> Result<Self, String> {
        let size = std::fs::metadata(path).map_err(|e| e.to_string())?.len();
        if size > LARGEST {
            return Err(format!("it has {size} bytes, more than {LARGEST}"));
        }
        let bytes = std::fs::read(path).map_err(|e| e.to_string())?;
        Self::of(bytes, path.extension().is_some_and(|e| e.eq_ignore_ascii_case("fpt")), version)
    }

    fn of(bytes: Vec<u8>, fox: bool, version: u8) -> Result<Self, String> {
        let (form, block) = if fox {
            let b = bytes.get(6..8).ok_or("its header ends too early")?;
            (Form::Fox, usize::from(u16::from_be_bytes([b[0], b[1]])).max(1))
        } else if version == 0x83 {
            (Form::Three, 512)
        } else {
            let b = bytes.get(20..22).ok_or("its header ends too early")?;
            let block = usize::from(u16::from_le_bytes([b[0], b[1]]));
            (Form::Four, if block == 0 { 512 } else { block })
        };
        Ok(Memo { bytes, block, form })
    }

    /// The bytes of a memo; `None` where the number leads nowhere.
    pub(super) fn get(&self, number: u64) -> Option<&[u8]> {
        let at = usize::try_from(number).ok()?.checked_mul(self.block)?;
        let rest = self.bytes.get(at..)?;
        let u32_at = |i: usize| rest.get(i..i + 4).map(|b| [b[0], b[1], b[2], b[3]]);
        match self.form {
            Form::Three => Some(rest.split(|b| *b == 0x1A).next().unwrap_or_default()),
            Form::Four if rest.starts_with(&[0xFF, 0xFF, 0x08, 0x00]) => {
                let length = u32::from_le_bytes(u32_at(4)?) as usize;
                rest.get(8..length.max(8))
            }
            Form::Four => Some(rest.split(|b| *b == 0x1A).next().unwrap_or_default()),
            Form::Fox => {
                let length = u32::from_be_bytes(u32_at(4)?) as usize;
                rest.get(8..length.checked_add(8)?)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn three_forms_built_by_hand() {
        let mut three = vec![0u8; 512];
        three.extend(b"a long note\x1A\x1A");
        assert_eq!(Memo::of(three, false, 0x83).unwrap().get(1), Some(&b"a long note"[..]));
        let mut four = vec![0u8; 64];
        four[20] = 64;
        four.extend([0xFF, 0xFF, 8, 0, 12, 0, 0, 0]);
        four.extend(b"note and more");
        assert_eq!(Memo::of(four, false, 0x8B).unwrap().get(1), Some(&b"note"[..]));
        let mut fox = vec![0u8; 64];
        fox[7] = 64;
        fox.extend([0, 0, 0, 1, 0, 0, 0, 4]);
        fox.extend(b"note and more");
        let fox = Memo::of(fox, true, 0x30).unwrap();
        assert_eq!(fox.get(1), Some(&b"note"[..]));
        assert_eq!(fox.get(9), None);
        assert_eq!(fox.get(u64::MAX), None);
    }
}
