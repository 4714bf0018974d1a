//! Writes GeoTIFF.

use super::keys::{DEGREE, DOUBLES, TEXTS, USER_DEFINED, key};
use super::tags;
use crate::raster::{RasterOut, RasterValues, RasterWriter, check_rows, foreign_definition, write_definition};
use crate::temporary::TemporaryFile;
use crate::{CrsText, FormatError, PendingOutput};
use flate2::Compression;
use flate2::write::ZlibEncoder;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use tiff::encoder::{TiffEncoder, TiffKind, TiffKindBig, TiffKindStandard};
use tiff::tags::Tag;

/// Cells along the side of a tile.
const TILE: usize = 256;
/// From here on the places in a file need more than 32 bits.
const LARGEST_CLASSIC: u64 = 4_000_000_000;

/// Takes the rows of a GeoTIFF. Tiles wait packed in a temporary file until all are there, as what stands in front of them
/// says where each is.
pub(crate) struct GeoTiffWriter {
    pending: PendingOutput,
    out: RasterOut,
    notices: Vec<String>,
    rows: usize,
    /// The rows of the tiles that are being filled.
    band: Vec<f64>,
    waiting: BufWriter<File>,
    spool: TemporaryFile,
    lengths: Vec<u32>,
}

impl GeoTiffWriter {
    pub(crate) fn create(mut pending: PendingOutput, out: RasterOut) -> Result<Self, FormatError> {
        let mut notices = Vec::new();
        match &out.crs {
            Some(crs) if code_of(crs).is_none() && out.keys.is_none() => {
                write_definition(&mut pending, crs)?;
                notices.push(format!(
                    "{}: the system {} has no code, so that its definition stands beside the file (.prj)",
                    pending.target().display(),
                    crs.name
                ));
            }
            Some(_) => {}
            None => notices.extend(foreign_definition(&pending)),
        }
        let failed = |e: std::io::Error| FormatError::write(pending.target(), e);
        let spool = TemporaryFile::new().map_err(failed)?;
        let waiting = BufWriter::with_capacity(1 << 18, File::create(&*spool).map_err(failed)?);
        let band = Vec::with_capacity(out.place.columns * TILE.min(out.place.rows));
        Ok(GeoTiffWriter { pending, out, notices, rows: 0, band, waiting, spool, lengths: Vec::new() })
    }

