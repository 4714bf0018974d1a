//! Blocks of text to columns.

use crate::FormatError;
use crate::reader::{Block, Decode, Decoded};
use arrow_array::{ArrayRef, StringArray};
use arrow_buffer::{Buffer, OffsetBuffer, ScalarBuffer};
use arrow_schema::SchemaRef;
use basilocus_table::{Batch, Reason, SetAsideRow};
use std::path::PathBuf;
use std::sync::Arc;

pub(super) struct DelimitedDecoder {
    pub path: PathBuf,
    pub schema: SchemaRef,
    pub delimiter: u8,
    /// Whether the file is known to be in UTF-8, so that a byte that is none of it is a fault of its cell.
    pub is_utf8: bool,
    /// Whether fields that are missing at the end of a row are empty.
    pub fill_short_rows: bool,
}

/// A text column under construction.
struct Column {
    bytes: Vec<u8>,
    offsets: Vec<i32>,
}

impl Decode for DelimitedDecoder {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let (bytes, first_line) = match block {
            Block::Raw { bytes, first } => (bytes, first),
            Block::Rows(decoded) => return Ok(decoded),
        };
        let broken = std::str::from_utf8(&bytes).err();
        if let Some(e) = broken.filter(|_| !self.is_utf8) {
            let line = first_line + memchr::memchr_iter(b'\n', &bytes[..e.valid_up_to()]).count() as u64;
            return Err(FormatError::Malformed {
                path: self.path.clone(),
                line,
                problem: format!(
                    "byte 0x{:02X} is not UTF-8, as the file was until here; say its encoding, such as `encoding` windows-1252",
                    bytes[e.valid_up_to()]
                ),
            });
        }
        let width = self.schema.fields().len();
        // A guess from the first record's length keeps the vectors from growing many times.
        let rows_guess = bytes.len() / (width * 6).max(8) + 4;
        let mut columns: Vec<Column> = (0..width)
            .map(|_| Column {
                bytes: Vec::with_capacity(bytes.len() / width.max(1)),
                offsets: Vec::with_capacity(rows_guess),
            })
            .collect();
        columns.iter_mut().for_each(|c| c.offsets.push(0));
        let mut source_rows = Vec::with_capacity(rows_guess);
        let mut set_aside = Vec::new();
        let mut reader = csv_core::ReaderBuilder::new().delimiter(self.delimiter).build();
        // One spare byte a field: the parser wants room even where nothing is left to write.
        let mut fields = vec![0u8; 4096];
        let mut ends = vec![0usize; width + 16];
        let (mut at, mut line) = (0, first_line);
        // Only quoted fields hold line ends, so that most blocks need no counting.
        let has_quotes = memchr::memchr(b'"', &bytes).is_some();
        loop {
            // Blank lines are rows without anything; the parser would pass over them in silence.
            while at < bytes.len() {
                let length = match bytes[at..] {
                    [b'\n', ..] => 1,
                    [b'\r', b'\n', ..] => 2,
                    _ => break,
                };
                set_aside.push(SetAsideRow {
                    source_row: line,
                    class: Reason::BLANK_ROW,
                    reason: "blank row".into(),
                    values: vec![String::new(); width],
                });
                at += length;
                line += 1;
            }
            if at >= bytes.len() {
                break;
            }
            let start = at;
            let (mut filled, mut ended) = (0, 0);
            let complete = loop {
                let (result, read, wrote, fields_ended) =
                    reader.read_record(&bytes[at..], &mut fields[filled..], &mut ends[ended..]);
                at += read;
                filled += wrote;
                ended += fields_ended;
                match result {
                    csv_core::ReadRecordResult::Record => break true,
                    csv_core::ReadRecordResult::End => break false,
                    csv_core::ReadRecordResult::OutputFull => fields.resize(fields.len() * 2, 0),
                    csv_core::ReadRecordResult::OutputEndsFull => ends.resize(ends.len() * 2, 0),
                    csv_core::ReadRecordResult::InputEmpty => {}
                }
            };
            if !complete {
                break;
            }
            // The parser ends a record at \r and passes over the \n with the next one: it belongs to this line.
            if at < bytes.len() && bytes[at] == b'\n' && bytes[at - 1] == b'\r' {
                at += 1;
                reader.reset();
            }
            let row_line = line;
            line += if has_quotes {
                memchr::memchr_iter(b'\n', &bytes[start..at]).count() as u64
            } else {
                u64::from(bytes[at - 1] == b'\n')
            };
            let texts = &fields[..filled];
            if broken.is_some()
                && let Some(row) = self.with_bad_byte(row_line, texts, &ends[..ended], width)
            {
                set_aside.push(row);
                continue;
            }
            if self.fill_short_rows && ended < width {
                ends.resize(ends.len().max(width), 0);
                ends[ended..width].fill(filled);
                ended = width;
            }
            if ended != width {
                set_aside.push(self.ragged(row_line, texts, &ends[..ended], width));
                continue;
            }
            let mut from = 0;
            let mut blank = true;
            for (column, end) in columns.iter_mut().zip(&ends[..ended]) {
                let field = &texts[from..*end];
                blank &= field.iter().all(u8::is_ascii_whitespace);
                column.bytes.extend_from_slice(field);
                column.offsets.push(column.bytes.len() as i32);
                from = *end;
            }
            if blank {
                for column in &mut columns {
                    column.offsets.pop();
                    column.bytes.truncate(column.offsets.last().map_or(0, |o| *o as usize));
                }
                set_aside.push(SetAsideRow {
                    source_row: row_line,
                    class: Reason::BLANK_ROW,
                    reason: "blank row".into(),
                    values: vec![String::new(); width],
                });
            } else {
                source_rows.push(row_line);
            }
        }
        let failed = |e: arrow_schema::ArrowError| FormatError::broken(&self.path, e);
        let mut arrays: Vec<ArrayRef> = Vec::with_capacity(width);
        for c in columns {
            let offsets = OffsetBuffer::new(ScalarBuffer::from(c.offsets));
            arrays.push(Arc::new(StringArray::try_new(offsets, Buffer::from_vec(c.bytes), None).map_err(failed)?));
        }
        let batch = Batch::new(self.schema.clone(), arrays, source_rows)?;
        Ok(Decoded { batch, set_aside, bytes: bytes.len() as u64 })
    }
}

