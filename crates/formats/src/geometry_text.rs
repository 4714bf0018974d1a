//! Gives the geometry of any layer as well-known text in a column, for those who want to read it as text.

use crate::FormatError;
use crate::reader::{About, Block, Decode, Decoded, Reader, Suspicion};
use arrow_array::{ArrayRef, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::batch::spatial_index;
use basilocus_table::geometry::wkt;
use basilocus_table::{Batch, POINT_COLUMN, Spatial};
use std::sync::Arc;

/// A reader whose geometry is text; one of a table is as it was.
pub(crate) struct GeometryText(pub Box<dyn Reader>);

fn schema_of(schema: &SchemaRef) -> SchemaRef {
    let Some(at) = spatial_index(schema) else { return schema.clone() };
    let mut fields: Vec<Field> = schema.fields().iter().map(|f| f.as_ref().clone()).collect();
    fields[at] = Field::new(POINT_COLUMN, DataType::Utf8, true);
    Arc::new(Schema::new(fields))
}

impl Reader for GeometryText {
    fn about(&self) -> &About {
        self.0.about()
    }

    fn schema(&self) -> SchemaRef {
        schema_of(&self.0.schema())
    }

    fn found(&self) -> Vec<Suspicion> {
        self.0.found()
    }

    fn set_north_first(&mut self, north_first: bool) {
        self.0.set_north_first(north_first);
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(TextDecoder(self.0.decoder()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        self.0.read(sink)
    }
}

struct TextDecoder(Arc<dyn Decode>);

impl Decode for TextDecoder {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let decoded = self.0.decode(block)?;
        let records = decoded.batch.records();
        let Some(at) = spatial_index(&records.schema()) else { return Ok(decoded) };
        let n = decoded.batch.len();
        let spatial = Spatial::of(records);
        let texts: StringArray = (0..n).map(|row| spatial.get(row).map(|g| wkt::write(&g))).collect();
        let mut columns: Vec<ArrayRef> = records.columns().to_vec();
        columns[at] = Arc::new(texts);
        let schema = schema_of(&records.schema());
        let batch = Batch::new(schema, columns, decoded.batch.source_rows().to_vec())?;
        Ok(Decoded { batch, ..decoded })
    }
}
