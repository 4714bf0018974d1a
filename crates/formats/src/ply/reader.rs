//! Reads the points of PLY files.

use super::header::{Element, Form, Header, Number, Property};
use crate::reader::{About, Block, Decode, Decoded, PassThrough, Reader};
use crate::{Format, FormatError};
use arrow_array::{ArrayRef, Float64Array, Int64Array, StructArray};
use arrow_buffer::NullBuffer;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_field, point_fields};
use basilocus_table::{Batch, Reason, SetAsideRow};
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes that a header has at most.
const LONGEST_HEADER: u64 = 1 << 20;
/// Points that make a block.
const BLOCK: u64 = 16_384;
/// A line of values is no longer.
const LONGEST_LINE: u64 = 1 << 20;
const NOT_A_POINT: Reason = Reason::new("values of a point that cannot be read");

/// Gives the points of a file.
pub(super) struct PlyReader {
    path: PathBuf,
    about: About,
    header: Header,
    /// Which element holds the points.
    vertex: usize,
    /// Places of x, y and z among its properties.
    position: [Option<usize>; 3],
    schema: SchemaRef,
}

impl PlyReader {
    pub(super) fn open(path: &Path) -> Result<Self, FormatError> {
        let mut head = Vec::new();
        File::open(path)
            .and_then(|f| f.take(LONGEST_HEADER).read_to_end(&mut head))
            .map_err(|e| FormatError::read(path, e))?;
        let header = Header::read(&head).map_err(|(line, problem)| malformed(path, line, problem))?;
        let broken = |problem: String| FormatError::broken(path, problem);
        let vertex = header.elements.iter().position(|e| e.name == "vertex").ok_or_else(|| {
            let names: Vec<&str> = header.elements.iter().map(|e| e.name.as_str()).collect();
            broken(format!("holds no element vertex, but: {}", names.join(", ")))
        })?;
        let properties = &header.elements[vertex].properties;
        let place = |name: &str| properties.iter().position(|p| p.name.eq_ignore_ascii_case(name) && p.list.is_none());
        let position = [place("x"), place("y"), place("z")];
        let [Some(x), Some(y), z] = position else {
            let names: Vec<&str> = properties.iter().map(|p| p.name.as_str()).collect();
            return Err(broken(format!("its points have no x and y, but: {}", names.join(", "))));
        };
        let mut notes = vec![format!("{} points", header.elements[vertex].count)];
        notes.extend(header.comments.iter().filter(|c| !c.is_empty()).map(|c| format!("comment: {c}")));
        for other in header.elements.iter().filter(|e| e.name != "vertex" && e.count > 0) {
            notes.push(format!("{} of element {} are not read: points alone are", other.count, other.name));
        }
        let lists: Vec<&str> = properties.iter().filter(|p| p.list.is_some()).map(|p| p.name.as_str()).collect();
        if !lists.is_empty() {
            notes.push(format!("lists of points are not read: {}", lists.join(", ")));
        }
        let mut fields: Vec<Field> = kept(properties, position)
            .map(|at| {
                let is_whole = properties[at].number.is_whole();
                Field::new(&properties[at].name, if is_whole { DataType::Int64 } else { DataType::Float64 }, true)
            })
            .collect();
        fields.push(point_field(None, z.is_some()));
        // What a text says, it says with all its digits.
        let is_short = header.form != Form::Text && [x, y].iter().any(|at| properties[*at].number == Number::F32);
        let mut reader = PlyReader {
            path: path.to_path_buf(),
            about: About { typed: true, ..About::of(path, Format::Ply)? },
            header,
            vertex,
            position,
            schema: Arc::new(Schema::new(fields)),
        };
        if is_short {
            notes.extend(reader.step_of_floats()?);
        }
        reader.about.notes = notes;
        Ok(reader)
    }

    /// What floats of 32 bits make of large coordinates, by the first points.
    fn step_of_floats(&mut self) -> Result<Option<String>, FormatError> {
        let mut largest = 0f32;
        self.each_block(&mut |rows, _| {
            for point in &rows.points {
                largest = largest.max(point[0].abs() as f32).max(point[1].abs() as f32);
            }
            false
        })?;
        let step = f32::from_bits(largest.to_bits() + 1) - largest;
        Ok((largest.is_finite() && step >= 1e-4).then(|| {
            format!(
                "positions are floats of 32 bits: numbers such as {largest} are rounded to steps of {step}; ask for the points in 64 bits, or with the offset that was taken off them"
            )
        }))
    }

    fn element(&self) -> &Element {
        &self.header.elements[self.vertex]
    }

