//! Lines and polygons that a table holds as well-known text: they are taken as they are, not as their middle.

use crate::engine::{Columns, Rows};
use arrow_array::{ArrayRef, BinaryArray, RecordBatch};
use basilocus_table::batch::cell_text;
use basilocus_table::geometry::{Geometry, wkb, wkt};
use std::sync::Arc;

/// Types of geometries of which a column of positions has none.
const TYPES: [&str; 6] =
    ["LINESTRING", "POLYGON", "MULTIPOINT", "MULTILINESTRING", "MULTIPOLYGON", "GEOMETRYCOLLECTION"];

/// The column whose texts are geometries, lines or polygons among them.
pub(super) fn find(columns: &Columns, sample: &Rows) -> Option<usize> {
    (0..columns.len()).find(|at| is_of_shapes(sample, *at))
}

/// Whether all texts of a column begin as geometries, and one is no point.
pub(super) fn is_of_shapes(sample: &Rows, at: usize) -> bool {
    let array = sample.records().column(at);
    let texts = (0..sample.len()).map(|row| cell_text(array, row)).filter(|t| !t.trim().is_empty());
    let (mut shapes, mut all) = (0, 0);
    for text in texts {
        let head: String = text.trim_start().chars().take_while(char::is_ascii_alphabetic).collect();
        let head = head.to_ascii_uppercase();
        let is_shape = TYPES.contains(&head.trim_end_matches('Z'));
        if !(is_shape || head == "POINT" || head == "POINTZ") {
            return false;
        }
        shapes += usize::from(is_shape);
        all += 1;
    }
    all > 0 && shapes > 0
}

/// The geometry of a row; none where the cell is empty or the geometry is.
pub(super) fn read(records: &RecordBatch, at: usize, row: usize) -> Result<Option<Geometry>, String> {
    let text = cell_text(records.column(at), row);
    match text.trim() {
        "" => Ok(None),
        text => match wkt::read(text) {
            Ok(g) => Ok(Some(g).filter(|g| !g.is_empty())),
            Err(e) => Err(e.to_string()),
        },
    }
}

/// Geometries as a column holds them.
pub(super) fn column(shapes: &[Option<Geometry>]) -> ArrayRef {
    Arc::new(shapes.iter().map(|g| g.as_ref().map(wkb::write)).collect::<BinaryArray>())
}
