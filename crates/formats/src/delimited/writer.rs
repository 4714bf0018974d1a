//! Writes delimited text.

use crate::writer::{ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput, number};
use arrow_array::{Array, Float64Array, Int64Array, StringArray};
use basilocus_table::Batch;
use basilocus_table::batch::{cell_text, spatial_index, text_bytes};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::sync::Arc;

/// A text file: commas in `.csv`, tabs elsewhere. Geometry is in the coordinate columns; a point column is left out.
pub struct DelimitedWriter {
    pending: PendingOutput,
    file: BufWriter<File>,
    delimiter: u8,
    header: Option<Vec<String>>,
}

impl DelimitedWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        let file = File::create(pending.path()).map_err(|e| FormatError::write(pending.target(), e))?;
        let comma = pending.target().extension().is_some_and(|e| e.eq_ignore_ascii_case("csv"));
        Ok(DelimitedWriter {
            pending,
            file: BufWriter::with_capacity(1 << 16, file),
            delimiter: if comma { b',' } else { b'\t' },
            header: None,
        })
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), FormatError> {
        self.file.write_all(bytes).map_err(|e| FormatError::write(self.pending.target(), e))
    }
}

impl Writer for DelimitedWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        let skip = spatial_index(&layer.schema);
        let columns: Vec<usize> = (0..layer.schema.fields().len()).filter(|i| Some(*i) != skip).collect();
        let names: Vec<String> = columns.iter().map(|i| layer.schema.field(*i).name().clone()).collect();
        match &self.header {
            None => {
                let mut line = Vec::new();
                for (i, name) in names.iter().enumerate() {
                    if i > 0 {
                        line.push(self.delimiter);
                    }
                    push_field(&mut line, name.as_bytes(), self.delimiter);
                }
                line.push(b'\n');
                self.put(&line)?;
                self.header = Some(names);
            }
            Some(header) if *header == names => {}
            Some(_) => {
                return Err(FormatError::write(
                    self.pending.target(),
                    format!(
                        "a text file holds one table, and layer {} has other columns than the one before; write .xlsx or .gpkg, or one file a layer",
                        layer.name
                    ),
                ));
            }
        }
        Ok(Arc::new(DelimitedEncoder { delimiter: self.delimiter, columns, styles: layer.styles.clone() }))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        match part {
            Encoded::Bytes(bytes) => self.put(&bytes),
            Encoded::Rows(_) => Ok(()),
        }
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        mut self: Box<Self>,
        _: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        self.file.flush().map_err(|e| FormatError::write(self.pending.target(), e))?;
        Ok((self.pending, Vec::new()))
    }
}

struct DelimitedEncoder {
    delimiter: u8,
    columns: Vec<usize>,
    styles: Vec<ColumnStyle>,
}

/// A column, looked at once before the rows are.
enum Cells<'a> {
    /// Texts none of which needs quotes or is missing: seen in one pass over the column's bytes.
    Plain(&'a [i32], &'a [u8]),
    Text(&'a StringArray),
    Real(&'a Float64Array, Option<usize>),
    Whole(&'a Int64Array),
    Other(&'a arrow_array::ArrayRef),
}

impl Encode for DelimitedEncoder {
    fn encode(&self, batch: &Batch) -> Encoded {
        let cells: Vec<Cells> = self
            .columns
            .iter()
            .map(|c| {
                let array = batch.records().column(*c);
                let any = array.as_any();
                if let Some(a) = any.downcast_ref::<StringArray>() {
                    let bytes = text_bytes(a);
                    let special = memchr::memchr3(self.delimiter, b'"', b'\n', bytes).is_some()
                        || memchr::memchr(b'\r', bytes).is_some();
                    match special || a.null_count() > 0 {
                        true => Cells::Text(a),
                        false => Cells::Plain(a.value_offsets(), a.value_data()),
                    }
                } else if let Some(a) = any.downcast_ref::<Float64Array>() {
                    Cells::Real(a, self.styles.get(*c).and_then(|s| s.digits))
                } else if let Some(a) = any.downcast_ref::<Int64Array>() {
                    Cells::Whole(a)
                } else {
                    Cells::Other(array)
                }
            })
            .collect();
        let mut out = Vec::with_capacity(batch.len() * cells.len() * 12);
        for row in 0..batch.len() {
            for (i, cell) in cells.iter().enumerate() {
                if i > 0 {
                    out.push(self.delimiter);
                }
                match cell {
                    Cells::Plain(offsets, bytes) => {
                        out.extend_from_slice(&bytes[offsets[row] as usize..offsets[row + 1] as usize]);
                    }
                    Cells::Text(a) if a.is_valid(row) => push_field(&mut out, a.value(row).as_bytes(), self.delimiter),
                    Cells::Real(a, Some(digits)) if a.is_valid(row) => {
                        number::push_fixed(&mut out, a.value(row), *digits)
                    }
                    Cells::Real(a, None) if a.is_valid(row) => number::push_shortest(&mut out, a.value(row)),
                    Cells::Whole(a) if a.is_valid(row) => out.extend_from_slice(a.value(row).to_string().as_bytes()),
                    Cells::Other(a) => push_field(&mut out, cell_text(a, row).as_bytes(), self.delimiter),
                    _ => {}
                }
            }
            // A line with one empty field would read back as a blank line.
            if cells.len() == 1 && out.last().is_none_or(|b| *b == b'\n') {
                out.extend_from_slice(b"\"\"");
            }
            out.push(b'\n');
        }
        Encoded::Bytes(out)
    }
}

/// A line of comma-separated text with its end, for small tables beside an output.
///
/// ```
/// assert_eq!(basilocus_formats::delimited::line(["a", "b,c", "d \"e\""]), "a,\"b,c\",\"d \"\"e\"\"\"\n");
/// ```
pub fn line<'a>(fields: impl IntoIterator<Item = &'a str>) -> String {
    let mut out = Vec::new();
    for (i, field) in fields.into_iter().enumerate() {
        if i > 0 {
            out.push(b',');
        }
        push_field(&mut out, field.as_bytes(), b',');
    }
    out.push(b'\n');
    String::from_utf8_lossy(&out).into_owned()
}

/// Appends a field, in quotes where its text needs them.
fn push_field(out: &mut Vec<u8>, field: &[u8], delimiter: u8) {
    let needs_quotes = field.iter().any(|b| *b == delimiter || matches!(b, b'"' | b'\n' | b'\r'));
    if !needs_quotes {
        out.extend_from_slice(field);
        return;
    }
    out.push(b'"');
    for b in field {
        if *b == b'"' {
            out.push(b'"');
        }
        out.push(*b);
    }
    out.push(b'"');
}
