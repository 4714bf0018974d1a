//! Reads features: of points alone as points, of any other geometry as what they are.

use super::Form;
use super::feature::{Feature, NESTED, Scalar};
use super::geometry;
use super::pieces::{self, Collection, END, Pieces};
use super::scan;
use crate::reader::{About, Block, Decode, Decoded, InputOptions, Reader};
use crate::{Format, FormatError};
use arrow_array::{ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_array, point_field, record_batch};
use basilocus_table::geometry::{Geometry, geometry_field, wkb};
use basilocus_table::{Batch, SetAsideRow};
use std::collections::{BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A GeoJSON file.
pub struct GeoJsonReader {
    path: PathBuf,
    about: About,
    layout: Arc<Layout>,
    /// Whether there is a feature a line.
    sequence: bool,
}

/// What the features have in common.
struct Layout {
    schema: SchemaRef,
    columns: Vec<(String, DataType)>,
    with_z: bool,
    /// Whether there are other geometries than points.
    any_shape: bool,
    sequence: bool,
}

impl GeoJsonReader {
    /// Opens a file and goes through it once, for the columns and their types.
    ///
    /// # Errors
    /// Where the file cannot be read, is no valid JSON, or is no feature collection.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let sequence = super::is_sequence(path);
        let (collection, found) = survey(path, sequence)?;
        let Survey { columns, with_z, any_shape, features, nested, lists, .. } = found;
        if !collection.saw_features {
            return Err(FormatError::NotRecognised {
                path: path.to_path_buf(),
                problem: format!("is JSON of type \"{}\"; a GeoJSON FeatureCollection is expected", collection.kind),
            });
        }
        if features == 0 {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the collection holds no feature; at least one is expected",
            });
        }
        let mut notes = Vec::new();
        let mut crs = "EPSG:4326".to_string();
        if let Some(member) = &collection.crs {
            let taken = system_of(member);
            notes.push(match &taken {
                Some(code) => format!(
                    "the file has a \"crs\" member, which RFC 7946 took out: positions are read in its system, {code}; say --from if they are in another"
                ),
                None => "the file has a \"crs\" member that names no system of the EPSG registry: positions are read as WGS 84; say --from if they are not".into(),
            });
            crs = taken.unwrap_or(crs);
        }
        let mut fields_seen = Vec::new();
        // Where an object is null in some rows and is none in others, there is nothing but what is in it.
        let is_in = |name: &str, other: &str| other.strip_prefix(name).is_some_and(|rest| rest.starts_with(NESTED));
        let is_empty = |name: &str, t: &Option<DataType>| t.is_none() && nested.iter().any(|n| is_in(name, n));
        let columns: Vec<(String, DataType)> = columns
            .into_iter()
            .filter(|(name, t)| !is_empty(name, t))
            .map(|(name, t)| {
                let mut unique = name.clone();
                while unique == basilocus_table::POINT_COLUMN || fields_seen.contains(&unique) {
                    unique.push('_');
                }
                fields_seen.push(unique);
                (name, t.unwrap_or(DataType::Utf8))
            })
            .collect();
        let mut fields: Vec<Field> = columns
            .iter()
            .zip(&fields_seen)
            .map(|((own, t), name)| {
                let field = Field::new(name, t.clone(), true);
                match (nested.contains(own), lists.contains(own)) {
                    (true, _) => field.with_metadata(Form::Nested.metadata()),
                    (_, true) => field.with_metadata(Form::List.metadata()),
                    _ => field,
                }
            })
            .collect();
        fields.push(if any_shape { geometry_field(Some(&crs)) } else { point_field(Some(&crs), with_z) });
        let about = About { crs: Some(crs), notes, typed: true, ..About::of(path, Format::GeoJson)? };
        let layout = Layout { schema: Arc::new(Schema::new(fields)), columns, with_z, any_shape, sequence };
        Ok(GeoJsonReader { path: path.to_path_buf(), about, layout: Arc::new(layout), sequence })
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
fn parse(text: &[u8], sequence: bool) -> Result<Feature<'_>, String> {
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

/// The texts of the features of a block.
fn texts(pieces: &[u8]) -> impl Iterator<Item = &[u8]> {
    let mut rest = pieces;
    std::iter::from_fn(move || {
        let at = memchr::memchr(END, rest)?;
        let text = &rest[..at];
        rest = &rest[at + 1..];
        Some(text)
    })
}

