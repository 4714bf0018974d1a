//! All files of a shapefile at once: shapes, index, attributes, system and encoding.

use super::MAGIC;
use super::record::{self, Family, Kind};
use crate::dbf::{Columns, TableSpool};
use crate::writer::{AsRows, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput};
use arrow_schema::DataType;
use basilocus_table::batch::{point_index, spatial_index};
use basilocus_table::counted;
use basilocus_table::{Geometry, Spatial};
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom, Write};
use std::path::PathBuf;
use std::sync::Arc;

/// Programs that count in signed 32 bits fail above this size.
const LARGEST: u64 = 2_147_483_647;
/// Indexes that other programs put beside a shapefile; they lead astray when the shapes are others.
const STALE: [&str; 7] = ["sbn", "sbx", "qix", "fbn", "fbx", "ain", "aih"];

/// A shapefile in the making.
pub struct ShapefileWriter {
    pending: PendingOutput,
    /// The index, the table and the file that says its encoding.
    index: PathBuf,
    table: PathBuf,
    label: PathBuf,
    layer: Option<Layer>,
}

struct Layer {
    /// Known from the first shape on.
    kind: Option<Kind>,
    with_z: bool,
    with_m: bool,
    shapes: BufWriter<File>,
    index: BufWriter<File>,
    length: u64,
    number: u32,
    /// West, south, east, north.
    extent: Option<[f64; 4]>,
    heights: Option<(f64, f64)>,
    measures: Option<(f64, f64)>,
    table: TableSpool,
    system: Option<String>,
    /// Positions without a height in a file that has heights.
    without_height: u64,
    /// Empty shapes that came before the first that says of what kind the file is.
    waiting: u64,
}

impl ShapefileWriter {
    /// Prepares a shapefile.
    ///
    /// # Errors
    /// Where a file that belongs to it is there already.
    pub fn create(mut pending: PendingOutput) -> Result<Self, FormatError> {
        let (index, table, label) = (pending.companion("shx")?, pending.companion("dbf")?, pending.companion("cpg")?);
        Ok(ShapefileWriter { pending, index, table, label, layer: None })
    }
}

impl Layer {
    fn put(&mut self, geometry: Option<&Geometry>, kind: Kind, content: &mut Vec<u8>) -> std::io::Result<()> {
        content.clear();
        record::push(geometry, kind, content);
        self.number += 1;
        let words = (content.len() / 2) as u32;
        self.index.write_all(&((self.length / 2) as u32).to_be_bytes())?;
        self.index.write_all(&words.to_be_bytes())?;
        self.shapes.write_all(&self.number.to_be_bytes())?;
        self.shapes.write_all(&words.to_be_bytes())?;
        self.shapes.write_all(content)?;
        self.length += 8 + content.len() as u64;
        let Some(g) = geometry else { return Ok(()) };
        if let Some(b) = g.bounds() {
            let e = self.extent.get_or_insert(b);
            *e = [e[0].min(b[0]), e[1].min(b[1]), e[2].max(b[2]), e[3].max(b[3])];
        }
        let (heights, measures) = (&mut self.heights, &mut self.measures);
        let with_heights = kind.z;
        let without = &mut self.without_height;
        g.each_position(&mut |p| {
            *without += u64::from(with_heights && p.z.is_nan());
            for (v, range) in [(p.z, &mut *heights), (p.m, &mut *measures)] {
                if !v.is_nan() {
                    let r = range.get_or_insert((v, v));
                    *r = (r.0.min(v), r.1.max(v));
                }
            }
        });
        Ok(())
    }
}

/// The hundred bytes in front of shapes and of their index.
fn header(layer: &Layer, length: u64) -> [u8; 100] {
    let mut out = [0u8; 100];
    out[..4].copy_from_slice(&MAGIC);
    out[24..28].copy_from_slice(&((length / 2) as u32).to_be_bytes());
    out[28..32].copy_from_slice(&1000u32.to_le_bytes());
    out[32..36].copy_from_slice(&layer.kind.map_or(0, Kind::code).to_le_bytes());
    let [w, s, e, n] = layer.extent.unwrap_or_default();
    let (z, m) = (layer.heights.unwrap_or_default(), layer.measures.unwrap_or_default());
    for (i, v) in [w, s, e, n, z.0, z.1, m.0, m.1].into_iter().enumerate() {
        out[36 + 8 * i..44 + 8 * i].copy_from_slice(&v.to_le_bytes());
    }
    out
}

