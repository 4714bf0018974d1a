//! Geometry in the native encodings: coordinates as columns of numbers, in lists for lines, lists of lists for polygons.

use arrow_array::cast::AsArray;
use arrow_array::types::Float64Type;
use arrow_array::{Array, ArrayRef};
use arrow_schema::DataType;
use basilocus_table::geometry::{Geometry, Position};

/// The value of a row as an array of its parts; none where the column is no list.
fn parts(array: &ArrayRef, row: usize) -> Option<ArrayRef> {
    match array.data_type() {
        DataType::List(_) => Some(array.as_list::<i32>().value(row)),
        DataType::LargeList(_) => Some(array.as_list::<i64>().value(row)),
        _ => None,
    }
}

/// All positions of an array of coordinates.
fn positions(array: &ArrayRef) -> Option<Vec<Position>> {
    let coordinates = array.as_struct_opt()?;
    let axis = |name: &str| coordinates.column_by_name(name).and_then(|c| c.as_primitive_opt::<Float64Type>());
    let (x, y, z, m) = (axis("x")?, axis("y")?, axis("z"), axis("m"));
    Some(
        (0..coordinates.len())
            .map(|i| Position {
                x: x.value(i),
                y: y.value(i),
                z: z.map_or(f64::NAN, |z| z.value(i)),
                m: m.map_or(f64::NAN, |m| m.value(i)),
            })
            .collect(),
    )
}

fn lines(array: &ArrayRef) -> Option<Vec<Vec<Position>>> {
    (0..array.len()).map(|i| positions(&parts(array, i)?)).collect()
}

/// The geometry of a row in an encoding; none where it is null or empty.
///
/// # Errors
/// In words, where the column does not have the form of the encoding.
pub(super) fn read(array: &ArrayRef, row: usize, encoding: &str) -> Result<Option<Geometry>, String> {
    if array.is_null(row) {
        return Ok(None);
    }
    let found = match encoding {
        "point" => positions(&array.slice(row, 1)).and_then(|l| l.first().copied()).map(Geometry::Point),
        "linestring" => parts(array, row).and_then(|p| positions(&p)).map(Geometry::LineString),
        "multipoint" => parts(array, row).and_then(|p| positions(&p)).map(Geometry::MultiPoint),
        "polygon" => parts(array, row).and_then(|p| lines(&p)).map(Geometry::Polygon),
        "multilinestring" => parts(array, row).and_then(|p| lines(&p)).map(Geometry::MultiLineString),
        "multipolygon" => parts(array, row)
            .and_then(|p| (0..p.len()).map(|i| lines(&parts(&p, i)?)).collect::<Option<Vec<_>>>())
            .map(Geometry::MultiPolygon),
        other => return Err(format!("the encoding {other} is not read")),
    };
    let geometry = found.ok_or_else(|| format!("the column does not have the form of the encoding {encoding}"))?;
    // An empty point has no numbers.
    Ok(Some(geometry).filter(|g| !g.is_empty()))
}
