//! Pairs of a group code and a value, from text or from the binary form.

use super::binary_head;
use crate::FormatError;
use encoding_rs::Encoding;
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};

/// Bytes that a value may have.
const LONGEST: u64 = 1 << 20;

/// A value, in the type that its group code gives it.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Value {
    Text(String),
    Real(f64),
    Integer(i64),
}

impl Value {
    pub fn text(&self) -> String {
        match self {
            Value::Text(t) => t.clone(),
            Value::Real(v) => v.to_string(),
            Value::Integer(v) => v.to_string(),
        }
    }

    /// As a number; none where it is no finite one.
    pub fn real(&self) -> Option<f64> {
        match self {
            Value::Text(t) => t.trim().parse().ok(),
            Value::Real(v) => Some(*v),
            Value::Integer(v) => Some(*v as f64),
        }
        .filter(|v| v.is_finite())
    }

    pub fn integer(&self) -> Option<i64> {
        match self {
            Value::Text(t) => t.trim().parse().ok(),
            Value::Real(v) => Some(*v as i64),
            Value::Integer(v) => Some(*v),
        }
    }
}

/// The pairs of a file, in order.
pub(super) struct Pairs {
    path: PathBuf,
    input: BufReader<File>,
    form: Form,
    line: u64,
    encoding: &'static Encoding,
    buffer: Vec<u8>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Form {
    Text,
    /// Group codes of two bytes; of one, before release 13.
    Binary {
        wide: bool,
    },
}

impl Pairs {
    /// Opens a file. Texts are UTF-8 where the bytes allow it, until [`Pairs::set_encoding`] says the code page.
    pub fn open(path: &Path) -> Result<Self, FormatError> {
        let failed = |e| FormatError::read(path, e);
        let mut input = BufReader::with_capacity(1 << 16, File::open(path).map_err(failed)?);
        let mut form = Form::Text;
        if let Some(length) = binary_head(input.fill_buf().map_err(failed)?) {
            input.consume(length);
            // The first pair is 0 and SECTION: behind a code of one byte the S follows at once.
            let wide = input.fill_buf().map_err(failed)?.get(1) == Some(&0);
            form = Form::Binary { wide };
        } else if input.fill_buf().map_err(failed)?.starts_with(b"\xEF\xBB\xBF") {
            input.consume(3);
        }
        let encoding = encoding_rs::WINDOWS_1252;
        Ok(Pairs { path: path.to_path_buf(), input, form, line: 0, encoding, buffer: Vec::new() })
    }

    /// The encoding of texts that are not UTF-8.
    pub fn set_encoding(&mut self, encoding: &'static Encoding) {
        self.encoding = encoding;
    }

    /// The next pair; none at the end of the file.
    pub fn next(&mut self) -> Result<Option<(i32, Value)>, FormatError> {
        match self.form {
            Form::Text => self.next_text(),
            Form::Binary { wide } => self.next_binary(wide),
        }
    }

    fn wrong(&self, problem: String) -> FormatError {
        FormatError::Malformed { path: self.path.clone(), line: self.line, problem }
    }

    /// Reads a line into the buffer, without its end; false at the end of the file.
    fn read_line(&mut self) -> Result<bool, FormatError> {
        self.buffer.clear();
        let n = self
            .input
            .by_ref()
            .take(LONGEST)
            .read_until(b'\n', &mut self.buffer)
            .map_err(|e| FormatError::read(&self.path, e))?;
        self.line += 1;
        if n as u64 == LONGEST {
            return Err(self.wrong(format!("a line of more than {LONGEST} bytes, which no drawing has")));
        }
        while self.buffer.last().is_some_and(|b| matches!(b, b'\n' | b'\r')) {
            self.buffer.pop();
        }
        Ok(n > 0)
    }

    fn next_text(&mut self) -> Result<Option<(i32, Value)>, FormatError> {
        if !self.read_line()? {
            return Ok(None);
        }
        let code = std::str::from_utf8(&self.buffer).ok().and_then(|t| t.trim().parse::<i32>().ok());
        let Some(code) = code else {
            // Blank lines at the very end are no pairs.
            if self.buffer.iter().all(|b| b.is_ascii_whitespace() || *b == 0x1A)
                && self.input.fill_buf().map_err(|e| FormatError::read(&self.path, e))?.is_empty()
            {
                return Ok(None);
            }
            let found = String::from_utf8_lossy(&self.buffer[..self.buffer.len().min(40)]).into_owned();
            return Err(self.wrong(format!("\"{found}\" is no group code; a whole number is expected")));
        };
        if !self.read_line()? {
            return Err(self.wrong("the file was cut behind a group code; get it again".into()));
        }
        Ok(Some((code, Value::Text(self.decoded()))))
    }

    /// The buffer as text.
    fn decoded(&self) -> String {
        match std::str::from_utf8(&self.buffer) {
            Ok(text) => text.to_string(),
            Err(_) => self.encoding.decode_without_bom_handling(&self.buffer).0.into_owned(),
        }
    }

    fn bytes<const N: usize>(&mut self) -> Result<[u8; N], FormatError> {
        let mut out = [0u8; N];
        self.input
            .read_exact(&mut out)
            .map_err(|_| FormatError::broken(&self.path, "the drawing was cut; get it again"))?;
        Ok(out)
    }

    fn next_binary(&mut self, wide: bool) -> Result<Option<(i32, Value)>, FormatError> {
        if self.input.fill_buf().map_err(|e| FormatError::read(&self.path, e))?.is_empty() {
            return Ok(None);
        }
        let code = if wide {
            i32::from(u16::from_le_bytes(self.bytes()?))
        } else {
            match self.bytes::<1>()?[0] {
                255 => i32::from(u16::from_le_bytes(self.bytes()?)),
                code => i32::from(code),
            }
        };
        let value = match code {
            10..=59 | 110..=149 | 210..=239 | 460..=469 | 1010..=1059 => Value::Real(f64::from_le_bytes(self.bytes()?)),
            60..=79 | 170..=179 | 270..=289 | 370..=389 | 400..=409 | 1060..=1070 => {
                Value::Integer(i64::from(i16::from_le_bytes(self.bytes()?)))
            }
            90..=99 | 420..=429 | 440..=459 | 1071 => Value::Integer(i64::from(i32::from_le_bytes(self.bytes()?))),
            160..=169 => Value::Integer(i64::from_le_bytes(self.bytes()?)),
            290..=299 => Value::Integer(i64::from(self.bytes::<1>()?[0])),
            310..=319 | 1004 => {
                let length = self.bytes::<1>()?[0];
                for _ in 0..length {
                    self.bytes::<1>()?;
                }
                Value::Text(String::new())
            }
            _ => {
                self.buffer.clear();
                let n = self
                    .input
                    .by_ref()
                    .take(LONGEST)
                    .read_until(0, &mut self.buffer)
                    .map_err(|e| FormatError::read(&self.path, e))?;
                if self.buffer.pop() != Some(0) {
                    let problem = if n as u64 == LONGEST { "holds a text without an end" } else { "was cut" };
                    return Err(FormatError::broken(&self.path, format!("the drawing {problem}; get it again")));
                }
                Value::Text(self.decoded())
            }
        };
        Ok(Some((code, value)))
    }
}
