//! The rows of a block on their way through the steps.

use crate::Error;
use arrow_array::{Array, ArrayRef, Float64Array, RecordBatch, StructArray};
use arrow_schema::{Field, SchemaRef};
use basilocus_table::batch::{Points, point_fields, record_batch, spatial_index, take};
use basilocus_table::geometry::{Geometries, Geometry, antimeridian};
use basilocus_table::{Batch, Reason, SetAsideRow};
use std::sync::Arc;

/// Coordinates of rows: easting or longitude, northing or latitude, height (NaN for none).
pub type Coordinates = [Vec<f64>; 3];

/// Rows with their columns, each knowing which row of the source it is.
///
/// A step gets rows that are all in use: whoever sets a row aside tells the [`Account`](crate::engine::Account), and the
/// engine takes the row out before the next step.
#[derive(Debug, Clone)]
pub struct Rows {
    records: RecordBatch,
    source_rows: Vec<u64>,
    /// The rows as they were read, and for each row here its place among them; `None` while all are there.
    read: Arc<Batch>,
    places_in_read: Option<Vec<usize>>,
    /// The position that stands for each line or polygon, in the system of the geometry.
    middles: Option<Arc<Coordinates>>,
    /// The geometry as it was placed, before it was brought to another system.
    placed: Option<Spot>,
    /// The geometry in WGS 84, for formats that have nothing else.
    pub(crate) in_wgs84: Option<ArrayRef>,
    /// Whether a step made several rows of one.
    is_spread: bool,
}

/// Which rows of the source some rows are.
pub(crate) struct Origin {
    read: Arc<Batch>,
    places: Option<Vec<usize>>,
    rows: usize,
}

impl Origin {
    /// Number of rows.
    pub(crate) fn len(&self) -> usize {
        self.rows
    }

    /// What is set aside of a row: its number and its values as they were read.
    pub(crate) fn set_aside(&self, row: usize, class: Reason, reason: String) -> SetAsideRow {
        let at = self.places.as_ref().map_or(row, |p| p[row]);
        SetAsideRow { source_row: self.read.source_rows()[at], class, reason, values: self.read.row_texts(at) }
    }
}

/// A geometry with the positions that stand for it.
#[derive(Debug, Clone)]
pub(crate) struct Spot {
    array: ArrayRef,
    middles: Option<Arc<Coordinates>>,
}

impl Rows {
    /// Rows as they were read.
    pub(crate) fn read(batch: Batch) -> Self {
        let read = Arc::new(batch);
        Rows {
            records: read.records().clone(),
            source_rows: read.source_rows().to_vec(),
            read,
            places_in_read: None,
            middles: None,
            placed: None,
            in_wgs84: None,
            is_spread: false,
        }
    }

    /// Number of rows.
    pub fn len(&self) -> usize {
        self.source_rows.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.source_rows.is_empty()
    }

    /// The columns; that of the geometry carries its system as GeoArrow has it.
    pub fn records(&self) -> &RecordBatch {
        &self.records
    }

    /// For each row its number in the source, as a person counts it: the first line of a file is 1.
    pub fn source_rows(&self) -> &[u64] {
        &self.source_rows
    }

    /// A column by its name.
    pub fn column(&self, name: &str) -> Option<&ArrayRef> {
        self.records.column_by_name(name)
    }

    /// The same rows with other columns, all of them: what a step gives on. `schema` is what the step said of its
    /// columns before a row was read.
    ///
    /// # Errors
    /// [`Error::Defect`] where the columns do not fit the schema or the rows.
    pub fn with_columns(self, schema: &SchemaRef, columns: Vec<ArrayRef>) -> Result<Self, Error> {
        let records = record_batch(schema.clone(), columns, self.len())
            .map_err(|e| Error::Defect(format!("the columns of a step do not go together: {e}")))?;
        Ok(Rows { records, ..self })
    }

    /// The same rows with further columns behind those that are there.
    ///
    /// # Errors
    /// As [`Rows::with_columns`].
    pub fn with_added(self, schema: &SchemaRef, added: impl IntoIterator<Item = ArrayRef>) -> Result<Self, Error> {
        let mut columns = self.records.columns().to_vec();
        columns.extend(added);
        self.with_columns(schema, columns)
    }

    /// The array of the geometry.
    pub(crate) fn geometry(&self) -> Option<&ArrayRef> {
        Some(self.records.column(spatial_index(self.records.schema_ref())?))
    }

