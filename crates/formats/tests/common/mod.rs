//! What tests of several formats need.
#![allow(dead_code)]

use arrow_array::{ArrayRef, BinaryArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema};
use basilocus_formats::{
    ColumnStyle, CrsText, FormatError, InputOptions, LayerOut, Presentation, RunAbout, SetAsideTable, create, open,
};
use basilocus_table::geometry::{geometry_field, wkb, wkt};
use basilocus_table::{Batch, SetAsideRow};
use std::path::Path;
use std::sync::Arc;

/// A file as it is read.
#[derive(Debug)]
pub struct Read {
    pub names: Vec<String>,
    pub rows: Vec<Vec<String>>,
    pub numbers: Vec<u64>,
    pub aside: Vec<SetAsideRow>,
    pub notes: Vec<String>,
    pub suspicions: Vec<basilocus_formats::Suspicion>,
    pub crs: Option<String>,
}

impl Read {
    /// The values of a column.
    pub fn column(&self, name: &str) -> Vec<&str> {
        let at = self.names.iter().position(|n| n == name).unwrap_or_else(|| panic!("{name} in {:?}", self.names));
        self.rows.iter().map(|r| r[at].as_str()).collect()
    }
}

/// Reads a file; an error is its message.
pub fn read(path: &Path, options: &InputOptions) -> Result<Read, String> {
    let mut reader = open(path, options).map_err(|e| e.to_string())?;
    let names = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let decoder = reader.decoder();
    let (mut rows, mut numbers, mut aside) = (Vec::new(), Vec::new(), Vec::new());
    let mut failed = None;
    reader
        .read(&mut |block| match decoder.decode(block) {
            Ok(d) => {
                rows.extend((0..d.batch.len()).map(|r| d.batch.row_texts(r)));
                numbers.extend(d.batch.source_rows());
                aside.extend(d.set_aside);
                true
            }
            Err(e) => {
                failed = Some(e.to_string());
                false
            }
        })
        .map_err(|e| e.to_string())?;
    match failed {
        Some(e) => Err(e),
        None => {
            let about = reader.about();
            Ok(Read {
                names,
                rows,
                numbers,
                aside,
                notes: about.notes.clone(),
                suspicions: about.suspicions.clone(),
                crs: about.crs.clone(),
            })
        }
    }
}

/// A file of these bytes, read.
pub fn read_bytes(name: &str, bytes: &[u8], options: &InputOptions) -> Result<Read, String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    read(&path, options)
}

/// A system by its code.
pub fn system(code: u32, geographic: bool) -> CrsText {
    CrsText {
        code: Some(code),
        name: format!("system {code}"),
        wkt: "GEOGCS[\"x\"]".into(),
        wkt2: None,
        geographic,
        north_first: Some(geographic),
    }
}

/// Rows of a name, a number, a whole number and a geometry in well-known text.
pub type Row<'a> = (Option<&'a str>, Option<f64>, Option<i64>, Option<&'a str>);

/// A layer of such rows: columns `name`, `width`, `count` and `geometry`.
pub fn layer(rows: &[Row], crs: CrsText, show: Presentation) -> (LayerOut, Batch) {
    let schema = Arc::new(Schema::new(vec![
        Field::new("name", DataType::Utf8, true),
        Field::new("width", DataType::Float64, true),
        Field::new("count", DataType::Int64, true),
        geometry_field(Some(&format!("EPSG:{}", crs.code.unwrap_or(0)))),
    ]));
    let shape = |t: Option<&str>| t.map(|t| wkb::write(&wkt::read(t).unwrap()));
    let columns: Vec<ArrayRef> = vec![
        Arc::new(rows.iter().map(|r| r.0).collect::<StringArray>()),
        Arc::new(rows.iter().map(|r| r.1).collect::<Float64Array>()),
        Arc::new(rows.iter().map(|r| r.2).collect::<Int64Array>()),
        Arc::new(rows.iter().map(|r| shape(r.3)).collect::<BinaryArray>()),
    ];
    let batch = Batch::new(schema.clone(), columns, (1..=rows.len() as u64).collect()).unwrap();
    let styles = vec![ColumnStyle { digits: None, longest: None }; 4];
    (LayerOut { name: "gates".into(), schema, styles, crs: Some(crs), show }, batch)
}

/// Writes a layer to a file; gives what was told.
pub fn write(path: &Path, layer: &LayerOut, batch: &Batch) -> Result<Vec<String>, FormatError> {
    let mut writer = create(path, true)?;
    let encoder = writer.start_layer(layer)?;
    writer.write(encoder.encode(batch))?;
    writer.end_layer()?;
    let (output, told) = writer.finish(&RunAbout::default(), &SetAsideTable::default())?;
    output.publish()?;
    Ok(told)
}