impl DelimitedDecoder {
    /// The row, where a cell of it has a byte that is no UTF-8.
    fn with_bad_byte(&self, line: u64, texts: &[u8], ends: &[usize], width: usize) -> Option<SetAsideRow> {
        let starts = std::iter::once(0).chain(ends.iter().copied());
        let cells = starts.zip(ends).map(|(from, to)| &texts[from..*to]);
        let (at, good, byte) = cells.enumerate().find_map(|(at, cell)| {
            let good = std::str::from_utf8(cell).err()?.valid_up_to();
            Some((at, String::from_utf8_lossy(&cell[..good]).into_owned(), cell[good]))
        })?;
        let column = self.schema.fields().get(at).map_or(String::new(), |f| f.name().clone());
        Some(SetAsideRow {
            class: "not in the encoding".into(),
            reason: format!(
                "column \"{column}\": behind \"{good}\" stands the byte 0x{byte:02X}, which is no UTF-8 as the rest of the file is; correct it, or say the encoding of the whole file with `encoding`"
            ),
            ..self.ragged(line, texts, ends, width)
        })
    }

    fn ragged(&self, line: u64, texts: &[u8], ends: &[usize], width: usize) -> SetAsideRow {
        let mut from = 0;
        let mut values: Vec<String> = ends
            .iter()
            .map(|end| {
                let text = String::from_utf8_lossy(&texts[from..*end]).into_owned();
                from = *end;
                text
            })
            .collect();
        let found = values.len();
        if found > width {
            // Nothing of the row is lost: what has no column stays with the last one.
            let rest = values.split_off(width.saturating_sub(1)).join(&char::from(self.delimiter).to_string());
            values.push(rest);
        }
        values.resize(width, String::new());
        let hint = if found > width {
            "a delimiter inside a field must be quoted"
        } else {
            "a field is missing; `fill_short_rows` takes those at the end as empty"
        };
        SetAsideRow {
            source_row: line,
            class: Reason::RAGGED_ROW,
            reason: format!("ragged row: {found} fields where the header has {width}; {hint}"),
            values,
        }
    }
}
