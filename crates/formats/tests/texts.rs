//! The writer of delimited text against a reader that is not ours, for every text a cell may hold.

use arrow_array::{ArrayRef, Float64Array, StringArray};
use arrow_schema::{DataType, Field, Schema};
use basilocus_formats::{ColumnStyle, LayerOut, RunAbout, SetAsideTable, create};
use basilocus_table::Batch;
use proptest::prelude::*;
use std::sync::Arc;

fn written(
    name: &str,
    texts: &[Vec<String>],
    numbers: &[f64],
    digits: Option<usize>,
) -> (tempfile::TempDir, std::path::PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    let width = texts.first().map_or(0, Vec::len);
    let mut fields: Vec<Field> = (0..width).map(|i| Field::new(format!("t{i}"), DataType::Utf8, true)).collect();
    fields.push(Field::new("n", DataType::Float64, true));
    let schema = Arc::new(Schema::new(fields));
    let mut columns: Vec<ArrayRef> = (0..width)
        .map(|i| Arc::new(StringArray::from(texts.iter().map(|r| r[i].as_str()).collect::<Vec<_>>())) as ArrayRef)
        .collect();
    columns.push(Arc::new(Float64Array::from(numbers.to_vec())));
    let batch = Batch::new(schema.clone(), columns, (0..texts.len() as u64).collect()).unwrap();
    let styles = schema.fields().iter().map(|_| ColumnStyle { digits, longest: None }).collect();
    let mut writer = create(&path, false).unwrap();
    let encoder = writer
        .start_layer(&LayerOut { name: "t".into(), schema, styles, crs: None, show: Default::default() })
        .unwrap();
    writer.write(encoder.encode(&batch)).unwrap();
    writer.end_layer().unwrap();
    writer.finish(&RunAbout::default(), &SetAsideTable::default()).unwrap().0.publish().unwrap();
    (folder, path)
}

proptest! {
    #[test]
    fn every_text_comes_back(rows in prop::collection::vec(prop::collection::vec("[ab,;\t\"\r\n é°'-]{0,6}", 2), 1..8), tab in any::<bool>()) {
        let numbers = vec![1.5; rows.len()];
        let (_folder, path) = written(if tab { "t.tsv" } else { "t.csv" }, &rows, &numbers, None);
        let mut reader = csv::ReaderBuilder::new().delimiter(if tab { b'\t' } else { b',' }).from_path(&path).unwrap();
        let back: Vec<Vec<String>> = reader.records().map(|r| r.unwrap().iter().take(2).map(String::from).collect()).collect();
        prop_assert_eq!(back, rows);
    }

    #[test]
    fn numbers_come_back_to_their_digits(numbers in prop::collection::vec(-1e7_f64..1e7, 1..6), digits in prop::option::of(0usize..9)) {
        let rows = vec![vec!["x".to_string()]; numbers.len()];
        let (_folder, path) = written("t.csv", &rows, &numbers, digits);
        let mut reader = csv::Reader::from_path(&path).unwrap();
        for (record, wanted) in reader.records().zip(&numbers) {
            let got = record.unwrap()[1].parse::<f64>().unwrap();
            // The nearest number with these decimals, as the standard formatter finds it.
            let nearest = digits.map_or(*wanted, |d| format!("{wanted:.d$}").parse().unwrap());
            prop_assert_eq!(got, nearest);
        }
    }
}

#[test]
fn a_table_of_one_empty_column_does_not_lose_its_rows() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("one.csv");
    let schema = Arc::new(Schema::new(vec![Field::new("only", DataType::Utf8, true)]));
    let columns: Vec<ArrayRef> = vec![Arc::new(StringArray::from(vec!["a", "", "b"]))];
    let batch = Batch::new(schema.clone(), columns, vec![2, 3, 4]).unwrap();
    let mut writer = create(&path, false).unwrap();
    let encoder = writer
        .start_layer(&LayerOut {
            name: "t".into(),
            schema,
            styles: vec![ColumnStyle { digits: None, longest: None }],
            crs: None,
            show: Default::default(),
        })
        .unwrap();
    writer.write(encoder.encode(&batch)).unwrap();
    writer.end_layer().unwrap();
    writer.finish(&RunAbout::default(), &SetAsideTable::default()).unwrap().0.publish().unwrap();
    let mut reader = csv::Reader::from_path(&path).unwrap();
    assert_eq!(reader.records().count(), 3);
}

#[test]
fn endings_say_the_format() {
    use basilocus_formats::Format;
    let of = |name: &str| Format::of_ending(std::path::Path::new(name));
    assert_eq!(of("a.CSV"), Some(Format::Delimited));
    assert_eq!(of("a.tsv"), Some(Format::Delimited));
    assert_eq!(of("a.xlsx"), Some(Format::Xlsx));
    assert_eq!(of("a.json"), Some(Format::GeoJson));
    assert_eq!(of("a.gpkg"), Some(Format::GeoPackage));
    assert_eq!(of("a"), None);
    assert_eq!(of("a.doc"), None);
}
