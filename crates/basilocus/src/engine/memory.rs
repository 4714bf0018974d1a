//! Rows that are in memory, as a source like any other.

use crate::Error;
use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use basilocus_formats::{About, Block, Decode, Decoded, Format, FormatError, PassThrough, Reader};
use basilocus_table::{Batch, SetAsideRow};
use std::path::PathBuf;
use std::sync::Arc;

/// A reader of rows in memory.
pub(crate) struct MemoryReader {
    about: About,
    schema: SchemaRef,
    batches: Vec<Batch>,
    /// Rows that were set aside before, given with the first block.
    set_aside: Vec<SetAsideRow>,
}

/// Rows of the caller's own, as Arrow has them.
#[derive(Debug, Clone, PartialEq)]
pub enum Records {
    /// All of them, in memory.
    Kept(Arc<Vec<RecordBatch>>),
    /// As they come; they are read once.
    Stream(super::stream_reader::RecordStream),
}

impl MemoryReader {
    /// Rows that steps made of those of another source.
    pub(crate) fn made(about: About, schema: SchemaRef, batch: Batch, set_aside: Vec<SetAsideRow>) -> Self {
        MemoryReader { about, schema, batches: vec![batch], set_aside }
    }

    /// Rows of the caller's own; their numbers are counted from 1.
    ///
    /// # Errors
    /// [`Error::Data`] where the batches differ in their columns or hold types that cannot be written.
    pub(crate) fn of(name: &str, records: &[RecordBatch]) -> Result<Self, Error> {
        let Some(first) = records.first() else {
            return Err(Error::Data("no batch of rows is given; one that is empty will do for its columns".into()));
        };
        let schema = first.schema();
        let (mut batches, mut number) = (Vec::new(), 1);
        for batch in records {
            if batch.schema() != schema {
                return Err(Error::Data("the batches of rows differ in their columns".into()));
            }
            let source_rows = (number..number + batch.num_rows() as u64).collect();
            number += batch.num_rows() as u64;
            batches.push(Batch::of(batch.clone(), source_rows).map_err(|e| Error::Data(e.to_string()))?);
        }
        let about = about_records(name, &schema);
        Ok(MemoryReader { about, schema, batches, set_aside: Vec::new() })
    }
}

/// What is known of rows of the caller's own.
pub(super) fn about_records(name: &str, schema: &SchemaRef) -> About {
    About {
        path: PathBuf::from(name),
        format: Format::Delimited,
        layer: None,
        layers: Vec::new(),
        crs: basilocus_table::batch::point_crs(schema),
        header_row: None,
        encoding: None,
        delimiter: None,
        notes: Vec::new(),
        suspicions: Vec::new(),
        bytes: 0,
        typed: true,
        axes_by_registry: false,
        tree: Vec::new(),
    }
}

impl Reader for MemoryReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema.clone()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let mut set_aside = self.set_aside.clone();
        for batch in &self.batches {
            let rows = Decoded {
                batch: batch.clone(),
                set_aside: std::mem::take(&mut set_aside),
                bytes: self.about.bytes / self.batches.len() as u64,
            };
            if !sink(Block::Rows(rows)) {
                break;
            }
        }
        Ok(())
    }
}