impl Writer for ShapefileWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        let target = self.pending.target().to_path_buf();
        let failed = |e: std::io::Error| FormatError::write(&target, e);
        if self.layer.is_some() {
            return Err(FormatError::write(
                &target,
                "a shapefile holds one layer; write a GeoPackage, or one at a time",
            ));
        }
        if spatial_index(&layer.schema).is_none() {
            return Err(FormatError::write(&target, "the table has no geometry; write a .dbf, .csv or .xlsx"));
        }
        let points = point_index(&layer.schema);
        let with_z =
            points.is_some_and(|i| matches!(layer.schema.field(i).data_type(), DataType::Struct(f) if f.len() > 2));
        let mut shapes = BufWriter::with_capacity(1 << 18, File::create(self.pending.path()).map_err(failed)?);
        let mut index = BufWriter::with_capacity(1 << 16, File::create(&self.index).map_err(failed)?);
        shapes.write_all(&[0; 100]).map_err(failed)?;
        index.write_all(&[0; 100]).map_err(failed)?;
        self.layer = Some(Layer {
            kind: points.map(|_| Kind { family: Family::Point, z: with_z, m: with_z }),
            with_z,
            with_m: false,
            shapes,
            index,
            length: 100,
            number: 0,
            extent: None,
            heights: None,
            measures: None,
            table: TableSpool::new(Columns::of(layer, &target)?, &target)?,
            system: layer.crs.as_ref().map(|c| c.wkt.clone()),
            without_height: 0,
            waiting: 0,
        });
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let target = self.pending.target().to_path_buf();
        let failed = |e: std::io::Error| FormatError::write(&target, e);
        let (Encoded::Rows(batch), Some(layer)) = (part, self.layer.as_mut()) else { return Ok(()) };
        let spatial = Spatial::of(batch.records());
        let mut content = Vec::new();
        for row in 0..batch.len() {
            let geometry = spatial.get(row);
            if layer.length > LARGEST - (1 << 20) {
                return Err(FormatError::write(
                    &target,
                    format!("more than {LARGEST} bytes, the most that a shapefile holds; write a GeoPackage or parts"),
                ));
            }
            if let Some(g) = &geometry {
                let (z, m) = g.has_z_and_m();
                let family = Family::of(g).ok_or_else(|| {
                    FormatError::write(
                        &target,
                        format!("row {} is a collection of geometries, which a shapefile has no place for; write a GeoPackage", batch.source_rows()[row]),
                    )
                })?;
                let kind = *layer.kind.get_or_insert(Kind { family, z, m: z || m });
                if !record::fits(family, kind.family) {
                    return Err(FormatError::write(
                        &target,
                        format!(
                            "row {} holds {}, and the rows before it {}: a shapefile holds one kind of geometry; write a GeoPackage, choose one kind, or part them with `split_by` geometry",
                            batch.source_rows()[row],
                            family.name(),
                            kind.family.name()
                        ),
                    ));
                }
                layer.with_z |= z && !kind.z;
                layer.with_m |= m && !kind.m;
            }
            match layer.kind {
                None => layer.waiting += 1,
                Some(kind) => {
                    for _ in 0..std::mem::take(&mut layer.waiting) {
                        layer.put(None, kind, &mut content).map_err(failed)?;
                    }
                    layer.put(geometry.as_ref(), kind, &mut content).map_err(failed)?;
                }
            }
        }
        layer.table.push(&batch).map_err(failed)
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        mut self: Box<Self>,
        about: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        let target = self.pending.target().to_path_buf();
        let failed = |e: std::io::Error| FormatError::write(&target, e);
        let Some(mut layer) = self.layer.take() else { return Ok((self.pending, Vec::new())) };
        let mut content = Vec::new();
        let none = Kind { family: Family::Null, z: false, m: false };
        for _ in 0..std::mem::take(&mut layer.waiting) {
            layer.put(None, none, &mut content).map_err(failed)?;
        }
        let points = layer.kind.is_some_and(|k| k.family == Family::Point && k.z);
        let (heads, index_length) = (header(&layer, layer.length), 100 + 8 * u64::from(layer.number));
        let index_head = header(&layer, index_length);
        for (file, head) in [(&mut layer.shapes, heads), (&mut layer.index, index_head)] {
            file.flush().map_err(failed)?;
            let file = file.get_mut();
            file.seek(SeekFrom::Start(0)).map_err(failed)?;
            file.write_all(&head).map_err(failed)?;
        }
        let mut told = Vec::new();
        if layer.with_z && !points && layer.kind.is_some_and(|k| !k.z) {
            told.push(
                "heights were left out: the first shape has none, and a shapefile has them for all or for none".into(),
            );
        }
        if layer.without_height > 0 {
            told.push(format!(
                "{} without a height; a shapefile with heights says 0 there",
                counted(layer.without_height, "position")
            ));
        }
        if layer.with_m {
            told.push("measures were left out: the first shape has none".into());
        }
        told.extend(layer.table.finish(&self.table, &target, &about.date)?);
        let put = |path: &std::path::Path, text: &str| std::fs::write(path, text).map_err(failed);
        put(&self.label, "UTF-8")?;
        match &layer.system {
            Some(system) => put(&self.pending.companion("prj")?, system)?,
            None => {
                told.push("no reference system is known, so there is no .prj".into());
                // One of earlier shapes would say a system that these are not in.
                self.pending.stale(&["prj"]);
            }
        }
        self.pending.stale(&STALE);
        Ok((self.pending, told))
    }
}
