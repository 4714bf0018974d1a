//! Features of GML 3.2, with their schema in a file beside.

use super::schema::{self, FeatureType, ncname};
use crate::head_room::HeadRoom;
use crate::writer::{ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer, styled_text};
use crate::xml::push_escaped;
use crate::{FormatError, PendingOutput, number};
use arrow_array::Array;
use arrow_schema::{DataType, Field};
use basilocus_table::batch::{point_index, spatial_index};
use basilocus_table::geometry::{Geometry, Position};
use basilocus_table::{Batch, Moment, Spatial};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// A GML file in the making.
pub struct GmlWriter {
    pending: PendingOutput,
    schema_path: PathBuf,
    stem: String,
    file: BufWriter<File>,
    types: Vec<FeatureType>,
    told: Vec<String>,
    flattened: Arc<AtomicU64>,
    /// Where the file says what it is.
    room: Option<HeadRoom>,
}

impl GmlWriter {
    /// Creates the file and the one of its schema.
    ///
    /// # Errors
    /// Where they cannot be written.
    pub fn create(mut pending: PendingOutput) -> Result<Self, FormatError> {
        let schema_path = pending.companion("xsd")?;
        let stem = pending.target().file_stem().map_or("layer".into(), |s| s.to_string_lossy().into_owned());
        let file = File::create(pending.path()).map_err(|e| FormatError::write(pending.target(), e))?;
        let file = BufWriter::with_capacity(1 << 16, file);
        let mut writer = GmlWriter {
            pending,
            schema_path,
            stem,
            file,
            types: Vec::new(),
            told: Vec::new(),
            flattened: Arc::default(),
            room: None,
        };
        let (mut space, mut location) = (String::new(), String::new());
        push_escaped(&mut space, &schema::space(&writer.stem));
        // A blank would part it in two.
        push_escaped(&mut location, &format!("{}.xsd", writer.stem).replace(' ', "%20"));
        writer.put(&format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<l:FeatureCollection xmlns:l=\"{space}\" xmlns:gml=\"http://www.opengis.net/gml/3.2\" xmlns:xsi=\"http://www.w3.org/2001/XMLSchema-instance\" xsi:schemaLocation=\"{space} {location}\" gml:id=\"collection\">\n"
        ))?;
        let room = HeadRoom::keep(&mut writer.file);
        writer.room = Some(room.map_err(|e| FormatError::write(writer.pending.target(), e))?);
        Ok(writer)
    }

    fn put(&mut self, text: &str) -> Result<(), FormatError> {
        self.file.write_all(text.as_bytes()).map_err(|e| FormatError::write(self.pending.target(), e))
    }
}

