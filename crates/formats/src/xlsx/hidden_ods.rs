//! What of a sheet of an OpenDocument workbook nobody sees (OpenDocument 1.3, part 3, 19.749 `table:visibility`): rows that
//! are collapsed or filtered, and columns.

use super::hidden::attribute;
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::fs::File;
use std::io::{BufRead, BufReader};
use std::path::Path;
use zip::ZipArchive;

/// Columns that are told.
const MOST_COLUMNS: u32 = 100;

/// What is hidden of a sheet.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub(super) struct Hidden {
    /// Rows that have something in them.
    pub rows: u64,
    /// Names of columns, as `C`.
    pub columns: Vec<String>,
}

/// Which part of a sheet is read.
#[derive(Clone, Copy, PartialEq)]
pub(super) enum Part {
    /// The columns, which stand in front of the rows.
    Columns,
    All,
}

/// What is hidden of a sheet; nothing where the workbook does not say so in its usual place.
pub(super) fn hidden(path: &Path, sheet: &str, part: Part) -> Hidden {
    let archive = File::open(path).ok().and_then(|file| ZipArchive::new(BufReader::new(file)).ok());
    let Some(mut archive) = archive else { return Hidden::default() };
    match archive.by_name("content.xml") {
        Ok(content) => of(BufReader::with_capacity(1 << 16, content), sheet, part),
        Err(_) => Hidden::default(),
    }
}

fn of(input: impl BufRead, sheet: &str, part: Part) -> Hidden {
    let mut reader = Reader::from_reader(input);
    let mut buffer = Vec::new();
    let mut out = Hidden::default();
    let (mut is_ours, mut column) = (false, 0u32);
    // How often a hidden row stands there, and whether it has something in it.
    let mut row: Option<(u64, bool)> = None;
    // What cannot be read is told by whoever reads the rows.
    while let Ok(event) = reader.read_event_into(&mut buffer) {
        match &event {
            Event::Start(e) if e.local_name().as_ref() == "table" => {
                is_ours = attribute(e, "name").as_deref() == Some(sheet);
            }
            Event::End(e) if is_ours && e.local_name().as_ref() == "table" => break,
            Event::Start(e) | Event::Empty(e) if is_ours => match e.local_name().as_ref() {
                "table-column" => {
                    let first = column;
                    column = column.saturating_add(repeated(e, "number-columns-repeated") as u32);
                    if is_hidden(e) {
                        // All columns to the right of a table are often hidden.
                        let last = column.min(first.saturating_add(MOST_COLUMNS));
                        out.columns.extend((first..last).map(super::workbook::column_name));
                    }
                }
                "table-row" if part == Part::Columns => break,
                "table-row" => row = is_hidden(e).then(|| (repeated(e, "number-rows-repeated"), false)),
                "p" => row.iter_mut().for_each(|(_, has_text)| *has_text = true),
                _ => {}
            },
            Event::End(e) if is_ours && e.local_name().as_ref() == "table-row" => {
                out.rows += row.take().filter(|(_, has_text)| *has_text).map_or(0, |(rows, _)| rows);
            }
            Event::Eof => break,
            _ => {}
        }
        buffer.clear();
    }
    out
}

fn is_hidden(element: &BytesStart) -> bool {
    attribute(element, "visibility").is_some_and(|v| v == "collapse" || v == "filter")
}

fn repeated(element: &BytesStart, name: &str) -> u64 {
    attribute(element, name).and_then(|v| v.parse().ok()).unwrap_or(1)
}

#[cfg(test)]
mod tests {
    use super::*;

    const CONTENT: &str = r#"<office:spreadsheet>
        <table:table table:name="Other"><table:table-row table:visibility="collapse"><table:table-cell><text:p>1</text:p></table:table-cell></table:table-row></table:table>
        <table:table table:name="Gates &amp; more">
        <table:table-column table:number-columns-repeated="2"/><table:table-column table:visibility="collapse"/>
        <table:table-row><table:table-cell><text:p>name</text:p></table:table-cell></table:table-row>
        <table:table-row table:visibility="filter"><table:table-cell><text:p>A</text:p></table:table-cell></table:table-row>
        <table:table-row table:visibility="collapse" table:number-rows-repeated="2"><table:table-cell><text:p>B</text:p></table:table-cell></table:table-row>
        <table:table-row table:visibility="collapse" table:number-rows-repeated="1048000"><table:table-cell/></table:table-row>
        <table:table-row table:visibility="visible"><table:table-cell><text:p>C</text:p></table:table-cell></table:table-row>
        </table:table></office:spreadsheet>"#;

    #[test]
    fn rows_that_are_filtered_or_collapsed_are_counted_where_they_have_something_in_them() {
        let found = of(CONTENT.as_bytes(), "Gates & more", Part::All);
        assert_eq!(found, Hidden { rows: 3, columns: vec!["C".into()] });
        assert_eq!(
            of(CONTENT.as_bytes(), "Gates & more", Part::Columns),
            Hidden { rows: 0, columns: vec!["C".into()] }
        );
        assert_eq!(of(CONTENT.as_bytes(), "Other", Part::All).rows, 1);
        assert_eq!(of(CONTENT.as_bytes(), "None", Part::All), Hidden::default());
        let cut = CONTENT.find("<text:p>B").unwrap();
        assert_eq!(of(&CONTENT.as_bytes()[..cut], "Gates & more", Part::All).rows, 1, "as far as it goes");
    }
}
