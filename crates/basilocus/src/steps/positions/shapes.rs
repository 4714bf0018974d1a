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

/// Whether all texts of a column begin as geometries, and one that can be read is no point ("Polygon 12" is a name).
pub(super) fn is_of_shapes(sample: &Rows, at: usize) -> bool {
    let array = sample.records().column(at);
    let texts = (0..sample.len()).map(|row| cell_text(array, row)).filter(|t| !t.trim().is_empty());
    let (mut shapes, mut read, mut all) = (0, 0, 0);
    for text in texts {
        let head: String = text.trim_start().chars().take_while(char::is_ascii_alphabetic).collect();
        let head = head.to_ascii_uppercase();
        let is_shape = TYPES.contains(&head.trim_end_matches('Z'));
        if !(is_shape || head == "POINT" || head == "POINTZ") {
            return false;
        }
        let is_read = wkt::read(text.trim()).is_ok();
        shapes += usize::from(is_shape && is_read);
        read += usize::from(is_read);
        all += 1;
    }
    shapes > 0 && read * 2 >= all
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

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::StringArray;
    use basilocus_table::Batch;

    fn is_found(texts: &[&str]) -> bool {
        let column: ArrayRef = Arc::new(texts.iter().map(|t| Some(*t)).collect::<StringArray>());
        let records = RecordBatch::try_from_iter([("a", column)]).unwrap();
        is_of_shapes(&Rows::read(Batch::of(records, (2..2 + texts.len() as u64).collect()).unwrap()), 0)
    }

    #[test]
    fn a_column_of_lines_and_polygons() {
        assert!(is_found(&["LINESTRING (1 2, 3 4)", "", "point z (1 2 3)", "POLYGON ((0 0, 1 0, 1 1, 0 0))"]));
        assert!(is_found(&["LINESTRING (1 2, 3 4)", "POLYGON ((0 0, 1 0"]), "one that is cut is told as a row");
        assert!(!is_found(&["POINT (1 2)", "POINT (3 4)"]), "points are positions");
        assert!(!is_found(&["Polygon 12", "Polygon 13"]), "names");
        assert!(!is_found(&["LINESTRING (1 2, 3 4)", "see the map"]));
        assert!(!is_found(&["", ""]));
    }
}