impl Writer for GmlWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        let skip = spatial_index(&layer.schema);
        let mut used: Vec<String> = vec!["geometry".into()];
        let mut renamed = Vec::new();
        let mut unique = |name: &str, used: &mut Vec<String>| {
            let base = ncname(name);
            let mut valid = base.clone();
            let mut n = 2;
            while used.contains(&valid) {
                valid = format!("{base}_{n}");
                n += 1;
            }
            used.push(valid.clone());
            if valid != name {
                renamed.push(format!("{name} is {valid}"));
            }
            valid
        };
        let columns: Vec<(usize, String)> = (0..layer.schema.fields().len())
            .filter(|i| Some(*i) != skip)
            .map(|i| (i, unique(layer.schema.field(i).name(), &mut used)))
            .collect();
        let mut types: Vec<String> = self.types.iter().map(|t| t.name.clone()).collect();
        types.push("FeatureCollection".into());
        let name = unique(&layer.name, &mut types);
        if !renamed.is_empty() {
            self.told.push(format!("names made valid for GML: {}", renamed.join(", ")));
        }
        let (mut srs, mut north_first) = (String::new(), false);
        if let (Some(_), Some(crs)) = (skip, &layer.crs) {
            let Some(code) = crs.code else {
                return Err(FormatError::write(
                    self.pending.target(),
                    format!(
                        "GML names its system by a code, and {} has none; bring the layer to one that has with `to`, or write a GeoPackage",
                        crs.name
                    ),
                ));
            };
            match crs.north_first {
                Some(north) => {
                    north_first = north;
                    srs = format!("http://www.opengis.net/def/crs/EPSG/0/{code}");
                }
                None => {
                    // The older form of the name is easting first by custom, whatever the registry has.
                    srs = format!("http://www.opengis.net/gml/srs/epsg.xml#{code}");
                    self.told.push(format!(
                        "the order of the axes of EPSG:{code} is not in our catalogue: positions are written easting first, under the older form of its name"
                    ));
                }
            }
        }
        let geometry = skip.map(|_| {
            let points = point_index(&layer.schema).is_some();
            ("geometry".to_string(), if points { "PointPropertyType" } else { "GeometryPropertyType" })
        });
        self.types.push(FeatureType {
            name: name.clone(),
            properties: columns.iter().map(|(i, n)| (n.clone(), type_of(layer.schema.field(*i)))).collect(),
            geometry,
        });
        let digits = if layer.crs.as_ref().is_some_and(|c| c.geographic) { 9 } else { 4 };
        let flattened = self.flattened.clone();
        let is_moment = |(i, _): &(usize, String)| {
            matches!(Moment::of_field(layer.schema.field(*i)), Some(Moment::DateTime { .. }))
        };
        Ok(Arc::new(FeatureEncoder {
            name,
            moments: columns.iter().map(is_moment).collect(),
            columns,
            styles: layer.styles.clone(),
            srs,
            north_first,
            digits,
            flattened,
        }))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        match part {
            Encoded::Bytes(bytes) => {
                self.file.write_all(&bytes).map_err(|e| FormatError::write(self.pending.target(), e))
            }
            Encoded::Rows(_) => Ok(()),
        }
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        mut self: Box<Self>,
        about: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        self.put("</l:FeatureCollection>\n")?;
        if let Some(room) = self.room.take() {
            let filled = room.fill(&mut self.file, ["<gml:description>", "</gml:description>"], &about.layers);
            filled.map_err(|e| FormatError::write(self.pending.target(), e))?;
        }
        self.file.flush().map_err(|e| FormatError::write(self.pending.target(), e))?;
        std::fs::write(&self.schema_path, schema::text(&self.stem, &self.types))
            .map_err(|e| FormatError::write(self.pending.target(), e))?;
        let flattened = self.flattened.load(Ordering::Relaxed);
        if flattened > 0 {
            self.told.push(format!(
                "{flattened} geometries have heights at some of their positions alone, which GML has no form for: they are written without heights"
            ));
        }
        self.told
            .push(format!("the schema of the GML file is {}", self.pending.target().with_extension("xsd").display()));
        Ok((self.pending, self.told))
    }
}

struct FeatureEncoder {
    name: String,
    columns: Vec<(usize, String)>,
    /// Of each column, whether it holds moments.
    moments: Vec<bool>,
    styles: Vec<ColumnStyle>,
    srs: String,
    north_first: bool,
    digits: usize,
    /// Geometries whose heights were left out because not all positions have one.
    flattened: Arc<AtomicU64>,
}

/// The type of a property, that of dates and times included.
fn type_of(field: &Field) -> DataType {
    Moment::of_field(field).map_or_else(|| field.data_type().clone(), Moment::data_type)
}

/// A moment in the one form that XML's schema has; anything else as it is.
fn moment_text(text: String) -> String {
    match Moment::read(&text) {
        Some((Moment::DateTime { utc }, civil)) => civil.text() + if utc { "Z" } else { "" },
        _ => text,
    }
}

impl Encode for FeatureEncoder {
    fn encode(&self, batch: &Batch) -> Encoded {
        let mut out = String::with_capacity(batch.len() * 300);
        let spatial = Spatial::of(batch.records());
        let name = &self.name;
        // Rows that were one in the source, such as the positions of a line, follow each other.
        let mut nth = 0;
        for row in 0..batch.len() {
            let number = batch.source_rows()[row];
            nth = if row > 0 && batch.source_rows()[row - 1] == number { nth + 1 } else { 0 };
            let id = if nth > 0 { format!("{name}.{number}.{nth}") } else { format!("{name}.{number}") };
            out.push_str(&format!("<l:featureMember><l:{name} gml:id=\"{id}\">"));
            for ((column, property), moment) in self.columns.iter().zip(&self.moments) {
                if batch.records().column(*column).is_null(row) {
                    continue;
                }
                out.push_str(&format!("<l:{property}>"));
                let digits = self.styles.get(*column).and_then(|s| s.digits);
                let text = styled_text(batch, *column, row, digits);
                push_escaped(&mut out, &if *moment { moment_text(text) } else { text });
                out.push_str(&format!("</l:{property}>"));
            }
            if let Some(mut g) = spatial.get(row) {
                g.turn_rings();
                out.push_str("<l:geometry>");
                self.push(&g, &format!("{id}.geometry"), self.dimension(&g), true, &mut out);
                out.push_str("</l:geometry>");
            }
            out.push_str(&format!("</l:{name}></l:featureMember>\n"));
        }
        Encoded::Bytes(out.into_bytes())
    }
}