    /// Packs the tiles of the rows that are there, on all cores: that is most of the work of writing.
    fn pack_band(&mut self) -> Result<(), FormatError> {
        let columns = self.out.place.columns;
        let tiles = columns.div_ceil(TILE);
        let threads = std::thread::available_parallelism().map_or(1, |n| n.get());
        let (band, values) = (&self.band, self.out.values);
        let packed: std::io::Result<Vec<Vec<u8>>> = std::thread::scope(|scope| {
            let each = tiles.div_ceil(threads).max(1);
            let parts = (0..tiles).step_by(each).map(|first| {
                scope.spawn(move || {
                    let of = first..(first + each).min(tiles);
                    of.map(|tile| pack_tile(band, columns, tile * TILE, values)).collect::<std::io::Result<Vec<_>>>()
                })
            });
            // All are at work before the first is waited for.
            let parts: Vec<_> = parts.collect();
            let mut packed = Vec::with_capacity(tiles);
            for part in parts {
                packed.extend(part.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))?);
            }
            Ok(packed)
        });
        let failed = |e: std::io::Error| FormatError::write(self.pending.target(), e);
        for tile in packed.map_err(failed)? {
            self.waiting.write_all(&tile).map_err(failed)?;
            self.lengths.push(tile.len() as u32);
        }
        self.band.clear();
        Ok(())
    }

    fn assemble<K: TiffKind>(&mut self, mut encoder: TiffEncoder<BufWriter<File>, K>) -> Result<(), tiff::TiffError>
    where
        [K::OffsetType]: tiff::encoder::TiffValue,
    {
        let place = self.out.place;
        let mut directory = encoder.image_directory()?;
        let mut waiting = BufReader::with_capacity(1 << 18, File::open(&*self.spool)?);
        let mut offsets = Vec::with_capacity(self.lengths.len());
        let mut tile = Vec::new();
        for length in &self.lengths {
            tile.resize(*length as usize, 0);
            waiting.read_exact(&mut tile)?;
            offsets.push(directory.write_data(&tile[..])?);
        }
        let (bits, form, predictor): (u16, u16, u16) = match self.out.values {
            RasterValues::Numbers => (32, 3, 3),
            RasterValues::Light => (8, 1, 2),
        };
        directory.write_tag(Tag::ImageWidth, place.columns as u32)?;
        directory.write_tag(Tag::ImageLength, place.rows as u32)?;
        directory.write_tag(Tag::BitsPerSample, bits)?;
        // Deflated; dark is zero.
        directory.write_tag(Tag::Compression, 8u16)?;
        directory.write_tag(Tag::PhotometricInterpretation, 1u16)?;
        directory.write_tag(Tag::SamplesPerPixel, 1u16)?;
        directory.write_tag(Tag::PlanarConfiguration, 1u16)?;
        directory.write_tag(Tag::Predictor, predictor)?;
        directory.write_tag(Tag::TileWidth, TILE as u32)?;
        directory.write_tag(Tag::TileLength, TILE as u32)?;
        let offsets: Vec<K::OffsetType> = offsets.into_iter().map(K::convert_offset).collect::<Result<_, _>>()?;
        directory.write_tag(Tag::TileOffsets, &offsets[..])?;
        directory.write_tag(Tag::TileByteCounts, &self.lengths[..])?;
        directory.write_tag(Tag::SampleFormat, form)?;
        directory.write_tag(tags::PIXEL_SCALE, &[place.step_x, place.step_y, 0.0][..])?;
        let corner = [place.west - place.step_x / 2.0, place.north + place.step_y / 2.0];
        directory.write_tag(tags::TIEPOINT, &[0.0, 0.0, 0.0, corner[0], corner[1], 0.0][..])?;
        let Directory { keys, doubles, texts } = Directory::of(&self.out);
        directory.write_tag(tags::KEY_DIRECTORY, &keys[..])?;
        if !doubles.is_empty() {
            directory.write_tag(tags::doubles(), &doubles[..])?;
        }
        if !texts.is_empty() {
            directory.write_tag(tags::texts(), texts.as_str())?;
        }
        let no_data = match self.out.values {
            RasterValues::Numbers => "nan",
            RasterValues::Light => "0",
        };
        directory.write_tag(tags::no_data(), no_data)?;
        directory.finish()
    }
}

