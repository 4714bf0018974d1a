//! A sheet index of one's own, from a table of limits; limits of sheets as a layer.

use crate::Error;
use crate::coordinates::system;
use crate::engine::source;
use crate::plan::InputPlan;
use crate::{Layer, RunOptions};
use arrow_array::{Array, ArrayRef, BinaryArray, Float64Array, RecordBatch, StringArray};
use arrow_schema::{Field, Schema};
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::notation;
use basilocus_geodesy::sheet::{Sheet, SheetIndex};
use basilocus_table::geometry::{Geometry, Position, geometry_field, wkb};
use std::path::Path;
use std::sync::Arc;

/// An index with its system.
#[derive(Debug, Clone, PartialEq)]
pub struct OwnIndex {
    /// The sheets.
    pub index: SheetIndex,
    /// System of their limits.
    pub crs: Crs,
    /// How the table was read.
    pub interpretation: String,
}

/// Headers that limits go by.
const LIMITS: [(&str, &[&str]); 4] = [
    ("west", &["west", "xmin", "minx", "x_min", "min_x", "left", "w", "west_deg", "lon_min", "emin", "e_min"]),
    ("south", &["south", "ymin", "miny", "y_min", "min_y", "bottom", "s", "south_deg", "lat_min", "nmin", "n_min"]),
    ("east", &["east", "xmax", "maxx", "x_max", "max_x", "right", "e", "east_deg", "lon_max", "emax", "e_max"]),
    ("north", &["north", "ymax", "maxy", "y_max", "max_y", "top", "n", "north_deg", "lat_max", "nmax", "n_max"]),
];

/// Reads an index: a column for the sheet's name and four for its limits, found by their headers.
///
/// # Errors
/// [`Error::Usage`] where columns are missing; a limit that is no number names its row and column.
pub fn read_index(path: &Path, input: &InputPlan, crs: Option<&str>) -> Result<OwnIndex, Error> {
    let crs = system::find(crs.unwrap_or("EPSG:4326"))?.crs;
    let mut reader = source::open(path, &input.options()?)?;
    let header: Vec<String> = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let mut at = [0usize; 4];
    for (slot, (name, known)) in at.iter_mut().zip(LIMITS) {
        *slot = header.iter().position(|h| known.contains(&h.trim().to_lowercase().as_str())).ok_or_else(|| {
            Error::Usage(format!(
                "{}: no column for the limit \"{name}\" among {}; columns named west, south, east and north are expected",
                path.display(),
                header.join(", ")
            ))
        })?;
    }
    let label = (0..header.len())
        .find(|c| !at.contains(c))
        .ok_or_else(|| Error::Usage(format!("{}: a column with the names of the sheets is missing", path.display())))?;
    let mut sheets = Vec::new();
    source::each_batch(reader.as_mut(), &mut |decoded| {
        let batch = decoded.batch;
        for row in 0..batch.len() {
            let mut limits_deg = [0.0; 4];
            for (i, (limit, column)) in limits_deg.iter_mut().zip(at).enumerate() {
                *limit = limit_of(&batch.text(column, row), i % 2 == 1).map_err(|e| {
                    Error::Data(format!(
                        "{}: row {}, column \"{}\": {e}; a limit is expected",
                        path.display(),
                        batch.source_rows()[row],
                        header[column]
                    ))
                })?;
            }
            sheets.push(Sheet { number: batch.text(label, row).trim().to_string(), limits_deg });
        }
        Ok(())
    })?;
    let interpretation = format!(
        "{} sheets, named by \"{}\", limits from {}, in {}",
        sheets.len(),
        header[label],
        at.map(|c| format!("\"{}\"", header[c])).join(", "),
        crs.title()
    );
    let index =
        SheetIndex::new(sheets, !crs.is_geographic()).map_err(|e| Error::Usage(format!("{}: {e}", path.display())))?;
    Ok(OwnIndex { index, crs, interpretation })
}

