//! Each position of a geometry as a row, with the columns of the row that it is of.

use super::number_field;
use crate::Error;
use arrow_array::{Array, ArrayRef, Int64Array};
use arrow_schema::{Field, Schema, SchemaRef};
use basilocus_formats::{About, Block, Decode, Decoded, FormatError, Reader};
use basilocus_table::batch::{point_array, point_crs, point_field, record_batch, take};
use basilocus_table::geometry::{Geometries, Geometry, Position, geometry_index};
use basilocus_table::{Batch, SetAsideRow};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A reader of positions.
pub(super) struct PositionsReader {
    inner: Box<dyn Reader>,
    schema: SchemaRef,
}

/// A position with the numbers of its part, its ring in the part, and its place in the ring, from 1.
type Numbered = (Position, [i64; 3]);

/// The positions of a geometry in order.
fn numbered(g: &Geometry, part: &mut i64, out: &mut Vec<Numbered>) {
    let mut list = |positions: &[Position], part: i64, ring: i64| {
        out.extend(positions.iter().enumerate().map(|(i, p)| (*p, [part, ring, i as i64 + 1])));
    };
    match g {
        Geometry::Point(p) => {
            *part += 1;
            list(&[*p], *part, 1);
        }
        Geometry::MultiPoint(l) => {
            for p in l {
                *part += 1;
                list(&[*p], *part, 1);
            }
        }
        Geometry::LineString(l) => {
            *part += 1;
            list(l, *part, 1);
        }
        Geometry::MultiLineString(l) => {
            for line in l {
                *part += 1;
                list(line, *part, 1);
            }
        }
        Geometry::Polygon(rings) => {
            *part += 1;
            rings.iter().enumerate().for_each(|(i, r)| list(r, *part, i as i64 + 1));
        }
        Geometry::MultiPolygon(l) => {
            for rings in l {
                *part += 1;
                rings.iter().enumerate().for_each(|(i, r)| list(r, *part, i as i64 + 1));
            }
        }
        Geometry::Collection(l) => l.iter().for_each(|g| numbered(g, part, out)),
    }
}

impl PositionsReader {
    pub(super) fn open(mut inner: Box<dyn Reader>, path: &Path, told: &mut Vec<String>) -> Result<Self, Error> {
        let source = inner.schema();
        let Some(geometry) = geometry_index(&source) else {
            return Err(Error::Plan(format!(
                "--gather points: {} has no lines or polygons whose positions could become points",
                path.display()
            )));
        };
        // Whether there are heights decides the form of the points.
        let (mut z, mut rows, mut positions) = (false, 0u64, 0u64);
        let decoder = inner.decoder();
        let mut failed = None;
        inner.read(&mut |block| match decoder.decode(block) {
            Ok(d) => {
                if let Some(shapes) = Geometries::of(&d.batch.records) {
                    for g in (0..d.batch.len()).filter_map(|r| shapes.get(r)) {
                        rows += 1;
                        g.each_position(&mut |p| {
                            positions += 1;
                            z |= !p.z.is_nan();
                        });
                    }
                }
                true
            }
            Err(e) => {
                failed = Some(e);
                false
            }
        })?;
        if let Some(e) = failed {
            return Err(e.into());
        }
        told.push(format!("{rows} rows have {positions} positions, each a row now"));
        let mut fields: Vec<Field> = source
            .fields()
            .iter()
            .enumerate()
            .filter(|(i, _)| *i != geometry)
            .map(|(_, f)| f.as_ref().clone())
            .collect();
        for name in ["part", "ring", "position"] {
            let taken: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
            fields.push(number_field(name, &taken));
        }
        fields.push(point_field(point_crs(&source).as_deref(), z));
        Ok(PositionsReader { inner, schema: Arc::new(Schema::new(fields)) })
    }
}

impl Reader for PositionsReader {
    fn about(&self) -> &About {
        self.inner.about()
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PositionsDecoder {
            path: self.inner.about().path.clone(),
            inner: self.inner.decoder(),
            schema: self.schema.clone(),
        })
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        self.inner.read(sink)
    }
}

struct PositionsDecoder {
    path: PathBuf,
    inner: Arc<dyn Decode>,
    schema: SchemaRef,
}

impl Decode for PositionsDecoder {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let Decoded { batch, mut set_aside, bytes } = self.inner.decode(block)?;
        let records = &batch.records;
        let (Some(geometry), Some(shapes)) = (geometry_index(&records.schema()), Geometries::of(records)) else {
            return Ok(Decoded { batch, set_aside, bytes });
        };
        let with_z = self
            .schema
            .fields()
            .last()
            .is_some_and(|f| matches!(f.data_type(), arrow_schema::DataType::Struct(f) if f.len() > 2));
        let width = self.schema.fields().len();
        set_aside.iter_mut().for_each(|r| r.values.resize(width, String::new()));
        let (mut rows, mut places): (Vec<usize>, Vec<Numbered>) = (Vec::new(), Vec::new());
        for row in 0..batch.len() {
            let before = places.len();
            if let Some(g) = shapes.get(row) {
                numbered(&g, &mut 0, &mut places);
            }
            if places.len() == before {
                let mut values = batch.row_texts(row);
                values.remove(geometry);
                values.resize(width, String::new());
                set_aside.push(SetAsideRow {
                    source_row: batch.source_rows[row],
                    class: "no geometry".into(),
                    reason: "the row has no geometry, or an empty one, so it has no position".into(),
                    values,
                });
            }
            rows.resize(places.len(), row);
        }
        let mut columns: Vec<ArrayRef> =
            (0..records.num_columns()).filter(|i| *i != geometry).map(|i| take(records.column(i), &rows)).collect();
        for n in 0..3 {
            columns.push(Arc::new(places.iter().map(|(_, numbers)| Some(numbers[n])).collect::<Int64Array>()));
        }
        let axis = |f: fn(&Position) -> f64| -> Vec<f64> { places.iter().map(|(p, _)| f(p)).collect() };
        columns.push(point_array(axis(|p| p.x), axis(|p| p.y), with_z.then(|| axis(|p| p.z))));
        debug_assert!(columns.iter().all(|c| c.len() == rows.len()));
        let source_rows: Vec<u64> = rows.iter().map(|r| batch.source_rows[*r]).collect();
        let records = record_batch(self.schema.clone(), columns, rows.len()).map_err(|e| FormatError::Broken {
            path: self.path.clone(),
            problem: format!("the positions do not make a table: {e}; this is a defect"),
        })?;
        Ok(Decoded { batch: Batch { records, source_rows }, set_aside, bytes })
    }
}