impl RasterWriter for GeoTiffWriter {
    fn row(&mut self, values: &[f64]) -> Result<(), FormatError> {
        self.band.extend_from_slice(values);
        self.rows += 1;
        if self.rows.is_multiple_of(TILE) || self.rows == self.out.place.rows {
            self.pack_band()?;
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> Result<(PendingOutput, Vec<String>), FormatError> {
        check_rows(self.pending.target(), self.out.place.rows, self.rows)?;
        let target = self.pending.target().to_path_buf();
        let failed = |e: &dyn std::fmt::Display| FormatError::write(&target, e);
        self.waiting.flush().map_err(|e| failed(&e))?;
        let file = BufWriter::new(File::create(self.pending.path()).map_err(|e| failed(&e))?);
        let size: u64 = self.lengths.iter().map(|l| u64::from(*l)).sum();
        let done = if size < LARGEST_CLASSIC {
            TiffEncoder::<_, TiffKindStandard>::new_generic(file).and_then(|e| self.assemble(e))
        } else {
            TiffEncoder::<_, TiffKindBig>::new_generic(file).and_then(|e| self.assemble(e))
        };
        done.map_err(|e| failed(&e))?;
        Ok((self.pending, self.notices))
    }
}

/// The code of a system, where a key can hold it.
fn code_of(crs: &CrsText) -> Option<u16> {
    crs.code.and_then(|code| u16::try_from(code).ok()).filter(|code| *code < USER_DEFINED && *code > 0)
}

/// The directory of keys, in the order of their numbers, and the numbers and texts that they point to.
#[derive(Default)]
struct Directory {
    keys: Vec<u16>,
    doubles: Vec<f64>,
    texts: String,
}

impl Directory {
    fn of(out: &RasterOut) -> Self {
        let mut directory = Directory::default();
        let mut entries: Vec<[u16; 4]> = Vec::new();
        if let Some(crs) = &out.crs {
            let code = code_of(crs);
            let own = out.keys.as_ref().filter(|_| code.is_none());
            let code = code.unwrap_or(USER_DEFINED);
            entries.push([key::MODEL, 0, 1, if crs.geographic { 2 } else { 1 }]);
            entries.push([key::RASTER, 0, 1, 1]);
            entries.push(directory.text(key::CITATION, &crs.name));
            if crs.geographic {
                entries.push([key::GEODETIC, 0, 1, code]);
                entries.push([key::ANGULAR_UNIT, 0, 1, DEGREE]);
            } else {
                let base = own.and_then(|keys| keys.geodetic);
                entries.extend(base.map(|base| [key::GEODETIC, 0, 1, base]));
                entries.extend(base.map(|_| [key::ANGULAR_UNIT, 0, 1, DEGREE]));
                entries.push([key::PROJECTED, 0, 1, code]);
            }
            if let Some(keys) = own {
                entries.push(directory.text(key::PROJECTED_CITATION, &crs.name));
                entries.push([key::PROJECTION, 0, 1, USER_DEFINED]);
                entries.extend(keys.method.map(|method| [key::METHOD, 0, 1, method]));
                entries.push([key::LINEAR_UNIT, 0, 1, keys.linear_unit.unwrap_or(USER_DEFINED)]);
                entries.extend(keys.linear_unit_size.map(|size| directory.double(key::LINEAR_UNIT_SIZE, size)));
                entries.extend(keys.parameters.iter().map(|(number, value)| directory.double(*number, *value)));
            }
        } else {
            entries.push([key::RASTER, 0, 1, 1]);
        }
        if let Some(vertical) = out.vertical.and_then(|code| u16::try_from(code).ok()) {
            entries.push([key::VERTICAL, 0, 1, vertical]);
        }
        directory.keys = vec![1, 1, 1, entries.len() as u16];
        directory.keys.extend(entries.iter().flatten());
        directory
    }

    /// An entry that points to a text.
    fn text(&mut self, number: u16, text: &str) -> [u16; 4] {
        let text = text.chars().map(|c| if c.is_ascii() && c != '|' { c } else { '?' });
        let from = self.texts.len();
        self.texts.extend(text.chain(['|']));
        [number, TEXTS, (self.texts.len() - from) as u16, from as u16]
    }

    /// An entry that points to a number.
    fn double(&mut self, number: u16, value: f64) -> [u16; 4] {
        self.doubles.push(value);
        [number, DOUBLES, 1, (self.doubles.len() - 1) as u16]
    }
}

/// The packed bytes of a tile of a band of rows, whose western column is said.
fn pack_tile(band: &[f64], columns: usize, west: usize, values: RasterValues) -> std::io::Result<Vec<u8>> {
    let width = TILE.min(columns - west);
    let mut tile = vec![f64::NAN; TILE * TILE];
    for (row, heights) in band.chunks_exact(columns).enumerate() {
        tile[row * TILE..row * TILE + width].copy_from_slice(&heights[west..west + width]);
    }
    let bytes = match values {
        RasterValues::Numbers => floats(&tile),
        RasterValues::Light => light(&tile),
    };
    let mut packer = ZlibEncoder::new(Vec::new(), Compression::new(5));
    packer.write_all(&bytes)?;
    packer.finish()
}

/// The bytes of a tile of floats: of each row first the highest bytes of all, then the next ones, each less the one before
/// (TIFF Technical Note 3).
fn floats(tile: &[f64]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(tile.len() * 4);
    let mut row_bytes = vec![0u8; 4 * TILE];
    for row in tile.chunks_exact(TILE) {
        for (i, value) in row.iter().enumerate() {
            for (plane, byte) in (*value as f32).to_be_bytes().into_iter().enumerate() {
                row_bytes[plane * TILE + i] = byte;
            }
        }
        difference(&mut row_bytes);
        bytes.extend_from_slice(&row_bytes);
    }
    bytes
}

/// The bytes of a tile of light: 1 (dark) to 255, and 0 where there is none.
fn light(tile: &[f64]) -> Vec<u8> {
    let of = |v: &f64| if v.is_nan() { 0 } else { 1 + (v.clamp(0.0, 1.0) * 254.0).round() as u8 };
    let mut bytes: Vec<u8> = tile.iter().map(of).collect();
    bytes.chunks_exact_mut(TILE).for_each(difference);
    bytes
}

fn difference(row: &mut [u8]) {
    for i in (1..row.len()).rev() {
        row[i] = row[i].wrapping_sub(row[i - 1]);
    }
}
