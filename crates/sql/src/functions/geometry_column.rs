//! A column of geometries: well-known binary, points as GeoArrow has them, or one geometry for all rows.

use basilocus::table::geometry::{Geometry, Position, wkb};
use datafusion::arrow::array::{Array, ArrayRef, AsArray, BinaryArray, BinaryBuilder, Float64Array, StructArray};
use datafusion::arrow::compute::cast;
use datafusion::arrow::datatypes::{DataType, Float64Type};

/// A column of geometries.
// One is made for a batch, not for a row: its size costs nothing.
#[allow(clippy::large_enum_variant)]
pub(crate) enum GeometryColumn {
    Points {
        x: Float64Array,
        y: Float64Array,
        z: Option<Float64Array>,
        whole: StructArray,
    },
    Binary(BinaryArray),
    /// One for all rows, or none.
    One(Option<Result<Geometry, String>>),
}

impl GeometryColumn {
    /// Whether a column of that type can hold geometries.
    pub(crate) fn takes(given: &DataType) -> bool {
        match given {
            DataType::Binary | DataType::LargeBinary | DataType::BinaryView => true,
            DataType::Struct(fields) => {
                let is_number = |name: &str| fields.iter().any(|f| f.name() == name && f.data_type().is_floating());
                is_number("x") && is_number("y")
            }
            _ => false,
        }
    }

    pub(crate) fn of(array: &ArrayRef) -> Result<Self, String> {
        if let Some(whole) = array.as_struct_opt() {
            let axis = |name: &str| {
                let column = whole.column_by_name(name)?;
                cast(column, &DataType::Float64).ok()?.as_primitive_opt::<Float64Type>().cloned()
            };
            let (Some(x), Some(y)) = (axis("x"), axis("y")) else {
                return Err("is a struct without x and y".into());
            };
            return Ok(GeometryColumn::Points { x, y, z: axis("z"), whole: whole.clone() });
        }
        let binary = cast(array, &DataType::Binary).map_err(|e| e.to_string())?;
        binary.as_binary_opt::<i32>().cloned().map(GeometryColumn::Binary).ok_or_else(|| "is no geometry".into())
    }

    /// The first geometry for all rows.
    pub(crate) fn for_all(self) -> Self {
        GeometryColumn::One(self.get(0).transpose())
    }

    /// The geometry of a row.
    ///
    /// # Errors
    /// Why its bytes are no geometry.
    pub(crate) fn get(&self, row: usize) -> Result<Option<Geometry>, String> {
        match self {
            GeometryColumn::Points { z, .. } => Ok(self.point(row)?.map(|[px, py]| {
                let height = z.as_ref().filter(|z| z.is_valid(row)).map_or(f64::NAN, |z| z.value(row));
                Geometry::Point(Position::xyz(px, py, height))
            })),
            GeometryColumn::Binary(b) if b.is_null(row) => Ok(None),
            GeometryColumn::Binary(b) => wkb::read(b.value(row)).map(Some).map_err(|e| e.to_string()),
            GeometryColumn::One(one) => one.clone().transpose(),
        }
    }

    /// The position of a row that is a point with one; nothing for null and empty points.
    ///
    /// # Errors
    /// For bytes that are no geometry, and other geometries than points.
    pub(crate) fn point(&self, row: usize) -> Result<Option<[f64; 2]>, String> {
        if let GeometryColumn::Points { x, y, whole, .. } = self {
            let there = whole.is_valid(row) && x.is_valid(row) && y.is_valid(row);
            return Ok(there.then(|| [x.value(row), y.value(row)]).filter(|p| !p[0].is_nan()));
        }
        if let GeometryColumn::Binary(b) = self
            && b.is_valid(row)
            && let Some(position) = plain_point(b.value(row))
        {
            return Ok(Some(position));
        }
        match self.get(row)? {
            None => Ok(None),
            Some(Geometry::Point(p)) => Ok(Some([p.x, p.y]).filter(|p| !p[0].is_nan())),
            Some(other) => Err(format!("a {} is no point", other.type_name())),
        }
    }
}

impl GeometryColumn {
    /// The position of a row that is a point without a height, nothing for null; `None` for anything else.
    pub(crate) fn plain_point(&self, row: usize) -> Option<Option<[f64; 2]>> {
        match self {
            GeometryColumn::Points { z: None, .. } => self.point(row).ok(),
            GeometryColumn::Binary(b) if b.is_null(row) => Some(None),
            GeometryColumn::Binary(b) => plain_point(b.value(row)).map(Some),
            _ => None,
        }
    }
}

