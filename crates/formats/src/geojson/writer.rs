//! Writes a feature collection. Coordinates must be WGS 84, longitude first: the caller brings them there.

use super::geometry;
use crate::writer::{ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput, number};
use arrow_array::{Array, ArrayRef, BooleanArray, Float64Array, Int64Array};
use basilocus_table::Batch;
use basilocus_table::batch::{Points, cell_text, spatial_index};
use basilocus_table::geometry::{Geometries, Geometry, antimeridian};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Decimals of a coordinate: a tenth of a millimetre on the ground.
const DIGITS: usize = 9;

/// A feature collection in the making.
pub struct GeoJsonWriter {
    pending: PendingOutput,
    file: BufWriter<File>,
    any: bool,
    /// A feature a line, without a collection around them.
    lines: bool,
    crossing: Arc<Crossing>,
}

impl GeoJsonWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        let file = File::create(pending.path()).map_err(|e| FormatError::write(pending.target(), e))?;
        let ending = pending.target().extension().and_then(|e| e.to_str()).unwrap_or("").to_ascii_lowercase();
        let lines = matches!(ending.as_str(), "geojsonl" | "ndjson");
        let mut writer = GeoJsonWriter {
            pending,
            file: BufWriter::with_capacity(1 << 16, file),
            any: false,
            lines,
            crossing: Arc::default(),
        };
        if !lines {
            writer.put(b"{\"type\":\"FeatureCollection\",\"features\":[\n")?;
        }
        Ok(writer)
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), FormatError> {
        self.file.write_all(bytes).map_err(|e| FormatError::write(self.pending.target(), e))
    }
}

impl Writer for GeoJsonWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        if layer.crs.as_ref().is_some_and(|c| c.code != Some(4326)) {
            return Err(FormatError::write(
                self.pending.target(),
                "GeoJSON holds WGS 84 only (RFC 7946); the positions are in another system",
            ));
        }
        let skip = spatial_index(&layer.schema);
        let keys = (0..layer.schema.fields().len())
            .filter(|i| Some(*i) != skip)
            .map(|i| (i, format!("{}:", Value::from(layer.schema.field(i).name().as_str()))))
            .collect();
        Ok(Arc::new(FeatureEncoder {
            keys,
            styles: layer.styles.clone(),
            lines: self.lines,
            layer: layer.schema.field_with_name("layer").is_err().then(|| layer.name.clone()),
            crossing: self.crossing.clone(),
        }))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let Encoded::Bytes(bytes) = part else {
            return Ok(());
        };
        if bytes.is_empty() {
            return Ok(());
        }
        if self.any {
            self.put(if self.lines { b"\n" } else { b",\n" })?;
        }
        self.any = true;
        self.put(&bytes)
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        mut self: Box<Self>,
        _: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        self.put(if self.lines { b"\n" } else { b"\n]}\n" })?;
        self.file.flush().map_err(|e| FormatError::write(self.pending.target(), e))?;
        let mut told = Vec::new();
        let (cut, round) = (&self.crossing.cut, &self.crossing.round_a_pole);
        if cut.load(Ordering::Relaxed) > 0 {
            told.push(format!(
                "{} lines or polygons cross the 180° meridian: they are cut there, as RFC 7946 wants it",
                cut.load(Ordering::Relaxed)
            ));
        }
        if round.load(Ordering::Relaxed) > 0 {
            told.push(format!(
                "{} polygons go round a pole, which GeoJSON has no form for: they are written as they are",
                round.load(Ordering::Relaxed)
            ));
        }
        Ok((self.pending, told))
    }
}

use serde_json::Value;

struct FeatureEncoder {
    keys: Vec<(usize, String)>,
    styles: Vec<ColumnStyle>,
    lines: bool,
    /// Name of the layer, which every feature carries; none where a column has that name.
    layer: Option<String>,
    crossing: Arc<Crossing>,
}

/// Geometries that cross the 180° meridian.
#[derive(Default)]
struct Crossing {
    cut: AtomicU64,
    round_a_pole: AtomicU64,
}

impl FeatureEncoder {
    /// Appends a geometry; one that crosses the 180° meridian is cut there, as RFC 7946 wants it.
    fn push(&self, out: &mut Vec<u8>, g: Geometry) {
        if !antimeridian::crosses(&g) {
            return geometry::push(out, &g);
        }
        match antimeridian::cut(&g) {
            Some(parts) => {
                self.crossing.cut.fetch_add(1, Ordering::Relaxed);
                geometry::push(out, &parts);
            }
            None => {
                self.crossing.round_a_pole.fetch_add(1, Ordering::Relaxed);
                geometry::push(out, &g);
            }
        }
    }
}

impl Encode for FeatureEncoder {
    fn encode(&self, batch: &Batch) -> Encoded {
        let mut out = Vec::with_capacity(batch.len() * 200);
        let points = Points::of(&batch.records);
        let shapes = Geometries::of(&batch.records);
        for row in 0..batch.len() {
            if row > 0 {
                out.extend_from_slice(if self.lines { b"\n" } else { b",\n" });
            }
            out.extend_from_slice(b"{\"type\":\"Feature\",\"geometry\":");
            match points.as_ref().and_then(|p| p.get(row)) {
                Some((lon, lat, height)) => {
                    out.extend_from_slice(b"{\"type\":\"Point\",\"coordinates\":[");
                    number::push_trimmed(&mut out, lon, DIGITS);
                    out.push(b',');
                    number::push_trimmed(&mut out, lat, DIGITS);
                    if let Some(h) = height {
                        out.push(b',');
                        number::push_trimmed(&mut out, h, 4);
                    }
                    out.extend_from_slice(b"]}");
                }
                None => match shapes.as_ref().and_then(|s| s.get(row)) {
                    Some(g) => self.push(&mut out, g),
                    None => out.extend_from_slice(b"null"),
                },
            }
            out.extend_from_slice(b",\"properties\":{");
            let mut first = true;
            if let Some(layer) = &self.layer {
                out.extend_from_slice(b"\"layer\":");
                out.extend_from_slice(Value::from(layer.as_str()).to_string().as_bytes());
                first = false;
            }
            for (column, key) in &self.keys {
                if !first {
                    out.push(b',');
                }
                first = false;
                out.extend_from_slice(key.as_bytes());
                push_value(
                    &mut out,
                    batch.records.column(*column),
                    row,
                    self.styles.get(*column).and_then(|s| s.digits),
                );
            }
            out.extend_from_slice(b"}}");
        }
        Encoded::Bytes(out)
    }
}

fn push_value(out: &mut Vec<u8>, array: &ArrayRef, row: usize, digits: Option<usize>) {
    let any = array.as_any();
    if array.is_null(row) {
        out.extend_from_slice(b"null");
    } else if let Some(a) = any.downcast_ref::<Float64Array>() {
        match (a.value(row), digits) {
            (v, _) if !v.is_finite() => out.extend_from_slice(b"null"),
            (v, Some(d)) => number::push_trimmed(out, v, d),
            (v, None) => number::push_shortest(out, v),
        }
    } else if let Some(a) = any.downcast_ref::<Int64Array>() {
        out.extend_from_slice(a.value(row).to_string().as_bytes());
    } else if let Some(a) = any.downcast_ref::<BooleanArray>() {
        out.extend_from_slice(if a.value(row) { b"true" } else { b"false" });
    } else {
        out.extend_from_slice(Value::from(cell_text(array, row)).to_string().as_bytes());
    }
}
