//! Points as way points, lines as tracks; each with a name and with its columns as its description. GPX has no place for
//! polygons.

use crate::crossing::Crossing;
use crate::head_room::HeadRoom;
use crate::writer::{AsRows, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer, naming_column};
use crate::xml::push_escaped;
use crate::{FormatError, PendingOutput, number};
use basilocus_table::batch::spatial_index;
use basilocus_table::geometry::{Geometry, Position};
use basilocus_table::{Batch, Spatial};
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::sync::Arc;

/// A GPX file in the making.
pub struct GpxWriter {
    pending: PendingOutput,
    file: BufWriter<File>,
    /// Tracks stand behind all way points, so they wait.
    tracks: BufWriter<File>,
    /// Columns of the layer with their names, and the one that names a row.
    columns: Vec<(usize, String)>,
    named: Option<usize>,
    crossing: Crossing,
    /// Where the file says what it is.
    room: Option<HeadRoom>,
}

impl GpxWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        let failed = |e| FormatError::write(pending.target(), e);
        let file = File::create(pending.path()).map_err(failed)?;
        let tracks = tempfile::tempfile().map_err(failed)?;
        let mut writer = GpxWriter {
            file: BufWriter::with_capacity(1 << 16, file),
            tracks: BufWriter::with_capacity(1 << 16, tracks),
            pending,
            columns: Vec::new(),
            named: None,
            crossing: Crossing::default(),
            room: None,
        };
        let start = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<gpx version=\"1.1\" creator=\"basilocus\" xmlns=\"http://www.topografix.com/GPX/1/1\">\n";
        let failed = |e| FormatError::write(writer.pending.target(), e);
        writer.file.write_all(start.as_bytes()).map_err(failed)?;
        writer.room = Some(HeadRoom::keep(&mut writer.file).map_err(failed)?);
        Ok(writer)
    }

    /// Name and description of a row, in the order of the schema.
    fn words(&self, batch: &Batch, row: usize, out: &mut String) {
        if let Some(column) = self.named {
            out.push_str("<name>");
            push_escaped(out, &batch.text(column, row));
            out.push_str("</name>");
        }
        let mut list = self
            .columns
            .iter()
            .filter(|(c, _)| Some(*c) != self.named)
            .map(|(c, name)| (name, batch.text(*c, row)))
            .filter(|(_, text)| !text.is_empty())
            .peekable();
        if list.peek().is_some() {
            out.push_str("<desc>");
            for (i, (name, text)) in list.enumerate() {
                out.push_str(if i > 0 { "; " } else { "" });
                push_escaped(out, &format!("{name}: {text}"));
            }
            out.push_str("</desc>");
        }
    }
}

fn push_point(name: &str, p: &Position, words: &str, out: &mut String) {
    let text = |v: f64, digits: usize| {
        let mut bytes = Vec::new();
        number::push_fixed(&mut bytes, v, digits);
        String::from_utf8(bytes).unwrap_or_default()
    };
    out.push_str(&format!("<{name} lat=\"{}\" lon=\"{}\">", text(p.y, 9), text(p.x, 9)));
    if !p.z.is_nan() {
        out.push_str(&format!("<ele>{}</ele>", text(p.z, 3)));
    }
    out.push_str(words);
    out.push_str(&format!("</{name}>"));
}

impl Writer for GpxWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        if layer.crs.as_ref().is_some_and(|c| c.code != Some(4326)) {
            return Err(FormatError::write(
                self.pending.target(),
                "GPX holds WGS 84 only; the positions are in another system",
            ));
        }
        let skip = spatial_index(&layer.schema);
        let names = layer.schema.fields().iter().enumerate().filter(|(i, _)| Some(*i) != skip);
        self.columns = names.map(|(i, f)| (i, f.name().clone())).collect();
        self.named = naming_column(&layer.schema);
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let Encoded::Rows(batch) = part else { return Ok(()) };
        let spatial = Spatial::of(batch.records());
        let (mut near, mut behind) = (String::new(), String::new());
        for row in 0..batch.len() {
            let shape = spatial.get(row).map(|shape| self.crossing.within(shape));
            let mut words = String::new();
            self.words(&batch, row, &mut words);
            let lines: Vec<Vec<Position>> = match shape {
                Some(Geometry::Point(p)) => {
                    push_point("wpt", &p, &words, &mut near);
                    near.push('\n');
                    continue;
                }
                Some(Geometry::MultiPoint(list)) => {
                    list.iter().for_each(|p| push_point("wpt", p, &words, &mut near));
                    near.push('\n');
                    continue;
                }
                Some(Geometry::LineString(l)) => vec![l],
                Some(Geometry::MultiLineString(l)) => l,
                other => {
                    let what = other.map_or("no geometry", |g| g.type_name());
                    return Err(FormatError::write(
                        self.pending.target(),
                        format!(
                            "row {} is {what}, and GPX holds points and lines alone; write a GeoPackage or KML, or choose other rows",
                            batch.source_rows()[row]
                        ),
                    ));
                }
            };
            behind.push_str("<trk>");
            behind.push_str(&words);
            for line in lines {
                behind.push_str("<trkseg>");
                line.iter().for_each(|p| push_point("trkpt", p, "", &mut behind));
                behind.push_str("</trkseg>");
            }
            behind.push_str("</trk>\n");
        }
        let failed = |e| FormatError::write(self.pending.target(), e);
        self.file.write_all(near.as_bytes()).map_err(failed)?;
        self.tracks.write_all(behind.as_bytes()).map_err(failed)
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        self: Box<Self>,
        about: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        let GpxWriter { pending, mut file, tracks, crossing, room, .. } = *self;
        let failed = |e: std::io::Error| FormatError::write(pending.target(), e);
        let mut tracks = tracks.into_inner().map_err(|e| failed(e.into_error()))?;
        tracks.rewind().map_err(failed)?;
        std::io::copy(&mut tracks, &mut file).map_err(failed)?;
        file.write_all(b"</gpx>\n").map_err(failed)?;
        if let Some(room) = room {
            room.fill(&mut file, ["<metadata><desc>", "</desc></metadata>"], &about.layers).map_err(failed)?;
        }
        file.flush().map_err(failed)?;
        Ok((pending, crossing.told("GPX", "GPX wants it")))
    }
}
