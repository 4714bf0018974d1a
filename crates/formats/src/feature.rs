//! Rows of a layer in the making, for readers that meet features one by one.

use crate::FormatError;
use crate::reader::{About, Block, Decode, Decoded, PassThrough, Reader};
use arrow_array::{ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::{point_array, point_field};
use basilocus_table::geometry::{Geometry, geometry_field, wkb};
use basilocus_table::moment::field_of;
use basilocus_table::{Batch, POINT_COLUMN, SetAsideRow};
use std::collections::HashSet;
use std::sync::Arc;

/// Rows that travel together, at most.
const ROWS: usize = 4096;
/// Bytes that rows which travel together take in memory, roughly, unless one alone takes more.
const BYTES: usize = 4 << 20;

/// A value of a feature.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Cell {
    Null,
    Boolean(bool),
    Integer(i64),
    Real(f64),
    Text(String),
}

impl Cell {
    /// Bytes that it takes in memory.
    fn weight(&self) -> usize {
        size_of::<Cell>() + if let Cell::Text(text) = self { text.len() } else { 0 }
    }

    pub(crate) fn text(&self) -> Option<String> {
        match self {
            Cell::Null => None,
            Cell::Boolean(b) => Some(b.to_string()),
            Cell::Integer(i) => Some(i.to_string()),
            Cell::Real(f) => Some(f.to_string()),
            Cell::Text(t) => Some(t.clone()),
        }
    }
}

/// Values by the names of columns, in the order of the columns.
pub(crate) fn cells(columns: &[String], mut values: Vec<(String, String)>) -> Vec<Cell> {
    // Mostly values stand in the order of the columns: each is looked for behind the one before.
    let mut next = 0;
    let found = |column: &String| {
        let n = values.len();
        let at = (next..n).chain(0..next.min(n)).find(|i| values[*i].0 == *column)?;
        next = at + 1;
        Some(Cell::Text(std::mem::take(&mut values[at].1)))
    };
    columns.iter().map(found).map(|cell| cell.unwrap_or(Cell::Null)).collect()
}

/// What geometry a layer has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Shape {
    /// None: a table.
    None,
    /// Points alone, with heights or without.
    Points { z: bool },
    /// Any.
    Any,
}

/// The schema of a layer: its columns, none of which takes the name of the geometry or another's, then the geometry.
pub(crate) fn layer_schema(columns: &[(String, DataType)], shape: Shape, crs: Option<&str>) -> SchemaRef {
    let mut fields: Vec<Field> = Vec::with_capacity(columns.len() + 1);
    let mut taken: HashSet<String> = HashSet::from([POINT_COLUMN.to_string()]);
    for (name, kind) in columns {
        let mut unique = if name.is_empty() { format!("column {}", fields.len() + 1) } else { name.clone() };
        while !taken.insert(unique.clone()) {
            unique.push('_');
        }
        fields.push(field_of(Field::new(unique, DataType::Utf8, true), kind));
    }
    match shape {
        Shape::None => {}
        Shape::Points { z } => fields.push(point_field(crs, z)),
        Shape::Any => fields.push(geometry_field(crs)),
    }
    Arc::new(Schema::new(fields))
}

/// A format whose features are met one by one, in order, and can be met again from the start. All that a [`Reader`] does
/// beside follows from it.
pub(crate) trait FeatureSource: Send {
    /// How the source was understood.
    fn about(&self) -> &About;

    /// The columns, and what geometry there is.
    fn layout(&self) -> (&SchemaRef, Shape);

    /// The number that the first row has for people.
    fn first_number(&self) -> u64 {
        1
    }

    /// As [`Reader::set_north_first`].
    fn set_north_first(&mut self, _north_first: bool) {}

    /// Gives every feature until `give` says that no more is wanted: its cells, its geometry or the class and reason why
    /// it has none that can be used, and the bytes of the source that it was. Features are counted from 1.
    ///
    /// # Errors
    /// Where the file cannot be read or breaks the rules of its format.
    fn each(&self, give: Give) -> Result<(), FormatError>;
}

