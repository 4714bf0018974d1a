//! Placemarks in a document a layer, with their columns as typed data; in folders by a category, with names, balloons,
//! icons and colours as the layer's presentation says. A KMZ is the same in an archive.

use super::geometry;
use super::style::Styles;
use crate::crossing::Crossing;
use crate::head_room::HeadRoom;
use crate::presentation::{Altitude, Presentation};
use crate::writer::{
    ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer, naming_column, styled_text,
};
use crate::xml::push_escaped;
use crate::{FormatError, PendingOutput};
use arrow_array::Array;
use arrow_schema::DataType;
use basilocus_table::batch::spatial_index;
use basilocus_table::{Batch, Spatial};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufWriter, Read, Seek, Write};
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

/// Folders that a layer may have: more values are no category, and each has a file open while it is written.
const MOST_FOLDERS: usize = 500;

/// A KML file in the making.
pub struct KmlWriter {
    pending: PendingOutput,
    file: BufWriter<File>,
    layers: usize,
    current: Option<Current>,
    /// Icons that go into an archive: their names in it, and the files.
    icons: Vec<(String, PathBuf)>,
    crossing: Arc<Crossing>,
    /// Where the file says what it is.
    room: Option<HeadRoom>,
}

/// The layer that is being written. Its styles stand in front of what uses them, so its placemarks wait.
struct Current {
    name: String,
    id: String,
    fields: Vec<(String, DataType)>,
    /// Names of all columns of the schema.
    names: Vec<String>,
    encoder: Arc<PlacemarkEncoder>,
    category: Option<usize>,
    /// What is in no folder.
    body: BufWriter<File>,
    folders: BTreeMap<String, BufWriter<File>>,
}

impl KmlWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        // A document of an archive is packed at the end.
        let file = if is_kmz(&pending) { tempfile::tempfile() } else { File::create(pending.path()) };
        let file = file.map_err(|e| FormatError::write(pending.target(), e))?;
        let file = BufWriter::with_capacity(1 << 16, file);
        let (current, icons, crossing) = Default::default();
        let mut writer = KmlWriter { pending, file, layers: 0, current, icons, crossing, room: None };
        let mut text = String::from(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<kml xmlns=\"http://www.opengis.net/kml/2.2\">\n<Document>\n<name>",
        );
        let stem = writer.pending.target().file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
        push_escaped(&mut text, &stem);
        text.push_str("</name>\n");
        writer.put(&text)?;
        let room = HeadRoom::keep(&mut writer.file);
        writer.room = Some(room.map_err(|e| FormatError::write(writer.pending.target(), e))?);
        Ok(writer)
    }

    fn put(&mut self, text: &str) -> Result<(), FormatError> {
        self.file.write_all(text.as_bytes()).map_err(|e| FormatError::write(self.pending.target(), e))
    }

    fn temporary(&self) -> Result<BufWriter<File>, FormatError> {
        let file = tempfile::tempfile().map_err(|e| FormatError::write(self.pending.target(), e))?;
        Ok(BufWriter::with_capacity(1 << 15, file))
    }
}

fn is_kmz(pending: &PendingOutput) -> bool {
    pending.target().extension().is_some_and(|e| e.eq_ignore_ascii_case("kmz"))
}

fn kml_type(t: &DataType) -> &'static str {
    match t {
        DataType::Boolean => "bool",
        DataType::Float64 => "double",
        // Whole numbers of KML have 32 bits.
        _ => "string",
    }
}

