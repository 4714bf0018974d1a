//! A drawing of release 12: points as inserts of a block with the columns as attributes, lines and rings as polylines with
//! the columns as extended data. A layer of the drawing for each layer, or for each value of a category.

use crate::writer::{AsRows, Encode, Encoded, LayerOut, RunAbout, SetAsideTable, Writer, naming_column, styled_text};
use crate::{FormatError, PendingOutput, number};
use basilocus_table::batch::spatial_index;
use basilocus_table::counted;
use basilocus_table::geometry::{Geometry, Position};
use basilocus_table::{Batch, Spatial};
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::sync::Arc;

/// Characters that a text of a drawing may have.
const LONGEST: usize = 250;

/// A drawing in the making.
pub struct DxfWriter {
    pending: PendingOutput,
    /// Entities stand behind the tables of layers and blocks, which are known at the end.
    entities: BufWriter<File>,
    layers: BTreeSet<String>,
    blocks: Vec<(String, Vec<String>)>,
    current: Option<Current>,
    told: Vec<String>,
    cut: u64,
    holes: bool,
    bounds: Option<[f64; 4]>,
}

/// The layer that is being written.
struct Current {
    name: String,
    block: String,
    /// Columns with their tags.
    columns: Vec<(usize, String)>,
    named: Option<usize>,
    category: Option<usize>,
    digits: Vec<Option<usize>>,
    decimals: usize,
    /// Height of texts: about a metre.
    height: f64,
}

impl DxfWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn create(pending: PendingOutput) -> Result<Self, FormatError> {
        let entities = tempfile::tempfile().map_err(|e| FormatError::write(pending.target(), e))?;
        Ok(DxfWriter {
            entities: BufWriter::with_capacity(1 << 16, entities),
            pending,
            layers: BTreeSet::from(["0".to_string()]),
            blocks: Vec::new(),
            current: None,
            told: Vec::new(),
            cut: 0,
            holes: false,
            bounds: None,
        })
    }
}

/// A name as release 12 has them: capital letters, digits, `$`, `_` and `-`, 31 of them.
fn symbol(name: &str) -> String {
    let out: String = name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() || matches!(c, '$' | '_' | '-') { c.to_ascii_uppercase() } else { '_' })
        .take(31)
        .collect();
    if out.is_empty() { "_".into() } else { out }
}

/// A name that is not among others.
fn unique(name: String, taken: &mut dyn FnMut(&str) -> bool) -> String {
    let mut out = name.clone();
    let mut n = 2;
    while taken(&out) {
        let end = format!("_{n}");
        out = format!("{}{end}", &name[..name.len().min(31 - end.len())]);
        n += 1;
    }
    out
}

/// Text on one line, with signs beyond ASCII by their numbers.
fn push_text(out: &mut String, code: u32, text: &str) {
    out.push_str(&format!("{code}\n"));
    for c in text.chars() {
        match c {
            '\n' | '\r' | '\t' => out.push(' '),
            // Two of them begin a sign; reading turns this back.
            '%' => out.push_str("%%037"),
            c if (c as u32) < 32 => {}
            c if c.is_ascii() => out.push(c),
            c if (c as u32) <= 0xFFFF => out.push_str(&format!("\\U+{:04X}", c as u32)),
            _ => out.push('?'),
        }
    }
    out.push('\n');
}

fn push_number(out: &mut String, code: u32, value: f64, decimals: usize) {
    let mut bytes = Vec::new();
    number::push_fixed(&mut bytes, value, decimals);
    out.push_str(&format!("{code}\n{}\n", String::from_utf8(bytes).unwrap_or_default()));
}

impl DxfWriter {
    fn position(&mut self, p: &Position, decimals: usize, out: &mut String) {
        let b = self.bounds.get_or_insert([p.x, p.y, p.x, p.y]);
        *b = [b[0].min(p.x), b[1].min(p.y), b[2].max(p.x), b[3].max(p.y)];
        push_number(out, 10, p.x, decimals);
        push_number(out, 20, p.y, decimals);
        push_number(out, 30, if p.z.is_nan() { 0.0 } else { p.z }, 4);
    }

