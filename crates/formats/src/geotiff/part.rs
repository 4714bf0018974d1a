//! A part of a TIFF as an image of its own.
//!
//! Of a tile that reaches beyond the image the package reads each row by itself, and some LZW streams, which are whole, end too
//! early for it. Read in one piece they do not.

use std::fs::File;
use std::io::{BufReader, Cursor, Read, Seek, SeekFrom};
use tiff::TiffError;
use tiff::decoder::{Decoder, DecodingResult};
use tiff::tags::{ByteOrder, Tag};

/// The code of LZW.
const LZW: u16 = 5;

/// The values of a whole tile, row by row as wide as tiles are; `None` where the file is of another kind.
///
/// # Errors
/// Where the tile is damaged.
pub(super) fn whole_tile(
    decoder: &mut Decoder<BufReader<File>>,
    index: u32,
) -> Result<Option<DecodingResult>, TiffError> {
    let mut number = |tag: Tag, usual: u16| -> Result<u16, TiffError> {
        Ok(decoder.find_tag_unsigned_vec::<u16>(tag)?.and_then(|v| v.first().copied()).unwrap_or(usual))
    };
    let (compression, samples) = (number(Tag::Compression, 1)?, number(Tag::SamplesPerPixel, 1)?);
    let (bits, form, predictor) =
        (number(Tag::BitsPerSample, 1)?, number(Tag::SampleFormat, 1)?, number(Tag::Predictor, 1)?);
    let offsets = decoder.find_tag_unsigned_vec::<u64>(Tag::TileOffsets)?.unwrap_or_default();
    let lengths = decoder.find_tag_unsigned_vec::<u64>(Tag::TileByteCounts)?.unwrap_or_default();
    let (Some(offset), Some(length)) = (offsets.get(index as usize), lengths.get(index as usize)) else {
        return Ok(None);
    };
    if compression != LZW || samples != 1 || *length > u64::from(u32::MAX >> 1) {
        return Ok(None);
    }
    let (width, height) = decoder.chunk_dimensions();
    let order = decoder.byte_order();
    let input = decoder.inner();
    input.seek(SeekFrom::Start(*offset))?;
    let mut packed = Vec::new();
    input.take(*length).read_to_end(&mut packed)?;
    let entries = [
        (Tag::ImageWidth, width),
        (Tag::ImageLength, height),
        (Tag::BitsPerSample, bits.into()),
        (Tag::Compression, compression.into()),
        (Tag::PhotometricInterpretation, 1),
        (Tag::StripOffsets, HEADER as u32),
        (Tag::SamplesPerPixel, 1),
        (Tag::RowsPerStrip, height),
        (Tag::StripByteCounts, packed.len() as u32),
        (Tag::Predictor, predictor.into()),
        (Tag::SampleFormat, form.into()),
    ];
    let image = image(&packed, &entries, order);
    Decoder::new(Cursor::new(image))?.read_chunk(0).map(Some)
}

/// Bytes in front of the values.
const HEADER: usize = 8;

/// A file of one image: header, values, directory.
fn image(packed: &[u8], entries: &[(Tag, u32)], order: ByteOrder) -> Vec<u8> {
    let two = |v: u16| if order == ByteOrder::LittleEndian { v.to_le_bytes() } else { v.to_be_bytes() };
    let four = |v: u32| if order == ByteOrder::LittleEndian { v.to_le_bytes() } else { v.to_be_bytes() };
    let mut out = if order == ByteOrder::LittleEndian { b"II".to_vec() } else { b"MM".to_vec() };
    out.extend(two(42));
    // The directory begins at an even place.
    let padding = packed.len() % 2;
    out.extend(four((HEADER + packed.len() + padding) as u32));
    out.extend_from_slice(packed);
    out.extend(std::iter::repeat_n(0, padding));
    out.extend(two(entries.len() as u16));
    for (tag, value) in entries {
        out.extend(two(tag.to_u16()));
        // One number of 32 bits.
        out.extend(two(4));
        out.extend(four(1));
        out.extend(four(*value));
    }
    out.extend(four(0));
    out
}
