//! Blocks of text to columns.

use super::fields::{self, Fields};
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
        let mut rows = Rows::new(self, bytes.len(), broken.is_some());
        let take = |line: u64, fields: Fields| rows.take(line, fields);
        if broken.is_none() && fields::is_plain(&bytes) {
            fields::cut(&bytes, self.delimiter, first_line, take);
        } else {
            fields::cut_by_bytes(&bytes, self.delimiter, first_line, take);
        }
        let Rows { columns, source_rows, set_aside, .. } = rows;
        let failed = |e: arrow_schema::ArrowError| FormatError::broken(&self.path, e);
        let mut arrays: Vec<ArrayRef> = Vec::with_capacity(columns.len());
        for c in columns {
            let offsets = OffsetBuffer::new(ScalarBuffer::from(c.offsets));
            arrays.push(Arc::new(StringArray::try_new(offsets, Buffer::from_vec(c.bytes), None).map_err(failed)?));
        }
        let batch = Batch::new(self.schema.clone(), arrays, source_rows)?;
        Ok(Decoded { batch, set_aside, bytes: bytes.len() as u64 })
    }
}

/// Rows under construction.
struct Rows<'a> {
    decoder: &'a DelimitedDecoder,
    /// Whether bytes of the block are no UTF-8.
    is_broken: bool,
    columns: Vec<Column>,
    source_rows: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
}

impl<'a> Rows<'a> {
    fn new(decoder: &'a DelimitedDecoder, bytes: usize, is_broken: bool) -> Self {
        let width = decoder.schema.fields().len();
        // A guess from the length of the block keeps the vectors from growing many times.
        let rows_guess = bytes / (width * 6).max(8) + 4;
        let column = || {
            let mut offsets = Vec::with_capacity(rows_guess);
            offsets.push(0);
            Column { bytes: Vec::with_capacity(bytes / width.max(1)), offsets }
        };
        let columns = (0..width).map(|_| column()).collect();
        Rows { decoder, is_broken, columns, source_rows: Vec::with_capacity(rows_guess), set_aside: Vec::new() }
    }

    fn take(&mut self, line: u64, fields: Fields) {
        let width = self.columns.len();
        if fields.len() == 0 {
            return self.set_blank_aside(line);
        }
        if self.is_broken
            && let Some(row) = self.decoder.with_bad_byte(line, fields)
        {
            return self.set_aside.push(row);
        }
        let is_short = fields.len() < width && self.decoder.fill_short_rows;
        if fields.len() != width && !is_short {
            return self.set_aside.push(self.decoder.ragged(line, fields));
        }
        let mut is_blank = true;
        let missing = std::iter::repeat_n(&b""[..], width - fields.len());
        for (column, field) in self.columns.iter_mut().zip(fields.iter().chain(missing)) {
            is_blank = is_blank && field.iter().all(u8::is_ascii_whitespace);
            column.bytes.extend_from_slice(field);
            column.offsets.push(column.bytes.len() as i32);
        }
        if !is_blank {
            return self.source_rows.push(line);
        }
        for column in &mut self.columns {
            column.offsets.pop();
            column.bytes.truncate(column.offsets.last().map_or(0, |o| *o as usize));
        }
        self.set_blank_aside(line);
    }

    fn set_blank_aside(&mut self, line: u64) {
        self.set_aside.push(SetAsideRow {
            source_row: line,
            class: Reason::BLANK_ROW,
            reason: "blank row".into(),
            values: vec![String::new(); self.columns.len()],
        });
    }
}

impl DelimitedDecoder {
    /// The row, where a cell of it has a byte that is no UTF-8.
    fn with_bad_byte(&self, line: u64, fields: Fields) -> Option<SetAsideRow> {
        let (at, good, byte) = fields.iter().enumerate().find_map(|(at, cell)| {
            let good = std::str::from_utf8(cell).err()?.valid_up_to();
            Some((at, String::from_utf8_lossy(&cell[..good]).into_owned(), cell[good]))
        })?;
        let column = self.schema.fields().get(at).map_or(String::new(), |f| f.name().clone());
        Some(SetAsideRow {
            class: "not in the encoding".into(),
            reason: format!(
                "column \"{column}\": behind \"{good}\" stands the byte 0x{byte:02X}, which is no UTF-8 as the rest of the file is; correct it, or say the encoding of the whole file with `encoding`"
            ),
            ..self.ragged(line, fields)
        })
    }

    fn ragged(&self, line: u64, fields: Fields) -> SetAsideRow {
        let width = self.schema.fields().len();
        let mut values: Vec<String> = fields.iter().map(|f| String::from_utf8_lossy(f).into_owned()).collect();
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