    /// A text cut to what a drawing holds; the cut is counted.
    fn fitting<'a>(&mut self, text: &'a str) -> &'a str {
        match text.char_indices().nth(LONGEST) {
            Some((at, _)) => {
                self.cut += 1;
                &text[..at]
            }
            None => text,
        }
    }

    fn point(&mut self, p: &Position, c: &Current, layer: &str, values: &[String], out: &mut String) {
        out.push_str("0\nINSERT\n");
        push_text(out, 8, layer);
        out.push_str("66\n1\n");
        push_text(out, 2, &c.block);
        self.position(p, c.decimals, out);
        for ((column, tag), value) in c.columns.iter().zip(values) {
            if value.is_empty() {
                continue;
            }
            out.push_str("0\nATTRIB\n");
            push_text(out, 8, layer);
            self.position(p, c.decimals, out);
            push_number(out, 40, c.height, 7);
            push_text(out, 1, self.fitting(value));
            push_text(out, 2, tag);
            // All but the name are there and not shown.
            out.push_str(if Some(*column) == c.named { "70\n0\n" } else { "70\n1\n" });
        }
        out.push_str("0\nSEQEND\n");
        push_text(out, 8, layer);
    }

    fn line(&mut self, line: &[Position], closed: bool, c: &Current, layer: &str, values: &[String], out: &mut String) {
        let line = if closed { &line[..line.len().saturating_sub(1)] } else { line };
        let heights = line.iter().any(|p| !p.z.is_nan() && p.z != 0.0);
        out.push_str("0\nPOLYLINE\n");
        push_text(out, 8, layer);
        out.push_str("66\n1\n10\n0.0\n20\n0.0\n30\n0.0\n");
        out.push_str(&format!("70\n{}\n", u32::from(closed) + if heights { 8 } else { 0 }));
        if !values.is_empty() {
            out.push_str("1001\nBASILOCUS\n");
        }
        for ((_, tag), value) in c.columns.iter().zip(values).filter(|(_, v)| !v.is_empty()) {
            let text = format!("{tag}={value}");
            push_text(out, 1000, self.fitting(&text));
        }
        for p in line {
            out.push_str("0\nVERTEX\n");
            push_text(out, 8, layer);
            self.position(p, c.decimals, out);
            out.push_str(if heights { "70\n32\n" } else { "" });
        }
        out.push_str("0\nSEQEND\n");
        push_text(out, 8, layer);
    }

    fn shape(&mut self, g: &Geometry, c: &Current, layer: &str, values: &[String], out: &mut String) {
        match g {
            Geometry::Point(p) => self.point(p, c, layer, values, out),
            Geometry::MultiPoint(l) => l.iter().for_each(|p| self.point(p, c, layer, values, out)),
            Geometry::LineString(l) => self.line(l, false, c, layer, values, out),
            Geometry::MultiLineString(l) => l.iter().for_each(|l| self.line(l, false, c, layer, values, out)),
            Geometry::Polygon(rings) => {
                self.holes |= rings.len() > 1;
                rings.iter().for_each(|r| self.line(r, true, c, layer, values, out));
            }
            Geometry::MultiPolygon(l) => {
                l.iter().for_each(|p| self.shape(&Geometry::Polygon(p.clone()), c, layer, values, out));
            }
            Geometry::Collection(l) => l.iter().for_each(|g| self.shape(g, c, layer, values, out)),
        }
    }

    /// What stands in front of the entities.
    fn head(&self) -> String {
        let mut out = String::from("0\nSECTION\n2\nHEADER\n9\n$ACADVER\n1\nAC1009\n");
        if let Some([west, south, east, north]) = self.bounds {
            for (name, x, y) in [("$EXTMIN", west, south), ("$EXTMAX", east, north)] {
                out.push_str(&format!("9\n{name}\n"));
                push_number(&mut out, 10, x, 6);
                push_number(&mut out, 20, y, 6);
                push_number(&mut out, 30, 0.0, 1);
            }
        }
        out.push_str("0\nENDSEC\n0\nSECTION\n2\nTABLES\n");
        out.push_str("0\nTABLE\n2\nLTYPE\n70\n1\n0\nLTYPE\n2\nCONTINUOUS\n70\n0\n3\nSolid line\n72\n65\n73\n0\n40\n0.0\n0\nENDTAB\n");
        out.push_str(&format!("0\nTABLE\n2\nLAYER\n70\n{}\n", self.layers.len()));
        // Seven colours in turn; white, or black, for the layer of a drawing's own.
        for (i, name) in self.layers.iter().enumerate() {
            let color = if name == "0" { 7 } else { 1 + (i + 5) % 6 };
            out.push_str("0\nLAYER\n");
            push_text(&mut out, 2, name);
            out.push_str(&format!("70\n0\n62\n{color}\n6\nCONTINUOUS\n"));
        }
        out.push_str("0\nENDTAB\n0\nTABLE\n2\nAPPID\n70\n1\n0\nAPPID\n2\nBASILOCUS\n70\n0\n0\nENDTAB\n0\nENDSEC\n");
        out.push_str("0\nSECTION\n2\nBLOCKS\n");
        for (name, tags) in &self.blocks {
            out.push_str("0\nBLOCK\n8\n0\n");
            push_text(&mut out, 2, name);
            out.push_str("70\n2\n10\n0.0\n20\n0.0\n30\n0.0\n");
            push_text(&mut out, 3, name);
            out.push_str("0\nPOINT\n8\n0\n10\n0.0\n20\n0.0\n30\n0.0\n");
            for tag in tags {
                out.push_str("0\nATTDEF\n8\n0\n10\n0.0\n20\n0.0\n30\n0.0\n40\n1.0\n1\n\n");
                push_text(&mut out, 3, tag);
                push_text(&mut out, 2, tag);
                out.push_str("70\n1\n");
            }
            out.push_str("0\nENDBLK\n8\n0\n");
        }
        out.push_str("0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
        out
    }
}

