//! Reads GeoTIFF.

use super::part::whole_tile;
use super::{GeoKeys, tags};
use crate::FormatError;
use crate::raster::{RasterAbout, RasterCrs, RasterFormat, RasterPlace, RasterReader, check_place, definition_beside};
use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use tiff::TiffError;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;

/// The most bytes that a part of a file may unpack to.
const LARGEST_CHUNK: usize = 512 << 20;
/// The most bytes of a list of places of parts.
const LARGEST_LIST: usize = 64 << 20;

/// Gives the parts of a GeoTIFF: its strips or tiles.
pub(crate) struct GeoTiffReader {
    about: RasterAbout,
    decoder: Decoder<BufReader<File>>,
    across: usize,
    samples: usize,
}

impl GeoTiffReader {
    pub(crate) fn open(path: &Path) -> Result<Self, FormatError> {
        let broken = |e: TiffError| broken(path, &e);
        let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let bytes = file.metadata().map_err(|e| FormatError::read(path, e))?.len();
        let mut limits = Limits::default();
        limits.decoding_buffer_size = LARGEST_CHUNK;
        limits.intermediate_buffer_size = LARGEST_CHUNK;
        limits.ifd_value_size = LARGEST_LIST;
        let mut decoder = Decoder::new(BufReader::new(file)).map_err(broken)?.with_limits(limits);
        let (columns, rows) = decoder.dimensions().map_err(broken)?;
        let keys = Self::keys(&mut decoder, path)?;
        let (columns, rows) = (columns as usize, rows as usize);
        let (place, from_south) = Self::place(&mut decoder, path, columns, rows, keys.is_of_points)?;
        check_place(path, &place)?;
        let samples: u16 = decoder.find_tag_unsigned(Tag::SamplesPerPixel).map_err(broken)?.unwrap_or(1);
        let mut notes = Vec::new();
        if samples > 1 {
            notes.push(format!("has {samples} bands; the first is read"));
        }
        if decoder.more_images() {
            notes.push("further images in the file, such as smaller copies, are not read".into());
        }
        let no_data = decoder.find_tag(tags::no_data()).map_err(broken)?.and_then(|v| v.into_string().ok());
        let no_data = no_data.and_then(|text| text.trim_matches(['\0', ' ']).parse().ok());
        let crs = match definition_beside(path) {
            _ if keys.say_a_system() => RasterCrs::Keys(keys.clone()),
            Some(text) => RasterCrs::Text(text),
            None => RasterCrs::Unsaid,
        };
        let (width, height) = decoder.chunk_dimensions();
        let chunk = (width.max(1) as usize, height.max(1) as usize);
        let sample = Self::sample(&mut decoder, path)?;
        let about = RasterAbout {
            path: path.to_path_buf(),
            format: RasterFormat::GeoTiff,
            place,
            from_south,
            crs,
            is_of_points: keys.is_of_points,
            sample,
            no_data,
            notes,
            chunk,
            bytes,
        };
        let interleaved = decoder.find_tag_unsigned::<u16>(Tag::PlanarConfiguration).map_err(broken)? != Some(2);
        let samples = if interleaved { usize::from(samples.max(1)) } else { 1 };
        Ok(GeoTiffReader { about, decoder, across: columns.div_ceil(chunk.0), samples })
    }

    fn sample(decoder: &mut Decoder<BufReader<File>>, path: &Path) -> Result<String, FormatError> {
        let broken = |e: TiffError| broken(path, &e);
        let bits: Vec<u16> = decoder.find_tag_unsigned_vec(Tag::BitsPerSample).map_err(broken)?.unwrap_or(vec![1]);
        let form: Option<Vec<u16>> = decoder.find_tag_unsigned_vec(Tag::SampleFormat).map_err(broken)?;
        let what = match form.as_ref().and_then(|f| f.first()) {
            Some(2) => "signed integer",
            Some(3) => "float",
            _ => "integer",
        };
        Ok(format!("{}-bit {what}", bits.first().copied().unwrap_or(1)))
    }

