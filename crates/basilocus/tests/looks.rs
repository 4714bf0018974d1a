//! `look`: what a file holds, as data.

use basilocus::plan::{InputPlan, LayerPlan};
use basilocus::{Cancel, LookReport, look};
use std::path::PathBuf;

fn file(folder: &tempfile::TempDir, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

fn see(name: &str, bytes: &[u8], input: InputPlan) -> LookReport {
    let folder = tempfile::tempdir().unwrap();
    let plan = LayerPlan { input, ..LayerPlan::new(file(&folder, name, bytes)) };
    look(&plan, 5, &Cancel::default(), &()).unwrap_or_else(|e| panic!("{e}"))
}

fn summary(r: &LookReport) -> String {
    r.columns
        .iter()
        .map(|c| format!("{}: {} [{}] {}/{}", c.name, c.role.as_deref().unwrap_or("-"), c.kind, c.filled, c.empty))
        .collect::<Vec<_>>()
        .join("\n")
}

#[test]
fn roles_types_and_counts_of_all_values() {
    let r = see(
        "owners.csv",
        b"Parcel ID,Owner,Site Address,City,ST,Zip,Lon,Lat,Acres,Since,Active\n001,A,12 Heron Ln,Ternport,OR,97981,-123.8,46.2,1.5,1999-04-05,true\n002,B,14 Heron Ln,Ternport,OR,,-123.7,46.1,2,2001-01-01,false\n",
        InputPlan::default(),
    );
    insta::assert_snapshot!(summary(&r), @r"
    Parcel ID: identifier [text] 2/0
    Owner: - [text] 2/0
    Site Address: street [text] 2/0
    City: locality [text] 2/0
    ST: region [text] 2/0
    Zip: postcode [whole number] 1/1
    Lon: longitude [number] 2/0
    Lat: latitude [number] 2/0
    Acres: - [number] 2/0
    Since: - [date] 2/0
    Active: - [true/false] 2/0
    ");
    assert_eq!((r.rows, r.header_row), (2, Some(1)));
    assert_eq!(r.extent, Some([-123.8, 46.1, -123.7, 46.2]));
    assert_eq!(r.columns[0].note.as_deref(), Some("codes with leading zeros (001, 002) stay text"));
    assert_eq!(r.first_rows[0][2], "12 Heron Ln");
    assert!(r.doubts.is_empty());
}

#[test]
fn missing_parts_of_an_address_are_said() {
    let r = see("a.csv", b"Address,City,Zip\n12 Heron Ln,Ternport,97981\n", InputPlan::default());
    let note = r.notes.iter().find(|n| n.starts_with("an address")).unwrap();
    assert!(note.contains("no column of a region"), "{note}");
}

#[test]
fn header_slips_and_lost_zeros_are_doubted() {
    let shifted = see("shifted.csv", b"id,name\n1,a,x\n2,b,y\n3,c,z\n", InputPlan::default());
    assert!(shifted.doubts.iter().any(|d| d.id.as_str() == "shifted-header"), "{shifted:?}");
    let blank = see("blank.csv", b"id,name\n\n1,a\n", InputPlan::default());
    assert_eq!(blank.doubts[0].id.as_str(), "shifted-header");
    let zips = see("zips.csv", b"name,zip\na,97981\nb,8099\nc,417\n", InputPlan::default());
    assert_eq!(zips.doubts[0].id.as_str(), "mangled-code");
    let whole = see("whole.csv", b"name,zip\na,97981\nb,08099\nc,98417\n", InputPlan::default());
    assert!(whole.doubts.is_empty());
}

#[test]
fn options_change_what_is_read() {
    let text = b"first line\nx;y\n1;2\n3;4\n";
    let r = see(
        "t.csv",
        text,
        InputPlan { delimiter: Some("semicolon".into()), header_row: Some(2), ..Default::default() },
    );
    assert_eq!(
        summary(&r),
        "x: - [whole number] 2/0\ny: - [whole number] 2/0"
            .replace("x: -", "x: longitude")
            .replace("y: -", "y: latitude")
    );
    let bad = InputPlan { delimiter: Some("::".into()), ..Default::default() };
    assert!(bad.options().unwrap_err().to_string().contains("one character is expected"));
    for (word, byte) in [("tab", b'\t'), ("space", b' '), ("comma", b','), ("|", b'|')] {
        let plan = InputPlan { delimiter: Some(word.into()), ..Default::default() };
        assert_eq!(plan.options().unwrap().delimiter, Some(byte));
    }
}

#[test]
fn a_large_table_is_counted_whole() {
    let rows: String = (0..120_000).map(|i| format!("{i},{}\n", if i == 119_999 { "x" } else { "7" })).collect();
    let r = see("large.csv", format!("id,value\n{rows}").as_bytes(), InputPlan::default());
    assert_eq!(r.rows, 120_000);
    assert_eq!(r.columns[1].kind, "text", "the last value decides as much as the first");
}