impl Writer for DxfWriter {
    fn start_layer(&mut self, layer: &LayerOut) -> Result<Arc<dyn Encode>, FormatError> {
        let skip = spatial_index(&layer.schema);
        let mut columns: Vec<(usize, String)> = Vec::new();
        let mut renamed = Vec::new();
        for (i, field) in layer.schema.fields().iter().enumerate().filter(|(i, _)| Some(*i) != skip) {
            let tag = unique(symbol(field.name()), &mut |t| columns.iter().any(|(_, c)| c == t));
            if !tag.eq_ignore_ascii_case(field.name()) {
                renamed.push(format!("{} is {tag}", field.name()));
            }
            columns.push((i, tag));
        }
        if !renamed.is_empty() {
            self.told.push(format!("names made valid for DXF: {}", renamed.join(", ")));
        }
        let block = unique(symbol(&layer.name), &mut |t| self.blocks.iter().any(|(b, _)| b == t));
        self.blocks.push((block.clone(), columns.iter().map(|(_, t)| t.clone()).collect()));
        let geographic = layer.crs.as_ref().is_some_and(|c| c.geographic);
        self.told.push(match &layer.crs {
            Some(crs) => format!("a drawing has no place for its reference system; its positions are in {}", crs.name),
            None => "a drawing has no place for its reference system".into(),
        });
        self.current = Some(Current {
            name: symbol(&layer.name),
            block,
            columns,
            named: naming_column(&layer.schema),
            category: layer.show.category,
            digits: layer.styles.iter().map(|s| s.digits).collect(),
            decimals: if geographic { 9 } else { 4 },
            height: if geographic { 0.000_01 } else { 1.0 },
        });
        Ok(Arc::new(AsRows))
    }

    fn write(&mut self, part: Encoded) -> Result<(), FormatError> {
        let Encoded::Rows(batch) = part else { return Ok(()) };
        let Some(current) = self.current.take() else { return Ok(()) };
        let out = self.rows(&batch, &current);
        self.current = Some(current);
        self.entities.write_all(out?.as_bytes()).map_err(|e| FormatError::write(self.pending.target(), e))
    }

    fn end_layer(&mut self) -> Result<(), FormatError> {
        Ok(())
    }

    fn finish(
        mut self: Box<Self>,
        _: &RunAbout,
        _: &SetAsideTable,
    ) -> Result<(PendingOutput, Vec<String>), FormatError> {
        if self.cut > 0 {
            self.told.push(format!(
                "{} cut to {LONGEST} characters, the most that a drawing holds",
                counted(self.cut, "text")
            ));
        }
        if self.holes {
            self.told.push("holes of polygons are closed lines of their own in a drawing".into());
        }
        let head = self.head();
        let DxfWriter { pending, entities, told, .. } = *self;
        let failed = |e: std::io::Error| FormatError::write(pending.target(), e);
        let mut entities = entities.into_inner().map_err(|e| failed(e.into_error()))?;
        entities.rewind().map_err(failed)?;
        let mut file = BufWriter::with_capacity(1 << 16, File::create(pending.path()).map_err(failed)?);
        file.write_all(head.as_bytes()).map_err(failed)?;
        std::io::copy(&mut entities, &mut file).map_err(failed)?;
        file.write_all(b"0\nENDSEC\n0\nEOF\n").and_then(|()| file.flush()).map_err(failed)?;
        Ok((pending, told))
    }
}

impl DxfWriter {
    fn rows(&mut self, batch: &Batch, c: &Current) -> Result<String, FormatError> {
        let spatial = Spatial::of(batch.records());
        let mut out = String::with_capacity(batch.len() * 400);
        for row in 0..batch.len() {
            let Some(g) = spatial.get(row) else {
                return Err(FormatError::write(
                    self.pending.target(),
                    format!(
                        "row {} has no geometry, and a drawing has no place for it; choose other rows, or write a GeoPackage",
                        batch.source_rows()[row]
                    ),
                ));
            };
            let values: Vec<String> = c
                .columns
                .iter()
                .map(|(i, _)| styled_text(batch, *i, row, c.digits.get(*i).copied().flatten()))
                .collect();
            let layer = match c.category {
                Some(column) => symbol(&batch.text(column, row)),
                None => c.name.clone(),
            };
            if !self.layers.contains(&layer) {
                self.layers.insert(layer.clone());
            }
            self.shape(&g, c, &layer, &values, &mut out);
        }
        Ok(out)
    }
}
