//! Blocks of shapes and their rows to columns, on any thread.
//!
//! A block holds how many shapes and rows it has and how many bytes the shapes take (three `u64`), then the shapes as
//! they stand in the file, each behind its number and length, then the rows. There may be more of the ones than of the others at the end of a file.

use super::record;
use crate::FormatError;
use crate::dbf::{self, Table};
use crate::feature::{Cell, Shape};
use crate::reader::{Block, Decode, Decoded};
use arrow_array::{ArrayRef, BinaryArray};
use arrow_schema::SchemaRef;
use basilocus_table::batch::point_array;
use basilocus_table::geometry::{Geometry, wkb};
use basilocus_table::{Batch, SetAsideRow};
use std::sync::Arc;

pub(super) struct ShapeDecoder {
    pub schema: SchemaRef,
    pub shape: Shape,
    pub table: Option<Arc<Table>>,
}

/// Bytes in front of the shapes of a block.
pub(super) const HEAD: usize = 24;

/// Bytes in front of a shape: its number and its length in words of two bytes, the highest byte first.
pub(super) const SHAPE_HEAD: usize = 8;

/// Length of the shape that begins here, its head included; none where the head is not whole.
pub(super) fn length(bytes: &[u8]) -> Option<usize> {
    let words = bytes.get(4..)?.first_chunk::<4>()?;
    Some(SHAPE_HEAD + 2 * u32::from_be_bytes(*words) as usize)
}

/// Fills in the head of a block, for which room was left.
pub(super) fn set_head(block: &mut [u8], shapes: u64, rows: u64, shape_bytes: u64) {
    for (slot, n) in block[..HEAD].chunks_exact_mut(8).zip([shapes, rows, shape_bytes]) {
        slot.copy_from_slice(&n.to_le_bytes());
    }
}

/// Geometry of the rows of a block.
#[derive(Default)]
struct Places {
    x: Vec<f64>,
    y: Vec<f64>,
    z: Vec<f64>,
    shapes: Vec<Option<Vec<u8>>>,
}

impl ShapeDecoder {
    /// The geometry of a record, or the class and the reason why there is none.
    fn geometry(&self, content: &[u8]) -> Result<Option<Geometry>, (&'static str, String)> {
        match (record::read(content), self.shape) {
            (Err(problem), _) => Err(("geometry cannot be read", problem)),
            (Ok(Some(g)), Shape::Points { .. }) if !matches!(g, Geometry::Point(_)) => Err((
                "geometry is not a point",
                format!("the shape is a {}; the file says that it holds points", g.type_name()),
            )),
            (Ok(g), _) => Ok(g),
        }
    }

    /// Why a row cannot be used before its shape is looked at.
    fn unusable(&self, shape: bool, row: Option<&[u8]>) -> Option<(&'static str, String)> {
        match (shape, row, &self.table) {
            (false, ..) => {
                Some(("no shape", "the table of attributes has more rows than there are shapes".to_string()))
            }
            (_, Some([b'*', ..]), _) => Some((dbf::DELETED.0, dbf::DELETED.1.to_string())),
            (_, None, Some(_)) => Some((
                "no row of attributes",
                "the table of attributes has fewer rows than there are shapes".to_string(),
            )),
            _ => None,
        }
    }

    fn set_aside(&self, number: u64, row: Option<&[u8]>, class: &'static str, reason: String) -> SetAsideRow {
        let cells = row.zip(self.table.as_ref()).map_or(Vec::new(), |(row, table)| table.cells(row));
        let mut values: Vec<String> = cells.iter().map(|c| Cell::text(c).unwrap_or_default()).collect();
        values.resize(self.schema.fields().len(), String::new());
        SetAsideRow { source_row: number, class: class.into(), reason, values }
    }
}

impl Decode for ShapeDecoder {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let (bytes, first) = match block {
            Block::Raw { bytes, first } => (bytes, first),
            Block::Rows(decoded) => return Ok(decoded),
        };
        let number = |at: usize| -> usize {
            let eight = bytes.get(at..at + 8).and_then(|b| b.first_chunk::<8>());
            eight.map_or(0, |b| u64::from_le_bytes(*b) as usize)
        };
        let (shapes, rows, shape_bytes) = (number(0), number(8), number(16));
        let mut left = &bytes[HEAD..HEAD + shape_bytes];
        let row_bytes = &bytes[HEAD + shape_bytes..];
        let row_length = self.table.as_ref().map_or(0, |t| t.row_bytes() as usize);
        let (mut used, mut source_rows): (Vec<&[u8]>, Vec<u64>) =
            (Vec::with_capacity(rows), Vec::with_capacity(shapes));
        let mut places = Places::default();
        let mut set_aside = Vec::new();
        for i in 0..shapes.max(rows) {
            let content = if i < shapes {
                let (shape, rest) = left.split_at(length(left).map_or(left.len(), |n| n.min(left.len())));
                left = rest;
                shape.get(SHAPE_HEAD..)
            } else {
                None
            };
            let row = (i < rows).then(|| &row_bytes[i * row_length..(i + 1) * row_length]);
            let at = first + i as u64;
            let shape = match (self.unusable(content.is_some(), row), content) {
                (Some(why), _) => Err(why),
                (None, Some(content)) => self.geometry(content),
                (None, None) => Ok(None),
            };
            match (shape, self.shape) {
                (Err((class, reason)), _) => {
                    set_aside.push(self.set_aside(at, row, class, reason));
                    continue;
                }
                (Ok(g), Shape::Points { .. }) => {
                    let (x, y, z) =
                        if let Some(Geometry::Point(p)) = g { (p.x, p.y, p.z) } else { (f64::NAN, f64::NAN, f64::NAN) };
                    places.x.push(x);
                    places.y.push(y);
                    places.z.push(z);
                }
                (Ok(g), _) => places.shapes.push(g.as_ref().map(wkb::write)),
            }
            used.extend(row);
            source_rows.push(at);
        }
        let width = self.table.as_ref().map_or(0, |t| t.width());
        let mut arrays: Vec<ArrayRef> =
            (0..width).filter_map(|c| self.table.as_ref().map(|t| t.array(c, &used))).collect();
        match self.shape {
            Shape::Points { z } => arrays.push(point_array(places.x, places.y, z.then_some(places.z))),
            _ => arrays.push(Arc::new(places.shapes.iter().map(Option::as_deref).collect::<BinaryArray>())),
        }
        let batch = Batch::new(self.schema.clone(), arrays, source_rows)?;
        Ok(Decoded { batch, set_aside, bytes: shape_bytes as u64 })
    }
}