impl Writer for KmlWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        if layer.crs.as_ref().is_some_and(|c| c.code != Some(4326)) {
            return Err(FormatError::write(
                self.pending.target(),
                "KML holds WGS 84 only; the positions are in another system",
            ));
        }
        self.layers += 1;
        let id = format!("layer{}", self.layers);
        let skip = spatial_index(&layer.schema);
        let columns: Vec<usize> = (0..layer.schema.fields().len()).filter(|i| Some(*i) != skip).collect();
        let named = naming_column(&layer.schema);
        let fields = columns.iter().map(|i| {
            let field = layer.schema.field(*i);
            (field.name().clone(), field.data_type().clone())
        });
        let names = columns.iter().map(|i| {
            let mut name = String::new();
            push_escaped(&mut name, layer.schema.field(*i).name());
            (*i, name)
        });
        let category = layer.show.category;
        let encoder = Arc::new(PlacemarkEncoder {
            id: id.clone(),
            columns: names.collect(),
            named,
            styles: layer.styles.clone(),
            show: layer.show.clone(),
            shared: Mutex::new(Styles::new(&id, is_kmz(&self.pending))),
            crossing: self.crossing.clone(),
            parted: category.is_some() || layer.show.color.is_some() || layer.show.icon.is_some(),
        });
        self.current = Some(Current {
            name: layer.name.clone(),
            id,
            fields: fields.collect(),
            names: layer.schema.fields().iter().map(|f| f.name().clone()).collect(),
            encoder: encoder.clone(),
            category,
            body: self.temporary()?,
            folders: BTreeMap::new(),
        });
        Ok(encoder)
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let Some(mut current) = self.current.take() else { return Ok(()) };
        match part {
            Encoded::Bytes(bytes) => {
                current.body.write_all(&bytes).map_err(|e| FormatError::write(self.pending.target(), e))?;
            }
            Encoded::Rows(batch) => self.write_folders(&batch, &mut current)?,
        }
        self.current = Some(current);
        Ok(())
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        let Some(current) = self.current.take() else { return Ok(()) };
        // A document in the document: only there a schema may stand, and only in front of what uses it.
        let mut text = String::from("<Document>\n<name>");
        push_escaped(&mut text, &current.name);
        text.push_str("</name>\n");
        {
            let styles = current.encoder.shared.lock().unwrap_or_else(PoisonError::into_inner);
            // Beside a plain document a picture may be put later; an archive is complete.
            if let ([first, ..], true) = (styles.missing().as_slice(), is_kmz(&self.pending)) {
                return Err(FormatError::Option {
                    path: self.pending.target().to_path_buf(),
                    problem: format!("the icon {first} is neither a picture that is there nor an address on the web"),
                });
            }
            styles.push(&current.names, &current.encoder.show, &mut text);
        }
        text.push_str(&format!("<Schema name=\"{id}\" id=\"{id}\">\n", id = current.id));
        for (name, kind) in &current.fields {
            text.push_str(&format!("<SimpleField type=\"{}\" name=\"", kml_type(kind)));
            push_escaped(&mut text, name);
            text.push_str("\"></SimpleField>\n");
        }
        text.push_str("</Schema>\n");
        self.put(&text)?;
        self.append(current.body)?;
        for (folder, body) in current.folders {
            let mut text = String::from("<Folder><name>");
            push_escaped(&mut text, if folder.is_empty() { "(empty)" } else { &folder });
            text.push_str("</name>\n");
            self.put(&text)?;
            self.append(body)?;
            self.put("</Folder>\n")?;
        }
        let icons = current.encoder.shared.lock().unwrap_or_else(PoisonError::into_inner).packed();
        self.icons.extend(icons);
        self.put("</Document>\n")
    }

    fn finish(
        mut self: Box<Self>,
        about: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        self.put("</Document>\n</kml>\n")?;
        if let Some(room) = self.room.take() {
            let filled = room.fill(&mut self.file, ["<description>", "</description>"], &about.layers);
            filled.map_err(|e| FormatError::write(self.pending.target(), e))?;
        }
        self.file.flush().map_err(|e| FormatError::write(self.pending.target(), e))?;
        if is_kmz(&self.pending) {
            self.pack()?;
        }
        let told = self.crossing.told("KML", "KML wants it");
        Ok((self.pending, told))
    }
}

impl KmlWriter {
    fn append(&mut self, body: BufWriter<File>) -> Result<(), FormatError> {
        let failed = |e: std::io::Error| FormatError::write(self.pending.target(), e);
        let mut body = body.into_inner().map_err(|e| failed(e.into_error()))?;
        body.rewind().map_err(failed)?;
        std::io::copy(&mut body, &mut self.file).map_err(failed)?;
        Ok(())
    }

    fn write_folders(&mut self, batch: &Batch, current: &mut Current) -> Result<(), FormatError> {
        let spatial = Spatial::of(batch.records());
        let Some(column) = current.category else {
            let mut text = String::new();
            (0..batch.len()).for_each(|row| current.encoder.placemark(batch, &spatial, row, &mut text));
            return current.body.write_all(text.as_bytes()).map_err(|e| FormatError::write(self.pending.target(), e));
        };
        for row in 0..batch.len() {
            let value = batch.text(column, row);
            if !current.folders.contains_key(&value) {
                if current.folders.len() == MOST_FOLDERS {
                    return Err(FormatError::write(
                        self.pending.target(),
                        format!(
                            "the category has more than {MOST_FOLDERS} values, each a folder; is it the column that is meant?"
                        ),
                    ));
                }
                current.folders.insert(value.clone(), self.temporary()?);
            }
            let mut text = String::new();
            current.encoder.placemark(batch, &spatial, row, &mut text);
            if let Some(folder) = current.folders.get_mut(&value) {
                folder.write_all(text.as_bytes()).map_err(|e| FormatError::write(self.pending.target(), e))?;
            }
        }
        Ok(())
    }

