//! Shapes with their rows. The index is not needed, and the other files may be missing.

use super::MAGIC;
use super::decode::{self, ShapeDecoder};
use super::record::{Family, Kind};
use crate::dbf::{Table, beside};
use crate::feature::{Shape, layer_schema};
use crate::reader::{About, Block, Decode, InputOptions, Reader};
use crate::{Format, FormatError};
use arrow_schema::SchemaRef;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::Arc;

const HEADER: u64 = 100;
/// Longest shape with its head, in bytes.
const LONGEST: usize = 1 << 30;

/// A shapefile.
pub struct ShapefileReader {
    path: PathBuf,
    about: About,
    schema: SchemaRef,
    shape: Shape,
    table: Option<Arc<Table>>,
    bytes: u64,
}

impl ShapefileReader {
    /// Opens a shapefile by its main file.
    ///
    /// # Errors
    /// Where it cannot be read, its header does not fit, or it has no shape.
    pub fn open(path: &Path, options: &InputOptions) -> Result<Self, FormatError> {
        let mut file = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let bytes = file.metadata().map_err(|e| FormatError::read(path, e))?.len();
        let mut head = [0u8; HEADER as usize];
        file.read_exact(&mut head)
            .map_err(|_| FormatError::broken(path, "ends within its header of 100 bytes; get the file again"))?;
        if head[..4] != MAGIC {
            return Err(FormatError::broken(path, "does not begin as a shapefile does"));
        }
        let code = u32::from_le_bytes([head[32], head[33], head[34], head[35]]);
        let kind = Kind::of(code)
            .ok_or_else(|| FormatError::broken(path, format!("holds shapes of type {code}, which are not read")))?;
        let mut notes = Vec::new();
        let table = match beside(path, "dbf") {
            Some(p) => {
                let table = Table::open(&p, options.encoding.as_deref())?;
                notes.extend(table.notes.iter().cloned());
                Some(Arc::new(table))
            }
            None => {
                notes.push("the table of attributes (.dbf) is missing: there is geometry alone".into());
                None
            }
        };
        let crs = beside(path, "prj").and_then(|p| std::fs::read_to_string(p).ok()).map(|t| t.trim().to_string());
        let crs = crs.filter(|t| !t.is_empty());
        if crs.is_none() {
            notes.push("the file of its reference system (.prj) is missing".into());
        }
        let shape = if kind.family == Family::Point { Shape::Points { z: kind.z } } else { Shape::Any };
        let columns = table.as_ref().map(|t| t.columns()).unwrap_or_default();
        let schema = layer_schema(&columns, shape, crs.as_deref());
        let about = About { crs, notes, bytes, typed: true, ..About::of(path, Format::Shapefile)? };
        Ok(ShapefileReader { path: path.to_path_buf(), about, schema, shape, table, bytes })
    }
}

/// Bytes of shapes that travel together.
const BLOCK: usize = 256 << 10;

impl Reader for ShapefileReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(ShapeDecoder { schema: self.schema.clone(), shape: self.shape, table: self.table.clone() })
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let failed = |e| FormatError::read(&self.path, e);
        let mut file = File::open(&self.path).map_err(failed)?;
        file.seek(SeekFrom::Start(HEADER)).map_err(failed)?;
        let mut rows = self.table.as_ref().map(|t| t.cursor()).transpose()?;
        let (mut read, mut first) = (HEADER, 1u64);
        let empty = |rest: &[u8]| {
            let mut block = Vec::with_capacity(BLOCK * 4);
            block.resize(decode::HEAD, 0);
            block.extend_from_slice(rest);
            block
        };
        let mut block: Vec<u8> = empty(&[]);
        while read < self.bytes {
            let there = (&mut file).take(BLOCK as u64).read_to_end(&mut block).map_err(failed)? as u64;
            if there == 0 {
                return Err(failed(std::io::ErrorKind::UnexpectedEof.into()));
            }
            read += there;
            // What of the block is whole shapes; the rest goes on to the next.
            let (mut at, mut count) = (decode::HEAD, 0);
            while let Some(length) = decode::length(&block[at..]) {
                let missing = (at + length).saturating_sub(block.len()) as u64;
                if read + missing > self.bytes || !(12..=LONGEST).contains(&length) {
                    let shape = first + count;
                    return Err(FormatError::broken(
                        &self.path,
                        format!(
                            "shape {shape} is said to have {} bytes, which does not fit: the file was cut or is damaged; get it again",
                            length - decode::SHAPE_HEAD
                        ),
                    ));
                }
                if missing > 0 {
                    break;
                }
                at += length;
                count += 1;
            }
            if count == 0 {
                continue;
            }
            let next = empty(&block[at..]);
            block.truncate(at);
            let found = match &mut rows {
                Some(cursor) => cursor.many(count, &mut block)?,
                None => 0,
            };
            decode::set_head(&mut block, count, found, (at - decode::HEAD) as u64);
            if !sink(Block::Raw { bytes: std::mem::replace(&mut block, next), first }) {
                return Ok(());
            }
            first += count;
        }
        // Rows of attributes that no shape belongs to.
        while let Some(cursor) = &mut rows {
            let mut block = empty(&[]);
            let found = cursor.many(4096, &mut block)?;
            decode::set_head(&mut block, 0, found, 0);
            if found == 0 || !sink(Block::Raw { bytes: block, first }) {
                break;
            }
            first += found;
        }
        Ok(())
    }
}