/// What is found of columns and geometry before the rows are read.
#[derive(Default)]
struct Survey {
    columns: Vec<(String, Option<DataType>)>,
    index: HashMap<String, usize>,
    with_z: bool,
    any_shape: bool,
    features: u64,
    /// Columns whose values stood in objects, and those that are lists as they are written.
    nested: BTreeSet<String>,
    lists: BTreeSet<String>,
}

impl Survey {
    fn add(&mut self, pieces: &[u8], sequence: bool) {
        let mut usual = scan::Found::default();
        for text in texts(pieces) {
            if scan::feature(text, &mut usual).is_some() {
                self.features += 1;
                for (i, (name, value)) in usual.properties.iter().enumerate() {
                    self.note(name, i, value);
                }
                if let Some((is_point, has_height)) = usual.geometry {
                    self.with_z |= has_height;
                    self.any_shape |= !is_point;
                }
                continue;
            }
            let Ok(f) = parse(text, sequence) else { continue };
            self.features += 1;
            if let Some(id) = f.id.as_ref().filter(|v| **v != Scalar::Null) {
                self.note("id", 0, id);
            }
            let shift = usize::from(f.id.is_some());
            for (i, (name, value)) in f.properties.iter().flat_map(|p| &p.list).enumerate() {
                self.note(name, i + shift, value);
                if let Scalar::Other(_) = value {
                    self.lists.insert(name.to_string());
                }
            }
            self.nested.extend(f.properties.into_iter().flat_map(|p| p.nested));
            if let Some(g) = &f.geometry {
                self.with_z |= geometry::point_with_height(g);
                self.any_shape |= g.kind != "Point";
            }
        }
    }

    /// Widens the type of a column, which is likely at a place, by a value.
    fn note(&mut self, name: &str, likely: usize, value: &Scalar) {
        let seen = match value {
            Scalar::Null => None,
            Scalar::Boolean(_) => Some(DataType::Boolean),
            Scalar::Integer(_) => Some(DataType::Int64),
            Scalar::Real(_) => Some(DataType::Float64),
            Scalar::Text(_) | Scalar::Other(_) => Some(DataType::Utf8),
        };
        self.widen(name, likely, seen);
    }

    fn widen(&mut self, name: &str, likely: usize, seen: Option<DataType>) {
        let at = match self.columns.get(likely) {
            Some((n, _)) if n == name => likely,
            _ => match self.index.get(name) {
                Some(i) => *i,
                None => {
                    self.index.insert(name.to_string(), self.columns.len());
                    self.columns.push((name.to_string(), None));
                    self.columns.len() - 1
                }
            },
        };
        let Some(seen) = seen else { return };
        let slot = &mut self.columns[at].1;
        *slot = Some(match slot.take() {
            None => seen,
            Some(t) if t == seen => t,
            Some(DataType::Int64 | DataType::Float64) if matches!(seen, DataType::Int64 | DataType::Float64) => {
                DataType::Float64
            }
            Some(_) => DataType::Utf8,
        });
    }

    fn merge(&mut self, other: Survey) {
        for (i, (name, kind)) in other.columns.into_iter().enumerate() {
            self.widen(&name, i, kind);
        }
        self.with_z |= other.with_z;
        self.any_shape |= other.any_shape;
        self.features += other.features;
        self.nested.extend(other.nested);
        self.lists.extend(other.lists);
    }
}

/// Goes through a file once, on all cores.
fn survey(path: &Path, sequence: bool) -> Result<(Collection, Survey), FormatError> {
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let mut found = Survey::default();
    let mut waiting: Vec<Pieces> = Vec::new();
    let together = |waiting: &mut Vec<Pieces>, found: &mut Survey| {
        let parts: Vec<Option<Survey>> = std::thread::scope(|scope| {
            let handles: Vec<_> = waiting
                .drain(..)
                .map(|p| {
                    scope.spawn(move || {
                        let mut part = Survey::default();
                        part.add(&p.bytes, sequence);
                        part
                    })
                })
                .collect();
            handles.into_iter().map(|h| h.join().ok()).collect()
        });
        // Columns that nobody looked at would be missing without a word.
        let whole = parts.iter().all(Option::is_some);
        parts.into_iter().flatten().for_each(|p| found.merge(p));
        whole
    };
    let mut whole = true;
    let collection = pieces::each(path, sequence, &mut |p| {
        waiting.push(p);
        if waiting.len() >= 2 * threads {
            whole &= together(&mut waiting, &mut found);
        }
        true
    })?;
    if !(together(&mut waiting, &mut found) && whole) {
        return Err(FormatError::broken(path, "could not be looked at; this is a defect"));
    }
    Ok((collection, found))
}