    fn keys(decoder: &mut Decoder<BufReader<File>>, path: &Path) -> Result<GeoKeys, FormatError> {
        let broken = |e: TiffError| broken(path, &e);
        let directory: Option<Vec<u16>> = decoder.find_tag_unsigned_vec(tags::KEY_DIRECTORY).map_err(broken)?;
        let doubles = decoder.find_tag(tags::doubles()).map_err(broken)?.and_then(|v| v.into_f64_vec().ok());
        let texts = decoder.find_tag(tags::texts()).map_err(broken)?.and_then(|v| v.into_string().ok());
        Ok(GeoKeys::read(&directory.unwrap_or_default(), &doubles.unwrap_or_default(), &texts.unwrap_or_default()))
    }

    /// Where heights stand: the tags say it of the corner of a cell, or of its middle where heights are those of points.
    fn place(
        decoder: &mut Decoder<BufReader<File>>,
        path: &Path,
        columns: usize,
        rows: usize,
        is_of_points: bool,
    ) -> Result<(RasterPlace, bool), FormatError> {
        let broken = |e: TiffError| broken(path, &e);
        let mut doubles = |tag| -> Result<Option<Vec<f64>>, FormatError> {
            Ok(decoder.find_tag(tag).map_err(broken)?.and_then(|v| v.into_f64_vec().ok()))
        };
        // x = a·column + b·row + c, y = d·column + e·row + f.
        let [a, b, c, d, e, f] = if let Some(m) = doubles(tags::TRANSFORMATION)?.filter(|m| m.len() >= 8) {
            [m[0], m[1], m[3], m[4], m[5], m[7]]
        } else if let (Some(s), Some(t)) = (doubles(tags::PIXEL_SCALE)?, doubles(tags::TIEPOINT)?)
            && s.len() >= 2
            && t.len() >= 6
        {
            [s[0], 0.0, t[3] - t[0] * s[0], 0.0, -s[1], t[4] + t[1] * s[1]]
        } else if let Some(numbers) = world_file(path)? {
            // A world file says the middle of the first cell, whatever the heights are of.
            let [a, d, b, e, c, f] = numbers;
            let half = if is_of_points { 0.0 } else { 0.5 };
            [a, b, c - half * (a + b), d, e, f - half * (d + e)]
        } else {
            return Err(FormatError::broken(
                path,
                "says nothing of where on the ground it is; it is a picture, or its world file (.tfw) is missing",
            ));
        };
        if b != 0.0 || d != 0.0 {
            return Err(FormatError::broken(
                path,
                "its rows are turned against the axes of its system; a grid along them is expected, so let the program that made it write one",
            ));
        }
        if !(a > 0.0) || e == 0.0 || !e.is_finite() {
            return Err(FormatError::broken(
                path,
                format!("its cells are {a} by {e}; a width above zero and a height are expected"),
            ));
        }
        let half = if is_of_points { 0.0 } else { 0.5 };
        let first = f + half * e;
        let from_south = e > 0.0;
        let north = if from_south { first + (rows as f64 - 1.0) * e } else { first };
        let place = RasterPlace { west: c + half * a, north, step_x: a, step_y: e.abs(), columns, rows };
        Ok((place, from_south))
    }
}

impl RasterReader for GeoTiffReader {
    fn about(&self) -> &RasterAbout {
        &self.about
    }

