//! What of a sheet of an XLSX workbook nobody sees: rows that a filter or a person hid, and columns. They are read like all others.

use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use zip::ZipArchive;

/// Bytes of a list of sheets.
const LARGEST_LIST: u64 = 1 << 24;
/// Columns that a sheet has.
const MOST_COLUMNS: u32 = 16_384;

/// Names of hidden columns of a sheet of an XLSX workbook, as `C`; none where the workbook does not say so in its usual places.
/// They stand in front of the rows, so that little is read.
pub(super) fn hidden_columns(path: &Path, sheet: &str) -> Vec<String> {
    let mut columns = Vec::new();
    each_element(path, sheet, &mut |e| {
        let number = |name: &str| attribute(e, name).and_then(|v| v.parse::<u32>().ok());
        if let ("col", true, Some(first), Some(last)) =
            (e.local_name().as_ref(), is_hidden(e), number("min"), number("max"))
        {
            // All columns to the right of a table are often hidden.
            let last = last.min(MOST_COLUMNS).min(first.saturating_add(99));
            columns.extend((first.max(1)..=last).map(|c| super::workbook::column_name(c - 1)));
        }
        e.local_name().as_ref() != "sheetData"
    });
    columns
}

/// How many rows of a sheet are hidden: all of it is read.
pub(super) fn hidden_rows(path: &Path, sheet: &str) -> u64 {
    let mut rows = 0;
    each_element(path, sheet, &mut |e| {
        rows += u64::from(e.local_name().as_ref() == "row" && is_hidden(e));
        true
    });
    rows
}

fn is_hidden(element: &BytesStart) -> bool {
    attribute(element, "hidden").is_some_and(|v| v == "1" || v == "true")
}

/// Gives the elements of a sheet until it is told to stop.
fn each_element(path: &Path, sheet: &str, each: &mut dyn FnMut(&BytesStart) -> bool) -> Option<()> {
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
    elements(BufReader::with_capacity(1 << 16, content), each);
    Some(())
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
pub(super) fn attribute(element: &BytesStart, name: &str) -> Option<String> {
    let found = element.attributes().flatten().find(|a| a.key.local_name().as_ref() == name)?;
    found.normalized_value(XmlVersion::Implicit1_0).ok().map(|value| value.into_owned())
}

fn elements(input: impl BufRead, each: &mut dyn FnMut(&BytesStart) -> bool) {
    let mut reader = Reader::from_reader(input);
    let mut buffer = Vec::new();
    // What cannot be read is told by whoever reads the rows.
    while let Ok(event) = reader.read_event_into(&mut buffer) {
        match event {
            Event::Start(e) | Event::Empty(e) if !each(&e) => return,
            Event::Eof => return,
            _ => {}
        }
        buffer.clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_damaged_sheet_is_read_as_far_as_it_goes() {
        let mut rows = 0;
        elements(&b"<a><row hidden=\"1\"/><row hidden=\"0\"/><row hidden=\"true\"><"[..], &mut |e| {
            rows += u64::from(is_hidden(e));
            true
        });
        assert_eq!(rows, 2, "what is damaged is told elsewhere");
    }

    #[test]
    fn rows_and_columns_that_nobody_sees_are_found_by_the_name_of_their_sheet() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.xlsx");
        let mut book = rust_xlsxwriter::Workbook::new();
        book.add_worksheet().set_name("Other & more").unwrap().write(0, 0, "x").unwrap();
        let sheet = book.add_worksheet().set_name("Gates").unwrap();
        (0..5).for_each(|row| sheet.write(row, 0, row).map(|_| ()).unwrap());
        sheet.set_row_hidden(2).unwrap();
        sheet.set_column_hidden(3).unwrap();
        sheet.set_column_hidden(4).unwrap();
        book.save(&path).unwrap();
        assert_eq!((hidden_rows(&path, "Gates"), hidden_columns(&path, "Gates").join(" ")), (1, "D E".to_string()));
        for sheet in ["Other & more", "None"] {
            assert_eq!((hidden_rows(&path, sheet), hidden_columns(&path, sheet).len()), (0, 0));
        }
    }
}