impl GeometryColumn {
    /// The geometries of so many rows in well-known binary.
    ///
    /// # Errors
    /// Why bytes are no geometry.
    pub(crate) fn binary(&self, rows: usize) -> Result<ArrayRef, String> {
        let mut out = GeometryBuilder::for_rows(rows);
        for row in 0..rows {
            match self.plain_point(row) {
                Some(Some([x, y])) => out.push_point(x, y),
                Some(None) => out.push(None),
                None => out.push(self.get(row)?.as_ref()),
            }
        }
        Ok(out.finish())
    }
}

/// The geometries of a column row by row, where rows that follow each other often have the same one: it is read once.
pub(crate) struct Rereader<'a> {
    column: &'a GeometryColumn,
    last: Option<(&'a [u8], Geometry)>,
    /// One that is another than the last.
    own: Option<Geometry>,
}

impl<'a> Rereader<'a> {
    pub(crate) fn of(column: &'a GeometryColumn) -> Self {
        Rereader { column, last: None, own: None }
    }

    /// The geometry of a row.
    ///
    /// # Errors
    /// Why its bytes are no geometry.
    pub(crate) fn get(&mut self, row: usize) -> Result<Option<&Geometry>, String> {
        match self.column {
            GeometryColumn::One(one) => one.as_ref().map(|found| found.as_ref().map_err(Clone::clone)).transpose(),
            // Points are as soon read as compared.
            GeometryColumn::Binary(b) if b.is_valid(row) && plain_point(b.value(row)).is_none() => {
                let bytes = b.value(row);
                if self.last.as_ref().is_none_or(|(known, _)| *known != bytes) {
                    self.last = Some((bytes, wkb::read(bytes).map_err(|e| e.to_string())?));
                }
                Ok(self.last.as_ref().map(|(_, geometry)| geometry))
            }
            column => {
                self.own = column.get(row)?;
                Ok(self.own.as_ref())
            }
        }
    }
}

/// The position of the commonest bytes, little-endian points without heights, which needs no reading in general.
fn plain_point(bytes: &[u8]) -> Option<[f64; 2]> {
    let (head, rest) = bytes.split_at_checked(5)?;
    let (x, y) = (rest.get(..8)?.try_into().ok()?, rest.get(8..)?.try_into().ok()?);
    let position = [f64::from_le_bytes(x), f64::from_le_bytes(y)];
    (head == [1, 1, 0, 0, 0] && !position[0].is_nan()).then_some(position)
}

/// Geometries that a function makes, in well-known binary.
pub(crate) struct GeometryBuilder {
    out: BinaryBuilder,
    bytes: Vec<u8>,
}

impl GeometryBuilder {
    pub(crate) fn for_rows(rows: usize) -> Self {
        GeometryBuilder { out: BinaryBuilder::with_capacity(rows, rows * 21), bytes: Vec::new() }
    }

    pub(crate) fn push(&mut self, geometry: Option<&Geometry>) {
        match geometry {
            None => self.out.append_null(),
            Some(geometry) => {
                self.bytes.clear();
                wkb::push(geometry, &mut self.bytes);
                self.out.append_value(&self.bytes);
            }
        }
    }

    pub(crate) fn push_point(&mut self, x: f64, y: f64) {
        let mut bytes = [1, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
        bytes[5..13].copy_from_slice(&x.to_le_bytes());
        bytes[13..].copy_from_slice(&y.to_le_bytes());
        self.out.append_value(bytes);
    }

    pub(crate) fn finish(mut self) -> ArrayRef {
        std::sync::Arc::new(self.out.finish())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus::table::geometry::wkt;
    use std::sync::Arc;

    #[test]
    fn what_is_read_again_is_what_is_read() {
        let shape = |text: &str| {
            let mut bytes = Vec::new();
            wkb::push(&wkt::read(text).unwrap(), &mut bytes);
            Some(bytes)
        };
        let (area, other, point) =
            (shape("POLYGON ((0 0, 1 0, 1 1, 0 0))"), shape("POLYGON ((0 0, 2 0, 1 1, 0 0))"), shape("POINT (1 2)"));
        let rows =
            [area.clone(), area.clone(), None, point.clone(), area.clone(), other, Some(vec![7; 9]), area, point];
        let array: ArrayRef = Arc::new(rows.iter().map(|r| r.as_deref()).collect::<BinaryArray>());
        let column = GeometryColumn::of(&array).unwrap();
        let mut again = Rereader::of(&column);
        for row in 0..rows.len() {
            assert_eq!(again.get(row).map(|g| g.cloned()), column.get(row), "row {row}");
        }
        let one = column.for_all();
        let mut again = Rereader::of(&one);
        assert_eq!(again.get(3).map(|g| g.cloned()), one.get(3));
    }
}
