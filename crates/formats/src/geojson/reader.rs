//! Reads features: of points alone as points, of any other geometry as what they are.

use super::Form;
use super::feature::{Feature, NESTED, Scalar};
use super::geometry;
use super::pieces::{self, Features};
use super::rows::{Builder, Columns, Row, cell};
use super::scan::Kinds;
use super::scanner::Scanner;
use super::survey::{Span, Survey, survey};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, Reader};
use crate::{Format, FormatError};
use arrow_array::ArrayRef;
use arrow_array::builder::BinaryBuilder;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_array, point_field};
use basilocus_table::geometry::{Geometry, geometry_field, wkb};
use basilocus_table::moment::field_of;
use basilocus_table::{Batch, SetAsideRow};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A GeoJSON file.
pub struct GeoJsonReader {
    path: PathBuf,
    about: About,
    layout: Arc<Layout>,
    /// Where in the file the features stand.
    spans: Vec<Span>,
}

/// What the features have in common.
struct Layout {
    schema: SchemaRef,
    columns: Columns,
    with_z: bool,
    /// Whether there are other geometries than points.
    any_shape: bool,
    /// What stands between the features of a sequence.
    sequence: Option<u8>,
}

impl GeoJsonReader {
    /// Opens a file and goes through it once, for the columns and their types.
    ///
    /// # Errors
    /// Where the file cannot be read, is no valid JSON, or is no feature collection.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let sequence = super::separator(path);
        let (collection, found) = survey(path, sequence)?;
        let Survey { names, kinds, with_z, any_shape, features, nested, lists, spans, broken } = found;
        if !collection.saw_features {
            return Err(FormatError::NotRecognised {
                path: path.to_path_buf(),
                problem: format!("is JSON of type \"{}\"; a GeoJSON FeatureCollection is expected", collection.kind),
            });
        }
        if let (0, Some(problem)) = (features, broken) {
            let problem = format!("no feature of the collection can be read; of the first, {problem}");
            return Err(FormatError::broken(path, problem));
        }
        let mut notes = Vec::new();
        let mut crs = "EPSG:4326".to_string();
        if let Some(member) = &collection.crs {
            let taken = system_of(member);
            notes.push(match &taken {
                Some(code) => format!(
                    "the file has a \"crs\" member, which RFC 7946 took out: positions are read in its system, {code}; say `from` if they are in another"
                ),
                None => "the file has a \"crs\" member that names no system of the EPSG registry: positions are read as WGS 84; say `from` if they are not".into(),
            });
            crs = taken.unwrap_or(crs);
        }
        let mut fields_seen = Vec::new();
        // Where an object is null in some rows and is none in others, there is nothing but what is in it.
        let is_in = |name: &str, other: &str| other.strip_prefix(name).is_some_and(|rest| rest.starts_with(NESTED));
        let is_empty = |name: &str, kinds: Kinds| kinds.is_empty() && nested.iter().any(|n| is_in(name, n));
        let columns: Vec<(String, DataType)> = names
            .list
            .into_iter()
            .zip(kinds)
            .filter(|(name, kinds)| !is_empty(name, *kinds))
            .map(|(name, kinds)| {
                let mut unique = name.clone();
                while unique == basilocus_table::POINT_COLUMN || fields_seen.contains(&unique) {
                    unique.push('_');
                }
                fields_seen.push(unique);
                (name, kinds.data_type())
            })
            .collect();
        let mut fields: Vec<Field> = columns
            .iter()
            .zip(&fields_seen)
            .map(|((own, t), name)| {
                let field = field_of(Field::new(name, DataType::Utf8, true), t);
                match (nested.contains(own), lists.contains(own)) {
                    (true, _) => field.with_metadata(Form::Nested.metadata()),
                    (_, true) => field.with_metadata(Form::List.metadata()),
                    _ => field,
                }
            })
            .collect();
        fields.push(if any_shape { geometry_field(Some(&crs)) } else { point_field(Some(&crs), with_z) });
        let about = About { crs: Some(crs), notes, typed: true, ..About::of(path, Format::GeoJson)? };
        let (path, schema) = (path.to_path_buf(), Arc::new(Schema::new(fields)));
        let layout = Layout { schema, columns: Columns::new(columns), with_z, any_shape, sequence };
        Ok(GeoJsonReader { path, about, layout: Arc::new(layout), spans })
    }
}

/// The system that the older member names: `EPSG:2269`, `urn:ogc:def:crs:EPSG::2269`, `urn:ogc:def:crs:OGC:1.3:CRS84`.
fn system_of(member: &serde_json::Value) -> Option<String> {
    let name = member.get("properties")?.get("name")?.as_str()?;
    let last = name.rsplit(':').next()?;
    if last == "CRS84" {
        return Some("EPSG:4326".into());
    }
    let code: u32 = last.parse().ok()?;
    name.to_ascii_uppercase().contains("EPSG").then(|| format!("EPSG:{code}"))
}

/// A feature of its text; the reason in words where it is none.
pub(super) fn parse(text: &[u8], sequence: bool) -> Result<Feature<'_>, String> {
    // Looking at all bytes once is faster than at each string for itself.
    let text =
        std::str::from_utf8(text).map_err(|e| format!("the text is no UTF-8 after {} bytes", e.valid_up_to()))?;
    match serde_json::from_str::<Feature>(text) {
        Ok(f) if sequence && f.kind.as_deref() != Some("Feature") => {
            Err(format!("the line is JSON of type \"{}\"; a Feature is expected", f.kind.as_deref().unwrap_or("")))
        }
        Ok(f) => Ok(f),
        Err(e) if sequence => Err(format!("the line is not valid JSON: {e}")),
        Err(e) => Err(format!("the feature is not valid: {e}")),
    }
}