impl FeatureEncoder {
    fn push(&self, g: &Geometry, id: &str, dimension: usize, outermost: bool, out: &mut String) {
        let mut head = format!(" gml:id=\"{id}\"");
        if outermost {
            head.push_str(&format!(" srsName=\"{}\" srsDimension=\"{dimension}\"", self.srs));
        }
        let mut members = |name: &str, member: &str, parts: &mut dyn Iterator<Item = Geometry>| {
            out.push_str(&format!("<gml:{name}{head}>"));
            for (i, part) in parts.enumerate() {
                out.push_str(&format!("<gml:{member}>"));
                self.push(&part, &format!("{id}.{}", i + 1), dimension, false, out);
                out.push_str(&format!("</gml:{member}>"));
            }
            out.push_str(&format!("</gml:{name}>"));
        };
        match g {
            Geometry::Point(p) => {
                out.push_str(&format!("<gml:Point{head}><gml:pos>"));
                self.push_list(std::slice::from_ref(p), dimension, out);
                out.push_str("</gml:pos></gml:Point>");
            }
            Geometry::LineString(l) => {
                out.push_str(&format!("<gml:LineString{head}><gml:posList>"));
                self.push_list(l, dimension, out);
                out.push_str("</gml:posList></gml:LineString>");
            }
            Geometry::Polygon(rings) => {
                out.push_str(&format!("<gml:Polygon{head}>"));
                for (i, ring) in rings.iter().enumerate() {
                    let edge = if i == 0 { "exterior" } else { "interior" };
                    out.push_str(&format!("<gml:{edge}><gml:LinearRing><gml:posList>"));
                    self.push_list(ring, dimension, out);
                    out.push_str(&format!("</gml:posList></gml:LinearRing></gml:{edge}>"));
                }
                out.push_str("</gml:Polygon>");
            }
            Geometry::MultiPoint(l) => {
                members("MultiPoint", "pointMember", &mut l.iter().map(|p| Geometry::Point(*p)));
            }
            Geometry::MultiLineString(l) => {
                members("MultiCurve", "curveMember", &mut l.iter().map(|l| Geometry::LineString(l.clone())));
            }
            Geometry::MultiPolygon(l) => {
                members("MultiSurface", "surfaceMember", &mut l.iter().map(|p| Geometry::Polygon(p.clone())));
            }
            Geometry::Collection(l) => members("MultiGeometry", "geometryMember", &mut l.iter().cloned()),
        }
    }

    /// Numbers of each position of a geometry: it has heights where all positions have one.
    fn dimension(&self, g: &Geometry) -> usize {
        let (mut some, mut all) = (false, true);
        g.each_position(&mut |p| {
            some |= !p.z.is_nan();
            all &= !p.z.is_nan();
        });
        if some && !all {
            self.flattened.fetch_add(1, Ordering::Relaxed);
        }
        if some && all { 3 } else { 2 }
    }

    /// Positions parted by blanks.
    fn push_list(&self, list: &[Position], dimension: usize, out: &mut String) {
        let mut bytes = Vec::new();
        for (i, p) in list.iter().enumerate() {
            if i > 0 {
                bytes.push(b' ');
            }
            let (first, second) = if self.north_first { (p.y, p.x) } else { (p.x, p.y) };
            number::push_trimmed(&mut bytes, first, self.digits);
            bytes.push(b' ');
            number::push_trimmed(&mut bytes, second, self.digits);
            if dimension == 3 {
                bytes.push(b' ');
                number::push_trimmed(&mut bytes, p.z, 4);
            }
        }
        out.push_str(&String::from_utf8(bytes).unwrap_or_default());
    }
}