#[derive(Default)]
struct Rows<'a> {
    features: Vec<Feature<'a>>,
    points: Vec<(f64, f64, f64)>,
    shapes: Vec<Option<Vec<u8>>>,
    source_rows: Vec<u64>,
    set_aside: Vec<SetAsideRow>,
}

impl Layout {
    fn cell<'f, 'a>(&self, f: &'f Feature<'a>, name: &str, likely: usize) -> Option<&'f Scalar<'a>> {
        match f.properties.as_ref().and_then(|p| p.get(name, likely)) {
            Some(v) => Some(v),
            None if name == "id" => f.id.as_ref(),
            None => None,
        }
    }

    fn finish(&self, rows: Rows, bytes: u64) -> Decoded {
        let mut arrays: Vec<ArrayRef> = self
            .columns
            .iter()
            .enumerate()
            .map(|(i, (name, t))| {
                let cells = rows.features.iter().map(|f| self.cell(f, name, i));
                match t {
                    DataType::Int64 => Arc::new(
                        cells
                            .map(|v| if let Some(Scalar::Integer(i)) = v { Some(*i) } else { None })
                            .collect::<Int64Array>(),
                    ) as ArrayRef,
                    DataType::Float64 => Arc::new(
                        cells
                            .map(|v| match v {
                                Some(Scalar::Real(f)) => Some(*f),
                                Some(Scalar::Integer(i)) => Some(*i as f64),
                                _ => None,
                            })
                            .collect::<Float64Array>(),
                    ),
                    DataType::Boolean => Arc::new(
                        cells
                            .map(|v| if let Some(Scalar::Boolean(b)) = v { Some(*b) } else { None })
                            .collect::<BooleanArray>(),
                    ),
                    _ => Arc::new(cells.map(|v| v.and_then(Scalar::text)).collect::<StringArray>()),
                }
            })
            .collect();
        if self.any_shape {
            arrays.push(Arc::new(rows.shapes.iter().map(Option::as_deref).collect::<BinaryArray>()));
        } else {
            let z = self.with_z.then(|| rows.points.iter().map(|p| p.2).collect());
            arrays.push(point_array(
                rows.points.iter().map(|p| p.0).collect(),
                rows.points.iter().map(|p| p.1).collect(),
                z,
            ));
        }
        let n = rows.source_rows.len();
        let records = record_batch(self.schema.clone(), arrays, n)
            .unwrap_or_else(|_| arrow_array::RecordBatch::new_empty(self.schema.clone()));
        Decoded { batch: Batch { records, source_rows: rows.source_rows }, set_aside: rows.set_aside, bytes }
    }

    fn add<'a>(&self, rows: &mut Rows<'a>, number: u64, text: &'a [u8]) {
        let (f, broken) = match parse(text, self.sequence) {
            Ok(f) => (f, None),
            Err(problem) => (Feature::default(), Some(problem)),
        };
        let place = match (broken, &f.geometry) {
            (Some(problem), _) => Err(("is no feature", problem)),
            (None, None) if self.any_shape => Ok(None),
            (None, None) => Err(("no geometry", "the feature has no geometry; a point is expected".to_string())),
            (None, Some(g)) => geometry::read(g)
                .map(Some)
                .map_err(|problem| ("geometry cannot be read", format!("the geometry: {problem}"))),
        };
        match place {
            Ok(shape) => {
                match shape {
                    shape if self.any_shape => rows.shapes.push(shape.as_ref().map(wkb::write)),
                    Some(Geometry::Point(p)) => rows.points.push((p.x, p.y, p.z)),
                    _ => rows.points.push((f64::NAN, f64::NAN, f64::NAN)),
                }
                rows.source_rows.push(number);
                rows.features.push(f);
            }
            Err((class, reason)) => {
                let cells = self.columns.iter().enumerate().map(|(i, (name, _))| self.cell(&f, name, i));
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
        pieces::each(&self.path, self.sequence, &mut |p| sink(Block::Raw { bytes: p.bytes, first: p.first }))?;
        Ok(())
    }
}

impl Decode for Layout {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let (bytes, first) = match block {
            Block::Rows(decoded) => return Ok(decoded),
            Block::Raw { bytes, first } => (bytes, first),
        };
        let mut rows = Rows::default();
        for (i, text) in texts(&bytes).enumerate() {
            self.add(&mut rows, first + i as u64, text);
        }
        Ok(self.finish(rows, bytes.len() as u64))
    }
}