    fn read_failed(&self, e: std::io::Error, point: u64) -> FormatError {
        if e.kind() == std::io::ErrorKind::UnexpectedEof {
            return FormatError::broken(
                &self.path,
                format!("ends in point {} of {}; get it again", point, self.element().count),
            );
        }
        FormatError::read(&self.path, e)
    }

    /// Gives the points by blocks, with the bytes that were read.
    fn each_block(&self, sink: &mut dyn FnMut(Rows, u64) -> bool) -> Result<(), FormatError> {
        let mut input =
            BufReader::with_capacity(1 << 18, File::open(&self.path).map_err(|e| FormatError::read(&self.path, e))?);
        input.seek(SeekFrom::Start(self.header.bytes as u64)).map_err(|e| FormatError::read(&self.path, e))?;
        let mut source = Source { input, form: self.header.form, line: self.header.lines, bytes: 0, row: Vec::new() };
        for before in &self.header.elements[..self.vertex] {
            source.pass(before).map_err(|e| self.read_failed(e, 0))?;
        }
        let element = self.element();
        let kept: Vec<usize> = kept(&element.properties, self.position).collect();
        let mut rows = Rows::new(kept.len());
        for point in 0..element.count {
            match source.next(element).map_err(|e| self.read_failed(e, point + 1))? {
                Ok(()) => {
                    let at = |place: Option<usize>| place.map_or(f64::NAN, |place| source.row[place]);
                    rows.points.push(self.position.map(at));
                    for (values, place) in rows.values.iter_mut().zip(&kept) {
                        values.push(source.row[*place]);
                    }
                    rows.numbers.push(source.row_number(point));
                }
                Err((problem, values)) => rows.set_aside.push(SetAsideRow {
                    source_row: source.row_number(point),
                    class: NOT_A_POINT,
                    reason: problem,
                    values: values.split_ascii_whitespace().map(String::from).collect(),
                }),
            }
            let is_full = (rows.numbers.len() + rows.set_aside.len()) as u64 >= BLOCK;
            if is_full || point + 1 == element.count {
                let full = std::mem::replace(&mut rows, Rows::new(kept.len()));
                if !sink(full, std::mem::take(&mut source.bytes)) {
                    return Ok(());
                }
            }
        }
        // A count that is too small would lose points without a word.
        let is_last = self.header.elements[self.vertex + 1..].iter().all(|e| e.count == 0);
        if is_last && source.has_more().map_err(|e| FormatError::read(&self.path, e))? {
            return Err(FormatError::broken(
                &self.path,
                format!("says that it has {} points, and has more; mend the count in its header", element.count),
            ));
        }
        Ok(())
    }
}

impl Reader for PlyReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema.clone()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let mut outcome = Ok(());
        self.each_block(&mut |rows, bytes| match rows.batch(&self.schema, self.position[2].is_some()) {
            Ok((batch, set_aside)) => sink(Block::Rows(Decoded { batch, set_aside, bytes })),
            Err(e) => {
                outcome = Err(e);
                false
            }
        })?;
        outcome
    }
}

fn malformed(path: &Path, line: u64, problem: String) -> FormatError {
    FormatError::Malformed { path: path.to_path_buf(), line, problem }
}

/// Properties that become columns: all but the position and lists.
fn kept(properties: &[Property], position: [Option<usize>; 3]) -> impl Iterator<Item = usize> {
    (0..properties.len()).filter(move |at| !position.contains(&Some(*at)) && properties[*at].list.is_none())
}

/// The points of a block.
struct Rows {
    points: Vec<[f64; 3]>,
    values: Vec<Vec<f64>>,
    numbers: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
}

impl Rows {
    fn new(columns: usize) -> Self {
        Rows { points: Vec::new(), values: vec![Vec::new(); columns], numbers: Vec::new(), set_aside: Vec::new() }
    }

    fn batch(self, schema: &SchemaRef, with_heights: bool) -> Result<(Batch, Vec<SetAsideRow>), FormatError> {
        let mut columns: Vec<ArrayRef> = Vec::with_capacity(self.values.len() + 1);
        for (values, field) in self.values.into_iter().zip(schema.fields()) {
            columns.push(match field.data_type() {
                DataType::Int64 => Arc::new(Int64Array::from_iter_values(values.into_iter().map(|v| v as i64))),
                _ => Arc::new(Float64Array::from_iter(values.into_iter().map(|v| Some(v).filter(|v| v.is_finite())))),
            });
        }
        let axis =
            |at: usize| -> ArrayRef { Arc::new(Float64Array::from_iter_values(self.points.iter().map(|p| p[at]))) };
        let axes = (0..if with_heights { 3 } else { 2 }).map(axis).collect();
        // Scanners write points without an echo as no number.
        let places = NullBuffer::from_iter(self.points.iter().map(|p| p[0].is_finite() && p[1].is_finite()));
        let places = Some(places).filter(|p| p.null_count() > 0);
        columns.push(Arc::new(StructArray::new(point_fields(with_heights), axes, places)));
        Ok((Batch::new(schema.clone(), columns, self.numbers)?, self.set_aside))
    }
}