/// A limit: a number, or an angle in any notation.
fn limit_of(text: &str, is_latitude: bool) -> Result<f64, notation::NotationError> {
    notation::read_number(text).or_else(|e| notation::read_angle(text, is_latitude).map(|a| a.degrees).map_err(|_| e))
}

/// Writes the limits of sheets as polygons in WGS 84, in any format that holds them.
///
/// # Errors
/// Where the file exists or cannot be written.
pub fn write_limits(path: &Path, sheets: &[(String, Sheet)], overwrite: bool) -> Result<(), Error> {
    let text = |f: &dyn Fn(&(String, Sheet)) -> String| {
        Arc::new(sheets.iter().map(|s| Some(f(s))).collect::<StringArray>()) as ArrayRef
    };
    let limit = |i: usize| Arc::new(sheets.iter().map(|(_, s)| s.limits_deg[i]).collect::<Float64Array>()) as ArrayRef;
    let outline = |s: &Sheet| {
        let [w, south, e, n] = s.limits_deg;
        let ring = [(w, south), (e, south), (e, n), (w, n), (w, south)];
        wkb::write(&Geometry::Polygon(vec![ring.map(|(x, y)| Position::xy(x, y)).to_vec()]))
    };
    let outlines: ArrayRef = Arc::new(sheets.iter().map(|(_, s)| Some(outline(s))).collect::<BinaryArray>());
    let columns: [(&str, ArrayRef); 6] = [
        ("sheet", text(&|(_, s)| s.number.clone())),
        ("series", text(&|(series, _)| series.clone())),
        ("west", limit(0)),
        ("south", limit(1)),
        ("east", limit(2)),
        ("north", limit(3)),
    ];
    let mut fields: Vec<Field> =
        columns.iter().map(|(name, a)| Field::new(*name, a.data_type().clone(), true)).collect();
    fields.push(geometry_field(Some("EPSG:4326")));
    let arrays = columns.into_iter().map(|(_, a)| a).chain([outlines]).collect();
    let records = RecordBatch::try_new(Arc::new(Schema::new(fields)), arrays)
        .map_err(|e| Error::Defect(format!("the limits of sheets do not make a table: {e}")))?;
    Layer::from_records("sheets", vec![records])?
        .write(path)?
        .run_with(&RunOptions { overwrite, ..Default::default() })?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_index_is_read_by_its_headers() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("sheets.csv");
        std::fs::write(
            &path,
            "sheet,xmin,ymin,xmax,ymax\nMouth,-124.1,46.1,-123.7,46.4\nHills,\"-123°42'\",46.1,-123.3,46.4\n",
        )
        .unwrap();
        let own = read_index(&path, &InputPlan::default(), None).unwrap();
        assert_eq!(own.index.at(-123.8, 46.2)[0].number, "Mouth");
        assert_eq!(own.index.at(-123.5, 46.2)[0].number, "Hills");
        std::fs::write(&path, "sheet,xmin,ymin,xmax\nMouth,1,2,3\n").unwrap();
        assert!(read_index(&path, &InputPlan::default(), None).unwrap_err().to_string().contains("\"north\""));
        std::fs::write(&path, "sheet,xmin,ymin,xmax,ymax\nMouth,here,46.1,-123.7,46.4\n").unwrap();
        let message = read_index(&path, &InputPlan::default(), None).unwrap_err().to_string();
        assert!(message.contains("row 2") && message.contains("\"xmin\""), "{message}");
        let out = folder.path().join("limits.geojson");
        let sheet = Sheet { number: "Mouth".into(), limits_deg: [-124.1, 46.1, -123.7, 46.4] };
        write_limits(&out, &[("own".into(), sheet)], false).unwrap();
        assert!(std::fs::read_to_string(&out).unwrap().contains("\"Polygon\""));
        assert!(write_limits(&out, &[], false).is_err(), "not replaced unasked");
    }
}