/// Takes a feature; false where no more is wanted.
pub(crate) type Give<'a> = &'a mut dyn FnMut(Vec<Cell>, Result<Option<Geometry>, (&'static str, String)>, u64) -> bool;

impl<T: FeatureSource> Reader for T {
    fn about(&self) -> &About {
        FeatureSource::about(self)
    }

    fn set_north_first(&mut self, north_first: bool) {
        FeatureSource::set_north_first(self, north_first);
    }

    fn schema(&self) -> SchemaRef {
        self.layout().0.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let (schema, shape) = self.layout();
        let mut features = Features::new(schema.clone(), shape);
        let (mut number, mut wanted) = (self.first_number() - 1, true);
        self.each(&mut |cells, geometry, bytes| {
            number += 1;
            wanted = features.give(number, cells, geometry, bytes, sink);
            wanted
        })?;
        match features.failed.take() {
            Some(e) => Err(e),
            None if wanted => features.rest(sink),
            None => Ok(()),
        }
    }
}

/// Features until they are enough for a batch.
pub(crate) struct Features {
    schema: SchemaRef,
    shape: Shape,
    rows: Vec<(u64, Vec<Cell>, Option<Geometry>)>,
    set_aside: Vec<SetAsideRow>,
    bytes: u64,
    /// Bytes that all of them take in memory.
    weight: usize,
    /// What kept rows from becoming a batch.
    failed: Option<FormatError>,
}

impl Features {
    pub(crate) fn new(schema: SchemaRef, shape: Shape) -> Self {
        Features { schema, shape, rows: Vec::new(), set_aside: Vec::new(), bytes: 0, weight: 0, failed: None }
    }

    /// Adds a feature, with as many cells as the schema has columns beside the geometry; `bytes` of the source.
    pub(crate) fn push(&mut self, number: u64, cells: Vec<Cell>, geometry: Option<Geometry>, bytes: u64) {
        self.rows.push((number, cells, geometry));
        self.bytes += bytes;
    }

    /// Sets a feature aside.
    pub(crate) fn set_aside(&mut self, number: u64, cells: &[Cell], class: &'static str, reason: String) {
        let mut values: Vec<String> = cells.iter().map(|c| c.text().unwrap_or_default()).collect();
        values.resize(self.schema.fields().len(), String::new());
        self.set_aside.push(SetAsideRow { source_row: number, class: class.into(), reason, values });
    }

    /// Adds a feature, or sets it aside where its geometry cannot be used; hands over what is
    /// enough for a batch. False where no more is wanted.
    fn give(
        &mut self,
        number: u64,
        cells: Vec<Cell>,
        geometry: Result<Option<Geometry>, (&'static str, String)>,
        bytes: u64,
        sink: &mut dyn FnMut(Block) -> bool,
    ) -> bool {
        self.weight += cells.iter().map(Cell::weight).sum::<usize>();
        if let Ok(Some(geometry)) = &geometry {
            self.weight += geometry.positions() * size_of::<basilocus_table::Position>();
        }
        match geometry {
            Ok(geometry) => self.push(number, cells, geometry, bytes),
            Err((class, reason)) => self.set_aside(number, &cells, class, reason),
        }
        !self.is_full() || self.hand_over(sink)
    }

    /// Hands over what is there. False where no more is wanted, or it makes no batch.
    fn hand_over(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> bool {
        match self.finish() {
            Ok(decoded) => sink(Block::Rows(decoded)),
            Err(e) => {
                self.failed = Some(e);
                false
            }
        }
    }

    /// Hands over what is left.
    fn rest(mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        if !(self.rows.is_empty() && self.set_aside.is_empty()) {
            self.hand_over(sink);
        }
        self.failed.map_or(Ok(()), Err)
    }

    /// Whether they are enough.
    fn is_full(&self) -> bool {
        self.rows.len() + self.set_aside.len() >= ROWS || self.weight >= BYTES
    }

    /// The features as a batch.
    pub(crate) fn finish(&mut self) -> Result<Decoded, FormatError> {
        let mut rows = std::mem::take(&mut self.rows);
        self.weight = 0;
        let columns = self.schema.fields().len() - usize::from(self.shape != Shape::None);
        let mut arrays: Vec<ArrayRef> = (0..columns)
            .map(|c| {
                let mut cells = rows.iter_mut().map(|(_, cells, _)| {
                    cells.get_mut(c).map_or(Cell::Null, |cell| std::mem::replace(cell, Cell::Null))
                });
                array(self.schema.field(c).data_type(), &mut cells)
            })
            .collect();
        match self.shape {
            Shape::None => {}
            Shape::Points { z } => {
                let at = |f: &dyn Fn(&basilocus_table::Position) -> f64| -> Vec<f64> {
                    rows.iter()
                        .map(|(_, _, g)| if let Some(Geometry::Point(p)) = g { f(p) } else { f64::NAN })
                        .collect()
                };
                arrays.push(point_array(at(&|p| p.x), at(&|p| p.y), z.then(|| at(&|p| p.z))));
            }
            Shape::Any => {
                arrays.push(Arc::new(rows.iter().map(|(_, _, g)| g.as_ref().map(wkb::write)).collect::<BinaryArray>()));
            }
        }
        let source_rows: Vec<u64> = rows.iter().map(|(n, ..)| *n).collect();
        Ok(Decoded {
            batch: Batch::new(self.schema.clone(), arrays, source_rows)?,
            set_aside: std::mem::take(&mut self.set_aside),
            bytes: std::mem::take(&mut self.bytes),
        })
    }
}

/// Cells as an array of a type; what does not fit it is null.
pub(crate) fn array(kind: &DataType, cells: &mut dyn Iterator<Item = Cell>) -> ArrayRef {
    match kind {
        DataType::Int64 => {
            Arc::new(cells.map(|c| if let Cell::Integer(i) = c { Some(i) } else { None }).collect::<Int64Array>())
        }
        DataType::Float64 => Arc::new(
            cells
                .map(|c| match c {
                    Cell::Real(f) => Some(f),
                    Cell::Integer(i) => Some(i as f64),
                    _ => None,
                })
                .collect::<Float64Array>(),
        ),
        DataType::Boolean => {
            Arc::new(cells.map(|c| if let Cell::Boolean(b) = c { Some(b) } else { None }).collect::<BooleanArray>())
        }
        _ => Arc::new(
            cells
                .map(|c| match c {
                    Cell::Text(t) => Some(t),
                    other => other.text(),
                })
                .collect::<StringArray>(),
        ),
    }
}