    /// The document and the icons that are files, in an archive.
    fn pack(&mut self) -> Result<(), FormatError> {
        let document = self.file.get_mut();
        document.rewind().map_err(|e| FormatError::write(self.pending.target(), e))?;
        let mut icons = Vec::with_capacity(self.icons.len());
        for (name, path) in &self.icons {
            icons.push((name.as_str(), File::open(path).map_err(|e| FormatError::read(path, e))?));
        }
        let mut members: Vec<(&str, &mut dyn Read)> = vec![("doc.kml", document)];
        members.extend(icons.iter_mut().map(|(name, file)| (*name, file as &mut dyn Read)));
        crate::archive::pack(&self.pending, &mut members)
    }
}

struct PlacemarkEncoder {
    id: String,
    /// Index and escaped name.
    columns: Vec<(usize, String)>,
    named: Option<usize>,
    styles: Vec<ColumnStyle>,
    show: Presentation,
    shared: Mutex<Styles>,
    crossing: Arc<Crossing>,
    /// Whether rows go to folders, which the writer parts, or share styles, whose names follow the order of the rows.
    parted: bool,
}

impl PlacemarkEncoder {
    fn text(&self, batch: &Batch, column: usize, row: usize) -> String {
        styled_text(batch, column, row, self.styles.get(column).and_then(|s| s.digits))
    }

    fn placemark(&self, batch: &Batch, spatial: &Spatial, row: usize, out: &mut String) {
        out.push_str("<Placemark>");
        let value = |column: usize| self.text(batch, column, row);
        let name = match (&self.show.label, self.named) {
            (Some(template), _) => Some(template.text(&value)),
            (None, Some(column)) => Some(value(column)),
            (None, None) => None,
        };
        if let Some(name) = name {
            out.push_str("<name>");
            push_escaped(out, &name);
            out.push_str("</name>");
        }
        if let Some(template) = &self.show.balloon {
            out.push_str("<description>");
            // A balloon is a page: signs of markup in a value are signs, not markup.
            push_escaped(out, &template.text(&|column| escaped(&value(column))));
            out.push_str("</description>");
        }
        let of = |rule: &Option<crate::presentation::Rule>| rule.as_ref().and_then(|r| r.of(batch, row));
        let (color, icon) = (of(&self.show.color), of(&self.show.icon));
        if color.is_some() || icon.is_some() {
            let mut shared = self.shared.lock().unwrap_or_else(PoisonError::into_inner);
            out.push_str(&format!("<styleUrl>#{}</styleUrl>", shared.id(color, icon)));
        }
        out.push_str("<ExtendedData><SchemaData schemaUrl=\"#");
        out.push_str(&self.id);
        out.push_str("\">");
        for (column, name) in &self.columns {
            if batch.records().column(*column).is_null(row) {
                continue;
            }
            out.push_str("<SimpleData name=\"");
            out.push_str(name);
            out.push_str("\">");
            push_escaped(out, &self.text(batch, *column, row));
            out.push_str("</SimpleData>");
        }
        out.push_str("</SchemaData></ExtendedData>");
        if let Some(shape) = spatial.get(row).map(|shape| self.crossing.within(shape)) {
            let mode = match self.show.altitude {
                Altitude::Found if shape.has_z_and_m().0 => Some("absolute"),
                Altitude::Found => None,
                Altitude::Ground => Some("clampToGround"),
                Altitude::AboveGround => Some("relativeToGround"),
                Altitude::AboveSea => Some("absolute"),
            };
            geometry::push(&shape, mode, out);
        }
        out.push_str("</Placemark>\n");
    }
}

fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    push_escaped(&mut out, text);
    out
}

impl Encode for PlacemarkEncoder {
    fn encode(&self, batch: &Batch) -> Encoded {
        if self.parted {
            return Encoded::Rows(batch.clone());
        }
        let mut out = String::with_capacity(batch.len() * 300);
        let spatial = Spatial::of(batch.records());
        for row in 0..batch.len() {
            self.placemark(batch, &spatial, row, &mut out);
        }
        Encoded::Bytes(out.into_bytes())
    }
}
