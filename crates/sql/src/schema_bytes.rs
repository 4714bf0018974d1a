//! Columns as bytes, as the stream format of Arrow begins: with the systems of geometries, which other forms lose.

use datafusion::arrow::datatypes::{Schema, SchemaRef};
use datafusion::arrow::error::ArrowError;
use datafusion::arrow::ipc::reader::StreamReader;
use datafusion::arrow::ipc::writer::StreamWriter;

pub(crate) fn written(schema: &Schema) -> Result<Vec<u8>, ArrowError> {
    let mut out = Vec::new();
    StreamWriter::try_new(&mut out, schema)?.flush()?;
    Ok(out)
}

pub(crate) fn read(bytes: &[u8]) -> Result<SchemaRef, ArrowError> {
    Ok(StreamReader::try_new(bytes, None)?.schema())
}