/// The rows of a block while they are read.
struct Rows {
    columns: Vec<Builder>,
    points: [Vec<f64>; 3],
    shapes: BinaryBuilder,
    source_rows: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
}

impl Layout {
    fn rows(&self) -> Rows {
        Rows {
            columns: self.columns.builders(),
            points: Default::default(),
            shapes: BinaryBuilder::new(),
            source_rows: Vec::new(),
            set_aside: Vec::new(),
        }
    }

    fn finish(&self, rows: Rows, bytes: u64) -> Result<Decoded, FormatError> {
        let Rows { columns, points: [x, y, z], mut shapes, source_rows, set_aside } = rows;
        let mut arrays: Vec<ArrayRef> = columns.into_iter().map(Builder::finish).collect();
        arrays.push(if self.any_shape {
            Arc::new(shapes.finish())
        } else {
            point_array(x, y, self.with_z.then_some(z))
        });
        let batch = Batch::new(self.schema.clone(), arrays, source_rows)?;
        Ok(Decoded { batch, set_aside, bytes })
    }

    /// Whether a geometry can be a row's; what fits is put there.
    fn place(&self, rows: &mut Rows, shape: Option<&Geometry>) {
        if self.any_shape {
            return rows.shapes.append_option(shape.map(wkb::write));
        }
        let position = match shape {
            Some(Geometry::Point(p)) => [p.x, p.y, p.z],
            _ => [f64::NAN; 3],
        };
        rows.points.iter_mut().zip(position).for_each(|(list, v)| list.push(v));
    }

    /// Adds a feature of any form.
    fn add(&self, rows: &mut Rows, number: u64, text: &[u8]) {
        let (f, broken) = match parse(text, self.sequence.is_some()) {
            Ok(f) => (f, None),
            Err(problem) => (Feature::default(), Some(problem)),
        };
        let shape = match (broken, &f.geometry) {
            (Some(problem), _) => Err(("is no feature", problem)),
            (None, None) => Ok(None),
            (None, Some(g)) => geometry::read(g)
                .map(Some)
                .map_err(|problem| ("geometry cannot be read", format!("the geometry: {problem}"))),
        };
        let cells = self.columns.names.list.iter().enumerate().map(|(i, name)| cell(&f, name, i));
        match shape {
            Ok(shape) => {
                self.place(rows, shape.as_ref());
                rows.columns.iter_mut().zip(cells).for_each(|(column, value)| column.append_scalar(value));
                rows.source_rows.push(number);
            }
            Err((class, reason)) => {
                let mut values: Vec<String> =
                    cells.map(|v| v.and_then(Scalar::text).unwrap_or_default().into_owned()).collect();
                // As it stands, for whoever has to mend it.
                const SHOWN: usize = 2000;
                values.push(String::from_utf8_lossy(&text[..text.len().min(SHOWN)]).into_owned());
                rows.set_aside.push(SetAsideRow { source_row: number, class: class.into(), reason, values });
            }
        }
    }
}

/// Reads the features of a block.
struct Reading<'l, 'a> {
    layout: &'l Layout,
    rows: Rows,
    row: Row<'a>,
    /// Of the next feature.
    number: u64,
}

impl<'a> Features<'a> for Reading<'_, 'a> {
    fn usual(&mut self, s: &mut Scanner<'a>) -> Option<()> {
        let Reading { layout, rows, row, number } = self;
        row.read(s, &layout.columns, layout.sequence.is_some())?;
        if !layout.any_shape && !matches!(row.geometry, Some(Geometry::Point(_)) | None) {
            return None;
        }
        layout.place(rows, row.geometry.as_ref());
        rows.columns.iter_mut().zip(&row.slots).for_each(|(column, slot)| column.append(*slot));
        rows.source_rows.push(*number);
        *number += 1;
        Some(())
    }

    fn other(&mut self, text: &'a [u8]) {
        self.layout.add(&mut self.rows, self.number, text);
        self.number += 1;
    }
}

impl Reader for GeoJsonReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.layout.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        self.layout.clone()
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let failed = |e| FormatError::read(&self.path, e);
        let mut file = File::open(&self.path).map_err(failed)?;
        let mut first = 1;
        for span in &self.spans {
            let mut bytes = vec![0; span.length];
            file.seek(SeekFrom::Start(span.offset)).and_then(|_| file.read_exact(&mut bytes)).map_err(failed)?;
            if !sink(Block::Raw { bytes, first }) {
                break;
            }
            first += span.features;
        }
        Ok(())
    }
}

impl Decode for Layout {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let (bytes, first) = match block {
            Block::Rows(decoded) => return Ok(decoded),
            Block::Raw { bytes, first } => (bytes, first),
        };
        let mut reading = Reading { layout: self, rows: self.rows(), row: Row::new(&self.columns), number: first };
        pieces::walk(&bytes, self.sequence, &mut reading);
        self.finish(reading.rows, bytes.len() as u64)
    }
}

#[cfg(test)]
mod tests;
