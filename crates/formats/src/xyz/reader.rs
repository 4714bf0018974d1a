//! Blocks of whole lines, taken apart on any thread.

use super::{fields, is_remark};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, Reader};
use crate::{Format, FormatError};
use arrow_array::ArrayRef;
use arrow_array::builder::StringBuilder;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::{Batch, SetAsideRow};
use std::borrow::Cow;
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Arc;

const BLOCK: usize = 512 * 1024;

/// An XYZ text.
pub struct XyzReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    /// Lines before the points.
    skip: u64,
}

impl XyzReader {
    /// Opens a text and finds its width and the names of its columns.
    ///
    /// # Errors
    /// Where it cannot be read or holds no line of numbers.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let mut head = Vec::new();
        File::open(path)
            .and_then(|f| f.take(256 * 1024).read_to_end(&mut head))
            .map_err(|e| FormatError::read(path, e))?;
        let text = String::from_utf8_lossy(&head);
        let text = text.trim_start_matches('\u{feff}');
        let mut skip = options.skip_lines.unwrap_or(0);
        let mut names: Option<Vec<String>> = None;
        let mut header_row = None;
        let mut width = None;
        for (i, line) in text.lines().enumerate().skip(skip as usize) {
            if line.trim().is_empty() || is_remark(line) {
                continue;
            }
            let list: Vec<&str> = fields(line).collect();
            let is_header = match options.header_row {
                Some(row) => row == i as u64 + 1,
                None => names.is_none() && list.iter().any(|f| f.parse::<f64>().is_err()),
            };
            if !is_header {
                width = Some(list.len());
                break;
            }
            names = Some(list.iter().map(|f| f.to_string()).collect());
            header_row = Some(i as u64 + 1);
            skip = i as u64 + 1;
        }
        let width = width.ok_or_else(|| FormatError::Empty {
            path: path.to_path_buf(),
            what: "the file holds no line of numbers; a point a line is expected, such as 7366633.86 940706.86 12.4",
        })?;
        let mut notes = vec![format!("{width} numbers a line, parted by any of blanks, tabs, commas and semicolons")];
        let names = match names.filter(|n| n.len() == width) {
            Some(names) => crate::delimited::unique_names(&names, &mut notes),
            None => {
                let usual = ["x", "y", "z"].map(String::from).into_iter();
                usual.chain((4..).map(|i| format!("column_{i}"))).take(width).collect()
            }
        };
        let schema =
            Arc::new(Schema::new(names.iter().map(|n| Field::new(n, DataType::Utf8, true)).collect::<Vec<_>>()));
        let about = About { header_row, notes, ..About::of(path, Format::Xyz)? };
        Ok(XyzReader { path: path.to_path_buf(), about, schema, skip })
    }
}

impl Reader for XyzReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(XyzDecoder { schema: self.schema.clone(), skip: self.skip })
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let failed = |e| FormatError::read(&self.path, e);
        let mut input = File::open(&self.path).map_err(failed)?;
        let mut line = 1;
        let mut rest: Vec<u8> = Vec::new();
        loop {
            let mut bytes = std::mem::take(&mut rest);
            let n = input.by_ref().take(BLOCK as u64).read_to_end(&mut bytes).map_err(failed)?;
            let end = n < BLOCK;
            if end {
                // Blank lines at the very end are no rows.
                while bytes.last().is_some_and(|b| b.is_ascii_whitespace() || *b == 0x1A) {
                    bytes.pop();
                }
            } else {
                let Some(cut) = memchr::memrchr(b'\n', &bytes) else {
                    if bytes.len() > BLOCK * 32 {
                        return Err(FormatError::Malformed {
                            path: self.path.clone(),
                            line,
                            problem: "the line has no end; a point a line is expected".into(),
                        });
                    }
                    rest = bytes;
                    continue;
                };
                rest = bytes.split_off(cut + 1);
            }
            let lines = memchr::memchr_iter(b'\n', &bytes).count() as u64;
            if !bytes.is_empty() && !sink(Block::Raw { bytes, first: line }) || end {
                return Ok(());
            }
            line += lines;
        }
    }
}

struct XyzDecoder {
    schema: SchemaRef,
    skip: u64,
}

impl Decode for XyzDecoder {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let (bytes, first_line) = match block {
            Block::Raw { bytes, first } => (bytes, first),
            Block::Rows(decoded) => return Ok(decoded),
        };
        let width = self.schema.fields().len();
        let mut columns: Vec<StringBuilder> =
            (0..width).map(|_| StringBuilder::with_capacity(bytes.len() / 24, bytes.len() / width.max(1))).collect();
        let (mut source_rows, mut set_aside) = (Vec::new(), Vec::new());
        // Whole text is known faster than text with foreign bytes.
        let text = std::str::from_utf8(&bytes).map_or_else(|_| String::from_utf8_lossy(&bytes), Cow::Borrowed);
        let mut found: Vec<&str> = Vec::with_capacity(width);
        // Behind the last line end there is no line.
        let lines = text.strip_suffix('\n').unwrap_or(&text);
        let mut ends = memchr::memchr_iter(b'\n', lines.as_bytes()).chain([lines.len()]);
        let mut begin = 0;
        for number in first_line.. {
            let Some(end) = ends.next() else { break };
            let line = lines[std::mem::replace(&mut begin, end + 1)..end].trim_start_matches('\u{feff}');
            // What begins with a figure or a sign is no remark.
            let is_plain = line.bytes().next().is_some_and(|b| b.is_ascii_digit() || b == b'-');
            if number <= self.skip || !is_plain && is_remark(line) {
                continue;
            }
            found.clear();
            found.extend(fields(line));
            if found.len() == width {
                columns.iter_mut().zip(&found).for_each(|(c, f)| c.append_value(f));
                source_rows.push(number);
                continue;
            }
            let (class, reason) = if found.is_empty() {
                ("blank row", "blank row".to_string())
            } else {
                ("ragged row", format!("ragged row: {} numbers where {width} are expected", found.len()))
            };
            let mut values: Vec<String> = found.iter().map(|f| f.to_string()).collect();
            if values.len() > width {
                // What has no column stays with the last one.
                let more = values.split_off(width - 1).join(" ");
                values.push(more);
            }
            values.resize(width, String::new());
            set_aside.push(SetAsideRow { source_row: number, class: class.into(), reason, values });
        }
        let arrays: Vec<ArrayRef> = columns.iter_mut().map(|c| Arc::new(c.finish()) as ArrayRef).collect();
        let batch = Batch::new(self.schema.clone(), arrays, source_rows)?;
        Ok(Decoded { batch, set_aside, bytes: bytes.len() as u64 })
    }
}
