//! Placemarks as rows: name, description, folder, time, icon, colour, balloon, and the data that they carry, typed or not.

use super::looks::{COLUMNS, Looks, filled};
use super::placemark::{FOLDER, Placemark, placemark};
use super::survey::{PLACEMARK, Places, survey};
use crate::feature::{Features, Shape, cells, layer_schema};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, Reader};
use crate::xml::{self, not_well_formed};
use crate::xml_pieces::{Cut, Cutter, PieceBlock, failed};
use crate::{Format, FormatError};
use arrow_schema::{DataType, SchemaRef};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes of placemarks that travel together.
const TOGETHER: usize = 256 << 10;

/// A KML file.
pub struct KmlReader {
    about: About,
    layout: Arc<Layout>,
}

/// What the placemarks have in common.
struct Layout {
    path: PathBuf,
    schema: SchemaRef,
    shape: Shape,
    columns: Vec<String>,
    looks: Looks,
    places: Places,
}

impl KmlReader {
    /// Opens a file and goes through it once for its columns.
    ///
    /// # Errors
    /// Where it cannot be read, is no well-formed XML, or has no placemark.
    pub fn open(path: &Path, _: &InputOptions) -> Result<Self, FormatError> {
        let (found, looks, places) = survey(path)?;
        if found.rows == 0 {
            return Err(FormatError::Empty {
                path: path.to_path_buf(),
                what: "the file holds no Placemark; it may only lead to others (NetworkLink)",
            });
        }
        let (mut columns, mut said, mut notes) = (found.columns, found.said, Vec::new());
        if let Some(name) = found.folders.only() {
            columns.retain(|c| c != FOLDER);
            notes.push(format!("all placemarks are in the folder \"{name}\""));
        }
        // A style may stand behind what uses it: only now all are known.
        for look in found.shared.iter().filter_map(|url| looks.of(url)) {
            said.iter_mut().zip(&look.0).for_each(|(all, one)| *all |= one.is_some());
        }
        for (column, _) in COLUMNS.iter().zip(said).filter(|(_, said)| *said) {
            if !columns.iter().any(|c| c == column) {
                columns.push(column.to_string());
            }
        }
        let shape = if found.any_shape { Shape::Any } else { Shape::Points { z: found.z } };
        let kinds: Vec<(String, DataType)> = columns.iter().map(|c| (c.clone(), DataType::Utf8)).collect();
        let about = About {
            crs: Some("EPSG:4326".into()),
            notes,
            // Data of KML is text unless a schema says otherwise; the values decide.
            ..About::of(path, Format::Kml)?
        };
        let schema = layer_schema(&kinds, shape, Some("EPSG:4326"));
        let layout = Layout { path: path.to_path_buf(), schema, shape, columns, looks, places };
        Ok(KmlReader { about, layout: Arc::new(layout) })
    }
}

impl Reader for KmlReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.layout.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        self.layout.clone()
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        let path = &self.layout.path;
        let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let mut cutter = Cutter::new(xml::decoded(file, xml::encoding(path)?), PLACEMARK);
        let mut block = PieceBlock::default();
        let (mut first, mut rows) = (1, 0);
        loop {
            let ended = match cutter.next().map_err(|e| failed(path, e))? {
                Cut::Around(_) => continue,
                Cut::Piece(piece) => {
                    block.push(piece);
                    rows += 1;
                    false
                }
                Cut::End => true,
            };
            if rows > 0 && (ended || block.bytes() >= TOGETHER) {
                if !sink(Block::Raw { bytes: block.take(), first }) {
                    return Ok(());
                }
                first += rows;
                rows = 0;
            }
            if ended {
                return Ok(());
            }
        }
    }
}

impl Layout {
    /// The folder of a row.
    fn folder(&self, row: u64) -> &str {
        let behind = self.places.partition_point(|(from, _)| *from <= row);
        behind.checked_sub(1).map_or("", |at| &self.places[at].1)
    }

    /// Adds what its style says to a placemark's values.
    fn with_looks(&self, p: &mut Placemark) {
        let shared = p.shared.take().and_then(|url| self.looks.of(&url));
        for (i, (column, own)) in COLUMNS.iter().zip(std::mem::take(&mut p.own.0)).enumerate() {
            // What the placemark says itself counts more than what it shares; data of the name counts more than both.
            let found = own.or_else(|| shared.and_then(|look| look.0[i].clone()));
            if let Some(text) = found.filter(|_| !p.values.iter().any(|(n, _)| n == column)) {
                let text = if *column == "balloon" { filled(&text, &p.values) } else { text };
                p.values.push((column.to_string(), text));
            }
        }
    }
}

impl Decode for Layout {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        let (bytes, first) = match block {
            Block::Raw { bytes, first } => (bytes, first),
            Block::Rows(decoded) => return Ok(decoded),
        };
        let mut features = Features::new(self.schema.clone(), self.shape);
        for (row, piece) in (first..).zip(PieceBlock::pieces(&bytes)) {
            let element = xml::element(&xml::text(piece.bytes))
                .map_err(|(at, problem)| not_well_formed(&self.path, piece.offset + at, &problem))?;
            let mut p = placemark(&element, self.folder(row));
            self.with_looks(&mut p);
            let cells = cells(&self.columns, p.values);
            match p.geometry {
                Ok(geometry) => features.push(row, cells, geometry, piece.bytes.len() as u64),
                Err(problem) => features.set_aside(row, &cells, "geometry cannot be read", problem),
            }
        }
        features.finish()
    }
}