    /// The geometry of rows that are lines, polygons or of mixed types; `None` where all are points.
    pub(crate) fn shapes(&self) -> Option<Geometries<'_>> {
        Geometries::of(&self.records)
    }

    /// The position of each row in the system of the geometry: a point itself, else the middle of its bounds; NaN for a
    /// row without one.
    pub fn positions(&self) -> Coordinates {
        match (&self.middles, self.geometry()) {
            (Some(middles), _) => middles.as_ref().clone(),
            (None, Some(array)) => positions_of(array, self.shapes().as_ref()),
            (None, None) => nowhere(self.len()),
        }
    }

    /// The positions as they were placed, before they were brought to another system.
    pub(crate) fn positions_as_placed(&self) -> Coordinates {
        match &self.placed {
            Some(Spot { middles: Some(middles), .. }) => middles.as_ref().clone(),
            Some(Spot { array, middles: None }) => positions_of(array, None),
            None => self.positions(),
        }
    }

    /// The geometry as it was placed.
    pub(crate) fn geometry_as_placed(&self) -> Option<&ArrayRef> {
        self.placed.as_ref().map(|s| &s.array).or_else(|| self.geometry())
    }

    /// Says which positions stand for lines and polygons.
    pub(crate) fn set_middles(&mut self, middles: Option<Arc<Coordinates>>) {
        self.middles = middles;
    }

    /// Keeps the geometry as it is as that of the place, if none is kept yet.
    pub(crate) fn keep_placed(&mut self) {
        if self.placed.is_none()
            && let Some(array) = self.geometry().cloned()
        {
            self.placed = Some(Spot { array, middles: self.middles.clone() });
        }
    }

    /// Forgets where rows were placed first: their positions are others now.
    pub(crate) fn forget_placed(&mut self) {
        self.placed = None;
        self.middles = None;
    }

    /// What is set aside of a row: its number and its values as they were read.
    pub(crate) fn set_aside(&self, row: usize, class: Reason, reason: String) -> SetAsideRow {
        self.clone_origin().set_aside(row, class, reason)
    }

    /// Which rows of the source these are, apart from what becomes of them.
    pub(crate) fn clone_origin(&self) -> Origin {
        Origin { read: self.read.clone(), places: self.places_in_read.clone(), rows: self.len() }
    }

    /// The rows for which `keep` holds.
    pub(crate) fn filtered(self, keep: &[bool]) -> Result<Self, Error> {
        let rows: Vec<usize> = keep.iter().enumerate().filter(|(_, k)| **k).map(|(i, _)| i).collect();
        let columns: Vec<ArrayRef> = self.records.columns().iter().map(|c| take(c, &rows)).collect();
        let records = record_batch(self.records.schema(), columns, rows.len())
            .map_err(|e| Error::Defect(format!("rows cannot be taken out of a block: {e}")))?;
        let some = |c: &Coordinates| Arc::new(c.each_ref().map(|v| rows.iter().map(|r| v[*r]).collect::<Vec<f64>>()));
        Ok(Rows {
            records,
            source_rows: rows.iter().map(|r| self.source_rows[*r]).collect(),
            places_in_read: Some(match &self.places_in_read {
                Some(places) => rows.iter().map(|r| places[*r]).collect(),
                None => rows.clone(),
            }),
            middles: self.middles.as_deref().map(some),
            placed: self
                .placed
                .as_ref()
                .map(|s| Spot { array: take(&s.array, &rows), middles: s.middles.as_deref().map(some) }),
            in_wgs84: self.in_wgs84.as_ref().map(|a| take(a, &rows)),
            read: self.read,
            is_spread: false,
        })
    }

    /// Several rows of one, or none: for each new row the place of the one that it is of, and all columns.
    ///
    /// # Errors
    /// As [`Rows::with_columns`].
    pub(crate) fn spread(self, of: &[usize], schema: &SchemaRef, columns: Vec<ArrayRef>) -> Result<Self, Error> {
        let records = record_batch(schema.clone(), columns, of.len())
            .map_err(|e| Error::Defect(format!("the columns of a step do not go together: {e}")))?;
        let places = |row: &usize| self.places_in_read.as_ref().map_or(*row, |p| p[*row]);
        Ok(Rows {
            records,
            source_rows: of.iter().map(|row| self.source_rows[*row]).collect(),
            places_in_read: Some(of.iter().map(places).collect()),
            middles: None,
            placed: None,
            in_wgs84: None,
            is_spread: true,
            read: self.read,
        })
    }

    /// Whether the last step made several rows of one and took out itself those that it set aside.
    pub(crate) fn take_spread(&mut self) -> bool {
        std::mem::take(&mut self.is_spread)
    }
}

fn nowhere(rows: usize) -> Coordinates {
    [vec![f64::NAN; rows], vec![f64::NAN; rows], vec![f64::NAN; rows]]
}