/// A file behind its header.
struct Source {
    input: BufReader<File>,
    form: Form,
    /// The line that was read last, of a text.
    line: u64,
    /// Bytes that were read.
    bytes: u64,
    /// Values of the point that was read last; of a list its length.
    row: Vec<f64>,
}

/// Why a line of a text cannot be read, with the line.
type Unread = (String, String);

impl Source {
    /// The number of a point as a person counts it: its line, or which one it is.
    fn row_number(&self, point: u64) -> u64 {
        if self.form == Form::Text { self.line } else { point + 1 }
    }

    /// Whether anything is left but blanks.
    fn has_more(&mut self) -> std::io::Result<bool> {
        let mut rest = Vec::new();
        self.input.by_ref().take(LONGEST_LINE).read_to_end(&mut rest)?;
        Ok(if self.form == Form::Text { !rest.trim_ascii().is_empty() } else { !rest.is_empty() })
    }

    /// Passes all of an element.
    fn pass(&mut self, element: &Element) -> std::io::Result<()> {
        // What has no values takes no room, however many there are said to be.
        if element.properties.is_empty() {
            return Ok(());
        }
        for _ in 0..element.count {
            // Whatever stands in a line of another element, it is a line.
            let _ = self.next(element)?;
        }
        Ok(())
    }

    /// Reads the next one of an element.
    fn next(&mut self, element: &Element) -> std::io::Result<Result<(), Unread>> {
        self.row.clear();
        if self.form == Form::Text {
            return self.next_line(element);
        }
        for property in &element.properties {
            let Some(length) = property.list else {
                let value = self.number(property.number)?;
                self.row.push(value);
                continue;
            };
            let count = self.number(length)?;
            let bytes = count.max(0.0) as u64 * property.number.bytes() as u64;
            let passed = std::io::copy(&mut self.input.by_ref().take(bytes), &mut std::io::sink())?;
            if passed < bytes {
                return Err(std::io::ErrorKind::UnexpectedEof.into());
            }
            self.bytes += bytes;
            self.row.push(count);
        }
        Ok(Ok(()))
    }

    fn number(&mut self, number: Number) -> std::io::Result<f64> {
        let mut bytes = [0u8; 8];
        let bytes = &mut bytes[..number.bytes()];
        self.input.read_exact(bytes)?;
        self.bytes += bytes.len() as u64;
        Ok(number.read(bytes, self.form))
    }

    /// Reads a line of text that is not blank.
    fn next_line(&mut self, element: &Element) -> std::io::Result<Result<(), Unread>> {
        let mut line = Vec::new();
        loop {
            line.clear();
            let n = self.input.by_ref().take(LONGEST_LINE).read_until(b'\n', &mut line)?;
            if n == 0 {
                return Err(std::io::ErrorKind::UnexpectedEof.into());
            }
            self.bytes += n as u64;
            self.line += 1;
            if !line.trim_ascii().is_empty() {
                break;
            }
        }
        let text = String::from_utf8_lossy(line.trim_ascii());
        let mut words = text.split_ascii_whitespace();
        let values = element.properties.iter().try_for_each(|property| {
            let short =
                || format!("{} values are expected; the property {} has none", element.properties.len(), property.name);
            let word = words.next().ok_or_else(short)?;
            let number = if property.list.is_some() { property.list.unwrap_or(Number::U8) } else { property.number };
            let value = value_of(word, number).ok_or_else(|| {
                format!(
                    "{}: \"{word}\" is no {}",
                    property.name,
                    if number.is_whole() { "whole number" } else { "number" }
                )
            })?;
            if property.list.is_some() {
                (0..value as u64).try_for_each(|_| words.next().map(|_| ()).ok_or_else(short))?;
            }
            self.row.push(value);
            Ok(())
        });
        let more = |()| match words.next() {
            Some(more) => {
                Err(format!("\"{more}\" is one value more than the {} that are expected", element.properties.len()))
            }
            None => Ok(()),
        };
        Ok(values.and_then(more).map_err(|problem| (problem, text.to_string())))
    }
}

/// A value as text. Whole numbers are often written with a point.
fn value_of(word: &str, number: Number) -> Option<f64> {
    let value: f64 = word.parse().ok()?;
    (!number.is_whole() || value.fract() == 0.0).then_some(value)
}
