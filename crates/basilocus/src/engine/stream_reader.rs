//! Rows that somebody else makes while they are read, as a source like any other, but for one thing: they come once.

use super::memory::about_records;
use crate::Error;
use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use basilocus_formats::{About, Block, Decode, Decoded, FormatError, PassThrough, Reader};
use basilocus_table::{Batch, BatchError};
use crossbeam_channel::Receiver;
use std::sync::{Arc, Mutex, PoisonError};

/// Batches of rows as they come, or what went wrong where they are made.
pub type RecordReceiver = Receiver<Result<RecordBatch, String>>;

/// Rows as they come.
#[derive(Debug, Clone)]
pub struct RecordStream {
    schema: SchemaRef,
    batches: Arc<Mutex<Option<RecordReceiver>>>,
}

impl PartialEq for RecordStream {
    /// Two are the same where they are one.
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.batches, &other.batches)
    }
}

impl RecordStream {
    /// Rows with these columns.
    ///
    /// # Errors
    /// [`Error::Data`] for types that cannot be written.
    pub(crate) fn new(schema: SchemaRef, batches: RecordReceiver) -> Result<Self, Error> {
        if let Some(f) = schema.fields().iter().find(|f| !Batch::admits(f.data_type())) {
            let problem = BatchError::Kind { column: f.name().clone(), kind: f.data_type().clone() };
            return Err(Error::Data(problem.to_string()));
        }
        Ok(RecordStream { schema, batches: Arc::new(Mutex::new(Some(batches))) })
    }
}

/// Reads them.
pub(crate) struct StreamReader {
    about: About,
    schema: SchemaRef,
    batches: RecordReceiver,
    /// The first batch: it is looked at before all are read.
    first: Option<Batch>,
    /// Whether more than the first were taken.
    is_under_way: bool,
    /// The number of the next row.
    next: u64,
}

impl StreamReader {
    /// Takes the rows.
    ///
    /// # Errors
    /// [`Error::Data`] where they were taken before.
    pub(crate) fn of(name: &str, stream: &RecordStream) -> Result<Self, Error> {
        let batches = stream.batches.lock().unwrap_or_else(PoisonError::into_inner).take();
        let batches =
            batches.ok_or_else(|| Error::Data(format!("the rows of {name} were read before; they come once")))?;
        let schema = stream.schema.clone();
        Ok(StreamReader {
            about: about_records(name, &schema),
            schema,
            batches,
            first: None,
            is_under_way: false,
            next: 1,
        })
    }

    fn broken(&self, problem: impl Into<String>) -> FormatError {
        FormatError::broken(&self.about.path, problem.into())
    }

    fn receive(&mut self) -> Result<Option<Batch>, FormatError> {
        let Ok(batch) = self.batches.recv() else { return Ok(None) };
        let records = batch.map_err(|e| self.broken(e))?;
        if records.schema().fields() != self.schema.fields() {
            return Err(self.broken("a batch has other columns than those that were said"));
        }
        let numbers = (self.next..self.next + records.num_rows() as u64).collect();
        self.next += records.num_rows() as u64;
        Batch::of(records, numbers).map(Some).map_err(|e| self.broken(e.to_string()))
    }
}

impl Reader for StreamReader {
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
        if self.is_under_way {
            return Err(self.broken(
                "a step or format has to see these rows twice, and they come once: write them to a file first",
            ));
        }
        if self.first.is_none() {
            self.first = self.receive()?;
        }
        let mut next = self.first.clone();
        while let Some(batch) = next {
            if !sink(Block::Rows(Decoded { batch, set_aside: Vec::new(), bytes: 0 })) {
                return Ok(());
            }
            self.is_under_way = true;
            next = self.receive()?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use crate::Layer;
    use crate::steps::Positions;
    use arrow_array::{Float64Array, RecordBatch};
    use std::sync::Arc;

    fn batch(from: u32, rows: u32) -> RecordBatch {
        let column = |at: f64| {
            let values = (from..from + rows).map(|i| Some(at + f64::from(i) * 1e-5));
            Arc::new(values.collect::<Float64Array>()) as _
        };
        RecordBatch::try_from_iter([("lon", column(-124.0)), ("lat", column(46.0))]).unwrap()
    }

    #[test]
    fn rows_that_come_are_written_as_those_that_are_there() {
        let folder = tempfile::tempdir().unwrap();
        let batches: Vec<RecordBatch> = (0..20).map(|i| batch(i * 100, 100)).collect();
        let written = |name: &str, layer: Layer| {
            let out = folder.path().join(name);
            let layer = layer.positions(Positions::in_system("EPSG:4326").unwrap());
            let report = layer.to("EPSG:32610").unwrap().write(&out).unwrap().run().unwrap();
            assert_eq!((report.rows_in, report.rows_out), (2000, 2000));
            std::fs::read(out).unwrap()
        };
        let kept = written("kept.csv", Layer::from_records("rows", batches.clone()).unwrap());
        let (send, receive) = crossbeam_channel::bounded(1);
        let schema = batches[0].schema();
        let maker = std::thread::spawn(move || batches.into_iter().for_each(|b| send.send(Ok(b)).unwrap()));
        let streamed = written("streamed.csv", Layer::from_stream("rows", schema, receive).unwrap());
        maker.join().unwrap();
        assert!(kept == streamed && kept.len() > 50_000);
    }

    #[test]
    fn what_goes_wrong_where_rows_are_made_ends_the_run() {
        let folder = tempfile::tempdir().unwrap();
        let (send, receive) = crossbeam_channel::bounded(2);
        send.send(Ok(batch(0, 5))).unwrap();
        send.send(Err("the wind blew it away".to_string())).unwrap();
        let out = folder.path().join("out.csv");
        let layer = Layer::from_stream("rows", batch(0, 0).schema(), receive).unwrap().write(&out).unwrap();
        let told = layer.run().unwrap_err().to_string();
        assert!(told.contains("the wind blew it away") && !out.exists(), "{told}");
        assert!(layer.run().unwrap_err().to_string().contains("they come once"));
    }
}
