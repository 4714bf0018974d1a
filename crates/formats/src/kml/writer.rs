//! Placemarks in a document a layer, with their columns as typed data.

use super::geometry;
use crate::writer::{ColumnStyle, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer, naming_column};
use crate::xml::push_escaped;
use crate::{FormatError, PendingOutput, number};
use arrow_array::{Array, Float64Array};
use arrow_schema::DataType;
use basilocus_table::batch::{cell_text, spatial_index};
use basilocus_table::{Batch, Spatial};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::sync::Arc;

/// A KML file in the making.
pub struct KmlWriter {
    pending: PendingOutput,
    file: BufWriter<File>,
    layers: usize,
}

impl KmlWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        let file = File::create(pending.path()).map_err(|e| FormatError::write(pending.target(), e))?;
        let mut writer = KmlWriter { pending, file: BufWriter::with_capacity(1 << 16, file), layers: 0 };
        let mut text = String::from(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<kml xmlns=\"http://www.opengis.net/kml/2.2\">\n<Document>\n<name>",
        );
        let stem = writer.pending.target().file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
        push_escaped(&mut text, &stem);
        text.push_str("</name>\n");
        writer.put(&text)?;
        Ok(writer)
    }

    fn put(&mut self, text: &str) -> Result<(), FormatError> {
        self.file.write_all(text.as_bytes()).map_err(|e| FormatError::write(self.pending.target(), e))
    }
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
        // A document in the document: only there a schema may stand, and only in front of what uses it.
        let mut text = String::from("<Document>\n<name>");
        push_escaped(&mut text, &layer.name);
        text.push_str(&format!("</name>\n<Schema name=\"{id}\" id=\"{id}\">\n"));
        for i in &columns {
            let field = layer.schema.field(*i);
            text.push_str(&format!("<SimpleField type=\"{}\" name=\"", kml_type(field.data_type())));
            push_escaped(&mut text, field.name());
            text.push_str("\"></SimpleField>\n");
        }
        text.push_str("</Schema>\n");
        self.put(&text)?;
        let names = columns.iter().map(|i| {
            let mut name = String::new();
            push_escaped(&mut name, layer.schema.field(*i).name());
            (*i, name)
        });
        Ok(Arc::new(PlacemarkEncoder { id, columns: names.collect(), named, styles: layer.styles.clone() }))
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
        self.put("</Document>\n")
    }

    fn finish(
        mut self: Box<Self>,
        _: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        self.put("</Document>\n</kml>\n")?;
        self.file.flush().map_err(|e| FormatError::write(self.pending.target(), e))?;
        Ok((self.pending, Vec::new()))
    }
}

struct PlacemarkEncoder {
    id: String,
    /// Index and escaped name.
    columns: Vec<(usize, String)>,
    named: Option<usize>,
    styles: Vec<ColumnStyle>,
}

impl PlacemarkEncoder {
    fn text(&self, batch: &Batch, column: usize, row: usize) -> String {
        let array = batch.records.column(column);
        let digits = self.styles.get(column).and_then(|s| s.digits);
        match (array.as_any().downcast_ref::<Float64Array>(), digits) {
            (Some(a), Some(d)) if a.is_valid(row) && a.value(row).is_finite() => {
                let mut out = Vec::new();
                number::push_fixed(&mut out, a.value(row), d);
                String::from_utf8(out).unwrap_or_default()
            }
            _ => cell_text(array, row),
        }
    }
}

impl Encode for PlacemarkEncoder {
    fn encode(&self, batch: &Batch) -> Encoded {
        let mut out = String::with_capacity(batch.len() * 300);
        let spatial = Spatial::of(&batch.records);
        for row in 0..batch.len() {
            out.push_str("<Placemark>");
            if let Some(column) = self.named {
                out.push_str("<name>");
                push_escaped(&mut out, &self.text(batch, column, row));
                out.push_str("</name>");
            }
            out.push_str("<ExtendedData><SchemaData schemaUrl=\"#");
            out.push_str(&self.id);
            out.push_str("\">");
            for (column, name) in &self.columns {
                if batch.records.column(*column).is_null(row) {
                    continue;
                }
                out.push_str("<SimpleData name=\"");
                out.push_str(name);
                out.push_str("\">");
                push_escaped(&mut out, &self.text(batch, *column, row));
                out.push_str("</SimpleData>");
            }
            out.push_str("</SchemaData></ExtendedData>");
            if let Some(shape) = spatial.get(row) {
                geometry::push(&shape, &mut out);
            }
            out.push_str("</Placemark>\n");
        }
        Encoded::Bytes(out.into_bytes())
    }
}
