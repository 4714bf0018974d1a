//! Writes a feature collection. Coordinates must be WGS 84, longitude first: the caller brings them there.

use super::feature::NESTED;
use super::{Form, geometry};
use crate::crossing::Crossing;
use crate::writer::{ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer};
use crate::{FormatError, PendingOutput, number};
use arrow_array::{Array, ArrayRef, BooleanArray, Float64Array, Int64Array};
use basilocus_table::Batch;
use basilocus_table::batch::{Points, cell_text, spatial_index};
use basilocus_table::geometry::Geometries;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::sync::Arc;

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
        let mut members = Vec::new();
        for (i, field) in layer.schema.fields().iter().enumerate().filter(|(i, _)| Some(*i) != skip) {
            let form = Form::of(field);
            let path: Vec<&str> = match form {
                Some(Form::Nested) => field.name().split(NESTED).collect(),
                _ => vec![field.name().as_str()],
            };
            place(&mut members, &path, i, form == Some(Form::List));
        }
        Ok(Arc::new(FeatureEncoder {
            members,
            styles: layer.styles.clone(),
            lines: self.lines,
            layer: (layer.show.names_layer && layer.schema.field_with_name("layer").is_err())
                .then(|| layer.name.clone()),
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
        let told = self.crossing.told("GeoJSON", "RFC 7946 wants it");
        Ok((self.pending, told))
    }
}

use serde_json::Value;

struct FeatureEncoder {
    members: Vec<Member>,
    styles: Vec<ColumnStyle>,
    lines: bool,
    /// Name of the layer, which every feature carries; none where a column has that name.
    layer: Option<String>,
    crossing: Arc<Crossing>,
}

/// A member of an object: its key with the colon, and what stands behind it.
struct Member {
    key: String,
    name: String,
    value: MemberValue,
}

enum MemberValue {
    /// The value of a column; whether it is a list as it is written.
    Column(usize, bool),
    /// An object, and the column that stands in its place in rows where that has a value.
    Object(Vec<Member>, Option<usize>),
}

/// Puts a column into the objects that its path leads through; where a column has the place already, it stands beside it
/// under its whole name.
fn place(members: &mut Vec<Member>, path: &[&str], column: usize, is_list: bool) {
    let member = |name: &str, value: MemberValue| Member {
        key: format!("{}:", Value::from(name)),
        name: name.to_string(),
        value,
    };
    match path {
        [] => {}
        [name] => match members.iter_mut().find(|m| m.name == *name) {
            Some(Member { value: MemberValue::Object(_, instead), .. }) => *instead = Some(column),
            _ => members.push(member(name, MemberValue::Column(column, is_list))),
        },
        [name, rest @ ..] => match members.iter_mut().find(|m| m.name == *name) {
            Some(Member { value: MemberValue::Object(inner, _), .. }) => place(inner, rest, column, is_list),
            Some(_) => members.push(member(&path.join("."), MemberValue::Column(column, is_list))),
            None => {
                let mut inner = Vec::new();
                place(&mut inner, rest, column, is_list);
                members.push(member(name, MemberValue::Object(inner, None)));
            }
        },
    }
}

impl FeatureEncoder {
    /// Appends the members of an object; `first` says whether none stands in front of them.
    fn push_members(&self, out: &mut Vec<u8>, members: &[Member], batch: &Batch, row: usize, mut first: bool) {
        for member in members {
            if !std::mem::take(&mut first) {
                out.push(b',');
            }
            out.extend_from_slice(member.key.as_bytes());
            match &member.value {
                MemberValue::Object(_, Some(column)) if batch.records().column(*column).is_valid(row) => {
                    push_value(out, batch.records().column(*column), row, None);
                }
                MemberValue::Object(inner, _) => {
                    out.push(b'{');
                    self.push_members(out, inner, batch, row, true);
                    out.push(b'}');
                }
                MemberValue::Column(column, is_list) => {
                    let array = batch.records().column(*column);
                    let digits = self.styles.get(*column).and_then(|s| s.digits);
                    if *is_list && array.is_valid(row) {
                        let text = cell_text(array, row);
                        // Beside lists there may be texts in the column.
                        let list = text.starts_with('[') && serde_json::from_str::<Value>(&text).is_ok();
                        if list {
                            out.extend_from_slice(text.as_bytes());
                            continue;
                        }
                    }
                    push_value(out, array, row, digits);
                }
            }
        }
    }
}

impl Encode for FeatureEncoder {
    fn encode(&self, batch: &Batch) -> Encoded {
        let mut out = Vec::with_capacity(batch.len() * 200);
        let points = Points::of(batch.records());
        let shapes = Geometries::of(batch.records());
        for row in 0..batch.len() {
            if row > 0 {
                out.extend_from_slice(if self.lines { b"\n" } else { b",\n" });
            }
            out.extend_from_slice(b"{\"type\":\"Feature\",\"geometry\":");
            match points.as_ref().and_then(|p| p.get(row)) {
                Some((lon, lat, height)) => {
                    out.extend_from_slice(b"{\"type\":\"Point\",\"coordinates\":[");
                    number::push_trimmed(&mut out, self.crossing.longitude(lon), DIGITS);
                    out.push(b',');
                    number::push_trimmed(&mut out, lat, DIGITS);
                    if let Some(h) = height {
                        out.push(b',');
                        number::push_trimmed(&mut out, h, 4);
                    }
                    out.extend_from_slice(b"]}");
                }
                None => match shapes.as_ref().and_then(|s| s.get(row)) {
                    Some(g) => geometry::push(&mut out, &self.crossing.within(g)),
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
            self.push_members(&mut out, &self.members, batch, row, first);
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
