//! What of a sheet nobody sees: rows that a filter or a person hid, and columns. They are read like all others.

use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use zip::ZipArchive;

/// What is hidden.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Hidden {
    /// How many rows.
    pub rows: u64,
    /// Names of columns, as `C`.
    pub columns: Vec<String>,
}

/// Bytes of a list of sheets.
const LARGEST_LIST: u64 = 1 << 24;
/// Columns that a sheet has.
const MOST_COLUMNS: u32 = 16_384;

/// What is hidden in a sheet of an XLSX workbook; nothing where the workbook does not say so in its usual places.
pub(super) fn of_sheet(path: &Path, sheet: &str) -> Hidden {
    hidden(path, sheet).unwrap_or_default()
}

fn hidden(path: &Path, sheet: &str) -> Option<Hidden> {
    let mut archive = ZipArchive::new(BufReader::new(File::open(path).ok()?)).ok()?;
    let mut member = |name: &str| -> Option<String> {
        let mut text = String::new();
        archive.by_name(name).ok()?.take(LARGEST_LIST).read_to_string(&mut text).ok()?;
        Some(text)
    };
    let (book, relations) = (member("xl/workbook.xml")?, member("xl/_rels/workbook.xml.rels")?);
    let id = element_with(&book, "sheet", |e| attribute(e, "name").as_deref() == Some(sheet), "id")?;
    let target = element_with(&relations, "Relationship", |e| attribute(e, "Id").as_deref() == Some(&id), "Target")?;
    let name = target.strip_prefix('/').map_or_else(|| format!("xl/{target}"), String::from);
    let content = archive.by_name(&name).ok()?;
    Some(in_rows(BufReader::with_capacity(1 << 16, content)))
}

/// The value of an attribute of the first element that is meant.
fn element_with(xml: &str, name: &str, is_meant: impl Fn(&BytesStart) -> bool, wanted: &str) -> Option<String> {
    let mut reader = Reader::from_str(xml);
    loop {
        match reader.read_event().ok()? {
            Event::Start(e) | Event::Empty(e) if e.local_name().as_ref() == name && is_meant(&e) => {
                return attribute(&e, wanted);
            }
            Event::Eof => return None,
            _ => {}
        }
    }
}

/// An attribute by its name, whatever its namespace.
fn attribute(element: &BytesStart, name: &str) -> Option<String> {
    let found = element.attributes().flatten().find(|a| a.key.local_name().as_ref() == name)?;
    found.normalized_value(XmlVersion::Implicit1_0).ok().map(|value| value.into_owned())
}

fn in_rows(input: impl BufRead) -> Hidden {
    let mut out = Hidden::default();
    let mut reader = Reader::from_reader(input);
    let mut buffer = Vec::new();
    // What cannot be read is told by whoever reads the rows.
    while let Ok(event) = reader.read_event_into(&mut buffer) {
        match event {
            Event::Start(e) | Event::Empty(e) => {
                let is_hidden = || attribute(&e, "hidden").is_some_and(|v| v == "1" || v == "true");
                match e.local_name().as_ref() {
                    "row" if is_hidden() => out.rows += 1,
                    "col" if is_hidden() => {
                        let number = |name: &str| attribute(&e, name).and_then(|v| v.parse::<u32>().ok());
                        if let (Some(first), Some(last)) = (number("min"), number("max")) {
                            // All columns to the right of a table are often hidden.
                            let last = last.min(MOST_COLUMNS).min(first.saturating_add(99));
                            out.columns.extend((first.max(1)..=last).map(|c| super::workbook::column_name(c - 1)));
                        }
                    }
                    _ => {}
                }
            }
            Event::Eof => break,
            _ => {}
        }
        buffer.clear();
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_and_columns_that_nobody_sees() {
        let sheet = r#"<worksheet><cols><col min="2" max="3" hidden="1"/><col min="5" max="5"/></cols><sheetData>
            <row r="1"><c r="A1"/></row><row r="2" hidden="1"/><row r="3" hidden="true"><c/></row><row r="4" hidden="0"/>
            </sheetData></worksheet>"#;
        let found = in_rows(sheet.as_bytes());
        assert_eq!(found, Hidden { rows: 2, columns: vec!["B".into(), "C".into()] });
        assert_eq!(in_rows(&b"<row hidden=\"1\"><"[..]).rows, 1, "what is damaged is told elsewhere");
    }

    #[test]
    fn a_sheet_is_found_by_its_name() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.xlsx");
        let mut book = rust_xlsxwriter::Workbook::new();
        book.add_worksheet().set_name("Other & more").unwrap().write(0, 0, "x").unwrap();
        let sheet = book.add_worksheet().set_name("Gates").unwrap();
        (0..5).for_each(|row| sheet.write(row, 0, row).map(|_| ()).unwrap());
        sheet.set_row_hidden(2).unwrap();
        sheet.set_column_hidden(3).unwrap();
        book.save(&path).unwrap();
        assert_eq!(of_sheet(&path, "Gates"), Hidden { rows: 1, columns: vec!["D".into()] });
        assert_eq!(of_sheet(&path, "Other & more"), Hidden::default());
        assert_eq!(of_sheet(&path, "None"), Hidden::default());
    }
}