    fn chunk(&mut self, across: usize, down: usize) -> Result<Vec<f64>, FormatError> {
        let path = self.about.path.clone();
        let index = (down * self.across + across) as u32;
        let (width, height) = self.decoder.chunk_data_dimensions(index);
        let no_data = self.about.no_data;
        let values = match self.decoder.read_chunk(index) {
            Ok(values) => heights(&values, self.samples, no_data),
            Err(e) => match self.decoder.chunk_data_dimensions(index) != self.decoder.chunk_dimensions() {
                true if ends_early(&e) => {
                    let whole = whole_tile(&mut self.decoder, index).map_err(|e| broken(&path, &e))?;
                    let whole = whole.ok_or_else(|| broken(&path, &e))?;
                    let wide = self.about.chunk.0;
                    let rows = heights(&whole, 1, no_data);
                    let rows = rows.chunks_exact(wide).take(height as usize);
                    rows.flat_map(|row| &row[..wide.min(width as usize)]).copied().collect()
                }
                _ => return Err(broken(&path, &e)),
            },
        };
        let expected = width as usize * height as usize;
        if values.len() < expected {
            return Err(FormatError::broken(
                &path,
                format!("its part {across}, {down} has {} heights of {expected}", values.len()),
            ));
        }
        Ok(values)
    }
}

/// The first of so many samples each as heights.
fn heights(values: &DecodingResult, samples: usize, no_data: Option<f64>) -> Vec<f64> {
    fn of<T: Copy>(values: &[T], samples: usize, as_height: impl Fn(T) -> f64) -> Vec<f64> {
        values.iter().step_by(samples).map(|v| as_height(*v)).collect()
    }
    let known = |v: f64| if Some(v) == no_data || !v.is_finite() { f64::NAN } else { v };
    match values {
        DecodingResult::U8(v) => of(v, samples, |v| known(v.into())),
        DecodingResult::U16(v) => of(v, samples, |v| known(v.into())),
        DecodingResult::U32(v) => of(v, samples, |v| known(v.into())),
        DecodingResult::U64(v) => of(v, samples, |v| known(v as f64)),
        DecodingResult::I8(v) => of(v, samples, |v| known(v.into())),
        DecodingResult::I16(v) => of(v, samples, |v| known(v.into())),
        DecodingResult::I32(v) => of(v, samples, |v| known(v.into())),
        DecodingResult::I64(v) => of(v, samples, |v| known(v as f64)),
        DecodingResult::F16(v) => of(v, samples, |v| known(v.to_f64())),
        DecodingResult::F64(v) => of(v, samples, known),
        // The number for no height is often written with fewer digits than it has, or with more.
        DecodingResult::F32(v) => {
            let none = no_data.map(|n| n as f32);
            let is_none = |v: f32| none.is_some_and(|n| v == n || n.abs() > 1e30 && (v - n).abs() <= n.abs() * 1e-5);
            of(v, samples, |v| if is_none(v) || !v.is_finite() { f64::NAN } else { v.into() })
        }
    }
}

/// The six numbers of a world file beside a TIFF.
fn world_file(path: &Path) -> Result<Option<[f64; 6]>, FormatError> {
    let endings = ["tfw", "TFW", "tifw", "wld"];
    let Some(file) = endings.iter().map(|e| path.with_extension(e)).find(|p: &PathBuf| p.is_file()) else {
        return Ok(None);
    };
    let text = std::fs::read_to_string(&file).map_err(|e| FormatError::read(&file, e))?;
    let numbers: Vec<f64> = text.split_whitespace().filter_map(|w| w.replacen(',', ".", 1).parse().ok()).collect();
    match numbers.try_into() {
        Ok(numbers) => Ok(Some(numbers)),
        Err(_) => Err(FormatError::broken(&file, "is no world file: six numbers are expected, a line each")),
    }
}

/// Whether a part seems to end before its values do.
fn ends_early(problem: &TiffError) -> bool {
    matches!(problem, TiffError::IoError(e) if e.kind() == std::io::ErrorKind::UnexpectedEof)
}

fn broken(path: &Path, problem: &TiffError) -> FormatError {
    let words = match problem {
        _ if ends_early(problem) => "ends before all that it promises is read; get the file again".to_string(),
        TiffError::LimitsExceeded => format!(
            "has parts that unpack to more than {} MB, or lists of them that do; write it in tiles",
            LARGEST_CHUNK >> 20
        ),
        TiffError::UnsupportedError(what) => {
            format!("is packed in a way that is not read ({what}); write it deflated, or not packed")
        }
        other => format!("is damaged: {other}"),
    };
    FormatError::broken(path, words)
}