/// The position that stands for a geometry: a point itself, else the middle of its bounds. In degrees, the bounds of what
/// crosses the 180° meridian lie across it.
pub(crate) fn middle(geometry: &Geometry, in_degrees: bool) -> Option<(f64, f64, Option<f64>)> {
    if let Geometry::Point(p) = geometry {
        return Some((p.x, p.y, Some(p.z).filter(|z| !z.is_nan()))).filter(|(x, y, _)| x.is_finite() && y.is_finite());
    }
    let bounds = if in_degrees { antimeridian::bounds(geometry) } else { None };
    let [w, s, e, n] = bounds.or_else(|| geometry.bounds())?;
    let x = w + (e - w) / 2.0;
    Some((if in_degrees { antimeridian::turned(x) } else { x }, s + (n - s) / 2.0, None))
}

fn positions_of(array: &ArrayRef, shapes: Option<&Geometries>) -> Coordinates {
    let mut out = nowhere(array.len());
    if let Some(points) = Points::of_array(array) {
        let axis = |i: usize| points.axis(i).map(Float64Array::values);
        if array.null_count() == 0 {
            for (i, slot) in out.iter_mut().enumerate() {
                if let Some(values) = axis(i) {
                    slot.copy_from_slice(values);
                }
            }
            return out;
        }
        for row in 0..array.len() {
            if let Some((x, y, z)) = points.get(row) {
                put(&mut out, row, (x, y, z));
            }
        }
    } else if let Some(shapes) = shapes {
        for row in 0..array.len() {
            if let Some((x, y, z)) = shapes.get(row).as_ref().and_then(|g| middle(g, false)) {
                put(&mut out, row, (x, y, z));
            }
        }
    }
    out
}

/// Puts a position to its row; a height that is missing is NaN.
pub(crate) fn put(out: &mut Coordinates, row: usize, (x, y, z): (f64, f64, Option<f64>)) {
    out[0][row] = x;
    out[1][row] = y;
    out[2][row] = z.unwrap_or(f64::NAN);
}

/// A column of points, none of them missing, from columns of numbers that may be shared with others.
pub(crate) fn points(x: &Float64Array, y: &Float64Array, z: Option<&Float64Array>) -> ArrayRef {
    let mut columns: Vec<ArrayRef> = vec![Arc::new(x.clone()), Arc::new(y.clone())];
    if let Some(z) = z {
        columns.push(Arc::new(z.clone()));
    }
    // A place without numbers is none.
    let there = |row: usize| x.value(row).is_finite() && y.value(row).is_finite();
    let nulls = (!(0..x.len()).all(there)).then(|| (0..x.len()).map(there).collect::<Vec<bool>>().into());
    Arc::new(StructArray::new(point_fields(z.is_some()), columns, nulls))
}

/// Whether a field is that of a geometry.
pub(crate) fn is_geometry(field: &Field) -> bool {
    field.metadata().get("ARROW:extension:name").is_some_and(|n| n.starts_with("geoarrow."))
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::StringArray;
    use arrow_schema::{DataType, Schema};
    use basilocus_table::batch::point_field;

    fn rows() -> Rows {
        let schema = Arc::new(Schema::new(vec![
            Field::new("name", DataType::Utf8, true),
            point_field(Some("EPSG:4326"), false),
        ]));
        let (x, y) = (Float64Array::from(vec![1.0, 2.0, 3.0]), Float64Array::from(vec![4.0, 5.0, 6.0]));
        let columns: Vec<ArrayRef> = vec![Arc::new(StringArray::from(vec!["a", "b", "c"])), points(&x, &y, None)];
        Rows::read(Batch::new(schema, columns, vec![2, 3, 4]).unwrap())
    }

    #[test]
    fn rows_taken_out_leave_the_others_with_their_origin() {
        let mut left = rows().filtered(&[true, false, true]).unwrap();
        left.keep_placed();
        let left = left.filtered(&[false, true]).unwrap();
        assert_eq!((left.len(), left.source_rows()), (1, &[4][..]));
        assert_eq!(left.positions_as_placed()[1], [6.0]);
        let aside = left.set_aside(0, Reason::NO_HEIGHT, "why".into());
        assert_eq!((aside.source_row, aside.values[0].as_str()), (4, "c"));
    }

    #[test]
    fn columns_that_do_not_fit_are_a_defect() {
        let schema = Arc::new(Schema::new(vec![Field::new("n", DataType::Utf8, true)]));
        let short: ArrayRef = Arc::new(StringArray::from(vec!["a"]));
        assert!(matches!(rows().with_columns(&schema, vec![short]), Err(Error::Defect(_))));
        assert!(matches!(rows().with_columns(&schema, vec![]), Err(Error::Defect(_))));
    }
}
