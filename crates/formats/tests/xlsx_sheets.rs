//! Sheets as people lay them out: headers over two rows, a second table below or beside the first.
#![cfg(feature = "workbooks")]

use basilocus_formats::{Block, InputOptions, open};
use rust_xlsxwriter::{Format, Workbook};
use std::path::{Path, PathBuf};

fn book(folder: &Path, fill: impl FnOnce(&mut rust_xlsxwriter::Worksheet)) -> PathBuf {
    let mut book = Workbook::new();
    fill(book.add_worksheet());
    let path = folder.join("book.xlsx");
    book.save(&path).unwrap();
    path
}

fn put(sheet: &mut rust_xlsxwriter::Worksheet, first_row: u32, rows: &[&[&str]]) {
    for (r, row) in rows.iter().enumerate() {
        for (c, text) in row.iter().enumerate().filter(|(_, t)| !t.is_empty()) {
            let (row, column) = (first_row + r as u32, c as u16);
            match text.parse::<f64>() {
                Ok(number) => sheet.write(row, column, number).unwrap(),
                Err(_) => sheet.write(row, column, *text).unwrap(),
            };
        }
    }
}

/// Names of columns, rows with their numbers, and rows set aside with their class.
type Read = (Vec<String>, Vec<(u64, Vec<String>)>, Vec<(u64, String)>, Vec<String>);

fn read(path: &Path, options: &InputOptions) -> Read {
    let mut reader = open(path, options).unwrap();
    let names = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let notes = reader.about().notes.clone();
    let (mut rows, mut aside) = (Vec::new(), Vec::new());
    reader
        .read(&mut |block| {
            let Block::Rows(decoded) = block else { panic!("rows are expected") };
            for row in 0..decoded.batch.len() {
                let texts = (0..decoded.batch.records().num_columns()).map(|c| decoded.batch.text(c, row)).collect();
                rows.push((decoded.batch.source_rows()[row], texts));
            }
            aside.extend(decoded.set_aside.iter().map(|r| (r.source_row, r.class.to_string())));
            true
        })
        .unwrap();
    (names, rows, aside, notes)
}

#[test]
fn groups_over_columns_are_a_part_of_the_names() {
    let folder = tempfile::tempdir().unwrap();
    let path = book(folder.path(), |sheet| {
        let plain = Format::new();
        sheet.merge_range(0, 0, 1, 0, "gate", &plain).unwrap();
        sheet.merge_range(0, 1, 0, 2, "position", &plain).unwrap();
        sheet.merge_range(0, 3, 0, 4, "flow", &plain).unwrap();
        put(
            sheet,
            1,
            &[
                &["", "lon", "lat", "spring", "neap"],
                &["G1", "-123.8", "46.2", "4", "2"],
                &["G2", "-123.7", "46.1", "3", "1"],
            ],
        );
    });
    let (names, rows, aside, notes) = read(&path, &InputOptions::default());
    assert_eq!(names, ["gate", "position lon", "position lat", "flow spring", "flow neap"]);
    assert_eq!((rows.len(), aside.len()), (2, 0));
    assert_eq!(rows[0], (3, ["G1", "-123.8", "46.2", "4", "2"].map(String::from).to_vec()));
    assert!(notes.iter().any(|n| n == "the header goes over rows 1 and 2, which are joined"), "{notes:?}");
    // A row that is said counts as it is.
    let (names, ..) = read(&path, &InputOptions { header_row: Some(2), ..Default::default() });
    assert_eq!(names[1..3], ["lon", "lat"]);
}

#[test]
fn a_title_above_the_header_is_no_part_of_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = book(folder.path(), |sheet| {
        put(sheet, 0, &[&["Gates of the Tern Estuary"], &["gate", "lon", "lat"], &["G1", "-123.8", "46.2"]]);
    });
    let (names, rows, ..) = read(&path, &InputOptions::default());
    assert_eq!((names.as_slice(), rows.len()), (&["gate", "lon", "lat"].map(String::from)[..], 1));
}

#[test]
fn rows_of_a_second_table_are_none_of_the_first() {
    let folder = tempfile::tempdir().unwrap();
    let path = book(folder.path(), |sheet| {
        put(sheet, 0, &[&["gate", "lon", "lat"], &["G1", "-123.8", "46.2"], &["G2", "-123.7", "46.1"]]);
        put(sheet, 3, &[&["gate", "lon", "lat"], &["G3", "-123.6", "46.3"]]);
        put(
            sheet,
            7,
            &[&["owner", "houses", "since", "remark"], &["Heron", "4", "1999"], &["Mill", "2", "2005", "new"]],
        );
    });
    let (names, rows, aside, _) = read(&path, &InputOptions::default());
    assert_eq!(names, ["gate", "lon", "lat"]);
    assert_eq!(rows.iter().map(|(n, _)| *n).collect::<Vec<_>>(), [2, 3, 5]);
    let expected = [
        (4, "header again"),
        (6, "blank row"),
        (7, "blank row"),
        (8, "another table"),
        (9, "another table"),
        (10, "another table"),
    ];
    assert_eq!(aside, expected.map(|(n, class)| (n, class.to_string())));
    // The reason says how the other one is read.
    let (names, rows, aside, _) = read(&path, &InputOptions { header_row: Some(8), ..Default::default() });
    assert_eq!((names.len(), rows.len(), aside.len()), (4, 2, 0));
}

#[test]
fn a_table_beside_the_first_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = book(folder.path(), |sheet| {
        put(sheet, 0, &[&["gate", "lon", "lat", "", "owner", "houses"], &["G1", "-123.8", "46.2", "", "Heron", "4"]]);
    });
    let (_, rows, _, notes) = read(&path, &InputOptions::default());
    assert_eq!(rows.len(), 1);
    assert!(notes.iter().any(|n| n.starts_with("column D is empty") && n.contains("\"owner\"")), "{notes:?}");
}
